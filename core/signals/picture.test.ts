import fc from 'fast-check';
import { projectLibrary } from '../flatten/from-project';
import { surroundingsOf } from '../flatten/sheet-surroundings';
import {
  newSignalLine,
  newSignalSheet,
  newType,
  type PartType,
  type Project,
  type SignalSheet,
} from '../project/project';
import { projectOf, quantity } from '../testing/run-project';
import { placeCards } from './sheet-layout';
import { circlesIn, namesOn, sheetPicture, type SheetNames, type SheetPicture } from './sheet-picture';
import { linesFromText, sheetText } from './sheet-text';
import { rewire, setArgument, unwire, wireInto, wireOnto } from './wiring';

/** The picture of sheets, and what drawing on it does to their lines. */

interface Shown {
  readonly picture: SheetPicture;
  readonly names: SheetNames;
  readonly sheet: SignalSheet;
}
const quantities = [
  quantity('wanted', '1', { role: 'input' }),
  quantity('speed', '0', { role: 'input' }),
  quantity('kp', '2', { role: 'parameter' }),
  quantity('u', '', { role: 'output' }),
];
function show(texts: readonly string[], more: Partial<SignalSheet> = {}, type: Partial<PartType> = {}): Shown {
  const sheet: SignalSheet = {
    ...newSignalSheet('s', 'Sheet'),
    ...more,
    lines: texts.map((text, k) => newSignalLine(`l${k}`, text)),
  };
  const box: PartType = {
    ...newType('b', 'Box'),
    quantities: [
      quantity('a', '0', { role: 'input' }),
      quantity('k', '3', { role: 'parameter' }),
      quantity('y', '', { role: 'output' }),
    ],
  };
  const base = projectOf({ quantities, signals: [sheet], ...type });
  const project: Project = { ...base, types: [...base.types, box] };
  const [own] = project.types;
  const { library } = projectLibrary(project);
  const around = surroundingsOf(project, own, library.top.get(own.name)!, library);
  return {
    picture: sheetPicture(
      own,
      own.signals.find((s) => s.id === 's')!,
      around,
    ),
    names: namesOn(own, sheet, around),
    sheet,
  };
}
const card = ({ picture }: Shown, id = 'l0') => picture.cards.find((c) => c.id === id)!;
const wiresOf = ({ picture }: Shown): string[] =>
  picture.wires.map((w) => `${w.name} -> ${w.to ? `${w.to.line}.${w.to.key}` : 'out'}`);

test('lines are cards, names that are used are wires, and what comes from elsewhere are tags', () => {
  const shown = show([
    '// the loop',
    'e = wanted - speed',
    'i = integrate(kp*e, high = 5)',
    'u = limit(kp*e + i, -1, 1)',
    'x = Box(e, k = kp)',
    'no line',
  ]);
  expect(shown.picture.cards.map((c) => [c.id, c.name, c.inputs.map((i) => i.key), c.typeId])).toEqual([
    ['l1', 'e', ['wanted', 'speed'], undefined],
    ['l2', 'i', ['u'], undefined],
    ['l3', 'u', ['u'], undefined],
    ['l4', 'x', ['a'], 'b'],
    ['l5', '', [], undefined],
  ]);
  expect(shown.picture.cards[4].unread).toMatch(/gives a name to a formula/);
  expect(shown.picture.notes.map((n) => n.text)).toEqual(['the loop']);
  expect(wiresOf(shown)).toEqual([
    'wanted -> l1.wanted',
    'speed -> l1.speed',
    'e -> l2.u',
    'e -> l3.u',
    'i -> l3.u',
    'e -> l4.a',
    'u -> out',
  ]);
  expect(shown.picture.tags.map((t) => `${t.side} ${t.name} ${t.what}`)).toEqual([
    'in wanted input',
    'in speed input',
    'out u output',
  ]);
});

test('what nothing feeds is free: an argument that is left out, a name that nothing gives', () => {
  const shown = show(["y = lag(T = 1 's')", 'z = a + 2*b', 'w = limit(low = -1, high = 1)', 'v = limit(q, 0, 1)']);
  expect(shown.picture.cards.map((c) => c.inputs.map((i) => [i.key, i.isFree]))).toEqual([
    [['u', true]],
    [
      ['a', true],
      ['b', true],
    ],
    [['u', true]],
    [['u', true]],
  ]);
  expect(shown.picture.wires).toEqual([]);
});

