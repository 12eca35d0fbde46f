import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { visitEntries } from '../project/address';
import { differences } from '../project/differences';
import type { Project } from '../project/document';
import { carriedOut, edited, someEdits as edits, update } from '../testing/random-edits';
import { merge } from './merge';

/** By address: what both have, whatever the order of lists. */
const contents = (project: Project): Record<string, unknown> => {
  const found: Record<string, unknown> = {};
  visitEntries(project, (address, chain, description) => {
    const own = Object.entries(description.fields).flatMap(([key, f]) =>
      f.entries ? [] : [[key, chain.at(-1)![key]]],
    );
    found[address] = Object.fromEntries(own);
  });
  return found;
};

const control = 'type/t-cappercontrol';
const requirement = tubeCapper.requirements[1];
const firstText = update('requirement', requirement.id, { text: `${requirement.text} Always.` });
const limit = update(`${control}/quantity`, 'q-hottest', { value: '90' });
const note = update('type', 't-beltdrive', { note: 'It pulls.' });

test('what each side has changed is there; what none has is as it was', () => {
  const { project, conflicts } = merge(tubeCapper, edited(tubeCapper, firstText), edited(tubeCapper, limit, note));
  expect(conflicts).toEqual([]);
  expect(project).toEqual(edited(tubeCapper, firstText, limit, note));
  // what nobody has touched is the same object
  expect(project.types.find((t) => t.id === 't-gripper')).toBe(tubeCapper.types.find((t) => t.id === 't-gripper'));
});

test('two fields of one element go together, one field of it does not: it stays as it is here until it is decided', () => {
  const here = edited(tubeCapper, limit);
  const unit = merge(
    tubeCapper,
    here,
    edited(tubeCapper, update(`${control}/quantity`, 'q-hottest', { note: 'of the coil' })),
  );
  expect(unit.conflicts).toEqual([]);
  const there = edited(tubeCapper, update(`${control}/quantity`, 'q-hottest', { value: '85' }));
  const address = `${control}/quantity/q-hottest/value`;
  const open = merge(tubeCapper, here, there);
  expect(open.conflicts).toEqual([
    { address, what: 'value of quantity hottest', before: '95', here: '90', there: '85' },
  ]);
  expect(open.project).toEqual(here);
  expect(merge(tubeCapper, here, there, new Map([[address, 'there']])).project).toEqual(there);
  expect(merge(tubeCapper, here, there, new Map([[address, 'here']])).project).toEqual(here);
});

test('what one side has taken away and the other has changed stays until it is decided', () => {
  const changed = edited(tubeCapper, update('case', tubeCapper.cases[0].id, { note: 'looked at' }));
  const gone = edited(tubeCapper, { kind: 'remove', list: 'case', id: tubeCapper.cases[0].id });
  const address = `case/${tubeCapper.cases[0].id}`;
  for (const [here, there] of [
    [changed, gone],
    [gone, changed],
  ]) {
    const { project, conflicts } = merge(tubeCapper, here, there);
    expect(conflicts.map((c) => c.address)).toEqual([address]);
    expect(project.cases.find((c) => `case/${c.id}` === address)?.note).toBe('looked at');
    const side = here === gone ? 'here' : 'there';
    const taken = merge(tubeCapper, here, there, new Map([[address, side]]));
    expect(taken.project.cases.some((c) => `case/${c.id}` === address)).toBe(false);
  }
  // what is taken away and was left alone is gone
  expect(merge(tubeCapper, tubeCapper, gone).project).toEqual(gone);
  expect(merge(tubeCapper, gone, tubeCapper).project).toEqual(gone);
});

test('texts of several lines go together by lines', () => {
  const base = edited(tubeCapper, update('type', 't-beltdrive', { note: 'one\ntwo\nthree\nfour\nfive' }));
  const noted = (text: string): Project => edited(base, update('type', 't-beltdrive', { note: text }));
  const both = merge(base, noted('ONE\ntwo\nthree\nfour\nfive'), noted('one\ntwo\nthree\nfour\nFIVE'));
  expect(both.conflicts).toEqual([]);
  expect(both.project).toEqual(noted('ONE\ntwo\nthree\nfour\nFIVE'));
  const same = merge(base, noted('one\ntwo\nTHREE\nfour\nfive'), noted('one\ntwo\nDREI\nfour\nfive'));
  expect(same.conflicts.map((c) => c.address)).toEqual(['type/t-beltdrive/note']);
});

