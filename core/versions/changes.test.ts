import fc from 'fast-check';
import { tubeCapper } from '../../samples/tube-capper';
import { applyEdit, undoEdit } from '../editing/edits';
import { differences } from '../project/differences';
import type { Project } from '../project/document';
import { carriedOut, edited, someEdits, update } from '../testing/random-edits';
import { changesSince, editsTo, takeBack } from './changes';
import { merge } from './merge';

const control = 'type/t-cappercontrol';
const limit = update(`${control}/quantity`, 'q-hottest', { value: '90' });

test('what is said apart from where it stands, with the requirements and cases it touches', () => {
  const chart = tubeCapper.types.find((t) => t.id === 't-cappercontrol')!.charts[0];
  const aside = update(`${control}/chart/${chart.id}/state`, chart.states[0].id, { x: 999 });
  const only = changesSince(tubeCapper, edited(tubeCapper, aside));
  expect([only.said, only.moved.map((d) => d.address)]).toEqual([
    [],
    [`${control}/chart/${chart.id}/state/${chart.states[0].id}`],
  ]);
  const found = changesSince(tubeCapper, edited(tubeCapper, aside, limit));
  expect(found.said.map((d) => d.address)).toEqual([`${control}/quantity/q-hottest`]);
  expect(found.moved).toHaveLength(1);
  // two requirements are linked to the speed of the first turns
  const fast = changesSince(
    tubeCapper,
    edited(tubeCapper, update(`${control}/quantity`, 'q-fastSpeed', { value: '25' })),
  );
  const linked = tubeCapper.traces.filter((l) => l.element === `${control}/quantity/q-fastSpeed`);
  const keys = tubeCapper.requirements.filter((r) => linked.some((l) => l.requirement === r.id)).map((r) => r.key);
  expect(keys).toHaveLength(2);
  expect(fast.requirements).toEqual(expect.arrayContaining(keys));
  expect(fast.requirements.length).toBeLessThan(tubeCapper.requirements.length);
  // cases that run the controller have to be run again, those of the belt alone do not
  const names = new Map(tubeCapper.cases.map((c) => [c.id, c.name]));
  const stale = found.cases.map((id) => names.get(id));
  expect(stale).toContain('Too hot');
  expect(stale).not.toContain('The belt halts on its way');
  expect(changesSince(tubeCapper, structuredClone(tubeCapper))).toEqual({
    said: [],
    moved: [],
    requirements: [],
    cases: [],
  });
});

/** Takes back one after the other, as somebody would, until nothing is left or nothing more is taken. */
function allTakenBack(before: Project, now: Project): Project {
  for (let project = now; ;) {
    let next: Project | undefined;
    for (const d of differences(project, before)) {
      const edit = takeBack(before, project, d);
      const done = edit && applyEdit(project, edit);
      if (done && !done.refused && done.project !== project) {
        next = done.project;
        break;
      }
    }
    if (!next) return project;
    project = next;
  }
}

test('one thing is taken back, and the others stay', () => {
  const gone = { kind: 'remove' as const, list: 'case', id: tubeCapper.cases[2].id };
  const renamed = { kind: 'rename' as const, list: `${control}/quantity`, id: 'q-creepAfter', name: 'slowAfter' };
  const moved = { kind: 'move' as const, list: 'setup', id: tubeCapper.setups[0].id, index: 2 };
  const now = edited(tubeCapper, limit, gone, renamed, moved);
  const of = (address: string, kind?: string) => {
    const d = differences(now, tubeCapper).find((x) => x.address === address && (!kind || x.kind === kind))!;
    return edited(now, takeBack(tubeCapper, now, d)!);
  };
  expect(of(`${control}/quantity/q-hottest`)).toEqual(edited(tubeCapper, gone, renamed, moved));
  expect(of(`case/${gone.id}`)).toEqual(edited(tubeCapper, limit, renamed, moved));
  // with a name everything that mentions it
  expect(of(`${control}/quantity/q-creepAfter`)).toEqual(edited(tubeCapper, limit, gone, moved));
  expect(of('', 'order')).toEqual(edited(tubeCapper, limit, gone, renamed));
  expect(allTakenBack(tubeCapper, now)).toEqual(tubeCapper);
});

test('two versions that were merged are led to by edits, which are undone together', () => {
  fc.assert(
    fc.property(someEdits, someEdits, (some, others) => {
      const [here, there] = [carriedOut(tubeCapper, some), carriedOut(tubeCapper, others)];
      const { project: wanted } = merge(tubeCapper, here, there);
      const { edits, left } = editsTo(wanted, here);
      if (edits.length === 0) return;
      const batch = applyEdit(here, { kind: 'batch', label: 'merge', edits });
      expect(batch.refused).toBeUndefined();
      expect(differences(batch.project, wanted)).toEqual(left);
      expect(undoEdit(batch.project, batch.inverse)).toEqual(here);
    }),
    { numRuns: 40 },
  );
});

test('whatever was done, taking back all of it leads back', () => {
  let left = 0;
  fc.assert(
    fc.property(someEdits, (some) => {
      const back = allTakenBack(tubeCapper, carriedOut(tubeCapper, some));
      const rest = differences(back, tubeCapper);
      // identifiers that were given up are not given again
      left += rest.filter((d) => d.address !== '' || d.fields.some((f) => f.field !== 'retired')).length;
      expect(rest.filter((d) => d.kind === 'changed' && d.address !== '')).toEqual([]);
    }),
    { numRuns: 40 },
  );
  expect(left).toBe(0);
});
