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

test('a fork goes on from any row by itself, and what it was forked from does not notice', () => {
  fc.assert(
    fc.property(someRows, someRows, fc.nat(80), (rows, others, at) => {
      const { store, expected } = pushed(rows);
      const count = Math.min(at, rows.length);
      const fork = store.fork(count);
      const wanted = expected.slice(0, count);
      others.forEach((r, k) => {
        fork.push(k, Float64Array.of(r.moves, r.rests), false);
        wanted.push({ time: k, moves: r.moves, rests: r.rests });
      });
      expect([...fork.time(0)]).toEqual(wanted.map((r) => r.time));
      expect([...fork.moving(0)[0]]).toEqual(wanted.map((r) => r.moves));
      expect([...fork.resting(0, 0)]).toEqual(wanted.map((r) => r.rests));
      expect([...store.time(0)]).toEqual(expected.map((r) => r.time));
      expect([...store.moving(0)[0]]).toEqual(expected.map((r) => r.moves));
      expect([...store.resting(0, 0)]).toEqual(expected.map((r) => r.rests));
    }),
  );
  const wide = createRowStore(
    Array.from({ length: 1000 }, (_, k) => k),
    [],
  );
  const row = (r: number): Float64Array => new Float64Array(1000).fill(r);
  // blocks hold 32 rows here: the middle of one, the end of one, none
  for (let r = 0; r < 100; r++) wide.push(r, row(r), true);
  for (const count of [70, 64, 0]) {
    const fork = wide.fork(count);
    for (let r = 0; r < 50; r++) fork.push(-r, row(-r), true);
    expect([...fork.moving(0)[999]]).toEqual([
      ...Array.from({ length: count }, (_, k) => k),
      ...Array.from({ length: 50 }, (_, k) => -k),
    ]);
  }
  expect([...wide.moving(0)[0]]).toEqual(Array.from({ length: 100 }, (_, k) => k));
});
