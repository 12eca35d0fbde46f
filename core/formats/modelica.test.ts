import { heatedBlock } from '../../samples/heated-block';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { FlatModel } from '../flatten/flat-model';
import { libraryOfFile, type ClassLibrary } from '../flatten/library';
import { parseFile } from '../language/parse';
import { emptyProject, type Project } from '../project/project';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { exportModelica } from './modelica-export';
import { importModelica } from './modelica-import';

const makeId = (): (() => string) => {
  let k = 0;
  return () => `i${++k}`;
};
const projectOf = (text: string): Project => {
  const read = importModelica(text, 'models.mo', makeId());
  return {
    ...emptyProject('p', 'P'),
    root: read.root,
    types: read.types,
    libraries: read.library ? [read.library] : [],
    setups: read.setups,
  };
};

/** What a model comes to: its variables with what is known of them, and its equations, in an order of their own. */
const essence = (library: ClassLibrary, name: string): unknown => {
  const { model } = flatten(library, name);
  const nameOf =
    (m: FlatModel) =>
    (key: string, value: unknown): unknown =>
      // where it is written differs, what it means does not
      key === 'from'
        ? undefined
        : typeof value === 'object' && value !== null && 'index' in value && 'op' in value
          ? `${(value as { op: string }).op} ${m.variables[(value as unknown as { index: number }).index].name}`
          : value;
  return {
    problems: model.problems.filter((p) => p.severity === 'error' && !p.code.startsWith('unit')).map((p) => p.message),
    variables: model.variables
      .filter((v) => !v.hidden)
      .map((v) => JSON.stringify([v.name, v.type, v.kind, v.unit, v.start, v.min, v.max, v.binding], nameOf(model)))
      .sort(),
    equations: model.equations.map((e) => JSON.stringify([e.left, e.right], nameOf(model))).sort(),
  };
};
const ofFile = (text: string, name: string): unknown => essence(libraryOfFile(parseFile(text).value, 'file'), name);

const texts: readonly (readonly [name: string, text: string])[] = [
  [
    'Decay',
    'model Decay "one state" parameter Real k(unit = "1/s", min = 0) = 2 "rate"; Real x(start = 1, unit = "m"); output Real y; equation der(x) = -k*x; /* what is seen */ y = 2*x; annotation(experiment(StopTime = 3, Tolerance = 1e-8)); end Decay;',
  ],
  [
    'Rig',
    `within ;
connector Pin Real v; flow Real i; end Pin;
partial model TwoPin Pin p, n; Real v; equation v = p.v - n.v; p.i + n.i = 0; end TwoPin;
model R "resistor" extends TwoPin; parameter Real R = 1; equation v = R*p.i; end R;
model Source extends TwoPin; parameter Real V = 1; equation v = V; end Source;
function half input Real x; output Real y; algorithm y := x/2; end half;
model Rig
  // two of them
  R a(R = 3), b[2](each R = 4);
  Source s(V = half(24));
  Pin open;
equation
  connect(s.p, a.p); connect(a.n, b[1].p); // in a row
  for i in 1:1 loop connect(b[i].n, b[i + 1].p); end for;
  connect(b[2].n, s.n);
  s.n.v = 0;
end Rig;`,
  ],
  [
    'Bounce',
    'model Bounce Real h(start = 1, fixed = true); Real v; parameter Boolean lively = true; equation der(h) = v; der(v) = -9.81; when h < 0 then reinit(v, -0.8*pre(v)); end when; end Bounce;',
  ],
  [
    'Units',
    'model Units input Modelica.Units.SI.Voltage u(start = 5); Modelica.Units.SI.Current i; parameter Modelica.Units.SI.Resistance R(min = 0) = 10 "of the wire"; initial equation i = 0; equation 1e-3*der(i) = u - R*i; end Units;',
  ],
];

test.each(texts)('%s means the same as a project as in its file, and written back', (name, text) => {
  const wanted = ofFile(text, name);
  const project = projectOf(text);
  expect(essence(projectLibrary(project).library, name)).toEqual(wanted);
  const back = exportModelica(project);
  expect(parseFile(back.text).problems).toEqual([]);
  expect(ofFile(back.text, name)).toEqual(wanted);
  // and once more, to the same part types
  const again = projectOf(back.text);
  expect(
    again.types.map((t) => [t.name, t.note, t.physics, t.quantities.map((q) => [q.name, q.role, q.value, q.unit])]),
  ).toEqual(
    project.types.map((t) => [t.name, t.note, t.physics, t.quantities.map((q) => [q.name, q.role, q.value, q.unit])]),
  );
});

test('plain quantities stand in the table, comments stay in the text, the experiment becomes a setup', () => {
  const project = projectOf(texts[0][1]);
  const [type] = project.types;
  expect(type).toMatchObject({ name: 'Decay', note: 'one state' });
  expect(type.quantities.map((q) => [q.name, q.role, q.value, q.unit, q.min, q.note])).toEqual([
    ['k', 'parameter', '2', '1/s', '0', 'rate'],
    ['x', 'variable', '1', 'm', '', ''],
    ['y', 'output', '', '', '', ''],
  ]);
  expect(type.physics).toContain('/* what is seen */');
  expect(project.setups[0]).toMatchObject({ name: 'Decay', stop: 3, relative: 1e-8, root: type.id });
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join());
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  expect(
    run.recorder
      .takeNew()
      .columns.find((c) => c.name === 'x')!
      .values.at(-1),
  ).toBeCloseTo(Math.exp(-6), 6);
});

test('models of a package that say how to be run become part types; what cannot be read is told with its place', () => {
  const text =
    'package P model A Real x; equation x = time; annotation(experiment(StopTime = 2)); end A; model B Real y; equation y = 1; end B; end P;';
  const project = projectOf(text);
  expect(project.types.map((t) => [t.name, t.physics])).toEqual([['A', 'extends P.A;\n']]);
  expect(flatten(projectLibrary(project).library, 'A').model.indexOf.has('x')).toBe(true);
  const broken = importModelica('model A Real x; equation x = ; end A;', 'a.mo', makeId());
  expect(broken.problems[0]).toMatchObject({ severity: 'error', span: { start: 29 } });
});

test('a project of parts, links and texts is written so that it reads back to the same model', () => {
  const name = heatedBlock.types[0].name;
  const wanted = essence(projectLibrary(heatedBlock).library, name);
  expect(ofFile(exportModelica(heatedBlock).text, name)).toEqual(wanted);
});
