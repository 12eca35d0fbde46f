import { applyEdit } from '../core/editing/edits';
import { marksFor } from '../core/project/equations';
import { linkEdit } from '../core/trace/links';
import type {
  Chart,
  ChartState,
  Control,
  ChartValue,
  Item,
  Link,
  Flow,
  FlowLine,
  Part,
  PartType,
  Port,
  Procedure,
  Project,
  Quantity,
  Requirement,
  Sequence,
  Setup,
  Shape,
  SignalSheet,
  StimulusRow,
  Track,
  Transition,
  Trigger,
} from '../core/project/project';
import {
  newChart,
  newControl,
  newFlow,
  newProcedure,
  newRequirement,
  newSequence,
  newSetup,
  newShape,
  newSignalLine,
  newSignalSheet,
  newState,
  newTransition,
} from '../core/project/project';

/** Short forms for writing sample projects; ids are made from names so that files stay readable and comparable. */

export const slug = (text: string): string =>
  text
    .replace(/[^A-Za-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .toLowerCase();

type QuantityRow = readonly [name: string, value: string, unit: string, note: string, more?: Partial<Quantity>];

const quantities =
  (role: Quantity['role']) =>
  (...rows: readonly QuantityRow[]): Quantity[] =>
    rows.map(([name, value, unit, note, more]) => ({
      id: `q-${name}`,
      name,
      type: 'Real',
      role,
      value,
      unit,
      min: '',
      max: '',
      number: 'usual',
      note,
      ...more,
    }));
export const parameters = quantities('parameter');
export const variables = quantities('variable');
export const inputs = quantities('input');
export const outputs = quantities('output');

type Values = Readonly<Record<string, string>>;
/** Changed values by name. */
export const changed = (values: Values): Part['changes'] =>
  Object.entries(values).map(([name, value]) => ({ id: `c-${slug(name)}`, name, value }));

export const part = (name: string, type: string, note = '', changes: Values = {}): Part => ({
  id: `p-${name}`,
  name,
  type: `t-${slug(type)}`,
  changes: changed(changes),
  note,
  place: null,
});
export const link = (from: string, to: string, item: string): Link => ({
  id: `l-${slug(`${from}-${to}`)}`,
  from,
  to,
  carries: `i-${slug(item)}`,
});

/** Items by name; what has a unit is followed by it. */
export const items = (units: Readonly<Record<string, string>>): Item[] =>
  Object.entries(units).map(([name, unit]) => ({ id: `i-${slug(name)}`, name, unit, note: '' }));
export const port = (name: string, way: 'in' | 'out', messages: readonly string[], note = ''): Port => ({
  id: `o-${name}`,
  name,
  accepts: way === 'in' ? messages : [],
  sends: way === 'out' ? messages : [],
  note,
});

export const partType = (name: string, note: string, more: Partial<PartType>): PartType => ({
  id: `t-${slug(name)}`,
  name,
  note,
  quantities: [],
  parts: [],
  ports: [],
  links: [],
  software: '',
  channels: [],
  ownIncludes: '',
  ownFunctions: '',
  physics: '',
  equations: marksFor(more.physics ?? '', []),
  charts: [],
  procedures: [],
  sequences: [],
  sheets: [],
  signals: [],
  layout: [],
  ...more,
});

type StateRow = readonly [
  name: string,
  x: number,
  y: number,
  more?: Partial<Omit<ChartState, 'parent'>> & { readonly parent?: string },
];
type TransitionRow = readonly [from: string, to: string, trigger: string, more?: Partial<Transition>];

/** A trigger is written as `start(level)`, `after 0.1 's'`, `when x > 1`, `rises x > 1`, `done`; several stand in lines, none is at once. */
const triggersOf = (text: string): Trigger[] =>
  text
    .split('\n')
    .filter((line) => line.trim() !== '')
    .map((line): Trigger => {
      const match = /^(after|at|every|when|rises|changes|done)\b ?(.*)$/s.exec(line.trim());
      return match ? { kind: match[1] as Trigger['kind'], on: match[2] } : { kind: 'message', on: line.trim() };
    });

export function chart(
  name: string,
  states: readonly StateRow[],
  transitions: readonly TransitionRow[],
  more: Partial<Chart> = {},
): Chart {
  const stateId = (state: string): string => `s-${slug(state)}`;
  return {
    ...newChart(`c-${slug(name)}`, name),
    states: states.map(([state, x, y, own], k) => ({
      ...newState(stateId(state), state, own?.parent ? stateId(own.parent) : null, x, y),
      initial: k === 0,
      ...own,
      id: stateId(state),
      parent: own?.parent ? stateId(own.parent) : null,
    })),
    transitions: transitions.map(([from, to, trigger, own], k) => ({
      ...newTransition(`x-${k + 1}`, stateId(from), to === '' ? '' : stateId(to)),
      triggers: triggersOf(trigger),
      ...own,
    })),
    ...more,
  };
}

const rows = (text: string): FlowLine[] =>
  text
    .split('\n')
    .filter((l) => l.trim() !== '')
    .map((l, k) => ({ id: `z-${k + 1}`, depth: /^ */.exec(l)![0].length / 2, text: l.trim() }));
export const procedure = (name: string, note: string, text: string, more: Partial<Procedure> = {}): Procedure => ({
  ...newProcedure(`d-${slug(name)}`, name),
  note,
  lines: rows(text),
  ...more,
});
export const sequence = (name: string, note: string, text: string): Sequence => ({
  ...newSequence(`q-${slug(name)}`, name),
  note,
  lines: rows(text),
});
export const own = (name: string, type: ChartValue['type'], value: string, unit = ''): ChartValue => ({
  id: `v-${slug(name)}`,
  name,
  type,
  value,
  unit,
});

export const stimulus = (
  ...rows: readonly (readonly [time: number, kind: StimulusRow['kind'], target: string, value?: string])[]
): StimulusRow[] =>
  rows.map(([time, kind, target, value], k) => ({ id: `i-${k + 1}`, time, kind, target, value: value ?? '' }));
export const setup = (name: string, note: string, more: Partial<Setup>): Setup => ({
  ...newSetup(`u-${slug(name)}`, name),
  note,
  ...more,
});
export const control = (
  kind: Control['kind'],
  label: string,
  target: string,
  more: Partial<Control> = {},
): Control => ({ ...newControl(`n-${slug(label)}`, kind, label, target, 0, 0), ...more });
export const shape = (id: string, kind: Shape['kind'], more: Partial<Shape>): Shape => ({
  ...newShape(id, kind),
  ...more,
});
export const tracks = (...rows: readonly (readonly [height: number, ...items: string[]])[]): Track[] =>
  rows.map(([height, ...items], k) => ({ id: `k-${k + 1}`, items, height }));
/** A requirement of the capper's sheet; its row follows from its number. */
/** A requirement written here rather than imported. */
export const need = (key: string, text: string, formula = ''): Requirement => ({
  ...newRequirement(`r-${slug(key)}`, key, text),
  formula,
});
export const requirement = (
  key: string,
  text: string,
  verification: string,
  more: Partial<Requirement> = {},
): Requirement => {
  const row = Number(/\d+$/.exec(key)![0]) + 1;
  return {
    ...newRequirement(`r-${slug(key)}`, key, text),
    attributes: [{ name: 'Verification', value: verification }],
    source: { file: 'capper-sheet.csv', sheet: 'capper-sheet.csv', row, cell: `B${row}`, foreign: '' },
    ...more,
  };
};

/** A flow from its lines, two spaces for every step to the right. */
export const flow = (name: string, more: Partial<Flow>, text: string): Flow => ({
  ...newFlow(`f-${slug(name)}`, name),
  ...more,
  lines: rows(text),
});

/** Trace links from requirements (by number) to addresses, as confirmed. */
export function traces(project: Project, rows: readonly (readonly [keys: string, ...addresses: string[]])[]): Project {
  let made = project;
  let count = 0;
  for (const [keys, ...addresses] of rows) {
    const ids = keys.split(' ').map((k) => made.requirements.find((r) => r.key === k)!.id);
    const edit = linkEdit(made, ids, addresses, () => `v-${++count}`);
    if (edit) made = applyEdit(made, edit).project;
  }
  return made;
}
export const phrase = (words: string, meaning: string): Project['glossary'][number] => ({
  id: `g-${slug(words)}`,
  phrase: words,
  meaning,
});

/** A signal sheet: where cards stand, and their lines. */
export const signalSheet = (
  name: string,
  lines: readonly (readonly [x: number, y: number, text: string])[],
  more: Partial<SignalSheet> = {},
): SignalSheet => ({
  ...newSignalSheet(`g-${slug(name)}`, name),
  ...more,
  lines: lines.map(([x, y, text], k) => ({
    ...newSignalLine(`z-${slug(name)}-${/^\w+/.exec(text)?.[0].toLowerCase() ?? `note-${k + 1}`}`, text),
    place: { x, y },
  })),
});
