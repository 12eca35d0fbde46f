import fc from 'fast-check';
import type { Quantity } from '../project/project';
import {
  type Formula,
  anyKind,
  anyProgram,
  formula,
  kept,
  ranges,
  programWith as programOf,
  sheetOf,
} from '../testing/random-numbers';
import { hasCompiler, stepsInC, stepsInJs } from '../testing/step-bench';
import { stepProgramOf } from './controller';
import { keptOf, rangeOf, resolutionOf, storageOf, valueOf, type NumberKind, type Storage } from './number-kinds';
import { checkNumbers } from './check-numbers';
import type { StepExpr, StepInstruction, StepProgram } from './step-program';
import { visitAll } from './tidy';
import { writeC } from './write-c';
import { harnessColumns } from './write-harness';
import { createStep } from './write-js';
import { expectSame } from '../testing/same-values';

/** Numbers of fewer bits and with a fixed point: what is kept, what formulas between them come to, and what C makes of them. */

const compiler = ['gcc', 'clang'].find(hasCompiler);
const compiled = compiler ? test : test.skip;

const slotOf = (program: StepProgram, name: string, role: string): number =>
  program.slots.findIndex((s) => s.name === name && s.role === role);

describe('what is kept', () => {
  const storage = (kind: NumberKind, min: number, max: number): Storage => {
    const found = storageOf({ name: 'x', type: kind.startsWith('fixed') ? 'Real' : 'Integer', number: kind }, min, max);
    if (typeof found === 'string') throw new Error(found);
    return found;
  };
  test.each([
    ['fixed16', 0, 100, 9, false],
    ['fixed16', -40, 150, 7, true],
    ['fixed16', -1, 1, 14, true],
    ['fixed8', 0, 1, 7, false],
    ['fixed8', -3, 3, 5, true],
    ['fixed16', 0, 1e6, -4, false],
    ['fixed32', 0, 1, 30, true],
    ['fixed32', 0, 100, 23, true],
  ] as const)('%s from %d to %d has %d places', (kind, min, max, places, signed) => {
    expect(storage(kind, min, max)).toMatchObject({ places, signed });
    const [low, high] = rangeOf(storage(kind, min, max));
    expect(low <= min && high >= max).toBe(true);
    // one place more would not do
    const s = storage(kind, min, max);
    if (places < 30) expect(max * 2 ** (places + 1) > s.high || min * 2 ** (places + 1) < s.low).toBe(true);
  });
  test('to the nearest, halves away from 0, the last there is beyond, 0 for what is no number', () => {
    const s = storage('fixed8', -3, 3);
    expect([0.5, 0.51, -0.51, 1.5, -1.5, 2.49].map((x) => keptOf(x / 32, s))).toEqual([1, 1, -1, 2, -2, 2]);
    expect([99, -99, Infinity, -Infinity, NaN].map((x) => keptOf(x, s))).toEqual([127, -128, 127, -128, 0]);
    expect(Object.is(keptOf(-0.001, s), 0)).toBe(true);
    expect(valueOf(-128, s)).toBe(-4);
  });
  test.each([
    ['fixed16', 'Real', undefined, 3, /needs both limits/],
    ['fixed16', 'Real', 3, 3, /nothing between/],
    ['fixed16', 'Integer', 0, 3, /has no point/],
    ['int16', 'Real', 0, 3, /kept as float32 or with a fixed point/],
    ['uint8', 'Integer', -1, 200, /may be -1, but uint8 goes from 0 to 255/],
    ['uint8', 'Boolean', 0, 1, /true or false/],
  ] as const)('%s of %s is refused', (number, type, min, max, message) => {
    expect(storageOf({ name: 'x', type, number }, min, max)).toMatch(message);
  });
  test('where it is refused', () => {
    const project = sheetOf(
      [kept('u', 'input', 'fixed16', '0', ''), kept('y', 'output', 'usual', '', '')],
      ['y = delayBy(u)'],
    );
    const { program, problems } = stepProgramOf(project, project.types[0]);
    expect(program).toBeUndefined();
    expect(problems.map((p) => p.place)).toEqual(['type/t/quantity/u/number']);
  });
});

