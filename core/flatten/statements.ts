import type { Expr, RefExpr, Statement } from '../language/ast';
import { problem, type Span } from '../language/diagnostics';
import { printExpression } from '../language/print';
import { plainVariable, type Builder } from './builder';
import { binary, choose, constant, not, operands, variable, zero, type FlatExpr } from './flat-expression';
import { rangeOf } from './implied-range';
import type { Scope } from './instance';
import { chooseValue, isArray, isRecord, mapValue, type Value } from './values';

/** Thrown where statements cannot be turned into expressions; the problem has been reported. */
export class NoStatement extends Error {}

/** What names stand for at a point of a sequence of statements. */
export type Values = Map<string | number, Value>;

/** Where statements are carried out: the body of a function, or an algorithm of a part. */
export interface Space {
  read(e: Expr, values: Values, scope: Scope): Value;
  write(target: RefExpr, value: Value, values: Values, scope: Scope): void;
  /** A value that is kept: what its conditions mean to the simulator is said here. */
  settled(e: FlatExpr): FlatExpr;
  /** Values of a function call with several results. */
  results(e: Expr, values: Values, scope: Scope): readonly Value[];
  /** What a name has that only some branches give a value. */
  before(key: string | number): Value;
  /** Carries out what only this kind of place knows; false where it does not know it either. */
  other(s: Statement, values: Values, guard: FlatExpr, scope: Scope): boolean;
}

const maximumTurns = 100_000;
/** How often a loop is written out whose turns are counted during the run; without variables of their own, values double with each. */
const openTurns = 200,
  openTurnsUnshared = 12;

/** `return`: whatever follows has been carried out, or will not be. */
type Outcome = 'on' | 'return';
type Carry = (values: Values, guard: FlatExpr, scope: Scope) => Outcome;

/** Stands behind the body of a loop that may be left in different ways: what comes next on each of them. */
interface Turn {
  readonly kind: 'turn';
  readonly next: Carry;
  readonly leave: Carry;
}
type Step = Statement | Turn;

/**
 * Carries out statements with expressions in place of numbers. Loops and choices that are decided before the run are followed; other
 * choices become conditional values, and a loop that goes on as long as a value of the run says is written out turn by turn, each
 * inside the condition of the one before.
 */
export function carryOut(
  b: Builder,
  body: readonly Step[],
  space: Space,
  values: Values,
  guard: FlatExpr,
  scope: Scope,
): Outcome {
  const stop = (span: Span, message: string): never => {
    b.report(scope.place, problem('error', 'not-supported', message, span));
    throw new NoStatement();
  };
  const one = (e: Expr, what: string): FlatExpr => {
    const v = space.read(e, values, scope);
    return isArray(v) || isRecord(v) ? stop(e.span, `${what} needs a single value`) : v;
  };
  for (let k = 0; k < body.length; k++) {
    const s = body[k];
    switch (s.kind) {
      case 'assign': {
        if (s.target.kind === 'ref') space.write(s.target, space.read(s.value, values, scope), values, scope);
        else {
          const results = space.results(s.value, values, scope);
          s.target.elements.forEach((t, j) => {
            if (t.kind === 'ref' && results[j] !== undefined) space.write(t, results[j], values, scope);
          });
        }
        break;
      }
      case 'if': {
        const rest = body.slice(k + 1);
        const leaves = [...s.branches.map((x) => x.body), s.otherwise].some(mayLeave);
        let open: FlatExpr = guard;
        const ways: { condition: FlatExpr | undefined; values: Values }[] = [];
        let decided: readonly Statement[] | undefined;
        const follow = (statements: readonly Statement[], condition: FlatExpr | undefined, inside: FlatExpr): void => {
          const own: Values = new Map(values);
          carryOut(b, leaves ? [...statements, ...rest] : statements, space, own, inside, withGuard(scope, inside));
          ways.push({ condition, values: own });
        };
        for (const branch of s.branches) {
          const c = one(branch.condition, 'A condition');
          const known = b.structural(c);
          if (known === undefined) {
            follow(branch.body, c, binary('and', open, c));
            open = binary('and', open, not(c));
          } else if (known) {
            decided = branch.body;
            break;
          }
        }
        if (ways.length === 0) {
          if (leaves) return carryOut(b, [...(decided ?? s.otherwise), ...rest], space, values, guard, scope);
          carryOut(b, decided ?? s.otherwise, space, values, guard, scope);
          break;
        }
        follow(decided ?? s.otherwise, undefined, open);
        merge(b, ways, values, space, scope);
        if (leaves) return 'return';
        break;
      }
      case 'for':
      case 'while': {
        const returns = mayReturn(s.body);
        const rest = body.slice(k + 1);
        const leave: Carry = returns ? (v, g, at) => (carryOut(b, rest, space, v, g, at), 'return') : () => 'on';
        const loop: Loop = { b, space, leave, leaves: returns || mayBreak(s.body), stop };
        if (s.kind === 'for') turns(loop, s, values, guard, scope, leave);
        else turnsWhile(loop, s, values, guard, scope, 0);
        if (returns) return 'return';
        break;
      }
      case 'turn':
        return s.next(values, guard, scope);
      case 'return':
        return 'return';
      case 'break': {
        const turn = body.slice(k).find((x) => x.kind === 'turn');
        return turn ? turn.leave(values, guard, scope) : stop(s.span, 'Only a loop can be left with break');
      }
      case 'error':
        break;
      default:
        if (!space.other(s, values, guard, scope)) stop(s.span, 'This statement cannot stand here');
    }
  }
  return 'on';
}

