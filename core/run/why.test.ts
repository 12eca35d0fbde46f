import { newTransition, type Transition } from '../project/project';
import { conditionReasons, valueOf, whyNot, type Moment } from './why';

const moment = (
  more: Partial<Moment> & { values?: Record<string, number>; units?: Record<string, string> } = {},
): Moment => ({
  time: 2,
  enteredAt: 1.5,
  value: (n) => more.values?.[n],
  unit: (n) => more.units?.[n],
  isActive: () => false,
  lastMessage: () => undefined,
  ...more,
});
const t = (more: Partial<Transition>): Transition => ({ ...newTransition('t', 'a', 'b'), ...more });
const told = (x: Transition, m: Moment): string[] =>
  whyNot(x, 'Idle', m).map((r) => `${r.met === undefined ? '?' : r.met ? '+' : '-'} ${r.text}: ${r.detail}`);

test('each part of trigger and guard, with the values in it', () => {
  const x = t({
    triggers: [{ kind: 'message', on: 'start(level)' }],
    guard: 'speed > 3 and not ready and torque < limit',
  });
  expect(
    told(
      x,
      moment({
        values: { speed: 5, ready: 1, torque: 0.2 },
        units: { speed: 'rad/s' },
        lastMessage: (m) => (m === 'start' ? 1.2 : undefined),
      }),
    ),
  ).toEqual([
    '+ Idle is active: Since 1.5 s',
    '- start arrives: It arrived last at 1.2 s',
    '+ speed > 3: speed = 5 rad/s',
    '- not ready: ready = 1',
    '? torque < limit: torque = 0.2, limit was not recorded',
  ]);
  expect(told(x, moment({ enteredAt: undefined }))[0]).toBe('- Idle is active: It is not active at this moment');
});
test('times are told by when they are due', () => {
  expect(told(t({ triggers: [{ kind: 'after', on: "0.8 's'" }] }), moment())[1]).toBe(
    "- after 0.8 's': In 0.3 s, at 2.3 s",
  );
  expect(
    told(t({ triggers: [{ kind: 'after', on: 'hold' }] }), moment({ values: { hold: 200 }, units: { hold: 'ms' } }))[1],
  ).toBe('+ after hold: Since 1.7 s');
  expect(told(t({ triggers: [{ kind: 'every', on: "0.4 's'" }] }), moment())[1]).toBe(
    "- every 0.4 's': In 0.3 s, at 2.3 s",
  );
  expect(told(t({ triggers: [{ kind: 'at', on: "3 's'" }] }), moment())[1]).toBe("- at 3 's': In 1 s, at 3 s");
});
test('numbers with units are compared in the unit of the quantity', () => {
  expect(
    conditionReasons("speed > 300 'rpm'", moment({ values: { speed: 35 }, units: { speed: 'rad/s' } }))[0].met,
  ).toBe(true);
  expect(
    conditionReasons("speed > 300 'rpm'", moment({ values: { speed: 299 }, units: { speed: 'rpm' } }))[0].met,
  ).toBe(false);
  expect(valueOf('in(mode.Fast) and x > 1', moment({ values: { x: 2 }, isActive: (s) => s === 'Fast' }))).toBe(true);
  expect(valueOf('nowhere + 1', moment())).toBeUndefined();
});
test('several triggers count as one reason; else and texts that cannot be read say so', () => {
  const [, both] = whyNot(
    t({
      triggers: [
        { kind: 'when', on: 'x > 1' },
        { kind: 'message', on: 'go' },
      ],
    }),
    'Idle',
    moment({ values: { x: 0 } }),
  );
  expect([both.text, both.met]).toEqual(['x > 1 or go arrives', false]);
  expect(told(t({ guard: 'else' }), moment())[1]).toMatch(/^\? no other guard holds/);
  expect(told(t({ guard: 'x >' }), moment())[1]).toBe('? x >: This cannot be read');
});
