/**
 * Rows of values that are appended one by one and read as columns. Values that move stand in blocks, row after row, so that a row is written
 * in one place; values that rest between events are kept as the rows at which they changed.
 */
export interface RowStore {
  readonly rows: number;
  /** Numbers that memory is held for. */
  readonly size: number;
  /** Appends a row. Where nothing can have happened since the last row, what rests is not looked at. */
  push(time: number, values: Float64Array, quiet: boolean): void;
  time(from: number): Float64Array<ArrayBuffer>;
  /** All moving columns from a row on, in the order of their numbers. */
  moving(from: number): Float64Array<ArrayBuffer>[];
  resting(column: number, from: number): Float64Array<ArrayBuffer>;
  /** What there is now, to be read later while rows go on being added. */
  frozen(): FrozenRows;
  /** Keeps every second row. */
  halve(): void;
  /** A store of its own with the first rows of this one. */
  fork(rows: number): RowStore;
}

export interface FrozenRows {
  readonly rows: number;
  readonly time: Float64Array;
  moving(column: number): Float64Array;
  resting(column: number): Float64Array;
}

interface Changes {
  readonly rows: number[];
  readonly values: number[];
}

/** Blocks of about this many numbers stay in a processor's cache while they are turned into columns. */
const blockSize = 32_768;

export function createRowStore(
  moving: readonly number[],
  resting: readonly ((values: Float64Array) => number)[],
  from?: { readonly rows: number; readonly blocks: readonly Float64Array[]; readonly changes: readonly Changes[] },
): RowStore {
  const indices = Int32Array.from(moving);
  const width = moving.length + 1;
  const rowsPerBlock = Math.max(16, Math.floor(blockSize / width));
  let blocks: Float64Array[] = [...(from?.blocks ?? [])];
  let rows = from?.rows ?? 0;
  let changes: Changes[] = [...(from?.changes ?? resting.map(() => ({ rows: [], values: [] })))];

  /** The block that rows go into, and where the next one starts. */
  let block = blocks.at(-1) ?? new Float64Array(0);
  let at = (rows - Math.max(0, blocks.length - 1) * rowsPerBlock) * width;
  /** Makes room for a row at `at` in `block`. */
  const makeRoom = (): void => {
    if (at < block.length) return;
    blocks.push((block = new Float64Array(rowsPerBlock * width)));
    at = 0;
  };
  const note = (log: Changes, row: number, value: number): void => {
    const last = log.rows.length - 1;
    if (last >= 0 && Object.is(log.values[last], value)) return;
    if (last >= 0 && log.rows[last] === row) log.values[last] = value;
    else {
      log.rows.push(row);
      log.values.push(value);
    }
  };
  const readColumn = (from: readonly Float64Array[], count: number, k: number): Float64Array => {
    const out = new Float64Array(count);
    for (let b = 0, o = 0; o < count; b++) {
      const source = from[b],
        end = Math.min(count - o, rowsPerBlock);
      for (let r = 0, i = k; r < end; r++, i += width) out[o++] = source[i];
    }
    return out;
  };
  const fill = (log: Changes, count: number, from: number): Float64Array<ArrayBuffer> => {
    const out = new Float64Array(count - from);
    log.rows.forEach((row, j) =>
      out.fill(log.values[j], Math.max(0, row - from), Math.max(0, Math.min(log.rows[j + 1] ?? count, count) - from)),
    );
    return out;
  };
  /** Visits the blocks that hold rows from `from` on: the block, its first and last row, and where its first one goes. */
  const each = (
    from: number,
    visit: (source: Float64Array, first: number, end: number, into: number) => void,
  ): void => {
    for (let k = Math.floor(from / rowsPerBlock); k * rowsPerBlock < rows; k++) {
      const start = Math.max(from, k * rowsPerBlock);
      visit(blocks[k], start - k * rowsPerBlock, Math.min(rows - k * rowsPerBlock, rowsPerBlock), start - from);
    }
  };
  const column = (k: number, from: number): Float64Array<ArrayBuffer> => {
    const out = new Float64Array(rows - from);
    each(from, (source, first, end, into) => {
      for (let r = first, o = into; r < end; r++, o++) out[o] = source[r * width + k];
    });
    return out;
  };

  return {
    get rows() {
      return rows;
    },
    get size() {
      return rows * width;
    },
    push(time, values, quiet) {
      makeRoom();
      block[at] = time;
      for (let k = 0; k < indices.length; k++) block[at + 1 + k] = values[indices[k]];
      at += width;
      if (!quiet || rows === 0) for (let k = 0; k < resting.length; k++) note(changes[k], rows, resting[k](values));
      rows++;
    },
    time: (from) => column(0, from),
    moving(from) {
      const out = moving.map(() => new Float64Array(rows - from));
      each(from, (source, first, end, into) => {
        for (let k = 1; k < width; k++) {
          const values = out[k - 1];
          for (let r = first, o = into; r < end; r++, o++) values[o] = source[r * width + k];
        }
      });
      return out;
    },
    resting: (k, from) => fill(changes[k], rows, from),
    frozen() {
      // blocks and logs are only ever added to; rows past the count are not looked at
      const count = rows,
        kept = blocks.slice(),
        logs = changes;
      return {
        rows: count,
        time: readColumn(kept, count, 0),
        moving: (k) => readColumn(kept, count, k + 1),
        resting: (k) => fill(logs[k], count, 0),
      };
    },
    fork(count) {
      const used = Math.ceil(count / rowsPerBlock);
      return createRowStore(moving, resting, {
        rows: count,
        // full blocks are never written to again; the last one is
        blocks: blocks.slice(0, used).map((b, k) => (k === used - 1 ? b.slice() : b)),
        changes: changes.map((log) => {
          const end = log.rows.findIndex((row) => row >= count);
          return end < 0
            ? { rows: [...log.rows], values: [...log.values] }
            : { rows: log.rows.slice(0, end), values: log.values.slice(0, end) };
        }),
      });
    },
    halve() {
      const before = rows;
      const old = blocks;
      [blocks, block, at, rows] = [[], new Float64Array(0), 0, 0];
      for (let r = 0; r < before; r += 2) {
        const from = (r % rowsPerBlock) * width;
        makeRoom();
        block.set(old[Math.floor(r / rowsPerBlock)].subarray(from, from + width), at);
        at += width;
        rows++;
      }
      changes = changes.map((log) => {
        const kept: Changes = { rows: [], values: [] };
        log.rows.forEach((row, j) => Math.ceil(row / 2) < rows && note(kept, Math.ceil(row / 2), log.values[j]));
        return kept;
      });
    },
  };
}
