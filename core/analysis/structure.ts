import { walk, type FlatExpr } from '../flatten/flat-expression';
import { isClosing, type FlatEquation, type FlatModel } from '../flatten/flat-model';
import { analyse, matchedPairs } from './analyse';
import type { Unknown } from '../flatten/differentiate';
import type { SolvableModel } from './solvable-model';

/** How the equations of a model are solved, as names and texts. */
export interface ModelStructure {
  /** Equations and unknowns with all ports closed, and how many equations only say that nothing is linked to a port. */
  readonly equations: number;
  readonly unknowns: number;
  readonly closing: number;
  readonly rows: readonly StructureRow[];
  readonly columns: readonly StructureColumn[];
  /** Which unknowns stand in which equation: row after row, the columns of each. */
  readonly entries: readonly (readonly number[])[];
  readonly blocks: readonly StructureBlock[];
  readonly states: readonly string[];
  /** Quantities with a derivative that are no states, as they are tied to others. */
  readonly dependent: readonly string[];
  readonly differentiated: readonly { readonly text: string; readonly part: string; readonly times: number }[];
  readonly invariants: readonly string[];
  /** Quantities that equal another one, or its negative. */
  readonly merged: number;
  /** Parameters whose values decide which terms there are. */
  readonly evaluated: readonly string[];
  readonly solved: boolean;
}
export interface StructureRow {
  readonly text: string;
  readonly part: string;
  readonly place: string;
  readonly start: number;
  /** Without an unknown of its own. */
  readonly excess: boolean;
  /** One of too many equations for the same unknowns. */
  readonly competing: boolean;
}
export interface StructureColumn {
  readonly name: string;
  readonly kind: 'derivative' | 'continuous' | 'discrete';
  readonly torn: boolean;
  /** Without an equation of its own. */
  readonly open: boolean;
}
/** Rows and columns from `from` up to `to` are solved together. */
export interface StructureBlock {
  readonly from: number;
  readonly to: number;
  readonly linear: boolean;
  readonly torn: readonly string[];
}

const key = (u: Unknown): string => u.kind + u.index;

export function describeStructure(model: FlatModel): ModelStructure {
  const solvable = analyse(model);
  const solved = solvable.blocks.length > 0 || solvable.problems.every((p) => p.severity !== 'error');
  const order = solved ? solvedOrder(solvable) : failedOrder(model);
  const source = solved ? solvable.model : model;
  const nameOf = (u: Unknown): string =>
    u.kind === 'der' ? `der(${source.variables[u.index].name})` : source.variables[u.index].name;
  const columnOf = new Map(order.unknowns.map((u, k) => [key(u.unknown), k]));
  const entries = order.equations.map(({ equation }) => {
    const found = new Set<number>();
    const note = (e: FlatExpr): void =>
      walk(e, (x) => {
        const k = x.op === 'var' || x.op === 'der' ? columnOf.get(x.op + x.index) : undefined;
        if (k !== undefined) found.add(k);
      });
    note(equation.left);
    note(equation.right);
    return [...found].sort((a, b) => a - b);
  });
  const closing = model.equations.filter(isClosing).length;
  const plain = matchedPairs(model);
  return {
    equations: model.equations.length,
    unknowns: plain.unknowns.length,
    closing,
    entries,
    blocks: order.blocks.map((b) => ({ ...b, torn: b.torn.map(nameOf) })),
    solved,
    rows: order.equations.map(({ equation, excess }) => ({
      text: equation.origin.text,
      part: equation.origin.part,
      place: equation.origin.place,
      start: equation.origin.span.start,
      excess,
      competing: !excess && plain.competing.has(equation),
    })),
    columns: order.unknowns.map(({ unknown, open, torn }) => ({
      name: nameOf(unknown),
      kind:
        unknown.kind === 'der'
          ? 'derivative'
          : source.variables[unknown.index].kind === 'discrete'
            ? 'discrete'
            : 'continuous',
      open,
      torn,
    })),
    states: solvable.states.map((k) => solvable.model.variables[k].name),
    dependent: (solvable.reduction?.dependent ?? []).map((k) => solvable.reduction!.model.variables[k].name),
    differentiated: (solvable.reduction?.differentiated ?? []).map((d) => ({
      text: d.equation.origin.text,
      part: d.equation.origin.part,
      times: d.times,
    })),
    invariants: solvable.invariants.map((e) => e.origin.text),
    merged: solvable.aliases.size,
    evaluated: [...solvable.evaluated].map((k) => model.variables[k].name),
  };
}

interface Order {
  readonly equations: { readonly equation: FlatEquation; readonly excess: boolean }[];
  readonly unknowns: { readonly unknown: Unknown; readonly open: boolean; readonly torn: boolean }[];
  readonly blocks: { from: number; to: number; linear: boolean; torn: readonly Unknown[] }[];
}

/** The blocks in solution order; what only repeats the value of another quantity is left out. */
function solvedOrder(solvable: SolvableModel): Order {
  const order: Order = { equations: [], unknowns: [], blocks: [] };
  for (const b of solvable.blocks) {
    if (b.only === 'between') continue;
    if (b.kind === 'assign') {
      if (
        b.target.kind === 'var' &&
        (solvable.aliases.has(b.target.index) || solvable.model.variables[b.target.index].watched)
      )
        continue;
      order.equations.push({ equation: b.equation, excess: false });
      order.unknowns.push({ unknown: b.target, open: false, torn: false });
      continue;
    }
    const from = order.equations.length;
    for (const x of b.inner) {
      order.equations.push({ equation: x.equation, excess: false });
      order.unknowns.push({ unknown: x.target, open: false, torn: false });
    }
    b.residuals.forEach((r, k) => {
      order.equations.push({ equation: r.equation, excess: false });
      order.unknowns.push({ unknown: b.tears[k], open: false, torn: true });
    });
    order.blocks.push({ from, to: order.equations.length, linear: b.linear, torn: b.tears });
  }
  return order;
}

/** Matched pairs first; then equations and unknowns that stay alone. */
function failedOrder(model: FlatModel): Order {
  const { pairs, unknowns } = matchedPairs(model);
  const paired = new Map(pairs.flatMap(([e, u]) => (u ? [[key(u), e] as const] : [])));
  const order: Order = { equations: [], unknowns: [], blocks: [] };
  for (const [e, u] of pairs) {
    if (!u) continue;
    order.equations.push({ equation: e, excess: false });
    order.unknowns.push({ unknown: u, open: false, torn: false });
  }
  for (const [e, u] of pairs) if (!u) order.equations.push({ equation: e, excess: true });
  for (const u of unknowns) if (!paired.has(key(u))) order.unknowns.push({ unknown: u, open: true, torn: false });
  return order;
}
