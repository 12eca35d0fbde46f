import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { documentationOf } from '../network/class-parts';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { simulateText, type TextRun } from '../testing/simulate-text';
import { componentPackages } from './packages';

/** Runs a model of library parts and looks at values at its end. */
const run = (body: string, stop: number, more: Parameters<typeof simulateText>[2] = {}): TextRun => {
  const r = simulateText(`model T ${body} end T;`, 'T', {
    stop,
    solver: 'auto',
    relative: 1e-9,
    absolute: 1e-12,
    recordEvery: stop / 100,
    ...more,
  });
  expect(r.simulation.problem).toBeUndefined();
  return r;
};
const expectEnd = (body: string, stop: number, values: Readonly<Record<string, number>>, digits = 6): TextRun => {
  const r = run(body, stop);
  for (const [name, value] of Object.entries(values))
    expect(r.last(name) / (Math.abs(value) || 1)).toBeCloseTo(Math.sign(value), digits);
  return r;
};

test('every part can be read, has a description, its equations and their source, and no problem of its own', () => {
  for (const [name, text] of componentPackages) {
    const parsed = parseFile(text);
    expect(parsed.problems).toEqual([]);
    for (const c of parsed.value[0].elements) {
      if (c.kind !== 'class' || c.partial || c.classKind !== 'model') continue;
      expect([c.name, c.description]).not.toEqual([c.name, '']);
      expect([c.name, documentationOf(c).length > 7]).toEqual([c.name, true]);
      const { model } = flatten(libraryOfFile(parseFile(`model T ${name}.${c.name} part; end T;`).value, 'x'), 'T');
      expect([c.name, ...model.problems.filter((p) => p.severity === 'error').map((p) => p.message)]).toEqual([c.name]);
    }
  }
});

test('what is bundled are the files beside it', () => {
  for (const [name, text] of componentPackages) expect(text).toBe(readFileSync(join(__dirname, `${name}.mo`), 'utf8'));
  expect([...componentPackages.keys()].map((name) => `${name}.mo`)).toEqual(
    readdirSync(__dirname)
      .filter((f) => f.endsWith('.mo'))
      .sort(),
  );
});

describe('electrical', () => {
  const ground = 'Electrical.Ground g;';
  test('source, resistor, capacitor, sensors: charging', () => {
    const r = expectEnd(
      `Electrical.VoltageSource s(V = 10); Electrical.Resistor R(R = 100); Electrical.Capacitor C(C = 1e-3, v(start = 0, fixed = true)); Electrical.VoltageSensor V; Electrical.CurrentSensor A; ${ground}
equation connect(s.p, A.p); connect(A.n, R.p); connect(R.n, C.p); connect(C.n, s.n); connect(s.n, g.p); connect(V.p, C.p); connect(V.n, C.n);`,
      0.2,
      { 'V.v': 10 * (1 - Math.exp(-2)), 'A.i': 0.1 * Math.exp(-2) },
    );
    expect(r.last('R.loss')).toBeCloseTo(100 * (0.1 * Math.exp(-2)) ** 2, 8);
  });
  test('inductor and coupled inductors: currents rise with their time constants', () => {
    expectEnd(
      `Electrical.VoltageSource s(V = 5); Electrical.Resistor R(R = 2); Electrical.Inductor L(L = 0.1, i(start = 0, fixed = true)); ${ground} equation connect(s.p, R.p); connect(R.n, L.p); connect(L.n, s.n); connect(s.n, g.p);`,
      0.05,
      { 'L.i': 2.5 * (1 - Math.exp(-1)) },
    );
    // the second winding open: v2 = M/L1 v1
    expectEnd(
      `Electrical.AlternatingVoltage s(V = 1, f = 10); Electrical.CoupledInductors k(L1 = 0.1, L2 = 0.4, M = 0.15, i1(fixed = true)); Electrical.Resistor open(R = 1e9); ${ground} equation connect(s.p, k.p1); connect(k.n1, s.n); connect(s.n, g.p); connect(k.p2, open.p); connect(open.n, k.n2); connect(k.n2, g.p);`,
      0.02,
      { 'k.v2': 1.5 * Math.sin(2 * Math.PI * 0.2) },
    );
  });
  test('transformer, current source, switch, diode', () => {
    expectEnd(
      `Electrical.VoltageSource s(V = 12); Electrical.Transformer t(n = 3); Electrical.Resistor R(R = 2); ${ground} equation connect(s.p, t.p1); connect(t.n1, s.n); connect(s.n, g.p); connect(t.p2, R.p); connect(R.n, t.n2); connect(t.n2, g.p);`,
      0.1,
      { 'R.v': 4, 't.i1': 2 / 3 },
    );
    const r = run(
      `Electrical.CurrentSource s(I = 2); Electrical.Switch k; Electrical.Resistor R(R = 10); ${ground} equation connect(s.p, R.p); connect(R.p, k.p); connect(R.n, s.n); connect(k.n, s.n); connect(s.n, g.p); k.closed = time > 0.5;`,
      1,
    );
    expect(Math.abs(r.at('R.i', 0.2))).toBeCloseTo(2, 3);
    expect(Math.abs(r.last('R.i'))).toBeLessThan(1e-5);
    const d = run(
      `Electrical.AlternatingVoltage s(V = 10, f = 1); Electrical.Diode d(knee = 0.7); Electrical.Resistor R(R = 5); ${ground} equation connect(s.p, d.p); connect(d.n, R.p); connect(R.n, s.n); connect(s.n, g.p);`,
      1,
    );
    expect(d.at('R.i', 0.25)).toBeCloseTo((10 - 0.7) / 5, 4);
    expect(Math.abs(d.at('R.i', 0.75))).toBeLessThan(2e-4);
  });
  test('motor: runs up to its no-load speed with its time constant', () => {
    // T = J R/k2
    const T = (1e-3 * 2) / 0.05 ** 2;
    expectEnd(
      `Electrical.VoltageSource s(V = 12); Electrical.Resistor R(R = 2); Electrical.Motor m(k = 0.05); Rotational.Inertia J(J = 1e-3, phi(fixed = true), w(fixed = true)); ${ground} equation connect(s.p, R.p); connect(R.n, m.p); connect(m.n, s.n); connect(s.n, g.p); connect(m.shaft, J.a);`,
      T,
      { 'J.w': (12 / 0.05) * (1 - Math.exp(-1)) },
    );
  });
  test('a resistor heats what it is in', () => {
    expectEnd(
      `Electrical.VoltageSource s(V = 10); Electrical.ResistorWithHeat R(R20 = 5); Thermal.Capacity C(C = 50, T(start = 300, fixed = true)); ${ground} equation connect(s.p, R.p); connect(R.n, s.n); connect(s.n, g.p); connect(R.heat, C.port);`,
      10,
      { 'C.T': 300 + (20 * 10) / 50 },
    );
  });
});

