import type { Expr, RefExpr } from '../../language/ast';
import { evaluate } from '../../language/evaluate';
import { printName } from '../../language/print';
import { convertValue, sameDimension, unitOrUndefined, type Unit } from '../../language/units';
import { walkExpression } from '../../language/walk';
import { stepsOf } from '../lower-expression';
import type { StepProgram } from '../step-program';
import type { CSource } from '../write-c';
import { realOf } from './c-keys';
import type { CNode } from './c-tree';

/** Something that the language has no words for, at its line. */
export class Unsaid extends Error {
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

/** What the C of a program is called in the model. */
export interface Words {
  readonly program: StepProgram;
  /** Quantities by how they are written in C. */
  readonly quantities: ReadonlyMap<string, string>;
  /** Counters of messages that are sent, by how they are written in C. */
  readonly sent: ReadonlyMap<string, string>;
  /** What says which state is active, as it is written in C. */
  readonly regions: ReadonlySet<string>;
  readonly functions: ReadonlyMap<string, string>;
  readonly known: ReadonlySet<string>;
  readonly units: readonly Unit[];
}

const span = { start: 0, end: 0 };
const inLanguage: Readonly<Record<string, string>> = {
  min_f: 'min',
  min_i: 'min',
  max_f: 'max',
  max_i: 'max',
  abs_i: 'abs',
  fabsf: 'abs',
  sqrtf: 'sqrt',
  floorf: 'floor',
  ceilf: 'ceil',
  sign_f: 'sign',
  sign_i: 'sign',
  quotient_f: 'div',
  quotient_i: 'div',
  remainder_f: 'rem',
  remainder_i: 'rem',
  modulo_f: 'mod',
  modulo_i: 'mod',
  to_integer: 'integer',
};
const pairs: Readonly<Record<string, '+' | '-' | '*'>> = { wrap_add: '+', wrap_sub: '-', wrap_mul: '*' };
const signs: Readonly<Record<string, Extract<Expr, { kind: 'binary' }>['op']>> = {
  '+': '+',
  '-': '-',
  '*': '*',
  '/': '/',
  '<': '<',
  '<=': '<=',
  '>': '>',
  '>=': '>=',
  '==': '==',
  '!=': '<>',
  '&&': 'and',
  '||': 'or',
};

export function wordsOf(program: StepProgram, c: CSource): Words {
  const before = { input: 'in->', output: 'out->', parameter: 'state->param.', part: 'state->' };
  const quantities = new Map<string, string>();
  const sent = new Map<string, string>();
  const regions = new Set<string>();
  program.slots.forEach((s, k) => {
    if (s.role === 'local' || s.role === 'constant') return;
    const text = `${before[s.role]}${c.names[k]}`;
    if (s.is === 'region') regions.add(text);
    else if (s.is !== 'messages') quantities.set(text, s.name);
    else if (s.role === 'output') sent.set(text, s.name);
  });
  const units = program.slots.flatMap((s) => unitOrUndefined(s.unit) ?? []);
  return {
    program,
    quantities,
    sent,
    regions,
    functions: new Map(
      program.routines.flatMap((r) => (r.standard ? [[r.name.replace(/\s+/g, '_'), r.standard] as const] : [])),
    ),
    known: new Set(quantities.values()),
    units: units.filter(
      (u, k) => units.findIndex((v) => v.scale === u.scale && v.offset === u.offset && sameDimension(u, v)) === k,
    ),
  };
}

/** A place in C as it is written: `state->param.hottest`. */
export function placeText(x: CNode): string | undefined {
  if (x.kind === 'name') return x.word;
  const inner = x.kind === 'member' ? placeText(x.parts[0]) : undefined;
  return inner === undefined ? undefined : `${inner}${x.word}`;
}

const reference = (name: string): RefExpr => ({
  kind: 'ref',
  global: false,
  parts: name.split('.').map((n) => ({ name: n, subscripts: [], span })),
  span,
});

/** A name inside a chart is enough without the chart. */
const shortened = (name: string, chart: string): string =>
  chart !== '' && name.startsWith(`${chart}.`) ? name.slice(chart.length + 1) : name;

/** An expression of C in the language. `instead`: what stands for a part of it, where something is to be kept as it was written. */
export function spoken(
  x: CNode,
  words: Words,
  chart: string,
  instead: (x: CNode) => Expr | undefined = () => undefined,
): Expr {
  const kept = instead(x);
  if (kept) return kept;
  const inner = (y: CNode): Expr => spoken(y, words, chart, instead);
  const called = (name: string, args: readonly CNode[]): Expr => ({
    kind: 'call',
    callee: name,
    calleeSpan: span,
    args: args.map(inner),
    named: [],
    span,
  });
  switch (x.kind) {
    case 'number':
      return { kind: 'number', value: numberOf(x), span };
    case 'name':
    case 'member': {
      if (x.word === 'true' || x.word === 'false') return { kind: 'boolean', value: x.word === 'true', span };
      const text = placeText(x);
      const name = text === undefined ? undefined : words.quantities.get(text);
      if (name === undefined) throw new Unsaid(x.from, `${text ?? x.word} is no quantity of the model`);
      return reference(shortened(name, chart));
    }
    case 'cast':
      if (x.word !== 'float' && x.word !== 'int32_t')
        throw new Unsaid(x.from, `Numbers of the type ${x.word} are not worked with here`);
      return inner(x.parts[0]);
    case 'unary':
      if (x.word === '!') return { kind: 'unary', op: 'not', operand: inner(x.parts[0]), span };
      if (x.word !== '-' && x.word !== '+') throw new Unsaid(x.from, `"${x.word}" has no counterpart in the model`);
      return { kind: 'unary', op: x.word, operand: inner(x.parts[0]), span };
    case 'binary': {
      const op = signs[x.word];
      if (!op) throw new Unsaid(x.from, `"${x.word}" has no counterpart in the model`);
      return x.parts
        .slice(1)
        .reduce<Expr>((left, p) => ({ kind: 'binary', op, left, right: inner(p), span }), inner(x.parts[0]));
    }
    case 'choose':
      return {
        kind: 'if',
        branches: [{ condition: inner(x.parts[0]), value: inner(x.parts[1]) }],
        otherwise: inner(x.parts[2]),
        span,
      };
    case 'call': {
      const args = x.parts;
      if (pairs[x.word] && args.length === 2)
        return { kind: 'binary', op: pairs[x.word], left: inner(args[0]), right: inner(args[1]), span };
      if (x.word === 'steps' && args.length === 1) return inner(args[0]);
      const name = inLanguage[x.word] ?? words.functions.get(x.word);
      if (name === undefined) throw new Unsaid(x.from, `${x.word} is no function of the model`);
      return called(name, args);
    }
    default:
      throw new Unsaid(x.from, 'This has no counterpart in the model');
  }
}

/** The value of a number as it is written. */
export function numberOf(x: CNode): number {
  const real = realOf(x.word);
  if (real !== undefined) return real;
  if (/^(0|[1-9]\d*)$/.test(x.word)) return Number(x.word);
  throw new Unsaid(
    x.from,
    /^[\d.]+([eE][+-]?\d+)?$/.test(x.word)
      ? `${x.word} is a number in double precision, and would be worked with as one: write ${/[.eE]/.test(x.word) ? x.word : `${x.word}.0`}f`
      : `${x.word} is not a number as the model has them`,
  );
}

// --- what has been written in the model, and whether it says the same

interface Meaning {
  readonly words: Words;
  readonly chart: string;
}

const nameOf = (e: RefExpr, { words, chart }: Meaning): string => {
  const name = e.parts.map((p) => p.name).join('.');
  return words.known.has(`${chart}.${name}`) ? `${chart}.${name}` : name;
};

/** What a number of the model may be in C: in the unit of what it stands beside, in steps, or as it is. */
export function valuesOf(
  e: Expr,
  { words }: Pick<Meaning, 'words'>,
): readonly { readonly value: number; readonly back: (value: number) => number }[] {
  if (e.kind !== 'number') return [];
  const unit = unitOrUndefined(e.unit);
  const plain = { value: e.value, back: (v: number) => v };
  if (!unit) return [plain];
  const si: Unit = { ...unit, scale: 1, offset: 0 };
  const others = [si, ...words.units.filter((u) => sameDimension(u, unit))];
  const isTime = sameDimension(unit, unitOrUndefined('s')!);
  const { period } = words.program;
  return [
    ...others.map((u) => ({ value: convertValue(e.value, unit, u), back: (v: number) => convertValue(v, u, unit) })),
    ...(isTime
      ? [
          {
            value: stepsOf(convertValue(e.value, unit, si), period),
            back: (v: number) => convertValue(v * period, si, unit),
          },
        ]
      : []),
    plain,
  ];
}

const rounded = (x: number): number => Math.fround(x);
const rowOf = (e: Expr, op: 'and' | 'or'): readonly Expr[] =>
  e.kind === 'binary' && e.op === op ? [...rowOf(e.left, op), ...rowOf(e.right, op)] : [e];

/** Whether a formula of the model says the same as one that was spoken from C. Where it is not sure it says no: then more of the formula is written anew. */
export function isSame(a: Expr, c: Expr, of: Meaning): boolean {
  if (c.kind === 'unary' && c.op === '-' && c.operand.kind === 'number')
    return isSame(a, { ...c.operand, value: -c.operand.value }, of);
  if (c.kind === 'number') {
    return [...valuesOf(a, of).map((v) => v.value), evaluate(a)].some((v) => rounded(v) === rounded(c.value));
  }
  if (a.kind === 'binary' && a.op === '^') {
    const count = evaluate(a.right);
    if (!Number.isInteger(count) || count < 2 || count > 8) return false;
    let product: Expr = a.left;
    for (let k = 1; k < count; k++) product = { kind: 'binary', op: '*', left: product, right: a.left, span };
    return isSame(product, c, of);
  }
  switch (c.kind) {
    case 'boolean':
      return a.kind === 'boolean' && a.value === c.value;
    case 'ref':
      return a.kind === 'ref' && a.parts.every((p) => p.subscripts.length === 0) && nameOf(a, of) === nameOf(c, of);
    case 'unary':
      return a.kind === 'unary' && a.op === c.op && isSame(a.operand, c.operand, of);
    case 'binary': {
      if (a.kind !== 'binary' || a.op !== c.op) return false;
      if (c.op !== 'and' && c.op !== 'or') return isSame(a.left, c.left, of) && isSame(a.right, c.right, of);
      const [x, y] = [rowOf(a, c.op), rowOf(c, c.op)];
      return x.length === y.length && x.every((p, k) => isSame(p, y[k], of));
    }
    case 'if':
      return (
        a.kind === 'if' &&
        a.branches.length === c.branches.length &&
        isSame(a.otherwise, c.otherwise, of) &&
        a.branches.every(
          (b, k) => isSame(b.condition, c.branches[k].condition, of) && isSame(b.value, c.branches[k].value, of),
        )
      );
    case 'call':
      return (
        a.kind === 'call' &&
        a.callee === c.callee &&
        a.named.length === 0 &&
        a.args.length === c.args.length &&
        a.args.every((x, k) => isSame(x, c.args[k], of))
      );
    default:
      return false;
  }
}

/** Every formula inside one, the outermost first. */
export function formulasIn(e: Expr): readonly Expr[] {
  const found: Expr[] = [];
  walkExpression(e, (x) => void found.push(x));
  return found;
}

/** A number in the unit that stood there before, as short as it comes out the same; undefined where it does not. */
export function inUnitOf(was: Expr, from: number, to: number, words: Words): Expr | undefined {
  if (was.kind !== 'number' || was.unit === undefined) return undefined;
  const way = valuesOf(was, { words }).findIndex((v) => rounded(v.value) === rounded(from));
  if (way < 0) return undefined;
  const exact = valuesOf(was, { words })[way].back(to);
  for (let digits = 1; digits <= 15; digits++) {
    const found = { ...was, value: Number(exact.toPrecision(digits)) };
    if (rounded(valuesOf(found, { words })[way].value) === rounded(to)) return found;
  }
  return undefined;
}

export const nameText = (name: string, chart: string): string =>
  shortened(name, chart).split('.').map(printName).join('.');
