import { parseExpressionText } from '../language/parse';
import { readFormula } from './formula';
import { readLimit, showFormula } from './read-limit';

const glossary = [
  ['spindle speed', 'spindle.speed'], ['cap torque', 'cap.torque'], ['winding current', 'spindle.current'], ['tube is clamped', 'gripper.closed'], ['cap is seated', 'cap.seated'],
  ['turning', 'in(ctrl.mode.Turning)'], ['guard opens', 'guard.open'], ['belt moves', 'belt.speed > 0.001'], ['gripper is closed', 'gripper.closed'],
].map(([phrase, meaning], k) => ({ id: `g${k}`, phrase, meaning }));

const read = (text: string) => readLimit({ text, formula: '' }, glossary);

test.each([
  ['The spindle speed shall not exceed 330 rpm.', "always(spindle.speed <= 330 'rpm')"],
  ['The cap torque shall be at least 0.5 N.m.', "always(cap.torque >= 0.5 'N.m')"],
  ['The cap torque shall be at most 500mN.m', "always(cap.torque <= 500 'mN.m')"],
  ['While turning, the winding current shall stay below 10 A.', "always(implies(in(ctrl.mode.Turning), spindle.current < 10 'A'))"],
  ['The winding current shall stay above 2 A while turning.', "always(implies(in(ctrl.mode.Turning), spindle.current > 2 'A'))"],
  ['The cap torque shall be between 0.55 and 0.65 N.m.', "always(cap.torque >= 0.55 'N.m' and cap.torque <= 0.65 'N.m')"],
  ['When a tube is clamped, the cap shall be seated within 1.6 s.', "always(implies(rising(gripper.closed), within(1.6 's', cap.seated)))"],
  ['When the guard opens, the spindle speed shall fall below 5 rpm within 200 ms.', "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))"],
  ['While the gripper is closed, the belt shall not move.', 'always(implies(gripper.closed, not (belt.speed > 0.001)))'],
  ['The winding current shall be less than 8 A.', "always(spindle.current < 8 'A')"],
])('%s', (text, formula) => {
  const limit = read(text);
  expect(limit.problems).toEqual([]);
  expect(limit.formula).toBe(formula);
  expect(readFormula(formula).problems).toEqual([]);
  // what is shown can be parsed once its units are quoted again
  expect(parseExpressionText(limit.formula!).problems).toEqual([]);
  expect(showFormula(formula)).not.toContain("'");
});

test.each([
  ['The spindel speed shall not exceed 330 rpm.', 'spindel', /"spindel" is not understood: the glossary has no quantity "spindel speed"/],
  ['The spindle speed shall be fast.', 'fast', /"fast" is not understood/],
  ['The spindle speed shall not exceed the limit.', 'the', /a number with a unit is expected/],
  ['The cap torque shall stay below 10.', '', /^$/],
  ['The cap torque shall be above.', 'above', /A number is missing/],
  ['The spindle turns.', 'The spindle turns.', /no "shall"/],
  ['When the guard opens, the spindle speed shall fall below 5 rpm.', 'rpm', /how soon/],
  ['The spindle speed shall fall below 5 rpm within 200 ms.', '200 ms', /needs a moment to count from/],
  ['The cap torque shall not exceed 0.85 Newtons.', 'Newtons', /"Newtons" is not understood after the limit/],
])('what cannot be read is told by the word: %s', (text, word, message) => {
  const { problems, formula } = read(text);
  if (word === '') {
    expect(formula).toBe('always(cap.torque < 10)');
    return;
  }
  expect(formula).toBeUndefined();
  expect(problems[0].message).toMatch(message);
  expect(text.slice(problems[0].span!.start, problems[0].span!.end)).toBe(word);
});

test('a formula written by hand wins over the text', () => {
  expect(readLimit({ text: 'whatever', formula: "always(cap.torque < 1 'N.m')" }, glossary)).toMatchObject({ formula: "always(cap.torque < 1 'N.m')", byHand: true, about: 'cap.torque' });
});

describe('formulas', () => {
  test('the parts of a limit', () => {
    expect(readFormula("always(implies(rising(a), within(200 'ms', b < 5 'rpm')))").formula).toMatchObject({ kind: 'response', within: 0.2, withinUnit: 'ms', unit: 'rpm', strict: true });
    expect(readFormula("always(x <= 3 'V')").formula).toMatchObject({ kind: 'invariant', unit: 'V', strict: false });
    expect(readFormula('always(not a)').formula?.margin).toBeUndefined();
  });
  test.each([
    ['always(within(1, a))', /within counts from a moment/], ["always(implies(rising(a), within(5 'V', b)))", /needs a time/], ['always(always(a) and b)', /cannot stand inside/], ['always(x <', /Expected a value/],
  ])('%s is refused', (text, message) => {
    expect(readFormula(text).problems[0].message).toMatch(message);
  });
});
