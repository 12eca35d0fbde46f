import type { ColumnHead } from './recording';

/** Columns of state charts: their values stand for sets of innermost active states. */

/** The paths of the innermost states that a value of a column of states stands for. */
export const activeLeaves = (
  { configurations, literals }: Pick<ColumnHead, 'configurations' | 'literals'>,
  value: number,
): readonly string[] => (configurations?.[value] ?? []).map((s) => literals[s] ?? '');

/** Whether a state is active while some innermost ones are: it is one of them, or around one. */
export const isAround = (path: string, leaves: readonly string[] | undefined): boolean =>
  leaves?.some((leaf) => leaf === path || leaf.startsWith(`${path}.`)) ?? false;

/** A value of a column of names or states as it is written in tables and files. */
export const wordOf = (column: ColumnHead, value: number): string =>
  column.kind === 'states' ? activeLeaves(column, value).join(' + ') : (column.literals[value] ?? '');
