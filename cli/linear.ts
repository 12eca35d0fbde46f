import type { Problem } from '../core/language/diagnostics';
import { comeToRest, farAway } from '../core/linear/at-rest';
import { modesOf, type Mode } from '../core/linear/modes';
import { linearReport, type LinearReport } from '../core/linear/linear-report';
import type { Matrix } from '../core/linear/dense';
import type { SamplingMethod } from '../core/linear/matrices';
import { newSetup } from '../core/project/project';
import { createRun, isRunnable, prepareRun } from '../core/run';
import type { Program } from '../core/program/program';
import { compile } from '../core/simulate/compile';
import { createSimulation, type Simulation } from '../core/simulate/simulation';
import { modelOfText, stopWith, typeNamed, type TextOf } from './model-text';
import { projectTexts, readProject, setupNamed } from './read-project';
import { complain, print, readBytes } from './output';

export interface LinearArguments {
  readonly class?: string;
  readonly type?: string;
  readonly from?: string;
  readonly to?: string;
  readonly at?: number | 'rest';
  readonly setup?: string;
  readonly open?: string;
  readonly every?: number;
  readonly method?: SamplingMethod;
  readonly json?: boolean;
}

/** A model that stands at a moment; undefined where it could not be brought there, which has been told. */
interface AtMoment {
  readonly program: Program;
  readonly simulation: Simulation;
  readonly textOf: TextOf;
}

/** `zelvar linear`: 0 the linear model was made, 2 it could not. */
export function linear(file: string, options: LinearArguments): number {
  const from = options.from ?? options.open;
  const to = options.to ?? options.open;
  if (from === undefined || to === undefined) {
    complain('zelvar: --from and --to say what is looked at, or --open alone a place in a loop');
    return 2;
  }
  if (options.class === undefined && file.endsWith('.mo')) {
    complain('zelvar: --class says which class of the text is meant');
    return 2;
  }
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const moment = options.class === undefined ? ofProject(file, bytes, options) : ofText(file, bytes, options);
  if (!moment) return 2;
  const { program, simulation, textOf } = moment;
  const question = {
    from,
    to,
    ...(options.open !== undefined && { open: options.open }),
    ...(options.every !== undefined && { every: options.every }),
    ...(options.method && { method: options.method }),
  };
  const unrest = options.at === 'rest' ? comeToRest(program, simulation, question) : undefined;
  if (unrest) return stopWith([unrest], textOf, options.json);
  const { value, problems } = linearReport(program, simulation, question);
  if (!value) return stopWith(problems, textOf, options.json);
  if (options.json) print(JSON.stringify(asJson(value, simulation.time), null, 1));
  else tell(value, from, to, options);
  return 0;
}

const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
/** Runs until this moment, exactly: the slopes are those of the values there. On the way to rest it has only begun. */
const toMoment = (simulation: Simulation, at: LinearArguments['at']): Problem | undefined => {
  simulation.advance(at === 'rest' ? 0 : Infinity);
  return simulation.problem;
};
const stopOf = (at: LinearArguments['at']): number => (at === 'rest' ? farAway : Math.max(at ?? 0, shortest));
/** A run of no length stands at its start. */
const shortest = 1e-9;

function ofText(file: string, bytes: Uint8Array, options: LinearArguments): AtMoment | undefined {
  const { model, textOf, errors } = modelOfText(file, bytes, options.class!);
  if (errors.length > 0) return void stopWith(errors, textOf, options.json);
  const { program, problems } = compile(model);
  if (!program) return void stopWith(problems, textOf, options.json);
  const stop = stopOf(options.at);
  const simulation = createSimulation(
    program,
    {
      stop,
      solver: 'auto',
      relative: 1e-9,
      absolute: 1e-12,
      step: stop / 500,
      recordEvery: stop,
      values: new Map(),
      stimulus: [],
    },
    quiet,
  );
  const failed = toMoment(simulation, options.at);
  return failed ? void stopWith([failed], textOf, options.json) : { program, simulation, textOf };
}

function ofProject(file: string, bytes: Uint8Array, options: LinearArguments): AtMoment | undefined {
  const project = readProject(file, bytes);
  if (!project) return undefined;
  const type = typeNamed(project, options.type);
  if (type === 'none') return undefined;
  const chosen = options.setup === undefined ? undefined : setupNamed(project, options.setup);
  if (options.setup !== undefined && !chosen) return undefined;
  const stop = stopOf(options.at);
  const root = type?.id ?? chosen?.root ?? '';
  const setup = { ...(chosen ?? newSetup('linear', 'linear')), stop, recordEvery: stop, root };
  const prepared = prepareRun(project, setup);
  const textOf = projectTexts(project);
  if (!isRunnable(prepared)) return void stopWith(prepared.problems, textOf, options.json);
  const { simulation } = createRun(prepared);
  const failed = toMoment(simulation, options.at);
  return failed ? void stopWith([failed], textOf, options.json) : { program: prepared.program, simulation, textOf };
}

