import { applyEdit } from '../editing/edits';
import { documentTexts } from '../project/texts';
import {
  emptyProject,
  newQuantity,
  newRequirement,
  newSetup,
  newType,
  type Project,
  type Requirement,
} from '../project/project';
import { createRunner } from '../studies/runner';
import { impactOf } from '../trace/impact';
import { checkProduct } from './prepare';
import { createRun, isRunnable, prepareRun } from '.';

/** Requirements about something that a setup runs in place of the product. */

const project = (about: Partial<Requirement> = {}, roots: readonly string[] = ['', 'rig']): Project => ({
  ...emptyProject('p', 'P'),
  root: 'tank',
  types: [
    {
      ...newType('tank', 'Tank'),
      quantities: [{ ...newQuantity('q-x', 'x'), value: '1' }],
      physics: 'equation\n  der(x) = -x;',
    },
    {
      ...newType('rig', 'Rig'),
      quantities: [{ ...newQuantity('q-y', 'y'), value: '1' }],
      physics: 'equation\n  der(y) = -2*y;',
    },
  ],
  requirements: [
    { ...newRequirement('r1', 'R-1'), formula: 'atEnd(x <= 0.5)' },
    { ...newRequirement('r2', 'R-2'), formula: 'atEnd(y <= 0.5)', about: 'rig', ...about },
  ],
  setups: roots.map((root, k) => ({ ...newSetup(`s${k}`, `S${k}`), stop: 1, root })),
});
const findings = (p: Project, k: number) => {
  const prepared = prepareRun(p, p.setups[k]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((x) => x.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  return run.findings().map((f) => [f.key, f.verdict, f.margin]);
};
const told = (p: Project) => checkProduct(p).problems.map((x) => [x.severity, x.place, x.message]);

test('each run judges those about what it runs', () => {
  expect(told(project())).toEqual([]);
  expect(findings(project(), 0)).toEqual([['R-1', 'holds', expect.closeTo(0.5 - Math.exp(-1), 5)]]);
  expect(findings(project(), 1)).toEqual([['R-2', 'holds', expect.closeTo(0.5 - Math.exp(-2), 5)]]);
  // the product by its own id is the product
  expect(findings(project({ about: 'tank', formula: 'atEnd(x >= 1)' }), 0).map(([key]) => key)).toEqual(['R-1', 'R-2']);
});

test('what is wrong with one is told at its place', () => {
  expect(told(project({ about: '' }))).toEqual([
    ['error', 'requirement/r2/formula', expect.stringContaining('y is not')],
  ]);
  expect(told(project({ formula: 'atEnd(x <= 0.5)' }))).toEqual([
    ['error', 'requirement/r2/formula', expect.stringMatching(/x is not .* Rig/)],
  ]);
  expect(told(project({ about: 'gone' }))).toEqual([
    ['error', 'requirement/r2/about', 'What this requirement is about is no longer there'],
  ]);
  expect(told(project({}, ['']))).toEqual([['info', 'requirement/r2/about', 'No setup runs Rig: it is never judged']]);
});

test('constants of what it is about decide it, whether a setup runs that or not', () => {
  const rig = project({ formula: 'limit <= 2' }, ['']);
  const p: Project = {
    ...rig,
    types: rig.types.map((t) =>
      t.id === 'rig'
        ? { ...t, quantities: [...t.quantities, { ...newQuantity('q-l', 'limit'), role: 'parameter', value: '1.5' }] }
        : t,
    ),
  };
  const { problems, constants } = checkProduct(p);
  expect(problems).toEqual([]);
  expect(constants.map((f) => [f.key, f.verdict, f.margin])).toEqual([['R-2', 'holds', 0.5]]);
});

test('what it mentions is what there is in what it is about', () => {
  const affected = (of: string) =>
    impactOf(project({ formula: 'atEnd(y <= 0.5)' }), of).downstream.flatMap((n) =>
      n.element.address.startsWith('requirement/') ? [n.element.address] : [],
    );
  expect(affected('type/rig/quantity/q-y')).toEqual(['requirement/r2']);
  // the same name in the product is another quantity
  const p = project();
  const both: Project = { ...p, requirements: p.requirements.map((r) => ({ ...r, formula: 'atEnd(x <= 0.5)' })) };
  const x: Project = {
    ...both,
    types: both.types.map((t) => ({
      ...t,
      quantities: [{ ...newQuantity('q-x', 'x'), value: '1' }],
      physics: 'equation\n  der(x) = -x;',
    })),
  };
  expect(
    impactOf(x, 'type/tank/quantity/q-x').downstream.flatMap((n) =>
      n.element.address.startsWith('requirement/') ? [n.element.address] : [],
    ),
  ).toEqual(['requirement/r1']);
  expect(
    impactOf(x, 'type/rig/quantity/q-x').downstream.flatMap((n) =>
      n.element.address.startsWith('requirement/') ? [n.element.address] : [],
    ),
  ).toEqual(['requirement/r2']);
});

test('its names follow those of what it is about', () => {
  const formulas = documentTexts(project()).filter((t) => t.place.startsWith('requirement/'));
  expect(formulas.map((t) => [t.scope, t.text])).toEqual([
    ['tank', 'atEnd(x <= 0.5)'],
    ['rig', 'atEnd(y <= 0.5)'],
  ]);
  const { project: after } = applyEdit(project(), {
    kind: 'rename',
    list: 'type/rig/quantity',
    id: 'q-y',
    name: 'level',
  });
  expect(after.requirements.map((r) => r.formula)).toEqual(['atEnd(x <= 0.5)', 'atEnd(level <= 0.5)']);
});

test('studies of a setup have the requirements about what it runs', () => {
  const p = project();
  const of = (k: number, aims: readonly string[]) =>
    createRunner({ project: p, setup: p.setups[k], over: [], aims }).value!.requirements.map((r) => r.key);
  for (const aims of [[], ['time']]) {
    expect(of(0, aims)).toEqual(['R-1']);
    expect(of(1, aims)).toEqual(['R-2']);
  }
});
