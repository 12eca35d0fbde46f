import type { Problem } from '../language/diagnostics';
import type { Project, Setup } from '../project/project';
import { stagedRun, type StagedRun } from '../run/staged';
import type { RequirementFinding } from '../run/run';
import type { RunningStep, StepProfile } from '../stepcode/running-step';
import { ownStages as all, type MakeCompiled, type StageText } from '../stepcode/stage';
import type { StepProgram } from '../stepcode/step-program';
import { measuredOf } from './answer-compare';
import { compareRecordings } from './compare';
import { replayed, replayOf, type DoneHere, type Replay, type Replayed } from './replay';

/** What a part does in several stages, everything else being the same. */
export interface StagesAnswer {
  readonly part: string;
  /** Seconds between steps; undefined where it runs as designed only. */
  readonly period: number | undefined;
  readonly runs: readonly StageOutcome[];
  /** Each stage with the one before it; each board with the code. */
  readonly pairs: readonly StagePair[];
  /** What came of the compiled C on the machine that serves the application, where that was asked. */
  readonly host?: HostOutcome;
}
export interface HostOutcome {
  /** Why it is not there; empty where it is. */
  readonly problem: string;
  readonly profile?: StepProfile;
}
export interface StageOutcome {
  readonly stage: StageText;
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
  stages: readonly StageText[],
  goOn: (share: number) => boolean = () => true,
  compiledSteps?: MakeCompiled,
): { readonly value?: readonly StageRun[]; readonly problems: readonly Problem[] } {
  const found: StageRun[] = [];
  const wanted: readonly StageText[] = [
    ...all.filter((s) => stages.includes(s)),
    ...stages.filter((s) => !(all as readonly StageText[]).includes(s)),
  ];
  for (const [k, stage] of wanted.entries()) {
    const { value: run, problems } = stagedRun(project, setup, new Map([[part, stage]]), {
      keepSteps: true,
      ...(compiledSteps && { compiledSteps }),
    });
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

export async function compareStages(
  project: Project,
  setup: Setup,
  part: string,
  tolerance: number,
  goOn: (share: number) => boolean = () => true,
  boards: { readonly stages: readonly StageText[]; readonly compiledSteps?: MakeCompiled } = { stages: [] },
  onHost?: (typeName: string, replay: Replay) => Promise<string | (Replayed & { readonly profile: StepProfile })>,
): Promise<{ readonly value?: StagesAnswer; readonly problems: readonly Problem[] }> {
  const { value: runs, problems } = runStages(
    project,
    setup,
    part,
    [...all, ...boards.stages],
    goOn,
    boards.compiledSteps,
  );
  if (!runs) return { problems };
  const code = onHost && runs.find((r) => r.stage === 'code');
  const host = code && (await hostOf(code, part, onHost));
  return {
    problems: [],
    value: {
      part,
      ...(host && { host: { problem: host.problem, ...(host.profile && { profile: host.profile }) } }),
      period: runs.find((r) => r.stage !== 'designed')?.run.parts.find((p) => p.name === part)?.program.period,
      runs: runs.map(({ run: _, ...outcome }) => outcome),
      pairs: [
        ...runs.slice(1).flatMap((b, k) => {
          const before = boards.stages.includes(b.stage) ? runs.find((r) => r.stage === 'code') : runs[k];
          return before ? compareStageRuns(before, b, part, tolerance) : [];
        }),
        ...(host?.pairs ?? []),
      ],
    },
  };
}

/** The compiled C on what the code was given. */
async function hostOf(
  { run }: StageRun,
  part: string,
  onHost: NonNullable<Parameters<typeof compareStages>[6]>,
): Promise<HostOutcome & { readonly pairs: readonly StagePair[] }> {
  const did = run.parts.find((p) => p.name === part);
  const replay = did && replayOf(did);
  if (!did || !replay) return { problem: 'parameters get other values during this run', pairs: [] };
  const typeName = run.prepared.model.parts.find((p) => p.name === part)?.typeName ?? '';
  const done = await onHost(typeName, replay);
  if (typeof done === 'string') return { problem: done, pairs: [] };
  return { problem: '', profile: done.profile, pairs: compareReplayed(did, replay, done, 'host') };
}

/**
 * Compiled steps on the inputs that the code had, step by step: there is nothing between the two but the compiler and the chip, so that all is
 * expected to be equal. Undefined where parameters got other values on the way, and where no step was kept.
 */
export function compareCompiled(
  did: DoneHere,
  program: StepProgram,
  run: RunningStep,
  stage: string,
): readonly StagePair[] | undefined {
  const replay = replayOf(did);
  return replay && compareReplayed(did, replay, replayed(program, run, replay), stage);
}

/** With what the compiled steps did. */
export function compareReplayed(
  did: DoneHere,
  replay: Replay,
  { shown, rows }: Replayed,
  stage: string,
): readonly StagePair[] {
  const { slots, period } = did.program;
  return shown.flatMap((isThere, k) => {
    if (!isThere) return [];
    let first: StagePair['first'] = null;
    let largest: StagePair['largest'] = null;
    rows.forEach((row, n) => {
      const [a, b] = [did.results[n][k], row[k]];
      if (a === b || (Number.isNaN(a) && Number.isNaN(b))) return;
      const time = n * period;
      first ??= { time, a, b };
      const difference = Math.abs(a - b);
      if (!largest || difference > largest.difference) largest = { time, difference };
    });
    const { name, role } = slots[did.shown[k]];
    const quantity = role === 'output' ? `${did.name}.${name}` : `${did.name}.${name} (kept)`;
    return [{ a: 'code', b: stage, quantity, same: first === null, first, largest }];
  });
}
