import 'fake-indexeddb/auto';
import { openDB } from 'idb';
import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { projectVersion } from '@/core/project/document';
import { emptyProject, type Project } from '@/core/project/project';
import { followDocument } from './follow-document';
import { closeProject, openKept, openNew } from './opening';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { readRecord } from './read-record';
import { saveNow } from './saving';
import { closeStorage, deleteProject, listAside, listProjects, loadProject, rawRecord, saveProject } from './storage';

jest.mock('./replicas', () => ({
  startReplicas: () => undefined,
  endReplicas: () => undefined,
  replicate: () => undefined,
  checker: () => undefined,
  runner: () => undefined,
}));

const id = tubeCapper.id;
const now = () => useProject.getState();
const settle = (ms = 0): Promise<void> => new Promise((r) => setTimeout(r, ms));
const note = (text: string, merge?: string) =>
  now().edit({ kind: 'update', list: 'requirement', id: 'r-cap-02', changes: { note: text } }, `Note ${text}`, merge);
const noted = (): string => now().project!.requirements.find((r) => r.id === 'r-cap-02')!.note;
/** What a record of the browser is, past every check. */
const put = async (store: 'projects' | 'journal', value: unknown, key?: string): Promise<void> => {
  const db = await openDB('zelvar');
  await db.put(store, value, key);
  db.close();
};
const journal = async (): Promise<{ seq: number }[]> => {
  const db = await openDB('zelvar');
  const all = (await db.getAll('journal')) as { seq: number }[];
  db.close();
  return all;
};

let end: () => void;
beforeEach(async () => {
  usePlace.getState().silence();
  await deleteProject(id);
  end = followDocument();
});
afterEach(() => {
  closeProject();
  end();
});
afterAll(closeStorage);

/** The page is gone without a word: only what the storage holds is left. */
async function crash(): Promise<void> {
  await settle(20);
  end();
  useProject.setState({ project: undefined, undoSteps: [], redoSteps: [], version: 0 });
  end = followDocument();
}

test('what is typed is there after a crash, and can be undone as before', async () => {
  await openNew(tubeCapper);
  const before = noted();
  note('one');
  note('two');
  now().undo();
  note('three', 'k');
  note('threefold', 'k');
  const { undoSteps } = now();
  // the document itself has not been saved since
  await crash();
  expect((await rawRecord(id)) as object).toMatchObject({ seq: 0 });
  expect(await openKept(id)).toBe('opened');
  expect(noted()).toBe('threefold');
  expect(now().undoSteps.map((s) => s.label)).toEqual(undoSteps.map((s) => s.label));
  now().undo();
  expect(noted()).toBe('one');
  now().undo();
  expect(now().project).toEqual(tubeCapper);
  now().redo();
  now().redo();
  expect(noted()).toBe('threefold');
  expect(noted()).not.toBe(before);
});

test('undo and redo survive a reload, however the session went', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.constantFrom('edit', 'merge', 'undo', 'redo', 'save'), { maxLength: 14 }),
      async (steps) => {
        await deleteProject(id);
        await openNew(tubeCapper);
        let k = 0;
        for (const s of steps) {
          if (s === 'undo') now().undo();
          else if (s === 'redo') now().redo();
          else if (s === 'save') await saveNow();
          else note(`text ${k++}`, s === 'merge' ? 'm' : undefined);
        }
        const { project, undoSteps, redoSteps } = now();
        await crash();
        await openKept(id);
        expect(now().project).toEqual(project);
        expect(now().undoSteps).toEqual(undoSteps);
        expect(now().redoSteps).toEqual(redoSteps);
        closeProject();
      },
    ),
    { numRuns: 25 },
  );
}, 60_000);

test('fast typing is in the document of the browser within a second or so', async () => {
  await openNew(tubeCapper);
  for (let k = 0; k < 14; k++) {
    note(`typing ${k}`, 'm');
    await settle(100);
  }
  expect(((await rawRecord(id)) as { project: Project }).project).not.toEqual(tubeCapper);
});

test('the journal keeps to its bounds', async () => {
  await openNew(tubeCapper);
  for (let k = 0; k < 1100; k++) note(`n ${k}`);
  await settle(50);
  await saveNow();
  expect((await journal()).length).toBeLessThanOrEqual(1000);
  await openKept(id);
  expect(now().undoSteps).toHaveLength(500);
});

test('what somebody else wrote meanwhile is not written over: both versions are kept', async () => {
  await openNew(tubeCapper);
  note('mine');
  // another writer, without a lock
  const other: Project = { ...tubeCapper, note: 'theirs' };
  const record = (await rawRecord(id)) as { mark: string };
  expect(await saveProject(other, { mark: record.mark, seq: 7 })).toBeDefined();
  await saveNow();
  expect(now().project!.id).not.toBe(id);
  expect(now().project!.name).toBe('Tube capper (own version)');
  expect(usePlace.getState().notice).toMatchObject({ offers: 'compare' });
  expect((await loadProject(id)) as object).toMatchObject({ project: { note: 'theirs' } });
  // what is here goes on, with its undo, under its own name
  note('mine, more');
  await saveNow();
  const own = await loadProject(now().project!.id);
  expect(own).toMatchObject({ kind: 'opened', project: { name: 'Tube capper (own version)' } });
  expect((await listProjects()).map((p) => p.id).sort()).toEqual([id, now().project!.id].sort());
  now().undo();
  now().undo();
  expect(noted()).toBe(tubeCapper.requirements.find((r) => r.id === 'r-cap-02')!.note);
  await deleteProject(now().project!.id);
});

