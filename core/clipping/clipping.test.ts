import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { applyEdit, undoEdit } from '../editing/edits';
import { readProjectText, writeProjectJson } from '../formats/project-file';
import { ownerAddress, visitEntries, findAt, type Address } from '../project/address';
import {
  emptyProject,
  newQuantity,
  newSignalLine,
  newSignalSheet,
  newType,
  type Chart,
  type PartType,
  type Project,
} from '../project/project';
import { usersOf } from '../editing/references';
import { checkProject } from '../run/check';
import { quantity } from '../testing/run-project';
import { clip, clippingText, readClipping, type Clipping } from './clipping';
import { paste, type Pasting } from './paste';
import { removal } from './removal';
import { readRows, rowsText } from './rows-text';

const capper = tubeCapper as Project;
const numbered = (): (() => string) => {
  let n = 0;
  return () => `new-${++n}`;
};
function clipped(project: Project, ...addresses: Address[]): Clipping {
  const c = clip(project, addresses);
  if ('refused' in c) throw new Error(c.refused);
  // as it comes out of the clipboard
  const back = readClipping(clippingText(c));
  if (!back || 'refused' in back) throw new Error(JSON.stringify(back));
  return back;
}
function pasted(project: Project, c: Clipping, owner: Address, more: object = {}): { after: Project; done: Pasting } {
  const done = paste(project, c, owner, { newId: numbered(), ...more });
  if ('refused' in done) throw new Error(done.refused);
  const { project: after, refused } = applyEdit(project, done.edit);
  if (refused) throw new Error(refused.message);
  return { after, done };
}
const typeNamed = (p: Project, name: string): PartType => p.types.find((t) => t.name === name)!;
const idOf = (p: Project, name: string): string => typeNamed(p, name).id;
const errors = (p: Project): string[] =>
  checkProject(p).problems.flatMap((x) => (x.severity === 'error' ? [x.message] : []));

describe('quantities', () => {
  const base: Project = {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [
      {
        ...newType('t', 'T'),
        quantities: [
          { ...newQuantity('a', 'k'), role: 'parameter', value: '2' },
          { ...newQuantity('b', 'x'), value: '2*k + y' },
          { ...newQuantity('c', 'y'), value: 'k' },
        ],
      },
    ],
  };
  test('copied together follow each other, and nothing else', () => {
    const { after, done } = pasted(base, clipped(base, 'type/t/quantity/a', 'type/t/quantity/b'), 'type/t');
    expect(after.types[0].quantities.map((q) => [q.name, q.value])).toEqual([
      ['k', '2'],
      ['x', '2*k + y'],
      ['k2', '2'],
      ['x2', '2*k2 + y'],
      ['y', 'k'],
    ]);
    expect(done.label).toBe('Paste 2 quantities');
    expect(done.added).toEqual(['type/t/quantity/new-1', 'type/t/quantity/new-2']);
  });
  test('numbers go on where they stand', () => {
    const twice = pasted(base, clipped(base, 'type/t/quantity/a'), 'type/t').after;
    const again = pasted(twice, clipped(twice, 'type/t/quantity/a'), 'type/t', { newId: () => 'again' }).after;
    expect(again.types[0].quantities.map((q) => q.name)).toEqual(['k', 'k3', 'k2', 'x', 'y']);
  });
  test('behind the row that is chosen', () => {
    const { after } = pasted(base, clipped(base, 'type/t/quantity/a'), 'type/t', { after: 'c' });
    expect(after.types[0].quantities.map((q) => q.name)).toEqual(['k', 'x', 'y', 'k2']);
  });
  test('deleted together though they use each other, and not while something else does', () => {
    const both = removal(base, ['type/t/quantity/a', 'type/t/quantity/b'])!;
    expect(applyEdit(base, both.edit).refused?.message).toBe('k is still used by T.y');
    const all = removal(
      base,
      ['a', 'b', 'c'].map((q) => `type/t/quantity/${q}`),
    )!;
    const { project, refused, inverse } = applyEdit(base, all.edit);
    expect(refused).toBeUndefined();
    expect(project.types[0].quantities).toEqual([]);
    expect(undoEdit(project, inverse)).toEqual(base);
  });
});

