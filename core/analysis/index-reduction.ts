import { problem, type Problem } from '../language/diagnostics';
import { plainVariable } from '../flatten/builder';
import {
  createSubstitution,
  evaluate,
  isRelation,
  operands,
  walk,
  zero,
  type FlatExpr,
} from '../flatten/flat-expression';
import type { FlatEquation, FlatModel, FlatVariable } from '../flatten/flat-model';
import { givesDiscrete } from './discrete';
import { differentiate } from '../flatten/differentiate';
import { match } from './matching';
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

interface Node {
  readonly variable: number;
  readonly order: number;
  derivative: number;
}
interface Row {
  readonly base: number;
  readonly level: number;
  readonly nodes: readonly number[];
  derivative: number;
}

const deepest = 8;

/**
 * Lowers the index of a model (Pantelides 1988), then chooses which of the tied variables are integrated (dummy derivatives,
 * Mattsson and Söderlind 1993) as far as coefficients that cannot vanish allow it. Constraints without such a coefficient stay
 * as invariants: all of their variables are integrated and brought back onto the constraint after each step (coordinate
 * projection, Eich 1993), so that no choice of states has to be changed on the way.
 * Undefined where nothing has to be done, or nothing can be.
 */
export function reduceIndex(model: FlatModel, states: readonly number[], problems: Problem[]): Reduction | undefined {
  const n = model.variables.length;
  const isState = new Set(states);
  const unknown = (k: number): boolean => model.variables[k].kind === 'continuous';
  const nodes: Node[] = [];
  const nodeOf = new Map<number, number>();
  const addNode = (variable: number, order: number): number => {
    nodes.push({ variable, order, derivative: -1 });
    return nodes.length - 1;
  };
  const node = (variable: number, order: number): number => {
    let k = nodeOf.get(variable);
    if (k === undefined) {
      k = addNode(variable, 0);
      nodeOf.set(variable, k);
      if (isState.has(variable)) nodes[k].derivative = addNode(variable, 1);
    }
    return order === 0 ? k : nodes[k].derivative;
  };
  const collect = (e: FlatExpr, into: Set<number>): void => {
    if (e.op === 'var') {
      if (unknown(e.index)) into.add(node(e.index, 0));
    } else if (e.op === 'der') into.add(node(e.index, 1));
    else if (isRelation(e.op)) return;
    else if (e.op === 'if') {
      collect(e.a, into);
      collect(e.b, into);
    } else for (const x of operands(e)) collect(x, into);
  };
  const isDiscrete = (e: FlatEquation): boolean =>
    (
      [
        [e.left, e.right],
        [e.right, e.left],
      ] as const
    ).some(
      ([x, other]) =>
        x.op === 'var' && model.variables[x.index].kind === 'discrete' && givesDiscrete(model, x.index, other),
    );
  const rows: Row[] = [];
  model.equations.forEach((e, base) => {
    if (isDiscrete(e)) return;
    const found = new Set<number>();
    collect(e.left, found);
    collect(e.right, found);
    rows.push({ base, level: 0, nodes: [...found], derivative: -1 });
  });
  // a system that is singular whatever is differentiated has no index: its matching is explained elsewhere
  const flat = rows.map((r) => [...new Set(r.nodes.map((k) => nodes[k].variable))]);
  const whole = match(flat, n);
  if (whole.unknownOf.some((u) => u < 0)) return undefined;
  const highest = (r: Row): number[] => r.nodes.filter((k) => nodes[k].derivative < 0);
  const first = match(rows.map(highest), nodes.length);
  if (first.unknownOf.every((u) => u >= 0)) return undefined;

  const equationOf = [...first.equationOf];
  const unknownOf = [...first.unknownOf];
  const started = rows.length;
  for (let start = 0; start < started; start++) {
    if (unknownOf[start] >= 0) continue;
    for (let r = start; ;) {
      const { found, seenRows, seenNodes } = augment(rows, nodes, r, unknownOf, equationOf);
      if (found) break;
      if (rows[r].level >= deepest) return undefined;
      for (const k of seenNodes) {
        nodes[k].derivative = addNode(nodes[k].variable, nodes[k].order + 1);
        equationOf.push(-1);
      }
      for (const q of seenRows) {
        const row = rows[q];
        const derived = row.nodes.map((k) => nodes[k].derivative).filter((k) => k >= 0);
        rows.push({
          base: row.base,
          level: row.level + 1,
          nodes: [...new Set([...row.nodes, ...derived])],
          derivative: -1,
        });
        unknownOf.push(-1);
        row.derivative = rows.length - 1;
      }
      for (const k of seenNodes) {
        const by = equationOf[k];
        if (by < 0) continue;
        unknownOf[rows[by].derivative] = nodes[k].derivative;
        equationOf[nodes[k].derivative] = rows[by].derivative;
      }
      r = rows[r].derivative;
    }
  }
  return write(model, isState, nodes, rows, problems);
}

