import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { convertValue, sameDimension, unitOrUndefined } from '../language/units';
import { withSensitivities } from '../analysis/sensitivity-model';
import { takesValues } from '../analysis/takes-values';
import type { Program } from '../program/program';
import { compile } from '../simulate/compile';
import { createRecorder } from '../simulate/recording';
import { createSimulation, type SimulationOptions, type Stimulus } from '../simulate/simulation';
import { valuesAtStart, whyKept } from '../simulate/start-values';
import { valueOver, type Measured } from './measured';

/** A model that is run beside what was measured: columns that are inputs drive it, the others are compared with its quantities. */

export interface ColumnMap {
  readonly column: string;
  readonly quantity: string;
}

/** A column of measured values in the unit of the quantity it is of. */
export interface Course {
  readonly quantity: string;
  readonly column: string;
  readonly unit: string;
  readonly time: Float64Array;
  readonly values: Float64Array;
}

/** Which columns are what, or why they cannot be. */
export function coursesOf(
  data: Measured,
  maps: readonly ColumnMap[],
  model: FlatModel,
  file: string,
): {
  readonly value?: {
    readonly inputs: readonly Course[];
    readonly outputs: readonly Course[];
    readonly left: readonly string[];
  };
  readonly problem?: Problem;
} {
  const wrong = (message: string): { problem: Problem } => ({ problem: problem('error', 'data', message) });
  const mapped = new Map<string, string>();
  for (const { column, quantity } of maps) {
    if (!data.columns.some((c) => c.name === column)) {
      const near = nearestName(
        column,
        data.columns.map((c) => c.name),
      );
      return wrong(
        `${file} has no column ${column}${near ? `; did you mean ${near}?` : `; it has ${data.columns.map((c) => c.name).join(', ')}`}`,
      );
    }
    if (!model.indexOf.has(quantity)) {
      const near = nearestName(quantity, model.indexOf.keys());
      return wrong(`${model.name} has no ${quantity}${near ? `; did you mean ${near}?` : ''}`);
    }
    mapped.set(column, quantity);
  }
  const inputs: Course[] = [];
  const outputs: Course[] = [];
  const left: string[] = [];
  for (const c of data.columns) {
    const quantity = mapped.get(c.name) ?? (model.indexOf.has(c.name) ? c.name : undefined);
    if (quantity === undefined) {
      left.push(c.name);
      continue;
    }
    const v = model.variables[model.indexOf.get(quantity)!];
    // a recording of everything has more than can be compared number by number
    const isMeant = mapped.has(c.name);
    if (!isMeant && (c.words || v.type !== 'Real' || v.kind === 'parameter' || v.kind === 'constant')) {
      left.push(c.name);
      continue;
    }
    if (v.kind === 'parameter' || v.kind === 'constant')
      return wrong(`${c.name}: ${quantity} is a ${v.kind}, which does not change over time`);
    if (c.words) return wrong(`${c.name} has words: numbers are needed to compare ${quantity} with`);
    let { values } = c;
    if (c.unit !== '' && v.unit !== '' && c.unit !== v.unit) {
      const [from, to] = [unitOrUndefined(c.unit), unitOrUndefined(v.unit)];
      if (!from) return wrong(`${c.name} is in ${c.unit}, which is no unit that is known`);
      if (to && !sameDimension(from, to)) return wrong(`${c.name} is in ${c.unit}: ${quantity} is in ${v.unit}`);
      if (to) values = values.map((x) => convertValue(x, from, to));
    }
    const kept = [...values.keys()].filter((k) => Number.isFinite(values[k]));
    const course: Course = {
      quantity,
      column: c.name,
      unit: v.unit,
      time: Float64Array.from(kept, (k) => data.time[k]),
      values: Float64Array.from(kept, (k) => values[k]),
    };
    if ([...inputs, ...outputs].some((x) => x.quantity === quantity))
      return wrong(`Two columns are mapped to ${quantity}`);
    (v.kind === 'external' ? inputs : outputs).push(course);
  }
  if (outputs.length === 0)
    return wrong(
      `No column of ${file} is a quantity of ${model.name} that it could be compared with${left.length > 0 ? `: say which is which, such as --map ${left[0]}=...` : ''}`,
    );
  return { value: { inputs, outputs, left } };
}