describe('states', () => {
  const ctrl = typeNamed(capper, 'CapperControl');
  const chart = ctrl.charts[0];
  const at = `type/${ctrl.id}/chart/${chart.id}`;
  const group = chart.states.find((s) => chart.states.some((x) => x.parent === s.id))!;
  test('with all inside and what leads from one to another, under names of their own', () => {
    const { after } = pasted(capper, clipped(capper, `${at}/state/${group.id}`), at);
    const now = typeNamed(after, 'CapperControl').charts[0];
    const inner = chart.states.filter((s) => s.parent === group.id).map((s) => s.name);
    const copy = now.states.find((s) => s.name === `${group.name}2`)!;
    expect(now.states.filter((s) => s.parent === copy.id).map((s) => s.name)).toEqual(inner.map((n) => `${n}2`));
    expect(copy.parent).toBe(group.parent);
    expect([copy.x, copy.y]).toEqual([group.x + 24, group.y + 24]);
    const ids = new Set([group.id]);
    for (let size = 0; size < ids.size;) {
      size = ids.size;
      for (const s of chart.states) if (s.parent !== null && ids.has(s.parent)) ids.add(s.id);
    }
    const among = chart.transitions.filter((t) => ids.has(t.from) && (t.to === '' || ids.has(t.to)));
    expect(among.length).toBeGreaterThan(0);
    expect(now.transitions.length - chart.transitions.length).toBe(among.length);
    const names = new Map(now.states.map((s) => [s.id, s.name]));
    for (const t of now.transitions.filter((x) => x.id.startsWith('new-')))
      expect(`${names.get(t.from)} ${t.to === '' ? '2' : names.get(t.to)}`).toMatch(/2 .*2$/);
    // one beginning among its neighbours
    expect(now.states.filter((s) => s.parent === group.parent && s.initial)).toHaveLength(
      chart.states.filter((s) => s.parent === group.parent && s.initial).length,
    );
  });
  test('guards that look at a state which was copied look at the copy', () => {
    const two: Chart = {
      ...chart,
      states: [
        { ...group, id: 'a', name: 'A', parent: null, initial: true },
        { ...group, id: 'b', name: 'B', parent: null, initial: false },
      ],
      transitions: [
        {
          id: 'x',
          from: 'a',
          to: 'b',
          also: [],
          triggers: [],
          internal: false,
          guard: `in(${chart.name}.B) or in(${chart.name}.A)`,
          effect: '',
        },
      ],
    };
    const p: Project = { ...capper, types: [{ ...newType('t', 'T'), charts: [two] }] };
    const on = `type/t/chart/${two.id}`;
    const { after } = pasted(p, clipped(p, `${on}/state/a`, `${on}/state/b`), on);
    expect(after.types[0].charts[0].transitions[1].guard).toBe(`in(${chart.name}.B2) or in(${chart.name}.A2)`);
  });
  test('of two beginnings side by side only the first stays one', () => {
    const first = chart.states.find((s) => s.initial && s.parent === null)!;
    const copy = (into: string | null) => {
      const { after, done } = pasted(capper, clipped(capper, `${at}/state/${first.id}`), at, { into });
      return findAt(after, done.added[0])!.chain.at(-1)!.initial;
    };
    expect(copy(null)).toBe(false);
    const empty = chart.states.find((s) => s.id !== first.id && !chart.states.some((x) => x.parent === s.id))!;
    expect(copy(empty.id)).toBe(true);
  });
  test('deleted, what leads to it goes as well', () => {
    const leaf = chart.states.find(
      (s) => !chart.states.some((x) => x.parent === s.id) && chart.transitions.some((t) => t.to === s.id),
    )!;
    // test cases that speak of it keep it from going
    const untried = { ...capper, cases: [] };
    const { edit } = removal(untried, [`${at}/state/${leaf.id}`])!;
    const { project, refused } = applyEdit(untried, edit);
    expect(refused).toBeUndefined();
    const now = typeNamed(project, 'CapperControl').charts[0];
    expect(now.transitions.some((t) => t.from === leaf.id || t.to === leaf.id)).toBe(false);
  });
  test('into a state, at a point', () => {
    const leaf = chart.states.find((s) => !chart.states.some((x) => x.parent === s.id) && s.id !== group.id)!;
    const { after, done } = pasted(capper, clipped(capper, `${at}/state/${leaf.id}`), at, {
      into: group.id,
      at: { x: 70, y: 80 },
    });
    const copy = findAt(after, done.added[0])!.chain.at(-1)!;
    expect(copy).toMatchObject({ parent: group.id, x: 70, y: 80, name: `${leaf.name}2` });
  });
  test('no state stands on a part type', () => {
    const done = paste(capper, clipped(capper, `${at}/state/${group.id}`), 'type/' + idOf(capper, 'Capper'), {
      newId: numbered(),
    });
    expect(done).toEqual({ refused: expect.stringMatching(/^\d+ states cannot stand here: open a state chart$/) });
  });
});

