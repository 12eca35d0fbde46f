import fc from 'fast-check';
import { createRowStore } from './row-store';

/** Rows as they were pushed, and the two columns read back. */
const pushed = (rows: readonly { moves: number; rests: number; event: boolean }[]) => {
  const store = createRowStore([0], [(values) => values[1]]);
  let held = 0;
  const expected = rows.map((r, k) => {
    // what rests changes at events only
    if (r.event || k === 0) held = r.rests;
    store.push(k / 10, Float64Array.of(r.moves, held), !r.event);
    return { time: k / 10, moves: r.moves, rests: held };
  });
  return { store, expected };
};
const someRows = fc.array(
  fc.record({ moves: fc.double({ noNaN: true }), rests: fc.integer({ min: 0, max: 2 }), event: fc.boolean() }),
  { maxLength: 80 },
);

test('columns come out as rows went in, from any row on', () => {
  fc.assert(
    fc.property(someRows, fc.nat(80), (rows, at) => {
      const { store, expected } = pushed(rows);
      const from = Math.min(at, rows.length);
      expect([...store.time(from)]).toEqual(expected.slice(from).map((r) => r.time));
      expect([...store.moving(from)[0]]).toEqual(expected.slice(from).map((r) => r.moves));
      expect([...store.resting(0, from)]).toEqual(expected.slice(from).map((r) => r.rests));
    }),
  );
});

test('halving keeps every second row and lets what rests change at the next row that is left', () => {
  fc.assert(
    fc.property(someRows, (rows) => {
      const { store, expected } = pushed(rows);
      store.halve();
      const left = expected.filter((_, k) => k % 2 === 0);
      expect(store.rows).toBe(left.length);
      expect([...store.moving(0)[0]]).toEqual(left.map((r) => r.moves));
      expect([...store.resting(0, 0)]).toEqual(left.map((r) => r.rests));
    }),
  );
});

test('more rows than a block holds', () => {
  const width = 500;
  const store = createRowStore(
    Array.from({ length: width }, (_, k) => k),
    [],
  );
  for (let r = 0; r < 1000; r++)
    store.push(
      r,
      Float64Array.from({ length: width }, (_, k) => r * width + k),
      true,
    );
  const columns = store.moving(123);
  expect(columns[499][0]).toBe(123 * width + 499);
  expect(columns[7][876]).toBe(999 * width + 7);
  store.halve();
  expect(store.rows).toBe(500);
  expect(store.moving(499)[3][0]).toBe(998 * width + 3);
});