/** The formula of an input that follows what was measured; of several values at one time the last. */
export function followText({ time, values, unit }: Course): string {
  const kept = [...time.keys()].filter((k) => k === time.length - 1 || time[k + 1] > time[k]);
  const unitText = unit === '' || unit === '1' ? '' : ` '${unit}'`;
  const list = (of: Float64Array, after: string): string => `{${kept.map((k) => `${of[k]}${after}`).join(', ')}}`;
  if (kept.length === 1) return `${values[kept[0]]}${unitText}`;
  return `interpolate(${list(time, '')}, ${list(values, unitText)}, time)`;
}

/**
 * What an input was between two rows: on the straight line, as it was at the row before, or already as at the one behind. A column that
 * mostly stays as it is and then jumps does not tell; the other columns do.
 */
export type Between = 'straight' | 'held' | 'ahead';

/** It stays the same from most rows to the next, and changes at some. */
export function isStepwise({ time, values }: Course): boolean {
  let [same, changes] = [0, 0];
  for (let k = 1; k < time.length; k++)
    if (values[k] === values[k - 1]) same++;
    else changes++;
  return changes > 0 && same > 2 * changes;
}

/** When an input is set, and to what, where it jumps. */
export function settingsOf({ time, values }: Course, variable: number, between: 'held' | 'ahead'): readonly Stimulus[] {
  const found: Stimulus[] = [{ time: 0, kind: 'set', variable, value: values[0] }];
  for (let k = 1; k < time.length; k++) {
    if (values[k] === values[k - 1]) continue;
    const at = between === 'held' ? time[k] : time[k - 1];
    found.push({ time: Math.max(0, at), kind: 'set', variable, value: values[k] });
  }
  return found;
}

export interface Fitted {
  readonly program: Program;
  readonly model: FlatModel;
  readonly options: SimulationOptions;
}

/** Runs of a model, read at the times of what was measured; undefined where one did not get there. */
export interface Simulated {
  at(values: readonly number[]): readonly Float64Array[] | undefined;
  /** By how much each course changes with each value, of those that are integrated along: first by value, then by course. */
  slopesAt?(values: readonly number[]): readonly (readonly Float64Array[])[] | undefined;
  /** Several of them, wherever there is somebody to do them; undefined where there is nobody yet. Before each it is asked whether it goes on. */
  readonly spread?: (
    points: readonly (readonly number[])[],
    goOn: () => boolean,
  ) => Promise<readonly (readonly Float64Array[] | undefined)[]> | undefined;
}

/** Distance of rows: that of the measured ones where they are even, so that none has to be found in between. */
function spacingOf(outputs: readonly Course[], stop: number): number {
  const times = [...new Set(outputs.flatMap((o) => [...o.time]))].filter((t) => t >= 0).sort((a, b) => a - b);
  const gaps = times.slice(1).map((t, k) => t - times[k]);
  const least = Math.min(...gaps.filter((g) => g > 0));
  const isEven = gaps.every((g) => Math.abs(g / least - Math.round(g / least)) < 1e-6 * Math.max(1, g / least));
  const onGrid = times.every((t) => Math.abs(t / least - Math.round(t / least)) < 1e-6 * Math.max(1, t / least));
  if (isEven && onGrid && stop / least <= 50_000) return least;
  return Math.max(stop / 50_000, Math.min(least / 4, stop / 2000));
}

