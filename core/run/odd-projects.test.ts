import { tubeCapper } from '@/samples/tube-capper';
import { exportModelica } from '../formats/modelica-export';
import { readProjectText, writeProjectJson } from '../formats/project-file';
import type { Problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import { elementIndex } from '../trace/elements';
import { impactOf } from '../trace/impact';
import { checkProject } from './check';
import { createEngine } from './engine';
import { typeStructure } from './type-structure';

/**
 * Documents that no edit makes and a file can hold. Each is read, checked, looked at from all sides and run, without an
 * exception and without going on for ever; what is wrong in it is a problem with its place.
 */

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- broken on purpose
type Loose = any;
const odd: Readonly<Record<string, (p: Loose) => void>> = {
  'own parent': (p) => {
    const c = chart(p);
    c.states[1].parent = c.states[1].id;
  },
  'two in a ring': (p) => {
    const c = chart(p);
    c.states[1].parent = c.states[2].id;
    c.states[2].parent = c.states[1].id;
  },
  'all in a ring': (p) => {
    const c = chart(p);
    c.states.forEach((s: Loose, k: number) => (s.parent = c.states[(k + 1) % c.states.length].id));
  },
  'parent gone': (p) => {
    chart(p).states[1].parent = 'gone';
  },
  'doubled part': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-capper');
    t.parts.push({ ...t.parts[0], id: 'p-again' });
  },
  'doubled quantity': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-spindledrive');
    t.quantities.push({ ...t.quantities[0], id: 'q-again' });
  },
  'doubled type': (p) => {
    p.types.push({ ...structuredClone(p.types[1]), id: 't-again' });
  },
  'doubled state': (p) => {
    const c = chart(p);
    c.states.push({ ...c.states[1], id: 's-again' });
  },
  'doubled chart': (p) => {
    const t = p.types.find((x: Loose) => x.charts.length);
    t.charts.push({ ...structuredClone(t.charts[0]), id: 'c-again' });
  },
  'part and quantity': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-capper');
    t.quantities.push({
      ...p.types.find((x: Loose) => x.id === 't-spindledrive').quantities[0],
      id: 'q-x',
      name: t.parts[0].name,
    });
  },
  'type of itself': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-spindledrive');
    t.parts.push({ id: 'p-self', name: 'within_', type: t.id, changes: [], note: '', place: null });
  },
  'ring of types': (p) => {
    const a = p.types.find((x: Loose) => x.id === 't-spindledrive');
    const b = p.types.find((x: Loose) => x.id === 't-gripper');
    a.parts.push({ id: 'p-a', name: 'within_', type: b.id, changes: [], note: '', place: null });
    b.parts.push({ id: 'p-b', name: 'within_', type: a.id, changes: [], note: '', place: null });
  },
  'product in itself': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-capper');
    t.parts.push({ id: 'p-self', name: 'within_', type: t.id, changes: [], note: '', place: null });
  },
  'twice in itself': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-capper');
    for (const n of ['a1', 'a2', 'a3'])
      t.parts.push({ id: n, name: n, type: t.id, changes: [], note: '', place: null });
  },
  'physics of itself': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-spindledrive');
    t.physics += `\n${t.name} inner;`;
  },
  'physics array of itself': (p) => {
    const t = p.types.find((x: Loose) => x.id === 't-spindledrive');
    t.physics += `\n${t.name} inner[2];`;
  },
  'no root': (p) => {
    p.root = '';
  },
  'root gone': (p) => {
    p.root = 'gone';
  },
  'part type gone': (p) => {
    p.types[0].parts.forEach((x: Loose) => (x.type = 'gone'));
  },
  'transition to nowhere': (p) => {
    chart(p).transitions[0].to = 'gone';
    chart(p).transitions[1].from = 'gone';
  },
  'transition among regions gone': (p) => {
    chart(p).transitions[0].also = ['gone', 'gone'];
  },
  'no initial': (p) => {
    chart(p).states.forEach((s: Loose) => (s.initial = false));
  },
  'all initial': (p) => {
    chart(p).states.forEach((s: Loose) => (s.initial = true));
  },
  'all final': (p) => {
    chart(p).states.forEach((s: Loose) => (s.kind = 'final'));
  },
  'all history': (p) => {
    chart(p).states.forEach((s: Loose) => (s.kind = 'history'));
  },
  'all choice': (p) => {
    chart(p).states.forEach((s: Loose) => (s.kind = 'choice'));
  },
  'all parallel': (p) => {
    chart(p).states.forEach((s: Loose) => (s.kind = 'parallel'));
  },
  'no states': (p) => {
    chart(p).states = [];
  },
  'requirement its own parent': (p) => {
    p.requirements[1].parent = p.requirements[1].id;
  },
  'requirements in a ring': (p) => {
    p.requirements[1].parent = p.requirements[2].id;
    p.requirements[2].parent = p.requirements[1].id;
  },
  'requirement parent gone': (p) => {
    p.requirements[1].parent = 'gone';
  },
  'doubled keys': (p) => {
    p.requirements[1].key = p.requirements[0].key;
  },
  'traces to nowhere': (p) => {
    p.traces[0].element = 'nonsense/x/y/z';
    p.traces[1].requirement = 'gone';
    p.traces[2].element = '/';
  },
  'lines deep': (p) => {
    p.flows[0].lines.forEach((l: Loose, k: number) => (l.depth = k % 2 ? 40 : 3));
  },
  'sequence lines deep': (p) => {
    p.types.forEach((t: Loose) =>
      t.sequences.forEach((s: Loose) => s.lines.forEach((l: Loose, k: number) => (l.depth = k % 2 ? 40 : 3))),
    );
  },
  'procedure lines odd': (p) => {
    p.types.forEach((t: Loose) =>
      t.procedures.forEach((s: Loose) => s.lines.forEach((l: Loose, k: number) => (l.depth = k % 2 ? 40 : 3))),
    );
  },
  'setup of gone': (p) => {
    p.setups[0].root = 'gone';
    p.setups[0].sequences = ['gone'];
    p.setups[0].panel = 'gone';
    p.setups[0].tracks = ['gone'];
  },
  'places far': (p) => {
    chart(p).states.forEach((s: Loose) => {
      s.x = 1e7;
      s.y = -1e7;
    });
  },
  'panel odd': (p) => {
    p.panels[0].controls.forEach((c: Loose) => {
      c.min = 5;
      c.max = -5;
      c.x = 1e7;
      c.width = 1e-9;
    });
  },
  'tracks odd': (p) => {
    p.tracks[0].items = ['gone', '', 'a.b.c', '..', '['];
    p.tracks[0].height = 1e9;
  },
  'links odd': (p) => {
    p.types[0].links.forEach((l: Loose) => {
      l.from = '...';
      l.to = 'gone.gone.gone';
    });
  },
  'glossary odd': (p) => {
    p.glossary.forEach((g: Loose) => {
      g.phrase = 'the';
      g.meaning = ')(';
    });
  },
  'control shapes': (p) => {
    p.panels[0].controls[0].kind = 'picture';
    p.panels[0].controls[0].shapes = [
      {
        id: 'x',
        kind: 'box',
        x: '(',
        y: '1/0',
        width: '-1',
        height: 'NaN',
        turn: '',
        shown: 'no.thing',
        tone: 'ink',
        text: '',
        sends: '.',
      },
    ];
  },
  'texts odd': (p) => {
    p.types.forEach((t: Loose) => (t.physics = '(((('));
  },
  'names of objects': (p) => {
    p.types[1].quantities[0].name = 'constructor';
    p.types[1].quantities[1].name = 'toString';
    p.types[1].name = 'hasOwnProperty';
  },
  'times odd': (p) => {
    p.setups[0].stop = 1e300;
    p.setups[0].recordEvery = 1e-300;
    p.setups[1].stop = 1e-300;
  },
};
const chart = (p: Loose) => p.types.find((x: Loose) => x.id === 't-cappercontrol').charts[0];

