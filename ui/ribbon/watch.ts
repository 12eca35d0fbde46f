import { nanoid } from 'nanoid';
import { useLayout } from '@/store/layout-store';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { elementsOf } from '../moment';
import type { Edit } from '@/core/project/edit';

/** Watching: quantities as tracks of the ribbon. */

/** Whether a quantity has a track, by its full name. */
export const useIsWatched = (full: string | undefined): boolean =>
  useProject((s) => full !== undefined && (s.project?.tracks.some((t) => t.items.includes(full)) ?? false));

/** Gives quantities a track of their own, or puts them to the newest one; what is there already is brought into sight. */
export function watch(wanted: readonly string[], joining: boolean): void {
  const run = useRuns.getState().current;
  // a list is watched element by element, on one track
  const names = wanted.flatMap((n) => {
    const elements = run?.data.columns.has(n) ? [] : elementsOf(run, n);
    return elements.length > 0 ? elements : [n];
  });
  const { project, edit } = useProject.getState();
  const { say } = usePlace.getState();
  if (!project || names.length === 0) return;
  const setup = project.setups.find((s) => s.id === useRuns.getState().setupId) ?? project.setups[0];
  const isShown = (id: string): boolean => !setup || setup.tracks.length === 0 || setup.tracks.includes(id);
  const newest = project.tracks.findLast((t) => isShown(t.id));
  const fresh = names.filter((n) => !project.tracks.some((t) => isShown(t.id) && t.items.includes(n)));
  if (!useLayout.getState().ribbonOpen) useLayout.getState().toggleRibbon();
  const label = `Watch ${fresh.join(', ')}`;
  let refused;
  if (joining && newest) {
    const more = names.filter((n) => !newest.items.includes(n));
    if (more.length > 0)
      refused = edit(
        { kind: 'update', list: 'track', id: newest.id, changes: { items: [...newest.items, ...more] } },
        `Watch ${more.join(', ')}`,
      );
  } else if (fresh.length > 0) {
    const ids = fresh.map(() => nanoid(8));
    const edits: Edit[] = fresh.map((name, k) => ({
      kind: 'insert',
      list: 'track',
      entry: { id: ids[k], items: [name], height: 90 },
    }));
    if (setup && setup.tracks.length > 0)
      edits.push({ kind: 'update', list: 'setup', id: setup.id, changes: { tracks: [...setup.tracks, ...ids] } });
    refused = edit({ kind: 'batch', label, edits }, label);
  }
  if (refused) return say(refused.message);
  pointAt(names);
}

/** Lights up tracks for a moment, so that one sees where they are: the newest of them, or the first. */
export function pointAt(names: readonly string[], newest = true): void {
  setTimeout(() => {
    const items = [...document.querySelectorAll<HTMLElement>('.ribbon [data-track-item]')].filter((e) =>
      names.includes(e.dataset.trackItem ?? ''),
    );
    items.at(newest ? -1 : 0)?.scrollIntoView({ block: 'nearest', behavior: 'smooth' });
    for (const e of items) {
      e.classList.add('pointed-at');
      setTimeout(() => e.classList.remove('pointed-at'), 1600);
    }
  }, 80);
}
