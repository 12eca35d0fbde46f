import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { walk, type FlatExpr } from '../flatten/flat-expression';
import type { SolvableModel } from '../analysis/solvable-model';
import type { Program } from '../program/program';
import type { Simulation } from '../simulate/simulation';
import { closedLoop, comesBack, isDyingAway } from './closed-loop';
import { magnitude, type Complex } from './complex';
import type { Matrix } from './dense';
import { frequencyResponse } from './frequency-response';
import { linearTicks } from './linear-ticks';
import { essential, linearise, seenIn, type LinearModel } from './linearise';
import { bandwidthOf, marginsOf, rangeOf, type Margins } from './margins';
import { polesOf, zerosOf } from './poles';
import { diesAway } from './turns';
import type { SamplingMethod } from './matrices';
import { sampledModel } from './sampled-model';

/** What is asked of a model around the moment at which a simulation stands. */
export interface LinearQuestion {
  readonly from: string;
  readonly to: string;
  /** A quantity at which the loop is opened for the margins; without one the way from input to output is taken as the loop gain. */
  readonly open?: string;
  /** Seconds between ticks; undefined for the continuous model. */
  readonly every?: number;
  readonly method?: SamplingMethod;
}

/** Frequencies in rad/s, angles in rad, times in s, gains as factors. */
export interface LinearReport extends Margins {
  readonly model: LinearModel;
  readonly states: readonly string[];
  /** Those that the output, or what comes back where the loop was opened, depends on. */
  readonly seenStates: readonly string[];
  readonly poles: readonly Complex[];
  /** Undefined where the input never comes to the output. */
  readonly zeros: readonly Complex[] | undefined;
  /** Output over input when everything has come to rest; Infinity where it never does. */
  readonly dcGain: number;
  readonly bandwidth: number;
  /** All poles are inside the half plane, or inside the circle, of what dies away; undefined where delays inside leave it open. */
  readonly isStable: boolean | undefined;
  /** The loop holds when it is closed again; undefined where delays inside leave it open. */
  readonly closedHolds: boolean | undefined;
  /** What comes out for an input that swings with an angular frequency. */
  at(w: number): Complex;
  /** The loop gain, with the sign that margins are counted with: the closed loop is 1/(1 + L). */
  loopAt(w: number): Complex;
  /** The loop cut open, as a model: what comes back, with the sign of the model, is its output. */
  readonly opened: LinearModel;
  /** Frequencies that show everything, in rad/s. */
  readonly range: readonly [low: number, high: number];
  /** Seconds between ticks, of a model of ticks. */
  readonly every: number | undefined;
}

