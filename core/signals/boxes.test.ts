import fc from 'fast-check';
import { clip } from '../clipping/clipping';
import { paste } from '../clipping/paste';
import { readRows, rowsText } from '../clipping/rows-text';
import { applyEdit } from '../editing/edits';
import { projectLibrary } from '../flatten/from-project';
import { surroundingsOf } from '../flatten/sheet-surroundings';
import {
  newRequirement,
  newSignalLine,
  newSignalSheet,
  newType,
  type Project,
  type SignalSheet,
} from '../project/project';
import { checkProject } from '../run/check';
import { prepareRun } from '../run/prepare';
import { projectOf, quantity, runProject } from '../testing/run-project';
import { allResponses } from '../testing/block-responses';
import { copyAsOwn, makePartType, unfold, type BoxChange } from './boxes';
import { lineOf, offersFor, searchOffers } from './offers';
import { responses } from './response-table';
import { sheetPicture } from './sheet-picture';

/** Lines that become a part type, and back: the numbers stay what they are. */

const sheetOf = (lines: readonly string[], more: Partial<SignalSheet> = {}): SignalSheet => ({
  ...newSignalSheet('s', 'Sheet'),
  ...more,
  lines: lines.map((text, k) => ({ ...newSignalLine(`l${k}`, text), place: { x: 100 * k, y: 10 } })),
});
const quantities = [quantity('kp', '2', { role: 'parameter', unit: '' }), quantity('u', '', { role: 'output' })];
const projectWith = (lines: readonly string[], more: Partial<SignalSheet> = {}): Project =>
  projectOf({ quantities, signals: [sheetOf(lines, more)] }, { stop: 1, recordEvery: 0.01 });
const aroundOf = (p: Project) => {
  const { library } = projectLibrary(p);
  return surroundingsOf(p, p.types[0], library.top.get('T')!, library);
};
const shownOf = (p: Project) => ({ picture: sheetPicture(p.types[0], p.types[0].signals[0], aroundOf(p)) });
let n = 0;
const newId = (): string => `n${++n}`;
const make = (p: Project, ids: readonly string[], name = 'Box'): BoxChange | { readonly message: string } => {
  const [type] = p.types;
  return makePartType(p, type, type.signals[0], new Set(ids), aroundOf(p), () => name, newId);
};
const after = (p: Project, change: BoxChange | { readonly message: string }): Project => {
  if (!('edit' in change)) throw new Error(change.message);
  const { project, refused } = applyEdit(p, change.edit);
  if (refused) throw new Error(refused.message);
  return project;
};
const texts = (p: Project, k = 0): string[] => p.types[k].signals[0].lines.map((l) => l.text);
const opened = (p: Project, id: string): Project =>
  after(p, unfold(p, p.types[0], p.types[0].signals[0], id, aroundOf(p), newId));
const values = (p: Project, name: string): number[] => {
  const done = runProject(p);
  return [0.1, 0.25, 0.5, 0.77, 1].map((t) => done.at(name, t));
};

const loop = [
  'w = sine(f = 1, amplitude = 2)',
  'e = w - x',
  'i = integrate(3*e)',
  'u = limit(kp*e + i, -3, 3)',
  'x = lag(u, T = 0.2)',
];

test.each([
  ['continuous', {}],
  ['sampled', { every: '0.01' }],
] as const)('names that cross the border become inputs, parameters and the output: %s', (_, more) => {
  const p = projectWith(loop, more);
  const boxed = after(p, make(p, ['l2', 'l3']));
  expect(texts(boxed)).toEqual([
    'w = sine(f = 1, amplitude = 2)',
    'e = w - x',
    'u = Box(e, kp)',
    'x = lag(u, T = 0.2)',
  ]);
  const box = boxed.types[1];
  expect(box.quantities.map((q) => [q.name, q.role, q.value])).toEqual([
    ['e', 'input', '0'],
    ['kp', 'parameter', '2'],
    ['u', 'output', ''],
  ]);
  expect(box.signals[0]).toMatchObject({
    every: '',
    ...more,
    lines: [{ text: 'i = integrate(3*e)' }, { text: 'u = limit(kp*e + i, -3, 3)' }],
  });
  expect(values(boxed, 'x')).toEqual(values(p, 'x').map((v) => expect.closeTo(v, 9)));
  const back = opened(boxed, 'l3');
  expect([...texts(back)].sort()).toEqual([...loop].sort());
  expect(values(back, 'x')).toEqual(values(p, 'x').map((v) => expect.closeTo(v, 12)));
});

