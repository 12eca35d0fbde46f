import fc from 'fast-check';
import { applyEdit } from '../editing/edits';
import { visitEntries, type Address } from '../project/address';
import type { Project } from '../project/document';
import type { Edit } from '../project/edit';

/** Edits for tests of versions. */
export const edited = (project: Project, ...edits: readonly Edit[]): Project =>
  edits.reduce((p, edit) => {
    const { project: next, refused } = applyEdit(p, edit);
    if (refused) throw new Error(refused.message);
    return next;
  }, project);
export const update = (list: string, id: string, changes: Readonly<Record<string, unknown>>): Edit => ({
  kind: 'update',
  list,
  id,
  changes,
});
/** An edit of some entry, as far as it is taken. */
const someEdit = fc.record({
  at: fc.nat(),
  kind: fc.constantFrom('note', 'remove', 'copy', 'move'),
  more: fc.nat(9999),
});
export type SomeEdit = typeof someEdit extends fc.Arbitrary<infer T> ? T : never;
export function carriedOut(project: Project, edits: readonly SomeEdit[]): Project {
  return edits.reduce((p, { at, kind, more }) => {
    const all: { list: Address; entry: Readonly<Record<string, unknown>> & { readonly id: string } }[] = [];
    visitEntries(p, (address, chain) =>
      all.push({ list: address.slice(0, address.lastIndexOf('/')), entry: chain.at(-1)! }),
    );
    const { list, entry } = all[at % all.length];
    const { id } = entry;
    const said = ['note', 'text', 'value', 'script', 'guard'].find((k) => typeof entry[k] === 'string');
    const edit: Edit | undefined =
      kind === 'remove'
        ? { kind: 'delete', addresses: [`${list}/${id}`] }
        : kind === 'move'
          ? { kind: 'move', list, id, index: more % 5 }
          : kind === 'copy'
            ? { kind: 'insert', list, entry: { ...structuredClone(entry), id: `n${more}` } as never, index: more % 7 }
            : said === undefined
              ? undefined
              : update(list, id, { [said]: said === 'note' || said === 'text' ? `${more}` : '1' });
    return edit ? applyEdit(p, edit).project : p;
  }, project);
}
export const someEdits = fc.array(someEdit, { maxLength: 6 });