const withGuard = (scope: Scope, guard: FlatExpr): Scope => ({ ...scope, guard });

interface Loop {
  readonly b: Builder;
  readonly space: Space;
  /** What follows the loop, where a way out of the loop has to take it along. */
  readonly leave: Carry;
  /** It may be left before its end. */
  readonly leaves: boolean;
  readonly stop: (span: Span, message: string) => never;
}

/** One turn, and `next` after it. */
function turn(
  { b, space, leave, leaves }: Loop,
  body: readonly Statement[],
  values: Values,
  guard: FlatExpr,
  scope: Scope,
  next: Carry,
): Outcome {
  if (leaves) return carryOut(b, [...body, { kind: 'turn', next, leave }], space, values, guard, scope);
  carryOut(b, body, space, values, guard, scope);
  return next(values, guard, scope);
}

function turns(
  loop: Loop,
  s: Extract<Statement, { kind: 'for' }>,
  values: Values,
  guard: FlatExpr,
  scope: Scope,
  after: Carry,
): Outcome {
  const [first, ...rest] = s.iterators;
  const found = rangeOf(first, s.body, (e) => loop.space.read(e, values, scope))!;
  if ('problem' in found) return loop.stop(first.span, found.problem);
  const { range } = found;
  const inner = (x: Value): Scope => {
    const known = isArray(x) || isRecord(x) ? undefined : loop.b.structural(x);
    return known === undefined
      ? { ...scope, values: new Map([...(scope.values ?? []), [first.name, x]]) }
      : { ...scope, iterators: new Map([...scope.iterators, [first.name, known]]) };
  };
  const one = (x: Value, v: Values, g: FlatExpr, guarded: Scope['guard'], next: Carry): Outcome => {
    const at: Scope = { ...inner(x), ...(guarded && { guard: guarded }) };
    return rest.length > 0
      ? turns(loop, { ...s, iterators: rest }, v, g, at, next)
      : turn(loop, s.body, v, g, at, next);
  };
  if (!loop.leaves) {
    for (const x of range) one(x, values, guard, scope.guard, () => 'on');
    return after(values, guard, scope);
  }
  const from =
    (k: number): Carry =>
    (v, g, at) =>
      k < range.length ? one(range[k], v, g, at.guard, from(k + 1)) : after(v, g, at);
  return from(0)(values, guard, scope);
}

function turnsWhile(
  loop: Loop,
  s: Extract<Statement, { kind: 'while' }>,
  values: Values,
  guard: FlatExpr,
  scope: Scope,
  done: number,
): Outcome {
  const { b, space, stop } = loop;
  const condition = (): FlatExpr => {
    const c = space.read(s.condition, values, scope);
    return isArray(c) || isRecord(c) ? stop(s.condition.span, 'A condition needs a single value') : c;
  };
  const next =
    (k: number): Carry =>
    (v, g, at) =>
      turnsWhile(loop, s, v, g, at, k);
  for (let count = done; ; count++) {
    const c = condition();
    const known = b.structural(c);
    if (known === undefined) return openTurn(loop, s, c, values, guard, scope, count);
    if (!known) return loop.leave(values, guard, scope);
    if (count > maximumTurns) stop(s.span, `The loop "while ${printExpression(s.condition)}" does not end`);
    if (loop.leaves) return turn(loop, s.body, values, guard, scope, next(count + 1));
    carryOut(b, s.body, space, values, guard, scope);
  }
}