describe('several outputs', () => {
  const lines = [...loop, 'two = e + i', 'three = 2*i - e'];
  const filter = {
    ...newType('f', 'Split'),
    quantities: [
      quantity('v', '0', { role: 'input', unit: 'm' }),
      quantity('T', '0.2', { role: 'parameter' }),
      quantity('low', '', { role: 'output', unit: 'm' }),
      quantity('high', '', { role: 'output', unit: 'm' }),
      quantity('isUp', '', { role: 'output', type: 'Boolean' }),
    ],
    signals: [sheetOf(['low = lag(v, T = T)', 'high = v - low', 'isUp = high > 0'])],
  };
  const using = (...own: string[]): Project => {
    const p = projectWith(["w = sine(f = 1, amplitude = 2 'm')", ...own]);
    return { ...p, types: [...p.types, filter] };
  };
  const problems = (p: Project): string[] => checkProject(p).problems.map((x) => x.message);

  test('lines that several others use become a part whose outputs they use', () => {
    const p = projectWith(lines);
    const boxed = after(p, make(p, ['l1', 'l2']));
    expect(texts(boxed)).toEqual([
      'w = sine(f = 1, amplitude = 2)',
      'box = Box(w, x)',
      'u = limit(kp*box.e + box.i, -3, 3)',
      'x = lag(u, T = 0.2)',
      'two = box.e + box.i',
      'three = 2*box.i - box.e',
    ]);
    expect(boxed.types[1].quantities.map((q) => [q.name, q.role])).toEqual([
      ['w', 'input'],
      ['x', 'input'],
      ['e', 'output'],
      ['i', 'output'],
    ]);
    for (const name of ['x', 'two', 'three'])
      expect(values(boxed, name)).toEqual(values(p, name).map((v) => expect.closeTo(v, 6)));
    const line = boxed.types[0].signals[0].lines.find((l) => l.text.startsWith('box'))!;
    const back = opened(boxed, line.id);
    expect([...texts(back)].sort()).toEqual([...lines].sort());
    const { picture } = shownOf(boxed);
    expect(picture.cards[1].outputs).toEqual(['box.e', 'box.i']);
    expect(picture.wires.filter((w) => w.from === line.id).map((w) => w.name)).toEqual([
      'box.e',
      'box.i',
      'box.e',
      'box.i',
      'box.i',
      'box.e',
    ]);
  });
  test('each is known with its unit and type; a sheet of another rate holds it', () => {
    const p = using('s = Split(w, T = 0.1)', 'a = 2*s.low', 'on = s.isUp', 'u = 1');
    expect(problems(p)).toEqual([]);
    const done = runProject(p);
    expect(done.at('a', 0.77)).toBeCloseTo(2 * done.at('s.low', 0.77), 9);
    expect(done.at('s.low', 0.77) + done.at('s.high', 0.77)).toBeCloseTo(done.at('w', 0.77), 9);
    expect(done.at('on', 0.77)).toBe(Number(done.at('s.high', 0.77) > 0));
    const wrong = using('s = Split(w)', "b = s.low + 1 'kg'", 'u = 1');
    expect(problems(wrong).join()).toMatch(/m.*kg|kg.*m/);
  });
  test('what is not certain is told at its place', () => {
    const told = (...own: string[]): string => problems(using(...own, 'u = 1')).join(' | ');
    expect(told('s = Split(w)', 'a = 2*s')).toContain('Which output of s is meant? It has s.low and s.high and s.isUp');
    expect(told('a = 1 + Split(w)')).toContain('give it a line of its own, x = Split(...), and use x.low');
    expect(problems(using('u = Split(w)')).join()).toContain('u is one value, and Split gives several');
    expect(told('s = Split({1, 2})')).toContain('give it one number each');
    expect(told('s = Split(w)', 'a = s.middle')).toMatch(/middle/);
    expect(told('s = Split()')).toContain('Nothing feeds v of Split');
  });
  test('what is used elsewhere is led to its new place, into the box and out of it', () => {
    const asks = (p: Project, formula: string): Project => ({
      ...p,
      requirements: [{ ...newRequirement('r', 'R-1', 'low'), formula }],
    });
    const plain = asks(projectWith(lines), 'abs(i) < 5 and i > e');
    const boxed = after(plain, make(plain, ['l1', 'l2']));
    expect(boxed.requirements[0].formula).toBe('abs(box.i) < 5 and box.i > box.e');
    expect(problems(boxed)).toEqual(problems(plain));
    const inside = boxed.types[0].signals[0].lines.find((l) => l.text.startsWith('box'))!;
    expect(opened(boxed, inside.id).requirements[0].formula).toBe('abs(i) < 5 and i > e');
    const p = asks(using('s = Split(w)', 'u = 1'), "s.low < 5 'm' and s.lowest");
    expect(opened(p, 'l1').requirements[0].formula).toBe("low < 5 'm' and s.lowest");
    const renamed = applyEdit(p, { kind: 'rename', list: 'type/f/quantity', id: 'low', name: 'slow' }).project;
    expect(renamed.requirements[0].formula).toBe("s.slow < 5 'm' and s.lowest");
    const other = applyEdit(p, { kind: 'rename-declared', type: 't', name: 's', to: 'parts' }).project;
    expect([texts(other)[1], other.requirements[0].formula]).toEqual([
      'parts = Split(w)',
      "parts.low < 5 'm' and parts.lowest",
    ]);
  });
});

