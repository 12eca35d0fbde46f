import type { Patch } from 'immer';
import type { Problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import type { RecordingChunk } from '../simulate/recording';
import type { RunStatus } from '../simulate/simulation';
import type { SolverReport } from '../simulate/solver-report';
import type { StepCounts } from '../simulate/stepper';
import type { StageText } from '../stepcode/stage';
import type { BuiltSteps } from '../boards/built-steps';
import type { StepProfile } from '../stepcode/running-step';
import type { Stage } from '../stepcode/stage';
import type { ChannelLoss } from '../stepcode/border';
import type { LineCounts } from '../serial/watcher';
import type { NumberFit } from '../stepcode/step-driver';
import type { KeptQuantity } from '../stepcode/write-sources';
import type { ReadBack } from '../stepcode/read-back/read-back';
import type { SourceLine } from '../stepcode/write-c';
import type { RunBasis } from './basis';
import type { BatchProgress, BatchResult } from './batch';
import type { ProjectCheck } from './check';
import type { Example } from './example';
import type { RequirementFinding, RunSequence } from './run';
import type { typeStructure } from './type-structure';

/**
 * What goes between the application and the workers that compute, as types: everything here can be posted. Whoever changes one
 * side finds here what the other relies on, and why.
 */

/** Takes in what a run tells. Where it gives a promise, the run tells of more once that is kept, and more seldom the longer it takes. */
export type RunListener = (update: RunUpdate) => unknown;
/**
 * What a run tells while it goes on. Rows since the last update are in `chunk`, where there is somebody to look at them; their arrays are
 * handed over, not copied, so that a run of millions of rows does not pass through memory twice. A chunk says how much of what came
 * before it stays, as a run can go back.
 */
export interface RunUpdate {
  readonly run: number;
  readonly status: RunStatus | 'paused' | 'cancelled';
  readonly time: number;
  readonly chunk: RecordingChunk | undefined;
  readonly findings: readonly RequirementFinding[];
  readonly problem: Problem | undefined;
  /** What did not hold but stopped nothing. */
  readonly warnings: readonly Problem[];
  readonly counts: StepCounts & { readonly events: number };
  /** How the solver fared; at the end of a run. */
  readonly solver: SolverReport | undefined;
  /** Clock seconds spent computing so far. */
  readonly seconds: number;
  /** Address of the state or transition, or the condition, at which the run has just stopped. */
  readonly stoppedAt: string | undefined;
  /** What was done from outside since the last update, and how much of what was told of it before stays. */
  readonly actions: { readonly after: number; readonly done: readonly OutsideAction[] };
  /** What written sequences say of the run so far. */
  readonly sequences: readonly RunSequence[];
  /** What steps on boards took, where the run rests. */
  readonly profiles?: readonly PartProfile[];
  /** What did not come through the channels of parts in steps, once it rests. */
  readonly losses?: readonly PartLoss[];
  /** What came over serial lines so far. */
  readonly lines?: readonly PartLine[];
  /** How numbers of parts in steps fitted into what they are kept in, once it rests. */
  readonly fits?: readonly PartFit[];
}

/** The arrays of an update, to be handed over. Columns that are equal share one, which can be handed over once only. */
export const arraysOf = ({ chunk }: RunUpdate): ArrayBuffer[] =>
  chunk ? ([...new Set([chunk.time.buffer, ...chunk.columns.map((c) => c.values.buffer)])] as ArrayBuffer[]) : [];

/** Something an operator did during a run: told with the time at which it took effect, so that it can be done again to the bit. */
export interface OutsideAction {
  readonly time: number;
  readonly kind: 'set' | 'send';
  /** Full name of a quantity, or of a part followed by the message. */
  readonly target: string;
  readonly value: number;
  /** Of a message. */
  readonly args?: Readonly<Record<string, number>>;
}

export interface StartOptions {
  readonly pace: number;
  readonly changes?: Readonly<Record<string, string>>;
  readonly paused?: boolean;
  /** Addresses and conditions at which the run stops. */
  readonly breakpoints?: readonly string[];
  readonly conditions?: readonly string[];
  /** A test case goes along with it: the run is what the case says, in a stage. */
  readonly tried?: { readonly id: string; readonly stage?: StageText | undefined };
  /** For parts that run compiled. */
  readonly built?: BuiltSteps;
  /** What was done from outside in an earlier run, to be done again. */
  readonly actions?: readonly OutsideAction[];
}

/** A part that does not run as designed. */
export interface StagedInRun {
  readonly part: string;
  readonly stage: Stage;
  /** Name of its board; empty where it is on none. */
  readonly board: string;
  /** Seconds between its steps. */
  readonly period: number;
}

/** What the steps of a part on a board took. */
export interface PartProfile extends StepProfile {
  readonly part: string;
  /** Steps that were left out, as the one before was not done in time. */
  readonly overruns: number;
}

/** What did not come through a channel of a part. */
export interface PartLoss extends ChannelLoss {
  readonly part: string;
}
export interface PartLine extends LineCounts {
  readonly part: string;
}
export interface PartFit extends NumberFit {
  readonly part: string;
}

/** The model of a run, as far as views need it: sent once at its start, as nothing of it changes while the run goes on. */
export interface RunModel {
  readonly run: number;
  /** What it ran with; missing in runs that were kept earlier. */
  readonly basis?: RunBasis;
  /** Values of constants and parameters. */
  readonly parameters: Readonly<Record<string, number>>;
  readonly parts: readonly string[];
  readonly partTypes: readonly string[];
  readonly charts: readonly {
    readonly name: string;
    readonly place: string;
    readonly part: string;
    readonly states: readonly string[];
    readonly places: readonly string[];
    readonly transitions: readonly string[];
    /** The further transitions each goes through. */
    readonly via?: readonly (readonly string[])[];
    /** Path of the state each transition leads to, '' for none. */
    readonly targets: readonly string[];
    readonly isProcedure: boolean;
  }[];
  readonly units: Readonly<Record<string, string>>;
  readonly settable: readonly string[];
  readonly shapes: readonly RunShape[];
  /** Parts that do not run as designed; missing in runs that were kept earlier. */
  readonly stages?: readonly StagedInRun[];
}

/** Something to look at, with its values at the start; those that move are in the recording under its name. */
export interface RunShape {
  readonly part: string;
  readonly kind: string;
  readonly values: Readonly<Record<string, number>>;
}

export type StartResult =
  | { readonly model: RunModel; readonly problems: readonly Problem[] }
  | { readonly model: undefined; readonly problems: readonly Problem[] };

/**
 * What can be asked of the other side. It holds a replica of the document: the document is sent once, its changes follow as data,
 * in order. So an edit costs what it changes, and whatever was found about the parts of the document that stayed is still known
 * there: a copy of the whole would be new in every part, and everything would be found anew.
 */
/** What is written for a part type that is software; without files it cannot be, and the problems say why. */
export interface CodeOfType {
  readonly period: number;
  /** Name and text of each. */
  readonly files: readonly (readonly [string, string])[];
  /** The same as a unit for co-simulation. */
  readonly unit: readonly (readonly [string, string])[];
  readonly lines: readonly SourceLine[];
  /** The firmware of its pins, by board; empty where it uses none. */
  readonly pins: readonly (readonly [board: string, text: string])[];
  /** Quantities that are not kept as usual. */
  readonly numbers: readonly KeptQuantity[];
  readonly problems: readonly Problem[];
}

export interface Engine {
  /** The document from now on, and the number of its state. */
  open(document: Project, version: number): void;
  /**
   * A change that leads from one numbered state to the next. False where the replica is not in the state it starts from, for
   * instance after a worker was started anew: the document has to be opened then.
   */
  follow(change: readonly Patch[], from: number, to: number): boolean;
  /** Everything wrong with the document in the state it has here. */
  check(): ProjectCheck & { readonly version: number };
  /** Signals that hold and fail a formula, to be drawn beside it. */
  example(formula: string): Example | undefined;
  /** The unit of a quantity inside a part type, or inside the product where the type is ''. */
  unitOf(typeId: string, path: string): string | undefined;
  /** How the equations of a part type are solved. */
  structure(typeId: string): ReturnType<typeof typeStructure>;
  /** The C of a part type, and which lines are of which element. */
  code(typeId: string): CodeOfType;
  /** What somebody has changed in the C of a part type, as changes of the model. */
  readBack(typeId: string, edited: string): ReadBack;
  /** What a part type looks like at its start, without running it. */
  shapes(typeId: string): readonly RunShape[];
  start(setupId: string, options: StartOptions, listen: RunListener): StartResult;
  pause(): void;
  resume(): void;
  /** Goes on to just after the next event and pauses. */
  step(): void;
  /** Goes back to just after the event before this moment and pauses; false where that run is no longer at hand, or nothing is before. */
  back(run: number): boolean;
  /**
   * Does what the run has done up to a time, and goes another way from there: `changes` are given then. It starts from a moment that
   * was kept, so that it costs what lies between, and stops where that run does. Undefined where that run is no longer at hand, or does not know what is changed by
   * that name: a renamed quantity, for instance.
   */
  branch(
    run: number,
    time: number,
    changes: readonly OutsideAction[],
    options: Pick<StartOptions, 'pace'>,
    listen: RunListener,
  ): RunModel | undefined;
  setPace(pace: number): void;
  cancel(): void;
  set(path: string, value: number): boolean;
  send(path: string, args?: Readonly<Record<string, number>>): boolean;
  /** States and transitions, by address, at which the run stops. */
  breakAt(places: readonly string[]): void;
  /** Runs several setups one after the other; nothing of them is recorded but what they came to. */
  runAll(ids: readonly string[], built: BuiltSteps, tell: (progress: BatchProgress) => void): Promise<BatchResult[]>;
  cancelAll(): void;
}
