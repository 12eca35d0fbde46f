import { boardNamed, boardsOf } from '@/core/boards/board';
import { linesOn, sourceOf, writeImage } from '@/core/boards/board-image';
import { readProjectText } from '@/core/formats/project-file';
import { stepProgramOf } from '@/core/stepcode/controller';
import { channelErrors } from '@/core/pins/check-channels';
import type { SerialLine } from '@/core/serial/messages';
import { buildFor } from '@/server/build-image';

export const runtime = 'nodejs';
export const dynamic = 'force-dynamic';

const largest = 40_000_000;
const answer = (status: number, body: object): Response => Response.json(body, { status });

/** Numbers within the limits that a setup has for them. */
function lineOf(said: unknown): SerialLine | 'wrong' {
  const { baud, every } = (said ?? {}) as Partial<Record<keyof SerialLine, unknown>>;
  const isWithin = (x: unknown, low: number, high: number): x is number =>
    typeof x === 'number' && x >= low && x <= high;
  return isWithin(baud, 300, 2_000_000) && isWithin(every, 1, 255) && Number.isInteger(every)
    ? { baud, every }
    : 'wrong';
}

/**
 * Builds an image: what comes is a project and which of its part types is wanted, never a source or a command. What is compiled is written
 * here out of the model, in a fresh folder, with fixed arguments and a limit of time.
 */
export async function POST(request: Request): Promise<Response> {
  const text = await request.text();
  if (text.length > largest) return answer(413, { problem: 'The project is too large to be built here' });
  let asked: { project?: unknown; type?: unknown; board?: unknown; serial?: unknown };
  try {
    asked = JSON.parse(text) as typeof asked;
  } catch {
    return answer(400, { problem: 'This is no question for an image' });
  }
  const { value: project, problems } = readProjectText(JSON.stringify(asked.project));
  const type = project?.types.find((t) => t.id === asked.type);
  const board = project && typeof asked.board === 'string' ? boardNamed(asked.board, boardsOf(project)) : undefined;
  if (!project || !type) return answer(400, { problem: problems[0]?.message ?? 'There is no such part type' });
  if (!board) return answer(400, { problem: 'There is no such board' });
  const { program, problems: refused } = stepProgramOf(project, type);
  if (!program) return answer(422, { problem: refused[0]?.message ?? 'It cannot be put into code' });
  const [unsound] = channelErrors(type, board, program.period);
  if (unsound) return answer(422, { problem: unsound.message });
  const lines = linesOn(type, board);
  const serial = asked.serial === undefined ? undefined : lineOf(asked.serial);
  if (serial === 'wrong') return answer(400, { problem: 'There is no such serial line' });
  const built = buildFor(program, board, lines, serial);
  if (typeof built === 'string') return answer(422, { problem: built });
  return answer(200, {
    image: writeImage({
      board: board.id,
      source: sourceOf(program, board, lines, serial),
      elf: built.elf,
      layout: built.layout,
      said: built.said,
    }),
  });
}
