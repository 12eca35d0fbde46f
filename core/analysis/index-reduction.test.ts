import { problemsOf, simulateText } from '../testing/simulate-text';

const tight = { relative: 1e-9, absolute: 1e-11 };

describe('models of higher index', () => {
  const pendulum = (
    start: string,
  ): string => `model Pendulum parameter Real L = 1, m = 1, g = 9.81; Real x(start = ${start}), y, vx, vy, F, energy;
equation der(x) = vx; der(y) = vy; m*der(vx) = -F*x/L; m*der(vy) = -F*y/L - m*g; x^2 + y^2 = L^2;
energy = m*(vx^2 + vy^2)/2 + m*g*y; end Pendulum;`;

  test('a pendulum in Cartesian coordinates (index 3) keeps its length and its energy, and has the period of the elliptic integral', () => {
    const amplitude = 2;
    // T = 4 K(sin(a/2)) sqrt(L/g), with the arithmetic-geometric mean
    let [a, b] = [1, Math.cos(amplitude / 2)];
    while (Math.abs(a - b) > 1e-15) [a, b] = [(a + b) / 2, Math.sqrt(a * b)];
    const period = ((2 * Math.PI) / a) * Math.sqrt(1 / 9.81);
    const run = simulateText(
      pendulum(`${Math.sin(amplitude)}, fixed = true`).replace('y, vx', `y(start = ${-Math.cos(amplitude)}), vx`),
      'Pendulum',
      { ...tight, stop: 4 * period, recordEvery: period / 100 },
    );
    expect(run.simulation.problem).toBeUndefined();
    const { rows } = run.recording;
    const column = (name: string): Float64Array => run.recording.columns.find((c) => c.name === name)!.values;
    const [x, y, energy] = [column('x'), column('y'), column('energy')];
    for (let k = 0; k < rows; k++) expect(Math.abs(x[k] ** 2 + y[k] ** 2 - 1)).toBeLessThan(1e-6);
    expect(Math.abs(energy[rows - 1] - energy[0])).toBeLessThan(2e-6);
    const end = (t: number): number => x[run.recording.time.findIndex((at) => Math.abs(at - t) < 1e-9)];
    expect(end(4 * period)).toBeCloseTo(x[0], 6);
    expect(end(1.5 * period)).toBeCloseTo(-x[0], 6);
  });
  test('it goes over the top, where no fixed choice of two states would hold', () => {
    const run = simulateText(
      pendulum('0').replace('y, vx, vy', 'y(start = -1), vx(start = 8, fixed = true), vy'),
      'Pendulum',
      { ...tight, stop: 5 },
    );
    const column = (name: string): Float64Array => run.recording.columns.find((c) => c.name === name)!.values;
    expect(Math.max(...column('y'))).toBeGreaterThan(0.9999);
    const energy = column('energy');
    expect(Math.abs(energy[energy.length - 1] - energy[0])).toBeLessThan(1e-5);
  });
  test('at a loose tolerance, over many swings, the constraints still hold as exactly as numbers do', () => {
    const run = simulateText(pendulum('1, fixed = true').replace('y, vx', 'y(start = 0), vx'), 'Pendulum', {
      relative: 1e-3,
      absolute: 1e-5,
      stop: 60,
    });
    expect(run.simulation.problem).toBeUndefined();
    const [x, y, vx, vy] = ['x', 'y', 'vx', 'vy'].map((name) => run.last(name));
    expect(Math.abs(x * x + y * y - 1)).toBeLessThan(1e-12);
    expect(Math.abs(x * vx + y * vy)).toBeLessThan(1e-11);
  });
  test('two capacitors in parallel are one', () => {
    const run = simulateText(
      'model Two Real a(start = 1, fixed = true), b, i1, i2; equation der(a) = i1/2; der(b) = i2/3; a = b; i1 + i2 = -a; end Two;',
      'Two',
      { ...tight, stop: 2 },
    );
    expect(run.last('a')).toBeCloseTo(Math.exp(-2 / 5), 8);
    expect(run.last('b')).toBeCloseTo(run.last('a'), 12);
    expect(run.simulation.machine.memory.d.length).toBe(1);
  });
  test('inertias joined by a gear move as one', () => {
    const text = `model Drive Real p1(start = 0, fixed = true), p2, w1(start = 0, fixed = true), w2, t1, t2; parameter Real n = 5;
equation der(p1) = w1; der(p2) = w2; 2*der(w1) = 1 - t1; 3*der(w2) = t2; p1 = n*p2; t2 = n*t1; end Drive;`;
    const run = simulateText(text, 'Drive', { ...tight, stop: 1 });
    // (J1 + J2/n2) a = M
    const acceleration = 1 / (2 + 3 / 25);
    expect(run.last('w1')).toBeCloseTo(acceleration, 8);
    expect(run.last('p2')).toBeCloseTo(acceleration / 2 / 5, 8);
    expect(run.simulation.machine.memory.d.length).toBe(2);
  });
  test('a prescribed motion tells the force it takes', () => {
    const run = simulateText(
      'model Pushed Real s, v, f; equation s = sin(2*time); der(s) = v; 3*der(v) = f; end Pushed;',
      'Pushed',
      { ...tight, stop: 1 },
    );
    expect(run.last('f')).toBeCloseTo(-12 * Math.sin(2), 8);
    expect(run.last('v')).toBeCloseTo(2 * Math.cos(2), 8);
  });
  test('a slider crank: a closed loop with one degree of freedom', () => {
    const text = `model Crank parameter Real r = 0.1, l = 0.3; Real a(start = 0.3, fixed = true), w(start = 10, fixed = true), b(start = -0.1), x(start = 0.38), vb, vx, F, N;
equation der(a) = w; der(b) = vb; der(x) = vx; r*sin(a) + l*sin(b) = 0; x = r*cos(a) + l*cos(b);
0.01*der(w) = -F*r*sin(a) - N*r*cos(a); 0.002*der(vb) = -F*l*sin(b) - N*l*cos(b); 0.5*der(vx) = -F; end Crank;`;
    const run = simulateText(text, 'Crank', { ...tight, stop: 2 });
    expect(run.simulation.problem).toBeUndefined();
    const at = (name: string): number => run.last(name);
    expect(at('x')).toBeCloseTo(0.1 * Math.cos(at('a')) + 0.3 * Math.cos(at('b')), 9);
    const energy = 0.005 * at('w') ** 2 + 0.001 * at('vb') ** 2 + 0.25 * at('vx') ** 2;
    expect(energy).toBeCloseTo(0.005 * 100 + 0.001 * run.at('vb', 0) ** 2 + 0.25 * run.at('vx', 0) ** 2, 6);
  });
  test('equal quantities are one: chains of links cost no equation of the loop', () => {
    const run = simulateText(
      'model Same Real a(start = 1, fixed = true), b, c, d; equation der(a) = -d; b = a; c = -b; c + d = 0; end Same;',
      'Same',
      { ...tight, stop: 1 },
    );
    expect(run.last('d')).toBeCloseTo(Math.exp(-1), 8);
    expect(run.last('c')).toBeCloseTo(-Math.exp(-1), 8);
  });
  test('the start value of a quantity that is no state is an equation of the start', () => {
    const run = simulateText(
      'model Start Real x, y(start = 6, fixed = true); equation der(x) = 0; y = 3*x; end Start;',
      'Start',
      { stop: 0.1 },
    );
    expect(run.last('x')).toBeCloseTo(2, 12);
  });
  test('what cannot be met is told: contradicting starts, and systems no differentiation helps', () => {
    expect(() =>
      simulateText(pendulum('0.5, fixed = true').replace('y, vx', 'y(start = 0.5, fixed = true), vx'), 'Pendulum'),
    ).not.toThrow();
    const run = simulateText(
      pendulum('0.5, fixed = true').replace('y, vx', 'y(start = 0.5, fixed = true), vx'),
      'Pendulum',
    );
    expect(run.simulation.problem?.message).toMatch(
      /cannot be brought onto "x\^2 \+ y\^2 = L\^2;".*fixed start values contradict/,
    );
    expect(problemsOf('model Bad Real x, y; equation x = 1; x = 2; end Bad;', 'Bad').join(' ')).toMatch(/one too many/);
    expect(
      problemsOf('model Tied input Real u; Real x, f; equation x = u; der(x) = f; end Tied;', 'Tied').join(' '),
    ).toMatch(/derivative would be needed/);
  });
});

