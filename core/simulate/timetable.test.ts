import { createTimetable, newTimetableState, withStimulus } from './timetable';
import type { Stimulus } from './outside';

const set = (time: number, value: number): Stimulus => ({ kind: 'set', time, variable: 0, value });

test('samples do not drift, whatever their interval', () => {
  const table = createTimetable(newTimetableState([]));
  table.begin([{ start: 0, interval: 0.1 }]);
  for (let k = 0; k < 10_000; k++) {
    // each instant is a product, not a sum of what came before
    expect(table.next()).toBe(k * 0.1);
    expect(table.take(table.next()).samples).toEqual([0]);
  }
});
test('stimulus comes in the order of its times, what shares one in the order given, each once', () => {
  const table = createTimetable(newTimetableState([set(2, 1), set(1, 2), set(2, 3)]));
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
  const state = newTimetableState([set(0.3, 1)]);
  const table = createTimetable(state);
  expect(table.begin(samples)).toBeUndefined();
  table.take(0.1);
  const kept = structuredClone(state);
  const due = table.take(0.1 + 0.2);
  expect(due).toEqual({ samples: [0, 1], stimulus: [set(0.3, 1)] });
  expect(createTimetable(kept).take(0.1 + 0.2)).toEqual(due);
});
test('what falls on one instant but for the rounding of numbers is due together, whichever comes first', () => {
  for (const [fast, slow] of [
    [0.1, 0.3],
    [0.1, 0.7],
    [0.05, 0.35],
    [1 / 3, 1],
  ]) {
    const table = createTimetable(newTimetableState([0, 1, 2, 3, 4, 5].map((k) => set(slow * k, k))));
    table.begin([
      { start: 0, interval: fast },
      { start: 0, interval: slow },
    ]);
    const ratio = Math.round(slow / fast);
    for (let k = 0; k <= 5 * ratio; k++) {
      const { samples, stimulus } = table.take(table.next());
      expect([fast, k, samples, stimulus.length]).toEqual([
        fast,
        k,
        k % ratio === 0 ? [0, 1] : [0],
        k % ratio === 0 ? 1 : 0,
      ]);
    }
  }
  // what is really apart stays so
  const table = createTimetable(newTimetableState([]));
  table.begin([
    { start: 0.3, interval: 1 },
    { start: 0.3 + 1e-12, interval: 1 },
  ]);
  expect(table.take(table.next()).samples).toEqual([0]);
});
test('an interval that is not positive is returned', () => {
  expect(
    createTimetable(newTimetableState([])).begin([
      { start: 0, interval: 1 },
      { start: 0, interval: 0 },
    ]),
  ).toBe(0);
  expect(createTimetable(newTimetableState([])).begin([{ start: 0, interval: NaN }])).toBeNaN();
});
test('what is added comes in its turn, and what has been done does not come again', () => {
  const state = newTimetableState([set(1, 1), set(3, 2), set(5, 3)]);
  createTimetable(state).take(2);
  const table = createTimetable(withStimulus(state, [set(4, 4), set(3, 5)]));
  expect(table.take(3).stimulus).toEqual([set(3, 2), set(3, 5)]);
  expect(table.take(9).stimulus).toEqual([set(4, 4), set(5, 3)]);
});
test('what was to be done by hand goes where a run goes another way before it', () => {
  const state = newTimetableState([
    set(1, 1),
    { ...set(2, 2), byHand: true },
    { ...set(4, 3), byHand: true },
    set(5, 4),
  ]);
  const table = createTimetable(withStimulus(state, [{ ...set(3, 5), byHand: true }], 3));
  expect(table.take(9).stimulus.map((x) => x.time)).toEqual([1, 2, 3, 5]);
});
