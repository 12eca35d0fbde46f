import type { SheetToWrite } from '../formats/sheet-xlsx';
import { writeReqif } from '../formats/sheet-reqif';
import type { Project, Requirement } from '../project/project';

/** Rows of the requirement sheet, head first: the same for CSV and XLSX. Importing them again changes nothing. */
export function requirementRows(project: Project): string[][] {
  const names = [...new Set(project.requirements.flatMap((r) => r.attributes.map((a) => a.name)))];
  const keys = new Map(project.requirements.map((r) => [r.id, r.key]));
  return [
    ['Id', 'Text', 'Kind', 'Parent', ...names],
    ...project.requirements.map((r) => [
      r.key,
      r.text,
      r.kind,
      r.parent === null ? '' : (keys.get(r.parent) ?? ''),
      ...names.map((n) => r.attributes.find((a) => a.name === n)?.value ?? ''),
    ]),
  ];
}

export const requirementSheet = (project: Project): SheetToWrite => ({
  name: 'Requirements',
  rows: requirementRows(project),
  widths: [14, 80, 14, 14],
});

/** Identifiers given by another tool are returned as they came. */
const identifier = (r: Requirement): string => r.source?.foreign || `_${r.id}`;

export function requirementReqif(project: Project): string {
  const ids = new Map(project.requirements.map((r) => [r.id, identifier(r)]));
  return writeReqif({
    id: project.id,
    title: project.name,
    objects: project.requirements.map((r) => ({
      id: identifier(r),
      key: r.key,
      text: r.text,
      kind: r.kind,
      parent: r.parent === null ? '' : (ids.get(r.parent) ?? ''),
      attributes: r.attributes.filter((a) => !['ReqIF.ForeignID', 'ReqIF.Text', 'Kind'].includes(a.name)),
    })),
    relations: project.traces.flatMap((t) => {
      const [from, to] = [ids.get(t.requirement), ids.get(t.element.replace(/^requirement\//, ''))];
      return from && to && t.element.startsWith('requirement/') ? [{ from, to, type: 'Trace link' }] : [];
    }),
  });
}
