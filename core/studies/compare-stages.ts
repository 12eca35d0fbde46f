import type { Problem } from '../language/diagnostics';
import type { Project, Setup } from '../project/project';
import { stagedRun, type StagedRun } from '../run/staged';
import type { RequirementFinding } from '../run/run';
import { stages as all, type Stage } from '../stepcode/stage';
import { measuredOf } from './answer-compare';
import { compareRecordings } from './compare';

/** What a part does in several stages, everything else being the same. */
export interface StagesAnswer {
  readonly part: string;
  /** Seconds between steps; undefined where it runs as designed only. */
  readonly period: number | undefined;
  readonly runs: readonly StageOutcome[];
  /** Each stage with the one before it. */
  readonly pairs: readonly StagePair[];
}
export interface StageOutcome {
  readonly stage: Stage;
  /** Seconds the run took to compute. */
  readonly seconds: number;
  readonly findings: readonly RequirementFinding[];
  /** Why its run broke off; empty where it did not. */
  readonly problem: string;
}
/** A difference of two stages in one quantity of the part: its outputs, what its charts are in, what it keeps. */
export interface StagePair {
  readonly a: string;
  readonly b: string;
  readonly quantity: string;
  readonly same: boolean;
  readonly first: { readonly time: number; readonly a: number | string; readonly b: number | string } | null;
  readonly largest: { readonly time: number; readonly difference: number } | null;
}

/** Everything of a run with one stage. */
export interface StageRun extends StageOutcome {
  readonly run: StagedRun;
}

/** Runs a part in one stage after the other; `goOn` is asked in between, with how much is done. */
export function runStages(
  project: Project,
  setup: Setup,
  part: string,
  stages: readonly Stage[],
  goOn: (share: number) => boolean = () => true,
): { readonly value?: readonly StageRun[]; readonly problems: readonly Problem[] } {
  const found: StageRun[] = [];
  const wanted = all.filter((s) => stages.includes(s));
  for (const [k, stage] of wanted.entries()) {
    const { value: run, problems } = stagedRun(project, setup, new Map([[part, stage]]), { keepSteps: true });
    if (!run) return { problems };
    const { simulation, findings } = run.run;
    const began = performance.now();
    let goes = true;
    simulation.advance(Infinity, false, () => (goes = goOn((k + simulation.time / setup.stop) / wanted.length)));
    if (!goes) break;
    found.push({
      stage,
      run,
      seconds: (performance.now() - began) / 1000,
      // when each held is not looked at here
      findings: findings().map((f) => ({ ...f, lane: [] })),
      problem: simulation.problem?.message ?? '',
    });
  }
  return { value: found, problems: [] };
}

/** Two stages of a part, a little earlier or later by what steps do: two of them, here and there. */
export function compareStageRuns(a: StageRun, b: StageRun, part: string, tolerance: number): readonly StagePair[] {
  const own = ({ run: { run } }: StageRun) => {
    const measured = measuredOf(run.recorder.take());
    return { ...measured, columns: measured.columns.filter((c) => c.name.startsWith(`${part}.`)) };
  };
  const period = b.run.parts.find((p) => p.name === part)?.program.period ?? 0;
  const found = compareRecordings(own(a), own(b), { relative: tolerance, absolute: 1e-9, time: 2 * period, shift: 0 });
  return found.columns.map((c) => ({
    a: a.stage,
    b: b.stage,
    quantity: c.name,
    same: c.same,
    first: c.first ?? null,
    largest: c.difference > 0 ? { time: c.at, difference: c.difference } : null,
  }));
}

export function compareStages(
  project: Project,
  setup: Setup,
  part: string,
  tolerance: number,
  goOn: (share: number) => boolean = () => true,
): { readonly value?: StagesAnswer; readonly problems: readonly Problem[] } {
  const { value: runs, problems } = runStages(project, setup, part, all, goOn);
  if (!runs) return { problems };
  return {
    problems: [],
    value: {
      part,
      period: runs.at(-1)?.run.parts.find((p) => p.name === part)?.program.period,
      runs: runs.map(({ run: _, ...outcome }) => outcome),
      pairs: runs.slice(1).flatMap((b, k) => compareStageRuns(runs[k], b, part, tolerance)),
    },
  };
}
