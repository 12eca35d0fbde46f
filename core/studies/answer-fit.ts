import { problem, type Problem } from '../language/diagnostics';
import type { Project, Study } from '../project/project';
import { fitTogether, type FitTogether } from './fit-together';
import { readyFromSetup } from './fit-prepare';
import type { FreeRange } from './goal';
import { readMeasuredText } from './measured';
import type { ReadStudy } from './study';
import type { ReadyToFit } from './fit-prepare';

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

export async function answerFit(
  project: Project,
  study: Study,
  { question, runner }: ReadStudy,
  watch: { goOn(done: number, of: number): boolean },
  remarks: string[],
): Promise<{ readonly kind: 'fit'; readonly found: FitAnswerOfStudy } | readonly Problem[]> {
  if (question.kind !== 'fit') return [];
  const all: { ready: ReadyToFit; name: string }[] = [];
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
  const { value: report, problem: why } = await fitTogether(all, question.over, question.shift, {
    holdBack: question.holdBack,
    seed: question.seed,
    goOn: (runs) => watch.goOn(runs, 0),
  });
  if (!report) {
    const k = question.over.findIndex((o) => why!.message.startsWith(o.name));
    return [
      {
        ...problem('error', why!.code, why!.message),
        place: k < 0 ? `study/${study.id}` : `study/${study.id}/value/${study.values[k].id}/name`,
      },
    ];
  }
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
