import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { buildFirmware, buildFor, type Built } from '@/server/build-image';
import { tubeCapper } from '@/samples/tube-capper';
import { stepProgramOf } from '../stepcode/controller';
import type { RunningStep } from '../stepcode/running-step';
import type { StepProgram } from '../stepcode/step-program';
import { writeC } from '../stepcode/write-c';
import { type Board } from './board';
import { stepOnBoard } from './step-on-board';
import { layoutText, writeFirmware } from './write-firmware';
import { eachBoard as each } from '../testing/boards-here';
import { expectSame } from '../testing/same-values';

/** A controller that was written by hand, as far as it can be compared with a generated one: by its inputs and outputs. */
const outsideOf = (program: StepProgram): StepProgram => ({
  ...program,
  name: 'ByHand',
  slots: program.slots.map((s) => (s.role === 'input' || s.role === 'output' ? s : { ...s, role: 'local' as const })),
});

const folder = join(__dirname, 'by-hand');

/** The controller of the capper, written by hand (core/boards/by-hand), on a board. */
function buildByHand(program: StepProgram, board: Board): Built | string {
  const c = writeC(program);
  const outside = outsideOf(program);
  const { files } = writeFirmware(outside, c, board);
  const main = files.get('board_main.c')!.replace('"ByHand.h"', '"by_hand.h"');
  const layout = layoutText(outside, { names: c.names }).replace('"ByHand.h"', '"by_hand.h"');
  const all = new Map([
    ...files,
    [`${program.name}.h`, c.header] as const,
    ...['by_hand.h', 'by_hand.c'].map((n) => [n, readFileSync(join(folder, n), 'utf8')] as const),
    ['board_main.c', main] as const,
    ['board_layout.c', layout] as const,
  ]);
  return buildFirmware(
    outside,
    { files: all, sources: ['by_hand.c', 'board_main.c'], layout: 'board_layout.c' },
    board,
  );
}

const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const program = stepProgramOf(tubeCapper, type).program!;

each('%s', (_, board) => {
  test('the controller written by hand does the same as the generated one, which is not much larger or slower', () => {
    const outside = outsideOf(program);
    const [hand, made] = [buildByHand(program, board), buildFor(program, board)];
    if (typeof hand === 'string' || typeof made === 'string') throw new Error(String(hand));
    const start = (p: StepProgram, built: typeof hand, name: string): RunningStep => {
      const found = stepOnBoard(p, { ...built, functions: [name] }, board);
      if (typeof found === 'string') throw new Error(found);
      const run = found.create();
      run.init();
      return run;
    };
    const [a, b] = [start(outside, hand, 'ByHand_step'), start(program, made, 'CapperControl_step')];
    let state = 5;
    const random = (): number => {
      state = (Math.imul(state, 1664525) + 1013904223) | 0;
      return (state >>> 8) / 2 ** 24;
    };
    const inputs = program.slots.flatMap((s, k) => (s.role === 'input' ? [k] : []));
    const outputs = program.slots.flatMap((s, k) => (s.role === 'output' ? [k] : []));
    for (let n = 0; n < 4000; n++) {
      // a tube is capped now and then, and everything else happens too
      for (const k of inputs) {
        const { name, is } = program.slots[k];
        const often = name === 'stop' || name === 'guardOpened' ? 0.002 : 0.05;
        const x =
          is === 'messages'
            ? Number(random() < often)
            : Math.fround(
                name === 'temperature'
                  ? 20 + 75.1 * random()
                  : name === 'torque'
                    ? 0.58 + 0.04 * random()
                    : name === 'speed'
                      ? 0.5 * random()
                      : 7 * random(),
              );
        a.write(k, x);
        b.write(k, x);
      }
      a.step();
      b.step();
      for (const k of outputs) expectSame(a.read(k), b.read(k), () => [n, program.slots[k].name]);
    }
    const [[own], [ours]] = [a.profile!().functions, b.profile!().functions].map((f) => [f[0]]);
    const flash = ({ image: { sizes } }: typeof hand): number => sizes.text + sizes.data;
    // at most 1.3 with the compilers it was measured with (docs/code-and-boards.md)
    expect(flash(made) / flash(hand)).toBeLessThan(1.4);
    expect(ours.mean / own.mean).toBeLessThan(1.4);
    expect(ours.max / own.max).toBeLessThan(1.4);
  }, 60_000);
});
