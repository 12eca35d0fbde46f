import { nearestName } from '../language/nearest';
import { problem, type Problem } from '../language/diagnostics';
import { startChart } from '../behaviour/chart-step';
import { chartStructure } from '../behaviour/chart-structure';
import { constant, divide, one, subtract, variable } from '../flatten/flat-expression';
import type { FlatChart, FlatEquation, FlatModel } from '../flatten/flat-model';
import type { Project, Setup } from '../project/project';
import type { SimulationOptions } from '../simulate/simulation';
import { channelErrors } from '../pins/check-channels';
import { boardOfType, linesOf, type Line } from '../pins/channels';
import { pinBoardNamed, pinBoardsOf, type PinBoard } from '../pins/pin-boards';
import type { Wires } from '../pins/plant-side';
import { mostWatched, type SerialLine } from '../serial/messages';
import type { Watching } from '../serial/watcher';
import type { CoveragePlan } from '../coverage/plan';
import type { Notes } from '../program/machine';
import { stepProgramOf } from './controller';
import { givenOtherwise } from './given-otherwise';
import type { StepProgram } from './step-program';
import type { RunningStep } from './running-step';
import { heardName, pulsesName, stepped, toldSlot, type RunningPart, type StepState } from './step-driver';
import { createStep } from './write-js';

/**
 * Runs in which a part is not simulated: it goes in steps, reads its inputs at them, and holds its outputs in between. Everything else is
 * the run it was. `sampled`: with the numbers of the simulator; `code`: with those of a chip.
 */
export type Stage = 'designed' | 'sampled' | 'code' | 'host' | 'board';
export const stages: readonly Stage[] = ['designed', 'sampled', 'code', 'host', 'board'];
/** Stages that run wherever the model does; the others need what a compiler has made. */
export const ownStages = ['designed', 'sampled', 'code'] as const satisfies readonly Stage[];

/** A stage as it is written: of a board with the name of it. */
export type StageText = Stage | `board:${string}`;
export function readStage(text: string): { readonly stage: Stage; readonly board: string } | undefined {
  const [, name, board = ''] = /^(\w+)(?::(.+))?$/.exec(text.trim()) ?? [];
  const stage = stages.find((s) => s === name);
  return stage && (board === '' || stage === 'board') ? { stage, board } : undefined;
}
export const stageText = ({ stage, board }: { readonly stage: Stage; readonly board: string }): StageText =>
  stage === 'board' && board !== '' ? `board:${board}` : stage;

/** The steps of a program as a compiler has made them, or why they are not there. */
export type MakeCompiled = (
  program: StepProgram,
  /** Undefined for the machine it is compiled on. */
  board: PinBoard | undefined,
  /** What its signals go through; on a board they are firmware. */
  lines?: readonly Line[],
  /** The line over which it is watched. */
  serial?: SerialLine,
) => { create(): RunningStep } | string;
const nothingCompiled: MakeCompiled = (_, board) => `The stage ${board ? 'board' : 'host'} is not available here`;

/** By full name of the part. */
export type StagesOfParts = ReadonlyMap<string, StageText>;

/** Wires that a setup has not as they should be, by full name of the part. */
export type WiresOfParts = ReadonlyMap<string, Wires>;
export const wiresIn = (setup: Setup): WiresOfParts => {
  const found = new Map<string, Setup['wires'][number][]>();
  for (const w of setup.wires) found.set(w.part, [...(found.get(w.part) ?? []), w]);
  return found;
};

/** Serial lines of a setup, by full name of the part; what is told is by the names of the part itself. */
export type SerialOfParts = ReadonlyMap<string, Watching>;
export const serialIn = (setup: Setup): SerialOfParts =>
  new Map(
    setup.serial.flatMap(({ part, baud, every, noise }) =>
      // a line is that of a board
      setup.stages.some((s) => s.part === part && s.stage === 'board')
        ? [[part, { baud, every: Math.round(every), noise, watch: heardOf(setup, part) }] as const]
        : [],
    ),
  );
