import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { createSubstitution, walk, zero, type FlatExpr } from '../flatten/flat-expression';
import type { FlatEquation, FlatModel, FlatVariable } from '../flatten/flat-model';
import type { Program } from '../program/program';
import { compile } from '../simulate/compile';
import type { Stimulus } from '../simulate/outside';
import { createSimulation } from '../simulate/simulation';
import { mostWaves, type ProbeInput } from './input';

/** A model with an input that can be driven in any way, without being prepared anew. */
export interface Box {
  readonly program: Program;
  readonly model: FlatModel;
  /** Variables of the input and the output. */
  readonly u: number;
  readonly y: number;
  /** Whether anything in it depends on the time. */
  readonly dependsOnTime: boolean;
  run(input: ProbeInput, options: BoxRun): Trace;
  /** The same box with something else instead of one piece of an equation; undefined where it cannot be prepared. */
  without(equation: FlatEquation, piece: FlatExpr, instead: FlatExpr): Box | undefined;
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

/** Makes a box of a model, from one of its free inputs to one of its quantities. */
export function makeBox(
  base: FlatModel,
  from: string,
  to: string,
): { readonly value: Box | undefined; readonly problems: readonly Problem[] } {
  const u = base.indexOf.get(from);
  const y = base.indexOf.get(to);
  const shown = base.variables.filter((v) => !v.hidden).map((v) => v.name);
  for (const [name, k] of [
    [from, u],
    [to, y],
  ] as const)
    if (k === undefined) {
      const near = nearestName(name, shown);
      return refuse('unknown-name', `There is no quantity ${name}${near ? `; did you mean ${near}?` : ''}`);
    }
  const input = base.variables[u!];
  if (input.type !== 'Real')
    return refuse('no-number', `${from} is no real number: it cannot be scaled, added and moved`);
  if (input.kind !== 'external')
    return refuse('no-input', `${from} is no input that is free: it follows from the rest`);
  for (const withHeld of [true, false]) {
    const made = driven(base, u!, y!, withHeld);
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

interface Parameters {
  readonly held: number | undefined;
  readonly shift: number;
  readonly waves: readonly {
    readonly at: number;
    readonly amplitude: number;
    readonly w: number;
    readonly rate: number;
    readonly slope: number;
  }[];
}

function driven(
  base: FlatModel,
  u: number,
  y: number,
  withHeld: boolean,
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
  const held = withHeld ? add('held', 'external') : undefined;
  const waves = Array.from({ length: mostWaves }, (_, k) => ({
    at: add(`at${k}`, 'parameter'),
    amplitude: add(`amplitude${k}`, 'parameter'),
    w: add(`w${k}`, 'parameter'),
    rate: add(`rate${k}`, 'parameter'),
    slope: add(`slope${k}`, 'parameter'),
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
  const wave = (k: number): FlatExpr => {
    const p = waves[k];
    const s: FlatExpr = { op: 'sub', a: now, b: variableOf(p.at) };
    const angle = plus(times(variableOf(p.w), s), times(times(times(constantOf(0.5), variableOf(p.rate)), s), s));
    const value = plus(
      times(variableOf(p.amplitude), { op: 'fn', name: 'sin', args: [angle] }),
      times(variableOf(p.slope), s),
    );
    return { op: 'if', c: { op: 'ge', a: now, b: variableOf(p.at) }, a: value, b: zero };
  };
  const sum = waves.map((_, k) => wave(k)).reduce(plus);
  variables[u] = { ...variables[u], kind: 'continuous', isInput: false };
  const equations = [
    ...base.equations.map(inEquation),
    {
      left: variableOf(u),
      right: held === undefined ? sum : plus(variableOf(held), sum),
      origin: { part: '', place: 'probe', span, text: 'what it is driven with' },
    },
  ];
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
  return boxOf(model, { held, shift, waves }, u, y, dependsOnTime);
}

function boxOf(
  model: FlatModel,
  parameters: Parameters,
  u: number,
  y: number,
  dependsOnTime: boolean,
): { readonly value: Box | undefined; readonly problems: readonly Problem[] } {
  const { program, problems } = compile(model);
  if (!program || hasErrors(problems))
    return { value: undefined, problems: problems.filter((p) => p.severity === 'error') };
  return {
    problems,
    value: {
      program,
      model,
      u,
      y,
      dependsOnTime,
      run: (input, options) => run(program, y, parameters, input, options),
      without(equation, piece, instead) {
        const change = createSubstitution((x) => (x === piece ? instead : undefined));
        const equations = model.equations.map((e) =>
          e === equation ? { ...e, left: change(e.left), right: change(e.right) } : e,
        );
        return boxOf({ ...model, equations }, parameters, u, y, dependsOnTime).value;
      },
    },
  };
}

function run(program: Program, y: number, p: Parameters, input: ProbeInput, options: BoxRun): Trace {
  const { stop, rows, shift = 0, all = false, exact = false } = options;
  const values = new Map<number, number>([[p.shift, shift]]);
  p.waves.forEach((own, k) => {
    const w = input.waves[k] ?? { at: 0, amplitude: 0, w: 0, rate: 0, slope: 0 };
    for (const key of ['at', 'amplitude', 'w', 'rate', 'slope'] as const) values.set(own[key], w[key]);
  });
  const stimulus: Stimulus[] = [];
  let level = 0;
  if (p.held !== undefined)
    for (const { at, by } of [...input.steps].sort((a, b) => a.at - b.at)) {
      level += by;
      if (at <= 0) values.set(p.held, level);
      else if (at <= stop) stimulus.push({ time: at, kind: 'set', variable: p.held, value: level });
    }
  const every = stop / rows;
  /** Rows by their number; the last one there is. */
  const out = new Float64Array(rows + 1);
  let last = -1;
  const kept: Float64Array[] = [];
  const events: { time: number; before: number; after: number }[] = [];
  let before = NaN;
  const alias = program.solvable.aliases.get(y);
  const read = (v: Float64Array): number => (alias ? (alias.sign ?? 1) * v[alias.index] : v[y]);
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
  simulation.advance(Infinity);
  const count = last + 1;
  return {
    time: Float64Array.from({ length: count }, (_, k) => k * every),
    y: out.slice(0, count),
    all: kept,
    events,
    problem: simulation.problem,
  };
}

/** Constants of a model that decide something: limits, thresholds, points of tables. They say how large an input has to be to be felt. */
export function constantsIn(model: FlatModel): readonly number[] {
  const found = new Set<number>();
  const note = (x: number): void => {
    const size = Math.abs(x);
    if (size > 1e-6 && size < 1e6 && size !== 1) found.add(Number(size.toPrecision(6)));
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