describe('parts', () => {
  const root = capper.root;
  const part = (name: string): Address =>
    `type/${root}/part/${typeNamed(capper, 'Capper').parts.find((p) => p.name === name)!.id}`;
  test('with the links among them; what needs another part stays behind', () => {
    const { after } = pasted(capper, clipped(capper, part('panel'), part('ctrl')), `type/${root}`);
    const type = typeNamed(after, 'Capper');
    const links = typeNamed(capper, 'Capper').links.filter((l) =>
      [l.from, l.to].every((e) => /^(panel|ctrl)\./.test(e)),
    );
    expect(links.length).toBeGreaterThan(0);
    expect(type.links.slice(-links.length).map((l) => [l.from, l.to])).toEqual(
      links.map((l) => [l.from, l.to].map((e) => e.replace(/^(panel|ctrl)/, '$12'))),
    );
    expect(after.types).toHaveLength(capper.types.length);
  });
  test('in another project their types come along, once, and run as before', () => {
    const elsewhere: Project = { ...emptyProject('other', 'Other'), root: 'm', types: [newType('m', 'Machine')] };
    const first = pasted(elsewhere, clipped(capper, part('spindle'), part('psu')), 'type/m');
    const names = first.after.types.map((t) => t.name);
    expect(names).toEqual(expect.arrayContaining(['Machine', 'SpindleDrive', 'Supply']));
    expect(names).toHaveLength(new Set(names).size);
    expect(errors(first.after).filter((m) => /not known|no class|missing|unknown/i.test(m))).toEqual([]);
    const again = pasted(first.after, clipped(capper, part('spindle')), 'type/m', { newId: () => 'x' });
    expect(again.after.types).toHaveLength(first.after.types.length);
    expect(typeNamed(again.after, 'Machine').parts.map((p) => p.name)).toContain('spindle2');
  });
  test('another type of the same name is kept apart, and said', () => {
    const other: Project = {
      ...emptyProject('other', 'Other'),
      root: 'm',
      types: [newType('m', 'Machine'), newType('s', 'SpindleDrive')],
    };
    const { after, done } = pasted(other, clipped(capper, part('spindle')), 'type/m');
    const machine = typeNamed(after, 'Machine');
    expect(after.types.find((t) => t.id === machine.parts[0].type)!.name).toBe('SpindleDrive2');
    expect(done.notes).toEqual(['SpindleDrive came along as SpindleDrive2, as this project has another SpindleDrive']);
  });
  test('with types inside types, each once, and links that carry nothing there', () => {
    const line: PartType = {
      ...newType('line', 'Line'),
      parts: [{ ...typeNamed(capper, 'Capper').parts[0], id: 'c', name: 'capper', type: root }],
    };
    const plant: Project = { ...capper, types: [...capper.types, line] };
    const elsewhere: Project = { ...emptyProject('other', 'Other'), root: 'm', types: [newType('m', 'Machine')] };
    const { after } = pasted(elsewhere, clipped(plant, 'type/line/part/c'), 'type/m');
    // those of a bench that a setup runs are not in the line
    const inLine = capper.types.map((t) => t.name).filter((n) => !/^Spindle(OnTest|Watch)$/.test(n));
    expect(after.types.map((t) => t.name).sort()).toEqual(['Machine', ...inLine].sort());
    const ids = new Set(after.types.map((t) => t.id));
    for (const t of after.types)
      for (const p of t.parts) expect([t.name, p.name, ids.has(p.type)]).toEqual([t.name, p.name, true]);
    const again = pasted(after, clipped(plant, 'type/line/part/c'), 'type/m', { newId: () => 'y' });
    expect(again.after.types).toHaveLength(after.types.length);
    // a type deep inside says something else now: all that is made of it comes in anew
    const changed: Project = {
      ...after,
      types: after.types.map((t) => (t.name === 'SpindleDrive' ? { ...t, physics: `${t.physics}// changed\n` } : t)),
    };
    let n = 0;
    const third = pasted(changed, clipped(plant, 'type/line/part/c'), 'type/m', { newId: () => `z${++n}` });
    expect(third.after.types.map((t) => t.name)).toEqual(expect.arrayContaining(['SpindleDrive2', 'Capper2']));
    expect(third.after.types.map((t) => t.name)).not.toContain('Gripper2');
    const two = clipped(capper, part('panel'), part('ctrl'));
    expect(two.pieces.some((x) => x.kind === 'link' && x.entry.carries !== '')).toBe(true);
    const carried = typeNamed(pasted(elsewhere, two, 'type/m').after, 'Machine').links.map((l) => l.carries);
    expect(new Set(carried)).toEqual(new Set(['']));
  });
  test('shared texts whose classes are named come along, once; another class of that name is told', () => {
    const text = 'function half input Real x; output Real y; algorithm y := quarter(x)*2; end half;';
    const more = 'function quarter input Real x; output Real y; algorithm y := x/4; end quarter;';
    const other = 'function unused input Real x; output Real y; algorithm y := x; end unused;';
    const library = (id: string, name: string, t: string) => ({ id, name, note: '', text: t });
    const p: Project = {
      ...emptyProject('p', 'P'),
      root: 'm',
      types: [
        { ...newType('m', 'M'), parts: [{ id: 'a', name: 'a', type: 't', changes: [], note: '', place: null }] },
        { ...newType('t', 'T'), physics: 'Real y;\nequation\n  y = half(time);\n' },
      ],
      libraries: [library('x', 'Halves', text), library('y', 'Quarters', more), library('z', 'Other', other)],
    };
    const elsewhere: Project = { ...emptyProject('other', 'Other'), root: 'k', types: [newType('k', 'K')] };
    const c = clipped(p, 'type/m/part/a');
    const first = pasted(elsewhere, c, 'type/k');
    expect(first.after.libraries.map((l) => l.name)).toEqual(['Halves', 'Quarters']);
    expect(errors(first.after)).toEqual([]);
    expect(first.done.notes).toEqual(['The shared text Halves came along', 'The shared text Quarters came along']);
    expect(pasted(first.after, c, 'type/k', { newId: () => 'q' }).after.libraries).toHaveLength(2);
    const clash: Project = {
      ...elsewhere,
      libraries: [library('h', 'Mine', 'function half input Real x; output Real y; algorithm y := x; end half;')],
    };
    const { after, done } = pasted(clash, c, 'type/k');
    expect(after.libraries.map((l) => l.name)).toEqual(['Mine', 'Quarters']);
    expect(done.notes[0]).toBe(
      'half of the shared text Halves is taken as this project has it: look whether that fits',
    );
    // at home nothing has to come
    expect(pasted(p, c, 'type/m').after.libraries).toHaveLength(3);
  });
  test('a name that the physics text has is taken', () => {
    const p: Project = {
      ...emptyProject('p', 'P'),
      root: 't',
      types: [{ ...newType('t', 'T'), physics: 'Electrical.Resistor spindle;' }],
    };
    const { after } = pasted(p, clipped(capper, part('spindle')), 'type/t');
    expect(typeNamed(after, 'T').parts[0].name).toBe('spindle2');
  });
  test('nothing stands in itself', () => {
    const done = paste(capper, clipped(capper, part('spindle')), `type/${idOf(capper, 'SpindleDrive')}`, {
      newId: numbered(),
    });
    expect(done).toEqual({ refused: 'spindle cannot stand in SpindleDrive: it has SpindleDrive inside it' });
  });
  test('parts that a physics text declares, with their values and connections', () => {
    const physics =
      'Electrical.Resistor r(R = 5), r2(R = 7);\nElectrical.Capacitor c(C = 1e-3);\nequation\n  connect(r.n, c.p);\n  connect(c.n, r2.p);\n';
    const p: Project = {
      ...emptyProject('p', 'P'),
      root: 't',
      types: [{ ...newType('t', 'T'), physics, layout: [{ name: 'r', x: 10, y: 20 }] }],
    };
    const c = clipped(p, 'type/t/declared/r', 'type/t/declared/c');
    const { after, done } = pasted(p, c, 'type/t');
    expect(after.types[0].physics).toContain(
      'Electrical.Resistor r3(R = 5);\nElectrical.Capacitor c2(C = 1e-3);\nequation',
    );
    expect(after.types[0].physics).toContain('connect(r3.n, c2.p);');
    expect(after.types[0].physics.match(/connect/g)).toHaveLength(3);
    expect(after.types[0].layout).toEqual([
      { name: 'r', x: 10, y: 20 },
      { name: 'r3', x: 34, y: 44 },
    ]);
    expect(done.added).toEqual(['type/t/declared/r3', 'type/t/declared/c2']);
    const { edit } = removal(after, [...done.added])!;
    expect(applyEdit(after, edit).project.types[0].physics).toBe(p.types[0].physics);
  });
});

