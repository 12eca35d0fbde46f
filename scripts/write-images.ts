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
    const built = program ? buildFor(program, board, linesOn(type, board)) : 'it cannot be put into code';
    if (!program || typeof built === 'string') throw new Error(`${type.name} for ${board.name}: ${String(built)}`);
    const { elf, layout, said } = built;
    writeFileSync(
      `public/images/${program.name}-${board.id}.json`,
      `${JSON.stringify(writeImage({ board: board.id, source: sourceOf(program, board, linesOn(type, board)), elf, layout, said }))}\n`,
    );
  }
