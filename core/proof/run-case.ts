import type { Problem } from '../language/diagnostics';
import type { Project, TestCase } from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable, type RequirementFinding, type Runnable, type RunSequence } from '../run/run';
import { inOwnWords, triedRun } from '../run/tried';
import type { RowStatus } from '../sequences/sequence-run';
import type { ScriptReport } from '../scripts/script-run';
import type { VectorReport } from '../scripts/vector-run';
import type { Came } from '../coverage/came';
import type { MakeCompiled, StageText } from '../stepcode/stage';

export type CaseVerdict = 'passed' | 'failed' | 'not run';

/** Where what came is furthest from what was expected. */
export interface Deviation {
  readonly target: string;
  readonly unit: string;
  readonly time: number;
  readonly value: number;
  readonly expected: number;
  readonly within: number;
}

export interface CaseOutcome {
  /** What could not run has not passed. */
  readonly verdict: CaseVerdict;
  /** Why it has failed or could not run; empty where it has passed. */
  readonly why: string;
  readonly failedAt: number | undefined;
  /** Time of the product it went to. */
  readonly time: number;
  readonly script: ScriptReport | undefined;
  readonly vectors: VectorReport | undefined;
  readonly worst: Deviation | undefined;
  readonly sequences: readonly RunSequence[];
  /** Requirements are judged beside, whatever a case expects. */
  readonly findings: readonly RequirementFinding[];
  readonly problems: readonly Problem[];
  readonly seconds: number;
  /** It failed by requirements that are judged beside alone: what it expects came. */
  readonly isBeside?: boolean;
  /** What its run came through, where that was counted. */
  readonly came?: Came | undefined;
}

export interface CaseOptions {
  /** Without one parts run as the setup says. */
  readonly stage?: StageText | undefined;
  readonly compiledSteps?: MakeCompiled | undefined;
  /** It is counted what its run comes through. */
  readonly isCounted?: boolean;
  /** Asked now and then; a case that is given up has not been run. */
  readonly goesOn?: (share: number) => boolean;
}

const nothing = {
  failedAt: undefined,
  time: 0,
  script: undefined,
  vectors: undefined,
  worst: undefined,
  sequences: [],
  findings: [],
};

/** Rows of a written sequence that make it fail. */
const bad: ReadonlySet<RowStatus> = new Set(['out of order', 'too late', 'too early', 'other values', 'not seen']);

/** Runs a case in a stage. */
export function runCase(
  project: Project,
  of: TestCase,
  { stage, compiledSteps, isCounted = false, goesOn = () => true }: CaseOptions = {},
): CaseOutcome {
  const begun = performance.now();
  const since = (): number => (performance.now() - begun) / 1000;
  const notRun = (why: string, problems: readonly Problem[]): CaseOutcome => ({
    ...nothing,
    verdict: 'not run',
    why,
    problems,
    seconds: since(),
  });
  const asked = triedRun(project, of, stage);
  if ('message' in asked) return notRun(asked.message, [asked]);
  const prepared = prepareRun(asked.project, asked.setup, undefined, undefined, compiledSteps, {
    ...asked.tried,
    isCounted,
  });
  const problems = inOwnWords(prepared.problems, prepared.model.name, asked.alone).map((p) =>
    // there is no such setup in the document
    asked.alone && p.place?.startsWith('setup/') ? { ...p, place: `case/${of.id}/alone` } : p,
  );
  if (!isRunnable(prepared))
    return notRun(problems.find((p) => p.severity === 'error')?.message ?? 'It cannot run', problems);
  const run = createRun(prepared, { record: [] });
  const { simulation } = run;
  let looks = 0;
  let isGivenUp = false;
  simulation.advance(
    Infinity,
    false,
    () => ++looks % 64 !== 0 || !(isGivenUp = !goesOn(simulation.time / asked.setup.stop)),
  );
  if (isGivenUp) return notRun('It was given up', problems);
  const script = run.script();
  const vectors = run.vectors();
  const sequences = run.sequences();
  const findings = run.findings();
  const worst = vectors && worstOf(prepared, vectors);
  const broken = findings.filter((f) => f.verdict === 'fails');
  const unheard = sequences.filter((s) => s.report.verdict !== 'passed');
  const own = [
    ...(simulation.problem ? [simulation.problem.message] : []),
    ...(script && script.verdict !== 'passed' ? [script.why] : []),
    ...(vectors && vectors.verdict !== 'passed' ? [tellVectors(prepared, vectors)] : []),
    ...unheard.map((s) => `${s.name}: ${s.report.why || s.report.verdict}`),
  ];
  const whys = [
    ...own,
    ...broken.map(
      (f) => `${f.key} fails${f.margin === undefined ? '' : ` by ${number(Math.abs(f.margin))} ${f.unit}`.trimEnd()}`,
    ),
  ];
  const times = [
    script?.failedAt,
    vectors?.failedAt,
    ...unheard.flatMap((s) => s.report.rows.flatMap((r) => (bad.has(r.status) ? [r.time ?? simulation.time] : []))),
    simulation.problem ? simulation.time : undefined,
    ...broken.map((f) => f.failsSince),
  ].filter((t) => t !== undefined);
  return {
    verdict: whys.length === 0 ? 'passed' : 'failed',
    why: whys.join('; '),
    failedAt: times.length > 0 ? Math.min(...times) : undefined,
    time: simulation.time,
    script,
    vectors,
    worst,
    sequences,
    findings,
    problems,
    seconds: since(),
    ...(own.length === 0 && broken.length > 0 && { isBeside: true }),
    ...(isCounted && { came: run.came() }),
  };
}

const number = (x: number): string => String(Number(x.toPrecision(5)));

/** Relative to what is allowed; where nothing is, what is off at all is further. */
const share = ({ value, expected, within }: Deviation): number => {
  const off = Math.abs(value - expected);
  return Number.isNaN(off) ? Infinity : within > 0 ? off / within : off === 0 ? 0 : Infinity;
};

function deviationsOf(prepared: Runnable, { values }: VectorReport): Deviation[] {
  const { expected, columns, units } = prepared.vectors!;
  return values.flatMap(({ column, value }, k): Deviation[] =>
    value === undefined
      ? []
      : [
          {
            target: columns[column].target,
            unit: units[column],
            time: expected[k].time,
            value,
            expected: expected[k].value,
            within: expected[k].within,
          },
        ],
  );
}

const worstOf = (prepared: Runnable, vectors: VectorReport): Deviation | undefined =>
  deviationsOf(prepared, vectors).reduce<Deviation | undefined>(
    (most, d) => (!most || share(d) > share(most) ? d : most),
    undefined,
  );

/** The first value that is not as expected, and how many more there are. */
function tellVectors(prepared: Runnable, { values }: VectorReport): string {
  const { expected, columns, units } = prepared.vectors!;
  const failed = values.flatMap((v, k) => (v.status === 'failed' ? [{ ...v, of: expected[k] }] : []));
  const [first] = failed.sort((a, b) => a.of.time - b.of.time);
  const unit = units[first.column] && ` ${units[first.column]}`;
  const { time, value, within } = first.of;
  const was = first.value === undefined ? 'the run ended before' : `was ${number(first.value)}${unit}`;
  const more = failed.length > 1 ? ` (and ${failed.length - 1} more)` : '';
  return `row ${first.row + 1}, ${number(time)} s: ${columns[first.column].target} ${was}, ${number(value)}${unit}${within > 0 ? ` within ${number(within)}` : ''} was expected${more}`;
}
