import { simulateText, type TextRun } from '../testing/simulate-text';

/** Runs against closed forms and published values, with the sources of the values. */

const run = (text: string, stop: number, more: Parameters<typeof simulateText>[2] = {}): TextRun =>
  simulateText(text, /model (\w+)/.exec(text)![1], {
    stop,
    relative: 1e-9,
    absolute: 1e-12,
    recordEvery: stop / 50,
    ...more,
  });
const relative = (actual: number, expected: number): number => Math.abs(actual - expected) / Math.abs(expected);
const finished = (r: TextRun): TextRun => {
  expect(r.simulation.problem).toBeUndefined();
  return r;
};

describe('stiff problems', () => {
  const robertson =
    'model Robertson Real y1(start = 1, fixed = true), y2(start = 0, fixed = true), y3; equation der(y1) = -0.04*y1 + 1e4*y2*y3; der(y2) = 0.04*y1 - 1e4*y2*y3 - 3e7*y2^2; y1 + y2 + y3 = 1; end Robertson;';
  // Mazzia and Magherini, Test Set for Initial Value Problem Solvers (2008), problem ROBER; t = 40: Hairer and Wanner (1996)
  test('chemistry of Robertson (1966) to 1e11 s', () => {
    const end = finished(run(robertson, 1e11, { solver: 'auto', relative: 1e-10, absolute: 1e-18 }));
    expect(relative(end.last('y1'), 0.2083340149701255e-7)).toBeLessThan(1e-6);
    expect(relative(end.last('y2'), 0.8333360770334713e-13)).toBeLessThan(1e-6);
    expect(relative(end.last('y3'), 0.999999979166505)).toBeLessThan(1e-9);
    expect(end.simulation.counts.steps).toBeLessThan(2500);
  });
  test('oscillator of van der Pol at mu = 1000, to 2000 s', () => {
    const text =
      'model VanDerPol parameter Real mu = 1000; Real x(start = 2, fixed = true), y(start = 0, fixed = true); equation der(x) = y; der(y) = mu*(1 - x^2)*y - x; end VanDerPol;';
    for (const solver of ['auto', 'implicit'] as const) {
      const end = finished(run(text, 2000, { solver }));
      expect(relative(end.last('x'), 0.1706167732170483e1)).toBeLessThan(1e-7);
      expect(relative(end.last('y'), -0.8928097010247975e-3)).toBeLessThan(1e-7);
    }
  });
  test('a heat rod of 50 cells against its decaying mode', () => {
    const n = 50;
    const text = `model Rod parameter Integer n = ${n}; Real u[n](start = {sin(3.141592653589793*i/(n + 1)) for i in 1:n}, each fixed = true); equation for i in 1:n loop der(u[i]) = ((if i > 1 then u[i - 1] else 0) - 2*u[i] + (if i < n then u[i + 1] else 0))*(n + 1)^2; end for; end Rod;`;
    const end = finished(run(text, 0.2, { solver: 'implicit' }));
    const rate = 4 * (n + 1) ** 2 * Math.sin(Math.PI / (2 * (n + 1))) ** 2;
    expect(relative(end.last('u[25]'), Math.sin((Math.PI * 25) / (n + 1)) * Math.exp(-rate * 0.2))).toBeLessThan(1e-6);
    // the series solution of the rod itself, to the order of its cells
    expect(
      relative(end.last('u[25]'), Math.sin((Math.PI * 25) / (n + 1)) * Math.exp(-(Math.PI ** 2) * 0.2)),
    ).toBeLessThan(1e-3);
  });
});

describe('circuits', () => {
  test('a series circuit of R, L and C rings as its closed form says', () => {
    const end = finished(
      run(
        'model RLC Real i(start = 0, fixed = true), v(start = 0, fixed = true); equation 0.1*der(i) = 5 - 10*i - v; 1e-4*der(v) = i; end RLC;',
        0.05,
      ),
    );
    const damping = 10 / 0.2,
      omega = Math.sqrt(1 / (0.1 * 1e-4) - damping ** 2);
    expect(end.last('v')).toBeCloseTo(
      5 - 5 * Math.exp(-damping * 0.05) * (Math.cos(omega * 0.05) + (damping / omega) * Math.sin(omega * 0.05)),
      7,
    );
  });
  test('a rectifier with a capacitor: charge flows only upwards, and equals what the load takes in a period', () => {
    const text = `model Rectifier parameter Real w = 100*3.141592653589793; Real vs, i, v(start = 9, fixed = true), s, charge(start = 0, fixed = true), drawn(start = 0, fixed = true); Boolean off;
equation vs = 10*sin(w*time); off = s < 0; vs - v - 0.5*i = s*(if off then 1 else 1e-3); i = s*(if off then 1e-6 else 1); 1e-3*der(v) = i - v/10; der(charge) = i; der(drawn) = v/10; end Rectifier;`;
    const end = finished(run(text, 0.4, { recordEvery: 1e-4 }));
    const i = end.recording.columns.find((c) => c.name === 'i')!.values;
    expect(Math.min(...i)).toBeGreaterThan(-2.1e-5);
    const inPeriod = (name: string): number => end.at(name, 0.4) - end.at(name, 0.38);
    expect(relative(inPeriod('charge'), inPeriod('drawn'))).toBeLessThan(1e-4);
  });
});