describe('translational', () => {
  test('mass, spring, damper: a damped oscillation', () => {
    const [m, c, d] = [2, 200, 4],
      delta = d / (2 * m),
      omega = Math.sqrt(c / m - delta ** 2);
    expectEnd(
      `Translational.Mass m(m = ${m}, s(start = 1, fixed = true), v(fixed = true)); Translational.Spring c(c = ${c}); Translational.Damper d(d = ${d}); Translational.Fixed w; equation connect(w.a, c.a); connect(c.b, m.a); connect(w.a, d.a); connect(d.b, m.a);`,
      1.3,
      {
        'm.s': Math.exp(-delta * 1.3) * (Math.cos(omega * 1.3) + (delta / omega) * Math.sin(omega * 1.3)),
      },
    );
  });
  test('force, sources of position and speed, sensors', () => {
    expectEnd(
      'Translational.Mass m(m = 2, s(fixed = true), v(fixed = true)); Translational.Force f; Translational.SpeedSensor v; equation connect(f.a, m.a); connect(v.a, m.b); f.u = 6;',
      2,
      { 'm.s': 6, 'v.v': 6 },
    );
    expectEnd(
      'Translational.Mass m(m = 2); Translational.PositionSource p; Translational.ForceSensor f; equation connect(p.a, f.a); connect(f.b, m.a); p.u = sin(3*time);',
      1,
      { 'f.f': -18 * Math.sin(3) },
    );
  });
  test('a stop stops: what hits it comes back with no more than it had, and it never pulls', () => {
    const r = run(
      'Translational.Mass m(m = 1, s(start = 0, fixed = true), v(start = 2, fixed = true)); Translational.Stop stop(low = -10, high = 1, c = 1e6, d = 0); equation connect(m.b, stop.a);',
      1,
      { recordEvery: 1e-4 },
    );
    const v = r.last('m.v');
    expect(v).toBeCloseTo(-2, 4);
    const f = r.recording.columns.find((c) => c.name === 'stop.f')!.values;
    expect(Math.max(...f)).toBeLessThanOrEqual(0);
    expect(Math.max(...r.recording.columns.find((c) => c.name === 'm.s')!.values)).toBeLessThan(1 + 2.1e-3);
  });
  test('friction on an incline at the sticking limit: sticks below without creeping, slides above by its closed form', () => {
    const limit = Math.atan(0.5);
    const below = run(
      `Translational.MassOnIncline b(mu = 0.5, angle = ${limit - 1e-6}, s(fixed = true), v(fixed = true));`,
      100,
    );
    expect(below.last('b.s')).toBe(0);
    expect(below.last('b.v')).toBe(0);
    const above = run(
      `Translational.MassOnIncline b(mu = 0.5, angle = ${limit + 1e-3}, s(fixed = true), v(fixed = true));`,
      10,
    );
    const a = 9.81 * (Math.sin(limit + 1e-3) - 0.5 * Math.cos(limit + 1e-3));
    expect(above.last('b.s') / (0.5 * a * 100)).toBeCloseTo(1, 6);
  });
  test('a sliding mass comes to rest where its energy is used up, and stays', () => {
    const r = run(
      'Translational.Mass m(m = 2, s(fixed = true), v(start = 3, fixed = true)); Translational.Friction k(Fc = 4); Translational.Fixed w; equation connect(w.a, k.one); connect(k.two, m.a);',
      5,
    );
    expect(r.last('m.s')).toBeCloseTo((0.5 * 2 * 9) / 4, 7);
    expect(Math.abs(r.last('m.v'))).toBeLessThan(1e-12);
    expect(r.last('k.locked')).toBe(1);
  });
});