/** A turn that is taken only where its condition holds during the run. */
function openTurn(
  loop: Loop,
  s: Extract<Statement, { kind: 'while' }>,
  condition: FlatExpr,
  values: Values,
  guard: FlatExpr,
  scope: Scope,
  count: number,
): Outcome {
  const { b, space, leave, stop } = loop;
  const text = `while ${printExpression(s.condition)}`;
  if (count >= openTurnsUnshared && !scope.sharing)
    stop(
      s.span,
      `How often "${text}" runs depends on values that are not known yet: here such a loop may take ${openTurnsUnshared} turns`,
    );
  const holds = isLarge(condition) ? shareCondition(b, condition, scope) : condition;
  const inside = shareCondition(b, binary('and', guard, holds), scope);
  if (count >= openTurns) {
    b.assertions.push({
      condition: not(inside),
      message: [`The loop "${text}" took more than ${openTurns} turns`],
      warning: false,
      origin: scope.sharing!.origin,
    });
    return leave(values, guard, scope);
  }
  const taken: Values = new Map(values),
    left: Values = new Map(values);
  turn(loop, s.body, taken, inside, withGuard(scope, inside), (v, g, at) => turnsWhile(loop, s, v, g, at, count + 1));
  const otherwise = binary('and', guard, not(holds));
  const outcome = leave(left, otherwise, withGuard(scope, otherwise));
  merge(
    b,
    [
      { condition: holds, values: taken },
      { condition: undefined, values: left },
    ],
    values,
    space,
    scope,
  );
  return outcome;
}

const within = (body: readonly Statement[], found: (s: Statement) => boolean, loops: boolean): boolean =>
  body.some(
    (s) =>
      found(s) ||
      (s.kind === 'if' && [...s.branches.map((x) => x.body), s.otherwise].some((x) => within(x, found, loops))) ||
      (loops && (s.kind === 'for' || s.kind === 'while') && within(s.body, found, loops)),
  );
const mayBreak = (body: readonly Statement[]): boolean => within(body, (s) => s.kind === 'break', false);
const mayReturn = (body: readonly Statement[]): boolean => within(body, (s) => s.kind === 'return', true);
const mayLeave = (body: readonly Statement[]): boolean => mayBreak(body) || mayReturn(body);

/** Joins what the branches came to: names that differ get a conditional value. */
function merge(
  b: Builder,
  ways: readonly { condition: FlatExpr | undefined; values: Values }[],
  into: Values,
  space: Space,
  scope: Scope,
): void {
  const names = new Set(ways.flatMap((w) => [...w.values.keys()]));
  for (const name of names) {
    const all = ways.map((w) => w.values.get(name) ?? into.get(name) ?? space.before(name));
    if (all.every((v) => v === all[0])) {
      into.set(name, all[0]);
      continue;
    }
    const joined = ways
      .slice(0, -1)
      .reduceRight<Value>((value, w, k) => chooseValue(w.condition!, all[k], value), all.at(-1)!);
    into.set(name, share(b, mapValue(joined, space.settled), scope, typeof name === 'string' ? name : 'way'));
  }
}

const sharedFrom = 60;

function isLarge(e: FlatExpr): boolean {
  let left = sharedFrom;
  const visit = (x: FlatExpr): void => {
    if (--left > 0) operands(x).forEach(visit);
  };
  visit(e);
  return left <= 0;
}

/** Gives large intermediate values a variable of their own, so that what uses them twice does not write them twice. */
export function share(b: Builder, value: Value, scope: Scope, name: string): Value {
  if (!scope.sharing) return value;
  return mapValue(value, (e) => {
    if (!isLarge(e)) return e;
    const prefix = scope.sharing!.name;
    const index = b.add(
      plainVariable(
        {
          name: `${prefix ? `${prefix}.` : ''}$${name}${b.variables.length}`,
          type: 'Real',
          kind: 'continuous',
          place: scope.place,
        },
        { hidden: true },
      ),
    );
    b.equations.push({
      left: variable(index),
      right: scope.guard ? choose({ op: 'noEvent', a: scope.guard }, e, zero) : e,
      origin: scope.sharing!.origin,
    });
    return variable(index);
  });
}

/** A condition that many others contain: a variable of its own that is 1 where it holds. */
function shareCondition(b: Builder, condition: FlatExpr, scope: Scope): FlatExpr {
  if (!scope.sharing) return condition;
  const prefix = scope.sharing.name;
  const index = b.add(
    plainVariable(
      {
        name: `${prefix ? `${prefix}.` : ''}$turn${b.variables.length}`,
        type: 'Real',
        kind: 'continuous',
        place: scope.place,
      },
      { hidden: true },
    ),
  );
  b.equations.push({
    left: variable(index),
    right: { op: 'noEvent', a: choose(condition, constant(1), zero) },
    origin: scope.sharing.origin,
  });
  return { op: 'gt', a: variable(index), b: constant(0.5) } as FlatExpr;
}
