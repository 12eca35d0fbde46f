import { readStimulusCsv } from './stimulus-csv';

const read = (text: string) => readStimulusCsv(new TextEncoder().encode(text));

test('columns become formulas; points on straight lines are left out; units stay', () => {
  const { value, remarks } = read('time [s],guard.level,drive.speed [rpm]\n0,0,100\n1,1,100\n2,2,100\n3,2,400\n');
  expect(remarks).toEqual([]);
  expect(value).toEqual([
    { target: 'guard.level', formula: 'interpolate({0, 2, 3}, {0, 2, 2}, time)', points: 3 },
    { target: 'drive.speed', formula: "interpolate({0, 2, 3}, {100 'rpm', 100 'rpm', 400 'rpm'}, time)", points: 3 },
  ]);
});
test('decimal commas, empty cells, and what cannot be used', () => {
  const { value, remarks } = read('t;a\n0;1,5\n1;\n2;x\n1,5;2\n1;3\n');
  expect(value).toEqual([{ target: 'a', formula: 'interpolate({0, 1.5}, {1.5, 2}, time)', points: 2 }]);
  expect(remarks).toEqual([
    'a: 1 rows are no numbers and were left out',
    'a: 1 rows go back in time and were left out',
  ]);
  expect(read('time\n').remarks.join()).toMatch(/needs a row of names/);
  expect(read('').remarks.join()).toMatch(/empty/);
});
test('long recordings are thinned, and that is told', () => {
  const rows = Array.from({ length: 5000 }, (_, k) => `${k / 100},${Math.sin(k * k)}`).join('\n');
  const { value, remarks } = read(`time,a\n${rows}\n`);
  expect(value[0].points).toBeGreaterThan(500);
  expect(value[0].formula.length).toBeLessThanOrEqual(20_000);
  expect(remarks.join()).toMatch(/every 6\. of/);
  const [withUnit] = read(`time,a [mm/s]\n${rows}\n`).value;
  expect(withUnit.formula.length).toBeLessThanOrEqual(20_000);
  expect(withUnit.points).toBeGreaterThan(400);
});
