import { problem, type Problem } from '../language/diagnostics';
import { valuesAtStart } from '../simulate/start-values';
import { fitBetween, type FitReport, type FreeValue } from './fit';
import { fittable, simulatedAt, type Between, type Course, type Simulated } from './fit-model';
import type { ReadyToFit } from './fit-prepare';
import type { FreeRange } from './goal';

/** Values of a model fitted to one recording, or to several together, each run by itself. */
export interface FitSettings {
  readonly holdBack: number;
  readonly seed: number;
  readonly goOn?: (runs: number) => boolean;
  /** Others that have the same prepared, once they have; none before. */
  readonly others?: () => readonly FitWorker[];
}
/** One that does runs of a fit elsewhere; undefined where a run does not get there. */
export interface FitWorker {
  run(between: Between, values: readonly number[]): Promise<readonly Float64Array[] | undefined>;
}
export type FitTogether = FitReport & { readonly between: Between };

/** What is fitted to what, ready to be run. */
export interface FitTask {
  readonly free: readonly FreeValue[];
  readonly outputs: readonly Course[];
  /** By how inputs are taken between their rows; undefined where none of them jumps. */
  simulated(between: Between): Simulated | undefined;
}
export interface RecordingToFit {
  readonly ready: ReadyToFit;
  readonly name: string;
}

/** By how much each recording may be moved; undefined for not at all. */
const shiftName = (k: number, of: number): string => (of === 1 ? 'shift' : `shift of recording ${k + 1}`);

const wrong = (code: string, message: string): { problem: Problem } => ({ problem: problem('error', code, message) });

export function fitTask(
  all: readonly RecordingToFit[],
  ranges: readonly FreeRange[],
  shift: FreeRange | undefined,
): { readonly value?: FitTask; readonly problem?: Problem } {
  const names = ranges.map((r) => r.name);
  const indices: (readonly number[])[] = [];
  for (const { ready, name } of all) {
    const { value, problem: why } = fittable(ready.fitted, names);
    if (!value) return { problem: why! };
    indices.push(value);
    if (shift && ready.inputs.length > 0)
      return wrong(
        'shift',
        `${ready.inputs.map((c) => c.column).join(', ')} of ${name} drives the model by the same clock; there is nothing to shift`,
      );
    if (!shift && ready.outputs.some((o) => o.time[0] < 0))
      return wrong('shift', `${name} has times before 0, when the model has not begun: let it be moved in time`);
  }
  const first = all[0].ready.fitted;
  const nominal = valuesAtStart(first.program, first.options, indices[0]);
  const free: FreeValue[] = [
    ...ranges.map((r, k) => ({ ...r, nominal: nominal?.[k] })),
    ...(shift
      ? all.map((_, k) => ({ low: shift.low, high: shift.high, name: shiftName(k, all.length), nominal: undefined }))
      : []),
  ];
  const outputs = all.flatMap((a) => a.ready.outputs);
  const simulated = (between: Between): Simulated | undefined => {
    const ways = all.map(({ ready }) => (between === 'straight' ? ready.fitted : ready.driven(between)));
    // the other ways are worth trying where one of them has inputs that jump
    if (ways.every((w) => w === undefined)) return undefined;
    const runs = all.map(({ ready }, k) =>
      simulatedAt(ways[k] ?? ready.fitted, indices[k], ready.outputs, shift?.high),
    );
    if (runs.length === 1) return runs[0];
    const n = ranges.length;
    const each = <T>(values: readonly number[], read: (run: Simulated, own: readonly number[]) => T | undefined) => {
      const found = runs.map((run, k) => read(run, shift ? [...values.slice(0, n), values[n + k]] : values));
      return found.every((f) => f !== undefined) ? found : undefined;
    };
    return {
      at: (values) => each(values, (run, own) => run.at(own))?.flat(),
      slopesAt(values) {
        const found = each(values, (run, own) => run.slopesAt?.(own));
        return found && ranges.map((_, j) => found.flatMap((f) => f[j]));
      },
    };
  };
  return { value: { free, outputs, simulated } };
}

export async function fitTogether(
  { free, outputs, simulated }: FitTask,
  settings: FitSettings,
): Promise<{ readonly value?: FitTogether; readonly problem?: Problem }> {
  let queue: ReturnType<typeof createQueue> | undefined;
  const spreading = (between: Between): Simulated | undefined => {
    const own = simulated(between);
    const { others } = settings;
    if (!own || !others) return own;
    const spread: Simulated['spread'] = (points, goOn) => {
      const workers = queue ? [] : others();
      if (workers.length > 1) queue = createQueue(workers);
      return queue && Promise.all(points.map((values) => queue!(between, values, goOn)));
    };
    return { ...own, spread };
  };
  const value = await fitBetween(spreading, outputs, free, settings);
  return value
    ? { value }
    : settings.goOn && !settings.goOn(0)
      ? wrong('stopped', 'It was stopped before a run had come to the end of what was measured')
      : wrong('fit', 'With none of the values tried the model runs to the end of what was measured');
}

/** Runs handed to whoever has none to do. */
function createQueue(workers: readonly FitWorker[]) {
  const idle = [...workers];
  const waiting: ((worker: FitWorker) => void)[] = [];
  const take = (): Promise<FitWorker> => {
    const worker = idle.pop();
    return worker ? Promise.resolve(worker) : new Promise((resolve) => waiting.push(resolve));
  };
  return async (
    between: Between,
    values: readonly number[],
    goOn: () => boolean,
  ): Promise<readonly Float64Array[] | undefined> => {
    const worker = await take();
    try {
      return goOn() ? await worker.run(between, values) : undefined;
    } finally {
      const next = waiting.shift();
      if (next) next(worker);
      else idle.push(worker);
    }
  };
}
