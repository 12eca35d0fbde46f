import { projectFlow, visitFlow } from '../flows/read-flow';
import { isBinding, type Project } from '../project/project';
import { limitOf } from '../requirements/read-limit';
import { linkIndex, whyNotSound, type CheckedLink } from './links';

/** Something that is not traced yet, with the address to go to. */
export interface Gap {
  readonly kind: GapKind;
  readonly address: string;
  readonly label: string;
  readonly message: string;
}

export type GapKind = 'step' | 'branch' | 'no-step' | 'no-formula' | 'no-element' | 'suspect' | 'broken';

export const gapWords: Readonly<Record<GapKind, string>> = {
  step: 'Steps without a requirement',
  branch: 'Guarded branches without a requirement',
  'no-step': 'Requirements that come from no step',
  'no-formula': 'Requirements that nothing can check',
  'no-element': 'Requirements that no element serves',
  suspect: 'Links to look at again',
  broken: 'Links that lead nowhere',
};

export interface Completeness {
  readonly gaps: readonly Gap[];
  /** Things that are asked for, and how many of them are there, per kind of gap. */
  readonly bars: readonly { readonly kind: GapKind; readonly done: number; readonly of: number }[];
  readonly done: number;
  readonly of: number;
}

const kept = new WeakMap<Project, Completeness>();

/** Whether everything is tied to everything it should be tied to; each gap is a jump. */
export function completeness(project: Project): Completeness {
  const known = kept.get(project);
  if (known) return known;
  const links = linkIndex(project);
  const gaps: Gap[] = [];
  const counts = new Map<GapKind, { done: number; of: number }>();
  const count = (kind: GapKind, done: boolean, gap: () => Omit<Gap, 'kind'>): void => {
    const c = counts.get(kind) ?? { done: 0, of: 0 };
    counts.set(kind, { done: c.done + (done ? 1 : 0), of: c.of + 1 });
    if (!done) gaps.push({ kind, ...gap() });
  };
  const standing = (l: CheckedLink): boolean => l.state !== 'broken';
  for (const flow of project.flows) {
    visitFlow(projectFlow(project, flow).nodes, ({ node, line }) => {
      const address = `flow/${flow.id}/line/${line.id}`;
      const has = (links.ofElement.get(address) ?? []).some(standing);
      if ('guard' in node) {
        if (node.guard !== '')
          count('branch', has, () => ({
            address,
            label: `${flow.name}: if ${node.guard}`,
            message: 'No requirement says what happens then',
          }));
      } else if (node.kind === 'step')
        count('step', has, () => ({
          address,
          label: `${flow.name}: ${line.text}`,
          message: 'No requirement asks for this step',
        }));
    });
  }
  for (const r of project.requirements) {
    if (!isBinding(r)) continue;
    const address = `requirement/${r.id}`;
    const own = (links.ofRequirement.get(r.id) ?? []).filter(standing);
    const kinds = new Set(own.map((l) => l.element?.kind));
    // a person who writes no use flows is not asked for them
    if (project.flows.length > 0)
      count('no-step', kinds.has('step') || kinds.has('use flow'), () => ({
        address,
        label: r.key,
        message: `${r.key} comes from no step of a use flow`,
      }));
    const checkable = r.observation !== null || limitOf(r, project.glossary).formula !== undefined;
    count('no-formula', checkable, () => ({
      address,
      label: r.key,
      message: `${r.key} has no formula, and nobody has signed an observation`,
    }));
    const served = [...kinds].some(
      (k) => k !== undefined && k !== 'step' && k !== 'use flow' && k !== 'setup' && k !== 'requirement',
    );
    count('no-element', served, () => ({
      address,
      label: r.key,
      message: `No part, quantity, state or equation is said to serve ${r.key}`,
    }));
  }
  for (const [kind, list] of [
    ['suspect', links.suspect],
    ['broken', links.broken],
  ] as const) {
    for (const l of list)
      gaps.push({
        kind,
        address: `requirement/${l.link.requirement}`,
        label: `${l.requirement?.label ?? '?'} – ${l.element?.label ?? '?'}`,
        message: whyNotSound(l),
      });
  }
  const bars = [...counts].map(([kind, c]) => ({ kind, ...c }));
  const result: Completeness = {
    gaps,
    bars,
    done: bars.reduce((s, b) => s + b.done, 0),
    of: bars.reduce((s, b) => s + b.of, 0),
  };
  kept.set(project, result);
  return result;
}