test('units go with the border, and values of a use may differ', () => {
  const p = projectOf(
    {
      quantities: [
        quantity('a', '2', { role: 'input', unit: 'm' }),
        quantity('k', '3', { role: 'parameter', unit: '1/s' }),
      ],
      signals: [sheetOf(['v = k*a', 'y = integrate(v)', 'z = 2*y'])],
    },
    { stop: 1 },
  );
  const boxed = after(p, make(p, ['l0', 'l1']));
  expect(boxed.types[1].quantities.map((q) => [q.name, q.unit])).toEqual([
    ['a', 'm'],
    ['k', '1/s'],
    ['y', 'm'],
  ]);
  const other = applyEdit(boxed, {
    kind: 'update',
    list: 'type/t/signals/s/line',
    id: 'l1',
    changes: { text: "y = Box(a, 6 '1/s')" },
  }).project;
  expect(runProject(other).last('z')).toBeCloseTo(24, 6);
  expect(runProject(boxed).last('z')).toBeCloseTo(12, 6);
});

test('variables that only the lines inside name go with them; what something else names is an output', () => {
  const base = projectWith(loop);
  const [type] = base.types;
  const p: Project = {
    ...base,
    types: [{ ...type, quantities: [...type.quantities, quantity('i', '', { role: 'variable' })] }],
  };
  const boxed = after(p, make(p, ['l2', 'l3']));
  expect(boxed.types[0].quantities.map((q) => q.name)).toEqual(['kp', 'u']);
  expect(values(boxed, 'x')).toEqual(values(p, 'x').map((v) => expect.closeTo(v, 9)));
  const asked: Project = {
    ...p,
    requirements: [{ ...newRequirement('r', 'R-1', 'i is small'), formula: 'abs(i) < 5' }],
  };
  const both = after(asked, make(asked, ['l2', 'l3']));
  // what a requirement names keeps its name
  expect(texts(both).slice(2)).toEqual(['box = Box(e, kp)', 'i = box.i', 'u = box.u', 'x = lag(u, T = 0.2)']);
  expect(both.types[0].quantities.map((q) => q.name)).toEqual(['kp', 'u', 'i']);
  expect(values(both, 'i')).toEqual(values(p, 'i').map((v) => expect.closeTo(v, 9)));
});

test('what cannot be a part type is told, and nothing changes', () => {
  const p = projectWith([...loop, 'two = e + i']);
  expect(make(p, [])).toMatchObject({ message: expect.stringContaining('Choose the lines') });
  expect(make(p, ['l2', 'l3'], 'T')).toMatchObject({ message: expect.any(String) });
  const broken = projectWith(['a = 1 +', 'b = a']);
  expect(make(broken, ['l0', 'l1'])).toMatchObject({ message: expect.stringContaining('is no line yet') });
});

