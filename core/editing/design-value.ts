import type { Address } from '../project/address';
import type { Edit } from '../project/edit';
import { typeById, withChange, type Part, type PartType, type Project } from '../project/project';

/**
 * The edit that gives a quantity another value in the design: at the outermost place that decides it. That is a changed value of a part
 * where there is one, the quantity of its part type where only this part is of it, and otherwise a changed value of the part, so that
 * others of its type stay as they are. A text says why there is no such place.
 */
export function designValueEdit(
  project: Project,
  root: string,
  path: string,
  value: string,
  newId: () => string,
  note = '',
): { readonly edit: Edit; readonly place: Address } | string {
  const words = path.split('.');
  if (words.some((w) => /[^\p{L}\p{N}_]/u.test(w)))
    return `${path} is one of several: change it where they are declared`;
  const name = words.at(-1)!;
  let owner = typeById(project, root || project.root);
  const way: { owner: PartType; part: Part }[] = [];
  for (const word of words.slice(0, -1)) {
    const part = owner?.parts.find((p) => p.name === word);
    if (!owner || !part)
      return `${word} is declared in a text of ${owner?.name ?? 'the product'}: change ${path} there`;
    way.push({ owner, part });
    owner = typeById(project, part.type);
  }
  const noted = (before: string): string =>
    note === '' || before.includes(note) ? before : before === '' ? note : `${before}\n${note}`;
  const changed = ({ owner: of, part }: (typeof way)[number], inside: string): { edit: Edit; place: Address } => ({
    place: `type/${of.id}/part/${part.id}`,
    edit: {
      kind: 'update',
      list: `type/${of.id}/part`,
      id: part.id,
      changes: {
        changes: withChange(part.changes, inside, value, newId),
        ...(note !== '' && { note: noted(part.note) }),
      },
    },
  });
  for (const [k, step] of way.entries()) {
    const inside = words.slice(k + 1).join('.');
    if (step.part.changes.some((c) => c.name === inside)) return changed(step, inside);
  }
  const quantity = owner?.quantities.find((q) => q.name === name);
  const uses = project.types.flatMap((t) => t.parts).filter((p) => p.type === owner?.id).length;
  if (owner && quantity && (way.length === 0 || (uses === 1 && owner.id !== project.root)))
    return {
      place: `type/${owner.id}/quantity/${quantity.id}`,
      edit: {
        kind: 'update',
        list: `type/${owner.id}/quantity`,
        id: quantity.id,
        changes: { value, ...(note !== '' && { note: noted(quantity.note) }) },
      },
    };
  const last = way.at(-1);
  return last
    ? changed(last, name)
    : `${name} is declared in the physics text of ${owner?.name ?? 'the product'}: change it there`;
}
