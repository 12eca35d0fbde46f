import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { applyEdit, type Edit } from '../editing/edits';
import type { Project } from './document';
import { differences } from './differences';

const after = (...edits: readonly Edit[]): Project => {
  const { project, refused } = applyEdit(tubeCapper, { kind: 'batch', label: 'x', edits });
  if (refused) throw new Error(refused.message);
  return project;
};

test('a document and its copy have no differences', () => {
  expect(differences(tubeCapper, structuredClone(tubeCapper))).toEqual([]);
});

test('changed, added and removed entries, with both texts', () => {
  const list = 'type/t-spindledrive/quantity';
  const there = after(
    { kind: 'update', list, id: 'q-R', changes: { value: '2', note: 'hot' } },
    { kind: 'project', changes: { name: 'Other' } },
    { kind: 'remove', list: 'setup', id: 'u-eager' },
    { kind: 'insert', list: 'panel', entry: { id: 'a-new', name: 'New panel', controls: [] } },
  );
  const q = tubeCapper.types.find((t) => t.id === 't-spindledrive')!.quantities.find((x) => x.id === 'q-R')!;
  expect(differences(tubeCapper, there)).toEqual([
    {
      address: '',
      what: 'the project',
      kind: 'changed',
      fields: [{ field: 'name', here: tubeCapper.name, there: 'Other' }],
    },
    {
      address: `${list}/q-R`,
      what: 'quantity SpindleDrive.R',
      kind: 'changed',
      fields: [
        { field: 'value', here: q.value, there: '2' },
        { field: 'note', here: q.note, there: 'hot' },
      ],
    },
    { address: 'setup/u-eager', what: expect.stringMatching(/^setup /), kind: 'only here', fields: [] },
    { address: 'panel/a-new', what: 'panel New panel', kind: 'only there', fields: [] },
  ]);
});

test('what something holds is told with it, not again', () => {
  const gone = after({ kind: 'remove', list: 'panel', id: tubeCapper.panels[0].id });
  expect(differences(tubeCapper, gone)).toHaveLength(1);
  expect(differences(gone, tubeCapper)).toMatchObject([{ kind: 'only there' }]);
});

test('another order is a difference', () => {
  const flow = tubeCapper.flows[0];
  const moved = after({ kind: 'move', list: `flow/${flow.id}/line`, id: flow.lines[0].id, index: 1 });
  expect(differences(tubeCapper, moved)).toMatchObject([{ address: `flow/${flow.id}`, kind: 'order' }]);
});

test('documents with no difference between them are the same', () => {
  const ids = tubeCapper.requirements.map((r) => r.id);
  fc.assert(
    fc.property(
      fc.constantFrom(...ids),
      fc.string({ maxLength: 3 }),
      fc.constantFrom('text', 'note'),
      (id, text, field) => {
        const there = after({ kind: 'update', list: 'requirement', id, changes: { [field]: text } });
        const same = JSON.stringify(there) === JSON.stringify(tubeCapper);
        expect(differences(tubeCapper, there).length === 0).toBe(same);
      },
    ),
    { numRuns: 100 },
  );
});
