import { isWithin, type ChartStructure } from '../behaviour/chart-structure';
import { and, number, or, pair, type NameList, type StepExpr } from './step-program';

/**
 * Where exactly one state is the innermost active one: the chart itself, and each lane. A region holds it as a whole number, 0 for none;
 * states are numbered in document order, so that all inside one of them follow each other.
 */
export interface Region {
  /** Its lane; -1 for the chart. */
  readonly root: number;
  readonly states: readonly number[];
  /** Slot of the number. */
  slot: number;
  list: number;
}

export interface Regions {
  readonly all: readonly Region[];
  of(state: number): Region;
  valueOf(state: number): number;
  /** Lanes of a state with lanes. */
  lanesOf(state: number): readonly Region[];
  /** That a state is active. */
  isIn(state: number): StepExpr;
  /** The number of a state, by its name. */
  constant(state: number): StepExpr;
}

const isPlace = (kind: string): boolean => kind === 'history' || kind === 'deepHistory' || kind === 'start';

export function regionsOf(chart: ChartStructure): Regions {
  const { states } = chart;
  const isLane = (s: number): boolean => states[s].parent >= 0 && states[states[s].parent].kind === 'parallel';
  const rootOf = (state: number): number => {
    let s = state;
    while (s >= 0 && !isLane(s)) s = states[s].parent;
    return s;
  };
  const order = states.map((_, k) => k).sort((a, b) => states[a].rank - states[b].rank);
  const roots = [-1, ...order.filter(isLane)];
  const all = roots.map((root): Region => ({
    root,
    states: order.filter((s) => !isPlace(states[s].kind) && rootOf(s) === root),
    slot: -1,
    list: -1,
  }));
  const byRoot = new Map(all.map((r) => [r.root, r]));
  const of = (state: number): Region => byRoot.get(rootOf(state))!;
  const valueOf = (state: number): number => of(state).states.indexOf(state) + 1;
  const read = (r: Region): StepExpr => ({ op: 'slot', type: 'i32', slot: r.slot });
  const constant = (state: number): StepExpr => number(valueOf(state), 'i32', of(state).list);
  return {
    all,
    of,
    valueOf,
    lanesOf: (state) => states[state].children.map((c) => byRoot.get(c)!),
    isIn(state) {
      const r = of(state);
      const inside = r.states.filter((s) => isWithin(chart, s, state));
      if (inside.length === 1) return pair('eq', read(r), constant(state));
      if (inside.length === r.states.length) return pair('ne', read(r), number(0, 'i32', r.list));
      if (inside.length === 2)
        return or(pair('eq', read(r), constant(inside[0])), pair('eq', read(r), constant(inside[1])));
      return and(pair('ge', read(r), constant(inside[0])), pair('le', read(r), constant(inside.at(-1)!)));
    },
    constant,
  };
}

/** Names of the states of a region: short where that is clear. */
export function namesOfRegion(
  chart: ChartStructure,
  r: Region,
  name: string,
  address: (state: number) => string,
): NameList {
  const paths = r.states.map((s) => chart.states[s].path.split('.'));
  const short = (k: number, n: number): string => paths[k].slice(-n).join('_');
  return {
    name,
    members: [
      { name: 'None', value: 0, from: '' },
      ...r.states.map((s, k) => {
        let n = 1;
        while (n < paths[k].length && paths.some((_, j) => j !== k && short(j, n) === short(k, n))) n++;
        return { name: short(k, n), value: k + 1, from: address(s) };
      }),
    ],
  };
}