const inputsOf = (program: StepProgram, steps: number, seed: number): number[][] => {
  let state = seed;
  const random = (): number => {
    state = (Math.imul(state, 1664525) + 1013904223) | 0;
    return (state >>> 8) / 2 ** 24;
  };
  return Array.from({ length: steps }, (_, k) =>
    harnessColumns(program, ['input']).map((slot) => {
      const { storage, type } = program.slots[slot];
      const [low, high] = storage ? rangeOf(storage) : [-20, 20];
      if (type === 'i32') return Math.round(random() * 120);
      // beyond what it can be as well
      if (k % 17 === 3) return [NaN, 1e30, -1e30][k % 3];
      return Math.fround(low + (high - low) * (random() * 1.2 - 0.1));
    }),
  );
};

compiled(
  'C and JavaScript keep the same, whatever is kept how, and nothing overflows',
  () => {
    fc.assert(
      fc.property(anyProgram, fc.integer(), ({ f, quantities }, seed) => {
        const program = programOf(quantities, [`y = ${f.text}`, `s = delayBy(s) + 0.05 * (${f.text})`]);
        const inputs = inputsOf(program, 300, seed);
        expect(stepsInC(program, inputs, { compiler: compiler! })).toEqual(stepsInJs(program, inputs));
      }),
      { numRuns: Number(process.env.RUNS ?? 25) },
    );
  },
  240_000,
);

test('formulas of whole numbers come to what they mean, as near as their places allow', () => {
  let whole = 0;
  fc.assert(
    fc.property(formula, fc.constantFrom(['0', '1'], ['-1', '1'], ['-4', '4']), fc.integer(), (f, range, seed) => {
      const [min, max] = range as [string, string];
      const program = programOf(
        [
          kept('a', 'input', 'fixed16', min, max),
          kept('b', 'parameter', 'fixed16', '0', '2', '1.37'),
          kept('n', 'input', 'uint8', '0', '100'),
          kept('y', 'output', 'fixed32', '-400000', '400000'),
        ],
        [`y = ${f.text}`],
      );
      const y = slotOf(program, 'y', 'output');
      const part = slotOf(program, 'y', 'part');
      if (program.slots[part]?.float === undefined) whole++;
      const run = createStep(program);
      run.init();
      const b = run.read(slotOf(program, 'b', 'parameter'));
      for (const [a0, n] of inputsOf(program, 40, seed)) {
        const [ia, inn] = [slotOf(program, 'a', 'input'), slotOf(program, 'n', 'input')];
        run.write(ia, a0);
        run.write(inn, n);
        run.step();
        const at = { a: run.read(ia), b, n: run.read(inn) };
        const exact = f.at(at);
        const near = Math.min(400000, Math.max(-400000, exact));
        // where an order turns within what is rounded, both ways are right
        const ways = [-1e-3, 0, 1e-3].map((e) => f.at({ a: at.a + e, b: at.b + e, n: at.n }));
        const spread = Math.max(...ways) - Math.min(...ways);
        expect(Math.abs(run.read(y) - near)).toBeLessThan(0.01 + 2e-3 * Math.abs(exact) + 2 * spread);
      }
    }),
    { numRuns: 300 },
  );
  // not only by single precision
  expect(whole).toBeGreaterThan(150);
});

