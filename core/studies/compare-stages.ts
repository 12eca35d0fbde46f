import type { Problem } from '../language/diagnostics';
import type { Project, Setup } from '../project/project';
import { stagedRun, type StagedRun } from '../run/staged';
import type { RequirementFinding } from '../run/run';
import type { RunningStep } from '../stepcode/running-step';
import { ownStages as all, type MakeCompiled, type StageText } from '../stepcode/stage';
import type { DoneInSteps } from '../stepcode/step-driver';
import type { StepProgram } from '../stepcode/step-program';
import { measuredOf } from './answer-compare';
import { compareRecordings } from './compare';

/** What a part does in several stages, everything else being the same. */
export interface StagesAnswer {
  readonly part: string;
  /** Seconds between steps; undefined where it runs as designed only. */
  readonly period: number | undefined;
  readonly runs: readonly StageOutcome[];
  /** Each stage with the one before it; each board with the code. */
  readonly pairs: readonly StagePair[];
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

export function compareStages(
  project: Project,
  setup: Setup,
  part: string,
  tolerance: number,
  goOn: (share: number) => boolean = () => true,
  boards: { readonly stages: readonly StageText[]; readonly compiledSteps?: MakeCompiled } = { stages: [] },
): { readonly value?: StagesAnswer; readonly problems: readonly Problem[] } {
  const { value: runs, problems } = runStages(
    project,
    setup,
    part,
    [...all, ...boards.stages],
    goOn,
    boards.compiledSteps,
  );
  if (!runs) return { problems };
  return {
    problems: [],
    value: {
      part,
      period: runs.find((r) => r.stage !== 'designed')?.run.parts.find((p) => p.name === part)?.program.period,
      runs: runs.map(({ run: _, ...outcome }) => outcome),
      pairs: runs.slice(1).flatMap((b, k) => {
        const before = boards.stages.includes(b.stage) ? runs.find((r) => r.stage === 'code') : runs[k];
        return before ? compareStageRuns(before, b, part, tolerance) : [];
      }),
    },
  };
}

/**
 * Compiled steps on the inputs that the code had, step by step: there is nothing between the two but the compiler and the chip, so that all is
 * expected to be equal. Undefined where parameters got other values on the way, and where no step was kept.
 */
export function compareCompiled(
  did: DoneInSteps & { readonly program: StepProgram; readonly name: string },
  program: StepProgram,
  run: RunningStep,
  stage: string,
): readonly StagePair[] | undefined {
  if (did.isChanged() || did.inputs.length === 0) return undefined;
  const keyOf = ({ slots }: StepProgram, slot: number): string => `${slots[slot].role} ${slots[slot].name}`;
  const own = new Map(program.slots.map((_, slot) => [keyOf(program, slot), slot]));
  const inputs = did.program.slots.flatMap((s, slot) =>
    s.role === 'input' && s.size === 0 ? [own.get(keyOf(did.program, slot))] : [],
  );
  const shown = did.shown.map((slot) => own.get(keyOf(did.program, slot)));
  run.init();
  for (const [slot, value] of did.begins) {
    const here = own.get(keyOf(did.program, slot));
    if (here !== undefined) run.write(here, value);
  }
  const found = shown.map((): { first: StagePair['first']; largest: StagePair['largest'] } => ({
    first: null,
    largest: null,
  }));
  did.inputs.forEach((row, n) => {
    inputs.forEach((slot, k) => {
      if (slot !== undefined) run.write(slot, row[k]);
    });
    run.step();
    const time = n * program.period;
    shown.forEach((slot, k) => {
      if (slot === undefined) return;
      const [a, b] = [did.results[n][k], run.read(slot)];
      if (a === b || (Number.isNaN(a) && Number.isNaN(b))) return;
      const f = found[k];
      f.first ??= { time, a, b };
      const difference = Math.abs(a - b);
      if (!f.largest || difference > f.largest.difference) f.largest = { time, difference };
    });
  });
  return shown.flatMap((slot, k) => {
    if (slot === undefined) return [];
    const { name, role } = program.slots[slot];
    const quantity = role === 'output' ? `${did.name}.${name}` : `${did.name}.${name} (kept)`;
    return [{ a: 'code', b: stage, quantity, same: found[k].first === null, ...found[k] }];
  });
}
