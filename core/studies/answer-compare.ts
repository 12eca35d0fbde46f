import { problem, type Problem } from '../language/diagnostics';
import type { Project, Setup, Study } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { wordOf } from '../simulate/configurations';
import type { Recording } from '../simulate/recording';
import type { RequirementFinding } from '../verdicts/finding';
import type { MakeCompiled } from '../stepcode/stage';
import { compareRecordings, type Comparison, type Tolerance } from './compare';
import { readMeasuredText, type Measured } from './measured';
import { momentOf } from './moment-of';

/** Recordings laid over each other: runs of setups, and what was measured. The first one is what the others are compared with. */
export interface ComparedSide {
  readonly name: string;
  /** Id of the setup or of the recording; of a run that was kept, when it began. */
  readonly id: string;
  readonly kind: 'run' | 'kept' | 'measured';
  readonly data: Measured;
  readonly findings: readonly Pick<RequirementFinding, 'id' | 'key' | 'verdict' | 'margin' | 'unit'>[];
  readonly messages: readonly SentText[] | undefined;
  /** Seconds by which it was moved so that it fits the first. */
  readonly moved: number;
  /** Its run broke off. */
  readonly problem: string;
}
/** A run that was made earlier, as it was then. */
export interface KeptRun extends Pick<ComparedSide, 'id' | 'name' | 'findings' | 'problem'> {
  readonly recording: Recording;
  /** Full names of its parts. */
  readonly parts: readonly string[];
}
export interface SentText {
  readonly time: number;
  readonly text: string;
}

export interface MessageDifference {
  /** The first message that is not the same, by its number from 1; undefined where all are. */
  readonly first:
    { readonly number: number; readonly a: SentText | undefined; readonly b: SentText | undefined } | undefined;
  /** Largest distance in time of messages that are the same, and which. */
  readonly late: { readonly by: number; readonly a: SentText; readonly b: SentText } | undefined;
  readonly count: number;
}

export interface CompareAnswer {
  readonly sides: readonly ComparedSide[];
  /** Of each side but the first with the first. */
  readonly comparisons: readonly Comparison[];
  readonly messages: readonly (MessageDifference | undefined)[];
  readonly tolerance: Tolerance;
  readonly alignAt: string;
}

/** A recording as a table of values, like a measured one. */
export function measuredOf(recording: Recording): Measured {
  const { rows, time } = recording;
  return {
    time: Float64Array.from(time.subarray(0, rows)),
    remarks: [],
    columns: recording.columns.map((c) => {
      const isWord = c.kind === 'states' || c.kind === 'literal';
      return {
        name: c.name,
        unit: c.unit,
        values: isWord ? new Float64Array(0) : Float64Array.from(c.values.subarray(0, rows)),
        words: isWord ? Array.from(c.values.subarray(0, rows), (v) => wordOf(c, v)) : undefined,
      };
    }),
  };
}

/** Messages as they are told: who, what, with which arguments, to whom. */
const sentTexts = (recording: Recording, parts: readonly string[]): SentText[] =>
  recording.messages.map((m) => {
    const name = (k: number): string => (k < 0 ? 'outside' : parts[k] === '' ? 'product' : (parts[k] ?? '?'));
    const args = m.args.length > 0 ? `(${m.args.map((a) => String(a.value)).join(', ')})` : '';
    return {
      time: m.time,
      text: `${name(m.sender)} sends ${m.message}${args} to ${m.receivers.map(name).join(', ') || 'nobody'}`,
    };
  });

/** The first message that differs, and how far the same ones are apart in time. */
export function messageDifference(a: readonly SentText[], b: readonly SentText[], moved: number): MessageDifference {
  let late: MessageDifference['late'];
  const n = Math.max(a.length, b.length);
  for (let k = 0; k < n; k++) {
    const [x, y] = [a[k], b[k] && { ...b[k], time: b[k].time + moved }] as [SentText | undefined, SentText | undefined];
    if (!x || !y || x.text !== y.text) return { first: { number: k + 1, a: x, b: y }, late, count: n };
    const by = Math.abs(x.time - y.time);
    if (by > (late?.by ?? 0)) late = { by, a: x, b: y };
  }
  return { first: undefined, late, count: n };
}

