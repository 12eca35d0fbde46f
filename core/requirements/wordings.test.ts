import { idleWords } from '../testing/idle-words';
import { readLimit } from './read-limit';

/** More ways to say the same: opposites, other forms of a verb, sizes, clauses behind clauses, and what is close to them but says something else. */

const glossary = [
  ['spindle speed', 'spindle.speed'],
  ['rated speed', 'spindle.rated'],
  ['winding current', 'spindle.current'],
  ['cap torque', 'cap.torque'],
  ['oil temperature', 'oil.T'],
  ['room temperature', 'room.T'],
  ['tank level', 'tank.h'],
  ['position error', 'axis.e'],
  ['pump is on', 'pump.on'],
  ['fan is off', 'fan.stopped'],
  ['valve is open', 'valve.open'],
  ['gripper is closed', 'gripper.closed'],
  ['door is locked', 'door.locked'],
  ['alarm is active', 'alarm'],
  ['start button is pressed', 'start'],
  ['jam', 'jam'],
  ['standby', 'in(ctrl.mode.Standby)'],
  ['charging', 'in(ctrl.mode.Charging)'],
].map(([phrase, meaning], k) => ({ id: `g${k}`, phrase, meaning }));
const read = (text: string) => readLimit({ text, formula: '' }, glossary);

const understood: readonly (readonly [text: string, formula: string])[] = [
  [
    'While in standby, the winding current shall not be greater than 0.2 A.',
    "always(implies(in(ctrl.mode.Standby), spindle.current <= 0.2 'A'))",
  ],
  [
    'When in standby, the pump shall be on within 1 s.',
    "always(implies(rising(in(ctrl.mode.Standby)), within(1 's', pump.on)))",
  ],
  // opposites
  [
    'If the oil temperature exceeds 90 degC, the pump shall be switched off within 500 ms.',
    "always(implies(rising((oil.T > 90 'degC')), within(500 'ms', not pump.on)))",
  ],
  ['The alarm shall be active while the pump is off.', 'always(implies(not pump.on, alarm))'],
  ['The pump shall remain off until the start button is pressed.', 'until(not pump.on, start)'],
  ['The pump shall not be off while charging.', 'always(implies(in(ctrl.mode.Charging), pump.on))'],
  [
    'The pump shall not be off for longer than 5 s.',
    "always(implies(rising(not pump.on), within(5 's', not (not pump.on))))",
  ],
  ['The fan shall be on while the valve is open.', 'always(implies(valve.open, not fan.stopped))'],
  ['The door shall not be unlocked during charging.', 'always(implies(in(ctrl.mode.Charging), door.locked))'],
  ['While the alarm is inactive, the door shall be locked.', 'always(implies(not alarm, door.locked))'],
  // forms of a verb
  ['The valve shall not be opened during charging.', 'always(implies(in(ctrl.mode.Charging), not valve.open))'],
  [
    'When the gripper closes, the pump shall be on within 2 s.',
    "always(implies(rising(gripper.closed), within(2 's', pump.on)))",
  ],
  [
    'The spindle speed shall decrease below 10 rpm within 1 s after the valve is opened.',
    "always(implies(rising(valve.open), within(1 's', spindle.speed < 10 'rpm')))",
  ],
  [
    'When the valve opens, the spindle speed shall drop to below 5 rpm in less than 0.5 s.',
    "always(implies(rising(valve.open), within(0.5 's', spindle.speed < 5 'rpm')))",
  ],
  // sizes and distances
  ['The position error shall be smaller than 0.1 mm in magnitude.', "always(abs(axis.e) < 0.1 'mm')"],
  ['The position error shall not exceed 0.1 mm in absolute value.', "always(abs(axis.e) <= 0.1 'mm')"],
  ['The absolute value of the position error shall not exceed 0.1 mm.', "always(abs(axis.e) <= 0.1 'mm')"],
  [
    'When the magnitude of the cap torque exceeds 2 Nm, the pump shall be off within 1 s.',
    "always(implies(rising((abs(cap.torque) > 2 'N.m')), within(1 's', not pump.on)))",
  ],
  ['The oil temperature shall not exceed the room temperature by more than 30 K.', "always(oil.T <= room.T + 30 'K')"],
  [
    'The spindle speed shall not fall below the rated speed by more than 20 rpm.',
    "always(spindle.speed >= spindle.rated - 20 'rpm')",
  ],
  ['The oil temperature shall not exceed 60 degC by more than 3 degC.', "always(oil.T <= 60 'degC' + 3 'K')"],
  ['The tank level shall be greater than 0.2 m but less than 0.9 m.', "always(tank.h > 0.2 'm' and tank.h < 0.9 'm')"],
  // the end, and how often
  ['The cap torque shall be 2.5 Nm ± 0.2 Nm at the end of the run.', "atEnd(abs(cap.torque - 2.5 'N.m') <= 0.2 'N.m')"],
  ['At the end of the run, the tank level shall be above 0.5 m.', "atEnd(tank.h > 0.5 'm')"],
  ['The door shall be locked when the run ends.', 'atEnd(door.locked)'],
  ['No more than three jams shall occur within any 10 min.', "always(count(10 'min', jam) <= 3)"],
  ['At least 2 jams shall occur.', 'atEnd(count(jam) >= 2)'],
  ['There shall be no jam while charging.', 'always(implies(in(ctrl.mode.Charging), not jam))'],
  // clauses behind clauses
  [
    'When the start button is pressed while in standby, the pump shall be on within 1 s.',
    "always(implies(rising(start and in(ctrl.mode.Standby)), within(1 's', pump.on)))",
  ],
  [
    'From the moment the valve opens until the door is locked, the spindle speed shall be zero.',
    'always(implies(rising(valve.open), until(spindle.speed == 0, door.locked)))',
  ],
  [
    'For at least 10 s after the start button is pressed, the valve shall not be open.',
    "always(implies(rising(start), throughout(10 's', not valve.open)))",
  ],
];

