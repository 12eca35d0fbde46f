import { createBurstWatch } from './burst-watch';
import type { Memory } from '../program/machine';

const memoryOf = (): Pick<Memory, 'm' | 'z'> => ({ m: new Float64Array(1), z: new Float64Array(1) });

test('events apart are none of its business, ever closer ones come to an end', () => {
  const watch = createBurstWatch(memoryOf(), 1);
  for (let k = 0; k < 1000; k++) expect(watch.noteEvent(k * 1e-3, true)).toBe(false);
  const ends = Array.from({ length: 500 }, (_, k) => watch.noteEvent(2 + k * 1e-14, true));
  expect(ends[100]).toBe(false);
  expect(ends.at(-1)).toBe(true);
});
test('after a return to an earlier moment it counts anew', () => {
  const watch = createBurstWatch(memoryOf(), 10);
  for (let k = 0; k < 20; k++) watch.noteEvent(8 + k * 1e-12, true);
  for (let k = 0; k < 1000; k++) expect(watch.noteEvent(1 + k * 1e-3, true)).toBe(false);
});
test('what was held back and goes on to the other side is told with the moment of the last event; what stays is not', () => {
  const bounce = (after: number): number | undefined => {
    const memory = memoryOf();
    const watch = createBurstWatch(memory, 1);
    for (let k = 0; k < 40; k++) {
      memory.m[0] = k % 2;
      memory.z[0] = 1e-18;
      watch.noteEvent(0.5 + k * 1e-14, true);
    }
    memory.z[0] = -after;
    return watch.goesThrough(0.5 + 1e-6);
  };
  expect(bounce(1e-6)).toBeCloseTo(0.5, 10);
  expect(bounce(1e-18)).toBeUndefined();
});
