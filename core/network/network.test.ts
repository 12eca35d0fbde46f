import fc from 'fast-check';
import { projectLibrary } from '../flatten/from-project';
import { findClass } from '../flatten/library';
import { parsePhysicsText } from '../language/parse';
import { emptyProject, newPart, newQuantity, newType, type PartType, type Project } from '../project/project';
import { catalogue, searchCatalogue } from './catalogue';
import { endsOf, settingsOf } from './class-parts';
import { changeValue, declarePart, eraseConnect, erasePart, valueIn, writeConnect } from './edit-physics';
import { physicalConflict, readNetwork } from './read-network';

const text = `// the circuit
Electrical.VoltageSource s(V = 12); // a battery
Electrical.Resistor R1(R = 2), R2(R = 3);
Electrical.Ground g;
/* how it is linked */
equation
  connect(s.p, R1.p); // the long wire
  connect(R1.n, R2.p);
  connect(R2.n, s.n);

  connect(s.n, g.p);
`;
const project = (physics: string, more: Partial<PartType> = {}): Project => ({
  ...emptyProject('p', 'P'),
  root: 't',
  types: [{ ...newType('t', 'Circuit'), physics, ...more }],
});
const network = (p: Project) => readNetwork(projectLibrary(p).library, p.types[0]);

test('parts and links of the text are read with their ports and what they exchange', () => {
  const n = network(project(text));
  expect(n.parts.map((p) => [p.name, p.typeName, p.changes])).toEqual([
    ['s', 'Electrical.VoltageSource', 'V = 12'],
    ['R1', 'Electrical.Resistor', 'R = 2'],
    ['R2', 'Electrical.Resistor', 'R = 3'],
    ['g', 'Electrical.Ground', ''],
  ]);
  expect(n.parts[1].ends).toMatchObject([
    { name: 'p', kind: 'physical', domain: 'Electrical.Pin', carries: 'v, i' },
    { name: 'n' },
  ]);
  expect(n.parts[1].says).toBe('v = R i');
  expect(n.links.map((l) => [l.a, l.b, l.kind])).toEqual([
    ['s.p', 'R1.p', 'physical'],
    ['R1.n', 'R2.p', 'physical'],
    ['R2.n', 's.n', 'physical'],
    ['s.n', 'g.p', 'physical'],
  ]);
});

test('parts of the document and of the text stand side by side; signals and messages are told apart', () => {
  const heater: PartType = {
    ...newType('h', 'Heater'),
    quantities: [{ ...newQuantity('u', 'u'), role: 'input', unit: 'V' }],
    ports: [{ id: 'o', name: 'out', accepts: [], sends: ['hot'], note: '' }],
    physics: 'Thermal.Port port;\nequation\n  port.Q = -u;',
  };
  const p = project('Thermal.Capacity c(C = 5);\nequation\n  connect(h.port, c.port);', {
    parts: [newPart('x', 'h', 'h')],
    quantities: [{ ...newQuantity('q', 'drive'), role: 'input', unit: 'V' }],
    links: [{ id: 'l', from: 'drive', to: 'h.u', carries: '' }],
  });
  const n = network({ ...p, types: [...p.types, heater] });
  expect(n.parts.map((x) => [x.name, x.part?.id, x.ends.map((e) => `${e.name} ${e.kind}`).join('; ')])).toEqual([
    ['h', 'x', 'u signal; port physical; out message'],
    ['c', undefined, 'port physical'],
  ]);
  expect(n.border).toMatchObject([{ name: 'drive', kind: 'signal', gives: false, carries: 'V' }]);
  expect(n.links.map((l) => [l.a, l.b, l.kind])).toEqual([
    ['drive', 'h.u', 'signal'],
    ['h.port', 'c.port', 'physical'],
  ]);
  expect(physicalConflict(n, 'h.port', 'c.port')).toMatch(/already/);
});

test('only ports of one kind fit together', () => {
  const n = network(project(`${text}\n`.replace('Electrical.Ground g;', 'Electrical.Ground g; Rotational.Inertia J;')));
  expect(physicalConflict(n, 'R1.n', 'J.a')).toMatch(/Electrical.Pin .*Rotational.Flange/);
  expect(physicalConflict(n, 'R1.p', 'g.p')).toBeUndefined();
});

test('what is added stands where its like stands, and comes out again without a trace', () => {
  const more = declarePart(text, 'Electrical.Capacitor', 'C', 'C = 1e-3');
  expect(more).toBe(text.replace('Ground g;', 'Ground g;\nElectrical.Capacitor C(C = 1e-3);'));
  expect(erasePart(more, 'C')).toBe(text);
  const linked = writeConnect(text, 'R1.n', 'g.p');
  expect(linked).toContain('  connect(s.n, g.p);\n  connect(R1.n, g.p);\n');
  expect(eraseConnect(linked, 'R1.n', 'g.p')).toBe(text);
  expect(erasePart(text, 'R1')).toBe(
    text
      .replace('R1(R = 2), ', '')
      .replace('  connect(s.p, R1.p); // the long wire\n', '  // the long wire\n')
      .replace('  connect(R1.n, R2.p);\n', ''),
  );
});