/** What is told of a part, by its own names. */
export const heardOf = ({ heard }: Pick<Setup, 'heard'>, part: string): readonly string[] =>
  heard.flatMap((name) => (name.startsWith(`${part}.`) ? [name.slice(part.length + 1)] : [])).slice(0, mostWatched);

/** The stages a setup chooses. */
export const stagesIn = (setup: Setup): StagesOfParts => new Map(setup.stages.map((s) => [s.part, stageText(s)]));

/** A setup with other stages of some parts. */
export function withStages(setup: Setup, chosen: StagesOfParts): Setup {
  const all = new Map<string, StageText>([...stagesIn(setup), ...chosen]);
  return {
    ...setup,
    stages: [...all].flatMap(([part, text]) => {
      const { stage, board } = readStage(text) ?? { stage: 'designed' as const, board: '' };
      return stage === 'designed' ? [] : [{ part, stage, board }];
    }),
  };
}

/** A part of a model that goes in steps. */
export interface PartInSteps {
  readonly name: string;
  readonly stage: Stage;
  /** Name of the board it runs on; empty where it is on none. */
  readonly board: string;
  /** Its number among the parts. */
  readonly number: number;
  readonly program: StepProgram;
  /** What there is to be come through in its steps, where they tell it. */
  readonly plan: CoveragePlan | undefined;
  /** Quantities of the part that nobody works out in this run: its steps do without them, or keep them to themselves. */
  readonly untold: ReadonlySet<number>;
  /** Begins, or goes on from where it was; `isKept`: what comes out of every step is kept, to be compared with other ways to go them. */
  create(options?: {
    readonly from?: StepState | undefined;
    readonly isKept?: boolean;
    readonly notes?: Notes | undefined;
  }): RunningPart;
}

/** Where a choice of stages goes wrong: by the name of the part. */
export interface StageProblem extends Problem {
  readonly part: string;
}

/**
 * A model in which the chosen parts go in steps: what is inside them is taken out, and what followed from it is set from outside. `kept`:
 * what a setup asks of the run.
 */
