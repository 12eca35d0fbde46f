/** The document: everything a project file holds. Plain data; changed by edits only (see edits.ts). */
export interface Project {
  readonly format: 'zelvar-project';
  readonly version: 7;
  readonly id: string;
  readonly name: string;
  readonly note: string;
  /** Id of the part type that is the product. */
  readonly root: string;
  readonly types: readonly PartType[];
  /** Classes that every physics text of the project can name: functions, records, connectors, partial models. */
  readonly libraries: readonly ClassText[];
  /** What links can carry. */
  readonly items: readonly Item[];
  readonly requirements: readonly Requirement[];
  /** Identifiers of deleted requirements: they are never given to another one. */
  readonly retired: readonly RetiredKey[];
  readonly glossary: readonly GlossaryEntry[];
  readonly flows: readonly Flow[];
  readonly traces: readonly TraceLink[];
  readonly setups: readonly Setup[];
  readonly panels: readonly Panel[];
  readonly tracks: readonly Track[];
}

export interface PartType {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly quantities: readonly Quantity[];
  readonly parts: readonly Part[];
  readonly ports: readonly Port[];
  readonly links: readonly Link[];
  readonly physics: string;
  readonly charts: readonly Chart[];
  readonly procedures: readonly Procedure[];
  readonly sequences: readonly Sequence[];
  readonly sheets: readonly RelationSheet[];
  /** Where cards of parts stand that the physics text declares. */
  readonly layout: readonly NamedPlace[];
}

/** Text of one or more classes in the language of physics texts. */
export interface ClassText {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly text: string;
}

export interface NamedPlace extends Place {
  readonly name: string;
}

/** Relations between quantities of a part type, solved in whichever direction the known ones allow. */
export interface RelationSheet {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  /** Its relations hold in every run of the part; otherwise it is for looking only. */
  readonly live: boolean;
  readonly relations: readonly Relation[];
  /** Where quantities and relations stand in its drawing, by name and by id. */
  readonly layout: readonly NamedPlace[];
}

export interface Relation {
  readonly id: string;
  /** `P = Q*dp/eta`, or an inequality, which is a check. Units are converted where it is computed. */
  readonly text: string;
  readonly note: string;
}

export interface Quantity {
  readonly id: string;
  readonly name: string;
  readonly type: 'Real' | 'Integer' | 'Boolean';
  readonly role: 'constant' | 'parameter' | 'variable' | 'input' | 'output';
  /** Value of a constant or parameter, start value of everything else; a formula. */
  readonly value: string;
  readonly unit: string;
  readonly min: string;
  readonly max: string;
  readonly note: string;
}

/** One use of a type inside another, with changed values. */
export interface Part {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly changes: readonly Change[];
  readonly note: string;
  /** Where its card stands on the picture of the inside; null where the layout places it. */
  readonly place: Place | null;
}

export interface Place {
  readonly x: number;
  readonly y: number;
}

export interface Change {
  /** Path of the quantity, as seen from where the change stands. */
  readonly name: string;
  readonly value: string;
}

/** Where messages leave or enter. Inputs and outputs are the signal ports. */
export interface Port {
  readonly id: string;
  readonly name: string;
  /** Messages it takes and messages it gives; `*` stands for any. */
  readonly accepts: readonly string[];
  readonly sends: readonly string[];
  readonly note: string;
}

/** The message that stands for any in the lists of a port. */
export const anyMessage = '*';
export const carries = (list: readonly string[], message: string): boolean =>
  list.includes(message) || list.includes(anyMessage);
/** Messages that one list gives and another takes, as far as they are named. */
export const inCommon = (sends: readonly string[], accepts: readonly string[]): string[] => [
  ...new Set([...sends.filter((m) => carries(accepts, m)), ...accepts.filter((m) => carries(sends, m))]),
];

export interface Link {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  /** Id of the item it carries; empty where nobody has said. */
  readonly carries: string;
}

/** A kind of thing that goes from part to part: a torque, a tube, an order. */
export interface Item {
  readonly id: string;
  readonly name: string;
  /** Unit of what can be measured; empty for things and messages. */
  readonly unit: string;
  readonly note: string;
}

/** Modes of a part. */
export interface Chart {
  readonly id: string;
  readonly name: string;
  /** How often the do texts are run, a time such as 10 'ms'; empty where there are none. */
  readonly period: string;
  /** Quantities of the chart's own. */
  readonly values: readonly ChartValue[];
  readonly states: readonly ChartState[];
  readonly transitions: readonly Transition[];
}

