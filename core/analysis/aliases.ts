import { createSubstitution, isConstant, negate, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel, FlatVariable } from '../flatten/flat-model';

/** A variable that always equals another one, or its negative. */
export interface Alias {
  readonly index: number;
  readonly sign: 1 | -1;
}

interface Pair {
  readonly a: number;
  readonly b: number;
  readonly sign: 1 | -1;
}

/** Reads `x = y`, `x = -y`, `x + y = 0` and `x - y = 0`. */
function pairOf(e: FlatEquation): Pair | undefined {
  const signed = (x: FlatExpr): { index: number; sign: 1 | -1 } | undefined =>
    x.op === 'var'
      ? { index: x.index, sign: 1 }
      : x.op === 'neg' && x.a.op === 'var'
        ? { index: x.a.index, sign: -1 }
        : undefined;
  const [l, r] = [signed(e.left), signed(e.right)];
  if (l && r) return { a: l.index, b: r.index, sign: (l.sign * r.sign) as 1 | -1 };
  const sum = isConstant(e.right, 0) ? e.left : isConstant(e.left, 0) ? e.right : undefined;
  if (!sum || (sum.op !== 'add' && sum.op !== 'sub')) return undefined;
  const [p, q] = [signed(sum.a), signed(sum.b)];
  if (!p || !q) return undefined;
  const s = sum.op === 'sub' ? 1 : -1;
  return { a: p.index, b: q.index, sign: (s * p.sign * q.sign) as 1 | -1 };
}

/**
 * Takes variables that equal each other as one: everywhere but in the equation that says so, the first of them stands for all.
 * The others are still computed, from that equation. Links between parts are mostly of this kind.
 */
function mergeOnce(
  model: FlatModel,
  done: Set<FlatEquation>,
): { model: FlatModel; aliases: ReadonlyMap<number, Alias> } {
  const { variables } = model;
  const parent = new Map<number, Alias>();
  const find = (k: number): Alias => {
    const up = parent.get(k);
    if (!up) return { index: k, sign: 1 };
    const root = find(up.index);
    const result: Alias = { index: root.index, sign: (up.sign * root.sign) as 1 | -1 };
    parent.set(k, result);
    return result;
  };
  const hasDerivative = new Set<number>();
  for (const e of [...model.equations, ...model.initialEquations])
    for (const side of [e.left, e.right]) walk(side, (x) => void (x.op === 'der' && hasDerivative.add(x.index)));
  const restarted = new Set(model.actions.flatMap((a) => (a.does.kind === 'reinit' ? [a.does.state] : [])));
  // whoever is likely to be asked for stands for the others
  const rank = (k: number): number => {
    const v = variables[k];
    const prefers = { never: -8, avoid: -4, default: 0, prefer: 4, always: 8 }[v.stateSelect ?? 'default'];
    return (
      (restarted.has(k) ? 100 : 0) +
      (hasDerivative.has(k) ? 50 + prefers : 0) +
      (v.fixed && v.start ? 20 : v.start ? 5 : 0) -
      v.name.length * 1e-3
    );
  };
  const kept = new Set<FlatEquation>();
  const fits = (v: FlatVariable): boolean => v.kind === 'continuous' && v.type === 'Real' && !v.watched;
  for (const e of model.equations) {
    const pair = done.has(e) ? undefined : pairOf(e);
    if (!pair || pair.a === pair.b || !fits(variables[pair.a]) || !fits(variables[pair.b])) continue;
    const [a, b] = [find(pair.a), find(pair.b)];
    if (a.index === b.index || (restarted.has(a.index) && restarted.has(b.index))) continue;
    const sign = (pair.sign * a.sign * b.sign) as 1 | -1;
    const [root, other] = rank(a.index) >= rank(b.index) ? [a.index, b.index] : [b.index, a.index];
    parent.set(other, { index: root, sign });
    kept.add(e);
  }
  if (parent.size === 0) return { model, aliases: new Map() };
  const aliases = new Map<number, Alias>([...parent.keys()].map((k) => [k, find(k)]));
  const rewrite = createSubstitution((e) => {
    const alias = e.op === 'var' || e.op === 'der' ? aliases.get(e.index) : undefined;
    if (!alias || (e.op !== 'var' && e.op !== 'der')) return undefined;
    const x: FlatExpr = { op: e.op, index: alias.index };
    return alias.sign === 1 ? x : negate(x);
  });
  // each equation that made two variables one now computes one of those that lost their place
  const open = new Map<number, number>([...aliases.keys()].map((k) => [k, k]));
  const equations = model.equations.map((e): FlatEquation => {
    if (!kept.has(e)) {
      const [left, right] = [rewrite(e.left), rewrite(e.right)];
      if (left === e.left && right === e.right) return e;
      const next = { left, right, origin: e.origin };
      if (done.has(e)) done.add(next);
      return next;
    }
    const pair = pairOf(e)!;
    const mine = open.has(pair.a) ? pair.a : open.has(pair.b) ? pair.b : (open.keys().next().value as number);
    open.delete(mine);
    const { index, sign } = aliases.get(mine)!;
    const value: FlatExpr = { op: 'var', index };
    const next: FlatEquation = {
      left: { op: 'var', index: mine },
      right: sign === 1 ? value : negate(value),
      origin: e.origin,
    };
    done.add(next);
    return next;
  });
  const changed = [...variables];
  for (const [k, { index, sign }] of aliases) {
    const [v, root] = [variables[k], changed[index]];
    const turned = (x: FlatExpr): FlatExpr => (sign === 1 ? x : negate(x));
    if (v.start && (!root.start || (v.fixed && !root.fixed)))
      changed[index] = { ...changed[index], start: turned(v.start), fixed: v.fixed || root.fixed };
    if (v.nominal && !root.nominal) changed[index] = { ...changed[index], nominal: v.nominal };
  }
  const actions = model.actions.map((a) => {
    if (a.does.kind !== 'reinit') return a;
    const alias = aliases.get(a.does.state);
    if (!alias) return a;
    return {
      ...a,
      does: {
        kind: 'reinit' as const,
        state: alias.index,
        value: alias.sign === 1 ? a.does.value : negate(a.does.value),
      },
    };
  });
  return {
    model: {
      ...model,
      variables: changed,
      equations,
      actions,
      initialEquations: model.initialEquations.map((e) => ({ ...e, left: rewrite(e.left), right: rewrite(e.right) })),
    },
    aliases,
  };
}