test('rows that both have added go together, others do not', () => {
  const { id, tags } = tubeCapper.cases[0];
  const tagged = (...all: readonly string[]): Project => edited(tubeCapper, update('case', id, { tags: all }));
  const both = merge(tubeCapper, tagged(...tags, 'mine', 'same'), tagged(...tags, 'same', 'theirs'));
  expect(both.conflicts).toEqual([]);
  expect(both.project.cases[0].tags).toEqual([...tags, 'mine', 'same', 'theirs']);
  const other = merge(tubeCapper, tagged('other'), tagged(...tags, 'theirs'));
  expect(other.conflicts.map((c) => c.address)).toEqual([`case/${id}/tags`]);
  expect(other.project.cases[0].tags).toEqual(['other']);
});

test('an order that one side has changed is taken, and what is new stands behind what it followed', () => {
  const ids = tubeCapper.cases.map((c) => c.id);
  const moved = edited(tubeCapper, { kind: 'order', list: 'case', ids: [...ids].reverse() });
  const added = edited(tubeCapper, {
    kind: 'insert',
    list: 'case',
    entry: { ...tubeCapper.cases[3], id: 'k-new', name: 'New' },
    index: 4,
  });
  for (const { project } of [merge(tubeCapper, moved, added), merge(tubeCapper, added, moved)]) {
    const found = project.cases.map((c) => c.id);
    expect(found.filter((id) => id !== 'k-new')).toEqual([...ids].reverse());
    expect(found[found.indexOf('k-new') - 1]).toBe(ids[3]);
  }
});

test('with one side as it was, the other comes out; and so does what both have made alike', () => {
  fc.assert(
    fc.property(edits, (some) => {
      const changed = carriedOut(tubeCapper, some);
      for (const [here, there] of [
        [changed, tubeCapper],
        [tubeCapper, changed],
        [changed, structuredClone(changed)],
      ] as const) {
        const { project, conflicts } = merge(tubeCapper, here, there);
        expect(conflicts).toEqual([]);
        expect(contents(project)).toEqual(contents(changed));
        expect(differences(project, changed)).toEqual([]);
      }
    }),
    { numRuns: 60 },
  );
});

test('it does not matter which side is which, and nothing that a side has made is lost', () => {
  fc.assert(
    fc.property(edits, edits, (some, others) => {
      const [here, there] = [carriedOut(tubeCapper, some), carriedOut(tubeCapper, others)];
      const one = merge(tubeCapper, here, there);
      const two = merge(tubeCapper, there, here);
      expect(new Set(two.conflicts.map((c) => c.address))).toEqual(new Set(one.conflicts.map((c) => c.address)));
      const all = new Map(one.conflicts.map((c) => [c.address, 'there'] as const));
      const flipped = new Map(one.conflicts.map((c) => [c.address, 'here'] as const));
      expect(contents(merge(tubeCapper, here, there, all).project)).toEqual(
        contents(merge(tubeCapper, there, here, flipped).project),
      );
      // a field that one side has changed says what that side says, or is told
      const [b, h, t, m] = [tubeCapper, here, there, one.project].map(contents);
      const told = (address: string): boolean =>
        one.conflicts.some((c) => address === c.address || address.startsWith(`${c.address}/`));
      for (const [side, other] of [
        [h, t],
        [t, h],
      ] as const)
        for (const [address, entry] of Object.entries(side)) {
          for (const [key, value] of Object.entries(entry as object)) {
            const was = (b[address] as Record<string, unknown> | undefined)?.[key];
            if (JSON.stringify(was) === JSON.stringify(value) || told(`${address}/${key}`) || told(address)) continue;
            // several lines and rows go together
            const others = (other[address] as Record<string, unknown> | undefined)?.[key];
            if (others !== undefined && JSON.stringify(others) !== JSON.stringify(was)) continue;
            // what it stands in may be gone on the other side, which is told there
            if (m[address] === undefined && [...one.conflicts].some((c) => address.startsWith(`${c.address}/`)))
              continue;
            expect([address, key, (m[address] as Record<string, unknown> | undefined)?.[key]]).toEqual([
              address,
              key,
              value,
            ]);
          }
        }
    }),
    { numRuns: 60 },
  );
});
