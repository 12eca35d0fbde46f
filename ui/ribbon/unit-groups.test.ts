import { unitGroups } from './unit-groups';

const units: Readonly<Record<string, string>> = { u: 'V', i: 'A', v: 'mV', w: 'rad/s', n: 'rpm', x: '', y: '1' };
const groups = (...names: string[]): unknown[] =>
  unitGroups(names, (n) => units[n]).map((g) => [g.names.join(' '), g.unit, g.second]);

test.each([
  [['u', 'v'], [['u v', 'V', undefined]]],
  [['u', 'i', 'v'], [['u i v', 'V', 'A']]],
  [
    ['w', 'u', 'n', 'i', 'v'],
    [
      ['w u n v', 'rad/s', 'V'],
      ['i', 'A', undefined],
    ],
  ],
  [['x'], [['x', '', undefined]]],
  [[], []],
])('%j', (names, wanted) => expect(groups(...names)).toEqual(wanted));