export interface ChartValue {
  readonly id: string;
  readonly name: string;
  readonly type: 'Real' | 'Integer' | 'Boolean';
  /** Start value, a formula. */
  readonly value: string;
  readonly unit: string;
}

/**
 * `parallel`: everything inside is active together. The others are places rather than states: `final` says that what
 * surrounds it is done, `history` and `deepHistory` lead back to where it was left, `choice` branches after the effects of
 * the way in, `junction` before anything is left, `start` has one transition that says where it begins.
 */
export type StateKind = 'state' | 'parallel' | 'final' | 'history' | 'deepHistory' | 'choice' | 'junction' | 'start';

export interface ChartState {
  readonly id: string;
  readonly name: string;
  readonly parent: string | null;
  readonly kind: StateKind;
  readonly initial: boolean;
  readonly entry: string;
  readonly do: string;
  readonly exit: string;
  /** Names of messages kept for later while it is active, separated by commas. */
  readonly defers: string;
  readonly note: string;
  /** Position inside the parent. */
  readonly x: number;
  readonly y: number;
}

export interface Transition {
  readonly id: string;
  readonly from: string;
  /** Empty where no state is left: only the effect is done. */
  readonly to: string;
  /** States in other regions it enters as well. */
  readonly also: readonly string[];
  /** Any of them fires it; none: at once. */
  readonly triggers: readonly Trigger[];
  /** A transition to a state inside its own that does not leave its own. */
  readonly internal: boolean;
  readonly guard: string;
  readonly effect: string;
}

/** `when` looks at a condition as it is, `rises` at the moment it becomes true, `changes` at any change; `done`: the state is finished. */
export type TriggerKind = 'message' | 'after' | 'at' | 'every' | 'when' | 'rises' | 'changes' | 'done';

export interface Trigger {
  readonly kind: TriggerKind;
  /** Message with the arguments it reads, time, or condition. */
  readonly on: string;
}

/** Steps of a part, in order: lines read by core/procedures. */
export interface Procedure {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  /** Starts with its part. */
  readonly main: boolean;
  /** Quantities of its own; a call gives them values by name. */
  readonly values: readonly ChartValue[];
  /** The one a call brings back; empty for none. */
  readonly result: string;
  readonly lines: readonly FlowLine[];
}

/** Messages between the parts of a type, in order: lines read by core/sequences. */
export interface Sequence {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly lines: readonly FlowLine[];
}

export interface Requirement {
  readonly id: string;
  /** The identifier people use, e.g. CAP-01. */
  readonly key: string;
  readonly text: string;
  /** A formula written by hand; empty where the limit is read out of the text. */
  readonly formula: string;
  readonly note: string;
  /** As its sheet calls it; `heading` and `information` require nothing. */
  readonly kind: string;
  /** Id of the requirement it stands under. */
  readonly parent: string | null;
  /** Columns of its sheet that have no meaning here, kept as they are. */
  readonly attributes: readonly Attribute[];
  readonly source: RequirementSource | null;
  /** What somebody saw and signed, where no run can decide. */
  readonly observation: Observation | null;
}

export interface Attribute {
  readonly name: string;
  readonly value: string;
}

/** Where a requirement was imported from. */
export interface RequirementSource {
  readonly file: string;
  readonly sheet: string;
  /** Row of the sheet, counted from 1; 0 where the file has none. */
  readonly row: number;
  /** Cell of the text, such as B7. */
  readonly cell: string;
  /** Identifier given by another tool, returned unchanged on export; empty where there is none. */
  readonly foreign: string;
}

export interface Observation {
  readonly verdict: 'holds' | 'fails';
  readonly by: string;
  /** Day, as 2026-11-23. */
  readonly on: string;
  readonly note: string;
  /** The text that was signed; another text needs another look. */
  readonly text: string;
}

export interface RetiredKey {
  readonly id: string;
  readonly key: string;
}

/** A requirement and an element of the project that belong together. */
export interface TraceLink {
  readonly id: string;
  readonly requirement: string;
  /** Address of the element, see core/trace/elements.ts. */
  readonly element: string;
  /** Marks of both ends when somebody last said that they belong together: another text makes the link suspect. */
  readonly requirementSeen: string;
  readonly elementSeen: string;
}

