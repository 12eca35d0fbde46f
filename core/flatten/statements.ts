import type { Expr, RefExpr, Statement } from '../language/ast';
import { problem, type Span } from '../language/diagnostics';
import { printExpression } from '../language/print';
import { plainVariable, type Builder } from './builder';
import { binary, choose, not, operands, variable, zero, type FlatExpr } from './flat-expression';
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
  /** Values of a function call with several results. */
  results(e: Expr, values: Values, scope: Scope): readonly Value[];
  /** What a name has that only some branches give a value. */
  before(key: string | number): Value;
  /** Carries out what only this kind of place knows; false where it does not know it either. */
  other(s: Statement, values: Values, guard: FlatExpr, scope: Scope): boolean;
}

const maximumTurns = 100_000;

type Outcome = 'on' | 'break' | 'return';

/** Carries out statements with expressions in place of numbers. Loops and choices that are decided before the run are followed; other choices become conditional values. */
export function carryOut(b: Builder, body: readonly Statement[], space: Space, values: Values, guard: FlatExpr, scope: Scope): Outcome {
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
          const outcome = carryOut(b, leaves ? [...statements, ...rest] : statements, space, own, inside, withGuard(scope, inside));
          if (outcome === 'break') stop(s.span, 'A loop can be left early only by a condition that is known before the run');
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
          const outcome = carryOut(b, decided ?? s.otherwise, space, values, guard, scope);
          if (outcome !== 'on') return outcome;
          break;
        }
        follow(decided ?? s.otherwise, undefined, open);
        merge(ways, values, space);
        if (leaves) return 'return';
        break;
      }
      case 'for': {
        const outcome = turns(b, s, space, values, guard, scope, stop);
        if (outcome === 'return') return outcome;
        break;
      }
      case 'while': {
        for (let turn = 0; ; turn++) {
          const known = b.structural(one(s.condition, 'A condition'));
          if (known === undefined) stop(s.span, `How often "while ${printExpression(s.condition)}" runs depends on values that change during the run: give the loop a fixed number of turns with an if inside`);
          if (!known) break;
          if (turn > maximumTurns) stop(s.span, `The loop "while ${printExpression(s.condition)}" does not end`);
          const outcome = carryOut(b, s.body, space, values, guard, scope);
          if (outcome === 'break') break;
          if (outcome === 'return') return outcome;
        }
        break;
      }
      case 'return': return 'return';
      case 'break': return 'break';
      case 'error': break;
      default:
        if (!space.other(s, values, guard, scope)) stop(s.span, 'This statement cannot stand here');
    }
  }
  return 'on';
}

const withGuard = (scope: Scope, guard: FlatExpr): Scope => ({ ...scope, guard });

function turns(
  b: Builder, s: Extract<Statement, { kind: 'for' }>, space: Space, values: Values, guard: FlatExpr, scope: Scope, stop: (span: Span, message: string) => never,
): Outcome {
  const [first, ...rest] = s.iterators;
  const range = first.range ? space.read(first.range, values, scope) : stop(first.span, `The index ${first.name} needs a range: ${first.name} in 1:n`);
  if (!isArray(range)) return stop(first.span, `The index ${first.name} needs a range: ${first.name} in 1:n`);
  for (const x of range) {
    const known = isArray(x) || isRecord(x) ? undefined : b.structural(x);
    const inner: Scope = known === undefined
      ? { ...scope, values: new Map([...(scope.values ?? []), [first.name, x]]) }
      : { ...scope, iterators: new Map([...scope.iterators, [first.name, known]]) };
    const outcome = rest.length > 0 ? turns(b, { ...s, iterators: rest }, space, values, guard, inner, stop) : carryOut(b, s.body, space, values, guard, inner);
    if (outcome === 'break') break;
    if (outcome === 'return') return outcome;
  }
  return 'on';
}

const mayLeave = (body: readonly Statement[]): boolean =>
  body.some((s) => s.kind === 'return' || s.kind === 'break' || (s.kind === 'if' && ([...s.branches.map((x) => x.body), s.otherwise].some(mayLeave))) || ((s.kind === 'for' || s.kind === 'while') && s.body.some((x) => x.kind === 'return' || (x.kind === 'if' && mayLeave([x])))));

/** Joins what the branches came to: names that differ get a conditional value. */
function merge(ways: readonly { condition: FlatExpr | undefined; values: Values }[], into: Values, space: Space): void {
  const names = new Set(ways.flatMap((w) => [...w.values.keys()]));
  for (const name of names) {
    const all = ways.map((w) => w.values.get(name) ?? into.get(name) ?? space.before(name));
    if (all.every((v) => v === all[0])) {
      into.set(name, all[0]);
      continue;
    }
    into.set(name, ways.slice(0, -1).reduceRight<Value>((value, w, k) => chooseValue(w.condition!, all[k], value), all.at(-1)!));
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
    const index = b.add(plainVariable({ name: `${prefix ? `${prefix}.` : ''}$${name}${b.variables.length}`, type: 'Real', kind: 'continuous', place: scope.place }, { hidden: true }));
    b.equations.push({ left: variable(index), right: scope.guard ? choose(scope.guard, e, zero) : e, origin: scope.sharing!.origin });
    return variable(index);
  });
}
