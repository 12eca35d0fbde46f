import fc from 'fast-check';
import { buildFor } from '@/server/build-image';
import { compiledHere } from '@/cli/compiled';
import { tubeCapper } from '@/samples/tube-capper';
import { linesOf } from '../pins/channels';
import { createPinSide } from '../pins/pin-side';
import { pinBoardNamed } from '../pins/pin-boards';
import type { Channel } from '../project/project';
import { stepProgramOf } from '../stepcode/controller';
import { keptOf, valueOf } from '../stepcode/number-kinds';
import { withFewerBits } from '../testing/random-numbers';
import { writeC } from '../stepcode/write-c';
import { boards } from './board';
import { createChip32 } from './chip32';
import { createChip8 } from './chip8';
import { functionsOf, stepOnBoard } from './step-on-board';
import { writeFirmware } from './write-firmware';
import { eachBoard as each } from '../testing/boards-here';

const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const usual = stepProgramOf(tubeCapper, type).program!;
const program = usual;
const types = tubeCapper.types.map((t) => (t === type ? withFewerBits(t) : t));
const fewerBits = stepProgramOf(
  { ...tubeCapper, types },
  types.find((t) => t.name === type.name)!,
).program!;
const runs = Number(process.env.RUNS ?? 2);

/** The channels of the capper with any numbers. */
const anyChannels = (bits: number): fc.Arbitrary<readonly Channel[]> =>
  fc.tuple(
    ...type.channels.map((c) =>
      fc
        .record({
          low: fc.integer({ min: -90, max: 40 }).map((x) => x / 8),
          span: fc.constantFrom(-100, -7.3, 0.37, 1, 12, 160),
          lowVolts: fc.constantFrom(0, 0.5),
          highVolts: fc.constantFrom(0, 2.5, 3.3),
          bits: fc.integer({ min: 1, max: bits }),
          average: fc.constantFrom(1, 2, 3, 16),
          pull: fc.constantFrom('none' as const, 'up' as const, 'down' as const),
          inverted: fc.boolean(),
          debounce: fc.integer({ min: 1, max: 4 }),
          isSwapped: fc.boolean(),
        })
        .map(({ span, isSwapped, ...more }) => ({
          ...c,
          ...more,
          high: more.low + span,
          frequency: 20_000,
          // what rises may be what falls
          ...(isSwapped && { rises: c.falls, falls: c.rises }),
        })),
    ),
  );