test('what iterates in a formula, times, parameters and names of arguments are no wires', () => {
  const shown = show(['y = sum(k*speed for k in 1:3) + time*kp', 'z = integrate(u = speed, reset = wanted > 1)']);
  expect(wiresOf(shown)).toEqual(['speed -> l0.speed', 'speed -> l1.u', 'wanted -> l1.reset']);
});

test('tags say where a name comes from: an input, another sheet, a part, a state', () => {
  const other: SignalSheet = {
    ...newSignalSheet('o', 'Fast'),
    every: "1 'ms'",
    lines: [newSignalLine('f', 'f = 2*speed')],
  };
  const sheet: SignalSheet = { ...newSignalSheet('s', 'Slow'), lines: [newSignalLine('l0', 'y = f + gear.w + speed')] };
  const shown = show(
    ['y = f + gear.w + speed'],
    {},
    { signals: [sheet, other], physics: 'Rotational.Inertia gear(J = 1);' },
  );
  expect(shown.picture.tags.map((t) => [t.name, t.what, t.sheet])).toEqual([
    ['f', 'sheet', 'o'],
    ['gear.w', 'part', undefined],
    ['speed', 'input', undefined],
    ['wanted', 'input', undefined],
    ['u', 'output', undefined],
  ]);
});

test('circles without memory are named with their cards in order; those through memory are none', () => {
  expect(circlesIn(show(['a = 2*c', 'b = a + speed', 'c = limit(b, -1, 1)']).picture)).toEqual([['l0', 'l1', 'l2']]);
  expect(circlesIn(show(['a = 2*c', 'c = integrate(a)']).picture)).toEqual([]);
  expect(circlesIn(show(['a = 2*c', 'c = pi(a)']).picture)).toEqual([['l0', 'l1']]);
  // memory inside of a formula as well
  expect(circlesIn(show(['a = 0.9*lag(a, T = 1) + speed']).picture)).toEqual([]);
  expect(circlesIn(show(['a = 0.9*lag(a, T = 1) + limit(a, -1, 1)']).picture)).toEqual([['l0']]);
});

// ------------------------------------------------------------------------------------------------------------ wiring
const offers = (list: readonly { readonly label: string; readonly text: string }[]): string[] =>
  list.map((o) => `${o.label}: ${o.text}`);

test('a wire comes to what is free of a card', () => {
  expect(offers(wireOnto(card(show(["y = lag(T = 1 's')"])), 'speed'))).toEqual(["u: y = lag(speed, T = 1 's')"]);
  expect(offers(wireOnto(card(show(['y = lag(speed)'])), 'wanted'))).toEqual(
    ['u: in place of speed: y = lag(wanted)'].map((s) => s.replace('u: in place of speed', 'u')),
  );
  expect(offers(wireOnto(card(show(['y = integrate(speed)'])), 'wanted'))).toEqual([
    'reset: y = integrate(speed, reset = wanted)',
  ]);
  expect(offers(wireOnto(card(show(['y = in1 + in2*3'])), 'speed'))).toEqual([
    'in1: y = speed + in2*3',
    'in2: y = in1 + speed*3',
  ]);
  expect(offers(wireOnto(card(show(['y = 1'])), 'speed'))).toEqual(['in place of 1: y = speed']);
});

