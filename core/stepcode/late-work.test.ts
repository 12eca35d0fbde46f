import { withLateWork } from './late-work';
import {
  number,
  pair,
  type Slot,
  type SlotRole,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';
import { createStep } from './write-js';

const names = ['a', 'c', 'v', 'x', 'y'] as const;
const roles: readonly SlotRole[] = ['input', 'input', 'output', 'local', 'local'];
const [a, c, v, x, y] = names.map((_, k): StepExpr => ({ op: 'slot', type: 'f32', slot: k }));
const set = (slot: number, value: StepExpr): StepInstruction => ({
  op: 'set',
  slot,
  value,
  from: `line ${names[slot]}`,
});
const choose = (when: StepExpr, one: StepExpr, other: StepExpr): StepExpr => ({
  op: 'choose',
  type: 'f32',
  c: when,
  a: one,
  b: other,
});
const isLarge = pair('gt', c, number(1));
const twice = (e: StepExpr): StepExpr => pair('mul', number(2), e);
const program = (...body: readonly StepInstruction[]): StepProgram => ({
  name: 'P',
  note: '',
  period: 1,
  slots: names.map((name, k): Slot => ({
    name,
    role: roles[k],
    type: 'f32',
    size: 0,
    unit: '',
    note: '',
    from: '',
    start: number(0),
    list: -1,
  })),
  lists: [],
  routines: [
    { name: 'init', note: '', from: '', takes: [], locals: [], gives: undefined, body: [] },
    { name: 'step', note: '', from: '', takes: [], locals: [3, 4], gives: undefined, body },
  ],
  init: 0,
  step: 1,
});
/** What it comes to, in a word; `v` for inputs of both kinds has to be what it was. */
const shape = (...body: readonly StepInstruction[]): string => {
  const before = program(...body);
  const after = withLateWork(before);
  const results = [before, after].map((p) => {
    const run = createStep(p);
    run.init();
    return [
      [3, 0.5],
      [3, 1.5],
      [-2, 0.5],
      [-2, 7],
    ].map(([first, second]) => {
      run.write(0, first);
      run.write(1, second);
      run.step();
      return run.read(2);
    });
  });
  expect(results[1]).toEqual(results[0]);
  const said = (list: readonly StepInstruction[]): string =>
    list
      .map((i) =>
        i.op === 'set'
          ? names[i.slot]
          : i.op === 'if'
            ? `(${i.branches.map((b) => said(b.body)).join('|')}|${said(i.otherwise)})`
            : i.op,
      )
      .join(' ');
  return said(after.routines[1].body);
};

test('a line that only one way of a choice needs is worked out on that way', () => {
  expect(shape(set(3, twice(a)), set(2, choose(isLarge, x, number(5))))).toBe('(x v|v)');
  expect(shape(set(3, twice(a)), set(2, choose(isLarge, number(5), x)))).toBe('(v|x v)');
  // lines of lines, each on its way, and choices within choices
  expect(shape(set(3, twice(a)), set(4, twice(x)), set(2, choose(isLarge, y, number(5))))).toBe('(x y v|v)');
  expect(
    shape(set(3, twice(a)), set(4, twice(a)), set(2, choose(isLarge, x, choose(pair('gt', a, number(0)), y, a)))),
  ).toBe('(x v|y v|v)');
});

test('and stays where it is where more needs it, or it would be another one later', () => {
  // on both ways, in the condition, after it
  expect(shape(set(3, twice(a)), set(2, choose(isLarge, x, twice(x))))).toBe('x v');
  expect(shape(set(3, twice(a)), set(2, choose(pair('gt', x, number(1)), x, number(5))))).toBe('x v');
  expect(shape(set(3, twice(a)), set(2, choose(isLarge, x, number(5))), set(4, x), set(2, y))).toBe('x v y v');
  // what it is worked out from changes in between
  expect(shape(set(3, twice(v)), set(2, number(7)), set(2, choose(isLarge, x, number(5))))).toBe('x v v');
  // it is set twice
  expect(shape(set(3, twice(a)), set(3, twice(x)), set(2, choose(isLarge, x, number(5))))).toBe('x x v');
});
