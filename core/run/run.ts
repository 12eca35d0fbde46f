import { countCame, together as cameTogether, type Came } from '../coverage/came';
import { createRecorder, type Recorder, type RecordingMark } from '../simulate/recording';
import { createSimulation, type Driver, type Simulation, type SimulationState } from '../simulate/simulation';
import type { LoopTerm } from '../requirements/loop-terms';
import type { SequenceReport, SequenceState } from '../sequences/sequence-run';
import type { Finding, Monitor, MonitorState, RequirementFinding } from '../verdicts/finding';
import { createMonitor, createWatchers } from '../verdicts/monitor';
import type { Prepared, WatchedRequirement } from './prepare';
import { createLoopDriver, isEndless, tellLooks, type LoopState, type Look } from './loops';
import type { ScriptReport, ScriptState } from '../scripts/script-run';
import { createScriptDriver } from './script-driver';
import { createVectorDrivers, type VectorsState } from './vector-driver';
import type { VectorReport } from '../scripts/vector-run';
import { createSequenceDriver } from './sequence-driver';
import type { DoneInSteps, StepState } from '../stepcode/step-driver';

/** One execution: a simulation with its recorder and its monitors. */
export interface Run {
  readonly simulation: Simulation;
  readonly recorder: Recorder;
  /** Keeps the moment it is at. */
  keep(): RunMoment;
  findings(): RequirementFinding[];
  /** What parts in steps have done, in their order. */
  readonly steps: readonly DoneInSteps[];
  /** Names of these parts. */
  readonly parts: readonly string[];
  /** What written sequences say of the run so far. */
  sequences(): RunSequence[];
  /** How the script of a test case goes; undefined where there is none. */
  script(): ScriptReport | undefined;
  /** How the table of a test case goes; undefined where there is none. */
  vectors(): VectorReport | undefined;
  /** What it has come through, where that is counted. */
  came(): Came | undefined;
}

export interface RunSequence {
  readonly id: string;
  readonly name: string;
  readonly report: SequenceReport;
}

const unwatched = (r: WatchedRequirement): Finding => ({
  verdict: 'undecided',
  margin: undefined,
  unit: '',
  worstAt: undefined,
  failsSince: undefined,
  reason: r.problem || 'Its limit cannot be read',
  lane: [],
});

/** All that a run remembers besides its recording, as plain data. */
export interface RunState {
  readonly simulation: SimulationState;
  /** By requirement; undefined for those that are not watched. */
  readonly monitors: readonly (MonitorState | undefined)[];
  readonly sequences: readonly SequenceState[];
  readonly script?: ScriptState | undefined;
  readonly vectors?: VectorsState | undefined;
  readonly loops?: LoopState | undefined;
  /** Of parts in steps, in their order. */
  readonly steps?: readonly StepState[];
}

/** A moment of a run that can be come back to, as often as wanted. */
export interface RunMoment {
  readonly time: number;
  readonly state: RunState;
  readonly mark: RecordingMark;
}

export interface RunOptions {
  /** Names of what is recorded instead of what the setup says. */
  readonly record?: readonly string[] | undefined;
  /** What can be seen of the model is recorded too. */
  readonly shapes?: boolean;
  /** The run goes on from a moment of another one of the same model. */
  readonly from?: {
    readonly state: RunState;
    /** With its recording up to there. */
    readonly recorder?: Recorder;
  };
  /** What parts in steps do at each of them is kept. */
  readonly keepSteps?: boolean;
}

export type Runnable = Prepared & { readonly program: NonNullable<Prepared['program']> };

