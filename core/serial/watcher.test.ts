import { createFrameReader, frameOf } from './frames';
import { bytesOfOrder, noSlot, orderKinds, readTelling, tellingKind } from './messages';
import { createWatcher, neededShare, type LineEnd, type Watching } from './watcher';

/** The watching end against a board of a few lines: what is asked for is told, orders are followed one by one, and said anew where they were lost. */

const period = 0.001;
const quiet: Watching = { baud: 115_200, every: 5, watch: ['a', 'b'], noise: 0 };

/** A board with slots of single precision that follows what is whole, but for what `isDeaf` says. */
function boardWith(values: Float32Array, isDeaf: (order: number) => boolean = () => false) {
  const reader = createFrameReader();
  const watched: number[] = [];
  let [heard, followed, told] = [0, 0, 0];
  const kinds: number[] = [];
  const end: LineEnd = {
    send(bytes) {
      for (const b of bytes) {
        const got = reader.take(b);
        if (!got || !('said' in got)) continue;
        const [kind, count, place, low, high, ...value] = got.said;
        if (isDeaf(heard++)) continue;
        kinds.push(kind);
        const slot = low + 256 * high;
        if (kind === orderKinds.watch) watched[place] = slot;
        else values[slot] = new DataView(Uint8Array.from(value).buffer).getFloat32(0, true);
        followed = count;
      }
    },
    numberOf: (slot) => slot,
    read: (_, bytes) => new DataView(bytes.buffer, bytes.byteOffset).getFloat32(0, true),
    bytes(_, value) {
      const found = new Uint8Array(4);
      new DataView(found.buffer).setFloat32(0, value, true);
      return found;
    },
  };
  return {
    end,
    kinds,
    tell(step: number): readonly number[] {
      const bytes = watched.flatMap((slot) => [...end.bytes(slot, slot === noSlot ? 0 : values[slot])]);
      return frameOf([tellingKind, told++ & 0xff, followed, step & 0xff, (step >> 8) & 0xff, ...bytes]);
    },
  };
}
type Board = ReturnType<typeof boardWith>;

function go(board: Board, watcher: ReturnType<typeof createWatcher>, from: number, to: number, drop = -1) {
  const readings = [];
  for (let n = from; n < to; n++) {
    watcher.speak(n * period);
    const line = n % 5 === 0 && n !== drop ? board.tell(n) : n === drop ? (board.tell(n), []) : [];
    const came = line.map((byte, k) => ({ time: n * period + k * 1e-5, byte }));
    readings.push(...watcher.hear(came, (n + 1) * period));
  }
  return readings;
}

test('asks for what is watched, and hears it', () => {
  const values = Float32Array.of(1.5, 2.5, 3.5);
  const board = boardWith(values);
  const watcher = createWatcher(board.end, quiet, [2, 0], period);
  const first = go(board, watcher, 0, 40);
  expect(new Set(first.map((r) => `${r.slot} ${r.value}`))).toEqual(new Set(['2 3.5', '0 1.5']));
  values[0] = -8;
  const later = go(board, watcher, 40, 60);
  expect(later.filter((r) => r.slot === 0).every((r) => r.value === -8)).toBe(true);
  expect(watcher.counts()).toMatchObject({ received: 12, lost: 0, broken: 0, sent: 2, followed: 2 });
});

test('says an order anew until it has been followed, and of two values for one slot the last', () => {
  const values = Float32Array.of(1, 2, 3);
  const board = boardWith(values, (order) => order === 1 || order === 2 || order === 4);
  const watcher = createWatcher(board.end, quiet, [0], period);
  go(board, watcher, 0, 30);
  watcher.set(1, 10);
  watcher.set(2, 20);
  watcher.set(2, 21);
  watcher.set(2, 22);
  go(board, watcher, 30, 300);
  expect([...values]).toEqual([1, 10, 22]);
  expect(board.kinds).toEqual([orderKinds.watch, orderKinds.set, orderKinds.set]);
  expect(watcher.counts()).toMatchObject({ sent: 6, followed: 3 });
});

test('a frame that is missing is counted as lost, one that is damaged as broken', () => {
  const board = boardWith(Float32Array.of(1, 2, 3));
  const watcher = createWatcher(board.end, quiet, [0], period);
  go(board, watcher, 0, 100, 50);
  expect(watcher.counts()).toMatchObject({ received: 19, lost: 1, broken: 0 });
  const line = [...board.tell(100)];
  line[3] ^= 4;
  watcher.hear(
    line.map((byte) => ({ time: 0.1, byte })),
    0.101,
  );
  go(board, watcher, 101, 111);
  expect(watcher.counts()).toMatchObject({ received: 21, lost: 2, broken: 1 });
});

test('noise on the line damages frames both ways, and nothing wrong is heard', () => {
  const values = Float32Array.of(0, 2, 3);
  const board = boardWith(values);
  const watcher = createWatcher(board.end, { ...quiet, noise: 0.02 }, [0, 1, 2], period);
  const readings = [];
  for (let n = 0; n < 4000; n++) {
    values[0] = n;
    if (n === 2000) watcher.set(1, 7);
    readings.push(...go(board, watcher, n, n + 1).map((r) => [n, r.slot, r.value]));
  }
  expect(readings.length).toBeGreaterThan(1000);
  for (const [n, slot, value] of readings) expect(slot === 0 ? value === n : [2, 3, 7].includes(value)).toBe(true);
  const { received, lost, broken, followed } = watcher.counts();
  // the last ones that are broken are not missed yet
  expect(received + lost).toBeGreaterThan(790);
  expect(received + lost).toBeLessThanOrEqual(800);
  expect(followed).toBe(4);
  expect(broken).toBeGreaterThan(50);
  expect(values[1]).toBe(7);
});

test('what it remembers goes on elsewhere: orders that are open, counts, and not what a new board knows nothing of', () => {
  const values = Float32Array.of(1, 2, 3);
  const deaf = boardWith(values, () => true);
  const watcher = createWatcher(deaf.end, quiet, [0], period);
  go(deaf, watcher, 0, 20);
  watcher.set(1, 9);
  const kept = structuredClone(watcher.keep());
  const board = boardWith(values);
  const again = createWatcher(board.end, quiet, [0], period, kept);
  go(board, again, 20, 120);
  expect(values[1]).toBe(9);
  expect(again.counts()).toMatchObject({ received: 24, followed: 2 });
});

test('orders and tellings in bytes, and the share of a line', () => {
  const value = Uint8Array.of(1, 2, 3, 4);
  expect(bytesOfOrder({ count: 7, kind: 'set', place: 0, slot: 300, value })).toEqual([3, 7, 0, 44, 1, 1, 2, 3, 4]);
  expect(readTelling([1, 2, 3, 4, 5, 6, 7])).toBeUndefined();
  expect(readTelling([9, 2, 3, 4, 5])).toBeUndefined();
  expect(readTelling([1, 2, 3, 4, 5])).toEqual({ count: 2, followed: 3, step: 1284, values: [] });
  // 17 bytes every 5 ms of 11,520 a second
  expect(neededShare(quiet, period)).toBeCloseTo(17 / (11_520 * 0.005), 10);
});
