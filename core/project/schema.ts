import * as yup from 'yup';
import { keywords } from '../language/lexer';
import { parseUnit } from '../language/units';
import type {
  ChartValue,
  ControlKind,
  Observation,
  Quantity,
  Setup,
  Shape,
  StateKind,
  StimulusRow,
  TriggerKind,
} from './project';

/** The shape of the project file, checked with Yup; the messages are for the person who edits or opens one. */

const text = (limit = 20_000): yup.StringSchema<string> =>
  yup.string().strict().max(limit, `At most ${limit} characters`).defined();
const id = text(64)
  .required('An id is missing')
  .matches(/^[A-Za-z0-9_-]+$/, 'An id has letters, digits, - and _ only');

export const namePattern = /^[\p{L}_][\p{L}\p{N}_]*$/u;
const reserved = new Set([...keywords, 'time', 'send', 'to']);

/** A name of the language: usable in formulas. */
export const nameSchema = text(80)
  .required('A name is needed')
  .matches(namePattern, 'A name starts with a letter and has letters, digits and _ only')
  .test('reserved', 'This word has a meaning of its own in formulas', (value) => !reserved.has(value ?? ''));

export const unitSchema = text(80).test('unit', 'Not a known unit', function (value) {
  const unit = parseUnit(value ?? '');
  return typeof unit === 'string' ? this.createError({ message: unit[0].toUpperCase() + unit.slice(1) }) : true;
});

const finite = yup
  .number()
  .strict()
  .defined()
  .test('finite', 'A number is needed', (value) => Number.isFinite(value));
const positive = finite.moreThan(0, 'This must be more than 0');
const list = <S extends yup.AnyObjectSchema>(item: S, limit = 20_000) =>
  yup.array(item).strict().max(limit, `At most ${limit} entries`).defined();

export const quantitySchema = yup.object({
  id,
  name: nameSchema,
  type: yup.mixed<Quantity['type']>().oneOf(['Real', 'Integer', 'Boolean']).defined(),
  role: yup.mixed<Quantity['role']>().oneOf(['constant', 'parameter', 'variable', 'input', 'output']).defined(),
  value: text(),
  unit: unitSchema,
  min: text(400),
  max: text(400),
  note: text(),
});
const changeSchema = yup.object({ name: text(400).required('What is changed?'), value: text() });
export const partSchema = yup.object({
  id,
  name: nameSchema,
  type: id,
  changes: list(changeSchema),
  note: text(),
  place: yup.object({ x: finite, y: finite }).nullable().defined(),
});
const messagesSchema = yup
  .array(
    text(80).test(
      'message',
      'A message is a name, or * for any',
      (value) => value === '*' || nameSchema.isValidSync(value),
    ),
  )
  .strict()
  .defined();