describe('rotational', () => {
  test('two inertias on a spring swing against each other', () => {
    const omega = Math.sqrt(50 * (1 / 1 + 1 / 3));
    expectEnd(
      'Rotational.Inertia a(J = 1, phi(start = 0.1, fixed = true), w(fixed = true)), b(J = 3, phi(fixed = true), w(fixed = true)); Rotational.Spring c(c = 50); equation connect(a.b, c.a); connect(c.b, b.a);',
      0.7,
      { 'c.rel': -0.1 * Math.cos(omega * 0.7) },
    );
  });
  test('gears pass on speed and torque, with losses on the driven side', () => {
    expectEnd(
      'Rotational.Inertia a(J = 0.1, phi(fixed = true), w(fixed = true)), b(J = 5); Rotational.Gear n(ratio = 4); Rotational.Torque t; equation connect(t.a, a.a); connect(a.b, n.a); connect(n.b, b.a); t.u = 2;',
      1,
      { 'a.w': 2 / (0.1 + 5 / 16) },
    );
    // J1 a = t - m, J2 a/n = eta n m
    expectEnd(
      'Rotational.Inertia a(J = 0.1, phi(fixed = true), w(fixed = true)), b(J = 5); Rotational.GearWithLoss n(ratio = 4, eta = 0.8); Rotational.Torque t; equation connect(t.a, a.a); connect(a.b, n.a); connect(n.b, b.a); t.u = 2;',
      1,
      { 'a.w': 2 / (0.1 + 5 / 16 / 0.8) },
    );
    // the share is passed on against the flow of power too: b drives a
    expectEnd(
      'Rotational.Inertia a(J = 0.1, phi(fixed = true), w(fixed = true)), b(J = 5); Rotational.ShareGear n(ratio = 4, share = 0.8); Rotational.Torque t; equation connect(t.a, b.b); connect(a.b, n.a); connect(n.b, b.a); t.u = 2;',
      1,
      { 'a.w': (4 * 2) / (5 + 0.8 * 16 * 0.1) },
    );
    expectEnd(
      'Rotational.Inertia s(J = 0.1, phi(fixed = true), w(fixed = true)), c(J = 0.5); Rotational.Planetary p(r = 2.5); Rotational.Fixed f; Rotational.Torque t; equation connect(t.a, s.a); connect(s.b, p.sun); connect(p.ring, f.a); connect(p.carrier, c.a); t.u = 2;',
      1,
      { 's.w': 2 / (0.1 + 0.5 / 3.5 ** 2), 'c.w': 2 / (0.1 + 0.5 / 3.5 ** 2) / 3.5 },
    );
  });
  test('two coupled clutches slip and stick in the right order, at the right times', () => {
    // the third one is pressed from 1 s on; each clutch passes on its friction while it slips
    const r = run(
      `Rotational.Inertia a(J = 1, phi(fixed = true), w(start = 10, fixed = true)), b(J = 1, phi(fixed = true), w(start = 4, fixed = true)), c(J = 2, phi(fixed = true), w(fixed = true)); Rotational.Clutch k1(Tmax = 2), k2(Tmax = 1);
equation connect(a.b, k1.one); connect(k1.two, b.a); connect(b.b, k2.one); connect(k2.two, c.a); k1.press = 1; k2.press = 1;`,
      20,
      { recordEvery: 0.01 },
    );
    // a slows by 2, b gains 2 - 1, c gains 1/2: a and b meet after 6/3 s at 6
    expect(r.at('k1.locked', 1.95)).toBe(0);
    expect(r.at('k1.locked', 2.05)).toBe(1);
    expect(r.at('a.w', 2)).toBeCloseTo(6, 6);
    // together they slow by 1/2, c gains 1/2: 6 - 1 = 5 apart, met after 5 s more; all at 3.5
    expect(r.at('k2.locked', 6.95)).toBe(0);
    expect(r.at('k2.locked', 7.05)).toBe(1);
    for (const w of ['a.w', 'b.w', 'c.w']) expect(r.last(w)).toBeCloseTo((10 + 4) / 4, 6);
    expect(r.simulation.counts.events).toBeLessThan(30);
  });
  test('bearing friction holds below its breakaway torque; a brake stops and holds', () => {
    const held = run(
      'Rotational.Inertia J(J = 1, phi(fixed = true), w(fixed = true)); Rotational.Bearing f(Tc = 1, peak = 1.5); Rotational.Torque t; equation connect(t.a, J.a); connect(J.b, f.shaft); t.u = time;',
      3,
    );
    expect(held.at('J.w', 1.45)).toBe(0);
    // free from 1.5 s on: dw/dt = t - 1
    expect(held.last('J.w')).toBeCloseTo((3 ** 2 - 1.5 ** 2) / 2 - 1.5, 6);
    const braked = run(
      'Rotational.Inertia J(J = 2, phi(fixed = true), w(start = 6, fixed = true)); Rotational.Brake k(Tmax = 4); equation connect(J.b, k.shaft); k.press = if time < 1 then 0 else 1;',
      6,
    );
    expect(braked.last('J.phi')).toBeCloseTo(6 + (0.5 * 2 * 36) / 4, 6);
    expect(Math.abs(braked.last('J.w'))).toBeLessThan(1e-12);
  });
});