const degrees = (x: number): number => (x * 180) / Math.PI;
/** JSON has no Infinity: what has no end is null, as what is not there. */
const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);
const plain = (M: Matrix): number[][] => M.map((row) => [...row]);

const asJson = (r: LinearReport, time: number): object => ({
  time,
  states: r.states,
  A: plain(r.model.A),
  B: plain(r.model.B),
  C: plain(r.model.C),
  D: plain(r.model.D),
  delays: r.model.delays,
  poles: r.poles,
  zeros: r.zeros ?? null,
  stable: r.isStable ?? null,
  closedLoopStable: r.closedHolds ?? null,
  modes: (modesOf(r.model, r.states, r.every) ?? []).map((m) => ({
    ...m,
    timeConstant: finite(m.timeConstant),
    frequency: finite(m.frequency),
  })),
  gainMargin: finite(r.gainMargin),
  gainMarginAt: finite(r.gainMarginAt),
  phaseMargin: finite(degrees(r.phaseMargin)),
  phaseMarginAt: finite(r.phaseMarginAt),
  delayMargin: finite(r.delayMargin),
  bandwidth: finite(r.bandwidth),
  dcGain: finite(r.dcGain),
  units: {
    time: 's',
    poles: r.model.states.length > 0 ? 'rad/s, or points of the z plane with --every' : '',
    gainMargin: 'factor; null: any',
    gainMarginAt: 'rad/s',
    phaseMargin: 'deg; null: the gain never is 1',
    phaseMarginAt: 'rad/s',
    delayMargin: 's',
    bandwidth: 'rad/s; null: it has none',
    dcGain: 'output over input; null: it grows without end',
  },
});

const short = (x: number): string => (Number.isFinite(x) ? String(Number(x.toPrecision(5))) : 'none');
const point = ([re, im]: readonly [number, number]): string =>
  im === 0 ? short(re) : `${short(re)} ${im < 0 ? '-' : '+'} ${short(Math.abs(im))}i`;

/** One motion: how fast, how damped, what moves with it, and whether it is reached and seen. */
function tellMode(m: Mode): string {
  const swings = m.frequency > 0 && Math.abs(m.damping) < 1 - 1e-9;
  const speed = Number.isFinite(m.timeConstant)
    ? m.timeConstant < 0
      ? `grows with ${short(-m.timeConstant)} s`
      : `time constant ${short(m.timeConstant)} s`
    : 'neither dies away nor grows';
  const swing = swings ? `, ${short(m.frequency)} rad/s, damping ${short(m.damping)}` : '';
  const share = (x: number, word: string): string => (x === 0 ? `, not ${word}` : x < 0.01 ? `, hardly ${word}` : '');
  return `mode ${point(m.pole)}${m.times > 1 ? `, ${m.times} times` : ''}: ${speed}${swing}; moves ${m.states.join(', ')}${share(m.reached, 'reached')}${share(m.seen, 'seen')}`;
}

function tell(r: LinearReport, from: string, to: string, { open, every }: LinearArguments): void {
  print(`${from} to ${to}: ${r.states.length} states${r.states.length > 0 ? ` (${r.states.join(', ')})` : ''}`);
  print(`  poles  ${r.poles.map(point).join(', ') || 'none'}${every === undefined ? '' : ' (z)'}`);
  print(`  zeros  ${r.zeros === undefined ? `${from} never comes to ${to}` : r.zeros.map(point).join(', ') || 'none'}`);
  for (const m of modesOf(r.model, r.states, r.every) ?? []) print(`  ${tellMode(m)}`);
  print(
    `  ${r.isStable === undefined ? 'whether what is disturbed dies away is not decided' : r.isStable ? 'what is disturbed dies away' : 'what is disturbed does not die away'}`,
  );
  print(
    `  at rest ${Number.isFinite(r.dcGain) ? short(r.dcGain) : 'it grows without end'}; ${Number.isFinite(r.bandwidth) ? `bandwidth ${short(r.bandwidth)} rad/s` : 'no bandwidth'}`,
  );
  const margin = (what: string, value: number, unit: string, at: number): string =>
    Number.isFinite(value)
      ? `${what} ${short(value)}${unit}${Number.isFinite(at) ? ` (at ${short(at)} rad/s)` : ''}`
      : `no ${what}: there is no end to it`;
  print(
    `  ${open === undefined ? 'taken as a loop gain' : `loop opened at ${open}`}: ${[
      margin('gain margin', r.gainMargin, '', r.gainMarginAt),
      margin('phase margin', degrees(r.phaseMargin), ' deg', r.phaseMarginAt),
      margin('delay margin', r.delayMargin, ' s', NaN),
    ].join(', ')}`,
  );
}