describe('mechanics', () => {
  test('a ball bounces up to the moment its bounces run together, and the run says what keeps switching', () => {
    const e = 0.7;
    const end = run(
      'model Ball Real h(start = 1, fixed = true), v(start = 0, fixed = true); Integer n(start = 0); equation der(h) = v; der(v) = -9.81; when h < 0 then reinit(v, -0.7*pre(v)); n = pre(n) + 1; end when; end Ball;',
      10,
    );
    const first = Math.sqrt(2 / 9.81),
      limit = first * (1 + (2 * e) / (1 - e));
    expect(end.simulation.status).toBe('failed');
    expect(end.simulation.problem?.message).toMatch(/h < 0 keeps switching/);
    expect(relative(end.simulation.time, limit)).toBeLessThan(1e-9);
    expect(end.last('n')).toBeGreaterThan(40);
  });
  test('a ball that may lie still does so once its bounces have run together', () => {
    const text = `model Rest parameter Real e = 0.7; Real h(start = 1, fixed = true), v(start = 0, fixed = true), after(start = 0); Boolean moves(start = true, fixed = true), touches; Integer n(start = 0);
equation touches = h <= 0; der(v) = if moves then -9.81 else 0; der(h) = v;
when {h <= 0 and v <= 0, touches} then after = if edge(touches) then -e*pre(v) else 0; moves = after > 0; reinit(v, after); n = pre(n) + 1; end when; end Rest;`;
    const end = simulateText(text, 'Rest', { stop: 30 });
    const limit = (Math.sqrt(2 / 9.81) * 1.7) / 0.3;
    expect(end.simulation.status).toBe('finished');
    expect(end.at('moves', limit - 1e-3)).toBe(1);
    expect(end.at('moves', limit + 1e-2)).toBe(0);
    expect(end.last('v')).toBe(0);
    expect(Math.abs(end.last('h'))).toBeLessThan(1e-15);
    expect(end.last('n')).toBeGreaterThan(60);
  });
  test('a body spins freely: the symmetric one in its closed form, any one with its energy and momentum', () => {
    const top = (I: string, w: string): string =>
      `model Top parameter Real I[3] = ${I}; Real w[3](start = ${w}, each fixed = true), energy, momentum; equation I[1]*der(w[1]) = (I[2] - I[3])*w[2]*w[3]; I[2]*der(w[2]) = (I[3] - I[1])*w[3]*w[1]; I[3]*der(w[3]) = (I[1] - I[2])*w[1]*w[2]; energy = I*(w .^ 2); momentum = (I .^ 2)*(w .^ 2); end Top;`;
    const symmetric = finished(run(top('{1, 1, 2}', '{0.5, 0, 3}'), 10));
    // precession at (I3 - I1)/I1 w3
    expect(symmetric.last('w[1]')).toBeCloseTo(0.5 * Math.cos(30), 6);
    expect(symmetric.last('w[2]')).toBeCloseTo(0.5 * Math.sin(30), 6);
    const any = finished(run(top('{1, 2, 3}', '{0.1, 3, 0.1}'), 100));
    expect(relative(any.last('energy'), any.at('energy', 0))).toBeLessThan(1e-7);
    expect(relative(any.last('momentum'), any.at('momentum', 0))).toBeLessThan(1e-7);
  });
  test('a double pendulum in Cartesian coordinates is the one in angles', () => {
    const cartesian = finished(
      run(
        `model Cartesian parameter Real g = 9.81; Real x1(start = 1, fixed = true), y1(start = 0), x2(start = 2, fixed = true), y2(start = 0), vx1, vy1, vx2, vy2, F1, F2;
equation der(x1) = vx1; der(y1) = vy1; der(x2) = vx2; der(y2) = vy2; x1^2 + y1^2 = 1; (x2 - x1)^2 + (y2 - y1)^2 = 1;
der(vx1) = -F1*x1 + F2*(x2 - x1); der(vy1) = -F1*y1 + F2*(y2 - y1) - g; der(vx2) = -F2*(x2 - x1); der(vy2) = -F2*(y2 - y1) - g; end Cartesian;`,
        3,
      ),
    );
    const angles = finished(
      run(
        `model Angles parameter Real g = 9.81; Real a(start = 1.5707963267948966, fixed = true), b(start = 1.5707963267948966, fixed = true), u(start = 0, fixed = true), w(start = 0, fixed = true);
equation der(a) = u; der(b) = w; 2*der(u) + cos(a - b)*der(w) = -sin(a - b)*w^2 - 2*g*sin(a); cos(a - b)*der(u) + der(w) = sin(a - b)*u^2 - g*sin(b); end Angles;`,
        3,
        { relative: 1e-12, absolute: 1e-13 },
      ),
    );
    for (const t of [0.6, 1.2, 3]) {
      expect(cartesian.at('x1', t)).toBeCloseTo(Math.sin(angles.at('a', t)), 5);
      expect(cartesian.at('y2', t)).toBeCloseTo(-Math.cos(angles.at('a', t)) - Math.cos(angles.at('b', t)), 5);
    }
  });
  test('rigid bodies in space, with orientations as matrices: a pendulum on a hinge swings like one', () => {
    const end = finished(
      simulateText(
        `
connector Frame Real r[3]; Real R[3,3]; flow Real f[3]; flow Real t[3]; end Frame;
model World Frame b; equation b.r = zeros(3); b.R = identity(3); end World;
model Rod Frame a, b; parameter Real d[3] = {0, -1, 0}; equation b.r = a.r + transpose(a.R)*d; b.R = a.R; a.f + b.f = zeros(3); a.t + b.t + cross(d, b.f) = zeros(3); end Rod;
model Hinge Frame a, b; parameter Real n[3] = {0, 0, 1}; Real phi(start = 1, fixed = true), w(start = 0, fixed = true); Real Q[3,3];
equation w = der(phi); Q = outerProduct(n, n) + (identity(3) - outerProduct(n, n))*cos(phi) - skew(n)*sin(phi); b.r = a.r; b.R = Q*a.R; a.f + transpose(Q)*b.f = zeros(3); a.t + transpose(Q)*b.t = zeros(3); n*b.t = 0; end Hinge;
model Point Frame a; parameter Real m = 2; parameter Real g[3] = {0, -9.81, 0}; Real v[3]; equation v = der(a.r); a.f = m*a.R*(der(v) - g); a.t = zeros(3); end Point;
model Swing World world; Hinge hinge; Rod rod; Point mass; equation connect(world.b, hinge.a); connect(hinge.b, rod.a); connect(rod.b, mass.a); end Swing;`,
        'Swing',
        { stop: 2, relative: 1e-9, absolute: 1e-12 },
      ),
    );
    const plain = run(
      'model Plain Real phi(start = 1, fixed = true), w(start = 0, fixed = true); equation der(phi) = w; der(w) = -9.81*sin(phi); end Plain;',
      2,
    );
    expect(end.last('hinge.phi')).toBeCloseTo(plain.last('phi'), 6);
    expect(end.last('mass.a.r[1]')).toBeCloseTo(Math.sin(plain.last('phi')), 6);
  });
  test('a planetary gear shares speed and torque as its equations say', () => {
    const text = `model Planets parameter Real r = 2.5; Real s(start = 0, fixed = true), c, q, ws(start = 0, fixed = true), wc, wq(start = 0, fixed = true), t; Real qq(start = 0, fixed = true);
equation ws = der(s); wc = der(c); wq = der(q); (1 + r)*c = s + r*q; 0.1*der(ws) = 2 - t; 1*der(wq) = -r*t; 0.5*der(wc) = (1 + r)*t; der(qq) = 0; end Planets;`;
    const end = finished(run(text, 2));
    // for the torque t on the sun wheel: (1 + r) ac = as + r aq with as = (2 - t)/0.1, aq = -r t, ac = (1 + r) t/0.5
    const t = 20 / (10 + 2.5 ** 2 + 3.5 ** 2 / 0.5);
    expect(end.last('t')).toBeCloseTo(t, 9);
    expect(end.last('wc')).toBeCloseTo(((3.5 * t) / 0.5) * 2, 7);
    expect(3.5 * end.last('wc')).toBeCloseTo(end.last('ws') + 2.5 * end.last('wq'), 9);
  });
});

