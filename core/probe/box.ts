import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { createSubstitution, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel, FlatVariable } from '../flatten/flat-model';
import type { Program } from '../program/program';
import { compile } from '../simulate/compile';
import type { Stimulus } from '../simulate/outside';
import { createSimulation } from '../simulate/simulation';
import { readerOf } from '../simulate/start-values';
import { mostRises, mostWaves, ofInput, type InputKind, type ProbeInput } from './input';

/** A model with inputs that can be driven in any way, without being prepared anew. */
export interface Box {
  readonly program: Program;
  readonly model: FlatModel;
  readonly inputs: readonly BoxInput[];
  /** Variable of the output. */
  readonly y: number;
  /** What all its runs have cost until now, about in evaluations of its equations. */
  readonly meter: { spent: number };
  /** Whether anything in it depends on the time. */
  readonly dependsOnTime: boolean;
  run(input: ProbeInput, options: BoxRun): Trace;
  /** The same box with something else instead of one piece of an equation; undefined where it cannot be prepared. */
  without(equation: FlatEquation, piece: FlatExpr, instead: FlatExpr): Box | undefined;
}

export interface BoxInput {
  readonly name: string;
  readonly index: number;
  readonly kind: InputKind;
}

export interface BoxRun {
  readonly stop: number;
  readonly rows: number;
  /** The box is started so many seconds later than at time zero; the input keeps its distance from the start. */
  readonly shift?: number;
  /** Keeps all variables, not only the output. */
  readonly all?: boolean;
  /** Computed much more exactly. */
  readonly exact?: boolean;
}

export interface Trace {
  readonly time: Float64Array;
  readonly y: Float64Array;
  /** By rows; empty unless all were asked for. */
  readonly all: readonly Float64Array[];
  /** Values of the output before and after an event, where there was one. */
  readonly events: readonly { readonly time: number; readonly before: number; readonly after: number }[];
  /** Why it ended early. */
  readonly problem: Problem | undefined;
}

/** What runs are computed to: what differs has to differ by much more. */
export const solverRelative = 1e-8;

const span = { start: 0, end: 0 };
const variableOf = (index: number): FlatExpr => ({ op: 'var', index });
const constantOf = (value: number): FlatExpr => ({ op: 'const', value });
const plus = (a: FlatExpr, b: FlatExpr): FlatExpr => ({ op: 'add', a, b });
const times = (a: FlatExpr, b: FlatExpr): FlatExpr => ({ op: 'mul', a, b });

/** Makes a box of a model, from some of its free inputs to one of its quantities. */
export function makeBox(
  base: FlatModel,
  from: readonly string[],
  to: string,
): { readonly value: Box | undefined; readonly problems: readonly Problem[] } {
  const y = base.indexOf.get(to);
  const shown = base.variables.filter((v) => !v.hidden).map((v) => v.name);
  for (const name of [...from, to])
    if (base.indexOf.get(name) === undefined) {
      const near = nearestName(name, shown);
      return refuse('unknown-name', `There is no quantity ${name}${near ? `; did you mean ${near}?` : ''}`);
    }
  if (from.length === 0) return refuse('no-input', 'Nothing is named to drive it with');
  for (const name of from) {
    if (from.indexOf(name) !== from.lastIndexOf(name)) return refuse('no-input', `${name} is named twice`);
    const { kind } = base.variables[base.indexOf.get(name)!];
    if (kind !== 'external') return refuse('no-input', `${name} is no input that is free: it follows from the rest`);
  }
  const inputs = from.map((name): BoxInput => {
    const index = base.indexOf.get(name)!;
    const { type } = base.variables[index];
    return { name, index, kind: type === 'Boolean' ? 'truth' : type === 'Integer' ? 'whole' : 'jumps' };
  });
  for (const withHeld of [true, false]) {
    const made = driven(base, withHeld ? inputs : inputs.map(smooth), y!);
    if (made.value || !withHeld) return made;
    // a derivative of what jumps cannot be taken: then nothing jumps
    if (!made.problems.some((p) => p.severity === 'error')) return made;
  }
  return refuse('probe', 'This cannot be prepared for runs');
}

