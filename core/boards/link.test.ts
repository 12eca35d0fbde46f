import { buildFor } from '@/server/build-image';
import { tubeCapper } from '@/samples/tube-capper';
import { createFrameReader, frameOf } from '../serial/frames';
import { bytesOfOrder, readTelling, tellingLength, type Order, type Telling } from '../serial/messages';
import { linesOf } from '../pins/channels';
import { pinBoardNamed } from '../pins/pin-boards';
import { stepProgramOf } from '../stepcode/controller';
import type { RunningStep } from '../stepcode/running-step';
import { createStep } from '../stepcode/write-js';
import { writeC } from '../stepcode/write-c';
import { boards, type Board } from './board';
import { functionsOf, stepOnBoard } from './step-on-board';
import { baudOf } from './write-link';
import { eachBoard as each } from '../testing/boards-here';

/** Firmware at its serial line: what it tells, at what times, and what it follows. */
const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const program = stepProgramOf(tubeCapper, type).program!;
const slotOf = (name: string, role: string): number =>
  program.slots.findIndex((s) => s.name === name && s.role === role);

function onLine(board: Board, baud: number, every: number, withPins = false): RunningStep {
  const lines = withPins ? linesOf(type, pinBoardNamed(board.id)!) : [];
  const built = buildFor(program, board, lines, { baud, every });
  if (typeof built === 'string') throw new Error(built);
  expect(built.said).toBe('');
  const made = stepOnBoard(program, { ...built, functions: functionsOf(writeC(program).source) }, board, lines);
  if (typeof made === 'string') throw new Error(made);
  const run = made.create();
  run.init();
  return run;
}
const order = (more: Partial<Order> & Pick<Order, 'kind' | 'count' | 'slot'>): readonly number[] =>
  frameOf(bytesOfOrder({ place: 0, value: new Uint8Array(4), ...more }));

each('the line of %s', (_, board) => {
  const period = 0.001;
  function steps(run: RunningStep, from: number, to: number, each: (n: number) => void = () => undefined) {
    const reader = createFrameReader();
    const told: (Telling & { readonly time: number })[] = [];
    let faults = 0;
    let last = -Infinity;
    const perByte = 10 / baudOf(board, 115_200).baud;
    for (let n = from; n < to; n++) {
      each(n);
      run.step();
      for (const { time, byte } of run.line!.wait((n + 1) * period)) {
        // one after the other, and no faster than the line
        expect(time).toBeGreaterThan(last + 0.999 * perByte);
        expect(time).toBeLessThanOrEqual((n + 1) * period + 1e-9);
        last = time;
        const got = reader.take(byte);
        if (!got) continue;
        const telling = 'said' in got ? readTelling(got.said) : undefined;
        if (telling) told.push({ ...telling, time });
        else faults++;
      }
    }
    return { told, faults };
  }

  test('tells every so many steps, what it is asked for, once it is asked', () => {
    const run = onLine(board, 115_200, 5);
    const code = createStep(program);
    code.init();
    const watched = [slotOf('voltage', 'output'), slotOf('mode', 'part'), slotOf('engage', 'output')];
    run.line!.wait(0);
    const before = steps(run, 0, 20);
    expect(before.told.map((t) => [t.count, t.followed, t.step, t.values.length])).toEqual([
      [0, 0, 1, 0],
      [1, 0, 6, 0],
      [2, 0, 11, 0],
      [3, 0, 16, 0],
    ]);
    watched.forEach((slot, place) =>
      run.line!.send(order({ kind: 'watch', count: place + 1, place, slot: run.line!.numberOf(slot) })),
    );
    const inputs = program.slots.flatMap((s, k) => (s.role === 'input' ? [k] : []));
    for (let n = 0; n < 20; n++) code.step();
    const wanted = new Map<number, readonly number[]>();
    const { told, faults } = steps(run, 20, 400, (n) => {
      for (const k of inputs) {
        const x = program.slots[k].is === 'messages' ? Number(n % 17 === 3) : Math.fround(Math.sin(n * (k + 1)));
        run.write(k, x);
        code.write(k, x);
      }
      code.step();
      wanted.set(
        n + 1,
        watched.map((k) => code.read(k)),
      );
    });
    expect(faults).toBe(0);
    expect(told.length).toBe(76);
    const full = told.filter((t) => t.values.length === 3);
    expect(full.length).toBeGreaterThan(70);
    for (const t of full) {
      expect(t.followed).toBe(3);
      expect(t.values.map((v, k) => run.line!.read(watched[k], v))).toEqual(wanted.get(t.step));
      // it has been under way since its step
      const length = tellingLength(3) * (10 / baudOf(board, 115_200).baud);
      expect(t.time).toBeGreaterThan((t.step - 1) * period + 0.99 * length);
      expect(t.time).toBeLessThan((t.step - 1) * period + length + period);
    }
  });

  test('follows an order that is whole, and no other', () => {
    const run = onLine(board, 115_200, 1, true);
    run.line!.wait(0);
    const gain = slotOf('speedGain', 'parameter');
    const before = run.read(gain);
    const set = (value: number, count: number) =>
      order({ kind: 'set', count, slot: run.line!.numberOf(gain), value: run.line!.bytes(gain, value) });
    // in a byte of the value, so that its length is right
    const broken = [...set(7, 1)];
    broken[broken.indexOf(0xe0)] ^= 0x10;
    run.line!.send(broken);
    run.line!.send(order({ kind: 'set', count: 2, slot: 60_000, value: Uint8Array.of(1, 2, 3, 4) }));
    run.line!.send([...Array(80).fill(9), 0]);
    steps(run, 0, 40);
    expect(run.read(gain)).toBe(before);
    run.line!.send(set(0.375, 3));
    const { told } = steps(run, 40, 60);
    expect(run.read(gain)).toBe(0.375);
    expect(told.at(-1)!.followed).toBe(3);
  });

  test('what the line cannot carry is left out before it is queued, and counted on', () => {
    const run = onLine(board, 9600, 1);
    run.line!.wait(0);
    const counts: number[] = [];
    const reader = createFrameReader();
    let bytes = 0;
    for (let n = 0; n < 1000; n++) {
      run.step();
      for (const { byte } of run.line!.wait((n + 1) * period)) {
        bytes++;
        const got = reader.take(byte);
        if (got) counts.push('said' in got ? readTelling(got.said)!.count : NaN);
      }
    }
    expect(counts.every((c) => Number.isInteger(c))).toBe(true);
    expect(counts.some((c, k) => k > 0 && ((c - counts[k - 1]) & 0xff) > 1)).toBe(true);
    // and it carries what it can
    expect(bytes / (baudOf(board, 9600).baud / 10)).toBeGreaterThan(0.95);
    expect(run.profile!().functions.find((f) => f.name === 'board_link_tell')!.calls).toBe(1000);
  });
});

test.each([
  [boards[0], 115_200, 0.0213],
  [boards[0], 9600, 0.002],
  [boards[1], 115_200, 0.0002],
] as const)('bits per second of $name', (board, baud, error) => {
  expect(Math.abs(baudOf(board, baud).baud / baud - 1)).toBeLessThan(error);
});
