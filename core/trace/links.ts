import type { Edit } from '../project/edit';
import type { Project, TraceLink } from '../project/project';
import { idIn, readAddress, type Address } from '../project/address';
import { elementIndex, type TraceElement } from './elements';

/** How a trace link stands: `suspect` after one of its ends has changed, `broken` where an end is gone. */
export type LinkState = 'sound' | 'suspect' | 'broken';

export interface CheckedLink {
  readonly link: TraceLink;
  readonly requirement: TraceElement | undefined;
  readonly element: TraceElement | undefined;
  readonly state: LinkState;
}

export interface LinkIndex {
  readonly all: readonly CheckedLink[];
  readonly ofRequirement: ReadonlyMap<string, readonly CheckedLink[]>;
  /** By address of the element. */
  readonly ofElement: ReadonlyMap<string, readonly CheckedLink[]>;
  readonly suspect: readonly CheckedLink[];
  readonly broken: readonly CheckedLink[];
}

const kept = new WeakMap<Project, LinkIndex>();

/** All trace links with how they stand, from both sides. Kept per project. */
export function linkIndex(project: Project): LinkIndex {
  const known = kept.get(project);
  if (known) return known;
  const { byAddress } = elementIndex(project);
  const before = ofTraces.get(project.traces);
  const index = before
    ? patched(before, project)
    : built(project.traces.map((link): CheckedLink => check(link, byAddress)));
  ofTraces.set(project.traces, index);
  kept.set(project, index);
  return index;
}

/** The newest index over each list of links: most edits change an end of a few of them and no link at all. */
const ofTraces = new WeakMap<Project['traces'], LinkIndex>();

function patched(before: LinkIndex, project: Project): LinkIndex {
  const { byAddress, live } = elementIndex(project);
  const changed = new Map<CheckedLink, CheckedLink>();
  const all: CheckedLink[] = [],
    suspect: CheckedLink[] = [],
    broken: CheckedLink[] = [];
  for (const l of before.all) {
    const same =
      l.requirement !== undefined && l.element !== undefined && live.has(l.requirement) && live.has(l.element);
    const now = same ? l : check(l.link, byAddress);
    if (!same) changed.set(l, now);
    all.push(now);
    if (now.state === 'suspect') suspect.push(now);
    else if (now.state === 'broken') broken.push(now);
  }
  if (changed.size === 0) return before;
  if (changed.size > 500) return built(all);
  const [ofRequirement, ofElement] = [new Map(before.ofRequirement), new Map(before.ofElement)];
  for (const l of changed.keys()) {
    for (const [map, key] of [
      [ofRequirement, l.link.requirement],
      [ofElement, l.link.element],
    ] as const)
      map.set(
        key,
        (map.get(key) ?? []).map((x) => changed.get(x) ?? x),
      );
  }
  return { all, ofRequirement, ofElement, suspect, broken };
}

function built(all: readonly CheckedLink[]): LinkIndex {
  const ofRequirement = new Map<string, CheckedLink[]>();
  const ofElement = new Map<string, CheckedLink[]>();
  const add = (map: Map<string, CheckedLink[]>, key: string, l: CheckedLink): void => {
    const list = map.get(key);
    if (list) list.push(l);
    else map.set(key, [l]);
  };
  for (const l of all) {
    add(ofRequirement, l.link.requirement, l);
    add(ofElement, l.link.element, l);
  }
  return {
    all,
    ofRequirement,
    ofElement,
    suspect: all.filter((l) => l.state === 'suspect'),
    broken: all.filter((l) => l.state === 'broken'),
  };
}

const checkedLinks = new WeakMap<TraceLink, CheckedLink>();

/** What was found of a link is kept as long as neither it nor its ends change. */
function check(link: TraceLink, byAddress: ReadonlyMap<string, TraceElement>): CheckedLink {
  const known = checkedLinks.get(link);
  const requirement = byAddress.get(`requirement/${link.requirement}`);
  const element = byAddress.get(link.element);
  if (known && element && known.requirement === requirement && known.element === element) return known;
  const found = checkEnds(link, requirement, element);
  checkedLinks.set(link, found);
  return found;
}

function checkEnds(
  link: TraceLink,
  requirement: TraceElement | undefined,
  element: TraceElement | undefined,
): CheckedLink {
  const isSound = link.requirementSeen === requirement?.mark && link.elementSeen === element?.mark;
  const state = !requirement || !element ? 'broken' : isSound ? 'sound' : 'suspect';
  return { link, requirement, element, state };
}

/** Why a link is not sound; nothing for one that is. */
export function whyNotSound({ link, requirement, element }: CheckedLink): string {
  if (!requirement) return 'Its requirement is gone';
  if (!element) return `What it leads to is gone: ${missing(link.element)}`;
  const changed = [
    link.requirementSeen !== requirement.mark ? requirement.label : '',
    link.elementSeen !== element.mark ? element.label : '',
  ].filter(Boolean);
  return changed.length === 0 ? '' : `${changed.join(' and ')} changed since the link was confirmed`;
}

const missing = (address: Address): string => {
  const word = readAddress(address)?.steps.at(-1)?.description.word ?? 'thing';
  return `${/^[aeiou]/.test(word) ? 'an' : 'a'} ${word}`;
};

/** The edit that links requirements and elements, every one with every other; pairs that are linked stay as they are. */
export const linkEdit = (
  project: Project,
  requirements: readonly string[],
  elements: readonly string[],
  newId: () => string,
): Edit | undefined =>
  linkPairsEdit(
    project,
    requirements.flatMap((r) => elements.map((e) => [r, e] as const)),
    newId,
  );

/** The edit that links pairs of a requirement (by its id) and an element (by its address). */
export function linkPairsEdit(
  project: Project,
  pairs: readonly (readonly [requirement: string, element: string])[],
  newId: () => string,
): Edit | undefined {
  const { byAddress } = elementIndex(project);
  const present = new Set(project.traces.map((t) => `${t.requirement} ${t.element}`));
  const entries: TraceLink[] = [];
  for (const [requirement, address] of pairs) {
    const from = byAddress.get(`requirement/${requirement}`);
    const to = byAddress.get(address);
    const key = `${requirement} ${address}`;
    if (!from || !to || present.has(key) || address === from.address) continue;
    present.add(key);
    entries.push({ id: newId(), requirement, element: address, requirementSeen: from.mark, elementSeen: to.mark });
  }
  return entries.length > 0 ? { kind: 'insert-all', list: 'trace', entries } : undefined;
}

/** The edit that says of links that they still hold. */
export const confirmEdit = (project: Project, links: readonly CheckedLink[]): Edit => ({
  kind: 'update-all',
  list: 'trace',
  updates: links.flatMap((l) =>
    l.requirement && l.element
      ? [{ id: l.link.id, changes: { requirementSeen: l.requirement.mark, elementSeen: l.element.mark } }]
      : [],
  ),
});

/** Removes links: all that touch an element or requirement, or those given. */
export const unlinkEdit = (links: readonly CheckedLink[]): Edit => ({
  kind: 'remove-all',
  list: 'trace',
  ids: links.map((l) => l.link.id),
});

const noLinks: readonly CheckedLink[] = [];

/** Links of anything, by its address, whichever side it is on. */
export function linksOf(project: Project, address: string): readonly CheckedLink[] {
  if (project.traces.length === 0) return noLinks;
  const index = linkIndex(project);
  const own = index.ofElement.get(address) ?? [];
  const requirement = idIn(address, 'requirement');
  return requirement === undefined ? own : [...(index.ofRequirement.get(requirement) ?? []), ...own];
}
