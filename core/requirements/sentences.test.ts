import fc from 'fast-check';
import { readFormula } from './formula';
import { readLimit } from './read-limit';

/** Sentences put together from parts, each with its meaning: what is read has to be put together from the same meanings. */

interface Part {
  readonly text: string;
  readonly means: string;
}
const part = (text: string, means: string): Part => ({ text, means });

const conditions = [
  part('turning', 'in(ctrl.mode.Turning)'),
  part('the gripper is closed', 'gripper.closed'),
  part('the heater is fitted', 'heater.fitted'),
];
const events = [
  part('the guard opens', 'guard.open'),
  part('a tube is clamped', 'gripper.closed'),
  part('the winding current exceeds 9 A', "(spindle.current > 9 'A')"),
];
const quantities = [
  { ...part('The spindle speed', 'spindle.speed'), unit: 'rpm' },
  { ...part('The cap torque', 'cap.torque'), unit: 'N.m' },
  { ...part('The winding current', 'spindle.current'), unit: 'A' },
  { ...part('The room temperature', 'room.T'), unit: 'degC' },
];
/** What a quantity shall be, with how that is written. */
const relations = [
  part('not exceed', '<='),
  part('never exceed', '<='),
  part('be at most', '<='),
  part('be no more than', '<='),
  part('be up to', '<='),
  part('not rise above', '<='),
  part('stay below', '<'),
  part('be less than', '<'),
  part('be lower than', '<'),
  part('always be below', '<'),
  part('be at least', '>='),
  part('be no less than', '>='),
  part('not fall below', '>='),
  part('exceed', '>'),
  part('stay above', '>'),
  part('be greater than', '>'),
  part('remain above', '>'),
  part('be equal to', '=='),
];
/** What a quantity shall come to once something has happened. */
const changes = [
  part('fall below', '<'),
  part('drop below', '<'),
  part('rise above', '>'),
  part('reach', '>='),
  part('be at least', '>='),
  part('be at most', '<='),
];
const openers = ['When', 'Whenever', 'Once', 'After', 'Upon'];
const circumstances = ['While', 'During', 'Where', 'As long as'];

const glossary = [
  ['spindle speed', 'spindle.speed'],
  ['cap torque', 'cap.torque'],
  ['winding current', 'spindle.current'],
  ['room temperature', 'room.T'],
  ['turning', 'in(ctrl.mode.Turning)'],
  ['gripper is closed', 'gripper.closed'],
  ['tube is clamped', 'gripper.closed'],
  ['heater is fitted', 'heater.fitted'],
  ['guard opens', 'guard.open'],
].map(([phrase, meaning], k) => ({ id: `g${k}`, phrase, meaning }));

const read = (text: string): string => {
  const { formula, problems, unused } = readLimit({ text, formula: '' }, glossary);
  expect([text, problems, unused]).toEqual([text, [], []]);
  expect(readFormula(formula!).problems).toEqual([]);
  return formula!;
};
const lower = (text: string): string => text[0].toLowerCase() + text.slice(1);
const number = fc.integer({ min: 1, max: 9999 }).map((n) => n / 10);
const seconds = fc.constantFrom(part('200 ms', "200 'ms'"), part('0.5 s', "0.5 's'"), part('2 min', "2 'min'"));

test('a limit at all times, under any circumstances', () => {
  const under = fc.array(fc.tuple(fc.constantFrom(...circumstances), fc.constantFrom(...conditions)), { maxLength: 3 });
  fc.assert(
    fc.property(under, fc.constantFrom(...quantities), fc.constantFrom(...relations), number, (when, q, r, x) => {
      const lead = when.map(([word, c], k) => `${k === 0 ? word : word.toLowerCase()} ${c.text}, `).join('');
      const limit = `${q.means} ${r.means} ${x} '${q.unit}'`;
      const condition = when.map(([, c]) => c.means).join(' and ');
      expect(read(`${lead}${lead === '' ? q.text : lower(q.text)} shall ${r.text} ${x} ${q.unit}.`)).toBe(
        when.length === 0 ? `always(${limit})` : `always(implies(${condition}, ${limit}))`,
      );
    }),
  );
});