export function inSteps(
  project: Project,
  model: FlatModel,
  chosen: StagesOfParts,
  { startIn, stimulus, values }: Pick<SimulationOptions, 'startIn' | 'stimulus' | 'values'>,
  compiled: MakeCompiled = nothingCompiled,
  wires: WiresOfParts = new Map(),
  serial: SerialOfParts = new Map(),
  isCounted = false,
): { readonly model: FlatModel; readonly parts: readonly PartInSteps[]; readonly problems: readonly StageProblem[] } {
  const parts: PartInSteps[] = [];
  const problems: StageProblem[] = [];
  let rest = model;
  for (const [name, text] of chosen) {
    const { stage, board } = readStage(text)!;
    const wrong = (message: string): number =>
      problems.push({ ...problem('error', 'stage', message), place: '', part: name });
    const number = model.parts.findIndex((p) => p.name === name);
    if (number < 0) {
      const own = new Set(project.types.map((t) => t.name));
      const names = model.parts.flatMap((p) => (p.name !== '' && own.has(p.typeName) ? [p.name] : []));
      const near = nearestName(name, names);
      wrong(`There is no part ${name}${near ? `; did you mean ${near}?` : `; there are ${names.join(', ')}`}`);
      continue;
    }
    if (stage === 'designed') continue;
    const around = [...chosen.keys()].find((other) => name.startsWith(`${other}.`) && chosen.get(other) !== 'designed');
    if (around !== undefined) {
      wrong(`${name} is inside ${around}, which goes in steps itself`);
      continue;
    }
    const type = project.types.find((t) => t.name === model.parts[number].typeName);
    if (!type) {
      wrong(`${name} is of the library: only part types of the project go in steps`);
      continue;
    }
    const isCompiled = stage === 'host' || stage === 'board';
    // what is compiled has no more than what is written
    const lowered = stepProgramOf(project, type, undefined, {
      isWhole: !isCompiled,
      isExact: stage === 'sampled',
      isCounted: isCounted && !isCompiled,
    });
    if (!lowered.program) {
      problems.push(...lowered.problems.map((p) => ({ ...p, part: name })));
      continue;
    }
    const unlike =
      unlikeIn(model, startIn, stimulus, name, number) ?? givenOtherwise(lowered.solvable, model, name, values);
    if (unlike !== undefined) {
      wrong(unlike);
      continue;
    }
    const { program } = lowered;
    const boards = pinBoardsOf(project);
    const asked = stage === 'board' ? (board === '' ? boards[0] : pinBoardNamed(board, boards)) : undefined;
    if (stage === 'board' && !asked) {
      wrong(`There is no board ${board}; there are ${boards.map((b) => (b.isOwn ? b.name : b.id)).join(', ')}`);
      continue;
    }
    const outside = asked ?? boardOfType(type, boards);
    const [unsound] = channelErrors(type, outside, program.period);
    if (unsound) {
      problems.push({ ...unsound, part: name });
      continue;
    }
    const channels = { lines: linesOf(type, outside), wires: wires.get(name) ?? [], double: stage === 'sampled' };
    const untold = serial.get(name)?.watch.filter((q) => toldSlot(program.slots, q) === undefined) ?? [];
    if (untold.length > 0) {
      wrong(`${untold.join(' and ')} of ${name} has no place in its memory: it cannot be told over its serial line`);
      continue;
    }
    const made = isCompiled
      ? compiled(program, asked, channels.lines, serial.get(name))
      : { create: (notes?: Notes) => createStep(program, { double: stage === 'sampled', notes }) };
    if (typeof made === 'string') {
      wrong(made);
      continue;
    }
    parts.push({
      name,
      stage,
      board: asked?.name ?? '',
      number,
      program,
      plan: lowered.plan,
      untold: untoldBy(model, name, number, program, serial.get(name)?.watch ?? []),
      create: ({ notes, ...options } = {}) =>
        stepped(model, name, number, made.create(notes), program, {
          ...options,
          channels,
          watching: serial.get(name),
        }),
    });
    rest = withoutPart(rest, name, number, channels.lines);
  }
  return { model: rest, parts, problems };
}

/** What a setup does to a part that a part in steps would not follow. */
function unlikeIn(
  model: FlatModel,
  startIn: SimulationOptions['startIn'],
  stimulus: SimulationOptions['stimulus'],
  name: string,
  number: number,
): string | undefined {
  const begun = [...(startIn?.keys() ?? [])].find((c) => model.charts[c].part === number);
  if (begun !== undefined)
    return `The setup says where ${model.charts[begun].name} starts: a part in steps begins at its beginning`;
  const set = stimulus.find(
    (s) =>
      s.kind === 'set' && model.variables[s.variable].name.startsWith(`${name}.`) && !isGiven(model, name, s.variable),
  );
  if (set?.kind === 'set')
    return `The setup sets ${model.variables[set.variable].name}, which follows from the steps of ${name}`;
  return undefined;
}

/** Whether something of a part that goes in steps is given to it, and can be given anew while it runs: its own parameters and inputs. */
export const isGiven = ({ variables }: FlatModel, name: string, k: number): boolean =>
  ['parameter', 'external'].includes(variables[k].kind) && !variables[k].name.slice(name.length + 1).includes('.');