test('a start is found from guesses where the constraints are flat: a pendulum that hangs level, asked to hang askew', () => {
  const run = simulateText(
    'model P Real x(start = 1), y(start = 0), u, v, T; initial equation x = sin(1); u = 0; equation der(x) = u; der(y) = v; der(u) = -x*T; der(v) = -y*T - 9.81; x^2 + y^2 = 1; end P;',
    'P',
    { stop: 1 },
  );
  const first = (name: string): number => run.at(name, 0);
  expect(first('x')).toBeCloseTo(Math.sin(1), 9);
  expect(Math.abs(first('y'))).toBeCloseTo(Math.cos(1), 9);
  expect((run.last('u') ** 2 + run.last('v') ** 2) / 2 + 9.81 * run.last('y')).toBeCloseTo(9.81 * first('y'), 5);
});

test('what is missing beside constraints is told alone: the constraints are not at fault', () => {
  const gear = (more: string): string =>
    `model T Rotational.Inertia a, b; Rotational.Gear g(ratio = 3); ${more.startsWith('Real') ? more : ''} equation connect(a.b, g.a); connect(g.b, b.a); ${more.startsWith('Real') ? '' : more} end T;`;
  expect(problemsOf(gear('Real x;'), 'T')).toEqual([
    'Nothing determines x: add an equation, or make it an input or a parameter',
  ]);
  const over = problemsOf(gear('a.w = 1;'), 'T');
  expect(over).toHaveLength(1);
  expect(over[0]).toMatch(/is one too many/);
});
