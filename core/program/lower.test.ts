import fc from 'fast-check';
import { analyse } from '../analysis/analyse';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { functionsOfTerms } from './functions';
import type { Instruction, Term, Truth } from './instructions';
import { instantiate } from './machine';
import { createProgram } from './program';
import { writeTerm, writeTruth } from './write-js';

/** The list between a model and the text that runs: what stands in it, and that the text says the same. */

const programOf = (text: string) =>
  createProgram(analyse(flatten(libraryOfFile(parseFile(text).value, 'text'), 'M').model));

/** What an instruction list means, by its definition: no writer takes part. */
function value(e: Term, memory: Readonly<Record<string, readonly number[]>>): number {
  const of = (x: Term): number => value(x, memory);
  switch (e.op) {
    case 'const':
      return e.value;
    case 'slot':
      return memory[e.of][e.index];
    case 'neg':
      return -of(e.a);
    case 'add':
      return of(e.a) + of(e.b);
    case 'sub':
      return of(e.a) - of(e.b);
    case 'mul':
      return of(e.a) * of(e.b);
    case 'div':
      return of(e.a) / of(e.b);
    case 'choose':
      return holds(e.c, memory) ? of(e.a) : of(e.b);
    case 'bit':
      return holds(e.c, memory) ? 1 : 0;
    case 'call': {
      const [a, b] = e.args.map(of);
      switch (e.name) {
        case 'square':
          return a * a;
        case 'cube':
          return a * a * a;
        case 'root':
          return a < 0 ? 0 : Math.sqrt(a);
        case 'rootSlope':
          return 0.5 / Math.max(Math.sqrt(Math.abs(a)), 1e-8);
        case 'abs':
        case 'sign':
        case 'trunc':
        case 'floor':
          return Math[e.name](a);
        case 'min':
        case 'max':
          return Math[e.name](a, b);
        default:
          throw new Error(`no ${e.name} here`);
      }
    }
    default:
      throw new Error(`no ${e.op} here`);
  }
}
function holds(e: Truth, memory: Readonly<Record<string, readonly number[]>>): boolean {
  switch (e.op) {
    case 'and':
      return holds(e.a, memory) && holds(e.b, memory);
    case 'or':
      return holds(e.a, memory) || holds(e.b, memory);
    case 'not':
      return !holds(e.a, memory);
    case 'always':
      return true;
    case 'told':
      return holds(e.a, memory);
    case 'is':
      return Math.abs(value(e.a, memory)) > 0;
    case 'lt':
      return value(e.a, memory) < value(e.b, memory);
    case 'le':
      return value(e.a, memory) <= value(e.b, memory);
    case 'gt':
      return value(e.a, memory) > value(e.b, memory);
    case 'ge':
      return value(e.a, memory) >= value(e.b, memory);
    case 'eq':
      return value(e.a, memory) === value(e.b, memory);
    case 'ne':
      return value(e.a, memory) !== value(e.b, memory);
  }
}

const numbers = fc.oneof(
  fc.constantFrom(0, -0, 1, -1, -2.5, 1e300, 5e-324, Infinity, -Infinity),
  fc.double({ noNaN: true }),
);
const { term, truth } = fc.letrec<{ term: Term; truth: Truth }>((tie) => ({
  term: fc.oneof(
    { maxDepth: 5, depthSize: 'small' },
    numbers.map((x): Term => ({ op: 'const', value: x })),
    fc.constantFrom<Term>(
      { op: 'slot', of: 'v', index: 0 },
      { op: 'slot', of: 'v', index: 1 },
      { op: 'slot', of: 'm', index: 0 },
    ),
    tie('term').map((a): Term => ({ op: 'neg', a })),
    fc
      .tuple(fc.constantFrom('add', 'sub', 'mul', 'div'), tie('term'), tie('term'))
      .map(([op, a, b]) => ({ op, a, b }) as Term),
    fc
      .tuple(fc.constantFrom('square', 'cube', 'root', 'rootSlope', 'abs', 'sign', 'trunc', 'floor'), tie('term'))
      .map(([name, a]) => ({ op: 'call', name, args: [a] }) as Term),
    fc
      .tuple(fc.constantFrom('min', 'max'), tie('term'), tie('term'))
      .map(([name, a, b]) => ({ op: 'call', name, args: [a, b] }) as Term),
    fc.tuple(tie('truth'), tie('term'), tie('term')).map(([c, a, b]): Term => ({ op: 'choose', c, a, b })),
    tie('truth').map((c): Term => ({ op: 'bit', c })),
  ),
  truth: fc.oneof(
    { maxDepth: 4, depthSize: 'small' },
    fc.constant<Truth>({ op: 'always' }),
    fc
      .tuple(fc.constantFrom('lt', 'le', 'gt', 'ge', 'eq', 'ne'), tie('term'), tie('term'))
      .map(([op, a, b]) => ({ op, a, b }) as Truth),
    fc.tuple(fc.constantFrom('and', 'or'), tie('truth'), tie('truth')).map(([op, a, b]) => ({ op, a, b }) as Truth),
    tie('truth').map((a): Truth => ({ op: 'not', a })),
    tie('term').map((a): Truth => ({ op: 'is', a })),
  ),
}));

