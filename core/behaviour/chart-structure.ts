/** A state chart as numbers: what the step function needs and nothing else. */
export interface ChartStructure {
  readonly states: readonly StateNode[];
  readonly transitions: readonly TransitionNode[];
  /** Children of the chart itself are all active together. */
  readonly parallel: boolean;
  readonly top: readonly number[];
}

export interface StateNode {
  /** Unique within the chart; shown as `Running.Turning.Fast`. */
  readonly name: string;
  readonly path: string;
  readonly parent: number;
  readonly children: readonly number[];
  /** All children are active together; otherwise exactly one is. */
  readonly parallel: boolean;
  /** Child that is entered by default, -1 for a leaf or a parallel state. */
  readonly initial: number;
  readonly depth: number;
}

export interface TransitionNode {
  readonly from: number;
  readonly to: number;
  readonly trigger: 'message' | 'after' | 'when' | 'completion';
  /** Message name of a `message` trigger. */
  readonly message: string;
}

/** The chain from a state up to the chart, the state first. */
export function ancestry(chart: ChartStructure, state: number): number[] {
  const chain: number[] = [];
  for (let s = state; s >= 0; s = chart.states[s].parent) chain.push(s);
  return chain;
}

export const isWithin = (chart: ChartStructure, state: number, ancestor: number): boolean =>
  ancestor < 0 || ancestry(chart, state).includes(ancestor);

/** Names of the active leaves, in document order. */
export function activeLeaves(chart: ChartStructure, isActive: (state: number) => boolean): number[] {
  return chart.states.flatMap((s, k) => (s.children.length === 0 && isActive(k) ? [k] : []));
}
