import type { Problem } from '../language/diagnostics';
import { newSetup, type PartType, type Project, type SignalSheet } from '../project/project';
import { prepareRun } from '../run';
import { makeBox, type Box } from './box';
import { runningTime } from './running-space';

/** A sheet as it is and as it would be from tick to tick: how both answer to the same step. */
export interface ComparedForms {
  readonly time: readonly number[];
  readonly continuous: readonly number[];
  readonly sampled: readonly number[];
  /** The largest difference, relative to the largest value. */
  readonly difference: number;
}

export interface FormsQuestion {
  readonly type: string;
  readonly sheet: string;
  readonly every: string;
  readonly method: SignalSheet['method'];
  readonly from: string;
  readonly to: string;
}

export const withSheet = (project: Project, type: string, sheet: string, changes: Partial<SignalSheet>): Project => ({
  ...project,
  types: project.types.map((t): PartType =>
    t.id !== type ? t : { ...t, signals: t.signals.map((s) => (s.id === sheet ? { ...s, ...changes } : s)) },
  ),
});

const rows = 400;

export function compareForms(
  project: Project,
  { type, sheet, every, method, from, to }: FormsQuestion,
): { readonly value: ComparedForms | undefined; readonly problems: readonly Problem[] } {
  const boxes: Box[] = [];
  for (const changes of [
    { every: '', offset: '' },
    { every, offset: '', method },
  ]) {
    const p = withSheet(project, type, sheet, changes);
    const prepared = prepareRun(p, { ...newSetup('forms', 'forms'), root: type });
    const errors = prepared.problems.filter((x) => x.severity === 'error');
    if (errors.length > 0) return { value: undefined, problems: errors };
    const made = makeBox(prepared.model, [from], to);
    if (!made.value) return { value: undefined, problems: made.problems };
    boxes.push(made.value);
  }
  const [continuous, sampled] = boxes;
  const stop = Math.max(runningTime(continuous), runningTime(sampled));
  const input = { steps: [{ at: 0.05 * stop, by: 1 }], waves: [] };
  const [a, b] = boxes.map((box) => box.run(input, { stop, rows }));
  const failed = a.problem ?? b.problem;
  if (failed) return { value: undefined, problems: [failed] };
  const n = Math.min(a.y.length, b.y.length);
  let [difference, size] = [0, 0];
  for (let k = 0; k < n; k++) {
    difference = Math.max(difference, Math.abs(a.y[k] - b.y[k]));
    size = Math.max(size, Math.abs(a.y[k]));
  }
  return {
    problems: [],
    value: {
      time: [...a.time.slice(0, n)],
      continuous: [...a.y.slice(0, n)],
      sampled: [...b.y.slice(0, n)],
      difference: size === 0 ? difference : difference / size,
    },
  };
}
