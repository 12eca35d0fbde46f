import { simulateText } from '../testing/simulate-text';

/** Parts that are not in components.test.ts, each against a closed form. */
const ends = (body: string, stop: number, values: Readonly<Record<string, number>>): void => {
  const r = simulateText(`model T ${body} end T;`, 'T', {
    stop,
    solver: 'auto',
    relative: 1e-9,
    absolute: 1e-12,
    recordEvery: stop / 50,
  });
  expect(r.simulation.problem).toBeUndefined();
  for (const [name, value] of Object.entries(values))
    expect([name, r.last(name) / (Math.abs(value) || 1)]).toEqual([
      name,
      expect.closeTo(value === 0 ? 0 : Math.sign(value), 6),
    ]);
};
const e = Math.exp,
  wave = Math.sin;

type Row = readonly [what: string, body: string, stop: number, values: Readonly<Record<string, number>>];

const electrical: readonly Row[] = [
  [
    'a voltage from an input',
    'Electrical.DrivenVoltage s; Electrical.Resistor R(R = 4); Electrical.Ground g; equation s.u = 3*time; connect(s.p, R.p); connect(R.n, s.n); connect(s.n, g.p);',
    2,
    { 'R.i': 1.5, 'R.loss': 9 },
  ],
  // from n to p outside the source, so into the upper end of the capacitor
  [
    'a current from an input: v = integral of i over C',
    'Electrical.DrivenCurrent s; Electrical.Capacitor C(C = 0.01, v(start = 0, fixed = true)); Electrical.Ground g; equation s.u = -2*time; connect(s.p, C.p); connect(C.n, s.n); connect(s.n, g.p);',
    0.5,
    { 'C.v': 0.25 / 0.01 },
  ],
];
const translational: readonly Row[] = [
  [
    'spring and damper in one, at the aperiodic limit',
    'Translational.Mass m(m = 1, s(start = 1, fixed = true), v(fixed = true)); Translational.SpringDamper k(c = 9, d = 6); Translational.Fixed w; equation connect(w.a, k.a); connect(k.b, m.a);',
    0.7,
    { 'm.s': (1 + 3 * 0.7) * e(-2.1) },
  ],
  [
    'a damper between mass and wall',
    'Translational.Mass m(m = 2, s(fixed = true), v(start = 5, fixed = true)); Translational.Damper d(d = 3); Translational.Fixed w; equation connect(w.a, d.a); connect(d.b, m.a);',
    1,
    { 'm.v': 5 * e(-1.5), 'd.loss': 3 * 25 * e(-3) },
  ],
  [
    'a speed from an input, and where it is',
    'Translational.SpeedSource s; Translational.PositionSensor p; Translational.Mass m(m = 3); Translational.ForceSensor f; equation s.u = time^2; connect(s.a, p.a); connect(s.a, f.a); connect(f.b, m.a);',
    2,
    { 'p.s': 8 / 3, 'f.f': 3 * 2 * 2 },
  ],
];
const rotational: readonly Row[] = [
  [
    'spring and damper in one, at the aperiodic limit',
    'Rotational.Inertia J(J = 1, phi(start = 1, fixed = true), w(fixed = true)); Rotational.SpringDamper k(c = 4, d = 4); Rotational.Fixed w; equation connect(w.a, k.a); connect(k.b, J.a);',
    0.9,
    { 'J.phi': (1 + 2 * 0.9) * e(-1.8) },
  ],
  [
    'a damper brings an inertia to rest',
    'Rotational.Inertia J(J = 2, phi(fixed = true), w(start = 5, fixed = true)); Rotational.Damper d(d = 3); Rotational.Fixed w; equation connect(w.a, d.a); connect(d.b, J.a);',
    1,
    { 'J.w': 5 * e(-1.5) },
  ],
  [
    'an angle from an input, with its sensors',
    'Rotational.AngleSource s; Rotational.AngleSensor a; Rotational.SpeedSensor v; Rotational.TorqueSensor t; Rotational.Inertia J(J = 0.5); equation s.u = sin(3*time); connect(s.a, t.a); connect(t.b, J.a); connect(J.b, a.a); connect(J.b, v.a);',
    1,
    { 'a.phi': wave(3), 'v.w': 3 * Math.cos(3), 't.tau': -0.5 * 9 * wave(3) },
  ],
];
const thermal: readonly Row[] = [
  [
    'a heat source and a capacity: T grows by Q t/C',
    'Thermal.HeatSource s; Thermal.Capacity C(C = 40, T(start = 300, fixed = true)); Thermal.TemperatureSensor t; equation s.u = 8; connect(s.port, C.port); connect(C.port, t.port);',
    10,
    { 't.T': 302, 'C.port.Q': 8 },
  ],
  [
    'a temperature from an input through a resistor, and its heat flow',
    'Thermal.DrivenTemperature a, b; Thermal.HeatFlowSensor q; Thermal.Resistor R(R = 2.5); equation a.u = 300 + 10*time; b.u = 290; connect(a.port, q.a); connect(q.b, R.a); connect(R.b, b.port);',
    3,
    { 'q.Q': 40 / 2.5, 'R.Q': 40 / 2.5 },
  ],
];
const hydraulic: readonly Row[] = [
  [
    'a pressure moves the liquid of a pipe: dq/dt = A p/(rho L)',
    'Hydraulic.PressureSource s; Hydraulic.Inertance L(L = 4, A = 1e-3, rho = 800, q(start = 0, fixed = true)); Hydraulic.Ambient air; Hydraulic.FlowSensor q; equation s.u = 6400; connect(s.port, q.a); connect(q.b, L.a); connect(L.b, air.port);',
    2,
    { 'q.q': (6400 * 1e-3 * 2) / (800 * 4) },
  ],
  [
    'a flow fills a compressible volume: p = q t/C',
    'Hydraulic.FlowSource s; Hydraulic.Accumulator C(C = 2e-9, p(start = 0, fixed = true)); Hydraulic.PressureSensor p; equation s.u = 1e-5; connect(s.port, C.port); connect(C.port, p.port);',
    3,
    { 'p.p': (1e-5 * 3) / 2e-9 },
  ],
];
const root = Math.sqrt(200 / 2);
const bodies: readonly Row[] = [
  [
    'Planar: a slide down a slope falls by its share of gravity',
    'Planar.Ground w; Planar.Prismatic p(ex = 0.6, ey = -0.8, s(fixed = true), v(fixed = true)); Planar.Body b(m = 3); equation connect(w.b, p.a); connect(p.b, b.a); p.drive = 0;',
    1,
    { 'p.s': 0.5 * 9.81 * 0.8, 'p.b.y': -0.5 * 9.81 * 0.64 },
  ],
  [
    'Planar: a body on a line spring, along the line',
    'Planar.Ground w; Planar.Prismatic p(s(start = 1.5, fixed = true), v(fixed = true)); Planar.Body b(m = 2, g = 0); Planar.SpringDamper k(c = 200, d = 0, length = 1); equation connect(w.b, p.a); connect(p.b, b.a); connect(w.b, k.a); connect(k.b, b.a); p.drive = 0;',
    0.3,
    { 'p.s': 1 + 0.5 * Math.cos(root * 0.3), 'k.f': 200 * 0.5 * Math.cos(root * 0.3) },
  ],
  // the arm is turned up first: its end is at (cos a, sin a)
  [
    'Spatial: a fixed rotation turns what follows',
    'Spatial.Ground w; Spatial.Turn q(n = {0, 0, 1}, angle = 0.7); Spatial.Arm d(d = {2, 0, 0}); Spatial.PositionSensor s; equation connect(w.b, q.a); connect(q.b, d.a); connect(d.b, s.a);',
    0.1,
    { 's.r[1]': 2 * Math.cos(0.7), 's.r[2]': 2 * wave(0.7), 's.r[3]': 0 },
  ],
  [
    'Spatial: a body on a line spring, along the line',
    'Spatial.Ground w; Spatial.Prismatic p(n = {0, 0, 1}, s(start = 1.5, fixed = true), v(fixed = true)); Spatial.Body b(m = 2, g = {0, 0, 0}); Spatial.SpringDamper k(c = 200, d = 0, length = 1); equation connect(w.b, p.a); connect(p.b, b.a); connect(w.b, k.a); connect(k.b, b.a); p.drive = 0;',
    0.3,
    { 'p.s': 1 + 0.5 * Math.cos(root * 0.3) },
  ],
  [
    'Spatial: a cylinder turns about its axis with m r^2/2',
    'Spatial.Ground w; Spatial.Revolute j(n = {1, 0, 0}, phi(fixed = true), w(fixed = true)); Spatial.CylinderBody b(length = 0.5, radius = 0.1, density = 1000, g = {0, 0, 0}); equation connect(w.b, j.a); connect(j.b, b.a); j.drive = 2;',
    1,
    { 'j.w': 2 / ((1000 * Math.PI * 0.01 * 0.5 * 0.01) / 2) },
  ],
];

