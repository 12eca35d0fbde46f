import { asRelation, constant, walk, type FlatExpr, type FlatRelation } from '../flatten/flat-expression';
import { call, minus, number, scalar, slot, type Term, type Truth } from './instructions';

/**
 * How an expression is lowered: `held` reads conditions from their held values (between events), `live` computes and stores
 * them (at events), `plain` computes them without storing (guards, start values).
 */
export type ConditionMode = 'held' | 'live' | 'plain';

/** A condition or step function whose change is an event. */
export type ModeSource =
  { readonly kind: 'relation'; readonly expr: FlatRelation } | { readonly kind: 'floor'; readonly expr: FlatExpr };

/** A condition of an `if`, and whether the branch is taken when it holds or when it does not. */
export interface BranchTaken {
  readonly condition: FlatExpr;
  readonly holds: boolean;
  /** It is not held between events. */
  readonly noEvent: boolean;
}

/** A quotient, or a negative power, which is one. */
export interface FlatQuotient {
  readonly term: FlatExpr;
  readonly dividend: FlatExpr;
  readonly divisor: FlatExpr;
  readonly branches: readonly BranchTaken[];
}

/** What is found on the way through all expressions of a program. An expression that stands in two places has one number. */
export interface FoundTerms {
  readonly modes: ModeSource[];
  readonly samples: { readonly start: FlatExpr; readonly interval: FlatExpr }[];
  readonly delays: Extract<FlatExpr, { op: 'delay' }>[];
  readonly tables: { readonly x: readonly number[]; readonly y: readonly number[] }[];
  readonly numbers: Map<FlatExpr, number>;
  /** For each condition, the branches it stands in: it is watched only while they are taken. */
  readonly branches: Map<number, readonly BranchTaken[]>;
  /** Arguments of square roots that move, with the branches they stand in: where they are taken, they must not be negative. */
  readonly roots: Map<FlatExpr, readonly BranchTaken[]>;
  /** Quotients whose divisors move, with the branches they stand in: where they are taken, the divisor must not pass through zero. */
  readonly quotients: Map<FlatExpr, FlatQuotient>;
  /** The conditions of a `sign`, made once per node. */
  readonly signs: Map<FlatExpr, { readonly positive: FlatRelation; readonly negative: FlatRelation }>;
}

export const nothingFound = (): FoundTerms => ({
  modes: [],
  samples: [],
  delays: [],
  tables: [],
  numbers: new Map(),
  branches: new Map(),
  roots: new Map(),
  quotients: new Map(),
  signs: new Map(),
});

export interface LoweringContext {
  readonly found: FoundTerms;
  /** Whether a variable can change between events. */
  varies(index: number): boolean;
  /** The place that holds a variable or derivative now, where that is not memory. */
  local(kind: 'var' | 'der', index: number): Term | undefined;
  stateSlot(index: number): number;
}

export interface Lowering {
  number(e: FlatExpr): Term;
  truth(e: FlatExpr): Truth;
}

/** What is used in several places is watched where all of them lie. */
function joint(known: readonly BranchTaken[] | undefined, path: readonly BranchTaken[]): readonly BranchTaken[] {
  if (!known) return [...path];
  const differ = known.findIndex((b, j) => path[j]?.condition !== b.condition || path[j].holds !== b.holds);
  return differ >= 0 ? known.slice(0, differ) : known;
}

/** The number of an expression among those of its kind. */
function numbered<T>({ numbers }: FoundTerms, e: FlatExpr, list: T[], entry: T): number {
  let k = numbers.get(e);
  if (k === undefined) numbers.set(e, (k = list.push(entry) - 1));
  return k;
}

