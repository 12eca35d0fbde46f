import { problem, type Problem } from '../language/diagnostics';
import { setupOf, type Project, type Study } from '../project/project';
import { readRange, readSpan, runsOf as runsOfDesign, type Design, type Variation } from './design';
import type { FreeMessage, FreeRange, Method } from './goal';
import { mattersRuns } from './matters';
import type { RunnerQuestion } from './runner';

/** A study of the document as a question that can be answered. */

/** Number of an aim of the runner, or the key of a requirement whose margin is meant. */
export type AimOf = number | string;

export type StudyQuestion =
  | { readonly kind: 'vary'; readonly design: Design; readonly runs: number }
  | { readonly kind: 'matters'; readonly over: readonly FreeRange[]; readonly runs: number }
  | {
      readonly kind: 'best';
      readonly over: readonly FreeRange[];
      readonly aims: readonly { readonly sense: 'low' | 'high'; readonly formula: string; readonly of: AimOf }[];
      readonly runs: number;
      readonly seed: number;
      readonly method: Method;
    }
  | {
      readonly kind: 'breaks';
      readonly requirement: string;
      readonly over: readonly FreeRange[];
      readonly messages: readonly FreeMessage[];
      readonly runs: number;
      readonly seed: number;
      readonly method: Method;
    }
  | {
      readonly kind: 'fit';
      readonly over: readonly FreeRange[];
      readonly shift: FreeRange | undefined;
      readonly holdBack: number;
      readonly seed: number;
    }
  | { readonly kind: 'compare' };

export interface ReadStudy {
  readonly question: StudyQuestion;
  /** What the runs of it are asked. */
  readonly runner: RunnerQuestion;
  /** How many runs it takes at most. */
  readonly runs: number;
}

/** The key in `margin(KEY)`; undefined for any other formula. */
export const marginKey = (formula: string): string | undefined =>
  /^\s*margin\(\s*([^()]+?)\s*\)\s*$/.exec(formula)?.[1];

/** What a study asks, or what is wrong with it, each at its place. */
export function readStudy(
  project: Project,
  study: Study,
): { readonly value?: ReadStudy; readonly problems: readonly Problem[] } {
  const at = `study/${study.id}`;
  const problems: Problem[] = [];
  const wrong = (place: string, message: string): void =>
    void problems.push({ ...problem('error', 'study', message), place });
  const setup = setupOf(project, study);
  const stop = (): { problems: readonly Problem[] } => ({ problems });
  if (!setup) {
    wrong(
      `${at}/setup`,
      study.setup === '' ? 'There is no setup that could be run' : 'The setup it runs is gone: choose another one',
    );
    return stop();
  }
  const question =
    study.kind === 'vary'
      ? readVary(study, at, wrong)
      : study.kind === 'compare'
        ? readCompare(project, study, at, wrong)
        : study.kind === 'fit'
          ? readFit(project, study, at, wrong)
          : study.kind === 'matters'
            ? readMatters(study, at, wrong)
            : study.kind === 'best'
              ? readBest(study, at, wrong)
              : readBreaks(project, study, at, wrong);
  if (problems.length > 0 || !question) return stop();
  const runner: RunnerQuestion = {
    project,
    setup,
    over: study.kind === 'compare' ? [] : study.values.map((v) => v.name.trim()),
    aims: runnerAims(study),
  };
  return { value: { question, runner, runs: runsOf(study, question) }, problems };
}

type Wrong = (place: string, message: string) => void;

/** Formulas that runs are asked: margins come by themselves. */
const runnerAims = (study: Study): string[] =>
  study.kind === 'vary' || study.kind === 'matters'
    ? study.aims.map((a) => a.formula.trim())
    : study.kind === 'best'
      ? study.aims.flatMap((a) => (marginKey(a.formula) === undefined ? [a.formula.trim()] : []))
      : [];

function runsOf(study: Study, q: StudyQuestion): number {
  if (q.kind === 'vary') return q.runs;
  if (q.kind === 'matters') return mattersRuns(q.runs, q.over.length);
  return q.kind === 'compare' ? study.setups.length : study.runs;
}

/** Values between two, one after the other. */
function spansOf(study: Study, at: string, wrong: Wrong): FreeRange[] {
  const found: FreeRange[] = [];
  for (const v of study.values) {
    const name = v.name.trim();
    const span = readSpan(v.range);
    if (found.some((f) => f.name === name)) wrong(`${at}/value/${v.id}/name`, `${name} has two ranges`);
    else if (typeof span === 'string')
      wrong(`${at}/value/${v.id}/range`, v.range.trim() === '' ? 'From where to where? Such as 8:14' : sentence(span));
    else found.push({ name, ...span });
  }
  return found;
}
const sentence = (text: string): string => text[0].toUpperCase() + text.slice(1);

function told(study: Study, at: string, wrong: Wrong): void {
  for (const a of study.aims) {
    if (a.formula.trim() === '') wrong(`${at}/aim/${a.id}/formula`, 'Which formula is told?');
    else if (marginKey(a.formula) !== undefined)
      wrong(`${at}/aim/${a.id}/formula`, 'Margins of requirements are told anyway');
  }
}

