import type { CallExpr, Expr, RefExpr, Statement } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printReference } from '../language/print';
import type { Builder } from './builder';
import { elaborateStrict, messageOf, NoValue, refuseTruth, resolveReference, resultsOf } from './elaborate';
import { claimOf } from './claims';
import { actionOf, whenTrigger, type WhenTrigger } from './equations';
import {
  binary,
  choose,
  constant,
  createSubstitution,
  isConstant,
  not,
  one,
  variable,
  zero,
  type FlatExpr,
} from './flat-expression';
import type { FlatAction, Origin } from './flat-model';
import type { Scope } from './instance';
import { findMovingIndex, withNumber, type MovingIndex } from './moving-index';
import { isValue } from './resolve';
import { carryOut, NoStatement, share, type Space, type Values } from './statements';
import { flattenValue, isArray, mapValue, type Value } from './values';

/**
 * An algorithm of a part: its statements are carried out in order with expressions in place of numbers; what each quantity has
 * come to at the end is its equation (Modelica language 3.6, chapter 11). What is set in a `when` keeps its value in between.
 */
export function addAlgorithm(b: Builder, statements: readonly Statement[], scope: Scope, initial: boolean): void {
  if (statements.length === 0) return;
  const span = { start: statements[0].span.start, end: statements.at(-1)!.span.end };
  const origin: Origin = {
    part: scope.instance.name,
    place: scope.place,
    span,
    text: `algorithm of ${scope.instance.ref.definition.name}`,
  };
  const held = new Set<number>();
  const find = (body: readonly Statement[], inWhen: boolean): void => {
    for (const s of body) {
      if (s.kind === 'assign' && inWhen)
        for (const t of s.target.kind === 'ref' ? [s.target] : s.target.elements)
          if (t.kind === 'ref') for (const k of targets(b, t, scope)) held.add(k);
      if (s.kind === 'if' || s.kind === 'when') {
        for (const x of s.branches) find(x.body, inWhen || s.kind === 'when');
        if (s.kind === 'if') find(s.otherwise, inWhen);
      } else if (s.kind === 'for' || s.kind === 'while') find(s.body, inWhen);
    }
  };
  find(statements, false);
  for (const k of held) b.variables[k].kind = 'discrete';
  const values: Values = new Map();
  const space = partSpace(b, origin, held, initial);
  const inside: Scope = initial ? scope : { ...scope, sharing: { name: scope.instance.name, origin } };
  try {
    carryOut(b, statements, space, values, one, inside);
  } catch (error) {
    if (error instanceof NoStatement || error instanceof NoValue) return;
    throw error;
  }
  const into = initial ? b.initialEquations : b.equations;
  for (const [k, value] of values)
    if (typeof k === 'number')
      into.push({
        left: variable(k),
        right: value as FlatExpr,
        origin: { ...origin, text: `${b.variables[k].name} := ... (${origin.text})` },
      });
}

function targets(b: Builder, ref: RefExpr, scope: Scope): number[] {
  // an index of a loop is not known here: all elements may be meant
  const whole: RefExpr = {
    ...ref,
    parts: ref.parts.map((p) => ({
      ...p,
      subscripts: p.subscripts.map((s) => (s.kind === 'number' ? s : { kind: 'colon' as const, span: s.span })),
    })),
  };
  const r = resolveReference(b, whole, scope);
  return r !== undefined && isValue(r) ? flattenValue(r).flatMap((x) => (x.op === 'var' ? [x.index] : [])) : [];
}

/** An algorithm of a part while it is carried out. */
interface Work {
  readonly b: Builder;
  readonly origin: Origin;
  /** Quantities that keep their value from event to event. */
  readonly held: ReadonlySet<number>;
  readonly initial: boolean;
  /** Quantities that have been given a value so far. */
  readonly assigned: Set<number>;
  /** The triggers of the whens that the statement at hand stands in. */
  readonly triggers: WhenTrigger[];
}

function partSpace(b: Builder, origin: Origin, held: ReadonlySet<number>, initial: boolean): Space {
  const work: Work = { b, origin, held, initial, assigned: new Set(), triggers: [] };
  const space: Space = {
    read: (e, values, scope) => read(work, e, values, scope),
    results: (e, values, scope) => resultsOf(b, e, scope).map((v) => current(work, v, values)),
    settled: (e) => e,
    before: (key) => (typeof key === 'number' ? before(work, key) : zero),
    write: (target, value, values, scope) => write(work, target, value, values, scope),
    other(s, values, guard, scope) {
      if (s.kind === 'when') whenBranches(work, space, s, values, guard, scope);
      return s.kind === 'when' || (s.kind === 'call' && act(work, s.call, values, guard, scope));
    },
  };
  return space;
}

/** What a quantity has before the algorithm gives it a value. */
function before({ b, held, initial }: Work, k: number): FlatExpr {
  const v = b.variables[k];
  if (initial) return variable(k);
  if (held.has(k) || v.kind === 'discrete') return { op: 'pre', index: k };
  return v.start ?? zero;
}

/** What it has now. */
const now = (work: Work, k: number, values: Values): FlatExpr =>
  (values.get(k) as FlatExpr | undefined) ?? before(work, k);

/** Quantities stand for what they have come to so far; those the algorithm never sets, for themselves. */
function current(work: Work, value: Value, values: Values): Value {
  const { assigned, held } = work;
  const visit = createSubstitution((x) => {
    if (x.op !== 'var') return undefined;
    return values.has(x.index) || assigned.has(x.index) || held.has(x.index) ? now(work, x.index, values) : x;
  });
  return mapValue(value, visit);
}

const read = (work: Work, e: Expr, values: Values, scope: Scope): Value =>
  current(work, elaborateStrict(work.b, e, scope), values);

