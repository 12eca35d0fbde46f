import type {
  Change,
  Channel,
  Chart,
  ChartState,
  Control,
  ControlKind,
  Flow,
  Panel,
  Part,
  PartType,
  Procedure,
  Project,
  Quantity,
  RelationSheet,
  Requirement,
  Sequence,
  Setup,
  Shape,
  SignalLine,
  SignalSheet,
  StateKind,
  Study,
  TestCase,
  Transition,
  Vector,
} from './document';
import { projectFormat, projectVersion } from './document';
import { soundNesting } from './nesting';

export type {
  Aim,
  Attribute,
  Change,
  Channel,
  Chart,
  ChartState,
  ChartValue,
  ClassText,
  OwnBoard,
  Control,
  ControlKind,
  EquationMark,
  Flow,
  FlowLine,
  GlossaryEntry,
  Item,
  Link,
  MeasuredColumnMap,
  MeasuredRecording,
  NamedPlace,
  Observation,
  Panel,
  Part,
  PartType,
  Place,
  Port,
  Procedure,
  Project,
  Quantity,
  Relation,
  RelationSheet,
  Requirement,
  RequirementSource,
  RetiredKey,
  Sequence,
  Setup,
  Shape,
  SignalLine,
  SignalSheet,
  StateKind,
  StimulusRow,
  Studied,
  StudiedMessage,
  Study,
  Excuse,
  TestCase,
  TraceLink,
  Track,
  Transition,
  Trigger,
  TriggerKind,
  Vector,
} from './document';

/** In the lists of a port: any message. */
export const anyMessage = '*';
export const carries = (list: readonly string[], message: string): boolean =>
  list.includes(message) || list.includes(anyMessage);
/** Messages that one list gives and another takes, as far as they are named. */
export const inCommon = (sends: readonly string[], accepts: readonly string[]): string[] => [
  ...new Set([...sends.filter((m) => carries(accepts, m)), ...accepts.filter((m) => carries(sends, m))]),
];

/** Solvers that take steps of one length, without control of errors. */
export const hasFixedStep = (solver: Setup['solver']): boolean =>
  solver === 'rk4' || solver === 'euler' || solver === 'implicit-euler';

export const typeById = (project: Project, id: string): PartType | undefined => project.types.find((t) => t.id === id);

export const emptyProject = (id: string, name: string): Project => ({
  format: projectFormat,
  version: projectVersion,
  id,
  name,
  note: '',
  root: '',
  types: [],
  libraries: [],
  boards: [],
  items: [],
  requirements: [],
  retired: [],
  glossary: [],
  flows: [],
  traces: [],
  setups: [],
  studies: [],
  cases: [],
  excuses: [],
  recordings: [],
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
  software: '',
  channels: [],
  ownIncludes: '',
  ownFunctions: '',
  physics: '',
  equations: [],
  charts: [],
  procedures: [],
  sequences: [],
  sheets: [],
  signals: [],
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

export const newChange = (id: string, name: string, value: string): Change => ({ id, name, value });

/** Changed values with one of them given another value; without one, where the value is empty. */
export const withChange = (
  changes: readonly Change[],
  name: string,
  value: string,
  newId: () => string,
): readonly Change[] => {
  if (value.trim() === '') return changes.filter((c) => c.name !== name);
  return changes.some((c) => c.name === name)
    ? changes.map((c) => (c.name === name ? { ...c, value } : c))
    : [...changes, newChange(newId(), name, value)];
};

export const newQuantity = (id: string, name: string): Quantity => ({
  id,
  name,
  type: 'Real',
  role: 'variable',
  value: '0',
  unit: '',
  min: '',
  max: '',
  number: 'usual',
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

export const newSignalSheet = (id: string, name: string): SignalSheet => ({
  id,
  name,
  note: '',
  every: '',
  offset: '',
  method: 'hold',
  lines: [],
});

export const newChannel = (id: string, name: string, kind: Channel['kind']): Channel => ({
  id,
  name,
  kind,
  quantity: '',
  rises: '',
  falls: '',
  low: 0,
  high: 1,
  lowVolts: 0,
  highVolts: 0,
  bits: 10,
  average: 1,
  early: 0,
  frequency: 20_000,
  carrier: 'ramp',
  pair: false,
  blanking: 0,
  smoothing: 0,
  ripple: false,
  counts: 4096,
  pull: 'none',
  inverted: false,
  debounce: 1,
  pins: [],
  otherPins: [],
});

export const newSignalLine = (id: string, text: string): SignalLine => ({ id, text, place: null, size: null });

export const newSequence = (id: string, name: string): Sequence => ({ id, name, note: '', lines: [] });

export const newRequirement = (id: string, key: string, text = ''): Requirement => ({
  id,
  key,
  text,
  formula: '',
  about: '',
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
  loopsWhen: '',
  record: [],
  stages: [],
  wires: [],
  serial: [],
  heard: [],
  tracks: [],
  screen: true,
});

/** A question with the settings it usually has. */
export const newStudy = (id: string, name: string, kind: Study['kind']): Study => ({
  id,
  name,
  note: '',
  kind,
  setup: '',
  values: [],
  correlations: [],
  messages: [],
  aims: [],
  requirement: '',
  runs: kind === 'matters' ? 600 : kind === 'best' || kind === 'breaks' ? 300 : 100,
  seed: 1,
  drawing: 'slices',
  method: 'both',
  recordings: [],
  columns: [],
  holdBack: 0,
  shift: '',
  setups: [],
  kept: [],
  tolerance: kind === 'compare' ? [{ relative: 1e-3, absolute: 0, time: 0 }] : [],
  alignAt: '',
});

export const newCase = (id: string, name: string): TestCase => ({
  id,
  name,
  note: '',
  tags: [],
  setup: '',
  alone: '',
  stop: 0,
  stages: [],
  script: '',
  sequences: [],
  vectors: [],
  rows: [],
});

export const newVector = (id: string, way: Vector['way'], target: string): Vector => ({
  id,
  way,
  target,
  absolute: 0,
  relative: way === 'expect' ? 1e-3 : 0,
  late: 0,
});

/** The setup a study runs: the one it names, or the first. */
export const setupOf = (project: Project, study: { readonly setup: string }): Setup | undefined =>
  study.setup === '' ? project.setups[0] : project.setups.find((s) => s.id === study.setup);

/** Whether a setup runs the product, not a part type in its place. */
export const runsProduct = (project: Project, setup: Setup | undefined): boolean =>
  !setup?.root || setup.root === project.root;

/** The panel a setup opens: the one it names, or the first where it runs the product. */
export const panelOf = (project: Project, setup: Setup | undefined): Panel | undefined =>
  project.panels.find((p) => p.id === setup?.panel) ?? (runsProduct(project, setup) ? project.panels[0] : undefined);

/** The states of a chart by what they stand in, in the order of the document. */
export function statesByParent(chart: Chart): Map<string | null, ChartState[]> {
  const inside = new Map<string | null, ChartState[]>();
  for (const s of soundNesting(chart).chart.states) {
    const known = inside.get(s.parent);
    if (known) known.push(s);
    else inside.set(s.parent, [s]);
  }
  return inside;
}

/** Children of a state, or the top states of a chart for null. */
export const childStates = (chart: Chart, parent: string | null): ChartState[] =>
  soundNesting(chart).chart.states.filter((s) => s.parent === parent);
