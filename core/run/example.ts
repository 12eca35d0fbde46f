import type { Expr } from '../language/ast';
import { evaluate, type Environment } from '../language/evaluate';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';
import { unitOrUndefined } from '../language/units';
import { newRequirement, type Project } from '../project/project';
import { createMonitor } from '../verdicts/monitor';
import { monitorOf, watchOf } from './watch';

/** Signals for which a formula holds and signals for which it fails, to be drawn small beside it. */
export interface Example {
  readonly end: number;
  readonly signals: readonly ExampleSignal[];
}

export interface ExampleSignal {
  readonly name: string;
  readonly isBoolean: boolean;
  /** Limits it is compared with. */
  readonly levels: readonly number[];
  readonly holds: readonly ExamplePoint[] | undefined;
  readonly fails: readonly ExamplePoint[] | undefined;
}
export type ExamplePoint = readonly [time: number, value: number];

/** Corners of a signal: between them it is a straight line, at equal times it jumps. */
type Shape = readonly ExamplePoint[];

const mostTrials = 4000;
/** Trials after which any example and counterexample will do. */
const enoughTrials = 600;

/**
 * Looks for a simple example and a simple counterexample of a formula among steps and pulses around its limits. The
 * monitor itself judges them, so what is drawn is what would be found in a run.
 */
export function exampleOf(formula: string, glossary: Project['glossary'] = []): Example | undefined {
  const watch = watchOf({ root: '', glossary }, { ...newRequirement('example', ''), formula });
  if (watch.obligations.length === 0) return undefined;
  const observed = new Map(watch.observers.map((o, index) => [o.name, { index }]));
  const { source } = monitorOf(watch, { observed });
  if (!source) return undefined;
  const signals = new Map<string, { isBoolean: boolean; levels: Set<number> }>();
  for (const { expr } of watch.observers) collect(expr, signals, false);
  // the formula as a whole tells which numbers counts and averages are compared with
  collect(parseExpressionText(formula).value, signals, false);
  const times = timesIn(formula).filter((t) => t > 0);
  const longest = times.length > 0 ? Math.max(...times) : 1;
  const end = longest * 4;
  const names = [...signals.keys()];
  if (names.length === 0 || names.length > 4) return undefined;
  const start = end * 0.2;
  const choices = names.map((name) => shapesOf(signals.get(name)!, start, times, end));
  let holds: readonly Shape[] | undefined, fails: readonly Shape[] | undefined;
  // about time: the same course sooner or later says most, so a pair that differs in nothing else is looked for
  const courses = new Map<string, { holds?: readonly Shape[]; fails?: readonly Shape[] }>();
  let trials = 0;
  for (const pick of combinations(choices.map((c) => c.length))) {
    if (
      ++trials > mostTrials ||
      (holds && fails && (times.length === 0 || names.length === 1 || trials > enoughTrials))
    )
      break;
    const shapes = pick.map((k, j) => choices[j][k]);
    const monitor = createMonitor(source);
    for (const [t, env] of rowsOf(names, shapes, end))
      monitor.row(
        t,
        Float64Array.from(watch.observers, (o) => evaluate(o.expr, env, t)),
      );
    const { verdict } = monitor.finding(true);
    if (verdict === 'undecided') continue;
    if (verdict === 'holds') holds ??= shapes;
    else fails ??= shapes;
    if (times.length === 0) continue;
    // all but one signal begin the clock together; the one that answers does so sooner or later
    const later = shapes.flatMap((s, j) => (s[1][0] > start && s[1][0] < end ? [j] : []));
    if (later.length !== 1 || shapes.some((s) => s.length !== 4)) continue;
    const course = pick.map((k, j) => (j === later[0] ? `${shapes[j][0][1]} ${shapes[j][3][1]}` : k)).join();
    const both = { ...courses.get(course), [verdict]: shapes };
    courses.set(course, both);
    if (both.holds && both.fails) {
      ({ holds, fails } = both);
      break;
    }
  }
  if (!holds && !fails) return undefined;
  return {
    end,
    signals: names.map((name, j) => ({
      name,
      isBoolean: signals.get(name)!.isBoolean,
      levels: [...signals.get(name)!.levels],
      holds: holds?.[j],
      fails: fails?.[j],
    })),
  };
}

/** Operators whose last argument is a number. */
const numberOperators: ReadonlySet<string> = new Set([
  'average',
  'rms',
  'highest',
  'lowest',
  'at',
  'averageDuring',
  'rmsDuring',
]);

/** The quantities and conditions of a formula, with the numbers they are compared with. */
function collect(
  e: Expr,
  into: Map<string, { isBoolean: boolean; levels: Set<number> }>,
  numeric: boolean,
  levels: readonly number[] = [],
): void {
  const note = (name: string): void => {
    const known = into.get(name) ?? { isBoolean: !numeric, levels: new Set<number>() };
    if (numeric) known.isBoolean = false;
    levels.forEach((x) => known.levels.add(x));
    into.set(name, known);
  };
  switch (e.kind) {
    case 'ref':
      if (e.parts.at(-1)!.name !== 'time') note(printExpression(e));
      return;
    case 'call':
      if (e.callee === 'in') note(printExpression(e));
      else if (numberOperators.has(e.callee)) e.args.slice(-1).forEach((a) => collect(a, into, true, levels));
      else
        e.args.forEach((a) => collect(a, into, e.callee === 'abs' || e.callee === 'min' || e.callee === 'max', levels));
      return;
    case 'unary':
      collect(e.operand, into, e.op !== 'not' && numeric, levels);
      return;
    case 'binary': {
      const logic = e.op === 'and' || e.op === 'or';
      const around = logic ? levels : [...levels, ...[e.left, e.right].flatMap((x) => constantOf(x) ?? [])];
      collect(e.left, into, !logic, around);
      collect(e.right, into, !logic, around);
    }
  }
}