describe('fluids', () => {
  test('a tank runs out by the law of Torricelli, and rests when its valve is closed', () => {
    const text =
      'model Tank Real h(start = 2, fixed = true), q; Boolean open; equation open = time < 3; q = if open then 0.02*sqrt(h) else 0; 0.1*der(h) = -q; end Tank;';
    const end = finished(run(text, 5));
    const at = (t: number): number => (Math.sqrt(2) - (0.02 / 0.1 / 2) * t) ** 2;
    expect(end.at('h', 1)).toBeCloseTo(at(1), 8);
    expect(end.last('h')).toBeCloseTo(at(3), 8);
  });
  test('what leaves a pipe entered it some time ago', () => {
    const end = finished(
      run(
        'model Pipe Real a, b, c(start = 1, fixed = true); equation a = sin(3*time); b = delay(a, 0.7); der(c) = -delay(c, 1); end Pipe;',
        2,
        { recordEvery: 0.1 },
      ),
    );
    expect(end.last('b')).toBeCloseTo(Math.sin(3 * 1.3), 6);
    // by steps (Bellman and Cooke 1963): 1 - t up to 1, then 1 - t + (t - 1)^2/2
    expect(end.at('c', 1)).toBeCloseTo(0, 6);
    expect(end.last('c')).toBeCloseTo(1 - 2 + 0.5, 5);
  });
});