describe('lines', () => {
  const line = (id: string, depth: number, text: string) => ({ id, depth, text });
  const flow = {
    ...capper.flows[0],
    id: 'f',
    lines: [
      line('a', 0, 'if x'),
      line('b', 1, 'op: one'),
      line('c', 2, 'op: two'),
      line('d', 0, 'op: three'),
      line('e', 0, 'repeat 2 times'),
      line('g', 1, 'op: four'),
    ],
  };
  const p: Project = { ...emptyProject('p', 'P'), flows: [flow] };
  const shown = (after: Project): string[] => after.flows[0].lines.map((l) => '-'.repeat(l.depth) + l.text);
  test('with what stands further in below them, as deep as where they come to stand', () => {
    const block = clipped(p, 'flow/f/line/b');
    expect(block.pieces.map((x) => x.entry.id)).toEqual(['b', 'c']);
    expect(shown(pasted(p, block, 'flow/f').after)).toEqual([
      'if x',
      '-op: one',
      '--op: two',
      '-op: one',
      '--op: two',
      'op: three',
      'repeat 2 times',
      '-op: four',
    ]);
    expect(shown(pasted(p, block, 'flow/f', { after: 'e' }).after).slice(4)).toEqual([
      'repeat 2 times',
      '-op: four',
      'op: one',
      '-op: two',
    ]);
    expect(shown(pasted(p, clipped(p, 'flow/f/line/d'), 'flow/f', { after: 'c' }).after).slice(2, 4)).toEqual([
      '--op: two',
      '--op: three',
    ]);
  });
  test('deleted with what stands below them', () => {
    const { edit } = removal(p, ['flow/f/line/a'])!;
    expect(shown(applyEdit(p, edit).project)).toEqual(['op: three', 'repeat 2 times', '-op: four']);
  });
  test('as text, and from text however it is indented', () => {
    expect(rowsText(clipped(p, 'flow/f/line/a'))).toBe('if x\n\top: one\n\t\top: two');
    const back = readRows(p, 'if y\n    op: far in\n\n  op: in\r\nop: out', 'flow/f', 'line') as Clipping;
    expect(back.pieces.map((x) => [x.entry.depth, x.entry.text])).toEqual([
      [0, 'if y'],
      [1, 'op: far in'],
      [1, 'op: in'],
      [0, 'op: out'],
    ]);
    expect(readRows(p, `ok\n${'x'.repeat(2001)}`, 'flow/f', 'line')).toEqual({
      refused: 'Line 2 is longer than 2000 characters. Nothing was pasted',
    });
  });
});