export function createRun(
  prepared: Runnable,
  { record = prepared.record, shapes = false, from, keepSteps: isKept = false }: RunOptions = {},
): Run {
  const { program, model } = prepared;
  // what goes on from a moment must not change it; the simulation takes its own copy
  const monitorStates = structuredClone(from?.state.monitors);
  const sequenceStates = structuredClone(from?.state.sequences);
  const recorder =
    from?.recorder ??
    createRecorder(model, record, { shapes, aliases: program.solvable.aliases, moving: program.moving });
  const monitors = prepared.requirements.map(
    (r, k): Monitor | undefined =>
      r.source && createMonitor(r.source, (variable) => !program.moving.has(variable), monitorStates?.[k]),
  );
  const watchers = createWatchers(monitors.filter((m): m is Monitor => m !== undefined));
  const driver =
    prepared.sequences.length > 0 ? createSequenceDriver(prepared.sequences, model, sequenceStates) : undefined;
  const script = prepared.script && createScriptDriver(prepared.script, structuredClone(from?.state.script));
  const vectors = prepared.vectors && createVectorDrivers(prepared.vectors, structuredClone(from?.state.vectors));
  const loops =
    prepared.loops.terms.length > 0 && prepared.loops.when !== undefined && prepared.steps.length === 0
      ? createLoopDriver(prepared.loops, program, () => simulation, structuredClone(from?.state.loops))
      : undefined;
  const counter = prepared.plan && countCame(prepared.plan);
  const stepCounters = prepared.steps.map((p) => p.plan && countCame(p.plan));
  const steps = prepared.steps.map((p, k) =>
    p.create({ isKept, from: structuredClone(from?.state.steps?.[k]), notes: stepCounters[k]?.notes }),
  );
  const inSteps = new Set(prepared.steps.map((p) => p.number));
  const drivers = [
    driver,
    script,
    vectors?.giver,
    loops,
    ...(steps.length > 0 ? [atOnce(steps.map((s) => s.driver))] : []),
    vectors?.watcher,
  ].filter((d) => d !== undefined);
  // a written sequence goes on to the end of the run
  const tried = driver ? [] : [script, vectors].filter((d) => d !== undefined);
  const isOver = (): boolean => tried.length > 0 && tried.every((d) => d.isOver?.());
  let isFirst = from === undefined;
  const simulation: Simulation = createSimulation(
    program,
    drivers.length > 0 ? { ...prepared.options, driver: together(drivers, isOver) } : prepared.options,
    {
      row(time, values, kind, tick) {
        recorder.row(time, values, kind, tick);
        const quiet = !isFirst && (kind === 'sample' || kind === 'step');
        isFirst = false;
        watchers.row(time, values, quiet);
      },
      message(record) {
        // a part in steps takes at its next step what its chart here cannot
        recorder.message(record.receivers.some((r) => inSteps.has(r)) ? { ...record, taken: true } : record);
        for (const d of drivers) d.message?.(record, simulation.machine.memory.v);
      },
      transition: recorder.transition,
      notes: counter?.notes,
    },
    from?.state.simulation,
  );
  return {
    simulation,
    recorder,
    keep: () => ({
      time: simulation.time,
      state: structuredClone({
        simulation: simulation.state,
        monitors: monitors.map((m) => m?.state),
        sequences: driver?.state ?? [],
        script: script?.state,
        vectors: vectors?.state,
        loops: loops?.state,
        steps: steps.map((s) => s.keep()),
      }),
      mark: recorder.mark(),
    }),
    came: () => counter && cameTogether([counter.came(), ...stepCounters.flatMap((c) => c?.came() ?? [])]),
    steps: steps.map((s) => s.did),
    parts: prepared.steps.map((p) => p.name),
    sequences: () => driver?.reports(simulation.status !== 'running' && simulation.status !== 'ready') ?? [],
    script: () => script?.report(simulation.status !== 'running' && simulation.status !== 'ready'),
    vectors: () => vectors?.report(simulation.status !== 'running' && simulation.status !== 'ready'),
    findings: () =>
      prepared.requirements.map((r, k) => ({
        id: r.id,
        key: r.key,
        ...(r.decided ??
          (r.unknown !== ''
            ? { ...unwatched(r), reason: r.unknown }
            : inSteps.size > 0 && r.loops.length > 0
              ? { ...unwatched(r), reason: 'Loops are looked at only where every part runs as designed' }
              : withLooks(
                  monitors[k]?.finding(simulation.status === 'finished') ?? unwatched(r),
                  r.loops.map((j) => ({ term: prepared.loops.terms[j].term, looks: loops?.state.looks[j] })),
                ))),
      })),
  };
}

/** Drivers that see the same values: steps of several parts at one moment know nothing of each other. */
const atOnce = (drivers: readonly Driver[]): Driver => ({
  nextTime: () => Math.min(...drivers.map((d) => d.nextTime())),
  look: (time, values) => drivers.flatMap((d) => d.look(time, values)),
  message: (record, values) => drivers.forEach((d) => d.message?.(record, values)),
});

/** Several drivers as one: what one of them does has worked before the next one looks, so that what comes from outside is there for a step. */
const together = (drivers: readonly Driver[], isOver: () => boolean): Driver => ({
  nextTime() {
    let least = Infinity;
    for (const d of drivers) least = Math.min(least, d.nextTime());
    return least;
  },
  look(time, values) {
    for (const d of drivers) {
      const done = d.look(time, values);
      if (done.length > 0) return done;
    }
    return [];
  },
  isOver,
});

/** What was seen of the loops a requirement speaks of, or why nothing was. */
function withLooks(
  finding: Finding,
  seen: readonly { readonly term: LoopTerm; readonly looks: readonly Look[] | undefined }[],
): Finding {
  if (seen.length === 0) return finding;
  if (seen.some((x) => x.looks === undefined))
    return {
      ...finding,
      reason: 'Its setup does not say when it looks at loops',
    };
  const told = seen.map(({ term, looks }) => tellLooks(term, looks!)).join('; ');
  return { ...finding, ...(isEndless(finding.margin) && { margin: undefined, unit: '' }), reason: told };
}

export const isRunnable = (p: Prepared): p is Runnable => p.program !== undefined;

export type { RequirementFinding };
