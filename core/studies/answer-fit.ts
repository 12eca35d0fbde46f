import { problem, type Problem } from '../language/diagnostics';
import type { Project, Study } from '../project/project';
import {
  fitTask,
  fitTogether,
  type FitSettings,
  type FitTask,
  type FitTogether,
  type RecordingToFit,
} from './fit-together';
import { readyFromSetup } from './fit-prepare';
import type { FreeRange } from './goal';
import { readMeasuredText } from './measured';
import type { ReadStudy } from './study';

/** A study that fits values of the model to recordings of the project. */
export interface FitAnswerOfStudy {
  readonly report: FitTogether;
  readonly ranges: readonly FreeRange[];
  readonly units: readonly string[];
  /** Where the model has the values. */
  readonly nominal: readonly (number | undefined)[];
  /** Name of the recording of each column of the report, and of columns that drive the model. */
  readonly recordings: readonly string[];
  readonly drivenBy: readonly string[];
  readonly holdBack: number;
}

/** The recordings of a study beside its model, ready to be run; `remarks` takes what was left out. */
export function fitTaskOf(
  project: Project,
  study: Study,
  { question, runner }: ReadStudy,
  remarks: string[] = [],
): { readonly all: readonly RecordingToFit[]; readonly task: FitTask } | readonly Problem[] {
  if (question.kind !== 'fit') return [];
  const all: RecordingToFit[] = [];
  for (const id of study.recordings) {
    const recording = project.recordings.find((r) => r.id === id)!;
    const { value: data, problem: unread } = readMeasuredText(recording.text, recording.name);
    if (!data) return [{ ...unread!, place: `recording/${id}` }];
    const maps = study.columns.flatMap((c) =>
      c.recording === id && c.quantity.trim() !== '' ? [{ column: c.column, quantity: c.quantity.trim() }] : [],
    );
    const { value: ready, problems } = readyFromSetup(project, runner.setup, { data, maps, name: recording.name });
    if (!ready) return problems;
    for (const r of data.remarks) remarks.push(`${recording.name}: ${r}`);
    if (ready.left.length > 0) remarks.push(`${recording.name}: not compared: ${ready.left.join(', ')}`);
    all.push({ ready, name: recording.name });
  }
  const { value: task, problem: why } = fitTask(all, question.over, question.shift);
  return task ? { all, task } : [atValue(study, question.over, why!)];
}

/** At the value it is about, where it begins with its name. */
function atValue(study: Study, over: readonly FreeRange[], { code, message }: Problem): Problem {
  const k = over.findIndex((o) => message.startsWith(o.name));
  const place = k < 0 ? `study/${study.id}` : `study/${study.id}/value/${study.values[k].id}/name`;
  return { ...problem('error', code, message), place };
}

export async function answerFit(
  project: Project,
  study: Study,
  read: ReadStudy,
  watch: { goOn(done: number, of: number): boolean },
  remarks: string[],
  others?: FitSettings['others'],
): Promise<{ readonly kind: 'fit'; readonly found: FitAnswerOfStudy } | readonly Problem[]> {
  const { question } = read;
  const made = fitTaskOf(project, study, read, remarks);
  if (!('task' in made) || question.kind !== 'fit') return 'task' in made ? [] : made;
  const { all, task } = made;
  const { value: report, problem: why } = await fitTogether(task, {
    holdBack: question.holdBack,
    seed: question.seed,
    goOn: (runs) => watch.goOn(runs, 0),
    ...(others && { others }),
  });
  if (!report) return [atValue(study, question.over, why!)];
  const { model } = all[0].ready.fitted;
  const unitOf = (name: string): string => model.variables[model.indexOf.get(name) ?? -1]?.unit ?? 's';
  return {
    kind: 'fit',
    found: {
      report,
      ranges: question.over,
      units: report.values.map((v) => unitOf(v.name)),
      nominal: report.nominal,
      recordings: all.flatMap(({ ready, name }) => ready.outputs.map(() => name)),
      drivenBy: all.flatMap(({ ready, name }) => ready.inputs.map((c) => `${c.column} of ${name}`)),
      holdBack: question.holdBack,
    },
  };
}