/** `tells`: what is noted is told; otherwise it is the value it is. */
export function createLowering(context: LoweringContext, mode: ConditionMode, tells = false): Lowering {
  const { found } = context;
  let insideNoEvent = 0;
  const path: BranchTaken[] = [];

  const inBranch = (condition: FlatExpr, holds: boolean, e: FlatExpr): Term => {
    path.push({ condition, holds, noEvent: insideNoEvent > 0 });
    const term = lower(e);
    path.pop();
    return term;
  };
  const withoutEvents = <T>(work: () => T): T => {
    insideNoEvent++;
    const result = work();
    insideNoEvent--;
    return result;
  };
  const varying = (e: FlatExpr): boolean => {
    let yes = false;
    walk(e, (x) => (yes ||= x.op === 'time' || x.op === 'der' || (x.op === 'var' && context.varies(x.index))));
    return yes;
  };
  /** What decides, through its held value. */
  const throughMode = (e: FlatExpr, source: ModeSource, now: Term, distance?: Term): Term => {
    const k = numbered(found, e, found.modes, source);
    found.branches.set(k, joint(found.branches.get(k), path));
    return mode === 'held' ? slot('m', k) : { op: 'hold', condition: k, a: now, distance };
  };
  const isEventless = (): boolean => insideNoEvent > 0 || mode === 'plain';

  const relation = (e: FlatRelation): Truth => {
    const [a, b] = [lower(e.a), lower(e.b)];
    const plain: Truth = { op: e.op, a, b, ...(e.from && { from: e.from }) };
    if (isEventless() || e.op === 'eq' || e.op === 'ne' || !varying(e)) return plain;
    return { op: 'is', a: throughMode(e, { kind: 'relation', expr: e }, { op: 'bit', c: plain }, minus(a, b)) };
  };
  const floorOf = (e: FlatExpr, of: FlatExpr): Term => {
    const now = call('floor', lower(of));
    return isEventless() || !varying(of) ? now : throughMode(e, { kind: 'floor', expr: of }, now);
  };
  const root = (x: FlatExpr): Term => {
    if (!varying(x)) return call('sqrt', lower(x));
    if (mode !== 'plain') found.roots.set(x, joint(found.roots.get(x), path));
    return call('root', lower(x));
  };
  const divided = (term: FlatExpr, dividend: FlatExpr, divisor: FlatExpr): void => {
    if (mode !== 'live' || !varying(divisor)) return;
    const branches = joint(found.quotients.get(term)?.branches, path);
    found.quotients.set(term, { term, dividend, divisor, branches });
  };
  const power = (e: FlatExpr, a: FlatExpr, b: FlatExpr): Term => {
    if (b.op === 'const' && b.value < 0) divided(e, constant(1), a);
    if (b.op === 'const' && b.value === 2) return call('square', lower(a));
    if (b.op === 'const' && b.value === 0.5) return root(a);
    if (b.op === 'const' && b.value === -1) return { op: 'div', a: number(1), b: lower(a) };
    if (b.op === 'const' && b.value === 3) return call('cube', lower(a));
    return call('pow', lower(a), lower(b));
  };
  /** A kink is no event (Modelica language 3.6, section 3.7.1); a jump is. */
  const sign = (e: FlatExpr, x: FlatExpr): Term => {
    if (isEventless() || !varying(x)) return call('sign', lower(x));
    let signs = found.signs.get(e);
    if (!signs) {
      signs = { positive: { op: 'gt', a: x, b: constant(0) }, negative: { op: 'lt', a: x, b: constant(0) } };
      found.signs.set(e, signs);
    }
    const below: Term = { op: 'choose', c: relation(signs.negative), a: number(-1), b: number(0) };
    return { op: 'choose', c: relation(signs.positive), a: number(1), b: below };
  };
  const fn = (e: Extract<FlatExpr, { op: 'fn' }>): Term => {
    const [x, y] = e.args;
    switch (e.name) {
      case 'sign':
        return sign(e, x);
      case 'floor':
      case 'integer':
        return floorOf(e, x);
      case 'ceil':
        return { op: 'neg', a: floorOf(e, { op: 'neg', a: x }) };
      case 'mod': {
        const [a, b] = [lower(x), lower(y)];
        const whole = floorOf(e, { op: 'div', a: x, b: y });
        return { op: 'sub', a, b: { op: 'mul', a: b, b: whole } };
      }
      case 'sqrt':
        return root(x);
      case 'rem': {
        const [a, b] = [lower(x), lower(y)];
        return { op: 'sub', a, b: { op: 'mul', a: b, b: call('trunc', { op: 'div', a, b }) } };
      }
      case 'div':
        return call('trunc', { op: 'div', a: lower(x), b: lower(y) });
      default:
        return call(e.name, ...e.args.map(lower));
    }
  };

  /** As they have just been found: what is held is looked up, so that nothing is watched for the sake of being told. */
  const wordOf = (conditions: readonly FlatExpr[]): readonly Truth[] => {
    const plain = createLowering(context, 'plain');
    const of = (c: FlatExpr): Truth => {
      const k = asRelation(c) ? found.numbers.get(c) : undefined;
      return k === undefined || mode === 'plain' ? plain.truth(c) : { op: 'is', a: slot('m', k) };
    };
    return conditions.map(of);
  };
  const truth = (e: FlatExpr): Truth => {
    switch (e.op) {
      case 'noted': {
        const a = truth(e.a);
        return tells ? { op: 'told', decision: e.decision, a, conditions: wordOf(e.conditions) } : a;
      }
      case 'and':
      case 'or':
        return { op: e.op, a: truth(e.a), b: truth(e.b) };
      case 'not':
        return { op: 'not', a: truth(e.a) };
      case 'noEvent':
        return withoutEvents(() => truth(e.a));
      default: {
        const r = asRelation(e);
        return r ? relation(r) : { op: 'is', a: lower(e) };
      }
    }
  };

  const lower = (e: FlatExpr): Term => {
    switch (e.op) {
      case 'const':
        return number(e.value);
      case 'var':
        return context.local('var', e.index) ?? slot('v', e.index);
      case 'der':
        return context.local('der', e.index) ?? slot('d', context.stateSlot(e.index));
      case 'pre':
        return slot('pre', e.index);
      case 'time':
        return scalar('t');
      case 'initial':
        return slot('flags', 0);
      case 'terminal':
        return slot('flags', 1);
      case 'sample':
        return slot('s', numbered(found, e, found.samples, { start: e.start, interval: e.interval }));
      case 'delay':
        return { op: 'past', past: numbered(found, e, found.delays, e), by: lower(e.by) };
      case 'table': {
        let k = found.tables.findIndex((t) => t.x === e.x && t.y === e.y);
        if (k < 0) k = found.tables.push({ x: e.x, y: e.y }) - 1;
        return { op: 'table', table: k, a: lower(e.a), slope: e.slope };
      }
      case 'neg':
        return { op: 'neg', a: lower(e.a) };
      case 'noEvent':
        return withoutEvents(() => lower(e.a));
      case 'noted': {
        const a = lower(e.a);
        return tells ? { op: 'noted', decision: e.decision, a, conditions: wordOf(e.conditions) } : a;
      }
      case 'add':
      case 'sub':
      case 'mul':
        return { op: e.op, a: lower(e.a), b: lower(e.b) };
      case 'div':
        divided(e, e.a, e.b);
        return { op: 'div', a: lower(e.a), b: lower(e.b) };
      case 'pow':
        return power(e, e.a, e.b);
      case 'if': {
        const c = truth(e.c);
        return { op: 'choose', c, a: inBranch(e.c, true, e.a), b: inBranch(e.c, false, e.b) };
      }
      case 'fn':
        return fn(e);
      default:
        return { op: 'bit', c: truth(e) };
    }
  };
  return { number: lower, truth };
}