/** Part of a formula that is one of single precision. */
class NotWhole extends Error {}
const isWhole = (work: () => void): boolean => {
  try {
    work();
    return true;
  } catch (e) {
    if (e instanceof NotWhole) return false;
    throw e;
  }
};
/** Every whole number on the way to what is kept, by the values that slots keep. */
function onTheWay(e: StepExpr, kept: (slot: number) => number, note: (x: number) => void): number {
  const of = (x: StepExpr): number => onTheWay(x, kept, note);
  const found = ((): number => {
    switch (e.op) {
      case 'const':
        return e.value;
      case 'slot':
        return kept(e.slot);
      // an order between whole numbers that have no places of their own
      case 'toReal':
        return of(e.a);
      case 'add':
        return of(e.a) + of(e.b);
      case 'sub':
        return of(e.a) - of(e.b);
      case 'mul':
        return of(e.a) * of(e.b);
      case 'lt':
        return Number(of(e.a) < of(e.b));
      case 'le':
        return Number(of(e.a) <= of(e.b));
      case 'gt':
        return Number(of(e.a) > of(e.b));
      case 'ge':
        return Number(of(e.a) >= of(e.b));
      case 'choose':
        return of(e.c) !== 0 ? of(e.a) : of(e.b);
      case 'fn': {
        const [a, b] = e.args.map(of);
        if (e.name === 'scaled') {
          note(Math.abs(a) + b / 2);
          return Math.sign(a) * Math.floor((Math.abs(a) + b / 2) / b);
        }
        if (e.name === 'quotient') return b === 0 ? 0 : Math.trunc(a / b);
        return e.name === 'abs' ? Math.abs(a) : e.name === 'min' ? Math.min(a, b) : Math.max(a, b);
      }
      default:
        throw new NotWhole();
    }
  })();
  note(found);
  return found;
}

/** Looks at a formula at the corners of what can be kept; whether it was one of whole numbers. */
function looksRight(
  f: Formula,
  ra: readonly [string, string],
  rb: readonly [string, string],
  ka: NumberKind,
  kb: NumberKind,
): boolean {
  const program = programOf(
    [
      kept('a', 'input', ka, ...ra),
      kept('b', 'input', kb, ...rb),
      kept('n', 'input', 'uint16', '0', '60000'),
      kept('y', 'output', 'fixed32', '-2000', '2000'),
    ],
    [`y = ${f.text}`],
  );
  const sets: Extract<StepInstruction, { op: 'set' }>[] = [];
  for (const [k, r] of program.routines.entries())
    if (k !== program.init) visitAll(r.body, { set: (x) => void (x.isKept && sets.push(x)) });
  const main = sets.find((x) => program.slots[x.slot].name === 'y' && program.slots[x.slot].role === 'part');
  if (!main) return false;
  const slots = {
    a: slotOf(program, 'a', 'input'),
    b: slotOf(program, 'b', 'input'),
    n: slotOf(program, 'n', 'input'),
  };
  const largest = (slot: number): number => Math.max(...rangeOf(program.slots[slot].storage!).map((x) => Math.abs(x)));
  const corners = (slot: number): number[] => {
    const { low, high } = program.slots[slot].storage!;
    return [low, Math.round((2 * low + high) / 3), 0, 1, high - 1, high].filter((x) => x >= low);
  };
  for (const a of corners(slots.a))
    for (const b of corners(slots.b))
      for (const n of [0, 7, 65_535]) {
        const raw = new Map([
          [slots.a, a],
          [slots.b, b],
          [slots.n, n],
        ]);
        let most = 0;
        let got = 0;
        if (
          !isWhole(
            () =>
              (got = onTheWay(
                main.value,
                (slot) => raw.get(slot)!,
                (x) => (most = Math.max(most, Math.abs(x))),
              )),
          )
        )
          return false;
        expectSame(most <= 2147483647, true, () => [f.text, raw]);
        const s = program.slots[main.slot].storage!;
        const value = (slot: number): number => valueOf(raw.get(slot)!, program.slots[slot].storage!);
        const at = { a: value(slots.a), b: value(slots.b), n };
        const exact = f.at(at);
        if (Math.abs(exact) > 2000) continue;
        // as near as the size of what it is made of allows, but for ways that turn within that
        const size = f.size({ a: largest(slots.a), b: largest(slots.b), n: 65_535 });
        const near = 3e-4 * size + 4 * resolutionOf(s);
        const turned = [-1, 1].some(
          (way) => Math.abs(f.at({ a: at.a + way * near, b: at.b + way * near, n }) - exact) > 2 * near,
        );
        if (!turned) expectSame(Math.abs(got * resolutionOf(s) - exact) < near, true, () => [f.text, raw]);
      }
  return true;
}

