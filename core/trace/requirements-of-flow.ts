import { applyEdit, type Edit } from '../editing/edits';
import { newRequirement, typeById, type Flow, type Project } from '../project/project';
import { linkPairsEdit } from './links';
import { proposeRequirements, type Proposal } from '../flows/derive';
import { projectFlow } from '../flows/read-flow';

/** Words for the product in sentences: `TubeCapper` is "tube capper". */
export const productWords = (project: Project): string =>
  (typeById(project, project.root)?.name ?? 'product').replace(/(?<=\p{Ll})(?=\p{Lu})/gu, ' ').toLowerCase();

/** Requirements that the lines of a flow ask for and that are not there yet; of one line or of all. */
export function flowProposals(project: Project, flow: Flow, line?: string): Proposal[] {
  const linked = new Set(project.traces.map((t) => t.element));
  return proposeRequirements(flow, projectFlow(project, flow).nodes, productWords(project), (l) =>
    line === undefined ? !linked.has(`flow/${flow.id}/line/${l}`) : l === line,
  );
}

/** The edit that makes requirements of proposals, each linked to its line. Their ids go on from those that are there. */
export function takeProposals(
  project: Project,
  flow: Flow,
  proposals: readonly Proposal[],
  newId: (prefix: string) => string,
): Edit {
  const numbers = [...project.requirements, ...project.retired].map((r) => Number(/(\d+)$/.exec(r.key)?.[1] ?? 0));
  const [, prefix, digits] = /^(.*?)(\d+)$/.exec(
    project.requirements.find((r) => /\d+$/.test(r.key))?.key ?? 'REQ-01',
  )!;
  let next = numbers.reduce((a, b) => Math.max(a, b), 0);
  const entries = proposals.map((p) =>
    newRequirement(newId('r'), `${prefix}${String(++next).padStart(digits.length, '0')}`, p.text),
  );
  const insert: Edit = { kind: 'insert-all', list: 'requirement', entries };
  const links = linkPairsEdit(
    applyEdit(project, insert).project,
    proposals.map((p, k) => [entries[k].id, `flow/${flow.id}/line/${p.line.id}`] as const),
    () => newId('v'),
  );
  return { kind: 'batch', label: 'Derive requirements', edits: [insert, ...(links ? [links] : [])] };
}
