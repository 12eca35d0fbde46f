import { idleWords } from '../testing/idle-words';
import { readLimit } from './read-limit';

/** Sentences as engineers write them: what is read means what it says, and what could mean something else is asked about. */

const glossary = [
  ['spindle speed', 'spindle.speed'],
  ['cap torque', 'cap.torque'],
  ['winding current', 'spindle.current'],
  ['current', 'i'],
  ['current limit', 'i.limit'],
  ['tube is clamped', 'gripper.closed'],
  ['cap is seated', 'cap.seated'],
  ['turning', 'in(ctrl.mode.Turning)'],
  ['standby', 'in(ctrl.mode.Standby)'],
  ['guard opens', 'guard.open'],
  ['heater is on', 'heater.on'],
  ['brake is engaged', 'brake.on'],
  ['room temperature', 'room.T'],
  ['belt moves', 'belt.speed > 0.001'],
  ['gripper is closed', 'gripper.closed'],
  ['emergency stop is pressed', 'stop'],
  ['motor is enabled', 'motor.enabled'],
  ['arm angle', 'arm.phi'],
  ['set point', 'sp'],
  ['supply voltage', 'u'],
  ['door', 'door.closed'],
].map(([phrase, meaning], k) => ({ id: `g${k}`, phrase, meaning }));
const read = (text: string) => readLimit({ text, formula: '' }, glossary);