test('unfolding gives free names, and lines of their own for what is more than a name', () => {
  const p = projectWith([
    'i = 5',
    ...loop.slice(0, 2),
    'q = integrate(3*e)',
    'u = limit(kp*e + q, -3, 3)',
    'x = lag(u, T = 0.2)',
  ]);
  const boxed = after(p, make(p, ['l3', 'l4']));
  const other = applyEdit(boxed, {
    kind: 'update',
    list: 'type/t/signals/s/line',
    id: 'l4',
    changes: { text: 'u = Box(2*e + 1, kp = 4)' },
  }).project;
  const back = opened(other, 'l4');
  expect(texts(back)).toEqual([
    'i = 5',
    'w = sine(f = 1, amplitude = 2)',
    'e = w - x',
    'e2 = 2*e + 1',
    'q = integrate(3*e2)',
    'u = limit(4*e2 + q, -3, 3)',
    'x = lag(u, T = 0.2)',
  ]);
  expect(values(back, 'x')).toEqual(values(other, 'x').map((v) => expect.closeTo(v, 9)));
  const twice = applyEdit(other, {
    kind: 'insert',
    list: 'type/t/signals/s/line',
    entry: newSignalLine('m', 'm = Box(e)'),
  }).project;
  expect(texts(opened(opened(twice, 'm'), 'l4')).filter((t) => t.includes('integrate'))).toEqual([
    'q2 = integrate(3*e2)',
    'q = integrate(3*e)',
  ]);
});

test('what a box does inside is recorded, under the name of its line', () => {
  const p = projectWith(loop);
  const boxed = after(p, make(p, ['l2', 'l3']));
  expect(values(boxed, 'u_Box.i')).toEqual(values(p, 'i').map((v) => expect.closeTo(v, 6)));
});

test('a copy of its own changes nothing else', () => {
  const p = projectWith(loop);
  const boxed = after(p, make(p, ['l2', 'l3']));
  const [type] = boxed.types;
  const own = after(boxed, copyAsOwn(boxed, type, type.signals[0], 'l3', aroundOf(boxed), newId));
  expect(texts(own)[2]).toBe('u = Box2(e, kp)');
  expect(own.types.map((t) => t.name)).toEqual(['T', 'Box', 'Box2']);
  expect(texts(own, 2)).toEqual(texts(own, 1));
  expect(values(own, 'x')).toEqual(values(p, 'x').map((v) => expect.closeTo(v, 9)));
});

test('random sheets in boxes and out again: the same numbers', () => {
  const term = (k: number): fc.Arbitrary<string> =>
    fc.constantFrom('w', 'kp', '0.5', ...Array.from({ length: k }, (_, j) => `x${j}`));
  const line = (k: number): fc.Arbitrary<string> =>
    fc
      .tuple(term(k), term(k), fc.constantFrom('+', '-', '*', 'lag', 'limit', 'integrate'))
      .map(([a, b, op]) =>
        op === 'lag'
          ? `x${k} = lag(${a} + ${b}, T = 0.3)`
          : op === 'limit'
            ? `x${k} = limit(${a} - ${b}, -0.5, 0.8)`
            : op === 'integrate'
              ? `x${k} = integrate(${a} - ${b})`
              : `x${k} = ${a}${op}${b}`,
      );
  fc.assert(
    fc.property(
      fc.tuple(line(0), line(1), line(2), line(3), line(4)),
      fc.integer({ min: 0, max: 4 }),
      fc.integer({ min: 1, max: 4 }),
      (rows, from, count) => {
        const p = projectWith(['w = sine(f = 2)', ...rows, 'u = x4 + x3']);
        const ids = rows.map((_, k) => `l${k + 1}`).slice(from, from + count);
        const change = make(p, ids);
        if (!('edit' in change)) return expect(change.message).toMatch(/Nothing comes out/);
        const boxed = after(p, change);
        expect(values(boxed, 'u')).toEqual(values(p, 'u').map((v) => expect.closeTo(v, 6)));
        expect(values(opened(boxed, change.lines[0]), 'u')).toEqual(values(p, 'u').map((v) => expect.closeTo(v, 6)));
      },
    ),
    { numRuns: 40 },
  );
});

