import { tubeCapper } from '../../samples/tube-capper';
import { explainFormula } from './explain';
import { doublePhrases, stem } from './phrases';
import { missingPhrase, phraseAround, suggestMeanings, wordsOfName } from './suggest';
import { wordingProblems } from './wording';

const glossary = [
  { id: 'a', phrase: 'guard opens', meaning: 'guard.open' },
  { id: 'b', phrase: 'spindle speed', meaning: 'spindle.speed' },
];

test.each([
  ["always(spindle.speed <= 330 'rpm')", 'At every moment, spindle speed is at most 330 rpm.'],
  [
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
    'For every moment at which “guard opens” begins to hold, within 200 ms spindle speed is below 5 rpm.',
  ],
  ["always(implies(in(c.Turning), x < 10 'A'))", 'At every moment at which c.Turning is active, x is below 10 A.'],
  ["atEnd(average(spindle.speed) <= 3 'rpm')", 'When the run ends, the mean of spindle speed so far is at most 3 rpm.'],
  [
    "always(count(1 'min', guard.open) <= 2)",
    'At every moment, the number of times “guard opens” happened in the last 60 s is at most 2.',
  ],
  ["always(abs(x - 60 'degC') <= 1.2 'K')", 'At every moment, the distance of x from 60 degC is at most 1.2 K.'],
  ["within(2 's', spindle.speed >= 5 'rpm')", 'From the start, within 2 s spindle speed is at least 5 rpm.'],
  ['always(implies(rising(a), until(b, c)))', 'For every moment at which a begins to hold, b until c.'],
])('%s in plain words', (formula, words) => expect(explainFormula(formula, glossary)).toBe(words));

/** Formulas that mean different things have different readings. */
test.each([
  ['always((a or b) and c)', 'always(a or (b and c))'],
  ['always(not (a and b))', 'always((not a) and b)'],
  ["always(within(2 's', a) and b)", "always(within(2 's', a and b))"],
  ["always(within(2 's', a or b))", "always(within(2 's', a) or b)"],
  ['always(until(a and b, c))', 'always(a and until(b, c))'],
  ['always(rising(a and b))', 'always(a and rising(b))'],
  ['always((count(a) + count(b))*2 <= 3)', 'always(count(a) + count(b)*2 <= 3)'],
  ['always(count(a) - (count(b) - count(c)) <= 3)', 'always(count(a) - count(b) - count(c) <= 3)'],
  ['always(implies(a, implies(b, c) and d))', 'always(implies(a, implies(b, c and d)))'],
])('%s is not told as %s', (one, other) => {
  const [a, b] = [explainFormula(one, glossary), explainFormula(other, glossary)];
  expect(a).toBeDefined();
  expect(b).toBeDefined();
  expect(a).not.toBe(b);
});
test('what is joined the same way all along needs no brackets', () => {
  expect(explainFormula('always(a and b and c)')).toBe('At every moment, a and b and c.');
  expect(explainFormula("always(abs(x) <= 3 'A')")).toBe('At every moment, the size of x is at most 3 A.');
  expect(explainFormula('always(not (a or b))')).toBe('At every moment, not (a or b).');
});

test('what cannot be read is not explained', () => expect(explainFormula('always(x <')).toBeUndefined());

test('words that leave the meaning open are pointed at', () => {
  const found = (text: string): string[] => wordingProblems(text).map((p) => text.slice(p.span!.start, p.span!.end));
  expect(found('The spindle shall stop fast and/or sufficiently, TBD.')).toEqual([
    'fast',
    'and/or',
    'sufficiently',
    'TBD',
  ]);
  expect(found('The voltage shall be about 5 V.')).toEqual(['about']);
  expect(found('The spindle should stop.')).toEqual(['should']);
  expect(found('The lamp shall glow, and the horn shall sound.')).toEqual(['shall']);
  expect(found('The panel shall show the last cap torque with an error of at most 0.02 N.m.')).toEqual([]);
  for (const r of tubeCapper.requirements) expect([r.key, found(r.text)]).toEqual([r.key, []]);
});

test('a phrase with two meanings is found, one written twice alike is not', () => {
  const entry = (id: string, phrase: string, meaning: string) => ({ id, phrase, meaning });
  expect(
    doublePhrases([
      entry('1', 'the guard opens', 'guard.open'),
      entry('2', 'guard open', 'door.open'),
      entry('3', 'tube', 'a'),
      entry('4', 'tubes', ' a '),
    ]).map((d) => d.entries.map((e) => e.id)),
  ).toEqual([['1', '2']]);
});

test('stems join forms of one word and leave others alone', () => {
  expect(['finishes', 'tubes', 'passes', 'class', 'gas', 'boxes'].map(stem)).toEqual([
    'finish',
    'tube',
    'pass',
    'class',
    'gas',
    'box',
  ]);
});

test('meanings are suggested from names and notes of the product', () => {
  expect(wordsOfName('spindle.windingTemperature')).toEqual(['spindle', 'winding', 'temperature']);
  const first = (phrase: string): string | undefined => suggestMeanings(tubeCapper, phrase)[0]?.meaning;
  expect(first('winding temperature')).toBe('spindle.windingTemperature');
  expect(first('belt speed')).toBe('belt.speed');
  expect(suggestMeanings(tubeCapper, 'spindle speed').map((s) => s.meaning)).toContain('spindle.speed');
  expect(suggestMeanings(tubeCapper, 'xylophone')).toEqual([]);
  // a word in another form counts, but less than the word itself
  const forms = suggestMeanings(tubeCapper, 'winding temperatures');
  expect(forms[0].meaning).toBe('spindle.windingTemperature');
  const [exact, other] = ['creeping', 'creep'].map((w) => suggestMeanings(tubeCapper, w)[0]?.score ?? 0);
  expect(other).toBeGreaterThanOrEqual(exact);
  expect(suggestMeanings(tubeCapper, 'the of')).toEqual([]);
  expect(suggestMeanings(tubeCapper, 'speed', 2)).toHaveLength(2);
});

test('states are suggested with the whole way to them', () => {
  const meanings = (phrase: string): string[] => suggestMeanings(tubeCapper, phrase).map((s) => s.meaning);
  expect(meanings('creep')).toContain('in(ctrl.mode.Running.Turning.Creep)');
  expect(meanings('slipping')).toContain('in(ctrl.mode.Fault.Slipping)');
  expect(meanings('no tube')).toContain('in(ctrl.mode.Fault.NoTube)');
});

test('a phrase is missing where a meaning for it makes the text readable, or leads to the next that is missing', () => {
  const missing = (text: string): string | undefined => missingPhrase(text, glossary);
  expect(missing('The supply voltage shall not exceed 12 V.')).toBe('supply voltage');
  expect(missing('When the door is shut, the supply voltage shall reach 12 V within 1 s.')).toBe('door is shut');
  expect(missing('The pump shall stop within 2 s after the door is shut.')).toBe('pump stop');
  // no meaning of a phrase makes a limit of these
  expect(missing('The panel shall show the last torque with an error of at most 0.02 N.m.')).toBeUndefined();
  expect(missing('The supply voltage is 12 V.')).toBeUndefined();
});

test('the phrase around a word that was not understood', () => {
  const text = 'While turning, the supply voltage shall stay above 11 V.';
  expect(phraseAround(text, text.indexOf('voltage'), glossary)).toBe('supply voltage');
  expect(phraseAround('The spindle speed shall be 5.', 6, glossary)).toBe('');
});