const understood: readonly (readonly [text: string, formula: string])[] = [
  [
    'In standby, the winding current shall not exceed 0.2 A.',
    "always(implies(in(ctrl.mode.Standby), spindle.current <= 0.2 'A'))",
  ],
  [
    'As soon as the guard opens, the spindle speed shall fall below 5 rpm within 200 ms.',
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'In the event that the guard opens, the spindle speed must drop below 5 rpm within 0.2 s.',
    "always(implies(rising(guard.open), within(0.2 's', spindle.speed < 5 'rpm')))",
  ],
  [
    'No more than 3 s after the heater is on, the room temperature shall exceed 60 degC.',
    "always(implies(rising(heater.on), within(3 's', room.T > 60 'degC')))",
  ],
  ['The spindle speed must not exceed 330 rpm.', "always(spindle.speed <= 330 'rpm')"],
  ['The winding current shall be limited to 8 A.', "always(spindle.current <= 8 'A')"],
  ['The spindle speed shall be zero while the guard is open.', 'always(implies(guard.open, spindle.speed == 0))'],
  ['While the guard opens, the spindle speed shall be zero.', 'always(implies(guard.open, spindle.speed == 0))'],
  [
    'The cap shall be seated no later than 1.6 s after a tube is clamped.',
    "always(implies(rising(gripper.closed), within(1.6 's', cap.seated)))",
  ],
  ['At no time shall the winding current exceed 9 A.', "always(spindle.current <= 9 'A')"],
  ['The winding current shall at no time exceed 9 A.', "always(spindle.current <= 9 'A')"],
  ['The cap torque shall not exceed 0.85 Nm.', "always(cap.torque <= 0.85 'N.m')"],
  ['The arm angle shall stay within ±10 deg of 45 deg.', "always(abs(arm.phi - 45 'deg') <= 10 'deg')"],
  [
    'The average winding current over any 30 s shall not exceed 3 A.',
    "always(average(30 's', spindle.current) <= 3 'A')",
  ],
  [
    'The average of the winding current over any 30 s shall be below 3 A.',
    "always(average(30 's', spindle.current) < 3 'A')",
  ],
  ['The supply voltage shall be in the range of 22 to 26 V.', "always(u >= 22 'V' and u <= 26 'V')"],
  ['The supply voltage shall be in the range from 22 V to 26 V.', "always(u >= 22 'V' and u <= 26 'V')"],
  [
    'The room temperature shall be kept at 60 degC with a tolerance of 2 K.',
    "always(abs(room.T - 60 'degC') <= 2 'K')",
  ],
  [
    'The brake shall remain engaged for 2 s after the emergency stop is pressed.',
    "always(implies(rising(stop), throughout(2 's', brake.on)))",
  ],
  ['The guard shall not open more often than 3 times per minute.', "always(count(1 'min', guard.open) <= 3)"],
  ['The cap torque shall be less than or equal to 0.85 N.m.', "always(cap.torque <= 0.85 'N.m')"],
  [
    '2 s after the heater is on, the winding current shall be below 3 A.',
    "always(implies(rising(heater.on), always(2 's', 2 's', spindle.current < 3 'A')))",
  ],
  [
    'The motor shall not be enabled unless the gripper is closed.',
    'always(implies(not gripper.closed, not motor.enabled))',
  ],
  [
    'The brake shall be engaged if and only if the motor is not enabled.',
    'always(implies(not motor.enabled, brake.on) and implies(brake.on, not motor.enabled))',
  ],
  [
    'The spindle speed shall stay below 100 and above -50 rpm.',
    "always(spindle.speed < 100 'rpm' and spindle.speed > -50 'rpm')",
  ],
  [
    'The spindle speed shall be at least 10 and at most 200 rpm.',
    "always(spindle.speed >= 10 'rpm' and spindle.speed <= 200 'rpm')",
  ],
  ['The current shall not exceed the current limit.', 'always(i <= i.limit)'],
  ['The winding current shall not exceed the current limit.', 'always(spindle.current <= i.limit)'],
  ['When the guard is open, the belt shall not move.', 'always(implies(guard.open, not (belt.speed > 0.001)))'],
  [
    'If the emergency stop is pressed, the spindle speed shall fall below 5 rpm within 0.5 s.',
    "always(implies(rising(stop), within(0.5 's', spindle.speed < 5 'rpm')))",
  ],
  ['The room temperature shall not deviate from 60 degC by more than 2 K.', "always(abs(room.T - 60 'degC') <= 2 'K')"],
  ['The winding current shall not exceed 80 % of the current limit.', 'always(spindle.current <= 0.8*i.limit)'],
  [
    'Unless the gripper is closed, the belt shall not move.',
    'always(implies(not gripper.closed, not (belt.speed > 0.001)))',
  ],
  ['The motor shall be enabled only if the gripper is closed.', 'always(implies(motor.enabled, gripper.closed))'],
  [
    'The spindle speed shall not be below 5 rpm or above 300 rpm.',
    "always(spindle.speed >= 5 'rpm' and spindle.speed <= 300 'rpm')",
  ],
  [
    'The time from the tube is clamped to the cap is seated shall not exceed 1.6 s.',
    "always(implies(rising(gripper.closed), within(1.6 's', cap.seated)))",
  ],
  [
    'For 2 s after the emergency stop is pressed, the brake shall remain engaged.',
    "always(implies(rising(stop), throughout(2 's', brake.on)))",
  ],
  [
    'The spindle speed shall fall below 5 rpm within 200 ms when the guard opens.',
    "always(implies(rising(guard.open), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'When the guard opens and the gripper is closed, the spindle speed shall fall below 5 rpm within 200 ms.',
    "always(implies(rising((guard.open and gripper.closed)), within(200 'ms', spindle.speed < 5 'rpm')))",
  ],
  [
    'The spindle speed shall not exceed 330 rpm in standby.',
    "always(implies(in(ctrl.mode.Standby), spindle.speed <= 330 'rpm'))",
  ],
  ['The winding current shall be under 8 A at all times.', "always(spindle.current < 8 'A')"],
  [
    'During standby, the supply voltage shall remain between 22 V and 26 V.',
    "always(implies(in(ctrl.mode.Standby), u >= 22 'V' and u <= 26 'V'))",
  ],
  [
    'The spindle speed shall be greater than 5 rpm and less than 6 rpm while turning.',
    "always(implies(in(ctrl.mode.Turning), spindle.speed > 5 'rpm' and spindle.speed < 6 'rpm'))",
  ],
  ['The belt shall never move while the guard is open.', 'always(implies(guard.open, not (belt.speed > 0.001)))'],
  [
    'Whenever the guard is open, the spindle speed shall not exceed 5 rpm.',
    "always(implies(guard.open, spindle.speed <= 5 'rpm'))",
  ],
  [
    'The winding current shall exceed 8 A for no longer than 50 ms.',
    "always(implies(rising(spindle.current > 8 'A'), within(50 'ms', not (spindle.current > 8 'A'))))",
  ],
  [
    'The spindle speed shall reach 200 rpm no later than 2 s after the motor is enabled.',
    "always(implies(rising(motor.enabled), within(2 's', spindle.speed >= 200 'rpm')))",
  ],
  [
    'The spindle speed shall not exceed 330 rpm except while turning.',
    "always(implies(not in(ctrl.mode.Turning), spindle.speed <= 330 'rpm'))",
  ],
  ['Within 2 s of the start, the spindle speed shall be above 5 rpm.', "within(2 's', spindle.speed > 5 'rpm')"],
  [
    'The spindle speed shall never be more than 330 rpm or less than 0 rpm.',
    "always(spindle.speed <= 330 'rpm' and spindle.speed >= 0 'rpm')",
  ],
  [
    'Where the heater is on, if the guard opens, the belt shall not move.',
    'always(implies(heater.on and guard.open, not (belt.speed > 0.001)))',
  ],
  ['The brake shall be engaged while the motor is not enabled.', 'always(implies(not motor.enabled, brake.on))'],
];

test.each(understood)('%s', (text, formula) => {
  const { problems, formula: found, unused } = read(text);
  expect([problems, unused]).toEqual([[], []]);
  expect(found).toBe(formula);
});

/** Words that say again what another says, or that a verb needs: without them the sentence says the same. */
const spare = /^(±|stay|remain|fall|drop|rise|from|kept|at|often)$/;

test('every word counts: without it a sentence says something else, or nothing', () =>
  expect(idleWords(understood, glossary, spare)).toEqual([]));