test('a wire comes to a formula in the ways that are possible, with brackets where they are needed', () => {
  expect(offers(wireOnto(card(show(['y = speed + wanted'])), 'u'))).toEqual([
    '+ u: y = speed + wanted + u',
    '- u: y = speed + wanted - u',
    '* u: y = (speed + wanted)*u',
    'in place of speed + wanted: y = u',
  ]);
  expect(offers(wireOnto(card(show(['y = if speed > 1 then 1 else 2'])), 'u'))[0]).toBe(
    '+ u: y = (if speed > 1 then 1 else 2) + u',
  );
  expect(offers(wireOnto(card(show(['y = speed > 1 or wanted > 1'])), 'on')).slice(0, 2)).toEqual([
    'and on: y = (speed > 1 or wanted > 1) and on',
    'or on: y = speed > 1 or wanted > 1 or on',
  ]);
  const one = card(show(['y = limit(kp*speed, -1, 1)']));
  expect(offers(wireInto(one, 'u', 'wanted'))[0]).toBe('+ wanted: y = limit(kp*speed + wanted, -1, 1)');
  // what takes a list: one of it, or a list by itself
  const filter = (y: string): readonly string[] =>
    offers(wireInto(card(show([`k = kalman(${y}A = [0])`], { every: '0.01' })), 'y', 'wanted'));
  expect(filter('')).toEqual([
    '{wanted}: k = kalman({wanted}, A = [0])',
    'wanted, a list: k = kalman(wanted, A = [0])',
  ]);
  expect(filter('{p}, ')[0]).toBe('one more: wanted: k = kalman({p, wanted}, A = [0])');
  expect(offers(wireInto(card(show(['y = lag(in1*2, 3)'])), 'u', 'wanted'))).toEqual(['u: y = lag(wanted*2, 3)']);
});

test('arguments keep their order, and get names behind a gap', () => {
  const one = card(show(['y = limit(speed, -1, 1)']));
  expect(setArgument(one, 'u', '')).toBe('y = limit(low = -1, high = 1)');
  expect(setArgument(one, 'low', '')).toBe('y = limit(speed, high = 1)');
  expect(setArgument(one, 'high', '5')).toBe('y = limit(speed, -1, 5)');
  expect(setArgument(card(show(['y = pi(speed, k = 2)'])), 'reset', 'wanted > 1')).toBe(
    'y = pi(speed, reset = wanted > 1, k = 2)',
  );
});

test('a wire taken away: a sum without it, an argument that is free, a name that nothing gives', () => {
  const gone = (text: string, key: string, name: string): string => {
    const shown = show([text]);
    return unwire(card(shown), key, name, shown.names);
  };
  expect(gone('y = wanted - speed', 'speed', 'speed')).toBe('y = wanted');
  expect(gone('y = wanted - speed', 'wanted', 'wanted')).toBe('y = -speed');
  expect(gone('y = lag(speed, T = 2)', 'u', 'speed')).toBe('y = lag(T = 2)');
  expect(gone('y = limit(kp*wanted + speed, -1, 1)', 'u', 'speed')).toBe('y = limit(kp * wanted, -1, 1)');
  expect(gone('y = kp*speed', 'speed', 'speed')).toBe('y = kp*in1');
  expect(gone('y = speed*in1', 'speed', 'speed')).toBe('y = in2*in1');
});

const leaf = fc.constantFrom('speed', 'wanted', 'kp', '2', "0.5 's'", 'e');
const formula: fc.Arbitrary<string> = fc.letrec<{ f: string }>((tie) => ({
  f: fc.oneof(
    { maxDepth: 4, withCrossShrink: true },
    leaf,
    fc.tuple(tie('f'), fc.constantFrom(' + ', ' - ', '*', '/'), tie('f')).map(([a, op, b]) => `(${a})${op}(${b})`),
    fc.tuple(fc.constantFrom('lag', 'integrate', 'abs'), tie('f')).map(([f, a]) => `${f}(${a})`),
    fc.tuple(tie('f'), tie('f')).map(([a, b]) => `limit(${a}, -1, ${b})`),
    fc.tuple(tie('f'), tie('f')).map(([a, b]) => `(if ${a} > 0 then ${b} else 0)`),
  ),
})).f;

