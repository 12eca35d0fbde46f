import type { Edit } from '@/core/editing/edits';
import { childStates, newState, newTransition, type Chart, type ChartState } from '@/core/project/project';
import { boxesOf, parentsFirst } from './chart-geometry';
import { numberedName } from '@/ui/names';

/** What is done to a state from its details, as edits. */

type NewId = (prefix: string) => string;
/** An edit that adds a state, with the id of that. */
export interface AddedState {
  readonly edit: Edit;
  readonly id: string;
}

export const stateList = (typeId: string, chart: Chart): string => `type/${typeId}/chart/${chart.id}/state`;

const gapBelow = 50,
  gapBetween = 26,
  usualHeight = 60;
const nextName = (chart: Chart): string =>
  numberedName(
    chart.states.map((s) => s.name),
    'State',
  );

/** Of the states beside it, this one is where they begin. */
export const startHere = (typeId: string, chart: Chart, state: ChartState): Edit => ({
  kind: 'batch',
  label: 'Start here',
  edits: childStates(chart, state.parent).map((s) => ({
    kind: 'update' as const,
    list: stateList(typeId, chart),
    id: s.id,
    changes: { initial: s.id === state.id },
  })),
});

/** A state below this one, with a transition from here to there. */
export function stateAfter(typeId: string, chart: Chart, state: ChartState, newId: NewId): AddedState {
  const height = boxesOf(chart).get(state.id)?.height ?? usualHeight;
  const entry = newState(newId('s'), nextName(chart), state.parent, state.x, state.y + height + gapBelow);
  return {
    id: entry.id,
    edit: {
      kind: 'batch',
      label: 'Add a state after this one',
      edits: [
        { kind: 'insert', list: stateList(typeId, chart), entry },
        {
          kind: 'insert',
          list: `type/${typeId}/chart/${chart.id}/transition`,
          entry: newTransition(newId('x'), state.id, entry.id),
        },
      ],
    },
  };
}

/** A state inside this one, below those that are there; the first is where they begin. */
export function stateInside(typeId: string, chart: Chart, state: ChartState, newId: NewId): AddedState {
  const children = childStates(chart, state.id);
  const boxes = boxesOf(chart);
  const y = Math.max(gapBelow, ...children.map((s) => s.y + (boxes.get(s.id)?.height ?? usualHeight) + gapBetween));
  const entry = { ...newState(newId('s'), nextName(chart), state.id, 24, y), initial: children.length === 0 };
  return { id: entry.id, edit: { kind: 'insert', list: stateList(typeId, chart), entry } };
}

/** What a state can be put into: the chart, and every state that is not inside of it. */
export function possibleParents(chart: Chart, state: ChartState): readonly (readonly [id: string, name: string])[] {
  const inside = new Set([state.id]);
  for (const s of parentsFirst(chart)) if (s.parent !== null && inside.has(s.parent)) inside.add(s.id);
  return [['', 'the chart'], ...chart.states.filter((s) => !inside.has(s.id)).map((s) => [s.id, s.name] as const)];
}

/** Puts a state into another one, or into the chart; the first there is where it begins. */
export const putInto = (chart: Chart, parent: string): Partial<ChartState> => ({
  parent: parent || null,
  x: 30,
  y: 50,
  initial: childStates(chart, parent || null).length === 0,
});