function runSide(project: Project, setup: Setup, compiledSteps?: MakeCompiled): ComparedSide | readonly Problem[] {
  const prepared = prepareRun(project, setup, undefined, undefined, compiledSteps);
  if (!isRunnable(prepared)) return prepared.problems.filter((p) => p.severity === 'error');
  const { simulation, recorder, findings } = createRun(prepared);
  simulation.advance(Infinity);
  const recording = recorder.take();
  return {
    name: setup.name,
    id: setup.id,
    kind: 'run',
    data: measuredOf(recording),
    findings: findings().map(({ id, key, verdict, margin, unit }) => ({ id, key, verdict, margin, unit })),
    messages: sentTexts(
      recording,
      prepared.model.parts.map((p) => p.name),
    ),
    moved: 0,
    problem: simulation.problem?.message ?? '',
  };
}

const keptSide = ({ recording, parts, ...run }: KeptRun): ComparedSide => ({
  ...run,
  kind: 'kept',
  data: measuredOf(recording),
  messages: sentTexts(recording, parts),
  moved: 0,
});

/** Columns under the names of the quantities they are of. */
function measuredSide(project: Project, study: Study, id: string): ComparedSide | readonly Problem[] {
  const recording = project.recordings.find((r) => r.id === id)!;
  const { value: data, problem: unread } = readMeasuredText(recording.text, recording.name);
  if (!data) return [{ ...unread!, place: `recording/${id}` }];
  const named = new Map(
    study.columns.flatMap((c) =>
      c.recording === id && c.quantity.trim() !== '' ? [[c.column, c.quantity.trim()] as const] : [],
    ),
  );
  return {
    name: recording.name,
    id,
    kind: 'measured',
    data: { ...data, columns: data.columns.map((c) => ({ ...c, name: named.get(c.name) ?? c.name })) },
    findings: [],
    messages: undefined,
    moved: 0,
    problem: '',
  };
}

export async function answerCompare(
  project: Project,
  study: Study,
  watch: { goOn(done: number, of: number): boolean },
  kept: readonly KeptRun[] = [],
  compiledSteps?: MakeCompiled,
): Promise<{ readonly kind: 'compare'; readonly found: CompareAnswer } | readonly Problem[] | string> {
  const sides: ComparedSide[] = [];
  const at = `study/${study.id}`;
  const wrong = (place: string, message: string): readonly Problem[] => [
    { ...problem('error', 'study', message), place: `${at}/${place}` },
  ];
  const count = study.setups.length + study.kept.length + study.recordings.length;
  for (const id of study.setups) {
    await new Promise((resolve) => setTimeout(resolve, 0));
    if (!watch.goOn(sides.length, count)) return 'It was stopped before all were run';
    const side = runSide(
      project,
      project.setups.find((s) => s.id === id)!,
      compiledSteps,
    );
    if (!('data' in side)) return side;
    sides.push(side);
  }
  for (const id of study.kept) {
    const run = kept.find((r) => r.id === id);
    if (!run) return wrong('kept', 'A run that is compared is no longer kept in this browser: take it out');
    sides.push(keptSide(run));
  }
  for (const id of study.recordings) {
    const side = measuredSide(project, study, id);
    if (!('data' in side)) return side;
    sides.push(side);
  }
  const alignAt = study.alignAt.trim();
  const shift = study.shift.trim() === '' ? 0 : Number(study.shift);
  if (!Number.isFinite(shift)) return wrong('shift', `${study.shift} is no number of seconds`);
  const moments: number[] = [];
  if (alignAt !== '')
    for (const side of sides) {
      const moment = momentOf(side.data, alignAt);
      if (typeof moment === 'string') return wrong('alignAt', `${side.name}: ${moment}`);
      moments.push(moment);
    }
  const [{ relative, absolute, time } = { relative: 1e-3, absolute: 0, time: 0 }] = study.tolerance;
  const tolerance: Tolerance = { relative, absolute, time, shift: 0 };
  const moved = sides.map((s, k) => ({
    ...s,
    moved: k === 0 ? 0 : (alignAt === '' ? 0 : moments[0] - moments[k]) + shift,
  }));
  const [first, ...others] = moved;
  return {
    kind: 'compare',
    found: {
      sides: moved,
      comparisons: others.map((o) => compareRecordings(first.data, o.data, { ...tolerance, shift: o.moved })),
      messages: others.map((o) =>
        first.messages && o.messages ? messageDifference(first.messages, o.messages, o.moved) : undefined,
      ),
      tolerance,
      alignAt,
    },
  };
}