describe('lines of signal sheets', () => {
  const sheetWith = (id: string, ...lines: string[]) => ({
    ...newSignalSheet(id, 'S'),
    lines: lines.map((text, k) => newSignalLine(`${id}${k}`, text)),
  });
  const filter = (gain: string, inner = 'lag(u, T = T)'): PartType => ({
    ...newType(`filter${gain}`, 'Filter'),
    quantities: [
      quantity('u', '0', { role: 'input' }),
      quantity('T', '0.5', { role: 'parameter' }),
      quantity('y', '', { role: 'output' }),
    ],
    signals: [sheetWith('f', `y = ${gain}*${inner}`)],
  });
  const from: Project = {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [
      { ...newType('t', 'T'), signals: [sheetWith('s', 'a = sine(f = 2)', 'b = Filter(a, T = 0.2)')] },
      filter('2'),
    ],
  };
  const empty: Project = {
    ...emptyProject('o', 'O'),
    root: 'o',
    types: [{ ...newType('o', 'Other'), signals: [sheetWith('z')] }],
  };
  const linesOf = (p: Project): string[] => typeNamed(p, 'Other').signals[0].lines.map((l) => l.text);
  test('the part types on them come along, with those on their own sheets', () => {
    const nested: Project = {
      ...from,
      types: [from.types[0], filter('2', 'Inner(u)'), { ...filter('3'), id: 'inner', name: 'Inner' }],
    };
    const { after } = pasted(
      empty,
      clipped(nested, 'type/t/signals/s/line/s0', 'type/t/signals/s/line/s1'),
      'type/o/signals/z',
    );
    expect(linesOf(after)).toEqual(['a = sine(f = 2)', 'b = Filter(a, T = 0.2)']);
    expect(after.types.map((t) => t.name).sort()).toEqual(['Filter', 'Inner', 'Other']);
    expect(errors(after)).toEqual([]);
    // once there they are not brought again
    const twice = pasted(after, clipped(nested, 'type/t/signals/s/line/s1'), 'type/o/signals/z').after;
    expect(twice.types).toHaveLength(3);
    expect(linesOf(twice)[2]).toBe('b2 = Filter(a, T = 0.2)');
    // at home nothing comes along
    expect(pasted(nested, clipped(nested, 'type/t/signals/s/line/s1'), 'type/t/signals/s').after.types).toHaveLength(3);
  });
  test('one of the same name that does something else comes in under another, and the lines follow', () => {
    const other: Project = { ...empty, types: [...empty.types, filter('7')] };
    const { after, done } = pasted(other, clipped(from, 'type/t/signals/s/line/s1'), 'type/o/signals/z');
    expect(linesOf(after)).toEqual(['b = Filter2(a, T = 0.2)']);
    expect(typeNamed(after, 'Filter2').signals[0].lines[0].text).toBe('y = 2*lag(u, T = T)');
    expect(done.notes).toEqual(['Filter came along as Filter2, as this project has another Filter']);
  });
  test('another name of a part type, or of what is given to it, goes to the lines it stands on', () => {
    const named = applyEdit(from, { kind: 'rename', list: 'type', id: 'filter2', name: 'Smooth' }).project;
    expect(named.types[0].signals[0].lines[1].text).toBe('b = Smooth(a, T = 0.2)');
    const given = applyEdit(named, { kind: 'rename', list: 'type/filter2/quantity', id: 'T', name: 'slow' }).project;
    expect(given.types[0].signals[0].lines[1].text).toBe('b = Smooth(a, slow = 0.2)');
    expect(given.types[1].signals[0].lines[0].text).toBe('y = 2*lag(u, T = slow)');
    expect(errors(given)).toEqual([]);
    expect(usersOf(from, 'type/filter2', 'Filter').join()).toBe('signal sheet S');
  });
});

