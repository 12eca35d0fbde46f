import { ancestry, isWithin, type ChartStructure } from './chart-structure';

/**
 * One microstep of a state chart (Harel 1987; the conflict rule is the one of SCXML, W3C 2015: inner states first, then
 * document order): from the active states and what may fire, which states are left, which transitions are taken and which
 * states are entered. Pure; the effects are run by the caller in the order exit, effects, entry.
 */
export interface ChartStep {
  readonly taken: readonly number[];
  /** Innermost first. */
  readonly exited: readonly number[];
  /** Outermost first. */
  readonly entered: readonly number[];
}

export function stepChart(
  chart: ChartStructure, isActive: (state: number) => boolean, enabled: (transition: number) => boolean,
): ChartStep | undefined {
  const taken = selectTransitions(chart, isActive, enabled);
  if (taken.length === 0) return undefined;
  const exited = new Set<number>();
  const entered = new Set<number>();
  for (const t of taken) {
    const { from, to } = chart.transitions[t];
    const scope = scopeOf(chart, from, to);
    chart.states.forEach((_, s) => {
      if (isActive(s) && s !== scope && isWithin(chart, s, scope)) exited.add(s);
    });
    enterTarget(chart, to, scope, entered);
  }
  completeRegions(chart, entered, (s) => (isActive(s) && !exited.has(s)) || entered.has(s));
  const byDepth = (a: number, b: number): number => chart.states[a].depth - chart.states[b].depth || a - b;
  return { taken, exited: [...exited].sort((a, b) => byDepth(b, a)), entered: [...entered].sort(byDepth) };
}

/** The states entered when the chart starts, outermost first. */
export function initialStates(chart: ChartStructure): number[] {
  const entered = new Set<number>();
  const enter = (s: number): void => {
    entered.add(s);
    enterDefaults(chart, s, entered);
  };
  if (chart.parallel) chart.top.forEach(enter);
  else if (chart.top.length > 0) enter(chart.top[0]);
  return [...entered].sort((a, b) => chart.states[a].depth - chart.states[b].depth || a - b);
}

function selectTransitions(
  chart: ChartStructure, isActive: (state: number) => boolean, enabled: (transition: number) => boolean,
): number[] {
  const bySource = new Map<number, number[]>();
  chart.transitions.forEach((t, k) => {
    if (!isActive(t.from)) return;
    const list = bySource.get(t.from);
    if (list) list.push(k);
    else bySource.set(t.from, [k]);
  });
  if (bySource.size === 0) return [];
  const candidates = new Set<number>();
  chart.states.forEach((s, k) => {
    if (s.children.length > 0 || !isActive(k)) return;
    for (const ancestor of ancestry(chart, k)) {
      const first = bySource.get(ancestor)?.find(enabled);
      if (first !== undefined) {
        candidates.add(first);
        return;
      }
    }
  });
  // transitions of different regions are taken together unless they leave a common state: then the inner one, else the earlier
  const chosen: number[] = [];
  const ordered = [...candidates].sort((a, b) => a - b);
  for (const t of ordered) {
    const scope = scopeOf(chart, chart.transitions[t].from, chart.transitions[t].to);
    const rivals = chosen.filter((other) => {
      const otherScope = scopeOf(chart, chart.transitions[other].from, chart.transitions[other].to);
      return isWithin(chart, scope, otherScope) || isWithin(chart, otherScope, scope);
    }).filter((other) => overlap(chart, t, other));
    const inner = (a: number, b: number): boolean =>
      chart.transitions[a].from !== chart.transitions[b].from && isWithin(chart, chart.transitions[a].from, chart.transitions[b].from);
    if (rivals.every((other) => inner(t, other))) {
      for (const other of rivals) chosen.splice(chosen.indexOf(other), 1);
      chosen.push(t);
    }
  }
  return chosen.sort((a, b) => a - b);
}

/** Two transitions that would both leave one state. */
function overlap(chart: ChartStructure, a: number, b: number): boolean {
  const sa = exitRoot(chart, a);
  const sb = exitRoot(chart, b);
  return isWithin(chart, sa, sb) || isWithin(chart, sb, sa);
}

/** The outermost state a transition leaves. */
function exitRoot(chart: ChartStructure, transition: number): number {
  const { from, to } = chart.transitions[transition];
  const scope = scopeOf(chart, from, to);
  const chain = ancestry(chart, from);
  const at = chain.indexOf(scope);
  return at < 0 ? chain[chain.length - 1] : chain[Math.max(0, at - 1)];
}

/** The innermost state that holds both ends and is itself not left; -1 for the chart. */
function scopeOf(chart: ChartStructure, from: number, to: number): number {
  for (const s of ancestry(chart, from)) {
    if (s === from || s === to || chart.states[s].parallel) continue;
    if (isWithin(chart, to, s)) return s;
  }
  return -1;
}

function enterTarget(chart: ChartStructure, target: number, scope: number, entered: Set<number>): void {
  for (const s of ancestry(chart, target)) {
    if (s === scope) break;
    entered.add(s);
  }
  enterDefaults(chart, target, entered);
}

function enterDefaults(chart: ChartStructure, state: number, entered: Set<number>): void {
  const node = chart.states[state];
  const children = node.parallel ? node.children : node.initial >= 0 ? [node.initial] : [];
  for (const child of children) {
    entered.add(child);
    enterDefaults(chart, child, entered);
  }
}

/** Every region of an active parallel state has an active child. */
function completeRegions(chart: ChartStructure, entered: Set<number>, isActive: (state: number) => boolean): void {
  const complete = (regions: readonly number[]): void => {
    for (const region of regions) {
      if (isActive(region)) continue;
      entered.add(region);
      enterDefaults(chart, region, entered);
    }
  };
  if (chart.parallel) complete(chart.top);
  for (const s of [...entered]) if (chart.states[s].parallel) complete(chart.states[s].children);
}
