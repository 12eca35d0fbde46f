import { simulateText, type TextRun } from '../testing/simulate-text';

/** Magnetic and pneumatic parts against closed forms. */
const run = (body: string, stop: number): TextRun => {
  const r = simulateText(`model T ${body} end T;`, 'T', {
    stop,
    solver: 'auto',
    relative: 1e-9,
    absolute: 1e-12,
    recordEvery: stop / 100,
  });
  expect(r.simulation.problem).toBeUndefined();
  return r;
};
const close = (actual: number, wanted: number, digits = 6): void => expect(actual / wanted).toBeCloseTo(1, digits);
const mu0 = 1.25663706212e-6;

describe('magnetic', () => {
  const earth = 'Magnetic.Ground m0; Electrical.Ground e0;';
  test('a coil on a reluctance is an inductor of N^2/R', () => {
    const [N, R, ohm, volt] = [200, 4e5, 5, 10],
      L = N ** 2 / R,
      t = L / ohm;
    const r = run(
      `Electrical.VoltageSource s(V = ${volt}); Electrical.Resistor w(R = ${ohm}); Magnetic.Coil c(N = ${N}, i(start = 0, fixed = true)); Magnetic.Reluctance m(R = ${R}); Magnetic.FluxSensor f; Magnetic.PotentialSensor u; ${earth}
equation connect(s.p, w.p); connect(w.n, c.a); connect(c.b, s.n); connect(s.n, e0.p); connect(c.p, f.p); connect(f.n, m.p); connect(m.n, c.n); connect(c.n, m0.p); connect(u.p, c.p); connect(u.n, c.n);`,
      t,
    );
    close(r.last('c.i'), (volt / ohm) * (1 - Math.exp(-1)));
    close(r.last('f.Phi'), (N * r.last('c.i')) / R);
    close(r.last('u.Vm'), N * r.last('c.i'));
  });
  test('a magnet, a core and a gap: the flux of the circuit, and the pull of its faces', () => {
    const [A, l, mur, gap, V] = [2e-4, 0.15, 2000, 1e-3, 800];
    const r = run(
      `Magnetic.Source s(V = ${V}); Magnetic.Core core(l = ${l}, A = ${A}, mur = ${mur}); Magnetic.AirGap g(A = ${A}); Translational.Fixed near(s = 0), far(s = ${gap}); ${earth.split(' Electrical')[0]}
equation connect(s.p, core.p); connect(core.n, g.p); connect(g.n, s.n); connect(s.n, m0.p); connect(near.a, g.a); connect(far.a, g.b);`,
      1,
    );
    const flux = V / (l / (mu0 * mur * A) + gap / (mu0 * A));
    close(r.last('core.Phi'), flux);
    close(r.last('core.B'), flux / A);
    close(r.last('g.pull'), flux ** 2 / (2 * mu0 * A));
    // the part near the gap is pulled towards the far one
    close(r.last('near.a.f'), r.last('g.pull'));
  });
  test('a core saturates: straight at first, then hardly more than the vacuum', () => {
    const at = (V: number): number =>
      run(
        `Magnetic.Source s(V = ${V}); Magnetic.SaturatingCore c(l = 0.2, A = 1e-4, mur = 1500, Bs = 1.5); Magnetic.Ground m0; equation connect(s.p, c.p); connect(c.n, s.n); connect(s.n, m0.p);`,
        1,
      ).last('c.B');
    const H = (V: number): number => V / 0.2;
    close(at(1), mu0 * 1501 * H(1), 4);
    close(at(5000), 1.5 + mu0 * H(5000), 6);
  });
});