test('something new is never written over what is kept under its id', async () => {
  await openNew({ ...tubeCapper, note: 'kept' });
  closeProject();
  await openNew(tubeCapper);
  expect(now().project!.id).not.toBe(id);
  expect(await loadProject(id)).toMatchObject({ project: { note: 'kept' } });
  await deleteProject(now().project!.id);
});

test('a change whose number somebody else has used sends both apart as well', async () => {
  await openNew(tubeCapper);
  await put('journal', {
    projectId: id,
    seq: 1,
    version: projectVersion,
    change: { kind: 'undo', patches: [], at: 0 },
  });
  note('mine');
  for (let k = 0; k < 100 && now().project!.id === id; k++) await settle(50);
  expect(now().project!.id).not.toBe(id);
  await deleteProject(now().project!.id);
});

describe('records are data from outside', () => {
  const damaged = structuredClone(tubeCapper) as unknown as Record<string, unknown>;

  test('the good opens, the bad is set aside as it was, and is not lost when it is saved again', async () => {
    const record = { project: { ...damaged, setups: 'gone' }, changed: 5 };
    await put('projects', record, id);
    expect(await openKept(id)).toBe('opened');
    expect(now().project).toEqual({ ...tubeCapper, setups: [] });
    expect(usePlace.getState().notice).toMatchObject({ kind: 'problem', offers: 'aside' });
    note('on we go');
    await saveNow();
    expect((await loadProject(id)) as object).toMatchObject({ setAside: [] });
    const [aside] = (await listAside()).filter((a) => a.projectId === id);
    expect(aside).toMatchObject({ pieces: [{ place: 'setups', value: 'gone' }], value: record });
  });

  test.each([
    ['of a newer version', { project: { ...damaged, version: projectVersion + 1 }, changed: 1 }, /newer Zelvar/],
    ['without a project', { changed: 1 }, /damaged/],
    ['that is nothing', null, /damaged/],
    ['of something else', { project: { format: 'x', version: 1 } }, /not a Zelvar project/],
  ])('a record %s is not opened, not written over, and still listed', async (_, record, why) => {
    await put('projects', record, id);
    expect(await openKept(id)).toMatchObject({ why: expect.stringMatching(why) });
    expect(now().project).toBeUndefined();
    expect((await listProjects()).map((p) => p.id)).toContain(id);
    expect(await rawRecord(id)).toEqual(record);
  });

  test('a journal that does not go with its record costs only the steps to undo', async () => {
    const entry = (seq: number, more: object) => ({ projectId: id, seq, version: projectVersion, ...more });
    const replace = (path: unknown, value: unknown) => ({
      kind: 'do',
      patches: [{ op: 'replace', path, value }],
      inverse: [],
      label: 'x',
      at: 1,
    });
    for (const change of [
      replace(['types', 999, 'name'], 'X'),
      replace('nonsense', 1),
      replace(['name'], 7),
      replace(['__proto__', 'x'], 7),
      { kind: 'do' },
      null,
    ]) {
      const read = readRecord(id, { project: tubeCapper, changed: 1, seq: 4 }, [entry(5, { change })]);
      expect(read).toMatchObject({ kind: 'opened', project: tubeCapper, setAside: [], history: { undoSteps: [] } });
    }
    // a gap: what is behind it cannot be brought back
    expect(
      readRecord(id, { project: tubeCapper, seq: 4 }, [entry(6, { change: replace(['name'], 'Gap') })]),
    ).toMatchObject({ project: tubeCapper, seq: 6 });
    expect(
      readRecord(id, { project: tubeCapper, seq: 4 }, [entry(5, { change: replace(['name'], 'Next') })]),
    ).toMatchObject({ project: { name: 'Next' }, seq: 5 });
  });

  test('steps of another version of the format are not undone in this one', () => {
    const old = { projectId: id, seq: 1, version: projectVersion - 1, change: { kind: 'undo', patches: [], at: 0 } };
    expect(readRecord(id, { project: tubeCapper, seq: 1 }, [old])).toMatchObject({ history: { undoSteps: [] } });
    // a record of that version has steps of its own form, and is brought to the present one
    const step = { kind: 'do', patches: [], inverse: [], label: 'x', at: 0 };
    const project = { ...emptyProject('p', 'Old'), version: projectVersion - 1 };
    expect(readRecord('p', { project, seq: 1 }, [{ ...old, change: step }])).toMatchObject({
      kind: 'opened',
      project: { version: projectVersion },
      history: { undoSteps: [] },
    });
  });
});

test('a browser without storage: everything works, and it is told at once, with the file one press away', async () => {
  const { indexedDB } = globalThis;
  await closeStorage();
  Object.defineProperty(globalThis, 'indexedDB', { value: undefined, configurable: true, writable: true });
  try {
    await openNew(tubeCapper);
    expect(now().project).toBe(tubeCapper);
    expect(now().saved).toBe('failed');
    expect(usePlace.getState().notice).toMatchObject({ kind: 'problem', offers: 'export' });
    usePlace.getState().silence();
    note('typed');
    await settle(20);
    expect(usePlace.getState().notice).toMatchObject({ offers: 'export' });
    const leaving = new Event('beforeunload', { cancelable: true });
    window.dispatchEvent(leaving);
    expect(leaving.defaultPrevented).toBe(true);
  } finally {
    Object.defineProperty(globalThis, 'indexedDB', { value: indexedDB, configurable: true, writable: true });
    await closeStorage();
  }
  // room again: it is kept, and nothing more is said
  note('typed again');
  await saveNow();
  expect(now().saved).toBe('saved');
  expect(usePlace.getState().notice).toBeUndefined();
});
