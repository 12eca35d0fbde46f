/** A state chart as numbers: what the step function needs and nothing else. */
export interface ChartStructure {
  readonly states: readonly StateNode[];
  readonly transitions: readonly TransitionNode[];
  readonly top: readonly number[];
  /** Where the chart starts, and the transition that says so, -1 for none. */
  readonly initial: readonly number[];
  readonly initialTransition: number;
  /** Transitions out of each state, in document order. */
  readonly outgoing: readonly (readonly number[])[];
}

/** `history` leads to the children, `deepHistory` to the innermost states that were active when its parent was left. */
export type NodeKind = 'state' | 'parallel' | 'final' | 'history' | 'deepHistory' | 'choice' | 'start';

export interface StateNode {
  /** Unique within the chart; the path shows as `Running.Turning.Fast`. */
  readonly name: string;
  readonly path: string;
  readonly kind: NodeKind;
  readonly parent: number;
  /** States inside that can be active: no histories and starts. */
  readonly children: readonly number[];
  /** History places inside. */
  readonly histories: readonly number[];
  /** What is entered by default, and the transition that says so, -1 for none. */
  readonly initial: readonly number[];
  readonly initialTransition: number;
  /** Place in document order; everything inside lies in (rank, last]. */
  readonly rank: number;
  readonly last: number;
}

export type TriggerNodeKind = 'message' | 'after' | 'at' | 'every' | 'when' | 'rises' | 'changes' | 'done';

export interface TriggerNode {
  readonly kind: TriggerNodeKind;
  /** Name of the message, `a.b` for all that start with `a.b.`, `*` for any. */
  readonly message: string;
  /** What it reads of the message, by name. */
  readonly args?: readonly string[];
}

export interface TransitionNode {
  readonly from: number;
  readonly targets: readonly number[];
  readonly internal: boolean;
  /** None: it may fire at once. */
  readonly triggers: readonly TriggerNode[];
}

/** A state as it is written down. */
export interface StateRow {
  readonly name: string;
  /** Index of the state it lies in, -1 at the top. */
  readonly parent: number;
  readonly kind: NodeKind;
  readonly initial: boolean;
}

/** Arranges rows of states and transitions for the step function. */
export function chartStructure(rows: readonly StateRow[], transitions: readonly TransitionNode[]): ChartStructure {
  const inside = new Map<number, number[]>([[-1, []]]);
  rows.forEach((_, k) => inside.set(k, []));
  rows.forEach((r, k) => inside.get(r.parent)!.push(k));
  const outgoing = rows.map((): number[] => []);
  transitions.forEach((t, k) => outgoing[t.from].push(k));
  const isReal = (k: number): boolean =>
    rows[k].kind !== 'history' && rows[k].kind !== 'deepHistory' && rows[k].kind !== 'start';
  const rank = new Int32Array(rows.length),
    last = new Int32Array(rows.length);
  let next = 0;
  const number = (k: number): void => {
    rank[k] = next++;
    inside.get(k)!.forEach(number);
    last[k] = next - 1;
  };
  inside.get(-1)!.forEach(number);
  const paths = new Map<number, string>();
  const pathOf = (k: number): string => {
    let path = paths.get(k);
    if (path === undefined)
      paths.set(k, (path = rows[k].parent < 0 ? rows[k].name : `${pathOf(rows[k].parent)}.${rows[k].name}`));
    return path;
  };
  const startOf = (parent: number): { initial: number[]; initialTransition: number } => {
    const all = inside.get(parent)!;
    const start = all.find((k) => rows[k].kind === 'start' && outgoing[k].length > 0);
    if (start !== undefined)
      return { initial: [...transitions[outgoing[start][0]].targets], initialTransition: outgoing[start][0] };
    const real = all.filter((k) => isReal(k));
    const first =
      real.find((k) => rows[k].initial) ??
      real.find((k) => rows[k].kind !== 'final' && rows[k].kind !== 'choice') ??
      real[0];
    return { initial: first === undefined ? [] : [first], initialTransition: -1 };
  };
  const states = rows.map((r, k): StateNode => ({
    name: r.name,
    path: pathOf(k),
    kind: r.kind,
    parent: r.parent,
    children: inside.get(k)!.filter(isReal),
    histories: inside.get(k)!.filter((c) => rows[c].kind === 'history' || rows[c].kind === 'deepHistory'),
    ...(r.kind === 'parallel' ? { initial: [], initialTransition: -1 } : startOf(k)),
    rank: rank[k],
    last: last[k],
  }));
  const top = inside.get(-1)!.filter(isReal);
  return { states, transitions, top, ...startOf(-1), outgoing };
}

/** Whether a state is another one or lies inside it; everything lies inside the chart, -1. */
export function isWithin(chart: ChartStructure, state: number, ancestor: number): boolean {
  if (ancestor < 0) return true;
  if (state < 0) return false;
  const a = chart.states[ancestor];
  const { rank } = chart.states[state];
  return rank >= a.rank && rank <= a.last;
}

/** Whether a trigger by message takes a message of this name. */
export function takesMessage(trigger: TriggerNode, message: string): boolean {
  const wanted = trigger.message;
  return (
    wanted === message ||
    wanted === '*' ||
    (message.length > wanted.length && message.startsWith(wanted) && message[wanted.length] === '.')
  );
}

/** Which states are active, as the innermost ones in document order, and what the histories remember. */
export interface Configuration {
  readonly leaves: readonly number[];
  readonly history: ReadonlyMap<number, readonly number[]>;
}

export const noConfiguration: Configuration = { leaves: [], history: new Map() };

export const isActiveIn = (chart: ChartStructure, configuration: Configuration, state: number): boolean =>
  configuration.leaves.some((leaf) => isWithin(chart, leaf, state));

/** The active states from the inside out, in document order. */
export function activeStates(chart: ChartStructure, configuration: Configuration): number[] {
  const found = new Set<number>();
  for (const leaf of configuration.leaves)
    for (let s = leaf; s >= 0 && !found.has(s); s = chart.states[s].parent) found.add(s);
  return [...found].sort((a, b) => chart.states[a].rank - chart.states[b].rank);
}
