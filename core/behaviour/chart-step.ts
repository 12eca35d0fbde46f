import { activeStates, isWithin, type ChartStructure, type Configuration } from './chart-structure';

/**
 * One microstep of a state chart (Harel 1987, with the algorithm of SCXML, W3C 2015, appendix D): from the active states and
 * what may fire to the active states after it, and what is done on the way. Pure: whoever calls it runs the actions, in their
 * order. Of transitions that would leave a common state the one of the inner state wins, then the one whose region comes first.
 */
export interface ChartStep {
  readonly taken: readonly number[];
  /** Exits from the inside out, then effects, then entries from the outside in. */
  readonly actions: readonly StepAction[];
  readonly next: Configuration;
  /** States that this step has finished: a `final` inside was entered. */
  readonly done: readonly number[];
  /** The chart itself is finished. */
  readonly ended: boolean;
}

export interface StepAction {
  readonly kind: 'exit' | 'effect' | 'enter';
  /** State, or transition of an effect. */
  readonly index: number;
}

export function stepChart(
  chart: ChartStructure,
  now: Configuration,
  enabled: (transition: number) => boolean,
): ChartStep | undefined {
  const taken = selectTransitions(chart, now, enabled);
  if (taken.length === 0) return undefined;
  const plain = plainStep(chart, now, taken);
  if (plain) return plain;
  const active = activeStates(chart, now);
  const leaving = new Set<number>();
  for (const t of taken) {
    if (chart.transitions[t].targets.length === 0) continue;
    const domain = domainOf(chart, now, t);
    for (const s of active) if (s !== domain && isWithin(chart, s, domain)) leaving.add(s);
  }
  const actions: StepAction[] = [];
  const history = new Map(now.history);
  for (let k = active.length - 1; k >= 0; k--) {
    const s = active[k];
    if (!leaving.has(s)) continue;
    for (const h of chart.states[s].histories) history.set(h, rememberedBy(chart, h, active, now));
  }
  for (let k = active.length - 1; k >= 0; k--)
    if (leaving.has(active[k])) actions.push({ kind: 'exit', index: active[k] });
  for (const t of taken) actions.push({ kind: 'effect', index: t });
  const entry = newEntry();
  // a state left and entered in one step remembers what has just been left
  const after: Configuration = { ...now, history };
  for (const t of taken) {
    if (chart.transitions[t].targets.length === 0) continue;
    const targets = chart.transitions[t].targets;
    for (const s of targets) addInside(chart, after, s, entry);
    const domain = domainOf(chart, now, t);
    for (const s of effectiveTargets(chart, after, targets)) addAround(chart, after, s, domain, entry);
  }
  const remaining = active.filter((s) => !leaving.has(s));
  return { taken, ...enterStates(chart, entry, remaining, history, actions) };
}

/**
 * The step of one transition between states that are neither parallel nor places, with nothing to remember and nothing
 * finished: what charts do nearly always. Undefined where it is not that simple.
 */
function plainStep(chart: ChartStructure, now: Configuration, taken: readonly number[]): ChartStep | undefined {
  const { states } = chart;
  const [transition] = taken;
  const { targets } = chart.transitions[transition];
  if (taken.length !== 1 || now.leaves.length !== 1 || targets.length !== 1 || states[targets[0]].kind !== 'state')
    return undefined;
  const domain = domainOf(chart, now, transition);
  const actions: StepAction[] = [];
  for (let s = now.leaves[0]; s !== domain; s = states[s].parent) {
    if (states[s].histories.length > 0) return undefined;
    actions.push({ kind: 'exit', index: s });
  }
  actions.push({ kind: 'effect', index: transition });
  const path: number[] = [];
  for (let s = targets[0]; s !== domain; s = states[s].parent) {
    if (states[s].kind !== 'state') return undefined;
    path.push(s);
  }
  for (let k = path.length - 1; k >= 0; k--) actions.push({ kind: 'enter', index: path[k] });
  let leaf = targets[0];
  while (states[leaf].children.length > 0) {
    const { initial, initialTransition } = states[leaf];
    if (
      initialTransition >= 0 ||
      initial.length !== 1 ||
      states[initial[0]].kind !== 'state' ||
      states[initial[0]].parent !== leaf
    )
      return undefined;
    leaf = initial[0];
    actions.push({ kind: 'enter', index: leaf });
  }
  return { taken, actions, next: { leaves: [leaf], history: now.history }, done: [], ended: false };
}

