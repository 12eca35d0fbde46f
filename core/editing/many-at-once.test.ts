import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import type { Edit } from '../project/edit';
import { newRequirement, type Project } from '../project/project';
import { applyEdit, undoEdit } from './edits';

/** Many changes at once are the same changes one after the other: what one is refused, all of them are, and one step takes them back. */

const count = tubeCapper.requirements.length;
const idOf = (k: number): string => tubeCapper.requirements[k % count].id;

type Outcome = { readonly project: Project } | { readonly refused: string };
const all = (edits: readonly Edit[]): Outcome => {
  let project: Project = tubeCapper;
  for (const edit of edits) {
    const result = applyEdit(project, edit);
    if (result.refused) return { refused: result.refused.message };
    ({ project } = result);
  }
  return { project };
};
const once = (edit: Edit): Outcome => {
  const { project, inverse, refused } = applyEdit(tubeCapper, edit);
  if (refused) {
    // nothing is half done
    expect(project).toBe(tubeCapper);
    return { refused: refused.message };
  }
  expect(undoEdit(project, inverse)).toEqual(tubeCapper);
  return { project };
};

const changes = fc.uniqueArray(
  fc.record({
    k: fc.nat(count - 1),
    // keys that are free, taken, and the own one
    key: fc.option(
      fc.constantFrom('NEW-1', 'NEW-2', 'NEW-3', tubeCapper.requirements[0].key, tubeCapper.requirements[3].key),
      { nil: undefined },
    ),
    text: fc.constantFrom('The cap shall fit.', 'The cap shall hold.'),
  }),
  { selector: (c) => c.k, minLength: 1, maxLength: 5 },
);

test('entries changed', () => {
  fc.assert(
    fc.property(changes, (list) => {
      const updates = list.map(({ k, key, text }) => ({
        id: idOf(k),
        changes: { text, ...(key !== undefined && { key }) },
      }));
      const single = updates.map((u): Edit => ({ kind: 'update', list: 'requirement', ...u }));
      expect(once({ kind: 'update-all', list: 'requirement', updates })).toEqual(all(single));
      expect(once({ kind: 'batch', label: 'Change', edits: single })).toEqual(all(single));
    }),
    { numRuns: 150 },
  );
});

test('a key that was taken once is never given to another requirement', () => {
  const [first, second] = [idOf(0), idOf(1)];
  const key = tubeCapper.requirements[0].key;
  const renamed = all([{ kind: 'update', list: 'requirement', id: first, changes: { key: 'NEW-1' } }]) as {
    project: Project;
  };
  expect(renamed.project.retired.map((r) => r.key)).toContain(key);
  for (const edit of [
    { kind: 'update', list: 'requirement', id: second, changes: { key } },
    { kind: 'update-all', list: 'requirement', updates: [{ id: second, changes: { key } }] },
    { kind: 'insert', list: 'requirement', entry: newRequirement('x', key, 'Another one.') },
    { kind: 'insert-all', list: 'requirement', entries: [newRequirement('x', key, 'Another one.')] },
  ] as Edit[]) {
    const { refused, project } = applyEdit(renamed.project, edit);
    expect([edit.kind, refused?.message]).toEqual([edit.kind, expect.stringContaining(key)]);
    expect(project).toBe(renamed.project);
  }
  // its own one it may have back
  const back = applyEdit(renamed.project, { kind: 'update', list: 'requirement', id: first, changes: { key } });
  expect(back.refused).toBeUndefined();
  expect(back.project.retired.map((r) => r.key)).toEqual(['NEW-1']);
});

test('entries removed, with the links to them; what stood under them moves up', () => {
  fc.assert(
    fc.property(fc.uniqueArray(fc.nat(count - 1), { minLength: 1, maxLength: 5 }), (ks) => {
      const ids = [...ks].sort((a, b) => a - b).map(idOf);
      const outcome = once({ kind: 'remove-all', list: 'requirement', ids });
      expect(outcome).toEqual(all(ids.map((id): Edit => ({ kind: 'remove', list: 'requirement', id }))));
      if (!('project' in outcome)) return;
      const left = new Set(outcome.project.requirements.map((r) => r.id));
      expect(left.size).toBe(count - ids.length);
      for (const r of outcome.project.requirements) expect(r.parent === null || left.has(r.parent)).toBe(true);
      for (const t of outcome.project.traces) expect(left.has(t.requirement)).toBe(true);
      for (const id of ids)
        expect(outcome.project.retired).toContainEqual({
          id,
          key: tubeCapper.requirements.find((r) => r.id === id)!.key,
        });
    }),
    { numRuns: 60 },
  );
});

test('entries added', () => {
  fc.assert(
    fc.property(
      fc.array(fc.constantFrom('NEW-1', 'NEW-2', 'NEW-3', tubeCapper.requirements[2].key), {
        minLength: 1,
        maxLength: 3,
      }),
      (keys) => {
        const entries = keys.map((key, k) => newRequirement(`x${k}`, key, 'The cap shall fit.'));
        const single = entries.map((entry): Edit => ({ kind: 'insert', list: 'requirement', entry }));
        const [many, one] = [once({ kind: 'insert-all', list: 'requirement', entries }), all(single)];
        expect('refused' in many).toBe('refused' in one);
        if (!('refused' in many)) expect(many).toEqual(one);
      },
    ),
  );
});