test('nothing on the way leaves 32 bits, at any corner of what can be kept, and it is what it means', () => {
  let whole = 0;
  fc.assert(
    fc.property(formula, ranges, ranges, anyKind, anyKind, (f, ra, rb, ka, kb) => {
      fc.pre(ka !== 'usual' && kb !== 'usual');
      if (looksRight(f, ra, rb, ka, kb)) whole++;
    }),
    { numRuns: 400 },
  );
  expect(whole).toBeGreaterThan(80);
});
test.each<Formula>([
  { text: 'a * n', at: (x) => x.a * x.n, size: (x) => x.a * x.n },
  { text: 'a * b', at: (x) => x.a * x.b, size: (x) => x.a * x.b },
  { text: 'a * a * b', at: (x) => x.a ** 2 * x.b, size: (x) => x.a ** 2 * x.b },
  { text: '(a - b) * (a - b)', at: (x) => (x.a - x.b) ** 2, size: (x) => (x.a + x.b) ** 2 },
  { text: 'a * b - b * a * 0.7', at: (x) => 0.3 * x.a * x.b, size: (x) => 2 * x.a * x.b },
  { text: 'a / (b + 200)', at: (x) => x.a / (x.b + 200), size: (x) => x.a / 50 },
  { text: '3 / (b + 200)', at: (x) => 3 / (x.b + 200), size: () => 1 },
])('whole numbers in full: $text', (f) => {
  for (const k of ['fixed8', 'fixed16', 'fixed32'] as const)
    for (const r of [
      ['0', '1'],
      ['0', '100'],
      ['-40', '100'],
    ] as const)
      expect([k, r, looksRight(f, r, r, k, k)]).toEqual([k, r, true]);
});

test('orders are exact, wherever a number lies between two that can be kept', () => {
  for (const number of [0.3, -0.71, 0.25, 0, 3.9, 99])
    for (const op of ['<', '<=', '>', '>=']) {
      const program = programOf(
        [
          kept('u', 'input', 'fixed8', '-3', '3'),
          kept('y', 'output', 'uint8', '0', '1'),
          kept('z', 'output', 'uint8', '0', '1'),
        ],
        [`y = if u ${op} (${number}) then 1 else 0`, `z = if (${number}) ${op} u then 1 else 0`],
      );
      expect(writeC(program).source).not.toContain('(float)');
      const run = createStep(program);
      run.init();
      for (let k = -128; k < 128; k++) {
        const u = k / 32;
        run.write(slotOf(program, 'u', 'input'), u);
        run.step();
        const holds = (a: number, b: number): number =>
          Number(op === '<' ? a < b : op === '<=' ? a <= b : op === '>' ? a > b : a >= b);
        expect([
          number,
          op,
          u,
          run.read(slotOf(program, 'y', 'output')),
          run.read(slotOf(program, 'z', 'output')),
        ]).toEqual([number, op, u, holds(u, number), holds(number, u)]);
      }
    }
});