/** Looks for a free unknown along alternating paths; tells what was reached where there is none. */
function augment(
  rows: readonly Row[],
  nodes: readonly Node[],
  start: number,
  unknownOf: number[],
  equationOf: number[],
): { found: boolean; seenRows: number[]; seenNodes: number[] } {
  const cameFrom = new Map<number, number>();
  const queue = [start];
  for (let k = 0; k < queue.length; k++) {
    const r = queue[k];
    for (const u of rows[r].nodes) {
      if (nodes[u].derivative >= 0 || cameFrom.has(u)) continue;
      cameFrom.set(u, r);
      if (equationOf[u] >= 0) {
        queue.push(equationOf[u]);
        continue;
      }
      for (let at = u; ;) {
        const by = cameFrom.get(at)!;
        const before = unknownOf[by];
        unknownOf[by] = at;
        equationOf[at] = by;
        if (by === start) return { found: true, seenRows: [], seenNodes: [] };
        at = before;
      }
    }
  }
  return { found: false, seenRows: queue, seenNodes: [...cameFrom.keys()] };
}

/** Writes the reduced model: the differentiated equations, the chosen states, and what stays as invariants. */
function write(
  model: FlatModel,
  isState: ReadonlySet<number>,
  nodes: readonly Node[],
  rows: readonly Row[],
  problems: Problem[],
): Reduction | undefined {
  const order = new Map<number, number>();
  for (const k of nodes) order.set(k.variable, Math.max(order.get(k.variable) ?? 0, k.order));
  const times = new Map<number, number>();
  for (const r of rows) if (r.level > 0) times.set(r.base, Math.max(times.get(r.base) ?? 0, r.level));
  const tied = new Set<number>();
  for (const r of rows) if (times.has(r.base)) for (const k of r.nodes) tied.add(nodes[k].variable);
  const orderOf = (x: number): number => order.get(x) ?? 0;

  const variables: FlatVariable[] = [...model.variables];
  const chain = new Map<number, number[]>();
  /** The variable that holds the derivative of some order of another one. */
  const derivativeOf = (x: number, p: number): number => {
    if (p === 0) return x;
    const own = chain.get(x) ?? [x];
    while (own.length <= p) {
      const v = model.variables[x];
      own.push(variables.length);
      variables.push(
        plainVariable(
          {
            name: `der(${variables[own[own.length - 2]].name})`,
            type: 'Real',
            kind: 'continuous',
            place: v.place,
            ...(v.span && { span: v.span }),
          },
          { hidden: true },
        ),
      );
    }
    chain.set(x, own);
    return own[p];
  };
  const placeOf = new Map<number, { x: number; p: number }>();
  const holder = (x: number, p: number): FlatExpr => {
    const index = derivativeOf(x, p);
    placeOf.set(index, { x, p });
    return { op: 'var', index };
  };
  const isKnown = (k: number): boolean => ['constant', 'parameter'].includes(model.variables[k]?.kind ?? '');
  let failed = false;
  const open = createSubstitution((x) =>
    x.op === 'der' && (tied.has(x.index) || orderOf(x.index) > 1) ? holder(x.index, 1) : undefined,
  );
  const derive = (e: FlatExpr, origin: FlatEquation['origin']): FlatExpr =>
    differentiate(e, (leaf) => {
      if (leaf.op === 'time') return { op: 'const', value: 1 };
      if (leaf.op === 'var') {
        const at = placeOf.get(leaf.index) ?? { x: leaf.index, p: 0 };
        const kind = model.variables[at.x].kind;
        if (kind === 'continuous') return orderOf(at.x) > at.p ? holder(at.x, at.p + 1) : zero;
        if (kind === 'external') {
          failed = true;
          problems.push({
            ...problem(
              'error',
              'input-derivative',
              `"${origin.text}" ties states to the input ${model.variables[at.x].name}, so that its derivative would be needed: let the input act through a state, or give it a formula`,
              origin.span,
            ),
            place: origin.place,
          });
        }
        return zero;
      }
      return zero;
    });

  const levels = new Map<number, FlatEquation[]>();
  for (const [base, count] of times) {
    const e = model.equations[base];
    const list: FlatEquation[] = [{ left: open(e.left), right: open(e.right), origin: e.origin }];
    for (let k = 1; k <= count; k++) {
      const before = list[k - 1];
      list.push({
        left: derive(before.left, e.origin),
        right: derive(before.right, e.origin),
        origin: {
          ...e.origin,
          get text() {
            return `${'derivative of '.repeat(k)}${e.origin.text}`;
          },
        },
      });
    }
    levels.set(base, list);
  }
  if (failed) return undefined;

  // how each differentiated equation holds its highest derivatives: the partial derivatives of the equation as written
  const parameter = parameterValues(model);
  const numberOf = (e: FlatExpr): number | undefined => {
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
  const restarted = new Set(model.actions.flatMap((a) => (a.does.kind === 'reinit' ? [a.does.state] : [])));
  /** What is given up as a state first. */
  const weight = (x: number): number => {
    const v = model.variables[x];
    const select = { never: -20, avoid: -10, default: 0, prefer: 20, always: 40 }[v.stateSelect ?? 'default'];
    return (
      (isState.has(x) ? 5 : 0) +
      (v.fixed && v.start ? 3 : v.start ? 1 : 0) +
      (restarted.has(x) ? 60 : 0) +
      select -
      v.name.length * 1e-3
    );
  };
  interface Constraint {
    readonly base: number;
    readonly times: number;
    /** Coefficient of each variable's highest derivative; undefined where it is no number. */
    readonly coefficients: Map<number, number | undefined>;
    readonly own: number | undefined;
  }
  const constraints = [...times].map(([base, count]): Constraint => {
    const [e] = levels.get(base)!;
    const coefficients = new Map<number, number | undefined>();
    const seen = new Set<number>();
    for (const side of [e.left, e.right]) walk(side, (x) => void (x.op === 'var' && seen.add(x.index)));
    for (const index of seen) {
      const at = placeOf.get(index) ?? { x: index, p: 0 };
      if (model.variables[at.x]?.kind !== 'continuous' || orderOf(at.x) - count !== at.p) continue;
      const part = (side: FlatExpr): FlatExpr =>
        differentiate(side, (leaf) => ({ op: 'const', value: leaf.op === 'var' && leaf.index === index ? 1 : 0 }));
      const [l, r] = [numberOf(part(e.left)), numberOf(part(e.right))];
      const value = l === undefined || r === undefined ? undefined : l - r;
      if (value !== 0) coefficients.set(at.x, value);
    }
    const own = [e.left, e.right]
      .flatMap((side) => (side.op === 'var' ? [placeOf.get(side.index)?.x ?? side.index] : []))
      .sort((x, y) => weight(x) - weight(y))[0];
    return { base, times: count, coefficients, own };
  });

  /** How often the highest derivatives of a variable are no derivatives of states. */
  const given = new Map<number, number>();
  const solved = new Map<number, number>();
  const most = Math.max(...times.values());
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

  // a derivative that is integrated goes back to being one
  const integrated = (x: number): number => orderOf(x) - (given.get(x) ?? 0);
  const close = createSubstitution((x) => {
    const at = x.op === 'var' ? placeOf.get(x.index) : undefined;
    return at && at.p > 0 && at.p === orderOf(at.x) && integrated(at.x) === at.p
      ? { op: 'der', index: derivativeOf(at.x, at.p - 1) }
      : undefined;
  });
  const closed = (e: FlatEquation): FlatEquation => ({ left: close(e.left), right: close(e.right), origin: e.origin });
  const equations = model.equations.map((e, base) =>
    times.has(base)
      ? closed(levels.get(base)!.at(-1)!)
      : closed({ left: open(e.left), right: open(e.right), origin: e.origin }),
  );
  const invariants: FlatEquation[] = [];
  for (const c of constraints) {
    const list = levels.get(c.base)!;
    for (let k = 0; k < c.times; k++)
      (c.times - k <= (solved.get(c.base) ?? 0) ? equations : invariants).push(closed(list[k]));
  }
  const dependent: number[] = [];
  for (const x of order.keys()) {
    if (!tied.has(x) && orderOf(x) <= 1) continue;
    const q = integrated(x);
    const origin = { part: '', place: model.variables[x].place, span: model.variables[x].span ?? { start: 0, end: 0 } };
    for (let p = 1; p <= q; p++) {
      if (p === orderOf(x)) continue;
      const index = derivativeOf(x, p - 1);
      equations.push({
        left: { op: 'der', index },
        right: holder(x, p),
        origin: { ...origin, text: `der(${variables[index].name})` },
      });
    }
    for (let p = q; p < orderOf(x); p++) dependent.push(derivativeOf(x, p));
  }
  // a derivative that is integrated needs no variable of its own
  for (const [x, own] of chain) {
    const top = own[orderOf(x)];
    if (top !== undefined && orderOf(x) > 0 && integrated(x) === orderOf(x))
      variables[top] = { ...variables[top], kind: 'constant', binding: zero };
  }
  const initialEquations = model.initialEquations.map((e) =>
    closed({ left: open(e.left), right: open(e.right), origin: e.origin }),
  );
  return {
    model: { ...model, variables, equations, initialEquations },
    invariants,
    dependent,
    differentiated: [...times].map(([base, count]) => ({ equation: model.equations[base], times: count })),
  };
}

interface ColumnRow {
  readonly coefficients: ReadonlyMap<number, number | undefined>;
  /** The variable the equation gives, as written: `x = ...`. */
  readonly own: number | undefined;
}

/**
 * A column for each row, so that the chosen columns form a regular matrix whatever the values are. First equations give the
 * variable they are written for, as long as none comes to rest on itself that way; then rows of numbers are eliminated; then
 * any column with a number will do that closes no circle. Undefined for the others.
 */
function chooseColumns(rows: readonly ColumnRow[], weight: (x: number) => number): (number | undefined)[] {
  const chosen: (number | undefined)[] = rows.map(() => undefined);
  const rowOf = new Map<number, number>();
  const holding = new Map<number, number[]>();
  rows.forEach((r, k) => r.coefficients.forEach((_, x) => holding.get(x)?.push(k) ?? holding.set(x, [k])));
  const isNumber = (r: ColumnRow): boolean => [...r.coefficients.values()].every((c) => c !== undefined);
  const hasNumber = (k: number, x: number): boolean => {
    const c = rows[k].coefficients.get(x);
    const largest = Math.max(...[...rows[k].coefficients.values()].map((y) => Math.abs(y ?? 0)));
    return c !== undefined && Math.abs(c) > 1e-9 * largest;
  };
  /** Whether a row rests, through the rows that give its variables, on one that holds a column. */
  const closesCircle = (k: number, x: number): boolean => {
    const targets = new Set((holding.get(x) ?? []).filter((j) => j !== k && chosen[j] !== undefined));
    if (targets.size === 0) return false;
    const seen = new Set<number>([k]);
    const open = [k];
    for (let row = open.pop(); row !== undefined; row = open.pop()) {
      for (const y of rows[row].coefficients.keys()) {
        const by = rowOf.get(y);
        if (by === undefined || seen.has(by)) continue;
        if (targets.has(by)) return true;
        seen.add(by);
        open.push(by);
      }
    }
    return false;
  };
  const take = (k: number, x: number): void => {
    chosen[k] = x;
    rowOf.set(x, k);
  };
  rows.forEach((r, k) => {
    if (
      r.own !== undefined &&
      !rowOf.has(r.own) &&
      weight(r.own) < keepsItsState &&
      ![...r.coefficients.keys()].some((x) => hasNumber(k, x) && weight(x) < weight(r.own!) - ratherGoes) &&
      hasNumber(k, r.own) &&
      !closesCircle(k, r.own)
    )
      take(k, r.own);
  });

  const pivots: { readonly column: number; readonly row: Map<number, number> }[] = [];
  const eliminate = (k: number): Map<number, number> => {
    const reduced = new Map(rows[k].coefficients as ReadonlyMap<number, number>);
    for (const p of pivots) {
      const c = reduced.get(p.column);
      if (c === undefined || c === 0) continue;
      const factor = c / p.row.get(p.column)!;
      for (const [x, v] of p.row) reduced.set(x, (reduced.get(x) ?? 0) - factor * v);
      reduced.delete(p.column);
    }
    return reduced;
  };
  const numeric = [...rows.keys()].filter((k) => isNumber(rows[k]));
  for (const k of numeric)
    if (chosen[k] !== undefined) {
      const reduced = eliminate(k);
      if (Math.abs(reduced.get(chosen[k]!) ?? 0) > 1e-12) pivots.push({ column: chosen[k]!, row: reduced });
    }
  for (const k of numeric) {
    if (chosen[k] !== undefined) continue;
    const reduced = eliminate(k);
    const largest = Math.max(0, ...[...reduced.values()].map(Math.abs));
    let found: number | undefined;
    for (const [x, c] of reduced) {
      if (
        Math.abs(c) <= 1e-9 * largest ||
        rowOf.has(x) ||
        (holding.get(x) ?? []).some((j) => chosen[j] !== undefined && !isNumber(rows[j]))
      )
        continue;
      if (found === undefined || weight(x) < weight(found)) found = x;
    }
    if (found === undefined) continue;
    take(k, found);
    pivots.push({ column: found, row: reduced });
  }
  for (let changed = true; changed;) {
    changed = false;
    rows.forEach((r, k) => {
      if (chosen[k] !== undefined) return;
      const options = [...r.coefficients.keys()]
        .filter((x) => !rowOf.has(x) && hasNumber(k, x))
        .sort((x, y) => weight(x) - weight(y));
      const column = options.find((x) => !closesCircle(k, x));
      if (column === undefined) return;
      take(k, column);
      changed = true;
    });
  }
  return chosen;
}

/** By so much less a variable weighs that was asked not to be a state, whatever it is written for. */
const ratherGoes = 9;
/** From this weight on a variable stays a state where there is another choice. */
const keepsItsState = 8;