export const portSchema = yup.object({
  id,
  name: nameSchema,
  accepts: messagesSchema,
  sends: messagesSchema,
  note: text(),
});
export const linkSchema = yup.object({
  id,
  from: text(400).required('Where does the link start?'),
  to: text(400).required('Where does the link end?'),
  carries: text(64),
});
export const itemSchema = yup.object({
  id,
  name: text(200).required('A name is needed'),
  unit: unitSchema,
  note: text(),
});
const stateKinds: readonly StateKind[] = [
  'state',
  'parallel',
  'final',
  'history',
  'deepHistory',
  'choice',
  'junction',
  'start',
];
export const triggerKinds: readonly TriggerKind[] = [
  'message',
  'after',
  'at',
  'every',
  'when',
  'rises',
  'changes',
  'done',
];
export const stateSchema = yup.object({
  id,
  name: nameSchema,
  parent: id.nullable(),
  kind: yup.mixed<StateKind>().oneOf(stateKinds).defined(),
  initial: yup.boolean().strict().defined(),
  entry: text(),
  do: text(),
  exit: text(),
  defers: text(2000),
  note: text(),
  x: finite,
  y: finite,
});
const triggerSchema = yup.object({ kind: yup.mixed<TriggerKind>().oneOf(triggerKinds).defined(), on: text() });
export const transitionSchema = yup.object({
  id,
  from: id,
  to: text(64),
  also: yup.array(id).strict().max(200).defined(),
  triggers: yup.array(triggerSchema).strict().max(200).defined(),
  internal: yup.boolean().strict().defined(),
  guard: text(),
  effect: text(),
});
export const chartValueSchema = yup.object({
  id,
  name: nameSchema,
  type: yup.mixed<ChartValue['type']>().oneOf(['Real', 'Integer', 'Boolean']).defined(),
  value: text(),
  unit: unitSchema,
});
export const chartSchema = yup.object({
  id,
  name: nameSchema,
  period: text(400),
  values: list(chartValueSchema),
  states: list(stateSchema),
  transitions: list(transitionSchema),
});
const lineSchema = yup.object({ id, depth: finite.min(0).max(40), text: text(2000) });
export const procedureSchema = yup.object({
  id,
  name: nameSchema,
  note: text(),
  main: yup.boolean().strict().defined(),
  values: list(chartValueSchema),
  result: text(80),
  lines: list(lineSchema),
});
export const sequenceSchema = yup.object({
  id,
  name: text(200).required('A name is needed'),
  note: text(),
  lines: list(lineSchema),
});
export const relationSchema = yup.object({ id, text: text(2000), note: text() });
const namedPlaceSchema = yup.object({ name: text(400), x: finite, y: finite });
export const sheetSchema = yup.object({
  id,
  name: text(200).required('A name is needed'),
  note: text(),
  live: yup.boolean().strict().defined(),
  relations: list(relationSchema),
  layout: list(namedPlaceSchema),
});
export const classTextSchema = yup.object({
  id,
  name: text(200).required('A name is needed'),
  note: text(),
  text: text(5_000_000),
});
export const typeSchema = yup.object({
  id,
  name: nameSchema,
  note: text(),
  quantities: list(quantitySchema),
  parts: list(partSchema),
  ports: list(portSchema),
  links: list(linkSchema),
  physics: text(2_000_000),
  charts: list(chartSchema),
  procedures: list(procedureSchema),
  sequences: list(sequenceSchema),
  sheets: list(sheetSchema),
  layout: list(namedPlaceSchema),
});
const key = text(80).required('An id is needed');
const sourceSchema = yup.object({
  file: text(400),
  sheet: text(400),
  row: finite.min(0),
  cell: text(20),
  foreign: text(400),
});
const observationSchema = yup.object({
  verdict: yup.mixed<Observation['verdict']>().oneOf(['holds', 'fails']).defined(),
  by: text(200).required('Who saw it?'),
  on: text(40).matches(/^\d{4}-\d\d-\d\d$/, 'A day such as 2026-11-23'),
  note: text(),
  text: text(),
});
export const requirementSchema = yup.object({
  id,
  key,
  text: text(),
  formula: text(),
  note: text(),
  kind: text(80),
  parent: id.nullable(),
  attributes: yup
    .array(yup.object({ name: text(200), value: text() }))
    .strict()
    .max(200)
    .defined(),
  source: sourceSchema.nullable().defined(),
  observation: observationSchema.nullable().defined(),
});
export const traceSchema = yup.object({
  id,
  requirement: id,
  element: text(4000).required('What does the link lead to?'),
  requirementSeen: text(40),
  elementSeen: text(40),
});
export const flowLineSchema = lineSchema;
export const flowSchema = yup.object({
  id,
  name: text(200).required('A name is needed'),
  actor: text(200),
  goal: text(),
  trigger: text(),
  precondition: text(),
  postcondition: text(),
  lines: list(flowLineSchema),
});
export const glossarySchema = yup.object({
  id,
  phrase: text(200).required('A phrase is needed'),
  meaning: text(400).required('What does it stand for?'),
});
const stimulusSchema = yup.object({
  id,
  time: finite.min(0, 'A time of 0 s or later'),
  kind: yup.mixed<StimulusRow['kind']>().oneOf(['set', 'send', 'follow']).defined(),
  target: text(400).required('What is set or sent?'),
  value: text(20_000),
});
export const setupSchema = yup.object({
  id,
  name: text(120).required('A name is needed'),
  note: text(),
  changes: list(changeSchema),
  stimulus: list(stimulusSchema),
  solver: yup
    .mixed<Setup['solver']>()
    .oneOf(['auto', 'dopri5', 'implicit', 'rk4', 'euler', 'implicit-euler'])
    .defined(),
  relative: positive,
  absolute: positive,
  step: positive,
  stop: positive,
  recordEvery: positive,
  pace: finite.min(0),
  panel: text(64),
  sequences: yup.array(id).strict().max(200).defined(),
  root: text(64),
  startIn: yup.array(text(400)).strict().max(200).defined(),
  endWhen: text(2000),
  record: yup.array(text(400)).strict().max(2000).defined(),
  tracks: yup.array(id).strict().max(2000).defined(),
  screen: yup.boolean().strict().defined(),
});
const shapeSchema = yup.object({
  id,
  kind: yup.mixed<Shape['kind']>().oneOf(['box', 'disc', 'line', 'words']).defined(),
  x: text(400),
  y: text(400),
  width: text(400),
  height: text(400),
  turn: text(400),
  shown: text(400),
  tone: yup.mixed<Shape['tone']>().oneOf(['ink', 'pale', 'accent', 'now', 'good', 'bad']).defined(),
  text: text(400),
  sends: text(400),
});
export const controlKinds: readonly ControlKind[] = [
  'button',
  'switch',
  'slider',
  'field',
  'knob',
  'readout',
  'lamp',
  'dial',
  'level',
  'chart',
  'text',
  'picture',
  'verdict',
];
const controlSchema = yup.object({
  id,
  kind: yup.mixed<ControlKind>().oneOf(controlKinds).defined(),
  label: text(120),
  target: text(400),
  release: text(400),
  unit: unitSchema,
  min: finite,
  max: finite,
  x: finite,
  y: finite,
  width: positive,
  height: positive,
  shapes: list(shapeSchema, 400),
});
export const panelSchema = yup.object({
  id,
  name: text(120).required('A name is needed'),
  controls: list(controlSchema),
});
export const trackSchema = yup.object({ id, items: yup.array(text(400)).strict().defined(), height: positive });