export function linearReport(
  program: Program,
  simulation: Simulation,
  question: LinearQuestion,
): { readonly value: LinearReport | undefined; readonly problems: readonly Problem[] } {
  const { solvable } = program;
  const { variables } = solvable.model;
  const problems: Problem[] = [];
  const refuse = (code: string, message: string): undefined => void problems.push(problem('error', code, message));
  const shown = variables.filter((v) => !v.hidden).map((v) => v.name);
  const numberOf = (name: string): number | undefined => {
    const k = variables.findIndex((v) => v.name === name);
    if (k >= 0 && variables[k].type !== 'Real')
      return refuse('no-number', `${name} is no number that can change a little: a linear model is of real quantities`);
    if (k >= 0) return solvable.aliases.get(k)?.index ?? k;
    const near = nearestName(name, shown);
    return refuse('unknown-name', `There is no quantity ${name}${near ? `; did you mean ${near}?` : ''}`);
  };
  const [u, y] = [numberOf(question.from), numberOf(question.to)];
  const open = question.open === undefined ? undefined : numberOf(question.open);
  if (u !== undefined && variables[u].kind !== 'external' && question.from !== question.open)
    refuse(
      'no-input',
      `${question.from} is no input that is free: it follows from the rest. The loop can be opened there (--open ${question.from})`,
    );
  if (open !== undefined && solvable.states.includes(open))
    refuse(
      'state',
      `${question.open} is a state: what it does to itself would be cut as well. Open the loop at what is made of it, or at what drives it`,
    );
  const held = heldIn(solvable, [y, open]);
  const clock = held.length > 0 ? clockOf(program, simulation) : undefined;
  const { method = 'hold' } = question;
  const every = question.every ?? clock;
  const named = held.slice(0, 3).map((k) => variables[k].name);
  if (held.length > 0 && clock === undefined)
    refuse(
      'rates',
      `${named.join(', ')} change at events that are not the ticks of one clock: there is no linear model of them`,
    );
  if (clock !== undefined && question.every !== undefined && Math.abs(question.every - clock) > 1e-9 * clock)
    refuse('rates', `${named.join(', ')} are set every ${clock} s: this model goes from tick to tick of that clock`);
  if (clock !== undefined && question.method !== undefined && question.method !== 'hold')
    refuse('method', 'A model with ticks of its own is exact as it is: no method is chosen for it');
  if (every !== undefined && !(every > 0)) refuse('period', 'The time between ticks is above zero');
  if (hasErrors(problems) || u === undefined || y === undefined) return { value: undefined, problems };
  const { memory } = simulation.state;
  const { time } = simulation;
  simulation.machine.outputs(time);
  const point = { time, values: memory.v, derivatives: memory.d };
  const around = (input: number, output: number, cut: ReadonlySet<number>): LinearModel | undefined =>
    clock === undefined
      ? linearise(solvable, point, [input], [output], cut)
      : linearTicks(solvable, point, input, output, cut, held, clock);
  const continuous = around(u, y, new Set(question.from === question.open ? [u] : []));
  const loop = open === undefined ? continuous : around(open, open, new Set([open]));
  if (!continuous || !loop) {
    refuse(
      'ticks',
      'This has delays inside beside its ticks, or is opened at a value that looks at its own past: open it elsewhere',
    );
    return { value: undefined, problems };
  }
  if (clock === undefined && every !== undefined && (continuous.delays.length > 0 || loop.delays.length > 0)) {
    refuse('delay', 'A model with delays inside cannot be taken from tick to tick');
    return { value: undefined, problems };
  }
  if ([continuous, loop].some(hasGap)) {
    refuse(
      'not-finite',
      'Around this moment the equations have no finite slope: move it a little, or look for a root or a division by zero',
    );
    return { value: undefined, problems };
  }
  const taken = (m: LinearModel): LinearModel =>
    every === undefined || clock !== undefined ? m : sampledModel(m, every, method);
  const model = taken(continuous);
  // what the input cannot reach, or the output does not see, has no part in what comes out
  const [seen, opened] = [taken(essential(continuous)), taken(essential(loop))];
  const at = along(seen, every);
  const aroundLoop = along(opened, every);
  const sign = open === undefined ? 1 : -1;
  const loopAt = (w: number): Complex => {
    const [re, im] = aroundLoop(w);
    return [sign * re, sign * im];
  };
  const poles = polesOf(model);
  const loopPoles = polesOf(opened);
  const limit = every === undefined ? Infinity : Math.PI / every;
  const range = (points: readonly Complex[]): readonly [number, number] => {
    const own = every === undefined ? rangeOf(points) : ([1e-5 / every, limit] as const);
    return [own[0], Math.min(own[1], limit)];
  };
  const zeros = zerosOf(seen);
  const seenPoles = polesOf(seen);
  const [rest] = at(0);
  // with delays inside, poles do not tell
  const holds =
    opened.delays.length > 0 ? diesAway(opened, -sign) : isDyingAway(polesOf(closedLoop(opened, sign)), every);
  const margins = closedMargins(
    marginsOf(loopAt, range([...loopPoles, ...(zerosOf(opened) ?? [])]), every === undefined ? loopPoles : []),
    holds !== false,
  );
  return {
    problems,
    value: {
      model,
      states: model.states.map((s) => variables[s].name),
      seenStates: [...new Set([continuous, loop].flatMap((m) => m.states.filter((_, k) => seenIn(m)[k])))].map(
        (s) => variables[s].name,
      ),
      poles,
      zeros,
      at,
      dcGain: Number.isFinite(rest) ? rest : Infinity,
      bandwidth: bandwidthOf(at, range([...seenPoles, ...(zeros ?? [])]), every === undefined ? seenPoles : []),
      isStable: model.delays.length > 0 ? diesAway(model) : isStable(poles, every),
      closedHolds: holds,
      loopAt,
      opened,
      range: range([...seenPoles, ...loopPoles, ...(zeros ?? [])]),
      every,
      ...margins,
    },
  };
}