describe('pneumatic', () => {
  const [Rs, T, rho0] = [287.058, 293.15, 1.185];
  test('a volume fills through a resistance with its time constant', () => {
    const [R, V] = [2e8, 1e-3],
      tau = (R * V) / (Rs * T);
    const r = run(
      `Pneumatic.PressureSource s(p = 1.5e5); Pneumatic.Resistance w(R = ${R}); Pneumatic.Volume v(V = ${V}, p(start = 1e5, fixed = true)); Pneumatic.PressureSensor q; Pneumatic.FlowSensor f;
equation connect(s.port, w.a); connect(w.b, f.a); connect(f.b, v.port); connect(q.port, v.port);`,
      tau,
    );
    close(r.last('v.p'), 1.5e5 - 0.5e5 * Math.exp(-1));
    close(r.last('q.p'), r.last('v.p'));
    close(r.last('f.m'), (0.5e5 * Math.exp(-1)) / R);
    close(r.last('v.mass'), (r.last('v.p') * V) / (Rs * T));
  });
  test('a choked orifice empties a volume exponentially; slower flow follows the standard; near rest it is laminar', () => {
    const [C, V] = [1e-8, 1e-3],
      rate = (C * rho0 * Rs * T) / V;
    const r = run(
      `Pneumatic.Volume v(V = ${V}, p(start = 1e6, fixed = true)); Pneumatic.Orifice o(C = ${C}); Pneumatic.Ambient air(p = 1e5); equation connect(v.port, o.a); connect(o.b, air.port);`,
      1 / rate,
    );
    close(r.last('v.p'), 1e6 * Math.exp(-1), 6);
    expect(r.last('o.choked')).toBe(1);
    const still = (p: number): number =>
      run(
        `Pneumatic.PressureSource s(p = ${p}); Pneumatic.Orifice o(C = ${C}); Pneumatic.Ambient air(p = 1e5); equation connect(s.port, o.a); connect(o.b, air.port);`,
        1,
      ).last('o.m');
    close(still(1.25e5), C * rho0 * 1.25e5 * Math.sqrt(1 - ((0.8 - 0.3) / 0.7) ** 2));
    close(still(0.8e5), -C * rho0 * 1e5 * Math.sqrt(1 - ((0.8 - 0.3) / 0.7) ** 2));
    close(still(1.00002e5) / still(1.00001e5), 2, 4);
  });
  test('an emptied volume comes to rest at the pressure around', () => {
    const r = run(
      'Pneumatic.Volume v(p(start = 5e5, fixed = true)); Pneumatic.Orifice o(C = 1e-8); Pneumatic.Ambient air(p = 1e5); equation connect(v.port, o.a); connect(o.b, air.port);',
      10,
    );
    close(r.last('v.p'), 1e5, 5);
  });
  test('a valve lets through its share; a source of flow raises the pressure evenly', () => {
    const through = (u: number): number =>
      run(
        `Pneumatic.PressureSource s(p = 5e5); Pneumatic.Valve o(C = 1e-8, u = ${u}); Pneumatic.Ambient air(p = 1e5); equation connect(s.port, o.a); connect(o.b, air.port);`,
        1,
      ).last('o.m');
    close(through(0.25), through(1) / 4);
    expect(through(0)).toBeCloseTo(0, 12);
    close(
      run(
        'Pneumatic.FlowSource s(m = 1e-4); Pneumatic.Volume v(V = 2e-3, p(start = 1e5, fixed = true)); equation connect(s.port, v.port);',
        2,
      ).last('v.p'),
      1e5 + (2e-4 * Rs * T) / 2e-3,
    );
  });
  test('a closed cylinder is an isothermal spring', () => {
    // p (s + dead) stays; pushed in at a known speed
    const r = run(
      `Pneumatic.Cylinder c(A = 2e-3, dead = 0, p(start = 101325, fixed = true)); Translational.Fixed base; Translational.SpeedSource push(s(start = 0.1)); equation connect(base.a, c.a); connect(push.a, c.b); push.u = -0.01;`,
      5,
    );
    close(r.last('c.p'), (101325 * 0.1) / 0.05, 5);
    close(r.last('base.a.f'), -r.last('c.force'), 6);
    close(r.last('c.force'), (r.last('c.p') - 101325) * 2e-3, 9);
  });
});