function readVary(study: Study, at: string, wrong: Wrong): StudyQuestion | undefined {
  const variations: Variation[] = [];
  for (const v of study.values) {
    const text = v.range.trim();
    const { value, problem: why } = readRange(v.name, text);
    if (text === '')
      wrong(`${at}/value/${v.id}/range`, 'Which values? Such as 8:14:13, or 8, 10, 12, or normal(10, 0.5)');
    else if (value) variations.push(value);
    // what is wrong stands at its place: its name need not be said again
    else wrong(`${at}/value/${v.id}/range`, sentence(why!.message.replace(/^.*?: (?=\S)/s, '')));
  }
  if (study.values.length === 0) wrong(at, 'Nothing takes other values yet');
  told(study, at, wrong);
  const nameOf = new Map(study.values.map((v) => [v.id, v.name.trim()]));
  const correlations = study.correlations.flatMap(({ a, b, r }) =>
    nameOf.has(a) && nameOf.has(b) ? [{ a: nameOf.get(a)!, b: nameOf.get(b)!, r }] : [],
  );
  if (variations.length < study.values.length || variations.length === 0) return undefined;
  const { runs: draws, seed, drawing } = study;
  const design: Design = { variations, runs: draws, seed, drawing, correlations };
  const { value: runs, problem: why } = runsOfDesign(design);
  if (runs === undefined) {
    wrong(at, why!.message);
    return undefined;
  }
  return { kind: 'vary', design, runs };
}

function readMatters(study: Study, at: string, wrong: Wrong): StudyQuestion {
  const over = spansOf(study, at, wrong);
  if (study.values.length === 0) wrong(at, 'Of which values is it asked what they matter?');
  told(study, at, wrong);
  return { kind: 'matters', over, runs: study.runs };
}

function readBest(study: Study, at: string, wrong: Wrong): StudyQuestion {
  const over = spansOf(study, at, wrong);
  if (study.values.length === 0) wrong(at, 'Which values may change?');
  const sought = study.aims.filter((a) => a.sense !== 'told');
  if (sought.length === 0) wrong(at, 'What is to be as low or as high as it can be?');
  if (sought.length > 2) wrong(at, 'One aim, or two of which the border is shown');
  let k = 0;
  const aims = study.aims.flatMap((a) => {
    const of = marginKey(a.formula) ?? k++;
    if (a.formula.trim() === '') wrong(`${at}/aim/${a.id}/formula`, 'A formula is needed, such as highest(cap.torque)');
    return a.sense === 'told' ? [] : [{ sense: a.sense, formula: a.formula.trim(), of }];
  });
  return { kind: 'best', over, aims, runs: study.runs, seed: study.seed, method: study.method };
}

function readBreaks(project: Project, study: Study, at: string, wrong: Wrong): StudyQuestion {
  const over = spansOf(study, at, wrong);
  const requirement = project.requirements.find((r) => r.id === study.requirement);
  if (!requirement)
    wrong(
      `${at}/requirement`,
      study.requirement === '' ? 'Which requirement is to be broken?' : 'The requirement is gone: choose another one',
    );
  if (study.values.length + study.messages.length === 0)
    wrong(at, 'What may be different: values within a range, or messages that may come?');
  const messages = study.messages.map((m): FreeMessage => {
    if (!(m.to > m.from)) wrong(`${at}/message/${m.id}/to`, 'The span ends after it begins');
    const value = m.value.trim();
    return { target: m.target.trim(), from: m.from, to: m.to, ...(value !== '' && { value }) };
  });
  return {
    kind: 'breaks',
    requirement: requirement?.key ?? '',
    over,
    messages,
    runs: study.runs,
    seed: study.seed,
    method: study.method,
  };
}

const recordingsOf = (project: Project, study: Study, at: string, wrong: Wrong): void =>
  study.recordings.forEach((id) => {
    if (!project.recordings.some((r) => r.id === id)) wrong(`${at}/recordings`, 'A recording is gone: take it out');
  });

function readFit(project: Project, study: Study, at: string, wrong: Wrong): StudyQuestion {
  const over = spansOf(study, at, wrong);
  if (study.values.length === 0) wrong(at, 'Which values are to be found?');
  if (study.recordings.length === 0) wrong(at, 'What was measured? Bring a recording as CSV');
  recordingsOf(project, study, at, wrong);
  const span = study.shift.trim() === '' ? undefined : readSpan(study.shift);
  if (typeof span === 'string') wrong(`${at}/shift`, sentence(span));
  return {
    kind: 'fit',
    over,
    shift: typeof span === 'object' ? { name: 'shift', ...span } : undefined,
    holdBack: study.holdBack,
    seed: study.seed,
  };
}

function readCompare(project: Project, study: Study, at: string, wrong: Wrong): StudyQuestion {
  recordingsOf(project, study, at, wrong);
  for (const id of study.setups)
    if (!project.setups.some((s) => s.id === id)) wrong(`${at}/setups`, 'A setup is gone: take it out');
  if (study.setups.length + study.kept.length + study.recordings.length < 2)
    wrong(at, 'Two are needed: setups that are run, runs that are kept, or recordings');
  return { kind: 'compare' };
}

/** What is wrong with the studies of a project, as far as it is known without running anything. */
export const studyProblems = (project: Project): Problem[] =>
  project.studies.flatMap((s) => (isBegun(s) ? readStudy(project, s).problems : []));

/** A study that nobody has filled in yet is not wrong. */
export const isBegun = (s: Study): boolean =>
  s.values.length + s.messages.length + s.aims.length + s.recordings.length + s.setups.length + s.kept.length > 0;

/** How an aim is called: by its name, or as its formula. */
export const aimName = (a: { readonly name: string; readonly formula: string }): string =>
  a.name.trim() || a.formula.trim();

/** How a formula that was asked for is called in its study. */
export function calledIn(study: Study, formula: string): string {
  const aim = study.aims.find((a) => a.formula.trim() === formula);
  return aim ? aimName(aim) : formula;
}

/** What a study was asked with, to tell whether what it found is of an earlier one. */
export const studyMark = (study: Study): string =>
  JSON.stringify({
    ...study,
    name: '',
    note: '',
    values: study.values.map((v) => [v.name, v.range]),
    aims: study.aims.map((a) => [a.sense, a.formula]),
  });
