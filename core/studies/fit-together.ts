import { problem, type Problem } from '../language/diagnostics';
import { valuesAtStart } from '../simulate/start-values';
import { fitBetween, type FitReport, type FreeValue } from './fit';
import { fittable, simulatedAt, type Between, type Simulated } from './fit-model';
import type { ReadyToFit } from './fit-prepare';
import type { FreeRange } from './goal';

/** Values of a model fitted to one recording, or to several together, each run by itself. */
export interface FitSettings {
  readonly holdBack: number;
  readonly seed: number;
  readonly goOn?: (runs: number) => boolean;
}
export type FitTogether = FitReport & { readonly between: Between };

/** By how much each recording may be moved; undefined for not at all. */
const shiftName = (k: number, of: number): string => (of === 1 ? 'shift' : `shift of recording ${k + 1}`);

export async function fitTogether(
  all: readonly { readonly ready: ReadyToFit; readonly name: string }[],
  ranges: readonly FreeRange[],
  shift: FreeRange | undefined,
  settings: FitSettings,
): Promise<{ readonly value?: FitTogether; readonly problem?: Problem }> {
  const wrong = (code: string, message: string): { problem: Problem } => ({ problem: problem('error', code, message) });
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
    return (values) => {
      const found: Float64Array[] = [];
      for (const [k, run] of runs.entries()) {
        const own = run(shift ? [...values.slice(0, n), values[n + k]] : values);
        if (!own) return undefined;
        found.push(...own);
      }
      return found;
    };
  };
  const value = await fitBetween(simulated, outputs, free, settings);
  return value
    ? { value }
    : settings.goOn && !settings.goOn(0)
      ? wrong('stopped', 'It was stopped before a run had come to the end of what was measured')
      : wrong('fit', 'With none of the values tried the model runs to the end of what was measured');
}