describe('thermal and hydraulic', () => {
  test('capacity, conductor, convection, radiation', () => {
    expectEnd(
      'Thermal.Capacity C(C = 100, T(start = 350, fixed = true)); Thermal.Conductor G(G = 2); Thermal.ConstantTemperature w(T = 300); equation connect(C.port, G.a); connect(G.b, w.port);',
      50,
      { 'C.T': 300 + 50 * Math.exp(-1) },
    );
    expectEnd(
      'Thermal.Capacity C(C = 100, T(start = 350, fixed = true)); Thermal.Convection k(A = 0.1); Thermal.ConstantTemperature w(T = 300); equation connect(C.port, k.a); connect(k.b, w.port); k.h = 20;',
      50,
      { 'C.T': 300 + 50 * Math.exp(-1) },
    );
    // into the cold: T^-3 grows by 3 sigma A t/C
    expectEnd(
      'Thermal.Capacity C(C = 10, T(start = 500, fixed = true)); Thermal.Radiation r(A = 0.5); Thermal.ConstantTemperature w(T = 1e-3); equation connect(C.port, r.a); connect(r.b, w.port);',
      20,
      { 'C.T': (500 ** -3 + (3 * 5.670374419e-8 * 0.5 * 20) / 10) ** (-1 / 3) },
    );
  });
  test('a tank runs out through a pipe and through an orifice; a valve shuts', () => {
    const k = (128 * 1e-3 * 2) / (Math.PI * 0.01 ** 4);
    expectEnd(
      'Hydraulic.Tank t(A = 0.01, h(start = 1, fixed = true)); Hydraulic.Pipe p(L = 2, d = 0.01); Hydraulic.Ambient air; equation connect(t.port, p.a); connect(p.b, air.port);',
      2,
      { 't.h': Math.exp((-9810 / k / 0.01) * 2) },
    );
    const c = (0.7 * 1e-4 * Math.sqrt(2 * 9.81)) / 0.05;
    expectEnd(
      'Hydraulic.Tank t(A = 0.05, h(start = 1, fixed = true)); Hydraulic.Valve v(A = 1e-4); Hydraulic.Ambient air; equation connect(t.port, v.a); connect(v.b, air.port); v.opening = if time < 60 then 1 else 0;',
      100,
      { 't.h': (1 - (c * 60) / 2) ** 2 },
    );
  });
  test('two tanks come to the same level and keep their liquid; a check valve lets none back; a pump delivers its volume', () => {
    const r = run(
      'Hydraulic.Tank a(A = 0.02, h(start = 2, fixed = true)), b(A = 0.01, h(start = 0.5, fixed = true)); Hydraulic.Orifice o(A = 1e-4); equation connect(a.port, o.a); connect(o.b, b.port);',
      400,
      { solver: 'auto' },
    );
    expect(r.last('a.h')).toBeCloseTo(1.5, 6);
    expect(0.02 * r.last('a.h') + 0.01 * r.last('b.h')).toBeCloseTo(0.045, 9);
    const back = run(
      'Hydraulic.Tank a(A = 0.02, h(start = 1, fixed = true)), b(A = 0.01, h(start = 2, fixed = true)); Hydraulic.CheckValve o; equation connect(a.port, o.a); connect(o.b, b.port);',
      10,
    );
    expect(back.last('b.h')).toBeCloseTo(2, 6);
    expectEnd(
      'Hydraulic.Tank a(A = 0.1, h(start = 1, fixed = true)), b(A = 0.1, h(start = 0, fixed = true)); Hydraulic.Pump p(volume = 1e-4); Rotational.SpeedSource w; equation connect(w.a, p.shaft); connect(a.port, p.a); connect(p.b, b.port); w.u = 2*3.141592653589793;',
      10,
      { 'b.h': (1e-4 * 10) / 0.1 },
    );
  });
});