/** Gives a target its value, only where a condition holds if there is one. */
function write(work: Work, target: RefExpr, value: Value, values: Values, scope: Scope, where?: FlatExpr): void {
  const moving = findMovingIndex(work.b, target, scope, (e, at) => read(work, e, values, at));
  if (moving) return writeMoving(work, target, moving, value, values, scope, where);
  const { b, assigned } = work;
  const refuse = (code: string, message: string): never => {
    b.report(scope.place, problem('error', code, `${printReference(target)} ${message}`, target.span));
    throw new NoStatement();
  };
  const r = resolveReference(b, target, scope);
  // what is not there has been reported
  if (r === undefined) throw new NoStatement();
  if (!isValue(r)) return refuse('not-settable', 'is a part, not a value');
  const [leaves, given] = [flattenValue(r), flattenValue(value)];
  if (leaves.length !== given.length) refuse('shape', `has ${leaves.length} elements, but ${given.length} are given`);
  leaves.forEach((x, k) => {
    if (x.op !== 'var') return refuse('not-settable', 'cannot be given a value');
    const next = where ? choose(where, given[k], now(work, x.index, values)) : given[k];
    assigned.add(x.index);
    values.set(x.index, share(b, next, scope, b.variables[x.index].name.split('.').at(-1)!));
  });
}

/** Each element may be the one; where none is, none has a value. */
function writeMoving(
  work: Work,
  target: RefExpr,
  moving: MovingIndex,
  value: Value,
  values: Values,
  scope: Scope,
  where: FlatExpr | undefined,
): void {
  const { value: chosen, source } = moving;
  refuseTruth(work.b, chosen, source, scope);
  const count = countAt(work, target, moving, scope);
  const also = (condition: FlatExpr): FlatExpr => (where ? binary('and', where, condition) : condition);
  const isInside = binary('and', binary('ge', chosen, one), binary('le', chosen, constant(count)));
  const none = mapValue(value, () => constant(NaN));
  for (let k = 1; k <= count; k++) {
    const element = withNumber(target, moving, k);
    write(work, element, value, values, scope, also(binary('eq', chosen, constant(k))));
    write(work, element, none, values, scope, also(not(isInside)));
  }
}

/** The branches of a when: the first that comes to hold is carried out, what it gives no value stays. */
function whenBranches(
  work: Work,
  space: Space,
  s: Extract<Statement, { kind: 'when' }>,
  values: Values,
  guard: FlatExpr,
  scope: Scope,
): void {
  const { b, origin, triggers } = work;
  let earlier: FlatExpr | undefined;
  const ways: { active: FlatExpr; values: Values }[] = [];
  for (const branch of s.branches) {
    const trigger = whenTrigger(b, branch.condition, scope, origin, earlier, (v) => current(work, v, values));
    if (!trigger) continue;
    const { active } = trigger;
    earlier = earlier ? binary('or', earlier, active) : active;
    const own: Values = new Map(values);
    triggers.push(trigger);
    const inside = isConstant(guard, 1) ? active : binary('and', guard, active);
    carryOut(b, branch.body, space, own, inside, { ...withoutSharing(scope), guard: active });
    triggers.pop();
    ways.push({ active, values: own });
  }
  for (const key of new Set(ways.flatMap((w) => [...w.values.keys()]))) {
    const old = typeof key === 'number' ? now(work, key, values) : ((values.get(key) as FlatExpr | undefined) ?? zero);
    values.set(
      key,
      ways.reduceRight<FlatExpr>(
        (value, w) => choose(w.active, (w.values.get(key) as FlatExpr | undefined) ?? old, value),
        old,
      ),
    );
  }
}

/** Statements that do something besides giving values; whether this is one. */
function act(work: Work, call: CallExpr, values: Values, guard: FlatExpr, scope: Scope): boolean {
  const { b, origin } = work;
  const trigger = work.triggers.at(-1);
  const does = (action: FlatAction['does']): void => void b.actions.push(actionOf(trigger!, guard, action, origin));
  if (call.callee === 'assert') {
    const condition = (e: Expr): FlatExpr => read(work, e, values, scope) as FlatExpr;
    const claim = claimOf(b, call, scope, condition, trigger || isConstant(guard, 1) ? undefined : guard);
    if (claim && trigger) does({ kind: 'assert', ...claim });
    else if (claim) b.assertions.push({ ...claim, origin });
    return true;
  }
  if (call.callee === 'terminate' && trigger) {
    does({ kind: 'terminate', message: messageOf(b, call.args[0], scope, '') });
    return true;
  }
  if (call.callee === 'reinit' && trigger && call.args.length === 2) {
    const news = flattenValue(read(work, call.args[1], values, scope));
    flattenValue(elaborateStrict(b, call.args[0], scope)).forEach((x, k) => {
      if (x.op === 'var') does({ kind: 'reinit', state: x.index, value: news[k] ?? news[0] });
    });
    return true;
  }
  // a message of a text has no effect on values
  return ['print', 'Modelica.Utilities.Streams.print'].includes(call.callee);
}

/** How many values such a subscript can have: the elements of the first of all the others. */
function countAt({ b }: Work, target: RefExpr, { part, at }: MovingIndex, scope: Scope): number {
  const { span } = target;
  const parts = target.parts.map((p, k) => ({
    ...p,
    subscripts: p.subscripts.map((_, j): Expr =>
      k === part && j === at ? { kind: 'colon', span } : { kind: 'number', value: 1, span },
    ),
  }));
  const all = resolveReference(b, { ...target, parts }, scope);
  return all !== undefined && isValue(all) && isArray(all) ? all.length : 0;
}

const withoutSharing = ({ sharing: _sharing, ...scope }: Scope): Scope => scope;