/** How somebody reaches a goal with the product: lines of steps, read by core/flows. */
export interface Flow {
  readonly id: string;
  readonly name: string;
  readonly actor: string;
  readonly goal: string;
  readonly trigger: string;
  readonly precondition: string;
  readonly postcondition: string;
  readonly lines: readonly FlowLine[];
}

export interface FlowLine {
  readonly id: string;
  readonly depth: number;
  readonly text: string;
}

export interface GlossaryEntry {
  readonly id: string;
  readonly phrase: string;
  /** Quantity, event, state or condition, as seen from the product. */
  readonly meaning: string;
}

export interface Setup {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly changes: readonly Change[];
  readonly stimulus: readonly StimulusRow[];
  readonly solver: 'auto' | 'dopri5' | 'implicit' | 'rk4' | 'euler' | 'implicit-euler';
  readonly relative: number;
  readonly absolute: number;
  readonly step: number;
  readonly stop: number;
  readonly recordEvery: number;
  /** Seconds of the product per second of the clock; 0: as fast as possible. */
  readonly pace: number;
  readonly panel: string;
  /** Ids of written sequences of the product that send and expect messages during the run. */
  readonly sequences: readonly string[];
  /** Id of the part type that runs; empty for the product. */
  readonly root: string;
  /** States in which charts start instead, by full name such as `ctrl.mode.Ready`. */
  readonly startIn: readonly string[];
  /** Condition that ends the run early; empty for none. */
  readonly endWhen: string;
  /** What is recorded: names of quantities, charts, or parts with all they hold; empty for everything. */
  readonly record: readonly string[];
  /** Ids of the tracks it shows; empty for all. */
  readonly tracks: readonly string[];
  /** Its run is shown while it goes on; otherwise once it has ended, which costs less. */
  readonly screen: boolean;
}

export interface StimulusRow {
  readonly id: string;
  readonly time: number;
  /** `follow`: an input follows a formula over time from the start of the run. */
  readonly kind: 'set' | 'send' | 'follow';
  /** Path of a quantity, or of a part followed by the message. */
  readonly target: string;
  readonly value: string;
}

export interface Panel {
  readonly id: string;
  readonly name: string;
  readonly controls: readonly Control[];
}

export type ControlKind =
  | 'button'
  | 'switch'
  | 'slider'
  | 'field'
  | 'knob'
  | 'readout'
  | 'lamp'
  | 'dial'
  | 'level'
  | 'chart'
  | 'text'
  | 'picture'
  | 'verdict';

export interface Control {
  readonly id: string;
  readonly kind: ControlKind;
  readonly label: string;
  /** Path of a quantity, `part.message` of a button, a condition of a lamp, or the key of a requirement. */
  readonly target: string;
  /** What a button sends when it is let go, `part.message`; empty for nothing. */
  readonly release: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  /** Place and size on the panel. */
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  /** What a picture is made of. */
  readonly shapes: readonly Shape[];
}

/** A piece of a picture. Its numbers are formulas over the product, so that it follows what runs. */
export interface Shape {
  readonly id: string;
  readonly kind: 'box' | 'disc' | 'line' | 'words';
  /** From the left and top of the picture, in its units: 100 across. */
  readonly x: string;
  readonly y: string;
  readonly width: string;
  readonly height: string;
  /** Degrees it is turned about its middle. */
  readonly turn: string;
  /** Shown while this holds; empty for always. */
  readonly shown: string;
  readonly tone: 'ink' | 'pale' | 'accent' | 'now' | 'good' | 'bad';
  /** The words, for words. */
  readonly text: string;
  /** Message sent when it is pressed, `part.message`; empty for none. */
  readonly sends: string;
}

export interface Track {
  readonly id: string;
  /** Full names of what it shows; charts show as state lanes. */
  readonly items: readonly string[];
  readonly height: number;
}

/** Solvers that take steps of one length, without control of errors. */
export const hasFixedStep = (solver: Setup['solver']): boolean =>
  solver === 'rk4' || solver === 'euler' || solver === 'implicit-euler';

export const typeById = (project: Project, id: string): PartType | undefined => project.types.find((t) => t.id === id);

export const emptyProject = (id: string, name: string): Project => ({
  format: 'zelvar-project',
  version: 7,
  id,
  name,
  note: '',
  root: '',
  types: [],
  libraries: [],
  items: [],
  requirements: [],
  retired: [],
  glossary: [],
  flows: [],
  traces: [],
  setups: [],
  panels: [],
  tracks: [],
});

