import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { readProjectText, writeProjectJson } from '../formats/project-file';
import { visitEntries, type Address } from '../project/address';
import type { Project } from '../project/document';
import type { EntryDescription } from '../project/field';
import { applyEdit, redoEdit, undoEdit, type Edit } from './edits';

/** Sessions of edits, most of them wrong in some way: whatever is taken can be saved, and is read again as it is. */

interface Place {
  readonly list: Address;
  readonly id: string;
  readonly description: EntryDescription;
  readonly entry: Readonly<Record<string, unknown>>;
}

function placesOf(project: Project): Place[] {
  const found: Place[] = [];
  visitEntries(project, (address, chain, description) =>
    found.push({
      list: address.slice(0, address.lastIndexOf('/')),
      id: chain.at(-1)!.id,
      description,
      entry: chain.at(-1)!,
    }),
  );
  return found;
}

const odd: fc.Arbitrary<unknown> = fc.oneof(
  fc.constantFrom('', ' ', 'x', 'end', 'toString', 'a b', '\ud800', 'Nm', "1 'm'", '*', 'p-spindle', 'x'.repeat(90)),
  fc.constantFrom('y'.repeat(130), 'y'.repeat(250), 'y'.repeat(450), 'y'.repeat(21_000)),
  fc.constantFrom(NaN, Infinity, -Infinity, -1, 0, -0, 1.5, 1e300, 41, null, undefined, true, false),
  fc.constantFrom([], {}, [''], ['a', 'a'], [null], { x: NaN, y: 0 }, { x: 1, y: 2 }, { x: 1 }, [
    { name: 'n', x: NaN },
  ]),
  fc.constantFrom(
    [{ id: 'a' }],
    [{ id: 'a', name: 'k', value: '1' }],
    Array(2).fill({ id: 'a', name: 'k', value: '1' }),
  ),
);

/** What a step does is drawn with numbers, as it depends on the document at that moment. */
const step = fc.record({
  kind: fc.constantFrom('update', 'update-all', 'insert', 'insert-all', 'rename', 'remove', 'move', 'order', 'project'),
  at: fc.nat(),
  field: fc.nat(),
  value: odd,
  more: fc.nat(),
});
type Step = typeof step extends fc.Arbitrary<infer T> ? T : never;

function editOf(project: Project, s: Step): Edit {
  const places = placesOf(project);
  const place = places[s.at % places.length];
  const others = places.filter((p) => p.list === place.list);
  const other = others[s.more % others.length];
  const keys = Object.keys(place.description.fields);
  const key = keys[s.field % keys.length];
  const changes = { [key]: s.value };
  const { list, id } = place;
  const copy = { ...structuredClone(place.entry), id: `n-${s.more % 50}`, ...(s.field % 2 === 0 && changes) };
  switch (s.kind) {
    case 'update':
      return { kind: 'update', list, id, changes };
    case 'update-all':
      return { kind: 'update-all', list, updates: [id, other.id].map((x) => ({ id: x, changes })) };
    case 'insert':
      return { kind: 'insert', list, entry: copy as never, index: s.more % 3 === 0 ? NaN : s.more };
    case 'insert-all':
      return { kind: 'insert-all', list, entries: [copy as never] };
    case 'rename':
      return { kind: 'rename', list, id, name: s.value as string };
    case 'remove':
      return { kind: 'remove', list, id };
    case 'move':
      return { kind: 'move', list, id, index: s.value as number };
    case 'order':
      return { kind: 'order', list, ids: [other.id, id, other.id, 'gone'] };
    default:
      return {
        kind: 'project',
        changes: { [(['name', 'note', 'root', 'id', 'types'] as const)[s.field % 5]]: s.value },
      };
  }
}

test('an id is what everything else knows an entry by: no edit changes one, or uses it twice', () => {
  const [a, b] = tubeCapper.setups;
  for (const id of [b.id, 'other', ''])
    expect(applyEdit(tubeCapper, { kind: 'update', list: 'setup', id: a.id, changes: { id } }).refused?.message).toBe(
      'An id cannot be changed',
    );
  expect(applyEdit(tubeCapper, { kind: 'insert', list: 'setup', entry: a }).refused?.message).toMatch(/already/);
  // inside what is written over as a whole
  const { id, quantities } = tubeCapper.types.find((t) => t.quantities.length > 1)!;
  const twice = { quantities: quantities.map((q) => ({ ...q, id: quantities[0].id })) };
  expect(applyEdit(tubeCapper, { kind: 'update', list: 'type', id, changes: twice }).refused?.message).toMatch(
    /one id/,
  );
});

test('what may be edited may be saved and read again; undo and redo hold', () => {
  let taken = 0;
  let refused = 0;
  fc.assert(
    fc.property(fc.array(step, { minLength: 1, maxLength: 12 }), (steps) => {
      let project = tubeCapper;
      const done: ReturnType<typeof applyEdit>[] = [];
      for (const s of steps) {
        const result = applyEdit(project, editOf(project, s));
        if (result.refused) {
          refused++;
          expect(result.project).toBe(project);
          expect(result.refused.message).not.toMatch(/undefined|\[object/);
        } else if (result.patches.length > 0) {
          taken++;
          done.push(result);
        }
        project = result.project;
      }
      const { value, problems } = readProjectText(writeProjectJson(project));
      expect(problems.filter((p) => p.severity === 'error')).toEqual([]);
      expect(writeProjectJson(value!)).toBe(writeProjectJson(project));
      let back = project;
      for (const d of [...done].reverse()) back = undoEdit(back, d.inverse);
      expect(back).toEqual(tubeCapper);
      for (const d of done) back = redoEdit(back, d.patches);
      expect(back).toEqual(project);
    }),
    { numRuns: 200 },
  );
  // sessions in which nothing is taken, or nothing refused, would prove nothing
  expect(taken).toBeGreaterThan(400);
  expect(refused).toBeGreaterThan(400);
}, 120_000);