test('what is wrong with a number is told with the project', () => {
  const told = (quantities: readonly Quantity[], software = "0.01 's'"): readonly string[] => {
    const project = sheetOf(quantities, []);
    return checkNumbers({ ...project, types: project.types.map((t) => ({ ...t, software })) }).map(
      (p) => `${p.severity} ${p.place} ${p.message}`,
    );
  };
  expect(told([kept('u', 'input', 'fixed16', '0', '9'), kept('v', 'input', 'usual', '', '')])).toEqual([]);
  // a formula is worked out where the code is written
  expect(told([kept('u', 'input', 'fixed16', '0', '2*most')])).toEqual([]);
  expect(told([kept('u', 'input', 'fixed16', '0', '9')], '')).toEqual([
    'warning type/t/quantity/u/number T is no software: u is a number of the simulator, not fixed16',
  ]);
  expect(told([kept('u', 'constant', 'fixed16', '0', '9')])).toEqual([
    'warning type/t/quantity/u/number u is a constant: it stands in the code as the number it is',
  ]);
  expect(told([kept('u', 'input', 'fixed16', '', '9')])[0]).toMatch(/^error type\/t\/quantity\/u\/number u needs both/);
});

test('what a block begins with is not cut to the limits of what it is given later', () => {
  const program = programOf(
    [kept('u', 'input', 'fixed16', '0', '100'), kept('y', 'output', 'usual', '', '')],
    ['y = delayBy(u, start = 500)'],
  );
  const run = createStep(program);
  run.init();
  run.write(slotOf(program, 'u', 'input'), 7);
  const seen = [1, 2].map(() => {
    run.step();
    return run.read(slotOf(program, 'y', 'output'));
  });
  expect(seen).toEqual([500, 7]);
});

describe('an integrator', () => {
  const lines = ['s = delayBy(s) + 0.01 * u'];
  const program = (kind: NumberKind): StepProgram =>
    programOf([kept('u', 'input', 'fixed16', '-1', '1'), kept('s', 'output', kind, '0', '100')], lines);
  test('with few bits stands still at small inputs, and says so', () => {
    const run = createStep(program('fixed16'));
    run.init();
    run.write(slotOf(program('fixed16'), 'u', 'input'), 0.09);
    for (let k = 0; k < 100; k++) run.step();
    // a change of 0.0009 is less than half of 1/512
    expect(run.read(slotOf(program('fixed16'), 's', 'output'))).toBe(0);
    const u = run.read(slotOf(program('fixed16'), 'u', 'input'));
    const [, , drift] = run.fits!().find(([, , d]) => d !== 0)!;
    expect(drift).toBeCloseTo(-u, 4);
  });
  test('with many does what it should, near 90 better than single precision', () => {
    const course = (kind: NumberKind): { readonly s: number; readonly meant: number } => {
      const p = program(kind);
      const run = createStep(p);
      run.init();
      run.write(slotOf(p, 'u', 'input'), 0.0625);
      for (let k = 0; k < 144_000; k++) run.step();
      const drifts = (run.fits?.() ?? []).filter(([slot]) => p.slots[slot].role !== 'input');
      if (kind === 'fixed32')
        expect(drifts.every(([, beyond, drift]) => beyond === 0 && Math.abs(drift) < 0.01)).toBe(true);
      return { s: run.read(slotOf(p, 's', 'output')), meant: 0.000625 * 144_000 };
    };
    const [fixed, float] = [course('fixed32'), course('usual')];
    expect(Math.abs(fixed.s - fixed.meant)).toBeLessThan(0.01);
    expect(Math.abs(float.s - float.meant)).toBeGreaterThan(0.02);
  });
  test('that runs against its limit stays there, and counts it', () => {
    const p = program('fixed16');
    const run = createStep(p);
    run.init();
    run.write(slotOf(p, 'u', 'input'), 1);
    for (let k = 0; k < 14_000; k++) run.step();
    const s = p.slots[slotOf(p, 's', 'output')].storage!;
    expect(run.read(slotOf(p, 's', 'output'))).toBe(rangeOf(s)[1]);
    expect(run.fits!().some(([, beyond]) => beyond > 100)).toBe(true);
    // what is beyond is not counted as rounding: that has cost 0.00023 a step until then
    expect(Math.min(...run.fits!().map(([, , drift]) => drift))).toBeGreaterThan(-3.2);
    expect(resolutionOf(s)).toBe(1 / 512);
  });
});