/** Starts a chart. */
export function startChart(chart: ChartStructure): ChartStep {
  const none: Configuration = { leaves: [], history: new Map() };
  const entry = newEntry();
  const actions: StepAction[] = [];
  if (chart.initialTransition >= 0) actions.push({ kind: 'effect', index: chart.initialTransition });
  for (const s of chart.initial) addInside(chart, none, s, entry);
  for (const s of chart.initial) addAround(chart, none, s, -1, entry);
  return { taken: [], ...enterStates(chart, entry, [], none.history, actions) };
}

/** Starts a chart in chosen states instead: they and what surrounds them are entered, the rest as by default. */
export function startChartIn(chart: ChartStructure, states: readonly number[]): ChartStep {
  const none: Configuration = { leaves: [], history: new Map() };
  const entry = newEntry();
  for (const s of states) addInside(chart, none, s, entry);
  for (const s of states) addAround(chart, none, s, -1, entry);
  return { taken: [], ...enterStates(chart, entry, [], none.history, []) };
}

/** Whether everything in a state is finished: a final child, or all regions of a parallel one. */
export function isFinished(chart: ChartStructure, active: (state: number) => boolean, state: number): boolean {
  const node = chart.states[state];
  if (node.kind === 'parallel')
    return node.children.length > 0 && node.children.every((c) => active(c) && isFinished(chart, active, c));
  return node.children.some((c) => chart.states[c].kind === 'final' && active(c));
}

function selectTransitions(
  chart: ChartStructure,
  now: Configuration,
  enabled: (transition: number) => boolean,
): number[] {
  const candidates: number[] = [];
  const { leaves } = now;
  const seen = leaves.length > 1 ? new Set<number>() : undefined;
  for (const leaf of leaves) {
    // what a state shared with an earlier leaf has to offer has been looked at there
    for (let s = leaf; s >= 0 && !seen?.has(s); s = chart.states[s].parent) {
      seen?.add(s);
      const first = firstEnabled(chart.outgoing[s], enabled);
      if (first < 0) continue;
      candidates.push(first);
      break;
    }
  }
  if (candidates.length < 2) return candidates;
  const kept: number[] = [];
  for (const t of candidates) {
    const rivals = kept.filter((other) => conflict(chart, now, t, other));
    const { from } = chart.transitions[t];
    const wins = rivals.every(
      (other) => chart.transitions[other].from !== from && isWithin(chart, from, chart.transitions[other].from),
    );
    if (!wins) continue;
    for (const other of rivals) kept.splice(kept.indexOf(other), 1);
    kept.push(t);
  }
  return kept;
}

function firstEnabled(transitions: readonly number[], enabled: (transition: number) => boolean): number {
  for (let k = 0; k < transitions.length; k++) if (enabled(transitions[k])) return transitions[k];
  return -1;
}

/** Two transitions that would both leave one state. */
function conflict(chart: ChartStructure, now: Configuration, a: number, b: number): boolean {
  if (chart.transitions[a].targets.length === 0 || chart.transitions[b].targets.length === 0) return false;
  const [da, db] = [domainOf(chart, now, a), domainOf(chart, now, b)];
  return isWithin(chart, da, db) || isWithin(chart, db, da);
}

/** Where a transition leads, histories followed. */
function effectiveTargets(chart: ChartStructure, now: Configuration, targets: readonly number[]): readonly number[] {
  if (!targets.some((s) => chart.states[s].kind === 'history' || chart.states[s].kind === 'deepHistory'))
    return targets;
  return targets.flatMap((s) => {
    const { kind } = chart.states[s];
    if (kind !== 'history' && kind !== 'deepHistory') return [s];
    return now.history.get(s) ?? effectiveTargets(chart, now, defaultOf(chart, s).targets);
  });
}

/** Where a history leads before there is anything to remember. */
function defaultOf(chart: ChartStructure, history: number): { targets: readonly number[]; transition: number } {
  const [transition] = chart.outgoing[history];
  if (transition !== undefined) return { targets: chart.transitions[transition].targets, transition };
  const { parent } = chart.states[history];
  if (parent < 0) return { targets: chart.initial, transition: -1 };
  const node = chart.states[parent];
  return { targets: node.kind === 'parallel' ? node.children : node.initial, transition: -1 };
}

/** The innermost state that holds both ends and is itself not left; -1 for the chart. */
function domainOf(chart: ChartStructure, now: Configuration, transition: number): number {
  const { from, targets, internal } = chart.transitions[transition];
  const ends = effectiveTargets(chart, now, targets);
  const source = chart.states[from];
  if (
    internal &&
    source.kind === 'state' &&
    source.children.length > 0 &&
    ends.every((s) => s !== from && isWithin(chart, s, from))
  )
    return from;
  for (let s = source.parent; s >= 0; s = chart.states[s].parent) {
    if (chart.states[s].kind === 'parallel' && !staysInRegion(chart, from, s, ends)) continue;
    if (ends.every((e) => e !== s && isWithin(chart, e, s))) return s;
  }
  return -1;
}

