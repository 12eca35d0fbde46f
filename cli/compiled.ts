import { boardNamed, boards } from '../core/boards/board';
import { functionsOf, misfits, stepOnBoard } from '../core/boards/step-on-board';
import type { MakeCompiled } from '../core/stepcode/stage';
import { writeC } from '../core/stepcode/write-c';
import { buildFor } from '../server/build-image';
import { stepOnHost } from '../server/step-on-host';

/** Steps that the compilers of this machine make. */
export const compiledHere: MakeCompiled = (program, stage, name, lines, serial) => {
  if (stage === 'host') return stepOnHost(program);
  const board = name === '' ? boards[0] : boardNamed(name);
  if (!board) return `There is no board ${name}; there are ${boards.map((b) => b.id).join(', ')}`;
  const built = buildFor(program, board, lines, serial);
  if (typeof built === 'string') return built;
  const [wrong] = misfits(built.image, board);
  if (wrong !== undefined) return wrong;
  return stepOnBoard(program, { ...built, functions: functionsOf(writeC(program).source) }, board, lines);
};
