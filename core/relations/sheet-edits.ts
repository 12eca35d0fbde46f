import { printReference } from '../language/print';
import { walkExpression } from '../language/walk';
import { parseRelationText } from '../language/parse';
import type { Edit } from '../project/edit';
import {
  newQuantity,
  newRelationSheet,
  newType,
  type PartType,
  type Project,
  type Quantity,
  type Relation,
  type RelationSheet,
} from '../project/project';
import { readRelation } from '../project/relation-text';
import { namesOfRelation, proposedUnit } from './advice';

/** What a sheet changes in its project, as edits. `makeId` gives ids that are free. */
type MakeId = () => string;

/** Plain names of a relation that are no quantities yet become some, with the unit the others ask for. */
export function missingQuantities(project: Project, type: PartType, text: string, makeId: MakeId): Edit[] {
  if (parseRelationText(text).problems.length > 0) return [];
  return namesOfRelation(project, type, text)
    .filter((n) => !n.known && /^[\p{L}_][\p{L}\p{N}_]*$/u.test(n.name))
    .map((n): Edit => ({
      kind: 'insert',
      list: `type/${type.id}/quantity`,
      entry: { ...newQuantity(`q-${makeId()}`, n.name), value: '', unit: proposedUnit(project, type, text, n.name) },
    }));
}

/** A quantity becomes known, with the value it has by now, or is to be found. */
export const setKnown = (type: PartType, quantity: Quantity, known: boolean, value: number | undefined): Edit => ({
  kind: 'update',
  list: `type/${type.id}/quantity`,
  id: quantity.id,
  changes: known
    ? { role: 'parameter', value: value === undefined ? quantity.value || '1' : String(Number(value.toPrecision(6))) }
    : { role: 'variable' },
});

/** One name takes the place of another in the relations of a type; the other quantity goes. */
export function mergeNames(type: PartType, from: string, to: string): Edit[] {
  const edits = type.sheets.flatMap((s) =>
    s.relations.flatMap((r): Edit[] => {
      const text = replaceName(r, from, to);
      return text === r.text
        ? []
        : [{ kind: 'update', list: `type/${type.id}/sheet/${s.id}/relation`, id: r.id, changes: { text } }];
    }),
  );
  const gone = type.quantities.find((q) => q.name === from);
  return gone ? [...edits, { kind: 'remove', list: `type/${type.id}/quantity`, id: gone.id }] : edits;
}

function replaceName(r: Relation, from: string, to: string): string {
  const { value: tree } = readRelation(r);
  const spans: { start: number; end: number }[] = [];
  for (const e of tree.kind === 'equal' ? [tree.left, tree.right] : [tree.condition]) {
    walkExpression(e, (x) => void (x.kind === 'ref' && printReference(x) === from && spans.push(x.span)));
  }
  return spans.sort((a, b) => b.start - a.start).reduce((t, s) => t.slice(0, s.start) + to + t.slice(s.end), r.text);
}

/** A part type of its own from some relations, with copies of their quantities, to be used in other sheets. */
export function typeFromRelations(
  project: Project,
  type: PartType,
  relations: readonly Relation[],
  name: string,
  makeId: MakeId,
): PartType {
  const names = new Set(relations.flatMap((r) => namesOfRelation(project, type, r.text).map((n) => n.name)));
  const sheet: RelationSheet = {
    ...newRelationSheet(`k-${makeId()}`, name),
    relations: relations.map((r) => ({ ...r, id: `r-${makeId()}` })),
  };
  return {
    ...newType(`t-${makeId()}`, name),
    note: relations.map((r) => r.text).join('; '),
    sheets: [sheet],
    // which ones are known is for those who use it to say
    quantities: type.quantities
      .filter((q) => names.has(q.name))
      .map((q) => ({ ...q, id: `q-${makeId()}`, role: 'variable', value: '' })),
  };
}
