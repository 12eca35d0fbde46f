import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { boardNamed, boardsOf } from '../core/boards/board';
import { linesOn } from '../core/boards/board-image';
import { misfits } from '../core/boards/step-on-board';
import { channelErrors, openSignals } from '../core/pins/check-channels';
import { stepProgramOf } from '../core/stepcode/controller';
import { buildFor } from '../server/build-image';
import { stopWith } from './model-text';
import { complain, print } from './output';
import { projectTexts, readType } from './read-project';

export interface BuildArguments {
  readonly type: string;
  readonly board: string;
  readonly out: string;
  readonly every?: number;
  readonly json?: boolean;
}

/** `zelvar build`: 0 the image is there and fits, 1 it cannot be made or does not fit, 2 it could not be asked. */
export function build(file: string, options: BuildArguments): number {
  const found = readType(file, options.type);
  if (!found) return 2;
  const { project, type } = found;
  const board = boardNamed(options.board, boardsOf(project));
  if (!board) {
    complain(
      `zelvar: there is no board ${options.board}; there are ${boardsOf(project)
        .map((b) => (b.isOwn ? b.name : b.id))
        .join(', ')}`,
    );
    return 2;
  }
  const { program, problems } = stepProgramOf(project, type, options.every);
  if (!program) {
    stopWith(problems, projectTexts(project), options.json);
    return 1;
  }
  const unsound = channelErrors(type, board, program.period);
  if (unsound.length > 0) {
    stopWith(unsound, projectTexts(project), options.json);
    return 1;
  }
  const lines = linesOn(type, board);
  const built = buildFor(program, board, lines);
  if (typeof built === 'string') {
    complain(`zelvar: ${built}`);
    if (options.json) print(JSON.stringify({ board: board.id, problems: [{ message: built }] }, null, 1));
    return 1;
  }
  const wrong = misfits(built.image, board);
  const name = `${program.name}-${board.id}.elf`;
  try {
    mkdirSync(options.out, { recursive: true });
    writeFileSync(join(options.out, name), built.elf);
  } catch (error) {
    complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return 2;
  }
  const inMemory = openSignals(type);
  const { text, data, bss } = built.image.sizes;
  const sizes = {
    flash: { used: text + data, of: board.flash },
    memory: { used: data + bss, of: board.memory },
    text,
    data,
    bss,
  };
  if (options.json)
    print(
      JSON.stringify(
        {
          board: board.id,
          file: join(options.out, name),
          sizes,
          said: built.said,
          pins: lines.flatMap((l) => (l.pin ? [{ channel: l.name, pin: l.pin.name }] : [])),
          inMemory,
          problems: wrong.map((message) => ({ message })),
        },
        null,
        1,
      ),
    );
  else {
    if (built.said !== '') print(built.said);
    print(
      `${join(options.out, name)}: ${sizes.flash.used} of ${board.flash} bytes of flash, ${sizes.memory.used} of ${board.memory} bytes of memory, the stack not counted`,
    );
    if (inMemory.length > 0) print(`on no channel, handed over in memory: ${inMemory.join(', ')}`);
    for (const w of wrong) complain(`zelvar: ${w}`);
  }
  return wrong.length > 0 ? 1 : 0;
}
