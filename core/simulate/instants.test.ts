import fc from 'fast-check';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { defaults } from '../testing/simulate-text';
import { compile } from './compile';
import { createSimulation, type RecordedRowKind, type SimulationOptions } from './simulation';

/** What happens at single moments: rows as an observer is told them, events and what follows from them. */

interface Row {
  readonly time: number;
  readonly kind: RecordedRowKind;
  readonly values: Float64Array;
}

function watch(text: string, options: (number: (name: string) => number) => Partial<SimulationOptions> = () => ({})) {
  const parsed = parseFile(text);
  if (parsed.problems.length > 0) throw new Error(parsed.problems[0].message);
  const { program, problems } = compile(
    flatten(libraryOfFile(parsed.value, 'text'), /model (\w+)\b(?![\s\S]*\nmodel )/.exec(text)![1]).model,
  );
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  const { variables } = program.solvable.model;
  const number = (name: string): number => {
    const k = variables.findIndex((v) => v.name === name);
    if (k < 0) throw new Error(`no quantity ${name}`);
    return k;
  };
  const rows: Row[] = [];
  const simulation = createSimulation(
    program,
    { ...defaults, ...options(number) },
    {
      row: (time, values, kind) => void rows.push({ time, kind, values: values.slice() }),
      message: () => undefined,
      transition: () => undefined,
    },
  );
  const value = (name: string, row: Row): number => {
    const k = number(name);
    const alias = program.solvable.aliases.get(k);
    return alias ? alias.sign * row.values[alias.index] : row.values[k];
  };
  return {
    simulation,
    rows,
    number,
    last: (name: string): number => value(name, rows[rows.length - 1]),
    of: (name: string, ...kinds: RecordedRowKind[]): (readonly [number, number])[] =>
      rows.filter((r) => kinds.length === 0 || kinds.includes(r.kind)).map((r) => [r.time, value(name, r)] as const),
    end(): void {
      simulation.advance(Infinity);
      if (simulation.problem) throw new Error(simulation.problem.message);
    },
  };
}

describe('rows', () => {
  const text = (at: readonly number[]): string => `model M
    Real x(start = 0, fixed = true); discrete Real n(start = 0);
  equation
    der(x) = 1 + cos(3*time);
    when {${at.map((t) => `time >= ${t}`).join(', ')}} then n = pre(n) + 1; end when;
  end M;`;

  test('come in the order of time: each place of the grid once, events in pairs, both ends', () => {
    fc.assert(
      fc.property(
        fc
          .uniqueArray(fc.integer({ min: 10, max: 1900 }), { minLength: 1, maxLength: 6 })
          .map((all) => all.map((t) => t / 1000)),
        fc.constantFrom(0.05, 0.1, 0.3, 5),
        fc.constantFrom(1, 1.3, 2),
        fc.constantFrom('dopri5' as const, 'rk4' as const, 'implicit' as const, 'auto' as const),
        (at, recordEvery, stop, solver) => {
          const m = watch(text(at), () => ({ stop, recordEvery, solver, step: 0.01 }));
          m.end();
          const times = m.rows.map((r) => r.time);
          times.forEach((t, k) => k > 0 && expect(t).toBeGreaterThanOrEqual(times[k - 1]));
          expect(times[0]).toBe(0);
          expect(times[times.length - 1]).toBe(stop);
          const grid = m.rows.filter((r) => r.kind === 'sample').map((r) => r.time);
          expect(new Set(grid).size).toBe(grid.length);
          for (let k = 0; k * recordEvery < stop; k++)
            expect(times.some((t) => Math.abs(t - k * recordEvery) < 1e-12)).toBe(true);
          m.rows.forEach((r, k) => {
            if (r.kind === 'before-event') expect(m.rows[k + 1]).toMatchObject({ time: r.time, kind: 'after-event' });
            if (r.kind === 'after-event') expect(m.rows[k - 1]).toMatchObject({ time: r.time, kind: 'before-event' });
          });
          const inside = at.filter((t) => t <= stop).sort((a, b) => a - b);
          const before = m.of('n', 'before-event');
          const after = m.of('n', 'after-event');
          expect(after).toHaveLength(inside.length);
          inside.forEach((t, k) => {
            expect(Math.abs(after[k][0] - t)).toBeLessThan(1e-12);
            expect([before[k][1], after[k][1]]).toEqual([k, k + 1]);
          });
          for (const [t, x] of m.of('x')) expect(x).toBeCloseTo(t + Math.sin(3 * t) / 3, 4);
        },
      ),
      { numRuns: 60 },
    );
  });

  test('an event at a place of the grid does not take its row away, nor give it twice', () => {
    const m = watch(text([0.5]), () => ({ stop: 1, recordEvery: 0.25 }));
    m.end();
    expect(m.rows.filter((r) => r.time === 0.5).map((r) => r.kind)).toEqual(['before-event', 'after-event']);
    expect(m.rows.filter((r) => r.time === 0.75).map((r) => r.kind)).toEqual(['sample']);
  });

  test('asked for in pieces, the same rows come as in one go', () => {
    const whole = watch(text([0.3, 0.71]));
    whole.end();
    const pieces = watch(text([0.3, 0.71]));
    for (let t = 0; t < 1.2; t += 0.013) pieces.simulation.advance(t);
    expect(pieces.rows).toEqual(whole.rows);
    expect(pieces.simulation.status).toBe('finished');
  });

  test('one event at a time, and not beyond what is allowed', () => {
    const m = watch(text([0.3, 0.71]));
    m.simulation.advance(Infinity, true);
    expect(m.simulation.time).toBeCloseTo(0.3, 12);
    expect(m.last('n')).toBe(1);
    m.simulation.advance(Infinity, true);
    expect(m.simulation.time).toBeCloseTo(0.71, 12);
    let steps = 2;
    m.simulation.advance(Infinity, false, () => steps-- > 0);
    expect(m.simulation.status).toBe('running');
    m.simulation.advance(Infinity);
    expect([m.simulation.status, m.simulation.time]).toEqual(['finished', 1]);
    const rows = m.rows.length;
    m.simulation.advance(Infinity);
    expect(m.rows).toHaveLength(rows);
  });
});