/** The bandwidth of what comes back in the loop closed again; Infinity where it never falls. */
export const closedBandwidth = (r: LinearReport): number =>
  bandwidthOf(
    (w) => comesBack(r.loopAt(w)),
    r.range,
    r.every === undefined && r.opened.delays.length === 0 ? polesOf(closedLoop(r.opened)) : [],
  );

/** Where the closed loop does not hold as it is, its gain has to become less, and there is no room for a delay. */
const closedMargins = (m: Margins, holds: boolean): Margins =>
  holds
    ? m
    : {
        ...m,
        ...(m.gainMargin === Infinity &&
          m.gainReduction > 0 && { gainMargin: m.gainReduction, gainMarginAt: m.gainReductionAt }),
        delayMargin: 0,
      };

/** What is at the edge to rounding does not die away. */
function isStable(poles: readonly Complex[], every: number | undefined): boolean {
  const rounding = 1e-12 * Math.max(1e-300, ...poles.map(magnitude));
  return poles.every((p) => (every === undefined ? p[0] < -rounding : magnitude(p) < 1 - 1e-12));
}

/** The frequency response along the imaginary axis, or along the circle for a model of ticks. */
function along(model: LinearModel, every: number | undefined): (w: number) => Complex {
  const response = frequencyResponse(model);
  return (w) => response.at(every === undefined ? [0, w] : [Math.cos(w * every), Math.sin(w * every)]);
}

const hasGap = ({ A, B, C, D }: LinearModel): boolean =>
  [A, B, C, D].some((M: Matrix) => M.some((row) => row.some((x) => !Number.isFinite(x))));

/**
 * Real values that are set at events from what moves, and that others follow: they answer to small changes, but at their ticks only.
 * One that is set to a number, or by the time, stays what it is.
 */
function heldIn({ model, blocks, states }: SolvableModel, asked: readonly (number | undefined)[]): number[] {
  const parts = blocks.map((b) => ({
    isBetween: b.only !== 'events' && !(b.kind === 'assign' && b.discrete),
    targets: b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)],
    values: b.kind === 'assign' ? [b.value] : [...b.inner.map((x) => x.value), ...b.residuals.map((r) => r.value)],
  }));
  const mentioned = (values: readonly FlatExpr[]): Set<number> => {
    const found = new Set<number>();
    for (const e of values)
      walk(e, (x) => void ((x.op === 'var' || x.op === 'der' || x.op === 'pre') && found.add(x.index)));
    return found;
  };
  const all = parts.map((p) => mentioned(p.values));
  const moving = new Set(states);
  model.variables.forEach((v, k) => v.kind === 'external' && moving.add(k));
  for (let grown = true; grown;) {
    grown = false;
    parts.forEach((p, k) => {
      if (![...all[k]].some((x) => moving.has(x))) return;
      for (const u of p.targets)
        if (u.kind === 'var' && !moving.has(u.index)) {
          moving.add(u.index);
          grown = true;
        }
    });
  }
  const isHeld = (k: number): boolean =>
    model.variables[k].kind === 'discrete' && model.variables[k].type === 'Real' && moving.has(k);
  const used = new Set(parts.flatMap((p, k) => (p.isBetween ? [...all[k]] : [])));
  for (const k of asked) if (k !== undefined) used.add(k);
  // and what these are made of at their ticks
  for (let grown = true; grown;) {
    grown = false;
    parts.forEach((p, k) => {
      if (!p.targets.some((u) => u.kind === 'var' && used.has(u.index) && isHeld(u.index))) return;
      for (const x of all[k])
        if (!used.has(x)) {
          used.add(x);
          grown = true;
        }
    });
  }
  return model.variables.flatMap((_, k) => (used.has(k) && isHeld(k) ? [k] : []));
}

/** Seconds between the ticks of the one clock a model has; undefined where it has none or several. */
function clockOf(program: Program, simulation: Simulation): number | undefined {
  const all = program.list.samples.map((_, k) => simulation.machine.sampleTimes(k));
  const [first] = all;
  return first && all.every((x) => x.interval === first.interval && x.start === first.start)
    ? first.interval
    : undefined;
}
