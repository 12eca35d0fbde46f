import fc from 'fast-check';
import { readCsvSheet } from '../formats/sheet-csv';
import { newVector, type Vector } from '../project/project';
import { vectorsOfSheet } from './vectors-of-sheet';

const of = (text: string, known: readonly Vector[] = []) => {
  let ids = 0;
  const { value } = readCsvSheet(new TextEncoder().encode(text), 'table.csv');
  return vectorsOfSheet(value!.sheets[0], known, () => `v${++ids}`);
};
const told = (text: string, known?: readonly Vector[]): string[] =>
  (of(text, known).problems ?? []).map((p) => `${p.cell}: ${p.message}`);

test('columns are what their heads say, with units, tolerances and gaps', () => {
  const { vectors, rows } = of(
    [
      'time [ms],set temperature [degC],send start,expect torque ± 0.1 ± 2 % ± 0.01 s,expect in(mode.On)',
      '0,95,,0,FALSE',
      '',
      '100,,x,,',
      '250.5,96.5,2,0.61,TRUE',
    ].join('\n'),
  );
  expect(vectors).toEqual([
    { ...newVector('v1', 'set', 'temperature') },
    { ...newVector('v2', 'send', 'start') },
    { ...newVector('v3', 'expect', 'torque'), absolute: 0.1, relative: 0.02, late: 0.01 },
    { ...newVector('v4', 'expect', 'in(mode.On)') },
  ]);
  expect(rows).toEqual([
    {
      time: 0,
      cells: [
        { column: 'v1', value: "95 'degC'" },
        { column: 'v3', value: '0' },
        { column: 'v4', value: 'false' },
      ],
    },
    { time: 0.1, cells: [{ column: 'v2', value: 'x' }] },
    {
      time: 0.2505,
      cells: [
        { column: 'v1', value: "96.5 'degC'" },
        { column: 'v2', value: '2' },
        { column: 'v3', value: '0.61' },
        { column: 'v4', value: 'true' },
      ],
    },
  ]);
});

test('a column the case has already keeps what it is', () => {
  const own = { ...newVector('own', 'expect', 'torque'), absolute: 0.3 };
  expect(of('time,torque\n0,1', [own]).vectors).toEqual([own]);
  expect(of('time,expect torque\n0,1', [own]).vectors).toEqual([own]);
  expect(of('time,expect torque ± 1 s\n0,1', [own]).vectors).toEqual([{ ...own, absolute: 0, relative: 0, late: 1 }]);
  expect(told('time,torque\n0,1', [own, newVector('other', 'set', 'torque')])).toEqual([
    'B1: torque is more than one column of this case: say which, such as "expect torque"',
  ]);
});

test('what is not understood is told at its cell, and nothing is taken', () => {
  expect(told('\n \n')).toEqual(['A1: The sheet is empty']);
  expect(told('speed,time\n1,2')[0]).toBe('A1: The first column is time: its head is "time" or "time [ms]"');
  expect(told('time [h],set x\n1,2')).toEqual(['A1: h is no unit of time that is known here: s, ms, us or min']);
  expect(told('time,speed\n0,1')).toEqual([
    'B1: It is not said what speed is: "set speed", "send speed" or "expect speed"',
  ]);
  expect(told('time,set x,set x\n0,1,2')).toEqual(['C1: x is there twice']);
  expect(told('time,set x,\n0,1,2')).toEqual(['C1: The column has values and no head']);
  expect(told('time\n0')).toEqual(['A1: Nothing is given or expected: there is time alone']);
  expect(told('time,set x')).toEqual(['A1: There is a head, and no row below it']);
  expect(told('time,set x\n0,1\n,2\n1,3\n0.5,4\n-1,5\nsoon,6')).toEqual([
    'A3: The row has no time',
    'A5: 0.5 s comes after 1 s: times go up',
    'A6: -1 is no time from 0 on',
    'A7: soon is no time from 0 on',
  ]);
  expect(told('time;set x\n0;1,5\n1;2.5')).toEqual([
    'B2: 1,5 has a comma where other numbers of the sheet have a point',
  ]);
  expect(of('time;set x\n0,5;1,5').rows).toEqual([{ time: 0.5, cells: [{ column: 'v1', value: '1.5' }] }]);
  expect(told('time,set x [degC]\n0,warm')).toEqual(['B2: warm is no number: the column is in degC']);
  expect(told('time,send go [s]\n0,x')).toEqual(['B1: go is sent: it has no unit']);
  expect(told('time,set x ± 1\n0,1')).toEqual(['B1: Only what is expected has a tolerance: x is set']);
  expect(told('time,expect x ± wide\n0,1')).toEqual([
    'B1: ± wide is no tolerance: a number, one with %, or one with s',
  ]);
  expect(told('time,expect x [rpm] ± 1\n0,1')[0]).toMatch(/^B1: ± 1 may be meant in rpm or in the unit of x/);
});

test('what is written as a sheet is read as it was', () => {
  const values = fc.array(fc.double({ noNaN: true, min: -1e9, max: 1e9 }), { minLength: 1, maxLength: 20 });
  fc.assert(
    fc.property(values, (all) => {
      const { rows } = of(`time,set x\n${all.map((v, k) => `${k / 8},${v}`).join('\n')}`);
      expect(rows!.map((r) => [r.time, Number(r.cells[0].value)])).toEqual(all.map((v, k) => [k / 8, v]));
    }),
  );
});