// --------------------------------------------------------------------------------------------------- copying and pasting
test('copied lines come with names of their own and keep what they are wired to', () => {
  const p = projectWith(loop);
  const at = 'type/t/signals/s';
  const c = clip(p, [`${at}/line/l2`, `${at}/line/l3`]);
  if ('refused' in c) throw new Error(c.refused);
  expect(rowsText(c)).toBe('i = integrate(3*e)\nu = limit(kp*e + i, -3, 3)');
  const pasted = paste(p, c, at, { newId });
  if ('refused' in pasted) throw new Error(pasted.refused);
  const now = applyEdit(p, pasted.edit).project;
  expect(texts(now)).toEqual([...loop.slice(0, 4), 'i2 = integrate(3*e)', 'u2 = limit(kp*e + i2, -3, 3)', loop[4]]);
  expect(now.types[0].signals[0].lines[4].place).not.toEqual(now.types[0].signals[0].lines[2].place);
  expect(values(now, 'x')).toEqual(values(p, 'x').map((v) => expect.closeTo(v, 6)));
  expect(values(now, 'u2')).toEqual(values(p, 'u').map((v) => expect.closeTo(v, 6)));
  // as text, from anywhere
  const read = readRows(p, 'e = 1\n// two\nf = 2*e', at, 'line');
  if ('refused' in read) throw new Error(read.refused);
  const other = paste(p, read, at, { newId, at: { x: 5, y: 6 } });
  if ('refused' in other) throw new Error(other.refused);
  expect(texts(applyEdit(p, other.edit).project).slice(-3)).toEqual(['e2 = 1', '// two', 'f = 2*e2']);
});

// ------------------------------------------------------------------------------------------------------------------ offers
test.each(['', '0.01'])('every offer is a line that can be read, wired or not (%s)', (every) => {
  const p = projectWith([], { every });
  const around = aroundOf(p);
  const free = (name: string): boolean => !around.isTaken(name);
  for (const offer of offersFor({ every })) {
    if (offer.key === 'note') continue;
    for (const from of [undefined, 'kp']) {
      const { name, text } = lineOf(offer, from, free);
      const shown = sheetPicture(p.types[0], sheetOf([text], { every }), around);
      expect([text, shown.cards[0].unread, shown.cards[0].name]).toEqual([text, undefined, name]);
      const open = shown.cards[0].inputs.filter((i) => i.isFree).length;
      const wired = from !== undefined && /#1/.test(offer.formula);
      expect([text, open]).toEqual([text, new Set(offer.formula.match(/#[1-9]/g)).size - (wired ? 1 : 0)]);
    }
  }
});
test.each(['', "0.01 's'"])(
  'wired to a number, or to what is true or false, every offer is right as it is (%s)',
  (every) => {
    for (const offer of offersFor({ every })) {
      if (offer.key === 'note' || /#2/.test(offer.formula)) continue;
      const wrong = ['z', 'b'].map((from) => {
        const { text } = lineOf(offer, from, () => true);
        const signals = [sheetOf(['z = sine(f = 1)', 'b = z > 0', text], { every })];
        const p = projectOf({ signals }, { stop: 1, recordEvery: 0.01 });
        return prepareRun(p, p.setups[0]).problems.filter((x) => x.severity === 'error');
      });
      expect([offer.title, wrong.some((list) => list.length === 0), wrong]).toEqual([offer.title, true, wrong]);
    }
  },
);
test('they are found by name, purpose and sign', () => {
  const first = (words: string, every = ''): string => searchOffers(offersFor({ every }), words)[0]?.title;
  expect(
    ['low pass', 'saturation', '∫', '+', 'clamp', 'dead time', 'slew', 'integrator', 'gain'].map((w) => first(w)),
  ).toEqual(['lag', 'limit', 'integrate', 'sum', 'limit', 'transportDelay', 'rateLimit', 'integrate', 'gain']);
  expect(['moving average', 'unit delay', 'z^-1', 'low pass'].map((w) => first(w, '0.01'))).toEqual([
    'movingAverage',
    'delayBy',
    'delayBy',
    'lag',
  ]);
  expect(searchOffers(offersFor({ every: '' }), 'anti-windup').map((o) => o.title)).toEqual(['integrate', 'pi', 'pid']);
  expect(searchOffers(offersFor({ every: '' }), 'zzz')).toEqual([]);
});
test('the curves that offers show are those of the blocks (npm run responses)', () => {
  expect(allResponses()).toEqual(responses);
});