const refuse = (code: string, message: string): { value: undefined; problems: readonly Problem[] } => ({
  value: undefined,
  problems: [problem('error', code, message)],
});

const smooth = (x: BoxInput): BoxInput => (x.kind === 'jumps' ? { ...x, kind: 'smooth' } : x);

const waveKeys = ['at', 'amplitude', 'w', 'rate', 'slope'] as const;
const riseKeys = ['at', 'by', 'within'] as const;

/** Variables that what it is driven with is given by. */
interface Parameters {
  readonly shift: number;
  /** By inputs. */
  readonly of: readonly {
    readonly held: number | undefined;
    readonly waves: readonly Readonly<Record<(typeof waveKeys)[number], number>>[];
    readonly rises: readonly Readonly<Record<(typeof riseKeys)[number], number>>[];
  }[];
}

function driven(
  base: FlatModel,
  inputs: readonly BoxInput[],
  y: number,
): { readonly value: Box | undefined; readonly problems: readonly Problem[] } {
  const variables: FlatVariable[] = [...base.variables];
  const add = (name: string, kind: FlatVariable['kind']): number =>
    variables.push({
      name: `$probe.${name}`,
      type: 'Real',
      kind,
      // no zeros: those would decide which terms equations have
      ...(kind === 'parameter' ? { binding: constantOf(0.5) } : { start: zero }),
      fixed: false,
      unit: '',
      displayUnit: '',
      note: '',
      place: 'probe',
      isProtected: false,
      isInput: kind === 'external',
      isOutput: false,
      hidden: true,
    }) - 1;
  const shift = add('shift', 'parameter');
  const group = <K extends string>(keys: readonly K[], count: number, of: number): Record<K, number>[] =>
    Array.from({ length: count }, (_, k) =>
      Object.fromEntries(keys.map((key) => [key, add(`${key}${k}of${of}`, 'parameter')])),
    ) as Record<K, number>[];
  const of = inputs.map(({ kind, index }, j) => ({
    // what is no number is set itself
    held: kind === 'jumps' ? add(`held${j}`, 'external') : kind === 'smooth' ? undefined : index,
    waves: kind === 'jumps' || kind === 'smooth' ? group(waveKeys, mostWaves, j) : [],
    rises: kind === 'smooth' ? group(riseKeys, mostRises, j) : [],
  }));
  const now: FlatExpr = { op: 'time' };
  const moved: FlatExpr = plus(now, variableOf(shift));
  let dependsOnTime = false;
  const substitute = createSubstitution((x) => {
    if (x.op === 'time') {
      dependsOnTime = true;
      return moved;
    }
    if (x.op !== 'sample') return undefined;
    dependsOnTime = true;
    // the ticks that lie behind the start are over
    const { start, interval } = x;
    const ahead: FlatExpr = { op: 'sub', a: variableOf(shift), b: start };
    const over: FlatExpr = {
      op: 'fn',
      name: 'ceil',
      args: [{ op: 'sub', a: { op: 'div', a: ahead, b: interval }, b: constantOf(1e-9) }],
    };
    const count: FlatExpr = { op: 'fn', name: 'max', args: [zero, over] };
    return {
      op: 'sample',
      interval,
      start: {
        op: 'fn',
        name: 'max',
        args: [zero, { op: 'sub', a: plus(start, times(count, interval)), b: variableOf(shift) }],
      },
    };
  });
  const inEquation = (e: FlatEquation): FlatEquation => ({
    ...e,
    left: substitute(e.left),
    right: substitute(e.right),
  });
  const waveOf = (p: Parameters['of'][number]['waves'][number]): FlatExpr => {
    const s: FlatExpr = { op: 'sub', a: now, b: variableOf(p.at) };
    const angle = plus(times(variableOf(p.w), s), times(times(times(constantOf(0.5), variableOf(p.rate)), s), s));
    const value = plus(
      times(variableOf(p.amplitude), { op: 'fn', name: 'sin', args: [angle] }),
      times(variableOf(p.slope), s),
    );
    return { op: 'if', c: { op: 'ge', a: now, b: variableOf(p.at) }, a: value, b: zero };
  };
  /** Two derivatives of it are zero at both ends. */
  const riseOf = (p: Parameters['of'][number]['rises'][number]): FlatExpr => {
    const s: FlatExpr = { op: 'div', a: { op: 'sub', a: now, b: variableOf(p.at) }, b: variableOf(p.within) };
    const inner: FlatExpr = { op: 'sub', a: times(constantOf(6), s), b: constantOf(15) };
    const value = times(times(s, times(s, s)), plus(constantOf(10), times(s, inner)));
    const end: FlatExpr = { op: 'ge', a: now, b: plus(variableOf(p.at), variableOf(p.within)) };
    const risen: FlatExpr = { op: 'if', c: end, a: constantOf(1), b: value };
    return times(variableOf(p.by), { op: 'if', c: { op: 'ge', a: now, b: variableOf(p.at) }, a: risen, b: zero });
  };
  const drives = inputs.flatMap(({ index, kind }, j): FlatEquation[] => {
    if (kind !== 'jumps' && kind !== 'smooth') return [];
    const { held, waves, rises } = of[j];
    const sum = [...waves.map(waveOf), ...rises.map(riseOf)].reduce(plus);
    variables[index] = { ...variables[index], kind: 'continuous', isInput: false };
    return [
      {
        left: variableOf(index),
        right: held === undefined ? sum : plus(variableOf(held), sum),
        origin: { part: '', place: 'probe', span, text: 'what it is driven with' },
      },
    ];
  });
  const equations = [...base.equations.map(inEquation), ...drives];
  const model: FlatModel = {
    ...base,
    variables,
    equations,
    initialEquations: base.initialEquations.map(inEquation),
    actions: base.actions.map((a) => ({
      ...a,
      guard: substitute(a.guard),
      does: a.does.kind === 'reinit' ? { ...a.does, value: substitute(a.does.value) } : a.does,
    })),
    indexOf: new Map([
      ...base.indexOf,
      ...variables.slice(base.variables.length).map((v, k) => [v.name, base.variables.length + k] as const),
    ]),
  };
  return boxOf(model, { shift, of }, inputs, y, dependsOnTime, { spent: 0 });
}

