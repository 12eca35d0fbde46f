import type { Expr, RefExpr, Statement } from '../language/ast';
import { problem } from '../language/diagnostics';
import { printReference } from '../language/print';
import type { Builder } from './builder';
import { elaborateStrict, messageOf, NoValue, resolveReference, resultsOf } from './elaborate';
import { whenTrigger } from './equations';
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
import type { Origin } from './flat-model';
import type { Scope } from './instance';
import { isValue } from './resolve';
import { carryOut, NoStatement, share, type Space, type Values } from './statements';
import { flattenValue, isArray, isRecord, mapValue, type Value } from './values';

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

function partSpace(b: Builder, origin: Origin, held: ReadonlySet<number>, initial: boolean): Space {
  /** What a quantity has before the algorithm gives it a value. */
  const before = (k: number): FlatExpr => {
    const v = b.variables[k];
    if (initial) return variable(k);
    if (held.has(k) || v.kind === 'discrete') return { op: 'pre', index: k };
    return v.start ?? zero;
  };
  const assigned = new Set<number>();
  /** Quantities stand for what they have come to so far; those the algorithm never sets, for themselves. */
  const current = (value: Value, values: Values): Value => {
    const visit = createSubstitution((x) =>
      x.op !== 'var'
        ? undefined
        : ((values.get(x.index) as FlatExpr | undefined) ??
          (assigned.has(x.index) || held.has(x.index) ? before(x.index) : x)),
    );
    return mapValue(value, visit);
  };
  const read = (e: Expr, values: Values, scope: Scope): Value => current(elaborateStrict(b, e, scope), values);
  const put = (index: number, value: FlatExpr, values: Values, scope: Scope): void => {
    assigned.add(index);
    values.set(index, share(b, value, scope, b.variables[index].name.split('.').at(-1)!));
  };
  /** A subscript that is only known during the run. */
  const movingIndex = (target: RefExpr, values: Values, scope: Scope): MovingIndex | undefined =>
    target.parts
      .flatMap((p, part) => p.subscripts.map((index, at) => ({ part, at, index })))
      .find(({ index }) => {
        if (index.kind === 'colon' || index.kind === 'number') return false;
        const v = read(index, values, { ...scope, iterators: new Map([...scope.iterators, ['end', 1]]) });
        return !isArray(v) && !isRecord(v) && b.structural(v) === undefined;
      });
  /** How many values such a subscript can have: the elements of the first of all the others. */
  const countAt = (target: RefExpr, { part, at }: MovingIndex, scope: Scope): number => {
    const { span } = target;
    const parts = target.parts.map((p, k) => ({
      ...p,
      subscripts: p.subscripts.map((_, j): Expr =>
        k === part && j === at ? { kind: 'colon', span } : { kind: 'number', value: 1, span },
      ),
    }));
    const all = resolveReference(b, { ...target, parts }, scope);
    return all !== undefined && isValue(all) && isArray(all) ? all.length : 0;
  };
  /** Gives a target its value, only where a condition holds if there is one. */
  const writeWhere = (target: RefExpr, value: Value, values: Values, scope: Scope, where?: FlatExpr): void => {
    const moving = movingIndex(target, values, scope);
    if (moving) {
      // each element may be the one, and where none is, none has a value
      const chosen = read(moving.index, values, scope) as FlatExpr;
      const count = countAt(target, moving, scope);
      const isInside = binary('and', binary('ge', chosen, one), binary('le', chosen, constant(count)));
      const isHere = (k: number): FlatExpr => {
        const hit = binary('eq', chosen, constant(k));
        return where ? binary('and', where, hit) : hit;
      };
      const without = mapValue(value, () => constant(NaN));
      const outside = where ? binary('and', where, not(isInside)) : not(isInside);
      for (let k = 1; k <= count; k++) {
        const number: Expr = { kind: 'number', value: k, span: moving.index.span };
        const element = withIndex(target, moving, number);
        writeWhere(element, value, values, scope, isHere(k));
        writeWhere(element, without, values, scope, outside);
      }
      return;
    }
    const r = resolveReference(b, target, scope);
    if (r === undefined || !isValue(r)) {
      if (r !== undefined)
        b.report(
          scope.place,
          problem('error', 'not-settable', `${printReference(target)} is a part, not a value`, target.span),
        );
      throw new NoStatement();
    }
    const leaves = flattenValue(r),
      given = flattenValue(value);
    if (leaves.length !== given.length) {
      b.report(
        scope.place,
        problem(
          'error',
          'shape',
          `${printReference(target)} has ${leaves.length} elements, but ${given.length} are given`,
          target.span,
        ),
      );
      throw new NoStatement();
    }
    leaves.forEach((x, k) => {
      if (x.op !== 'var') {
        b.report(
          scope.place,
          problem('error', 'not-settable', `${printReference(target)} cannot be given a value`, target.span),
        );
        throw new NoStatement();
      }
      const now = (values.get(x.index) as FlatExpr | undefined) ?? before(x.index);
      put(x.index, where ? choose(where, given[k], now) : given[k], values, scope);
    });
  };
  const space: Space = {
    read,
    results: (e, values, scope) => resultsOf(b, e, scope).map((v) => current(v, values)),
    settled: (e) => e,
    before: (key) => (typeof key === 'number' ? before(key) : zero),
    write(target, value, values, scope) {
      writeWhere(target, value, values, scope);
    },
    other(s, values, guard, scope) {
      if (s.kind === 'when') {
        let earlier: FlatExpr | undefined;
        let outer: FlatExpr = guard;
        const ways: { active: FlatExpr; values: Values }[] = [];
        for (const branch of s.branches) {
          const trigger = whenTrigger(b, branch.condition, scope, origin, earlier, (v) => current(v, values));
          if (!trigger) continue;
          earlier = earlier ? binary('or', earlier, trigger.active) : trigger.active;
          const own: Values = new Map(values);
          triggers.push(trigger);
          carryOut(
            b,
            branch.body,
            space,
            own,
            isConstant(outer, 1) ? trigger.active : binary('and', outer, trigger.active),
            { ...withoutSharing(scope), guard: trigger.active },
          );
          triggers.pop();
          ways.push({ active: trigger.active, values: own });
          outer = guard;
        }
        for (const key of new Set(ways.flatMap((w) => [...w.values.keys()]))) {
          const old = (values.get(key) as FlatExpr | undefined) ?? (typeof key === 'number' ? before(key) : zero);
          values.set(
            key,
            ways.reduceRight<FlatExpr>(
              (value, w) => choose(w.active, (w.values.get(key) as FlatExpr | undefined) ?? old, value),
              old,
            ),
          );
        }
        return true;
      }
      if (s.kind !== 'call') return false;
      const { call } = s;
      const trigger = triggers.at(-1);
      if (call.callee === 'assert') {
        const condition = call.args[0] ? (read(call.args[0], values, scope) as FlatExpr) : one;
        b.assertions.push({
          condition: isConstant(guard, 1) ? condition : binary('or', not(guard), condition),
          message: messageOf(b, call.args[1], scope, 'An assertion does not hold'),
          warning: false,
          origin,
        });
        return true;
      }
      if (call.callee === 'terminate' && trigger) {
        b.actions.push({
          conditions: trigger.conditions,
          atInitial: trigger.atInitial,
          does: { kind: 'terminate', message: messageOf(b, call.args[0], scope, '') },
          origin,
        });
        return true;
      }
      if (call.callee === 'reinit' && trigger && call.args.length === 2) {
        const states = flattenValue(elaborateStrict(b, call.args[0], scope)),
          news = flattenValue(read(call.args[1], values, scope));
        states.forEach((x, k) => {
          if (x.op === 'var')
            b.actions.push({
              conditions: trigger.conditions,
              atInitial: trigger.atInitial,
              does: {
                kind: 'reinit',
                state: x.index,
                value: choose(guardInside(guard, trigger.active), news[k] ?? news[0], x),
              },
              origin,
            });
        });
        return true;
      }
      // a message of a text has no effect on values
      return ['print', 'Modelica.Utilities.Streams.print'].includes(call.callee);
    },
  };
  const triggers: NonNullable<ReturnType<typeof whenTrigger>>[] = [];
  return space;
}

interface MovingIndex {
  readonly part: number;
  readonly at: number;
  readonly index: Expr;
}

const withIndex = (target: RefExpr, { part, at }: MovingIndex, index: Expr): RefExpr => ({
  ...target,
  parts: target.parts.map((p, k) =>
    k === part ? { ...p, subscripts: p.subscripts.map((x, j) => (j === at ? index : x)) } : p,
  ),
});

/** What has to hold besides the trigger, which does the action anyway. */
const guardInside = (guard: FlatExpr, active: FlatExpr): FlatExpr =>
  guard === active
    ? one
    : guard.op === 'and' && guard.b === active
      ? guard.a
      : guard.op === 'and' && guard.a === active
        ? guard.b
        : guard;

const withoutSharing = ({ sharing: _sharing, ...scope }: Scope): Scope => scope;
