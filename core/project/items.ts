import type { Edit } from './edit';
import type { Item, Link, PartType, Project } from './project';

/** What links carry: finding, naming and using items. */

export const itemOf = (project: Project, link: Link): Item | undefined =>
  link.carries === '' ? undefined : project.items.find((i) => i.id === link.carries);

/** The links that carry an item, with the types they are in. */
export const linksWith = (project: Project, item: Item): { readonly type: PartType; readonly link: Link }[] =>
  project.types.flatMap((type) => type.links.filter((l) => l.carries === item.id).map((link) => ({ type, link })));

/** Lets a link carry the item of a name; one that is not there yet is made, with the unit of what the link starts from. An empty name: nothing. */
export function carryEdit(project: Project, type: PartType, link: Link, name: string, newId: () => string): Edit {
  const wanted = name.trim();
  const list = `type/${type.id}/link`;
  const known = project.items.find((i) => i.name.toLowerCase() === wanted.toLowerCase());
  const carries = wanted === '' ? '' : (known?.id ?? newId());
  const use: Edit = { kind: 'update', list, id: link.id, changes: { carries } };
  if (wanted === '' || known) return use;
  return {
    kind: 'batch',
    label: `Let the link carry ${wanted}`,
    edits: [
      {
        kind: 'insert',
        list: 'item',
        entry: { id: carries, name: wanted, unit: unitAt(project, type, link.from), note: '' },
      },
      use,
    ],
  };
}

/** Takes an item away, from all links that carry it too. */
export const removeItemEdit = (project: Project, item: Item): Edit => ({
  kind: 'batch',
  label: `Delete the item ${item.name}`,
  edits: [
    ...linksWith(project, item).map(({ type, link }): Edit => ({
      kind: 'update',
      list: `type/${type.id}/link`,
      id: link.id,
      changes: { carries: '' },
    })),
    { kind: 'remove', list: 'item', id: item.id },
  ],
});

/** The unit of the quantity at an end of a link; empty for messages. */
export function unitAt(project: Project, type: PartType, path: string): string {
  const [first, second] = path.split('.');
  const owner =
    second === undefined ? type : project.types.find((t) => t.id === type.parts.find((p) => p.name === first)?.type);
  return owner?.quantities.find((q) => q.name === (second ?? first))?.unit ?? '';
}