describe('one event', () => {
  test('what follows from what follows happens at the same instant, each once, from the values before', () => {
    const m = watch(`model M
      discrete Real a(start = 0), b(start = 0), c(start = 0), seen(start = -1);
    equation
      when time >= 0.4 then a = pre(a) + 1; end when;
      when a > 0.5 then b = pre(b) + 10; seen = pre(a); end when;
      when b > 5 then c = pre(c) + 100; end when;
    end M;`);
    m.end();
    expect(['a', 'b', 'c'].map(m.last)).toEqual([1, 10, 100]);
    expect(m.simulation.counts.events).toBe(1);
    expect(m.of('c', 'before-event').map(([, c]) => c)).toEqual([0]);
    // all of it happens at once: before it, a was still 0
    expect(m.last('seen')).toBe(0);
  });

  test('several states are set anew together, from values before; the others go on', () => {
    const m = watch(`model M
      Real x(start = 1), y(start = 2), z(start = 3);
    equation
      der(x) = 0; der(y) = 0; der(z) = 1;
      when time >= 0.5 then reinit(x, pre(y)); reinit(y, pre(x)); end when;
    end M;`);
    m.end();
    expect([m.last('x'), m.last('y')]).toEqual([2, 1]);
    expect(m.last('z')).toBeCloseTo(4, 9);
  });

  test('two conditions that rise at one instant are one event; a second instant right after is another', () => {
    const m = watch(`model M
      discrete Real a(start = 0), b(start = 0), c(start = 0);
    equation
      when time >= 0.5 then a = 1; end when;
      when 2*time >= 1 then b = 1; end when;
      when time >= 0.50000001 then c = 1; end when;
    end M;`);
    m.end();
    expect(m.simulation.counts.events).toBe(2);
    expect(m.of('b', 'after-event')[0][1]).toBe(1);
    expect(m.of('c', 'after-event').map(([, c]) => c)).toEqual([0, 1]);
  });

  test('conditions that keep switching each other are told instead of computed for ever', () => {
    const m = watch(`model M
      Boolean p(start = false), q(start = false);
    equation
      p = not pre(q) and time > 0.5; q = pre(p) or time < 0.2;
    end M;`);
    m.simulation.advance(Infinity);
    expect(m.simulation.problem).toMatchObject({ code: 'never-settles' });
    expect(m.simulation.problem!.message).toMatch(/conditions keep switching each other, at t = 0\.5 s$/);
  });

  test('a run that ends itself does so at that instant, with what it says, and no row after it', () => {
    const m = watch(`model M
      Real x(start = 0, fixed = true);
    equation
      der(x) = 1;
      when x >= 0.625 then terminate("full"); end when;
    end M;`);
    m.end();
    expect(m.simulation.status).toBe('finished');
    expect(m.simulation.time).toBeCloseTo(0.625, 9);
    expect(m.rows[m.rows.length - 1]).toMatchObject({ time: m.simulation.time, kind: 'after-event' });
    expect(m.simulation.warnings.map((w) => [w.severity, w.code, w.message])).toEqual([
      ['info', 'ended', 'Ended itself: full, at t = 0.625 s'],
    ]);
  });
});

