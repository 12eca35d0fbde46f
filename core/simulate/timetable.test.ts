import { createTimetable, newTimetableState } from './timetable';
import type { Stimulus } from './simulation-types';

const set = (time: number, value: number): Stimulus => ({ kind: 'set', time, variable: 0, value });

test('samples do not drift, whatever their interval', () => {
  const table = createTimetable([]);
  table.begin([{ start: 0, interval: 0.1 }]);
  for (let k = 0; k < 10_000; k++) {
    // each instant is a product, not a sum of what came before
    expect(table.next()).toBe(k * 0.1);
    expect(table.take(table.next()).samples).toEqual([0]);
  }
});
test('stimulus comes in the order of its times, what shares one in the order given, each once', () => {
  const table = createTimetable([set(2, 1), set(1, 2), set(2, 3)]);
  table.begin([]);
  expect(table.next()).toBe(1);
  expect(table.take(0.5)).toEqual({ samples: [], stimulus: [] });
  expect(table.take(1).stimulus).toEqual([set(1, 2)]);
  expect(table.next()).toBe(2);
  expect(table.take(3).stimulus).toEqual([set(2, 1), set(2, 3)]);
  expect(table.next()).toBe(Infinity);
});
test('samples and stimulus at one instant are due together; going back gives the same again', () => {
  const samples = [
    { start: 0.1, interval: 0.2 },
    { start: 0.3, interval: 1 },
  ];
  const state = newTimetableState();
  const table = createTimetable([set(0.3, 1)], state);
  expect(table.begin(samples)).toBeUndefined();
  table.take(0.1);
  const kept = structuredClone(state);
  const due = table.take(0.1 + 0.2);
  expect(due).toEqual({ samples: [0, 1], stimulus: [set(0.3, 1)] });
  expect(createTimetable([set(0.3, 1)], kept).take(0.1 + 0.2)).toEqual(due);
});
test('an interval that is not positive is returned', () => {
  expect(
    createTimetable([]).begin([
      { start: 0, interval: 1 },
      { start: 0, interval: 0 },
    ]),
  ).toBe(0);
  expect(createTimetable([]).begin([{ start: 0, interval: NaN }])).toBeNaN();
});