test('requirements get identifiers nobody had, and no signature or source', () => {
  const r = capper.requirements[1];
  const signed: Project = {
    ...capper,
    retired: [{ id: 'gone', key: 'CAP-77' }],
    requirements: capper.requirements.map((x) =>
      x === r ? { ...x, observation: { verdict: 'holds', by: 'me', on: '2026-11-29', note: '', text: r.text } } : x,
    ),
  };
  const { after } = pasted(signed, clipped(signed, `requirement/${r.id}`), '');
  const copy = after.requirements[2];
  expect([copy.key, copy.text, copy.observation, copy.source]).toEqual(['CAP-78', r.text, null, null]);
});

test('setups, panels and phrases are told apart by what they are called', () => {
  const setup = capper.setups[0];
  const once = pasted(capper, clipped(capper, `setup/${setup.id}`), '').after;
  const twice = pasted(once, clipped(once, `setup/${setup.id}`), '', { newId: () => 'y' }).after;
  expect(twice.setups.map((s) => s.name).filter((n) => n.startsWith(setup.name))).toEqual([
    setup.name,
    `${setup.name} copy 2`,
    `${setup.name} copy`,
  ]);
  const elsewhere = pasted(
    { ...emptyProject('o', 'O'), types: [newType('m', 'M')], root: 'm' },
    clipped(capper, `setup/${setup.id}`),
    '',
  );
  expect(elsewhere.after.setups[0]).toMatchObject({ name: setup.name, panel: '', sequences: [] });
  expect(elsewhere.done.notes).toHaveLength(setup.panel === '' && setup.sequences.length === 0 ? 0 : 1);
});