test('the text of any term computes what the term means, to the sign of zero', () => {
  const helpers =
    'const sq=(x)=>x*x,cube=(x)=>x*x*x,root=(x)=>x<0?0:Math.sqrt(x),rootSlope=(x)=>0.5/Math.max(Math.sqrt(Math.abs(x)),1e-8);';
  fc.assert(
    fc.property(term, truth, fc.tuple(numbers, numbers, numbers), (e, c, [a, b, m]) => {
      const memory = { v: [a, b], m: [m] };
      const run = new Function('v', 'm', `${helpers}return [${writeTerm(e)},!!(${writeTruth(c)})];`) as (
        v: readonly number[],
        m: readonly number[],
      ) => [number, boolean];
      const [number, isTrue] = run(memory.v, memory.m);
      expect(number).toBe(value(e, memory));
      expect(isTrue).toBe(holds(c, memory));
    }),
    { numRuns: 400 },
  );
});

const everything = `model M parameter Real k = 2; Real x(start = 1, fixed = true), a, b(start = 1), c, y, w; discrete Integer n(start = 0, fixed = true);
equation der(x) = -k*x + a; a + b^3 = 3 + x; a*b = 2; c = sin(time)*x; y = if c > 0 then sqrt(x + 4) else floor(3*x); w = delay(x, 0.1) + sign(x - 0.5);
when sample(0, 0.2) then n = pre(n) + 1; end when; assert(x < 9, "x"); end M;`;

test('every place in a list is one of its memory, and every function one that writers know', () => {
  const { list } = programOf(everything);
  const { sizes, states } = list;
  const lengths: Readonly<Record<string, number>> = {
    v: sizes.variables,
    pre: sizes.variables,
    d: states.length,
    m: sizes.conditions,
    s: sizes.samples,
    flags: 2,
    y: states.length,
    dy: states.length,
    g: list.jacobian?.size ?? 0,
  };
  const seen = new Set<string>();
  const look = (x: unknown): void => {
    if (typeof x !== 'object' || x === null) return;
    const node = x as {
      op?: string;
      of?: string;
      index?: number;
      name?: string;
      condition?: unknown;
      past?: number;
      args?: unknown[];
    };
    if (node.op === 'slot') {
      seen.add(node.of!);
      if (lengths[node.of!] !== undefined) expect(node.index).toBeLessThan(lengths[node.of!]);
      expect(node.index).toBeGreaterThanOrEqual(0);
    }
    if (node.op === 'call')
      expect(node.args).toHaveLength(functionsOfTerms[node.name as keyof typeof functionsOfTerms]);
    if (node.op === 'hold') expect(node.condition).toBeLessThan(sizes.conditions);
    if (node.op === 'past') expect(node.past).toBeLessThan(sizes.pasts);
    Object.entries(node).forEach(([key, inner]) => key !== 'from' && look(inner));
  };
  look(list);
  for (const name of ['v', 'd', 'm', 's']) expect([...seen]).toContain(name);
  expect(list.blocks).toHaveLength(1);
  expect(sizes.pasts).toBe(1);
  expect(sizes.samples).toBe(1);
});

test('instructions say where they come from; no text of the model stands in what is computed', () => {
  const { list } = programOf(everything);
  const sets = list.outputs.filter((x): x is Instruction & { do: 'set' } => x.do === 'set');
  expect(sets.map((x) => x.from?.text)).toEqual(expect.arrayContaining([expect.stringContaining('sin(time) * x')]));
  expect(sets.every((x) => x.from !== undefined && x.from.span.end > x.from.span.start)).toBe(true);
  const without = JSON.stringify(list, (key, x: unknown) => (key === 'from' ? undefined : x));
  expect(without).not.toMatch(/Real|time\)|"x"|equation/);
});

test('a condition keeps where it was written, in its part, through all that is put in for its operands', () => {
  const text = `model Valve Real level, out, copy; equation copy = level; out = if copy > 2 then 1 else 0; end Valve;
model M Valve a, b; Real x(start = 0, fixed = true); equation der(x) = 1 - a.out + b.out; a.level = x; b.level = 3*x; when x > 5 then terminate("full"); end when; end M;`;
  const { list } = programOf(text);
  const told = list.conditions.map((c) => [c.from?.part, c.from && text.slice(c.from.span.start, c.from.span.end)]);
  expect(told).toEqual(
    expect.arrayContaining([
      ['a', 'copy > 2'],
      ['b', 'copy > 2'],
      ['', 'x > 5'],
    ]),
  );
  expect(told).toHaveLength(3);
});

test('what stands in a branch is watched while the branch is taken, in both of them', () => {
  const { list } = programOf(
    'model M Real x(start = 0, fixed = true), y; equation der(x) = 1; y = if x > 1 then (if x > 2 then 1 else 2) else (if x > 3 then 3 else 4); end M;',
  );
  const [outer, ...inner] = list.conditions;
  expect(outer.taken).toEqual({ op: 'always' });
  expect(inner.map((c) => c.taken)).toEqual([
    { op: 'is', a: { op: 'slot', of: 'm', index: 0 } },
    { op: 'not', a: { op: 'is', a: { op: 'slot', of: 'm', index: 0 } } },
  ]);
});

test('two machines of one program do not share memory, and one made with a copy goes on from it', () => {
  const program = programOf(everything);
  const [one, other] = [instantiate(program), instantiate(program)];
  for (const machine of [one, other]) {
    machine.parameters(new Map());
    machine.starts();
    machine.event(0);
  }
  one.parameters(new Map([[program.solvable.model.indexOf.get('k')!, 5]]));
  one.event(0.3);
  expect(other.memory.d[0]).not.toBe(one.memory.d[0]);
  const copy = instantiate(program, structuredClone(one.memory));
  copy.event(0.3);
  expect(copy.memory).toEqual(one.memory);
});