test('whatever is wired, there is the wire afterwards; whatever is taken away is gone; all else stays', () => {
  fc.assert(
    fc.property(formula, fc.nat(), (text, pick) => {
      const lines = [`y = ${text}`, 'e = 1', 'new = 3'];
      const shown = show(lines);
      const before = card(shown);
      const ways = [...before.inputs.flatMap((i) => wireInto(before, i.key, 'new')), ...wireOnto(before, 'new')];
      for (const way of ways) {
        const after = show([way.text, ...lines.slice(1)]);
        expect(card(after).unread).toBeUndefined();
        expect(wiresOf(after).filter((w) => w.startsWith('new -> l0'))).toHaveLength(1);
      }
      const wires = shown.picture.wires.filter((w) => w.to?.line === 'l0');
      if (wires.length === 0) return;
      const wire = wires[pick % wires.length];
      const others = (s: Shown): string[] =>
        wiresOf(s)
          .filter((w) => !w.startsWith(`${wire.name} ->`))
          .sort();
      const without = show([unwire(before, wire.to!.key, wire.name, shown.names), ...lines.slice(1)]);
      expect(card(without).unread).toBeUndefined();
      expect(
        without.picture.wires.some((w) => w.to?.line === 'l0' && w.to.key === wire.to!.key && w.name === wire.name),
      ).toBe(false);
      // other wires that came in at the same place are still there
      for (const w of others(shown))
        if (!w.startsWith('in')) expect([text, others(without)]).toEqual([text, expect.arrayContaining([w])]);
      const moved = show([rewire(before, wire.to!.key, wire.name, 'new'), ...lines.slice(1)]);
      expect(wiresOf(moved).some((w) => w.startsWith('new -> l0'))).toBe(true);
    }),
    { numRuns: 300 },
  );
});

// -------------------------------------------------------------------------------------------------------------- text
test('a sheet through its text: equal lines keep their ids and places, changed ones by their name, then by where they stand', () => {
  const lines = ['// note', 'a = 1', 'b = 2*a', '', 'c = a + b'].map((text, k) => ({
    ...newSignalLine(`l${k}`, text),
    place: { x: k, y: k },
  }));
  let next = 0;
  const through = (text: string) => linesFromText(lines, text, () => `n${++next}`);
  expect(through(sheetText({ lines }))).toEqual(lines);
  const changed = through('// note\na = 5\nnew = 3\nb = 2*a\n\nc2 = a + b');
  expect(changed.map((l) => [l.id, l.text])).toEqual([
    ['l0', '// note'],
    ['l1', 'a = 5'],
    ['n1', 'new = 3'],
    ['l2', 'b = 2*a'],
    ['l3', ''],
    ['l4', 'c2 = a + b'],
  ]);
  // lines that change their places take their cards along
  expect(through('c = a + b\nb = 2*a\na = 1').map((l) => l.id)).toEqual(['l4', 'l2', 'l1']);
});

test('random edits of the text: what was not touched stays the same entry', () => {
  const line = fc
    .tuple(fc.constantFrom('a', 'b', 'c', 'd', '// '), formula)
    .map(([n, f]) => (n === '// ' ? `// ${f}` : `${n} = ${f}`));
  fc.assert(
    fc.property(fc.array(line, { maxLength: 12 }), fc.nat(), line, (texts, at, other) => {
      const lines = texts.map((text, k) => newSignalLine(`l${k}`, text));
      const rows = sheetText({ lines }).split('\n');
      if (lines.length > 0) rows[at % lines.length] = other;
      let n = 0;
      const after = linesFromText(lines, rows.join('\n'), () => `n${++n}`);
      expect(sheetText({ lines: after })).toBe(lines.length === 0 ? '' : rows.join('\n'));
      expect(new Set(after.map((l) => l.id)).size).toBe(after.length);
      const kept = after.filter((l, k) => k !== at % Math.max(1, lines.length));
      for (const l of kept) expect(lines.some((b) => b.id === l.id)).toBe(true);
    }),
  );
});

// ------------------------------------------------------------------------------------------------------------ layout
test('cards that nobody placed stand right of what they are made of, none over another, the same each time', () => {
  fc.assert(
    fc.property(fc.array(fc.array(fc.nat(30), { maxLength: 3 }), { minLength: 1, maxLength: 30 }), (uses) => {
      const texts = uses.map((list, k) => `x${k} = ${['1', ...list.map((n) => `x${n % uses.length}`)].join(' + ')}`);
      const { picture } = show(texts);
      const size = { width: 226, height: 90 };
      const places = placeCards(picture, () => size);
      const boxes = picture.cards.map((c) => places.get(c.id)!);
      boxes.forEach((a, i) =>
        boxes.slice(i + 1).forEach((b) => {
          const apart = Math.abs(a.x - b.x) >= size.width || Math.abs(a.y - b.y) >= size.height;
          expect(apart).toBe(true);
        }),
      );
      expect([...placeCards(picture, () => size)]).toEqual([...places]);
    }),
  );
});
