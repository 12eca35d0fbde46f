import { boardOf } from '../core/boards/board';
import { hostSource } from '../core/boards/host-build';
import { functionsOf, misfits, stepOnBoard } from '../core/boards/step-on-board';
import type { StepProgram } from '../core/stepcode/step-program';
import type { MakeCompiled } from '../core/stepcode/stage';
import { writeC } from '../core/stepcode/write-c';
import { buildFor } from '../server/build-image';
import { stepOnHost } from '../server/step-on-host';

const compiled = new Map<string, ReturnType<typeof stepOnHost>>();
const mostKept = 8;
/** What was compiled last is kept: many runs are of the same steps. */
function hostSteps(program: StepProgram): ReturnType<typeof stepOnHost> {
  const source = hostSource(program);
  let made = compiled.get(source);
  if (made === undefined) {
    const [oldest] = compiled;
    if (compiled.size >= mostKept) {
      if (typeof oldest[1] !== 'string') oldest[1].dispose();
      compiled.delete(oldest[0]);
    }
    compiled.set(source, (made = stepOnHost(program)));
  }
  return made;
}

/** Steps that the compilers of this machine make. */
export const compiledHere: MakeCompiled = (program, outside, lines, serial) => {
  if (!outside) return hostSteps(program);
  const board = boardOf(outside);
  const built = buildFor(program, board, lines, serial);
  if (typeof built === 'string') return built;
  const [wrong] = misfits(built.image, board);
  if (wrong !== undefined) return wrong;
  return stepOnBoard(program, { ...built, functions: functionsOf(writeC(program).source) }, board, lines);
};