export const projectFormat = 'zelvar-project';
export const projectVersion = 7;

export const projectSchema = yup.object({
  format: yup.mixed<typeof projectFormat>().oneOf([projectFormat]).defined(),
  version: yup.mixed<7>().oneOf([projectVersion]).defined(),
  id,
  name: text(200).required('A project needs a name'),
  note: text(),
  root: text(64),
  types: list(typeSchema),
  libraries: list(classTextSchema, 2000),
  items: list(itemSchema),
  requirements: list(requirementSchema, 200_000),
  retired: yup.array(yup.object({ id, key })).strict().max(400_000).defined(),
  glossary: list(glossarySchema),
  flows: list(flowSchema),
  traces: list(traceSchema, 200_000),
  setups: list(setupSchema),
  panels: list(panelSchema),
  tracks: list(trackSchema),
});

/** The schema of the entries of each list of the document. */
export const entrySchemas = {
  types: typeSchema,
  quantities: quantitySchema,
  parts: partSchema,
  ports: portSchema,
  links: linkSchema,
  items: itemSchema,
  charts: chartSchema,
  procedures: procedureSchema,
  sequences: sequenceSchema,
  sheets: sheetSchema,
  relations: relationSchema,
  libraries: classTextSchema,
  values: chartValueSchema,
  states: stateSchema,
  transitions: transitionSchema,
  requirements: requirementSchema,
  traces: traceSchema,
  flows: flowSchema,
  lines: flowLineSchema,
  glossary: glossarySchema,
  setups: setupSchema,
  stimulus: stimulusSchema,
  panels: panelSchema,
  controls: controlSchema,
  shapes: shapeSchema,
  tracks: trackSchema,
} as const;
export type ListName = keyof typeof entrySchemas;
