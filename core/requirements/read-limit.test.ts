import { parseExpressionText } from '../language/parse';
import { limitOperators, marginOf, obligations, readFormula } from './formula';
import { readLimit, showFormula } from './read-limit';

const glossary = [
  ['spindle speed', 'spindle.speed'],
  ['cap torque', 'cap.torque'],
  ['winding current', 'spindle.current'],
  ['tube is clamped', 'gripper.closed'],
  ['cap is seated', 'cap.seated'],
  ['turning', 'in(ctrl.mode.Turning)'],
  ['guard opens', 'guard.open'],
  ['heater is fitted', 'heater.fitted'],
  ['finish tubes', 'belt.moving'],
  ['torque limit', 'ctrl.limit'],
  ['room temperature', 'room.T'],
  ['belt moves', 'belt.speed > 0.001'],
  ['gripper is closed', 'gripper.closed'],
].map(([phrase, meaning], k) => ({ id: `g${k}`, phrase, meaning }));

const read = (text: string) => readLimit({ text, formula: '' }, glossary);

test.each([
  ['The spindle speed shall not exceed 330 rpm.', "always(spindle.speed <= 330 'rpm')"],
  ['The cap torque shall be at least 0.5 N.m.', "always(cap.torque >= 0.5 'N.m')"],
  ['The cap torque shall be at most 500mN.m', "always(cap.torque <= 500 'mN.m')"],
  [
    'While turning, the winding current shall stay below 10 A.',
    "always(implies(in(ctrl.mode.Turning), spindle.current < 10 'A'))",
  ],
  [
    'The winding current shall stay above 2 A while turning.',
    "always(implies(in(ctrl.mode.Turning), spindle.current > 2 'A'))",
  ],
  [
    'The cap torque shall be between 0.55 and 0.65 N.m.',
    "always(cap.torque >= 0.55 'N.m' and cap.torque <= 0.65 'N.m')",
  ],
  [
    'When a tube is clamped, the cap shall be seated within 1.6 s.',
    "always(implies(rising(gripper.closed), within(1.6 's', cap.seated)))",
  ],
  [
    'When the guard opens, the spindle speed shall fall below 5 rpm within 200 ms.',
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'While the gripper is closed, the belt shall not move.',
    'always(implies(gripper.closed, not (belt.speed > 0.001)))',
  ],
  ['The winding current shall be less than 8 A.', "always(spindle.current < 8 'A')"],
  [
    'The spindle speed shall be at least 2 rpm and at most 6 rpm.',
    "always(spindle.speed >= 2 'rpm' and spindle.speed <= 6 'rpm')",
  ],
  [
    'The spindle speed shall not exceed 300 rpm and shall not fall below 3 rpm.',
    "always(spindle.speed <= 300 'rpm' and spindle.speed >= 3 'rpm')",
  ],
  ['The cap torque shall not exceed the torque limit.', 'always(cap.torque <= ctrl.limit)'],
  ['The cap torque shall be within 0.05 N.m of 0.6 N.m.', "always(abs(cap.torque - 0.6 'N.m') <= 0.05 'N.m')"],
  ['The room temperature shall stay within ±2 % of 60 degC.', "always(abs(room.T - 60 'degC') <= 1.2 'K')"],
  ['The cap torque shall be 0.6 N.m ± 0.05 N.m.', "always(abs(cap.torque - 0.6 'N.m') <= 0.05 'N.m')"],
  [
    'Where the heater is fitted, the room temperature shall stay above 20 degC.',
    "always(implies(heater.fitted, room.T > 20 'degC'))",
  ],
  [
    'While turning, when the guard opens, the spindle speed shall fall below 5 rpm within 200 ms.',
    "always(implies(rising(guard.open and in(ctrl.mode.Turning)), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'If the guard opens, then the spindle speed shall fall below 5 rpm within 200 ms.',
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  ['If the gripper is closed, the belt shall not move.', 'always(implies(gripper.closed, not (belt.speed > 0.001)))'],
  [
    'The belt shall never move while the gripper is closed.',
    'always(implies(gripper.closed, not (belt.speed > 0.001)))',
  ],
  [
    'Within 200 ms after the guard opens, the spindle speed shall be below 5 rpm.',
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'The cap shall be seated within 1.6 s after a tube is clamped.',
    "always(implies(rising(gripper.closed), within(1.6 's', cap.seated)))",
  ],
  [
    'When the cap torque exceeds 0.5 N.m, the spindle speed shall fall below 1 rpm within 50 ms.',
    "always(implies(rising((cap.torque > 0.5 'N.m')), within(50 'ms', spindle.speed < 1 'rpm')))",
  ],
  [
    'When the guard opens or the gripper is closed, the belt shall not move.',
    'always(implies((guard.open or gripper.closed), not (belt.speed > 0.001)))',
  ],
  [
    'When a tube is clamped, the spindle speed shall reach 200 rpm within 0.5 s.',
    "always(implies(rising(gripper.closed), within(0.5 's', spindle.speed >= 200 'rpm')))",
  ],
  ['The spindle speed shall reach 200 rpm.', "eventually(spindle.speed >= 200 'rpm')"],
  ['The spindle speed shall reach 200 rpm within 2 s.', "within(2 's', spindle.speed >= 200 'rpm')"],
  [
    'When a tube is clamped, the room temperature shall settle to 60 degC ± 2 % within 5 s.',
    "always(implies(after(5 's', gripper.closed), abs(room.T - 60 'degC') <= 1.2 'K'))",
  ],
  [
    'The spindle speed shall settle within 3 s to within 5 rpm of 250 rpm.',
    "always(implies(time >= 3 's', abs(spindle.speed - 250 'rpm') <= 5 'rpm'))",
  ],
  [
    'The settling time of the spindle speed to 250 rpm ± 2 % shall be at most 0.4 s.',
    "always(implies(time >= 0.4 's', abs(spindle.speed - 250 'rpm') <= 5 'rpm'))",
  ],
  [
    'When a tube is clamped, the spindle speed shall overshoot 250 rpm by at most 5 %.',
    "always(implies(after(0 's', gripper.closed), spindle.speed <= 250 'rpm' + 0.05*(250 'rpm' - at(gripper.closed, spindle.speed))))",
  ],
  [
    'The overshoot of the spindle speed over 250 rpm shall not exceed 5 %.',
    "always(spindle.speed <= 250 'rpm' + 0.05*(250 'rpm' - at(spindle.speed)))",
  ],
  [
    'The rise time of the spindle speed to 250 rpm shall be at most 0.3 s.',
    "always(implies(rising(spindle.speed >= 0.1*250 'rpm'), within(0.3 's', spindle.speed >= 0.9*250 'rpm')))",
  ],
  [
    'The rise time of the spindle speed from 20 rpm to 200 rpm shall be less than 0.3 s.',
    "always(implies(rising(spindle.speed >= 20 'rpm'), within(0.3 's', spindle.speed >= 200 'rpm')))",
  ],
  [
    'When the guard opens, the spindle speed shall stay below 5 rpm for at least 2 s.',
    "always(implies(rising(guard.open), throughout(2 's', spindle.speed < 5 'rpm')))",
  ],
  [
    'The gripper shall be closed for at least 0.3 s.',
    "always(implies(rising(gripper.closed), throughout(0.3 's', gripper.closed)))",
  ],
  [
    'The winding current shall not exceed 8 A for longer than 50 ms.',
    "always(implies(rising(spindle.current > 8 'A'), within(50 'ms', not (spindle.current > 8 'A'))))",
  ],
  [
    'The gripper shall be closed for no longer than 4 s.',
    "always(implies(rising(gripper.closed), within(4 's', not gripper.closed)))",
  ],
  [
    'When a tube is clamped, the gripper shall be closed until the cap is seated.',
    'always(implies(rising(gripper.closed), until(gripper.closed, cap.seated)))',
  ],
  ['The guard shall open at most 3 times.', 'always(count(guard.open) <= 3)'],
  ['The guard shall open no more than twice per minute.', "always(count(1 'min', guard.open) <= 2)"],
  ['The guard shall not open more than 3 times per 10 s.', "always(count(10 's', guard.open) <= 3)"],
  [
    'The capper shall finish at least 22 tubes per minute.',
    "atEnd(rate((belt.moving)) >= 22 '1/min')".replace('((belt.moving))', '(belt.moving)'),
  ],
  ['The average winding current shall not exceed 3 A.', "atEnd(average(spindle.current) <= 3 'A')"],
  [
    'While turning, the mean winding current shall be below 3 A.',
    "atEnd(averageDuring(in(ctrl.mode.Turning), spindle.current) < 3 'A')",
  ],
  [
    'The average of the winding current over any 10 s shall not exceed 3 A.',
    "always(average(10 's', spindle.current) <= 3 'A')",
  ],
  ['The rms winding current shall be at most 2.5 A over any 10 s.', "always(rms(10 's', spindle.current) <= 2.5 'A')"],
  ['The peak winding current shall not exceed 9 A.', "always(abs(spindle.current) <= 9 'A')"],
  ['The number of guard openings shall be at most two.', /openings/],
  ['Within 1 s of the start, the spindle speed shall be above 5 rpm.', "within(1 's', spindle.speed > 5 'rpm')"],
])('%s', (text, formula: string | RegExp) => {
  const limit = read(text);
  if (formula instanceof RegExp) {
    expect(limit.formula).toBeUndefined();
    expect(limit.problems[0].message).toMatch(formula.source === '^$' ? /./ : formula);
    return;
  }
  expect(limit.unused.map((u) => text.slice(u.start, u.end))).toEqual(text.startsWith('The capper') ? ['capper'] : []);
  expect(limit.problems).toEqual([]);
  expect(limit.formula).toBe(formula);
  expect(readFormula(formula).problems).toEqual([]);
  // what is shown can be parsed once its units are quoted again
  expect(parseExpressionText(limit.formula!).problems).toEqual([]);
  expect(showFormula(formula)).not.toContain("'");
});

test.each([
  [
    'The spindel speed shall not exceed 330 rpm.',
    'spindel',
    /"spindel" is not understood: the glossary has no quantity "spindel speed"/,
  ],
  ['The spindle speed shall be fast.', 'fast', /"fast" is not understood/],
  ['The spindle speed shall not exceed the limit.', 'the', /a number with a unit is expected/],
  ['The cap torque shall stay below 10.', '', /^$/],
  ['The cap torque shall be above.', 'above', /A number is missing/],
  ['The spindle turns.', 'The spindle turns.', /no "shall"/],
  ['When the guard opens, the spindle speed shall fall below 5 rpm.', 'rpm', /how soon/],
  ['The spindle speed shall fall below 5 rpm within 200 ms.', '200 ms', /needs a moment to count from/],
  ['The cap torque shall not exceed 0.85 grobbles.', 'grobbles', /"grobbles" is not understood after the limit/],
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
  expect(readLimit({ text: 'whatever', formula: "always(cap.torque < 1 'N.m')" }, glossary)).toMatchObject({
    formula: "always(cap.torque < 1 'N.m')",
    byHand: true,
    about: 'cap.torque',
  });
});

describe('formulas', () => {
  const shape = (text: string): string[] => {
    const { formula, problems } = readFormula(text);
    expect(problems).toEqual([]);
    return obligations(formula!).map((o) => `${o.mode} ${o.body.kind}`);
  };
  test('what is decided on its own, and when', () => {
    expect(shape("always(implies(rising(a), within(200 'ms', b < 5 'rpm')))")).toEqual(['always implies']);
    expect(shape("x <= 3 'V'")).toEqual(['always state']);
    expect(shape("always(x <= 3 'V') and atEnd(average(x) < 2 'V')")).toEqual(['always state', 'end compare']);
    expect(shape('rate(a) >= 22')).toEqual(['end compare']);
    expect(shape('eventually(a)')).toEqual(['eventually state']);
    expect(shape('within(3, a)')).toEqual(['start eventually']);
  });
  test('times are in seconds whatever they were written in', () => {
    expect(readFormula("within(200 'ms', a)").formula).toMatchObject({ kind: 'eventually', from: 0, to: 0.2 });
    expect(readFormula("always(1 'min', 2 'min', a)").formula).toMatchObject({ kind: 'always', from: 60, to: 120 });
  });
  test('the margin of a condition is its distance to the limit, in the unit of the limit', () => {
    const margin = (text: string) => marginOf(parseExpressionText(text).value);
    expect(margin("x <= 3 'V'")?.unit).toBe('V');
    expect(margin("not (x > 3 'V')")?.unit).toBe('V');
    expect(margin("abs(x - 60 'degC') <= 1.2 'K'")?.unit).toBe('K');
    expect(margin('x and y')).toBeUndefined();
  });
  test.each([
    ['always(within(1))', /Write within\(T, p\)/],
    ["within(5 'V', b)", /A time is expected/],
    ['always(x <', /Expected a value/],
    ['always(2, 1, x)', /ends before it begins/],
    ['count(a)', /count is a number: compare it/],
    ['count(within(1, a)) < 3', /looks ahead/],
    ['sin(count(a)) < 1', /cannot be used around/],
    ['always(count(a) + 1)', /A condition is expected/],
    ['within(a) < 3', /is a condition, not a number/],
  ])('%s is refused', (text, message) => {
    expect(readFormula(text).problems[0].message).toMatch(message);
  });
});

test('an operator listed for people is one that can be read', () => {
  for (const [name, { forms }] of Object.entries(limitOperators)) {
    for (const form of forms) {
      const text = form.replace('from, to', '1, 2').replace('T', '1');
      const isNumber = readFormula(text).problems.length > 0;
      expect([name, form, readFormula(isNumber ? `${text} < 3` : text).problems]).toEqual([name, form, []]);
    }
  }
});