describe('assertions', () => {
  const guarded = (level: string): string => `model M
    Real x(start = 0, fixed = true);
  equation
    der(x) = 2;
    assert(x < 1.01, "too far"${level});
  end M;`;

  test('one that fails ends the run at the row it was seen, and says where it stands', () => {
    const m = watch(guarded(''));
    m.simulation.advance(Infinity);
    expect(m.simulation.status).toBe('failed');
    expect(m.simulation.problem).toMatchObject({ code: 'assertion', severity: 'error' });
    expect(m.simulation.problem!.message).toMatch(/^too far \(assert in M\), at t = 0\.5/);
    expect(m.simulation.time).toBeGreaterThanOrEqual(0.505);
    expect(m.simulation.time).toBeLessThan(0.52);
  });

  test('one that warns is told once, and the run goes to its end', () => {
    const m = watch(guarded(', AssertionLevel.warning'));
    m.end();
    expect(m.simulation.time).toBe(1);
    expect(m.simulation.warnings.map((w) => w.severity)).toEqual(['warning']);
    expect(m.simulation.warnings[0].message).toMatch(/^too far, at t = 0\.5/);
  });
});

describe('from outside', () => {
  const model = `model M
    parameter Real k = 1; parameter Real twice = 2*k; parameter Integer n = 2;
    Real x(start = 1), y, c[n]; input Real u(start = 0);
  equation
    der(x) = -twice*x; y = x + u; c = {j*u for j in 1:n};
  end M;`;

  test('a parameter and what follows from it change at once, the solution goes on from where it is', () => {
    const m = watch(model);
    m.simulation.advance(0.25);
    const at = m.simulation.time;
    const reached = m.last('x');
    expect(reached).toBeCloseTo(Math.exp(-2 * at), 7);
    m.simulation.set(m.number('k'), 3);
    expect([m.last('k'), m.last('twice'), m.last('x')]).toEqual([3, 6, reached]);
    m.end();
    expect(m.last('x')).toBeCloseTo(reached * Math.exp(-6 * (1 - at)), 7);
  });

  test('an input keeps what it was given; a state goes on from it', () => {
    const m = watch(model, (number) => ({
      stimulus: [
        { time: 0.5, kind: 'set', variable: number('u'), value: 7 },
        { time: 0.75, kind: 'set', variable: number('x'), value: 10 },
      ],
    }));
    m.end();
    const rows = m.of('u');
    for (const [t, u] of rows.filter(([t]) => t !== 0.5)) expect(u).toBe(t < 0.5 ? 0 : 7);
    expect(m.of('x', 'after-event').map(([t]) => t)).toEqual([0.5, 0.75]);
    expect(m.of('x', 'after-event')[1][1]).toBe(10);
    expect(m.last('x')).toBeCloseTo(10 * Math.exp(-0.5), 7);
    expect(m.last('y')).toBeCloseTo(m.last('x') + 7, 12);
    expect(m.last('c[2]')).toBe(14);
  });

  test('what decides of what the model is made cannot be changed during a run, nor at its start', () => {
    const m = watch(model);
    m.simulation.advance(0.2);
    m.simulation.set(m.number('n'), 3);
    expect(m.simulation.problem).toMatchObject({ code: 'structural' });
    expect(m.simulation.problem!.message).toMatch(/^n decides what the model is made of/);
    const other = watch(model, (number) => ({ values: new Map([[number('n'), 3]]) }));
    other.simulation.advance(1);
    expect(other.simulation.problem).toMatchObject({ code: 'structural' });
    expect(other.rows).toHaveLength(0);
  });

  test('start values and parameters may be given before the run', () => {
    const m = watch(model, (number) => ({
      values: new Map([
        [number('k'), 0.5],
        [number('x'), 4],
      ]),
    }));
    m.end();
    expect(m.of('x')[0]).toEqual([0, 4]);
    expect(m.last('x')).toBeCloseTo(4 * Math.exp(-1), 7);
  });

  test('one that never rests is told with the moment', () => {
    const m = watch(model, (number) => ({
      driver: {
        nextTime: () => 0.5,
        look: (_, v) => [{ kind: 'set', variable: number('u'), value: v[number('u')] + 1 }],
      },
    }));
    m.simulation.advance(Infinity);
    expect(m.simulation.problem).toMatchObject({ code: 'chattering' });
  });

  test('it is asked after every event and at its own times, and what it does is done there', () => {
    const asked: number[] = [];
    const m = watch(model, (number) => ({
      stimulus: [{ time: 0.3, kind: 'set', variable: number('u'), value: 1 }],
      driver: {
        nextTime: () => [0.2, 0.6].find((t) => t > (asked[asked.length - 1] ?? -1)) ?? Infinity,
        look(time, v) {
          asked.push(time);
          return time === 0.6 && v[number('u')] === 1 ? [{ kind: 'set', variable: number('u'), value: 5 }] : [];
        },
      },
    }));
    m.end();
    expect([...new Set(asked)]).toEqual([0, 0.2, 0.3, 0.6]);
    expect(m.last('u')).toBe(5);
  });
});