describe('whatever is copied', () => {
  const places: Address[] = [];
  visitEntries(capper, (address) => void places.push(address));
  const known = new Set(errors(capper));
  test('can be pasted beside itself, saved and read again, and is undone to the letter', () => {
    fc.assert(
      fc.property(fc.nat(), fc.array(fc.nat(), { maxLength: 4 }), (start, more) => {
        const first = places[start % places.length];
        const beside = places.filter((a) => ownerAddress(a) === ownerAddress(first));
        const c = clipped(capper, ...new Set([first, ...more.map((k) => beside[k % beside.length])]));
        const done = paste(capper, c, ownerAddress(first), { newId: numbered() });
        if ('refused' in done) throw new Error(`${first}: ${done.refused}`);
        const { project, refused, inverse } = applyEdit(capper, done.edit);
        expect(refused).toBeUndefined();
        expect(undoEdit(project, inverse)).toEqual(capper);
        const back = readProjectText(writeProjectJson(project));
        expect(back.value).toEqual(project);
        for (const address of done.added) expect(findAt(project, address)).toBeDefined();
        // and taken away again
        const gone = removal(project, done.added)!;
        const after = applyEdit(project, gone.edit);
        expect(after.refused).toBeUndefined();
      }),
      { numRuns: 60 },
    );
  });
  test('part types pasted once more check like the first', () => {
    for (const t of capper.types) {
      const { after } = pasted(capper, clipped(capper, `type/${t.id}`), '');
      expect(after.types.find((x) => x.id.startsWith('new'))!.name).toBe(`${t.name}2`);
      expect(errors(after).filter((m) => !known.has(m))).toEqual([]);
    }
  });
});

describe('what comes from outside', () => {
  const c = clip(capper, [`type/${capper.root}/part/${typeNamed(capper, 'Capper').parts[0].id}`]) as Clipping;
  test.each([
    ['cut short', clippingText(c).slice(0, -20), /not whole/],
    ['of another version', clippingText({ ...c, version: 3 }), /another version/],
    [
      'with a wrong name',
      clippingText({ ...c, pieces: [{ kind: 'part', entry: { ...c.pieces[0].entry, name: '1 2' } }] }),
      /cannot be read.*name/,
    ],
    [
      'with something unknown',
      clippingText({ ...c, pieces: [{ kind: 'toString', entry: c.pieces[0].entry }] }),
      /no toString/,
    ],
    [
      'with a wrong type',
      clippingText({ ...c, types: [{ ...c.types[0], quantities: [{} as never] }] }),
      /cannot be read/,
    ],
  ])('%s', (_, text, why) => {
    expect(readClipping(text)).toEqual({ refused: expect.stringMatching(why) });
  });
  test('other texts are no clipping', () => expect(readClipping('{"a": 1}')).toBeUndefined());
});

