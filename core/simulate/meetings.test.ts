import { simulateText } from '../testing/simulate-text';

/** What happens where several parts of the computation meet. */

describe('physical ports of parts that have parts with ports', () => {
  const parts = `
    connector Port Real v; flow Real i; end Port;
    model Resistor Port a, b; parameter Real r = 1; equation a.i = (a.v - b.v)/r; a.i + b.i = 0; end Resistor;
    model Source Port p; equation p.v = 12; end Source;
    model Ground Port p; equation p.v = 0; end Ground;
    model Pair Port p, n; Resistor x(r = 1), y(r = 2); equation connect(p, x.a); connect(x.b, y.a); connect(y.b, n); end Pair;
    model Side Port p, n; Resistor x(r = 6), y(r = 3); equation connect(p, x.a); connect(p, y.a); connect(x.b, n); connect(y.b, n); end Side;
    model Both Port p, n; Pair one; Side two; Port between; equation connect(p, one.p); connect(one.n, between); connect(between, two.p); connect(two.n, n); end Both;`;

  test('a current into a port goes on into what is linked inside, through two levels, in series and side by side', () => {
    const r = simulateText(
      `${parts} model T Source s; Both b; Resistor along(r = 4); Ground g;
       equation connect(s.p, b.p); connect(b.n, g.p); connect(s.p, along.a); connect(along.b, g.p); end T;`,
      'T',
    );
    // 1 + 2 in series with 6 beside 3, that is 5 in all; 4 along
    const inner = 12 / 5;
    for (const [name, value] of [
      ['b.p.i', inner],
      ['b.n.i', -inner],
      ['b.one.p.i', inner],
      ['b.one.y.a.i', inner],
      ['b.one.n.i', -inner],
      ['b.two.p.i', inner],
      ['b.two.x.a.i', inner / 3],
      ['b.two.y.a.i', (2 * inner) / 3],
      ['s.p.i', -inner - 3],
      ['g.p.i', inner + 3],
      ['b.between.v', 2 * inner],
    ] as const)
      expect([name, r.last(name)]).toEqual([name, expect.closeTo(value, 10)]);
  });

  test('a port that nothing is linked to inside its part carries what comes from outside on to nowhere', () => {
    const r = simulateText(
      `${parts} model Open Port p; Resistor x; equation connect(p, x.a); end Open;
       model T Source s; Open o; equation connect(s.p, o.p); end T;`,
      'T',
    );
    expect(r.last('o.p.i')).toBeCloseTo(0, 12);
    expect(r.last('o.x.b.v')).toBeCloseTo(12, 12);
  });
});

describe('one instant', () => {
  test('what follows from what has just changed is carried on until nothing changes any more', () => {
    const r = simulateText(
      `model T Boolean a, b, c, d; discrete Real t(start = 0); Integer n(start = 0);
       equation a = time >= 0.5; b = pre(a); c = pre(b); d = pre(c);
       when d then t = time; n = pre(n) + 1; end when; end T;`,
      'T',
    );
    expect(r.last('t')).toBe(0.5);
    expect(r.last('n')).toBe(1);
    const rows = [...r.recording.time].flatMap((t, k) => (t === 0.5 ? [k] : []));
    const d = r.recording.columns.find((c) => c.name === 'd')!.values;
    expect(rows.map((k) => d[k])).toEqual([0, 1]);
  });
  test('a restart that lets another condition rise leads on to the next restart', () => {
    const r = simulateText(
      `model T Real x(start = 0, fixed = true), y(start = 0, fixed = true), z(start = 0, fixed = true);
       equation der(x) = 1; der(y) = 0; der(z) = 0;
       when x >= 0.25 then reinit(y, 5); end when; when y > 4 then reinit(z, y + 2); end when; end T;`,
      'T',
    );
    expect(r.at('y', 0.24)).toBe(0);
    expect(r.at('z', 0.26)).toBe(7);
    expect(r.simulation.counts.events).toBe(1);
  });
});

describe('a crossing that comes back before the step is over', () => {
  // steps of 1 through a sine that every method follows exactly: it is above the limit for a small part of a step only
  const text = (
    width: number,
  ): string => `model T Real p(start = 0, fixed = true), x; Integer n(start = 0), m(start = 0);
    equation der(p) = 1; x = sin(p); when x > ${Math.cos(width / 2)} then n = pre(n) + 1; end when;
    when x < ${-Math.cos(width / 2)} then m = pre(m) + 1; end when; end T;`;
  test.each(
    (['dopri5', 'implicit', 'auto', 'rk4', 'euler', 'implicit-euler'] as const).flatMap((solver) =>
      [0.2, 0.04, 0.0028].map((width) => [solver, width] as const),
    ),
  )('is seen by %s where it lasts %f of a step', (solver, width) => {
    // 16 positions of the peak within a step: 2 pi is no multiple of it
    const r = simulateText(text(width), 'T', { solver, stop: 100, step: 1, recordEvery: 1 });
    expect([r.last('n'), r.last('m')]).toEqual([16, 16]);
  });
});

describe('which quantities are states', () => {
  test('one that restarts is, also where another with a start is equal to it or a multiple of it', () => {
    const equal = simulateText(
      `model T Real first(start = 1, fixed = true), again; equation first = again; der(first) = -first;
       when time >= 0.5 then reinit(again, 4); end when; end T;`,
      'T',
      { relative: 1e-10 },
    );
    expect(equal.at('first', 0.4)).toBeCloseTo(Math.exp(-0.4), 4);
    expect(equal.last('first')).toBeCloseTo(4 * Math.exp(-0.5), 7);
    // two inertias on one shaft, of which the one without a start is set back
    const shaft = simulateText(
      `model T Real a(start = 1, fixed = true), b, t; equation b = a/3; 2*der(a) = -t - a; 6*der(b) = 3*t;
       when time >= 0.5 then reinit(b, 2); end when; end T;`,
      'T',
      { relative: 1e-10 },
    );
    // 2 a' + a = -t, 2 a' = 3 t: so 2 a' = -3/4 a
    expect(shaft.last('a')).toBeCloseTo(6 * Math.exp(-0.375 * 0.5), 7);
    expect(shaft.program.solvable.states.map((k) => shaft.program.solvable.model.variables[k].name)).toEqual(['b']);
  });
  test('stateSelect decides before names and starts do', () => {
    const states = (select: string): string[] => {
      const r = simulateText(
        `model T Real a(start = 1, fixed = true), b(stateSelect = StateSelect.${select}), t;
         equation a = 3*b; 2*der(a) = -t - a; 6*der(b) = 3*t; end T;`,
        'T',
      );
      expect(r.last('a')).toBeCloseTo(Math.exp(-0.375), 6);
      return r.program.solvable.states.map((k) => r.program.solvable.model.variables[k].name);
    };
    expect(states('prefer')).toEqual(['b']);
    expect(states('avoid')).toEqual(['a']);
  });
});
