import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import { useShallow } from 'zustand/react/shallow';
import type { Project } from '@/core/project/project';
import { linkEdit, linksOf, unlinkEdit, whyNotSound, type CheckedLink } from '@/core/trace/links';
import { usePlace } from './place-store';
import { useProject } from './project-store';

const none: readonly CheckedLink[] = [];

/** Trace links of the thing with this address, whichever side it is on. */
export function useLinksOf(address: string | undefined): readonly CheckedLink[] {
  const project = useProject((s) => s.project);
  return useMemo(() => (project && address ? linksOf(project, address) : none), [project, address]);
}

/** What an element on a sheet shows of its links: a class while links are shown, and the texts of its requirements. */
export interface TraceLook {
  readonly className: string;
  readonly title: string | undefined;
  readonly count: number;
}

export function traceLook(project: Project | undefined, address: string, showLinks: boolean): TraceLook {
  const links = project ? linksOf(project, address) : none;
  const title =
    links.length > 0
      ? links
          .slice(0, 6)
          .map((l) =>
            l.requirement ? `${l.requirement.label}: ${l.requirement.content.split('|')[0]}` : whyNotSound(l),
          )
          .join('\n') + (links.length > 6 ? `\nand ${links.length - 6} more` : '')
      : undefined;
  return { className: showLinks ? (links.length > 0 ? ' traced' : ' untraced') : '', title, count: links.length };
}

/** The look of one element; whoever asks is drawn anew only when it changes, not with every edit of the project. */
export function useTraceLook(address: string): TraceLook {
  const showLinks = usePlace((s) => s.showLinks);
  return useProject(useShallow((s) => traceLook(s.project, address, showLinks)));
}

/** Links requirements and elements and says what came of it. */
export function link(requirements: readonly string[], elements: readonly string[], label = 'Link'): boolean {
  const { project, edit } = useProject.getState();
  if (!project) return false;
  const made = linkEdit(project, requirements, elements, () => `v-${nanoid(10)}`);
  if (!made) {
    usePlace.getState().say('They are linked already', 'note');
    return false;
  }
  const refused = edit(made, label);
  if (refused) usePlace.getState().say(refused.message);
  return !refused;
}

/** Links two things by their addresses: one of them has to be a requirement. */
export function linkPair(a: string, b: string): void {
  const id = (address: string): string | undefined =>
    address.startsWith('requirement/') ? address.slice(12) : undefined;
  const requirement = id(a) ?? id(b);
  if (requirement === undefined)
    return usePlace.getState().say('A trace link joins a requirement and something else', 'note');
  link([requirement], [id(a) !== undefined ? b : a]);
}

export function unlink(links: readonly CheckedLink[], label: string): void {
  const refused = links.length > 0 ? useProject.getState().edit(unlinkEdit(links), label) : undefined;
  if (refused) usePlace.getState().say(refused.message);
}