test('the circumstances may come last', () => {
  fc.assert(
    fc.property(
      fc.constantFrom('while', 'during'),
      fc.constantFrom(...conditions),
      fc.constantFrom(...quantities),
      fc.constantFrom(...relations),
      number,
      (word, c, q, r, x) =>
        expect(read(`${q.text} shall ${r.text} ${x} ${q.unit} ${word} ${c.text}.`)).toBe(
          `always(implies(${c.means}, ${q.means} ${r.means} ${x} '${q.unit}'))`,
        ),
    ),
  );
});

test('an answer to an event within a time, wherever the time is said', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...openers),
      fc.constantFrom(...events),
      fc.constantFrom(...quantities),
      fc.constantFrom(...changes),
      number,
      seconds,
      (opener, e, q, r, x, time) => {
        const made = `always(implies(rising(${e.means}), within(${time.means}, ${q.means} ${r.means} ${x} '${q.unit}')))`;
        const shall = `shall ${r.text} ${x} ${q.unit}`;
        expect(read(`${opener} ${e.text}, ${lower(q.text)} ${shall} within ${time.text}.`)).toBe(made);
        expect(read(`${q.text} ${shall} within ${time.text} after ${e.text}.`)).toBe(made);
        expect(read(`Within ${time.text} after ${e.text}, ${lower(q.text)} ${shall}.`)).toBe(made);
      },
    ),
  );
});

test('between two numbers, the second of which has the unit, and around one by an amount or a share', () => {
  fc.assert(
    fc.property(fc.constantFrom(...quantities), number, number, (q, a, b) => {
      const [low, high] = [Math.min(a, b), Math.max(a, b) + 1];
      const { means, unit } = q;
      const [from, to] = [`${means} >= ${low} '${unit}'`, `${means} <= ${high} '${unit}'`];
      expect(read(`${q.text} shall be between ${low} and ${high} ${unit}.`)).toBe(`always(${from} and ${to})`);
      expect(read(`${q.text} shall be at least ${low} ${unit} and at most ${high} ${unit}.`)).toBe(
        `always(${from} and ${to})`,
      );
      const around = /abs\(.* - (.*) '.*'\) <= (.*) '(.*)'\)$/.exec(
        read(`${q.text} shall be ${high} ${unit} ± 10 %.`),
      )!;
      expect(Number(around[1])).toBe(high);
      expect(Number(around[2])).toBeCloseTo(high / 10, 9);
      // a share of a temperature in degC is a difference
      expect(around[3]).toBe(unit === 'degC' ? 'K' : unit);
    }),
  );
});

test('how often something may happen, over the whole run or in any time of a length', () => {
  const often = [part('at most', '<='), part('no more than', '<='), part('fewer than', '<'), part('less than', '<')];
  const spans = [part('minute', "1 'min'"), part('hour', "1 'h'"), part('10 s', "10 's'")];
  fc.assert(
    fc.property(
      fc.constantFrom(...often),
      fc.integer({ min: 2, max: 40 }),
      fc.option(fc.constantFrom(...spans), { nil: undefined }),
      (how, n, span) => {
        const count = `count(${span ? `${span.means}, ` : ''}guard.open)`;
        expect(read(`The guard shall open ${how.text} ${n} times${span ? ` per ${span.text}` : ''}.`)).toBe(
          `always(${count} ${how.means} ${n})`,
        );
      },
    ),
  );
});

test('one word that nobody knows, anywhere in the sentence, and nothing is read', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...conditions),
      fc.constantFrom(...quantities),
      fc.constantFrom(...relations),
      number,
      fc.nat(20),
      (c, q, r, x, k) => {
        const words = `While ${c.text}, ${lower(q.text)} shall ${r.text} ${x} ${q.unit}`.split(' ');
        words.splice(k % (words.length + 1), 0, 'xylophonic');
        const { formula, problems, unused } = readLimit({ text: `${words.join(' ')}.`, formula: '' }, glossary);
        // read, it says itself that the word counts for nothing
        expect(formula === undefined ? problems.length > 0 : unused.length > 0).toBe(true);
      },
    ),
  );
});