test.each(understood)('%s', (text, formula) => {
  const { problems, formula: found, unused } = read(text);
  expect([problems, unused]).toEqual([[], []]);
  expect(found).toBe(formula);
});

/** Words that say again what another says, or that a verb needs: without them the sentence says the same. */
const spare = /^(±|while|remain|fall|drop|decrease|switched|in|less|than|for|at|least)$/;

test('every word counts: without it a sentence says something else, or nothing', () =>
  expect(idleWords(understood, glossary, spare)).toEqual([]));

test.each([
  // a valve that is not open may still not be closed
  [
    'The valve shall be closed within 2 s whenever the tank level rises above 0.8 m.',
    '"closed" is not understood: the glossary has neither "valve closed" nor a quantity "valve"',
  ],
  // a time that belongs to the event
  [
    'When the valve is open for at least 5 s, the alarm shall be active within 1 s.',
    '"for" is not understood: the glossary has no event "valve open for at least 5 s"',
  ],
  ['When the valve opens within 5 s, the alarm shall be active.', undefined],
  // a noun, not a verb
  [
    'The valve opening shall not exceed 50 %.',
    '"opening" is not understood: the glossary has no quantity "valve opening"',
  ],
  ['The valve opened shall not exceed 50 %.', undefined],
  ['The gripper close shall be above 3 V.', undefined],
  ['The pump off shall be below 3 V.', undefined],
  // distances that leave something open
  [
    'The oil temperature shall not exceed 60 by more than 3 K.',
    'By how much? Both values need their units here: exceed 60 degC by more than 3 K',
  ],
  [
    'The spindle speed shall not exceed the rated speed by more than 5 %.',
    'By how much? Both values need their units here: exceed 60 degC by more than 3 K',
  ],
  ['The spindle speed shall exceed the rated speed by at most 20 rpm.', '"by" is not understood after the limit'],
  // the end of the run with a condition, with a time
  [
    'While charging, the tank level shall be above 0.5 m at the end of the run.',
    'Does the condition hold when the run ends, or up to then?',
  ],
  ['When the valve opens, the door shall be locked at the end of the run.', undefined],
  [
    'During charging the winding current shall be under 3 A.',
    'A comma is missing after the clause that begins with "During"',
  ],
  ['There shall be no valve.', undefined],
  ['No more than 3.5 jams shall occur.', undefined],
  ['No more than 3 jams shall not occur.', undefined],
  ['The pump shall be neither on nor off.', undefined],
  ['The pump shall be not on while charging.', undefined],
  ['When in standby while charging until jam, the pump shall be off.', undefined],
])('is asked about: %s', (text, message) => {
  const { problems, formula } = read(text);
  expect(formula).toBeUndefined();
  if (message !== undefined) expect(problems[0].message).toBe(message);
});

test('a phrase that is in the glossary wins over its opposite and over other forms', () => {
  const more = [...glossary, { id: 'a', phrase: 'pump is off', meaning: 'pump.dry' }];
  expect(readLimit({ text: 'The pump shall never be off.', formula: '' }, more).formula).toBe('always(not pump.dry)');
  const forms = [...glossary, { id: 'b', phrase: 'valve is opened', meaning: 'valve.opened' }];
  expect(readLimit({ text: 'The valve shall never be opened.', formula: '' }, forms).formula).toBe(
    'always(not valve.opened)',
  );
});