function boxOf(
  model: FlatModel,
  parameters: Parameters,
  inputs: readonly BoxInput[],
  y: number,
  dependsOnTime: boolean,
  meter: Box['meter'],
): { readonly value: Box | undefined; readonly problems: readonly Problem[] } {
  const { program, problems } = compile(model);
  if (!program || hasErrors(problems))
    return { value: undefined, problems: problems.filter((p) => p.severity === 'error') };
  return {
    problems,
    value: {
      program,
      model,
      inputs,
      y,
      meter,
      dependsOnTime,
      run: (input, options) => run(program, y, parameters, input, options, meter),
      without(equation, piece, instead) {
        const change = createSubstitution((x) => (x === piece ? instead : undefined));
        const equations = model.equations.map((e) =>
          e === equation ? { ...e, left: change(e.left), right: change(e.right) } : e,
        );
        return boxOf({ ...model, equations }, parameters, inputs, y, dependsOnTime, meter).value;
      },
    },
  };
}

/** More events than this in one run are no answer to an input any more. */
const mostEvents = 20_000;

function run(
  program: Program,
  y: number,
  p: Parameters,
  input: ProbeInput,
  options: BoxRun,
  meter: Box['meter'],
): Trace {
  const { stop, rows, shift = 0, all = false, exact = false } = options;
  const values = new Map<number, number>([[p.shift, shift]]);
  const stimulus: Stimulus[] = [];
  p.of.forEach(({ held, waves, rises }, of) => {
    const [ownWaves, ownSteps] = [ofInput(input.waves, of), ofInput(input.steps, of).sort((a, b) => a.at - b.at)];
    waves.forEach((v, k) => {
      const w = ownWaves[k] ?? { at: 0, amplitude: 0, w: 0, rate: 0, slope: 0 };
      for (const key of waveKeys) values.set(v[key], w[key]);
    });
    rises.forEach((v, k) => {
      const s = ownSteps[k] ? { within: 1, ...ownSteps[k] } : { at: 0, by: 0, within: 1 };
      for (const key of riseKeys) values.set(v[key], s[key]);
    });
    if (held === undefined) return;
    let level = 0;
    for (const { at, by } of ownSteps) {
      level += by;
      if (at <= 0) values.set(held, level);
      else if (at <= stop) stimulus.push({ time: at, kind: 'set', variable: held, value: level });
    }
  });
  stimulus.sort((a, b) => a.time - b.time);
  const every = stop / rows;
  /** Rows by their number; the last one there is. */
  const out = new Float64Array(rows + 1);
  let last = -1;
  const kept: Float64Array[] = [];
  const events: { time: number; before: number; after: number }[] = [];
  let before = NaN;
  const read = readerOf(program, y);
  const simulation = createSimulation(
    program,
    {
      stop,
      solver: 'auto',
      relative: exact ? 1e-11 : solverRelative,
      absolute: exact ? 1e-13 : 1e-10,
      step: every / 10,
      recordEvery: every,
      values,
      stimulus,
    },
    {
      row(t, v, kind) {
        if (kind === 'before-event') before = read(v);
        if (kind === 'after-event') events.push({ time: t, before, after: read(v) });
        // what happens on a row is part of it: rows of two runs lie at the same times, whatever happens in either
        const k = Math.round(t / every);
        const near = 1e-6 * every + 2e-12 * Math.max(1, t);
        if ((kind !== 'sample' && kind !== 'after-event') || k > rows || Math.abs(t - k * every) > near) return;
        for (let missing = last + 1; missing < k; missing++) {
          out[missing] = last < 0 ? read(v) : out[last];
          if (all) kept[missing] = last < 0 ? Float64Array.from(v) : kept[last];
        }
        out[k] = read(v);
        if (all) kept[k] = Float64Array.from(v);
        last = Math.max(last, k);
      },
      message: () => undefined,
      transition: () => undefined,
    },
  );
  simulation.advance(Infinity, false, () => simulation.counts.events < mostEvents);
  const { evaluations, events: happened } = simulation.counts;
  meter.spent += evaluations + 20 * happened;
  const tooMany =
    simulation.status === 'running'
      ? problem(
          'error',
          'switches',
          `Within ${simulation.time.toPrecision(3)} s it switches more than ${mostEvents} times`,
        )
      : undefined;
  const count = last + 1;
  return {
    time: Float64Array.from({ length: count }, (_, k) => k * every),
    y: out.slice(0, count),
    all: kept,
    events,
    problem: simulation.problem ?? tooMany,
  };
}

/** Constants of a model that decide something: limits, thresholds, points of tables. They say how large an input has to be to be felt. */
export function constantsIn(model: FlatModel): readonly number[] {
  const found = new Set<number>();
  const note = (x: number): void => {
    const size = Math.abs(x);
    if (size > 1e-9 && size < 1e9 && size !== 1) found.add(Number(size.toPrecision(6)));
  };
  const leaf = (x: FlatExpr): void => {
    if (x.op === 'const') note(x.value);
    if (x.op !== 'var') return;
    const { binding, kind } = model.variables[x.index];
    if ((kind === 'parameter' || kind === 'constant') && binding?.op === 'const') note(binding.value);
  };
  for (const e of model.equations) {
    if (e.origin.place === 'probe') continue;
    for (const side of [e.left, e.right])
      walk(side, (x) => {
        if (x.op === 'table') x.x.forEach(note);
        else leaf(x);
      });
  }
  return [...found].slice(0, 16);
}