/** What has to be told of some of them. */
const told: Readonly<Record<string, RegExp>> = {
  'own parent': /stands in itself/,
  'two in a ring': /Homing, Ready stand in one another/,
  'all in a ring': /stand in one another in a ring/,
  'parent gone': /stands in one that is gone/,
  'doubled part': /a part called belt here already/,
  'doubled quantity': /a quantity called R here already/,
  'doubled type': /a part type called CapperControl here already/,
  'doubled state': /a state called Homing here already/,
  'doubled chart': /a state chart called mode here already/,
  'part and quantity': /called belt here already/,
  'type of itself': /^SpindleDrive contains itself/,
  'ring of types': /^(SpindleDrive|Gripper) contains itself/,
  'product in itself': /^Capper contains itself/,
  'twice in itself': /^Capper contains itself/,
  'part type gone': /The type of belt is no longer there/,
  'transition to nowhere': /lost one of its states/,
  'setup of gone': /What this setup runs is no longer there/,
  'times odd': /would record more than a thousand million rows/,
};

const changed = (name: string): Project => {
  const project = structuredClone(tubeCapper) as Loose;
  odd[name](project);
  return project as Project;
};

test.each(Object.keys(odd))('%s', (name) => {
  const project = changed(name);
  expect(readProjectText(writeProjectJson(project)).value).toEqual(project);
  const { problems } = checkProject(project);
  if (told[name]) {
    const own = problems.filter((p) => told[name].test(p.message));
    expect([own.length, own[0]?.severity]).toEqual([expect.any(Number), 'error']);
    expect(project.types.some((t) => own[0].place?.includes(t.id)) || own[0].place?.startsWith('setup/')).toBe(true);
  }
  for (const e of elementIndex(project).all.slice(0, 40)) impactOf(project, e.address);
  for (const t of project.types) typeStructure(project, t.id);
  exportModelica(project);
  const engine = createEngine();
  engine.open(project, 0);
  for (const setup of project.setups.slice(0, 2)) {
    const { model, problems: kept } = engine.start(setup.id, { pace: 0, paused: true }, () => undefined);
    const isError = (p: Problem): boolean => p.severity === 'error';
    expect(model !== undefined || kept.some(isError)).toBe(true);
    engine.cancel();
  }
});

test('one class that contains itself is the only thing told of a model', () => {
  for (const name of ['type of itself', 'product in itself', 'twice in itself']) {
    const errors = checkProject(changed(name)).problems.filter((p) => p.severity === 'error');
    expect([name, errors.map((p) => p.code)]).toEqual([name, ['endless']]);
  }
});