describe('where a run stops', () => {
  const swing = `model M
    Real x(start = 0, fixed = true), v(start = 1, fixed = true); Boolean up, fast;
  equation
    der(x) = v; der(v) = -(2*3.141592653589793)^2*x; up = x > 0.1; fast = v > 0.5;
  end M;`;

  test('at each rise of a condition somebody waits for, not where it holds from the start', () => {
    const m = watch(swing, (number) => ({
      stop: 2.2,
      stopWhen: [
        { variable: number('up'), name: 'up' },
        { variable: number('fast'), name: 'fast' },
      ],
    }));
    const stops: (readonly [string, number])[] = [];
    for (let k = 0; k < 20 && m.simulation.status !== 'finished'; k++) {
      m.simulation.advance(Infinity);
      const hit = m.simulation.takeBreak();
      if (hit !== undefined) stops.push([hit, m.simulation.time]);
      expect(m.simulation.takeBreak()).toBeUndefined();
    }
    // x = sin(2 pi t)/(2 pi), v = cos(2 pi t)
    const first = Math.asin(0.2 * Math.PI) / (2 * Math.PI);
    expect(stops.map(([name]) => name)).toEqual(['up', 'fast', 'up', 'fast', 'up']);
    [first, 5 / 6, 1 + first, 11 / 6, 2 + first].forEach((t, k) => expect(stops[k][1]).toBeCloseTo(t, 6));
  });

  test('at the condition that ends it', () => {
    const m = watch(swing, (number) => ({ endWhen: number('up') }));
    m.end();
    expect(m.simulation.status).toBe('finished');
    expect(m.simulation.time).toBeCloseTo(Math.asin(0.2 * Math.PI) / (2 * Math.PI), 7);
  });
});

describe('past values', () => {
  test('a delayed quantity is the same course later, and its first value before that', () => {
    const m = watch(
      `model M
        Real level(start = 0, fixed = true), y, z;
      equation
        der(level) = cos(time); y = delay(level, 0.75); z = delay(3*level + 1, 0.2);
      end M;`,
      () => ({ stop: 4 }),
    );
    m.end();
    for (const [t, y] of m.of('y')) expect(y).toBeCloseTo(t < 0.75 ? 0 : Math.sin(t - 0.75), 7);
    for (const [t, z] of m.of('z')) expect(z).toBeCloseTo(t < 0.2 ? 1 : 3 * Math.sin(t - 0.2) + 1, 6);
  });

  test('an equation that feeds on its own past: growth by steps (Bellman and Cooke 1963, section 3.2)', () => {
    // x' = x(t - 1), x = 1 before 0: 1 + t, then 1 + t + (t - 1)^2/2, then + (t - 2)^3/6
    const m = watch('model M Real x(start = 1, fixed = true); equation der(x) = delay(x, 1); end M;', () => ({
      stop: 3,
    }));
    m.end();
    for (const [t, x] of m.of('x')) {
      const expected = 1 + t + Math.max(0, t - 1) ** 2 / 2 + Math.max(0, t - 2) ** 3 / 6;
      expect(x).toBeCloseTo(expected, 5);
    }
  });
});

test('a sample interval that is not positive is refused; one that starts after the end never comes', () => {
  const clock = (start: string, interval: string): string =>
    `model M parameter Real h = ${interval}; Integer n(start = 0); equation when sample(${start}, h) then n = pre(n) + 1; end when; end M;`;
  const bad = watch(clock('0', '0'));
  bad.simulation.advance(1);
  expect(bad.simulation.problem).toMatchObject({ code: 'sample' });
  expect(bad.simulation.problem!.message).toContain('must be positive, but it is 0');
  const late = watch(clock('2', '0.1'));
  late.end();
  expect(late.last('n')).toBe(0);
  const some = watch(clock('0.25', '0.25'));
  some.end();
  expect(some.last('n')).toBe(4);
});