/** What is known to be a number everywhere, such as the potential of a ground. */
function putNumbers(model: FlatModel, done: Set<FlatEquation>): FlatModel {
  const numbers = new Map<number, FlatExpr>();
  const fits = (k: number): boolean =>
    model.variables[k].kind === 'continuous' && !model.variables[k].watched && !numbers.has(k);
  const kept = new Map<FlatEquation, FlatEquation>();
  for (const e of model.equations) {
    if (done.has(e)) continue;
    const [x, value] =
      e.left.op === 'var' && isConstant(e.right)
        ? [e.left, e.right]
        : e.right.op === 'var' && isConstant(e.left)
          ? [e.right, e.left]
          : [undefined, undefined];
    if (!x || !value || !fits(x.index)) continue;
    numbers.set(x.index, value);
    kept.set(e, { left: x, right: value, origin: e.origin });
  }
  if (numbers.size === 0) return model;
  const rewrite = createSubstitution((e) =>
    e.op === 'var' ? numbers.get(e.index) : e.op === 'der' && numbers.has(e.index) ? zero : undefined,
  );
  const equations = model.equations.map((e): FlatEquation => {
    const same = kept.get(e);
    if (same) {
      done.add(same);
      return same;
    }
    const [left, right] = [rewrite(e.left), rewrite(e.right)];
    if (left === e.left && right === e.right) return e;
    const next = { left, right, origin: e.origin };
    if (done.has(e)) done.add(next);
    return next;
  });
  return {
    ...model,
    equations,
    initialEquations: model.initialEquations.map((e) => ({ ...e, left: rewrite(e.left), right: rewrite(e.right) })),
  };
}

const mostPasses = 12;

/** Puts numbers for what is constant and one variable for several that are equal, until nothing changes. */
export function mergeAliases(model: FlatModel): { model: FlatModel; aliases: ReadonlyMap<number, Alias> } {
  const done = new Set<FlatEquation>();
  const aliases = new Map<number, Alias>();
  let at = model;
  for (let pass = 0; pass < mostPasses; pass++) {
    const before = at;
    at = putNumbers(at, done);
    const merged = mergeOnce(at, done);
    at = merged.model;
    // what an earlier pass made equal to a variable that has now lost its place follows it
    for (const [k, a] of aliases) {
      const next = merged.aliases.get(a.index);
      if (next) aliases.set(k, { index: next.index, sign: (a.sign * next.sign) as 1 | -1 });
    }
    merged.aliases.forEach((a, k) => aliases.set(k, a));
    if (at === before) break;
  }
  return { model: at, aliases };
}