const constantOf = (e: Expr): number | undefined => {
  const value = evaluate(e, () => NaN, NaN);
  return Number.isFinite(value) ? value : undefined;
};

const timesIn = (formula: string): number[] =>
  [
    ...formula.matchAll(
      /(?:within|throughout|after|count|average|rms|until|always|eventually)\((\d+(?:\.\d+)?)\s*(?:'([^']*)')?/g,
    ),
    ...formula.matchAll(/time >= (\d+(?:\.\d+)?)\s*(?:'([^']*)')?/g),
  ].map((m) => Number(m[1]) * (unitOrUndefined(m[2])?.scale ?? 1));

function shapesOf(
  signal: { isBoolean: boolean; levels: ReadonlySet<number> },
  start: number,
  times: readonly number[],
  end: number,
): Shape[] {
  const levels = signal.isBoolean ? [0, 1] : around([...signal.levels]);
  const delays = [
    ...new Set([0, ...times.flatMap((t) => [0.5 * t, 1.5 * t]), ...(times.length === 0 ? [end * 0.3] : [])]),
  ];
  const flat = (x: number): Shape => [
    [0, x],
    [end, x],
  ];
  const step = (a: number, b: number, t: number): Shape => [
    [0, a],
    [t, a],
    [t, b],
    [end, b],
  ];
  const pulse = (a: number, b: number, t: number, w: number): Shape => [
    [0, a],
    [t, a],
    [t, b],
    [t + w, b],
    [t + w, a],
    [end, a],
  ];
  const pairs = levels.flatMap((a) => levels.filter((b) => b !== a).map((b) => [a, b] as const));
  const flats = levels.map(flat);
  const steps = pairs.flatMap(([a, b]) => delays.filter((d) => start + d < end).map((d) => step(a, b, start + d)));
  const pulses = pairs.flatMap(([a, b]) =>
    delays.filter((d) => d > 0 && start + d < end).map((d) => pulse(a, b, start, d)),
  );
  // something should happen in a drawing about time; otherwise the plainest course says most
  return signal.isBoolean || times.length > 0 ? [...steps, ...flats, ...pulses] : [...flats, ...steps, ...pulses];
}

/** Values on all sides of the limits. */
function around(levels: readonly number[]): number[] {
  if (levels.length === 0) return [0, 1];
  const sorted = [...new Set(levels)].sort((a, b) => a - b);
  const size = Math.max(sorted.at(-1)! - sorted[0], Math.abs(sorted.at(-1)!) * 0.5, 1e-9);
  const between = sorted.slice(1).map((x, k) => (x + sorted[k]) / 2);
  return [...between, sorted[0] - 0.4 * size, sorted.at(-1)! + 0.4 * size, ...sorted, 0];
}

/** Tuples of numbers below the given sizes, those with small numbers first. */
function* combinations(sizes: readonly number[]): Generator<number[]> {
  const most = sizes.reduce((a, b) => a + b - 1, 0);
  const fill = function* (k: number, left: number): Generator<number[]> {
    if (k === sizes.length - 1) {
      if (left < sizes[k]) yield [left];
      return;
    }
    for (let x = 0; x <= Math.min(left, sizes[k] - 1); x++)
      for (const rest of fill(k + 1, left - x)) yield [x, ...rest];
  };
  for (let sum = 0; sum <= most; sum++) yield* fill(0, sum);
}

/** Rows of a made-up run: a grid, and two rows at every jump. */
function* rowsOf(names: readonly string[], shapes: readonly Shape[], end: number): Generator<[number, Environment]> {
  const jumps = shapes.flatMap((s) => s.flatMap((p, k) => (k > 0 && s[k - 1][0] === p[0] ? [p[0]] : [])));
  const grid = Array.from({ length: 81 }, (_, k) => (k * end) / 80);
  const times = [...new Set([...grid, ...jumps])].sort((a, b) => a - b);
  const env =
    (t: number, after: boolean): Environment =>
    (name) =>
      valueAt(shapes[names.indexOf(name)], t, after);
  for (const t of times) {
    if (jumps.includes(t)) yield [t, env(t, false)];
    yield [t, env(t, true)];
  }
}

function valueAt(shape: Shape | undefined, t: number, after: boolean): number {
  if (!shape) return NaN;
  let k = 0;
  while (k + 1 < shape.length && (shape[k + 1][0] < t || (after && shape[k + 1][0] === t))) k++;
  const [t0, a] = shape[k];
  const next = shape[k + 1];
  return !next || next[0] === t0 ? a : a + ((next[1] - a) * (t - t0)) / (next[0] - t0);
}