/** The model with the inside of a part taken out: what followed from it is set from outside, and held. */
function withoutPart(model: FlatModel, name: string, number: number, lines: readonly Line[]): FlatModel {
  const within = (part: string): boolean => part === name || part.startsWith(`${name}.`);
  const isInput = (k: number): boolean => isOwnInput(model, name, k);
  const isHeld = model.variables.map(
    (v, k) => v.name.startsWith(`${name}.`) && (v.kind === 'continuous' || v.kind === 'discrete') && !isInput(k),
  );
  const begun = begunStates(model, number);
  const smoothed = lines.flatMap((line) => {
    const driven = line.smoothing > 0 ? model.indexOf.get(pulsesName(name, line.quantity)) : undefined;
    const state = model.indexOf.get(`${name}.${line.quantity}`);
    return driven === undefined || state === undefined ? [] : [{ line, driven, state }];
  });
  const atRest = new Map(smoothed.flatMap(({ line, driven, state }) => [driven, state].map((k) => [k, line.base])));
  const states = new Set(smoothed.map((s) => s.state));
  // inputs of blocks inside are given by the part around them
  const isInside = ({ left, origin }: FlatEquation): boolean =>
    within(origin.part) ||
    (left.op === 'var' && isHeld[left.index] && model.variables[left.index].name.slice(name.length + 1).includes('.'));
  return {
    ...model,
    variables: model.variables.map((v, k) =>
      states.has(k)
        ? { ...v, kind: 'continuous' as const, start: constant(atRest.get(k)!), fixed: true }
        : atRest.has(k)
          ? { ...v, start: constant(atRest.get(k)!) }
          : isHeld[k]
            ? { ...v, kind: 'assigned' as const }
            : begun.has(k)
              ? { ...v, start: one }
              : v,
    ),
    equations: [
      ...model.equations.filter((e) => !isInside(e)),
      ...smoothed.map(({ line, driven, state }) => smoothing(name, line, driven, state)),
    ],
    initialEquations: model.initialEquations.filter((e) => !isInside(e)),
    actions: model.actions.filter((a) => !within(a.origin.part)),
    assertions: model.assertions.filter((a) => !within(a.origin.part)),
    charts: model.charts.map((c) => (c.part === number ? silent(c) : c)),
  };
}

/** What smooths pulses: a resistor and a capacitor behind the pin. */
const smoothing = (part: string, line: Line, driven: number, state: number): FlatEquation => ({
  left: { op: 'der', index: state },
  right: divide(subtract(variable(driven), variable(state)), constant(line.smoothing)),
  origin: {
    part: '',
    place: '',
    span: { start: 0, end: 0 },
    text: `der(${part}.${line.quantity}) = (pulses - ${part}.${line.quantity})/${line.smoothing}`,
  },
});

/** Own inputs of a part; they come from outside. */
const isOwnInput = ({ variables }: FlatModel, name: string, k: number): boolean =>
  variables[k].isInput && !variables[k].name.slice(name.length + 1).includes('.');

function untoldBy(
  model: FlatModel,
  name: string,
  number: number,
  program: StepProgram,
  heard: readonly string[],
): ReadonlySet<number> {
  const told = new Set<number>([
    ...program.slots.flatMap((s) =>
      (s.role === 'part' || s.role === 'output') && s.size === 0 ? (model.indexOf.get(`${name}.${s.name}`) ?? []) : [],
    ),
    ...model.charts.flatMap((c) => (c.part === number ? c.active : [])),
    model.parts[number].software?.stepTime ?? -1,
    model.parts[number].software?.overruns ?? -1,
    ...program.slots.map((slot) => model.indexOf.get(pulsesName(name, slot.name)) ?? -1),
    ...heard.map((q) => model.indexOf.get(heardName(name, q)) ?? -1),
  ]);
  const found = new Set<number>();
  model.variables.forEach((v, k) => {
    const isWorkedOut = v.kind === 'continuous' || v.kind === 'discrete' || v.kind === 'assigned';
    if (v.name.startsWith(`${name}.`) && isWorkedOut && !told.has(k) && !isOwnInput(model, name, k)) found.add(k);
  });
  return found;
}

/** A chart in its place that does nothing: charts are known by their numbers. */
const silent = ({ period: _, ...chart }: FlatChart): FlatChart => ({
  ...chart,
  structure: chartStructure([], []),
  active: [],
  transitions: [],
  entry: [],
  do: [],
  exit: [],
  defers: [],
});

/** States that charts of a part begin in are active from the start. */
function begunStates(model: FlatModel, number: number): ReadonlySet<number> {
  const found = new Set<number>();
  for (const { part, structure, active } of model.charts)
    for (const leaf of part === number ? startChart(structure).next.leaves : [])
      for (let s = leaf; s >= 0; s = structure.states[s].parent) found.add(active[s]);
  return found;
}
