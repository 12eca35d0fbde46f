import { differentiate } from '../flatten/differentiate';
import { createSubstitution, evaluate, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { chooseColumns } from './choose-columns';
import { createDerivativeChain, type DerivativeChain } from './derivative-chain';
import { parameterValues } from './parameters';

/** What was done to a model whose constraints tie states to each other. */
export interface Reduction {
  readonly model: FlatModel;
  /** Equations that hold along every solution but are not used to compute one: the states are kept on them. */
  readonly invariants: readonly FlatEquation[];
  /** Equations that were differentiated, and how often. */
  readonly differentiated: readonly { readonly equation: FlatEquation; readonly times: number }[];
  /** Variables that have a derivative but are no states. */
  readonly dependent: readonly number[];
}

/** What has to be differentiated, how often. */
export interface Differentiation {
  readonly states: ReadonlySet<number>;
  /** Of equations, by their number. */
  readonly times: ReadonlyMap<number, number>;
  /** The highest derivative of each variable that is left. */
  readonly order: ReadonlyMap<number, number>;
  /** Variables of the equations that are differentiated. */
  readonly tied: ReadonlySet<number>;
}

/** Writes the reduced model: the differentiated equations, the chosen states, and what stays as invariants. */
export function reducedModel(model: FlatModel, what: Differentiation, problems: Problem[]): Reduction | undefined {
  const chain = createDerivativeChain(model);
  const orderOf = (x: number): number => what.order.get(x) ?? 0;
  const open = createSubstitution((x) =>
    x.op === 'der' && (what.tied.has(x.index) || orderOf(x.index) > 1) ? chain.holder(x.index, 1) : undefined,
  );
  const opened = (e: FlatEquation): FlatEquation => ({ left: open(e.left), right: open(e.right), origin: e.origin });
  const levels = new Map<number, readonly FlatEquation[]>();
  for (const [base, count] of what.times) {
    const list = levelsOf(model, opened(model.equations[base]), count, chain, orderOf, problems);
    if (list) levels.set(base, list);
  }
  if (levels.size < what.times.size) return undefined;
  const weight = weights(model, what.states);
  const constraints = constraintsOf(model, what, levels, chain, weight);
  const { given, solved } = choose(constraints, orderOf, weight);

  // a derivative that is integrated goes back to being one
  const integrated = (x: number): number => orderOf(x) - (given.get(x) ?? 0);
  const close = createSubstitution((e) => {
    if (e.op !== 'var') return undefined;
    const { x, p } = chain.placeOf(e.index);
    return p > 0 && p === orderOf(x) && integrated(x) === p
      ? { op: 'der', index: chain.derivativeOf(x, p - 1) }
      : undefined;
  });
  const closed = (e: FlatEquation): FlatEquation => ({ left: close(e.left), right: close(e.right), origin: e.origin });
  const equations = model.equations.map((e, base) => closed(levels.get(base)?.at(-1) ?? opened(e)));
  const invariants: FlatEquation[] = [];
  for (const c of constraints)
    for (let k = 0; k < c.times; k++)
      (c.times - k <= (solved.get(c.base) ?? 0) ? equations : invariants).push(closed(levels.get(c.base)![k]));
  const dependent: number[] = [];
  for (const x of what.order.keys())
    if (what.tied.has(x) || orderOf(x) > 1) {
      equations.push(...chainEquations(model, chain, x, orderOf(x), integrated(x)));
      for (let p = integrated(x); p < orderOf(x); p++) dependent.push(chain.derivativeOf(x, p));
    }
  // a derivative that is integrated needs no variable of its own
  for (const [x, own] of chain.all()) {
    const top = own[orderOf(x)];
    if (top !== undefined && orderOf(x) > 0 && integrated(x) === orderOf(x))
      chain.variables[top] = { ...chain.variables[top], kind: 'constant', binding: zero };
  }
  const initialEquations = model.initialEquations.map((e) => closed(opened(e)));
  return {
    model: { ...model, variables: chain.variables, equations, initialEquations },
    invariants,
    dependent,
    differentiated: [...what.times].map(([base, times]) => ({ equation: model.equations[base], times })),
  };
}

/** An equation and its derivatives; undefined where that would need the derivative of an input. */
function levelsOf(
  model: FlatModel,
  e: FlatEquation,
  count: number,
  chain: DerivativeChain,
  orderOf: (x: number) => number,
  problems: Problem[],
): readonly FlatEquation[] | undefined {
  const { origin } = e;
  let failed = false;
  const derive = (side: FlatExpr): FlatExpr =>
    differentiate(side, (leaf) => {
      if (leaf.op === 'time') return { op: 'const', value: 1 };
      if (leaf.op !== 'var') return zero;
      const { x, p } = chain.placeOf(leaf.index);
      const { kind, name } = model.variables[x];
      if (kind === 'continuous') return orderOf(x) > p ? chain.holder(x, p + 1) : zero;
      if (kind === 'external') {
        failed = true;
        problems.push({
          ...problem(
            'error',
            'input-derivative',
            `"${origin.text}" ties states to the input ${name}, so that its derivative would be needed: let the input act through a state, or give it a formula`,
            origin.span,
          ),
          place: origin.place,
        });
      }
      return zero;
    });
  const list = [e];
  for (let k = 1; k <= count; k++) {
    const { left, right } = list[k - 1];
    list.push({
      left: derive(left),
      right: derive(right),
      origin: {
        ...origin,
        get text() {
          return `${'derivative of '.repeat(k)}${origin.text}`;
        },
      },
    });
  }
  return failed ? undefined : list;
}

/** What is given up as a state first. */
function weights(model: FlatModel, states: ReadonlySet<number>): (x: number) => number {
  const restarted = new Set(model.actions.flatMap((a) => (a.does.kind === 'reinit' ? [a.does.state] : [])));
  return (x) => {
    const v = model.variables[x];
    const select = { never: -20, avoid: -10, default: 0, prefer: 20, always: 40 }[v.stateSelect ?? 'default'];
    return (
      (states.has(x) ? 5 : 0) +
      (v.fixed && v.start ? 3 : v.start ? 1 : 0) +
      (restarted.has(x) ? 60 : 0) +
      select -
      v.name.length * 1e-3
    );
  };
}

interface Constraint {
  readonly base: number;
  readonly times: number;
  /** Coefficient of each variable's highest derivative; undefined where it is no number. */
  readonly coefficients: Map<number, number | undefined>;
  readonly own: number | undefined;
}

/** How each differentiated equation holds its highest derivatives: the partial derivatives of the equation as written. */
function constraintsOf(
  model: FlatModel,
  { times, order }: Differentiation,
  levels: ReadonlyMap<number, readonly FlatEquation[]>,
  chain: DerivativeChain,
  weight: (x: number) => number,
): readonly Constraint[] {
  const numberOf = fixedNumbers(model);
  return [...times].map(([base, count]): Constraint => {
    const [e] = levels.get(base)!;
    const coefficients = new Map<number, number | undefined>();
    const seen = new Set<number>();
    for (const side of [e.left, e.right]) walk(side, (x) => void (x.op === 'var' && seen.add(x.index)));
    for (const index of seen) {
      const { x, p } = chain.placeOf(index);
      if (model.variables[x]?.kind !== 'continuous' || (order.get(x) ?? 0) - count !== p) continue;
      const part = (side: FlatExpr): FlatExpr =>
        differentiate(side, (leaf) => ({ op: 'const', value: leaf.op === 'var' && leaf.index === index ? 1 : 0 }));
      const [l, r] = [numberOf(part(e.left)), numberOf(part(e.right))];
      const value = l === undefined || r === undefined ? undefined : l - r;
      if (value !== 0) coefficients.set(x, value);
    }
    const own = [e.left, e.right]
      .flatMap((side) => (side.op === 'var' ? [chain.placeOf(side.index).x] : []))
      .sort((x, y) => weight(x) - weight(y))[0];
    return { base, times: count, coefficients, own };
  });
}

/** The value of a term that is the same throughout a run. */
function fixedNumbers(model: FlatModel): (e: FlatExpr) => number | undefined {
  const parameter = parameterValues(model);
  const isKnown = (k: number): boolean => ['constant', 'parameter'].includes(model.variables[k]?.kind ?? '');
  return (e) => {
    let fixed = true;
    walk(e, (x) => {
      if (
        (x.op === 'var' && !isKnown(x.index)) ||
        ['der', 'pre', 'time', 'initial', 'terminal', 'sample'].includes(x.op)
      )
        fixed = false;
      return !fixed;
    });
    if (!fixed) return undefined;
    const value = evaluate(e, parameter);
    return Number.isFinite(value) ? value : undefined;
  };
}

/** Stage by stage, how often the highest derivatives of a variable are no derivatives of states, and how often each equation gives one. */
function choose(
  constraints: readonly Constraint[],
  orderOf: (x: number) => number,
  weight: (x: number) => number,
): { readonly given: ReadonlyMap<number, number>; readonly solved: ReadonlyMap<number, number> } {
  const given = new Map<number, number>();
  const solved = new Map<number, number>();
  const most = Math.max(...constraints.map((c) => c.times));
  for (let stage = 1; stage <= most; stage++) {
    const taking = constraints.filter((c) => c.times >= stage && (solved.get(c.base) ?? 0) === stage - 1);
    const usable = (x: number): boolean => orderOf(x) - stage + 1 >= 1 && (given.get(x) ?? 0) === stage - 1;
    const chosen = chooseColumns(
      taking.map((c) => ({ own: c.own, coefficients: new Map([...c.coefficients].filter(([x]) => usable(x))) })),
      weight,
    );
    taking.forEach((c, k) => {
      const x = chosen[k];
      if (x === undefined) return;
      given.set(x, stage);
      solved.set(c.base, stage);
    });
  }
  return { given, solved };
}

/** That each derivative that is integrated is the derivative of the one below it. */
function chainEquations(
  model: FlatModel,
  chain: DerivativeChain,
  x: number,
  order: number,
  integrated: number,
): readonly FlatEquation[] {
  const { place, span = { start: 0, end: 0 } } = model.variables[x];
  const equations: FlatEquation[] = [];
  for (let p = 1; p <= integrated; p++) {
    if (p === order) continue;
    const index = chain.derivativeOf(x, p - 1);
    equations.push({
      left: { op: 'der', index },
      right: chain.holder(x, p),
      origin: { part: '', place, span, text: `der(${chain.variables[index].name})` },
    });
  }
  return equations;
}
