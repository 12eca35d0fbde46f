import { boardNamed, boardsOf } from '@/core/boards/board';
import { isSameSource, readImage, serialText, type BoardImage } from '@/core/boards/board-image';
import { builtTogether, nothingBuilt, type BuiltSteps } from '@/core/boards/built-steps';
import type { HostBuild } from '@/core/boards/host-build';
import { namesOfRun } from '@/core/run/names-of-run';
import type { PartType, Project, Setup } from '@/core/project/project';
import type { SerialLine } from '@/core/serial/messages';
import { serialIn } from '@/core/stepcode/stage';
import { codeOf } from './checking';

/** Images for boards: shipped ones where they are of this very code, otherwise built by the server that serves this page. */

const known: BoardImage[] = [];
const fromHere = new WeakSet<BoardImage>();
/** Whether an image came with the application. */
export const isShipped = (image: BoardImage): boolean => fromHere.has(image);
const mostKept = 12;

/** What setups need that compilers make, and why something of it is not there. */
export async function builtFor(project: Project, setups: readonly Setup[]): Promise<BuiltSteps> {
  return builtTogether(await Promise.all(setups.map((setup) => builtForOne(project, setup))));
}

async function builtForOne(project: Project, setup: Setup): Promise<BuiltSteps> {
  if (!setup.stages.some((s) => s.stage === 'board' || s.stage === 'host')) return nothingBuilt;
  const typeNames = new Map(
    namesOfRun(project, setup.root || project.root).flatMap((n) =>
      n.kind === 'part' ? [[n.name, n.detail] as const] : [],
    ),
  );
  const images: BoardImage[] = [];
  const hosts: HostBuild[] = [];
  const missing: string[] = [];
  for (const { part, stage, board: name } of setup.stages) {
    if (stage !== 'board' && stage !== 'host') continue;
    const type = project.types.find((t) => t.name === typeNames.get(part));
    // what is wrong with the part itself is told where the run is made
    if (!type) continue;
    if (stage === 'host') {
      const build = await hostBuildOf(project, type);
      if (typeof build === 'string') missing.push(build);
      else hosts.push(build);
      continue;
    }
    const line = serialIn(setup).get(part);
    const image = await imageOf(project, type, name, line && { baud: line.baud, every: line.every });
    if (typeof image === 'string') missing.push(image);
    else if (image) images.push(image);
  }
  return { images, hosts, missing };
}

/** The C of a part type, compiled by the server that serves this page; why not, where it is not. */
async function hostBuildOf(project: Project, type: PartType): Promise<HostBuild | string> {
  try {
    const reply = await fetch('/api/host', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ project, type: type.name }),
    });
    const said = (await reply.json()) as { problem?: string; build?: HostBuild };
    return said.build ?? said.problem ?? 'The C could not be compiled';
  } catch {
    return 'The stage host is not available: the server that compiles does not answer';
  }
}

/** The image of a part type for a board; undefined where there is no code of it. */
export async function imageOf(
  project: Project,
  type: PartType,
  name: string,
  serial?: SerialLine,
): Promise<BoardImage | string | undefined> {
  const board = boardNamed(name, boardsOf(project));
  if (!board)
    return `There is no board ${name}; there are ${boardsOf(project)
      .map((b) => b.name)
      .join(', ')}`;
  const code = await codeOf(type.id);
  const [header, source] = code?.files ?? [];
  if (!header || !source) return undefined;
  // signals may go in and out directly here
  const pins = type.channels.length === 0 ? '' : (code?.pins.find(([id]) => id === board.id)?.[1] ?? '');
  const text = `${header[1]}\n${source[1]}${pins}${serialText(serial)}`;
  const isIt = (image: BoardImage): boolean => image.board === board.id && isSameSource(image.source, text);
  const there =
    known.find(isIt) ??
    (board.isOwn ? undefined : await shipped(`${source[0].replace(/\.c$/, '')}-${board.id}${serial ? '-line' : ''}`));
  if (there && isIt(there)) return keep(there);
  try {
    const reply = await fetch('/api/build', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ project, type: type.id, board: board.id, ...(serial && { serial }) }),
    });
    const said = (await reply.json()) as { problem?: string; image?: unknown };
    const image = readImage(said.image);
    return image ? keep(image) : (said.problem ?? 'The image could not be built');
  } catch {
    return `${board.name} is not available: the server that builds images does not answer`;
  }
}

function keep(image: BoardImage): BoardImage {
  if (!known.includes(image)) known.push(image);
  if (known.length > mostKept) known.shift();
  return image;
}

const asked = new Map<string, Promise<BoardImage | undefined>>();
function shipped(name: string): Promise<BoardImage | undefined> {
  let found = asked.get(name);
  if (!found)
    asked.set(
      name,
      (found = fetch(`/images/${encodeURIComponent(name)}.json`)
        .then(async (r) => {
          const image = r.ok ? readImage(await r.json()) : undefined;
          if (image) fromHere.add(image);
          return image;
        })
        .catch(() => undefined)),
    );
  return found;
}
