import type { Problem } from '../language/diagnostics';
import { isRelation, operands, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel } from '../flatten/flat-model';
import { givesDiscrete } from './discrete';
import { match } from './matching';
import { reducedModel, type Differentiation, type Reduction } from './reduced-model';

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
  return reducedModel(model, differentiation(isState, nodes, rows), problems);
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

function differentiation(states: ReadonlySet<number>, nodes: readonly Node[], rows: readonly Row[]): Differentiation {
  const order = new Map<number, number>();
  for (const k of nodes) order.set(k.variable, Math.max(order.get(k.variable) ?? 0, k.order));
  const times = new Map<number, number>();
  for (const r of rows) if (r.level > 0) times.set(r.base, Math.max(times.get(r.base) ?? 0, r.level));
  const tied = new Set<number>();
  for (const r of rows) if (times.has(r.base)) for (const k of r.nodes) tied.add(nodes[k].variable);
  return { states, times, order, tied };
}
