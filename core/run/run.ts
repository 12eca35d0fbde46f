import { createRecorder, type Recorder } from '../simulate/recording';
import { createSimulation, type Simulation } from '../simulate/simulation';
import type { SequenceReport } from '../sequences/sequence-run';
import type { Finding, Monitor, RequirementFinding } from '../verdicts/finding';
import { createMonitor } from '../verdicts/monitor';
import type { Prepared, WatchedRequirement } from './prepare';
import { createSequenceDriver } from './sequence-driver';

/** One execution: a simulation with its recorder and its monitors. */
export interface Run {
  readonly simulation: Simulation;
  readonly recorder: Recorder;
  findings(): RequirementFinding[];
  /** What written sequences say of the run so far. */
  sequences(): RunSequence[];
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

export function createRun(
  prepared: Prepared & { readonly program: NonNullable<Prepared['program']> },
  record = prepared.record,
  shapes = false,
): Run {
  const recorder = createRecorder(prepared.model, record, {
    shapes,
    aliases: prepared.program.solvable.aliases,
    moving: prepared.program.moving,
  });
  const monitors = prepared.requirements.map(
    (r): Monitor | undefined => r.source && createMonitor(r.source, (k) => !prepared.program.moving.has(k)),
  );
  const watching = monitors.filter((m): m is Monitor => m !== undefined);
  const driver = prepared.sequences.length > 0 ? createSequenceDriver(prepared.sequences, prepared.model) : undefined;
  let rows = 0;
  const simulation = createSimulation(prepared.program, driver ? { ...prepared.options, driver } : prepared.options, {
    row(time, values, kind) {
      recorder.row(time, values, kind);
      const quiet = rows++ > 0 && (kind === 'sample' || kind === 'step');
      for (const m of watching) m.row(time, values, quiet);
    },
    message(record) {
      recorder.message(record);
      driver?.message(record, simulation.machine.memory.v);
    },
    transition: recorder.transition,
  });
  return {
    simulation,
    recorder,
    sequences: () => driver?.reports(simulation.status !== 'running' && simulation.status !== 'ready') ?? [],
    findings: () =>
      prepared.requirements.map((r, k) => ({
        id: r.id,
        key: r.key,
        ...(r.decided ?? monitors[k]?.finding(simulation.status === 'finished') ?? unwatched(r)),
      })),
  };
}

export const isRunnable = (p: Prepared): p is Prepared & { readonly program: NonNullable<Prepared['program']> } =>
  p.program !== undefined;

export type { RequirementFinding };