describe.each([
  ['electrical', electrical],
  ['translational', translational],
  ['rotational', rotational],
  ['thermal', thermal],
  ['hydraulic', hydraulic],
  ['bodies', bodies],
] as const)('%s', (_, rows) => {
  test.each(rows)('%s', (__, body, stop, values) => ends(body, stop, values));
});

test('shapes take no part: bodies with and without them move alike, and say where they are', () => {
  const swing = (shape: string): string =>
    `model T Planar.Ground w; Planar.Revolute j(phi(start = 0.3, fixed = true), w(fixed = true)); Planar.Bar arm(dx = 1); Planar.Body m; ${shape} equation connect(w.b, j.a); connect(j.b, arm.a); connect(arm.b, m.a); j.drive = 0; end T;`;
  const with_ = simulateText(swing('Shapes.Sphere ball(radius = 0.1, r = {m.a.x, m.a.y, 0});'), 'T', { stop: 1 });
  const without = simulateText(swing(''), 'T', { stop: 1 });
  expect(with_.last('j.phi')).toBe(without.last('j.phi'));
  const { model } = with_.program.solvable;
  expect(model.parts.filter((p) => p.shape).map((p) => [p.name, p.shape])).toEqual([
    ['arm.look', 'Box'],
    ['ball', 'Sphere'],
  ]);
  expect(with_.recording.columns.some((c) => c.name.startsWith('ball'))).toBe(false);
});