/** `shift`: the last value is by how many seconds the model is ahead of what was measured; this is the most of it. */
export function simulatedAt(
  fitted: Fitted,
  free: readonly number[],
  outputs: readonly Course[],
  shift?: number,
): Simulated {
  const stop = Math.max(...outputs.map((o) => o.time.at(-1)!)) + Math.max(0, shift ?? 0);
  const every = spacingOf(outputs, stop);
  const read = (
    { program, model, options }: Fitted,
    values: readonly number[],
    names: readonly string[],
    courses = outputs,
  ): readonly Float64Array[] | undefined => {
    const given = new Map([...options.values, ...free.map((k, j) => [k, values[j]] as const)]);
    if (!takesValues(program.solvable, given)) return undefined;
    const recorder = createRecorder(model, names, {
      aliases: program.solvable.aliases,
      moving: program.moving,
    });
    const simulation = createSimulation(
      program,
      {
        ...options,
        stop: stop * (1 + 1e-12) + 1e-12,
        values: given,
        recordEvery: every,
        relative: Math.min(options.relative, 1e-8),
        absolute: Math.min(options.absolute, 1e-11),
      },
      recorder,
    );
    simulation.advance(Infinity);
    if (simulation.problem) return undefined;
    const recording = recorder.take();
    const time = recording.time.subarray(0, recording.rows);
    const by = shift === undefined ? 0 : values[free.length];
    // ends that differ by rounding are the same
    const last = time[time.length - 1];
    const found = names.map((name, k) => {
      const column = recording.columns.find((c) => c.name === name)!;
      const own = column.values.subarray(0, recording.rows);
      return Float64Array.from(courses[k].time, (t) => valueOver(time, own, Math.min(Math.max(t + by, 0), last)));
    });
    return found.every((f) => f.every(Number.isFinite)) ? found : undefined;
  };
  const quantities = outputs.map((o) => o.quantity);
  const at = (values: readonly number[]): readonly Float64Array[] | undefined => read(fitted, values, quantities);
  const along = shift === undefined ? slopesAlong(fitted, free) : undefined;
  if (!along) return { at };
  const wanted = free.flatMap((_, j) =>
    outputs.flatMap((course, c) => {
      const name = along.nameOf(course.quantity, j);
      return name === undefined ? [] : [{ j, c, name, course }];
    }),
  );
  return {
    at,
    slopesAt(values) {
      const found = read(
        along.fitted,
        values,
        wanted.map((w) => w.name),
        wanted.map((w) => w.course),
      );
      if (!found) return undefined;
      const slopes = free.map(() => outputs.map((o) => new Float64Array(o.time.length)));
      wanted.forEach(({ j, c }, k) => (slopes[j][c] = found[k].map((x) => x / along.sizes[j])));
      return slopes;
    },
  };
}

interface Along {
  readonly fitted: Fitted;
  /** For which change of each value its slopes count. */
  readonly sizes: readonly number[];
  /** What the slope of a quantity by a value is called; undefined where it does not depend on any. */
  nameOf(quantity: string, j: number): string | undefined;
}

/** The model with its slopes integrated along; undefined where it does not allow that. */
function slopesAlong({ program, model, options }: Fitted, free: readonly number[]): Along | undefined {
  if (options.stimulus.some((s) => s.kind === 'set' && free.includes(s.variable))) return undefined;
  // slopes as large as the quantities: both are integrated to the same tolerance
  const sizes = (valuesAtStart(program, options, free) ?? []).map((x) => Math.abs(x) || 1);
  if (sizes.length < free.length) return undefined;
  const sought = free.map((variable, j) => ({ variable, size: sizes[j] }));
  const made = withSensitivities(program.solvable, model, sought, new Set(options.values.keys()));
  const along = made && compile(made.model).program;
  if (!made || !along) return undefined;
  return {
    fitted: { program: along, model: made.model, options },
    sizes,
    nameOf(quantity, j) {
      const slope = made.slopeOf(model.indexOf.get(quantity)!, j);
      return slope === undefined ? undefined : made.model.variables[slope].name;
    },
  };
}

/** Variables of values that can be found, or why one cannot. */
export function fittable(
  { program, model, options }: Fitted,
  names: readonly string[],
): { readonly value?: readonly number[]; readonly problem?: Problem } {
  const wrong = (code: string, message: string): { problem: Problem } => ({ problem: problem('error', code, message) });
  const found: number[] = [];
  for (const name of names) {
    const index = model.indexOf.get(name);
    if (index === undefined) {
      const near = nearestName(name, model.indexOf.keys());
      return wrong('unknown-name', `${model.name} has no ${name}${near ? `; did you mean ${near}?` : ''}`);
    }
    const { kind, type, isFinal } = model.variables[index];
    const kept = whyKept(program, options, index);
    if (kept !== undefined) return wrong('kept', kept);
    if (type !== 'Real') return wrong('no-number', `${name} is no real number: it cannot be found by small steps`);
    if (kind === 'constant' || isFinal === true)
      return wrong('constant', `${name} is a constant: it cannot have another value`);
    found.push(index);
  }
  const now = valuesAtStart(program, options, found) ?? [];
  const deciding = found.find(
    (k, j) => !takesValues(program.solvable, new Map([...options.values, [k, (now[j] ?? 1) * 1.01 + 1e-9]])),
  );
  if (deciding !== undefined)
    return wrong(
      'decides',
      `${model.variables[deciding].name} decides what the model is made of: it cannot be found by small steps`,
    );
  return { value: found };
}
