import { readProjectText } from '@/core/formats/project-file';
import { stepProgramOf } from '@/core/stepcode/controller';
import { replayed, rowsAsText, rowsOfText, type Replay } from '@/core/studies/replay';
import { createKeptPrograms } from '@/server/kept-programs';

export const runtime = 'nodejs';
export const dynamic = 'force-dynamic';

const programs = createKeptPrograms();
const largest = 120_000_000;
const mostSteps = 1_000_000;
/** Milliseconds. */
const longest = 30_000;
const answer = (status: number, body: object): Response => Response.json(body, { status });
const isTexts = (x: unknown): x is readonly string[] => Array.isArray(x) && x.every((t) => typeof t === 'string');

/**
 * Compiles the C of a part type on this machine, and with numbers for its inputs goes its steps: what comes is a project, which of its part
 * types is wanted and numbers, never a source or a command. What is compiled is written here out of the model, in a fresh folder.
 */
export async function POST(request: Request): Promise<Response> {
  const text = await request.text();
  if (text.length > largest) return answer(413, { problem: 'The run is too long to be gone again here' });
  let asked: { project?: unknown; type?: unknown; replay?: unknown };
  try {
    asked = JSON.parse(text) as typeof asked;
  } catch {
    return answer(400, { problem: 'This is no question for steps' });
  }
  const replay = replayIn(asked.replay);
  if (!replay && asked.replay !== undefined) return answer(400, { problem: 'These are no inputs of steps' });
  const { value: project, problems } = readProjectText(JSON.stringify(asked.project));
  const type = project?.types.find((t) => t.name === asked.type);
  if (!project || !type) return answer(400, { problem: problems[0]?.message ?? 'There is no such part type' });
  const { program, problems: refused } = stepProgramOf(project, type);
  if (!program) return answer(422, { problem: refused[0]?.message ?? 'It cannot be put into code' });
  if (!replay) {
    const build = programs.buildOf(program);
    return typeof build === 'string' ? answer(422, { problem: build }) : answer(200, { build });
  }
  const made = programs.stepsOf(program);
  if (typeof made === 'string') return answer(422, { problem: made });
  const until = Date.now() + longest;
  const run = made.create();
  try {
    const { shown, rows } = replayed(program, run, replay, () => {
      if (Date.now() > until) throw new Error(`It takes longer than ${longest / 1000} s on this machine`);
    });
    return answer(200, { shown, rows: rowsAsText(rows), profile: run.profile?.() });
  } catch (error) {
    return answer(422, { problem: error instanceof Error ? error.message : String(error) });
  }
}

/** One step of what was compiled, from the memory that comes to the memory that is answered. */
export async function PUT(request: Request): Promise<Response> {
  const question = new Uint8Array(await request.arrayBuffer());
  try {
    const found = programs.answer(new URL(request.url).searchParams.get('build') ?? '', question);
    return found
      ? new Response(found as BufferSource)
      : answer(410, { problem: 'What was compiled is not here any more' });
  } catch (error) {
    return answer(422, { problem: error instanceof Error ? error.message : String(error) });
  }
}

function replayIn(said: unknown): Replay | undefined {
  const { begins, inputs, shown, rows, count } = (said ?? {}) as Partial<Record<keyof Replay | 'count', unknown>>;
  const isBegun = (x: unknown): boolean =>
    Array.isArray(x) && x.length === 2 && typeof x[0] === 'string' && typeof x[1] === 'number';
  if (!isTexts(inputs) || !isTexts(shown) || !Array.isArray(begins) || !begins.every(isBegun)) return undefined;
  const isCount = typeof count === 'number' && Number.isInteger(count) && count > 0 && count <= mostSteps;
  const read = typeof rows === 'string' && isCount ? rowsOfText(rows, inputs.length, count) : undefined;
  return read ? { begins: begins as Replay['begins'], inputs, shown, rows: read } : undefined;
}