/** A region that goes back into itself starts all regions anew without leaving the parallel state (the letter of SCXML would leave that too). */
const staysInRegion = (chart: ChartStructure, from: number, parallel: number, ends: readonly number[]): boolean =>
  chart.states[from].parent === parallel && ends.every((e) => isWithin(chart, e, from));

function rememberedBy(
  chart: ChartStructure,
  history: number,
  active: readonly number[],
  now: Configuration,
): readonly number[] {
  const { kind, parent } = chart.states[history];
  return kind === 'deepHistory'
    ? now.leaves.filter((s) => isWithin(chart, s, parent))
    : active.filter((s) => chart.states[s].parent === parent);
}

interface Entry {
  readonly states: Set<number>;
  /** States entered by default, whose start transition is done. */
  readonly byDefault: Set<number>;
  /** Effects of histories that had nothing to remember, by the state they lie in. */
  readonly historyEffects: Map<number, number>;
}
const newEntry = (): Entry => ({ states: new Set(), byDefault: new Set(), historyEffects: new Map() });

/** A state with everything that becomes active inside it. */
function addInside(chart: ChartStructure, now: Configuration, state: number, entry: Entry): void {
  const node = chart.states[state];
  if (node.kind === 'history' || node.kind === 'deepHistory') {
    const remembered = now.history.get(state);
    const fallback = remembered ? undefined : defaultOf(chart, state);
    if (fallback && fallback.transition >= 0) entry.historyEffects.set(node.parent, fallback.transition);
    const targets = remembered ?? fallback!.targets;
    for (const s of targets) addInside(chart, now, s, entry);
    for (const s of targets) addAround(chart, now, s, node.parent, entry);
    return;
  }
  entry.states.add(state);
  if (node.kind === 'parallel') {
    for (const child of node.children) if (!entered(chart, entry, child)) addInside(chart, now, child, entry);
  } else if (node.children.length > 0) {
    entry.byDefault.add(state);
    for (const s of node.initial) addInside(chart, now, s, entry);
    for (const s of node.initial) addAround(chart, now, s, state, entry);
  }
}

/** What surrounds a state up to `limit`, with the other regions of parallel states on the way. */
function addAround(chart: ChartStructure, now: Configuration, state: number, limit: number, entry: Entry): void {
  for (let s = chart.states[state].parent; s >= 0 && s !== limit; s = chart.states[s].parent) {
    entry.states.add(s);
    if (chart.states[s].kind !== 'parallel') continue;
    for (const child of chart.states[s].children)
      if (!entered(chart, entry, child)) addInside(chart, now, child, entry);
  }
  if (limit < 0 || chart.states[limit].kind !== 'parallel') return;
  for (const child of chart.states[limit].children)
    if (!entered(chart, entry, child)) addInside(chart, now, child, entry);
}

function entered(chart: ChartStructure, entry: Entry, state: number): boolean {
  for (const s of entry.states) if (isWithin(chart, s, state)) return true;
  return false;
}

function enterStates(
  chart: ChartStructure,
  entry: Entry,
  remaining: readonly number[],
  history: ReadonlyMap<number, readonly number[]>,
  actions: StepAction[],
): Omit<ChartStep, 'taken'> {
  const order = [...entry.states].sort((a, b) => chart.states[a].rank - chart.states[b].rank);
  const active = new Set(remaining);
  const done: number[] = [];
  let ended = false;
  for (const s of order) {
    active.add(s);
    actions.push({ kind: 'enter', index: s });
    const node = chart.states[s];
    if (entry.byDefault.has(s) && node.initialTransition >= 0)
      actions.push({ kind: 'effect', index: node.initialTransition });
    const fromHistory = entry.historyEffects.get(s);
    if (fromHistory !== undefined) actions.push({ kind: 'effect', index: fromHistory });
    if (node.kind !== 'final') continue;
    if (node.parent < 0) {
      ended = true;
      continue;
    }
    done.push(node.parent);
    const outer = chart.states[node.parent].parent;
    if (outer >= 0 && chart.states[outer].kind === 'parallel' && isFinished(chart, (x) => active.has(x), outer))
      done.push(outer);
  }
  const leaves = [...active]
    .filter((s) => !chart.states[s].children.some((c) => active.has(c)))
    .sort((a, b) => chart.states[a].rank - chart.states[b].rank);
  return { actions, next: { leaves, history }, done, ended };
}
