// `npm run images`: images of the demo for the boards, so that it runs where there is no compiler. Needs the compilers.
import { mkdirSync, writeFileSync } from 'node:fs';
import { boards } from '../core/boards/board';
import { linesOn, sourceOf, writeImage } from '../core/boards/board-image';
import { stepProgramOf } from '../core/stepcode/controller';
import { tubeCapper } from '../samples/tube-capper';
import { buildFor } from '../server/build-image';

mkdirSync('public/images', { recursive: true });
for (const type of tubeCapper.types.filter((t) => t.software !== ''))
  for (const board of boards) {
    const { program } = stepProgramOf(tubeCapper, type);
    const lines = linesOn(type, board);
    // with the serial line of the setup that has one, on a board whose pins for it are free
    const watched = tubeCapper.setups.find((s) => s.serial.length > 0)!;
    const serials = watched.stages.some((s) => s.board === board.id) ? [undefined, watched.serial[0]] : [undefined];
    for (const serial of serials) {
      const built = program ? buildFor(program, board, lines, serial) : 'it cannot be put into code';
      if (!program || typeof built === 'string') throw new Error(`${type.name} for ${board.name}: ${String(built)}`);
      const { elf, layout, said } = built;
      const source = sourceOf(program, board, lines, serial);
      writeFileSync(
        `public/images/${program.name}-${board.id}${serial ? '-line' : ''}.json`,
        `${JSON.stringify(writeImage({ board: board.id, source, elf, layout, said }))}\n`,
      );
    }
  }
