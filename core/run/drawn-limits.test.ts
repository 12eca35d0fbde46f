import { isFixed, limitAt, limitsIn } from './drawn-limits';
import type { Moment } from './why';

const units: Readonly<Record<string, string>> = { 'a.speed': 'rad/s', 'a.top': 'rad/s', 'a.t': 'degC', 'a.x': 'm' };
const values: Readonly<Record<string, number>> = { 'a.speed': 3, 'a.top': 40, 'a.t': 20, 'a.x': 0.2 };
const moment: Moment = {
  time: 1,
  value: (n) => values[n],
  unit: (n) => units[n],
  isActive: () => false,
  enteredAt: undefined,
  lastMessage: () => undefined,
};
const drawn = (text: string): unknown[] =>
  limitsIn(text).map((l) => [l.name, l.side, limitAt(l, moment).map((x) => Number(x.toPrecision(6)))]);

test.each([
  ["a.speed <= 330 'rpm'", [['a.speed', 'most', [34.5575]]]],
  ["always(implies(in(ctrl.mode.Ready), a.speed >= 60 'rpm'))", [['a.speed', 'least', [6.28319]]]],
  [
    "a.speed > 1 'rad/s' and a.speed < 2 'rad/s'",
    [
      ['a.speed', 'least', [1]],
      ['a.speed', 'most', [2]],
    ],
  ],
  ["abs(a.x) <= 5 'mm'", [['a.x', 'most', [0.005, -0.005]]]],
  ["a.t < 80 'degC'", [['a.t', 'most', [80]]]],
  ["a.t < 353.15 'K'", [['a.t', 'most', [80]]]],
  ["30 'mm' >= a.x", [['a.x', 'most', [0.03]]]],
  ['a.speed <= 0.5*a.top', [['a.speed', 'most', [20]]]],
  [
    'a.speed <= a.top',
    [
      ['a.speed', 'most', [40]],
      ['a.top', 'least', [3]],
    ],
  ],
  // asked about, not asked for
  ["implies(a.speed > 5 'rpm', a.x < 1 'm')", [['a.x', 'most', [1]]]],
  ["not (a.speed > 5 'rpm')", []],
  ["average(a.speed, 2 's') <= 5 'rpm'", []],
  ["abs(a.x) >= 5 'mm'", []],
  [
    'a.speed <= gone.top',
    [
      ['a.speed', 'most', []],
      ['gone.top', 'least', [3]],
    ],
  ],
  ['a.speed <=', []],
])('%s', (text, wanted) => expect(drawn(text)).toEqual(wanted));

test('a limit is fixed unless something in it changes', () => {
  const [limit] = limitsIn('a.speed <= 2*a.top');
  expect(isFixed(limit, (n) => n === 'a.speed')).toBe(true);
  expect(isFixed(limit, (n) => n === 'a.top')).toBe(false);
});
