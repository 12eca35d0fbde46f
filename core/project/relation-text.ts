import { parseRelationText, type Parsed, type RelationTree } from '../language/parse';
import type { Relation } from './project';

const read = new WeakMap<Relation, Parsed<RelationTree>>();

/** The tree of a relation; each text is read once. */
export function readRelation(relation: Relation): Parsed<RelationTree> {
  let known = read.get(relation);
  if (!known) read.set(relation, (known = parseRelationText(relation.text)));
  return known;
}