each('pins of %s', (id, board) => {
  test('are read and written by the firmware as they are here, operation by operation', () => {
    fc.assert(
      fc.property(anyChannels(pinBoardNamed(id)!.bits), fc.integer(), fc.boolean(), (channels, seed, isFewer) => {
        const program = isFewer ? fewerBits : usual;
        const lines = linesOf({ ...type, channels }, pinBoardNamed(id)!);
        const built = buildFor(program, board, lines);
        if (typeof built === 'string') throw new Error(built);
        const functions = functionsOf(writeC(program).source);
        const made = stepOnBoard(program, { ...built, functions }, board, lines);
        if (typeof made === 'string') throw new Error(made);
        const run = made.create();
        const side = createPinSide(lines, false);
        run.init();
        // before the first step every output rests
        for (const l of lines)
          if (l.direction === 'out') expect([l.name, run.pins!.volts(l.name)]).toEqual([l.name, side.volts(l.name)]);
        let state = seed;
        const random = (): number => {
          state = (Math.imul(state, 1664525) + 1013904223) | 0;
          return (state >>> 8) / 2 ** 24;
        };
        const asKept = (slot: number, x: number): number => {
          const { storage, type: t } = program.slots[slot];
          return storage && t === 'f32' ? valueOf(keptOf(x, storage), storage) : x;
        };
        const slotOf = (role: string, name: string): number =>
          program.slots.findIndex((s) => s.role === role && s.name === name);
        for (let n = 0; n < 250; n++) {
          const volts = new Map(
            lines.flatMap((l): [string, number][] =>
              l.direction === 'out'
                ? []
                : [[l.name, l.kind === 'analog' ? random() * 1.1 * l.supply : random() < 0.6 ? 0 : l.supply]],
            ),
          );
          for (const [line, v] of volts) run.pins!.set(line, v);
          run.step();
          for (const [name, wanted] of side.read(volts))
            expect([n, name, run.read(slotOf('input', name))]).toEqual([
              n,
              name,
              asKept(slotOf('input', name), wanted),
            ]);
          side.write((name) => run.read(slotOf('output', name)));
          for (const l of lines)
            if (l.direction === 'out')
              expect([n, l.name, run.pins!.volts(l.name)]).toEqual([n, l.name, side.volts(l.name)]);
        }
        expect(run.busy!()).toBeGreaterThan(run.seconds!());
      }),
      { numRuns: runs },
    );
  }, 120_000);

  const both = (first: string, second: string): Pick<Channel, 'pins' | 'otherPins'> => ({
    pins: [{ board: id, pin: first }],
    otherPins: [{ board: id, pin: second }],
  });
  /** The motor driver as a pair, and the angle as counts. */
  const twofold = (blanking: number, counts = 1000): readonly Channel[] =>
    type.channels.flatMap((c): Channel[] => {
      if (c.name === 'motorDriver')
        return [
          {
            ...c,
            carrier: 'triangle',
            pair: true,
            blanking,
            ...(id === 'larch8' ? both('P10', 'P11') : both('P10', 'P9')),
          },
        ];
      if (c.name === 'angleSensor')
        return [{ ...c, kind: 'encoder', counts, ...(id === 'larch8' ? both('P16', 'P20') : both('P1', 'P2')) }];
      return ['beltAdvance', 'panelLamp', 'faultLine'].includes(c.name) ? [] : [c];
    });
  const running = (channels: readonly Channel[]) => {
    const lines = linesOf({ ...type, channels }, pinBoardNamed(id)!);
    const made = compiledHere(program, pinBoardNamed(id), lines);
    if (typeof made === 'string') throw new Error(made);
    const run = made.create();
    run.init();
    const slot = (role: string, name: string): number =>
      program.slots.findIndex((s) => s.role === role && s.name === name);
    return { lines, run, side: createPinSide(lines, false), slot };
  };

  test.each([0, 1e-6, 4e-6])('of a pair both are off for %s s at each side', (blanking) => {
    const { lines, run, side, slot } = running(twofold(blanking));
    const drive = lines.find((l) => l.name === 'motorDriver')!;
    const seen = new Set<string>();
    for (let n = 0; n < 400; n++) {
      // without an order its output is what is kept
      const wanted = [0, 12, 0.01, 11.99, 6, 3.3, 9.1, 0.2][n % 8];
      run.write(
        program.slots.findIndex((s) => s.role === 'part' && s.name === 'voltage'),
        wanted,
      );
      run.step();
      side.write((name) => run.read(slot('output', name)));
      const [first, second] = [false, true].map((isOther) => run.pins!.volts('motorDriver', isOther));
      expect([first, second]).toEqual([side.volts('motorDriver'), side.volts('motorDriver', true)]);
      expect(first + second).toBeLessThanOrEqual(drive.supply);
      seen.add(String(first));
    }
    expect(seen.size).toBeGreaterThan(0);
  });

  test('edges of an encoder are counted as they come, both ways, as long as there is time for them', () => {
    const { lines, run, side, slot } = running(twofold(1e-6));
    const encoder = lines.find((l) => l.name === 'angleSensor')!;
    const { period } = program;
    const angle = (count: number): number => {
      run.pins!.turn(new Map([['angleSensor', count]]), period);
      run.step();
      const read = run.read(slot('input', 'angle'));
      return Math.round((read - encoder.base) / encoder.perCount);
    };
    for (const count of [0, 1, 2, 3, 4, 9, 6, -1, -40, -40, 60, 61]) {
      expect([count, angle(count)]).toEqual([count, count]);
      expect(run.read(slot('input', 'angle'))).toBe(side.read(new Map([['angleSensor', count]])).get('angle'));
    }
    // what is kept goes on elsewhere
    const again = running(twofold(1e-6));
    program.slots.forEach((_, k) => again.run.restore(k, run.keep(k)));
    again.run.pins!.restore(run.pins!.keep(), new Map([['angleSensor', 61]]));
    again.run.pins!.turn(new Map([['angleSensor', 58]]), period);
    again.run.step();
    expect(Math.round((again.run.read(slot('input', 'angle')) - encoder.base) / encoder.perCount)).toBe(58);
    // a million counts in a step are more than any chip counts
    expect(angle(61 + 200_000)).not.toBe(61 + 200_000);
  });

  test('loops that wait are gone through at once, to the same cycles', () => {
    const lines = linesOf(type, pinBoardNamed(id)!);
    const built = buildFor(program, board, lines);
    if (typeof built === 'string') throw new Error(built);
    const names = ['CapperControl_step', 'board_pins_read', 'board_pins_write'];
    const [quick, slow] = [true, false].map((isQuick) => {
      const make = board.chip === 'avr8' ? createChip8 : createChip32;
      const chip = make(built.image, board.memory, names, { isQuick });
      if (typeof chip === 'string') throw new Error(chip);
      return chip;
    });
    for (const chip of [quick, slow]) chip.init();
    for (let n = 0; n < 60; n++) {
      for (const chip of [quick, slow]) {
        for (const [k, l] of lines.entries())
          if (l.direction === 'in')
            chip.setVolts(l.pin!, l.kind === 'analog', l.kind === 'analog' ? (n * (k + 2)) % 3 : n % (k + 2), l.supply);
        chip.step();
      }
      expect([n, quick.cycles, quick.busy]).toEqual([n, slow.cycles, slow.busy]);
    }
    expect(quick.functions()).toEqual(slow.functions());
    expect(quick.functions().find((f) => f.name === 'board_pins_read')!.calls).toBe(60);
  });

  test('what the firmware remembers of them goes where the rest goes', () => {
    const lines = linesOf(type, pinBoardNamed(id)!);
    const made = compiledHere(program, pinBoardNamed(id), lines);
    if (typeof made === 'string') throw new Error(made);
    const [a, b] = [made.create(), made.create()];
    a.init();
    const set = (run: typeof a, volts: number): void => {
      for (const l of lines) if (l.direction === 'in') run.pins!.set(l.name, l.kind === 'analog' ? 1 : volts);
    };
    for (const v of [0, 5, 0, 0, 5, 5]) {
      set(a, v);
      a.step();
    }
    b.init();
    program.slots.forEach((_, k) => b.restore(k, a.keep(k)));
    b.pins!.restore(a.pins!.keep(), new Map());
    for (const v of [5, 5, 0, 0, 0, 5]) {
      for (const run of [a, b]) {
        set(run, v);
        run.step();
      }
      expect(program.slots.map((_, k) => b.keep(k))).toEqual(program.slots.map((_, k) => a.keep(k)));
      for (const l of lines)
        if (l.direction === 'out') expect([l.name, b.pins!.volts(l.name)]).toEqual([l.name, a.pins!.volts(l.name)]);
    }
  });
});

test('the firmware of pins is at most 80 columns wide, also with long names', () => {
  const long = 'n'.repeat(70);
  const named = {
    ...type,
    channels: type.channels.map((c, k) => ({ ...c, name: `${long}${k}` })),
  };
  for (const board of boards) {
    const lines = linesOf(named, pinBoardNamed(board.id)!);
    const { files } = writeFirmware(program, writeC(program), board, lines);
    const text = files.get('board_pins.c')!;
    expect(text.split('\n').filter((l) => l.length > 80)).toEqual([]);
    expect(new Set([...text.matchAll(/board_look\(&board_pins\.(\w+)/g)].map((m) => m[1])).size).toBe(7);
  }
});