export const newType = (id: string, name: string): PartType => ({
  id,
  name,
  note: '',
  quantities: [],
  parts: [],
  ports: [],
  links: [],
  physics: '',
  charts: [],
  procedures: [],
  sequences: [],
  sheets: [],
  layout: [],
});

export const newPart = (id: string, name: string, type: string): Part => ({
  id,
  name,
  type,
  changes: [],
  note: '',
  place: null,
});

export const newQuantity = (id: string, name: string): Quantity => ({
  id,
  name,
  type: 'Real',
  role: 'variable',
  value: '0',
  unit: '',
  min: '',
  max: '',
  note: '',
});

export const newChart = (id: string, name: string): Chart => ({
  id,
  name,
  period: '',
  values: [],
  states: [],
  transitions: [],
});

export const newState = (
  id: string,
  name: string,
  parent: string | null,
  x: number,
  y: number,
  kind: StateKind = 'state',
): ChartState => ({
  id,
  name,
  parent,
  kind,
  initial: false,
  entry: '',
  do: '',
  exit: '',
  defers: '',
  note: '',
  x,
  y,
});

export const newTransition = (id: string, from: string, to: string): Transition => ({
  id,
  from,
  to,
  also: [],
  triggers: [],
  internal: false,
  guard: '',
  effect: '',
});

export const newProcedure = (id: string, name: string): Procedure => ({
  id,
  name,
  note: '',
  main: false,
  values: [],
  result: '',
  lines: [],
});

export const newRelationSheet = (id: string, name: string): RelationSheet => ({
  id,
  name,
  note: '',
  live: true,
  relations: [],
  layout: [],
});

export const newSequence = (id: string, name: string): Sequence => ({ id, name, note: '', lines: [] });

export const newRequirement = (id: string, key: string, text = ''): Requirement => ({
  id,
  key,
  text,
  formula: '',
  note: '',
  kind: 'requirement',
  parent: null,
  attributes: [],
  source: null,
  observation: null,
});

/** Headings and remarks of a sheet require nothing. */
export const isBinding = (r: Requirement): boolean => r.kind !== 'heading' && r.kind !== 'information';

export const newFlow = (id: string, name: string): Flow => ({
  id,
  name,
  actor: '',
  goal: '',
  trigger: '',
  precondition: '',
  postcondition: '',
  lines: [],
});

/** Sizes in which controls are made. */
const controlSizes: Readonly<Record<ControlKind, readonly [number, number]>> = {
  button: [112, 40],
  switch: [144, 40],
  slider: [192, 56],
  field: [160, 56],
  knob: [104, 112],
  readout: [136, 56],
  lamp: [136, 40],
  dial: [136, 112],
  level: [72, 136],
  chart: [232, 112],
  text: [160, 32],
  picture: [216, 176],
  verdict: [152, 56],
};

export const newControl = (
  id: string,
  kind: ControlKind,
  label: string,
  target: string,
  x: number,
  y: number,
): Control => ({
  id,
  kind,
  label,
  target,
  release: '',
  unit: '',
  min: 0,
  max: 1,
  x,
  y,
  width: controlSizes[kind][0],
  height: controlSizes[kind][1],
  shapes: [],
});

export const newShape = (id: string, kind: Shape['kind']): Shape => ({
  id,
  kind,
  x: '40',
  y: '40',
  width: '20',
  height: '20',
  turn: '',
  shown: '',
  tone: 'ink',
  text: kind === 'words' ? 'words' : '',
  sends: '',
});

export const newSetup = (id: string, name: string): Setup => ({
  id,
  name,
  note: '',
  changes: [],
  stimulus: [],
  solver: 'auto',
  relative: 1e-6,
  absolute: 1e-9,
  step: 1e-3,
  stop: 10,
  recordEvery: 1e-3,
  pace: 0,
  panel: '',
  sequences: [],
  root: '',
  startIn: [],
  endWhen: '',
  record: [],
  tracks: [],
  screen: true,
});

/** Children of a state, or the top states of a chart for null. */
/** The states of a chart by what they stand in, in the order of the document. */
export function statesByParent(chart: Chart): Map<string | null, ChartState[]> {
  const inside = new Map<string | null, ChartState[]>();
  for (const s of chart.states) {
    const known = inside.get(s.parent);
    if (known) known.push(s);
    else inside.set(s.parent, [s]);
  }
  return inside;
}

export const childStates = (chart: Chart, parent: string | null): ChartState[] =>
  chart.states.filter((s) => s.parent === parent);