describe('rows of spreadsheets', () => {
  const spindle = `type/${idOf(capper, 'SpindleDrive')}`;
  test('what is copied comes back the same', () => {
    for (const [owner, kind] of [
      [spindle, 'quantity'],
      [`type/${capper.root}`, 'link'],
      ['', 'glossary'],
      [`setup/${capper.setups.find((s) => s.stimulus.length > 0)!.id}`, 'stimulus'],
    ] as const) {
      const all: Address[] = [];
      visitEntries(capper, (a) => void (ownerAddress(a) === owner && a.split('/').at(-2) === kind && all.push(a)));
      const c = clipped(capper, ...all);
      const back = readRows(capper, rowsText(c)!, owner, kind);
      if ('refused' in back) throw new Error(back.refused);
      const plain = (x: Clipping): object[] => x.pieces.map(({ entry }) => ({ ...entry, id: '', carries: '' }));
      expect(plain(back)).toEqual(plain(c));
    }
  });
  test('heads in any order, some left out', () => {
    const back = readRows(capper, 'Unit\tquantity\tValue\nV\tu0\t12\nA\ti0\t"0.5"\n', spindle, 'quantity') as Clipping;
    expect(back.pieces.map((p) => [p.entry.name, p.entry.value, p.entry.unit, p.entry.role])).toEqual([
      ['u0', '12', 'V', 'parameter'],
      ['i0', '0.5', 'A', 'parameter'],
    ]);
    const { after } = pasted(capper, back, spindle);
    expect(
      typeNamed(after, 'SpindleDrive')
        .quantities.slice(-2)
        .map((q) => q.name),
    ).toEqual(['u0', 'i0']);
  });
  test.each([
    [
      'quantity',
      'a\tparameter\t1\tV\t0 to 3',
      'Row 1, Limits: “0 to 3” is no range such as 0 .. 10. Nothing was pasted',
    ],
    [
      'quantity',
      'a\tknob',
      'Row 1, Role: “knob” is none of constant, parameter, variable, input, output. Nothing was pasted',
    ],
    [
      'quantity',
      'a\tparameter\t1\tV\t\t\t\tmore',
      /^Row 1 has more cells than a quantity has columns, which are Quantity, Role/,
    ],
    ['quantity', 'Value\tUnit\n3\tV', /^Row 2: name: A name is needed/],
    ['quantity', 'ok\tparameter\t1\n1x\tparameter\t2', /^Row 2: name: A name starts with a letter/],
    ['quantity', 'a\tparameter\t1\tfurlong', /^Row 1: unit: /],
    ['quantity', '\n\t\n', 'There are no rows to paste'],
    ['quantity', 'Quantity\tValue', 'There are no rows to paste'],
  ] as const)('%s: %j', (kind, text, why) => {
    expect(readRows(capper, text, spindle, kind)).toEqual({
      refused: typeof why === 'string' ? why : expect.stringMatching(why),
    });
  });
  test('times are numbers, with a comma or not', () => {
    const setup = `setup/${capper.setups[0].id}`;
    const back = readRows(capper, '0,5\tsend\tpanel.go\n1.5 s\tset\tcap.x\t3', setup, 'stimulus') as Clipping;
    expect(back.pieces.map((p) => [p.entry.time, p.entry.value])).toEqual([
      [0.5, ''],
      [1.5, '3'],
    ]);
    expect(readRows(capper, 'soon\tsend\tpanel.go', setup, 'stimulus')).toEqual({
      refused: 'Row 1, Time: “soon” is no time in seconds. Nothing was pasted',
    });
  });
});
