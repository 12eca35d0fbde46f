import { parseExpressionText } from '../language/parse';
import { explainFormula } from './explain';
import { withLoopTerms } from './loop-terms';
import { readLimit } from './read-limit';

const glossary = [
  { id: 'a', phrase: 'speed loop', meaning: 'ctrl.voltage' },
  { id: 'b', phrase: 'turning', meaning: 'in(ctrl.mode.Turning)' },
];
const read = (text: string): string => {
  const { formula, problems } = readLimit({ text, formula: '' }, glossary);
  return formula ?? `! ${problems.map((p) => p.message).join('; ')}`;
};

test.each([
  ['The speed loop shall have a phase margin of at least 50 deg.', "phaseMargin(ctrl.voltage) >= 50 'deg'"],
  ['The phase margin of the speed loop shall be at least 50 deg.', "phaseMargin(ctrl.voltage) >= 50 'deg'"],
  ['The phase margin of the speed loop shall not fall below 50 deg.', "phaseMargin(ctrl.voltage) >= 50 'deg'"],
  ['The speed loop shall have a bandwidth of at least 8 Hz.', "bandwidth(ctrl.voltage) >= 8 'Hz'"],
  [
    'The speed loop shall have a bandwidth between 8 and 20 Hz.',
    "bandwidth(ctrl.voltage) >= 8 'Hz' and bandwidth(ctrl.voltage) <= 20 'Hz'",
  ],
  ['The closed-loop bandwidth of the speed loop shall be above 8 Hz.', "bandwidth(ctrl.voltage) > 8 'Hz'"],
  ['The speed loop shall have a gain margin of at least 6 dB.', 'gainMargin(ctrl.voltage) >= 10^(6/20)'],
  ['The gain margin of the speed loop shall exceed 2.', 'gainMargin(ctrl.voltage) > 2'],
  ['The speed loop shall have a delay margin of at least 3 ms.', "delayMargin(ctrl.voltage) >= 3 'ms'"],
])('%s', (text, formula) => expect(read(text)).toBe(`always(${formula})`));

test('under a condition', () =>
  expect(read('While turning, the speed loop shall have a phase margin of more than 45 deg.')).toBe(
    "always(implies(in(ctrl.mode.Turning), phaseMargin(ctrl.voltage) > 45 'deg'))",
  ));

test.each([
  ['The speed loop shall have a phase margin.', 'how much'],
  ['The speed loop shall have a phase margin of 50 deg.', 'tolerance'],
  ['The current loop shall have a phase margin of at least 50 deg.', 'current'],
  ['The speed loop shall have a phase margin of at least 6 dB.', 'dB'],
  ['The speed loop shall have a phase margin of at least 50 deg and a bandwidth of at least 8 Hz.', 'not understood'],
  ['The speed loop shall have a phase margin of at least 50 deg within 2 s.', 'within'],
])('%s is not read by chance', (text, why) => expect(read(text)).toMatch(new RegExp(`^! .*${why}`)));

test('in plain words', () => {
  expect(explainFormula("phaseMargin(ctrl.voltage) >= 50 'deg'", glossary)).toBe(
    'Whenever loops are looked at, the phase margin of speed loop is at least 50 deg.',
  );
  expect(explainFormula('gainMargin(a.b) >= 10^(6/20)')).toBe(
    'Whenever loops are looked at, the gain margin of the loop opened at a.b is at least 6 dB.',
  );
  expect(explainFormula("implies(in(ctrl.mode.Turning), bandwidth(u, y) > 8 'Hz')", glossary)).toBe(
    'Whenever loops are looked at while “turning”, the bandwidth from u to y is above 8 Hz.',
  );
});

test('terms are taken out of an expression, each with its unit; turns and radians are kept apart', () => {
  const terms = (text: string) => {
    const { terms: found, problems } = withLoopTerms(parseExpressionText(text).value);
    return [found.map((t) => `${t.kind} ${t.from}${t.to ? ` ${t.to}` : ''} ${t.unit}`), problems.length];
  };
  expect(terms("phaseMargin(a) >= 3 'deg' and gainMargin(a) > 2")).toEqual([['phaseMargin a rad', 'gainMargin a '], 0]);
  expect(terms("bandwidth(a) >= 3 'Hz' or bandwidth(u, y) >= 3 'krad/s'")).toEqual([
    ['bandwidth a Hz', 'bandwidth u y rad/s'],
    0,
  ]);
  // the difference of both sides is the margin
  expect(terms("bandwidth(a) - 3 'kHz'")).toEqual([['bandwidth a Hz'], 0]);
  expect(terms("bandwidth(a) > 3 'Hz' + 2 'rad/s'")).toEqual([[], 1]);
  expect(terms('bandwidth(a) > 0')).toEqual([[], 1]);
  expect(terms('phaseMargin(a) > 0')).toEqual([['phaseMargin a rad'], 0]);
  expect(terms('phaseMargin() > 0')).toEqual([[], 1]);
});
