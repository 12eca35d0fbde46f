import { typeById, type Project, type Setup, type Track } from '@/core/project/project';
import { allParts, partTree } from './derived';

/**
 * Tracks that the ribbon shows: those the setup chose, or all; without those that only tell of parts of something else, as where a bench
 * for one part runs in place of the product. `ran`: name of the type that the run at hand ran; `part`: what stands alone in it, where that is no
 * type of the project.
 */
export function shownTracks(
  project: Project,
  setup: Pick<Setup, 'tracks' | 'root'> | undefined,
  ran: string | undefined,
  part?: { readonly name: string; readonly type: string },
): readonly Track[] {
  const known = ran === undefined || project.types.some((t) => t.name === ran);
  if (!known && part) return tracksOfPart(project, part);
  const chosen =
    setup && setup.tracks.length > 0 ? project.tracks.filter((t) => setup.tracks.includes(t.id)) : project.tracks;
  const partsOf = (id: string): readonly string[] => typeById(project, id)?.parts.map((p) => p.name) ?? [];
  const elsewhere = new Set([project.root, ...project.setups.map((s) => s.root)].flatMap(partsOf));
  const here = new Set(
    ran === undefined
      ? partsOf(setup?.root || project.root)
      : project.types.find((t) => t.name === ran)?.parts.map((p) => p.name),
  );
  const isOfOther = (item: string): boolean => {
    const [first, ...rest] = item.split('.');
    return rest.length > 0 && elsewhere.has(first) && !here.has(first);
  };
  return chosen.filter((t) => t.items.length === 0 || !t.items.every(isOfOther));
}

/** What the product is looked at for in parts of a type, of one that stands alone; where that is nothing, what it puts out and its charts. */
function tracksOfPart(project: Project, part: { readonly name: string; readonly type: string }): readonly Track[] {
  const paths = allParts(partTree(project)).flatMap((p) => (p.type.name === part.type ? [p.path] : []));
  const here = (item: string): readonly string[] =>
    paths.flatMap((path) =>
      path === '' ? [`${part.name}.${item}`] : item.startsWith(`${path}.`) ? [part.name + item.slice(path.length)] : [],
    );
  const found = project.tracks.flatMap((t) => {
    const items = [...new Set(t.items.flatMap(here))];
    return items.length > 0 ? [{ ...t, items }] : [];
  });
  if (found.length > 0) return found;
  const type = project.types.find((t) => t.name === part.type);
  return [...(type?.charts ?? []), ...(type?.quantities.filter((q) => q.role === 'output') ?? [])].map((x) => ({
    id: `alone-${x.id}`,
    items: [`${part.name}.${x.name}`],
    height: 90,
  }));
}
