import { boardOf } from '../core/boards/board';
import { functionsOf, misfits, stepOnBoard } from '../core/boards/step-on-board';
import type { MakeCompiled } from '../core/stepcode/stage';
import { writeC } from '../core/stepcode/write-c';
import { buildFor } from '../server/build-image';
import { createKeptPrograms } from '../server/kept-programs';

const programs = createKeptPrograms();

/** Steps that the compilers of this machine make. */
export const compiledHere: MakeCompiled = (program, outside, lines, serial) => {
  if (!outside) return programs.stepsOf(program);
  const board = boardOf(outside);
  const built = buildFor(program, board, lines, serial);
  if (typeof built === 'string') return built;
  const [wrong] = misfits(built.image, board);
  if (wrong !== undefined) return wrong;
  return stepOnBoard(program, { ...built, functions: functionsOf(writeC(program).source) }, board, lines);
};