describe('rigid bodies', () => {
  test('a planar pendulum swings like one; a four-bar closes and keeps its energy', () => {
    const swing = run(
      'Planar.Ground w; Planar.Revolute j(phi(start = -0.5, fixed = true), w(fixed = true)); Planar.Bar arm(dx = 2); Planar.Body m(m = 3, J = 0.4); equation connect(w.b, j.a); connect(j.b, arm.a); connect(arm.b, m.a); j.drive = 0;',
      2,
    );
    const plain = run(
      'Real phi(start = -0.5, fixed = true), v(start = 0, fixed = true); equation der(phi) = v; (3*4 + 0.4)*der(v) = -3*9.81*2*cos(phi);',
      2,
    );
    expect(swing.last('j.phi')).toBeCloseTo(plain.last('phi'), 6);
    const bars = run(
      `Planar.Ground w; Planar.Revolute j1(phi(start = 1, fixed = true), w(start = 2, fixed = true)), j2(phi(start = -1)), j3(phi(start = -1)), j4; Planar.Bar c(dx = 1), l(dx = 2), r(dx = 1.5), base(dx = 2); Planar.Body m(m = 1, J = 0.1, g = 0), n(m = 2, J = 0.2, g = 0);
Real energy = 0.5*(1*(m.vx^2 + m.vy^2) + 0.1*m.w^2 + 2*(n.vx^2 + n.vy^2) + 0.2*n.w^2);
equation connect(w.b, j1.a); connect(j1.b, c.a); connect(c.b, j2.a); connect(j2.b, l.a); connect(l.b, j3.a); connect(j3.b, r.a); connect(r.b, j4.a); connect(w.b, base.a); connect(j4.b, base.b); connect(c.b, m.a); connect(l.b, n.a); j1.drive = 0; j2.drive = 0; j3.drive = 0; j4.drive = 0;`,
      3,
    );
    expect(bars.last('energy') / bars.at('energy', 0)).toBeCloseTo(1, 6);
  });
  test('a body in space turns about its hinge with the inertia of its shape', () => {
    // a box of length 1 on a hinge at its end: J = m (L2 + b2)/12 + m (L/2)2
    const m = 2700 * 1 * 0.1 * 0.1,
      J = (m * (1 + 0.01)) / 12 + m / 4;
    const r = run(
      'Spatial.Ground w; Spatial.Revolute j(n = {0, 0, 1}, phi(fixed = true), w(fixed = true)); Spatial.Arm d(d = {0.5, 0, 0}); Spatial.BoxBody b(size = {1, 0.1, 0.1}, density = 2700, g = {0, 0, 0}); equation connect(w.b, j.a); connect(j.b, d.a); connect(d.b, b.a); j.drive = 3;',
      2,
    );
    expect(r.last('j.w')).toBeCloseTo((3 / J) * 2, 6);
  });
  test('a slide in space: a mass on an inclined axis falls by its share of gravity', () => {
    const r = run(
      'Spatial.Ground w; Spatial.Prismatic p(n = {0.6, 0.8, 0}, s(fixed = true), v(fixed = true)); Spatial.CylinderBody b; equation connect(w.b, p.a); connect(p.b, b.a); p.drive = 0;',
      1,
    );
    expect(r.last('p.s')).toBeCloseTo(-0.5 * 9.81 * 0.8, 6);
  });
});
