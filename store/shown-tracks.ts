import { typeById, type Project, type Setup, type Track } from '@/core/project/project';

/**
 * Tracks that the ribbon shows: those the setup chose, or all; without those that only tell of parts of something else, as where a bench
 * for one part runs in place of the product. `ran`: name of the type that the run at hand ran.
 */
export function shownTracks(
  project: Project,
  setup: Pick<Setup, 'tracks' | 'root'> | undefined,
  ran: string | undefined,
): readonly Track[] {
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