describe('square roots at zero', () => {
  const tanks = (q: string): string =>
    `model Tanks Real h1(start = 2, fixed = true), h2(start = 0.5, fixed = true), q; equation der(h1) = -q; 2*der(h2) = q; q = ${q}; end Tanks;`;
  // the difference d follows der(d) = -0.75*sqrt(d): it is gone at 2*sqrt(1.5)/0.75
  const level = Math.sqrt(1.5) / 0.375;
  test.each([
    ['if h1 > h2 then 0.5*sqrt(h1 - h2) else -0.5*sqrt(h2 - h1)'],
    ['0.5*sign(h1 - h2)*sqrt(abs(h1 - h2))'],
    ['noEvent(if h1 > h2 then 0.5*sqrt(h1 - h2) else -0.5*sqrt(h2 - h1))'],
  ])('two tanks come to one level and stay there: %s', (q) => {
    for (const solver of ['auto', 'dopri5', 'implicit'] as const) {
      const run = simulateText(tanks(q), 'Tanks', { stop: 10, solver });
      expect(run.simulation.status).toBe('finished');
      const before = (Math.sqrt(1.5) - 0.375 * 2) ** 2;
      expect(Math.abs(run.at('h1', 2) - run.at('h2', 2) - before)).toBeLessThan(1e-5);
      expect(Math.abs(run.at('h1', level + 0.1) - 1)).toBeLessThan(1e-4);
      expect(Math.abs(run.last('h1') - run.last('h2'))).toBeLessThan(1e-4);
      expect(Math.abs(run.last('h1') + 2 * run.last('h2') - 3)).toBeLessThan(1e-9);
    }
  });
  test('a tank runs dry', () => {
    const run = simulateText(
      'model Dry Real h(start = 1, fixed = true); equation der(h) = -0.5*sqrt(h); end Dry;',
      'Dry',
      { stop: 10 },
    );
    expect(run.simulation.status).toBe('finished');
    expect(Math.abs(run.at('h', 2) - 0.25)).toBeLessThan(1e-5);
    expect(Math.abs(run.last('h'))).toBeLessThan(1e-6);
  });
  test('what goes on below zero is told with its equation, at the start and later, and not where its branch is not taken', () => {
    const ends = (text: string) => simulateText(`model M ${text} end M;`, 'M', { stop: 2 }).simulation;
    expect(ends('Real y = sqrt(-1 - time);').problem?.message).toMatch(
      /^Square root of a negative number: -1 - time in "y = \.\.\.", at t = 0 s/,
    );
    const later = ends('Real x(start = 1), y; equation der(x) = -1; y = sqrt(x) + 1;');
    expect(later.problem?.message).toMatch(/Square root of a negative number: x in "y = sqrt\(x\) \+ 1;"/);
    expect(Math.abs(later.time - 1)).toBeLessThan(0.02);
    expect(ends('Real x(start = -1), y; equation der(x) = 1; y = if x > 0 then sqrt(x) else 0;').status).toBe(
      'finished',
    );
  });
});