test('when it is over and how it stays', () => {
  expect(read('2 s after the guard opens, the spindle speed shall stay below 5 rpm.').formula).toBe(
    "always(implies(after(2 's', guard.open), spindle.speed < 5 'rpm'))",
  );
  expect(read('When the guard opens, the spindle speed shall stay below 5 rpm.').formula).toBe(
    "always(implies(guard.open, spindle.speed < 5 'rpm'))",
  );
  expect(read('When the guard opens, the spindle speed shall be below 5 rpm.').formula).toBeUndefined();
});

test.each([
  [
    'The spindle speed shall be above 5 rpm and below 10 rpm or above 20 rpm.',
    '"and" and "or" side by side can be read in two ways: write two requirements',
  ],
  ['The spindle speed shall be at least 100 rpm and at most 50 rpm.', 'No value can be both'],
  [
    '2 s after the heater is on, the winding current shall not exceed 3 A.',
    'At that moment, or from then on? Say what it shall be then, or how it shall stay',
  ],
  [
    'The guard shall open at least 3 times in any 10 s.',
    'How does the span of time over which go together with the rest? Write it as a requirement of its own',
  ],
  [
    'The spindle speed shall stay below 5 rpm within 2 s after the guard opens.',
    'Does it have to begin within the time, or to last for it? Say "for 2 s after ..." or "be"',
  ],
  [
    'While the guard is not never open, the belt shall not move.',
    '"guard" is not understood: the glossary has no condition "guard not never open"',
  ],
  [
    'The brake shall not be engaged within 2 s after the heater is on.',
    '"not" and "within" can be read in two ways: say "for 2 s after ..." where it must not be all that time',
  ],
  [
    'The guard shall open at least 3 times within 10 s after the heater is on.',
    'How does the event go together with the rest? Write it as a requirement of its own',
  ],
  [
    'When the guard opens, the average winding current shall not exceed 3 A within 10 s.',
    'How does the event go together with the rest? Write it as a requirement of its own',
  ],
  [
    'The cap torque shall be at most 6 ± 0.2 N.m.',
    '"±" gives a value its tolerance; a limit has none: write the limit itself',
  ],
  [
    'The supply voltage shall be between 65 and 15 V.',
    'Between 65 and 15 there is nothing: the lower limit comes first',
  ],
  [
    'Once the emergency stop is pressed, the motor shall not be enabled.',
    'From then on, or as long as it is so? Say "while", or "for 2 s after"',
  ],
  [
    'The spindle speed shall not be below 5 rpm and above 300 rpm.',
    'Does "not" count for both? Write "and shall not", or two requirements',
  ],
  [
    'The left spindle speed shall not exceed 330 rpm.',
    '"left" is not understood: the glossary has no quantity "left spindle speed"',
  ],
  ['The spindle speed shall not exceed 1,000 rpm.', '"000" is not understood after the limit'],
  [
    'The spindle speed shall be approximately 5 rpm.',
    '"approximately" is not understood: limits read like "not exceed", "at least", "below", "within 2 % of" or "between"',
  ],
  ['The spindle speed shall be 5 rpm.', 'Exactly that? Give it a tolerance: 5 V ± 0.1 V'],
  [
    'After the guard opens, the belt shall not move.',
    'From then on, or as long as it is so? Say "while", or "for 2 s after"',
  ],
  [
    'The mean winding current while turning shall not exceed 3 A.',
    '"mean" is not understood: the glossary has no quantity "mean winding current while turning"',
  ],
  [
    'The door shall be closed within 1 s after the motor is enabled.',
    '"closed" is not understood: limits read like "not exceed", "at least", "below", "within 2 % of" or "between"',
  ],
])('is asked about: %s', (text, message) => {
  const { problems, formula } = read(text);
  expect(formula).toBeUndefined();
  expect(problems[0].message).toBe(message);
});

test('a number without a unit beside one that has it takes that unit, and says so', () => {
  expect(read('The spindle speed shall stay below 100 and above -50 rpm.')).toMatchObject({
    formula: "always(spindle.speed < 100 'rpm' and spindle.speed > -50 'rpm')",
    notes: ['100 has no unit: it is taken in rpm'],
  });
  expect(read('The spindle speed shall be below 100.').notes).toEqual([
    '100 has no unit: it is taken in that of spindle.speed',
  ]);
  expect(read('The spindle speed shall be below 100 rpm.').notes).toEqual([]);
  expect(read('The supply voltage shall be at least 5 and at most 6 V and below 5500 mV.').problems[0].message).toBe(
    'In which unit is the number without one: V or mV?',
  );
});

test.each(['constructor', 'toString', '__proto__', 'valueOf', 'hasOwnProperty'])(
  'a word that objects know of is a word like any other: %s',
  (word) => {
    for (const text of [
      `The ${word} spindle speed shall not exceed 5 rpm.`,
      `The spindle speed shall not exceed 5 ${word}.`,
      `The spindle speed shall not exceed ${word} rpm.`,
      `The guard shall open at most ${word} times.`,
      `When the ${word} opens, the spindle speed shall fall below 5 rpm within ${word}.`,
      `${word} shall ${word}.`,
    ]) {
      const { formula, problems } = read(text);
      expect([text, formula, problems.length]).toEqual([text, undefined, 1]);
    }
  },
);