test('a text without declarations or sections gets them', () => {
  expect(declarePart('// note\nx = 1;', 'Rotational.Inertia', 'J')).toBe(
    'Rotational.Inertia J;\nequation\n// note\nx = 1;',
  );
  expect(declarePart('', 'Rotational.Inertia', 'J')).toBe('Rotational.Inertia J;\n');
  expect(writeConnect('Rotational.Inertia J, K;\n', 'J.b', 'K.a')).toBe(
    'Rotational.Inertia J, K;\nequation\n  connect(J.b, K.a);\n',
  );
  expect(writeConnect('Rotational.Inertia J, K;\ninitial equation\n  J.w = 1;', 'J.b', 'K.a')).toBe(
    'Rotational.Inertia J, K;\ninitial equation\n  J.w = 1;\nequation\n  connect(J.b, K.a);\n',
  );
});

test('values are changed, added and taken back where the part is declared', () => {
  expect(changeValue(text, 'R2', 'R', '4.7')).toBe(text.replace('R2(R = 3)', 'R2(R = 4.7)'));
  expect(changeValue(text, 'g', 'p.v.start', '1')).toBe(text.replace('Ground g;', 'Ground g(p(v(start = 1)));'));
  expect(changeValue(text, 's', 'V', '')).toBe(text.replace('s(V = 12)', 's'));
  expect(changeValue('Rotational.Inertia J[3](each J = 2) "three";', 'J', 'w.start', '1')).toBe(
    'Rotational.Inertia J[3](each J = 2, w(start = 1)) "three";',
  );
  expect(valueIn(text, 'R1', 'R')).toBe('2');
  expect(valueIn(changeValue(text, 'R1', 'i.start', '0.5'), 'R1', 'i.start')).toBe('0.5');
});

test('a search of the catalogue finds names before descriptions, and these before documentation', () => {
  const all = catalogue(projectLibrary(project('')).library);
  const first = (search: string): string | undefined => searchCatalogue(all, search)[0]?.name;
  expect(first('inertia')).toBe('Rotational.Inertia');
  expect(first('spring')).toBe('Rotational.Spring');
  expect(first('electrical resistor v = R i')).toBe('Electrical.Resistor');
  // only in their documentation
  expect(searchCatalogue(all, 'Hopkinson').map((e) => e.name)).toEqual(['Magnetic.Reluctance', 'Magnetic.Core']);
  expect(searchCatalogue(all, 'no such part')).toEqual([]);
  expect(searchCatalogue(all, ' ')).toBe(all);
});

test('adding and taking away keeps every other piece of a text (property)', () => {
  fc.assert(
    fc.property(fc.array(fc.constantFrom('J1', 'J2', 'k', 'd'), { maxLength: 6 }), fc.boolean(), (names, link) => {
      let t = text;
      const added = [...new Set(names)];
      for (const n of added) t = declarePart(t, 'Rotational.Inertia', n);
      if (link && added.length > 1) t = writeConnect(t, `${added[0]}.b`, `${added[1]}.a`);
      expect(parsePhysicsText(t).problems).toEqual([]);
      for (const n of added) t = erasePart(t, n);
      expect(t).toBe(text);
    }),
    { numRuns: 60 },
  );
});

test('what can be set comes from the declarations: units, limits, notes, groups, choices', () => {
  const p = {
    ...project('Furnace f;'),
    libraries: [
      {
        id: 'x',
        name: 'x',
        note: '',
        text: `type Mode = enumeration(Slow, Fast);
model Base parameter Modelica.Units.SI.Power P(min = 0, max = 5) = 2 "heating power" annotation(Dialog(group = "Heat")); end Base;
model Furnace extends Base; parameter Mode mode = Mode.Fast; parameter Boolean open = false; Real T(start = 300, unit = "K"); parameter Real table[:] = {1, 2}; protected parameter Real hidden = 1; equation der(T) = P; end Furnace;`,
      },
    ],
  };
  const { library } = projectLibrary(p);
  const ref = findClass(library, undefined, 'Furnace')!;
  expect(settingsOf(library, ref)).toMatchObject([
    { name: 'P', unit: 'W', value: '2', min: '0', max: '5', note: 'heating power', group: 'Heat', isStart: false },
    { name: 'mode', choices: ['Mode.Slow', 'Mode.Fast'], value: 'Mode.Fast' },
    { name: 'open', choices: ['true', 'false'] },
    { name: 'table', dimensions: 1 },
    { name: 'T.start', unit: 'K', value: '300', isStart: true },
  ]);
  expect(endsOf(library, ref)).toEqual([]);
});

test('the catalogue has the library by field, and the models of shared texts, but nothing partial', () => {
  const { library } = projectLibrary({
    ...project(''),
    libraries: [
      {
        id: 'x',
        name: 'x',
        note: '',
        text: 'package Mine model A "does a" annotation(Documentation(info = "<html>a = 1\n  (Someone 1900).</html>")); end A; partial model B end B; end Mine; model C end C; function f end f;',
      },
    ],
  });
  const all = catalogue(library);
  expect(all.filter((e) => e.name.startsWith('Mine') || e.group === 'This project')).toEqual([
    { name: 'Mine.A', group: 'Mine', note: 'does a', documentation: 'a = 1 (Someone 1900).' },
    { name: 'C', group: 'This project', note: '', documentation: '' },
  ]);
  expect(all.find((e) => e.name === 'Electrical.Resistor')).toEqual({
    name: 'Electrical.Resistor',
    group: 'Electrical',
    documentation: 'v = R i (Ohm 1827); loss = v i (Joule 1841).',
    note: 'v = R i',
  });
  expect(all.some((e) => /TwoPin|DryFriction/.test(e.name))).toBe(false);
});
