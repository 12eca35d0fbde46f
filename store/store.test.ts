import { runCase } from '@/core/proof/run-case';
import 'fake-indexeddb/auto';
import { writeProjectJson } from '@/core/formats/project-file';
import { versionOf } from './baseline-store';
import { noteRun } from './saving';
import { tubeCapper } from '@/samples/tube-capper';
import { basisOf } from '@/core/run/basis';
import type { Project } from '@/core/project/project';
import { oldFinding } from './standings';
import type { RunModel, RunUpdate } from '@/core/run/protocol';
import type { RecordingChunk } from '@/core/simulate/recording';
import { elementIndex } from '@/core/trace/elements';
import { allParts, fullName, partTree, problemsAt } from './derived';
import { goTo, selectedAddress } from './locate';
import { fromHash, usePlace } from './place-store';
import { useProject } from './project-store';
import { appendChunk, emptyRunData, leavesAtTime, toRecording, valueAtTime } from './run-data';
import { useRuns } from './run-store';
import { endedRuns } from './study-store';
import {
  addHistory,
  closeStorage,
  deleteProject,
  forgetBaseline,
  keepBaseline,
  keepOutcome,
  loadBaselines,
  loadOutcomes,
  listProjects,
  loadHistory,
  loadProject,
  loadRuns,
  saveProject,
  saveRuns,
  type HistoryEntry,
} from './storage';

const list = 'type/t-spindledrive/quantity';

const chunk = (from: number, rows: number): RecordingChunk => ({
  after: { rows: from, messages: 0, transitions: 0 },
  rows,
  time: Float64Array.from({ length: rows }, (_, k) => (from + k) / 10),
  messages: [],
  transitions: [],
  columns: [
    {
      name: 'a.x',
      unit: 'V',
      kind: 'real',
      literals: [],
      values: Float64Array.from({ length: rows }, (_, k) => from + k),
    },
    {
      name: 'a.mode',
      unit: '',
      kind: 'states',
      literals: ['Off', 'On'],
      configurations: [[0], [1]],
      values: Float64Array.from({ length: rows }, (_, k) => (from + k >= 5 ? 1 : 0)),
    },
  ],
});

test('what a run recorded follows renaming and its undo, also while more of it arrives', () => {
  const { open, edit, undo } = useProject.getState();
  open(tubeCapper);
  const follow = useProject.subscribe((now, before) => {
    if (now.project && before.project && now.project !== before.project)
      useRuns.getState().rename(before.project, now.project);
  });
  const model = {
    run: 1,
    parts: ['', 'spindle', 'ctrl'],
    partTypes: ['Capper', 'SpindleDrive', 'CapperControl'],
    parameters: { 'spindle.R': 2 },
    units: { 'spindle.speed': 'rad/s' },
    settable: ['spindle.R'],
    shapes: [],
    charts: [],
  } as unknown as RunModel;
  const piece = (from: number): RecordingChunk => ({
    ...chunk(from, 3),
    columns: [
      { ...chunk(from, 3).columns[0], name: 'spindle.speed' },
      {
        ...chunk(from, 3).columns[1],
        name: 'ctrl.mode',
        literals: ['Ready', 'Running.Turning.Fast', 'Guard.Shut'],
        // the second set is found on the way
        configurations: from === 0 ? [[0]] : [[0], [1, 2]],
      },
    ],
  });
  const update = (from: number): RunUpdate =>
    ({
      run: 1,
      chunk: piece(from),
      status: 'running',
      time: from / 10,
      findings: [],
      actions: { after: 0, done: [] },
      sequences: [],
    }) as unknown as RunUpdate;
  const runs = () => useRuns.getState();
  runs().clear();
  runs().begin({ model, setup: 'Careful', changes: '', stop: 2 });
  runs().update(update(0));
  edit({ kind: 'rename', list, id: 'q-speed', name: 'omega' }, 'rename');
  edit({ kind: 'rename', list: 'type/t-capper/part', id: 'p-spindle', name: 'drive' }, 'rename');
  edit(
    { kind: 'rename', list: 'type/t-cappercontrol/chart/c-mode/state', id: 's-turning', name: 'Screwing' },
    'rename',
  );
  runs().update(update(3));
  const data = () => runs().current!.data;
  expect([...data().columns.keys()]).toEqual(['drive.omega', 'ctrl.mode']);
  expect(valueAtTime(data(), 'drive.omega', 0.5)).toBe(5);
  expect(leavesAtTime(data(), 'ctrl.mode', 0.5)).toEqual(['Running.Screwing.Fast', 'Guard.Shut']);
  expect(runs().current!.model.units).toEqual({ 'drive.omega': 'rad/s' });
  undo();
  undo();
  undo();
  expect([...data().columns.keys()]).toEqual(['spindle.speed', 'ctrl.mode']);
  expect(leavesAtTime(data(), 'ctrl.mode', 0.5)).toEqual(['Running.Turning.Fast', 'Guard.Shut']);
  expect(toRecording(data()).rows).toBe(6);
  follow();
});

describe('the document', () => {
  beforeEach(() => useProject.getState().open(tubeCapper));

  test('edits are undone and redone across areas, in order', () => {
    const { edit, undo, redo } = useProject.getState();
    expect(edit({ kind: 'update', list, id: 'q-R', changes: { value: '2' } }, 'one')).toBeUndefined();
    edit({ kind: 'update', list: 'requirement', id: 'r-cap-02', changes: { text: 'x' } }, 'two');
    const after = useProject.getState().project;
    undo();
    undo();
    expect(useProject.getState().project).toEqual(tubeCapper);
    redo();
    redo();
    expect(useProject.getState().project).toEqual(after);
    undo();
    edit({ kind: 'update', list, id: 'q-R', changes: { value: '3' } }, 'another way');
    expect(useProject.getState().redoSteps).toEqual([]);
  });

  test('typing in one field is one step', () => {
    const { edit, undo } = useProject.getState();
    for (const text of ['T', 'Th', 'The'])
      edit({ kind: 'update', list: 'requirement', id: 'r-cap-02', changes: { text } }, 'typing', 'text-02');
    expect(useProject.getState().undoSteps).toHaveLength(1);
    undo();
    expect(useProject.getState().project).toEqual(tubeCapper);
  });

  test('a refused edit says why and is no step', () => {
    const refused = useProject.getState().edit({ kind: 'update', list, id: 'q-R', changes: { unit: 'Nm' } }, 'unit');
    expect(refused?.message).toMatch(/not a known unit/);
    expect(useProject.getState().undoSteps).toEqual([]);
  });
});

describe('runs', () => {
  const model: RunModel = {
    run: 7,
    parameters: {},
    parts: [''],
    partTypes: [''],
    charts: [],
    units: {},
    settable: [],
    shapes: [],
  };
  const update = (more: Partial<RunUpdate>): RunUpdate => ({
    run: 7,
    status: 'running',
    time: 0,
    chunk: chunk(0, 0),
    findings: [],
    problem: undefined,
    warnings: [],
    seconds: 0,
    stoppedAt: undefined,
    actions: { after: 0, done: [] },
    sequences: [],
    counts: { steps: 0, rejected: 0, evaluations: 0, jacobians: 0, factorisations: 0, events: 0 },
    solver: undefined,
    ...more,
  });
  beforeEach(() => useRuns.getState().clear());

  test('pieces make up the whole; values are interpolated, states held', () => {
    const data = emptyRunData();
    for (let k = 0; k < 500; k++) appendChunk(data, chunk(k * 10, 10));
    expect(data.rows).toBe(5000);
    expect(valueAtTime(data, 'a.x', 12.34)).toBeCloseTo(123.4, 9);
    expect(leavesAtTime(data, 'a.mode', 0.49)).toEqual(['Off']);
    expect(leavesAtTime(data, 'a.mode', 0.5)).toEqual(['On']);
    expect(valueAtTime(data, 'nothing', 1)).toBeUndefined();
    expect(valueAtTime(data, 'a.x', -1)).toBeUndefined();
    expect(toRecording(data).time).toHaveLength(5000);
  });

  test('what a run found is written down with what it ran with, and only what that run itself found', () => {
    useRuns.getState().setHistory([]);
    const basis = { model: 'm', setupId: 's', setup: 'u', requirements: { r: 'text' } };
    const finding = (verdict: 'holds' | 'fails') =>
      [
        { id: 'r', key: 'R', verdict, margin: 1, unit: 'V', worstAt: 0, failsSince: undefined, reason: '', lane: [] },
      ] as const;
    useRuns.getState().begin({ model: { ...model, basis }, setup: 'S', changes: 'k = 2', stop: 2 });
    useRuns.getState().update(update({ status: 'finished', findings: finding('holds') }));
    noteRun('p', 7);
    expect(useRuns.getState().history).toMatchObject([
      {
        setup: 'S',
        changes: 'k = 2',
        basis: { model: 'm', setup: 'u', setupId: 's' },
        findings: [{ id: 'r', verdict: 'holds', mark: 'text' }],
      },
    ]);
    // another run has begun before the first told that it is over
    useRuns.getState().begin({ model: { ...model, run: 8 }, setup: 'T', changes: '', stop: 2 });
    noteRun('p', 7);
    expect(useRuns.getState().history).toHaveLength(1);
  });

  test('a run that goes back takes its rows and actions with it; what comes then follows what stays', () => {
    useRuns.getState().begin({ model, setup: 'S', changes: '', stop: 2 });
    const action = (time: number) => ({ time, kind: 'set' as const, target: 'a.x', value: time });
    useRuns.getState().update(update({ chunk: chunk(0, 8), actions: { after: 0, done: [action(1), action(2)] } }));
    useRuns.getState().update(update({ chunk: chunk(5, 2), actions: { after: 1, done: [action(3)] } }));
    const current = () => useRuns.getState().current!;
    expect(current().data.rows).toBe(7);
    expect([...toRecording(current().data).time]).toEqual([0, 1, 2, 3, 4, 5, 6].map((k) => k / 10));
    expect(current().actions.map((a) => a.time)).toEqual([1, 3]);
    const { actions } = current();
    useRuns.getState().update(update({ chunk: undefined, actions: { after: 2, done: [] } }));
    expect(current().data.rows).toBe(7);
    expect(current().actions).toBe(actions);
  });

  test('the cursor follows a run until it is taken by hand', () => {
    useRuns.getState().begin({ model, setup: 'S', changes: '', stop: 2 });
    useRuns.getState().update(update({ time: 0.5, chunk: chunk(0, 5) }));
    expect(useRuns.getState().cursor).toBe(0.5);
    useRuns.getState().moveCursor(0.2);
    useRuns.getState().update(update({ time: 0.9, chunk: chunk(5, 5) }));
    expect(useRuns.getState().cursor).toBe(0.2);
  });

  test('a new run keeps the one before; updates of an ended one are dropped', () => {
    const { begin } = useRuns.getState();
    begin({ model, setup: 'First', changes: '', stop: 2 });
    useRuns.getState().update(update({ chunk: chunk(0, 10) }));
    begin({ model: { ...model, run: 8 }, setup: 'Second', changes: '', stop: 2 });
    useRuns.getState().update(update({ chunk: chunk(0, 10) }));
    expect(useRuns.getState().earlier?.setup).toBe('First');
    expect(useRuns.getState().current?.data.rows).toBe(0);
    // one chosen by hand stays when others come
    const { at } = useRuns.getState().earlier!;
    useRuns.getState().compare(at);
    for (let k = 0; k < 12; k++) {
      useRuns.getState().update({ ...update({ chunk: chunk(0, 10) }), run: useRuns.getState().current!.model.run });
      begin({ model: { ...model, run: 100 + k }, setup: `Run ${k}`, changes: '', stop: 2 });
    }
    expect(useRuns.getState().earlier?.at).toBe(at);
    expect(useRuns.getState().kept).toHaveLength(9);
    // and one that a study compares
    const [, wanted] = useRuns.getState().kept;
    const more = (k: number, spared: ReadonlySet<number>): void => {
      useRuns.getState().update({ ...update({ chunk: chunk(0, 10) }), run: useRuns.getState().current!.model.run });
      begin({ model: { ...model, run: 200 + k }, setup: `More ${k}`, changes: '', stop: 2 }, spared);
    };
    for (let k = 0; k < 12; k++) more(k, new Set([wanted.at]));
    expect(useRuns.getState().kept).toContain(wanted);
    more(12, new Set());
    expect(useRuns.getState().kept).not.toContain(wanted);
    expect(endedRuns(useRuns.getState()).map((r) => r.setup)).toEqual(useRuns.getState().kept.map((r) => r.setup));
    useRuns.getState().compare('newest');
    expect(useRuns.getState().earlier).toBe(useRuns.getState().kept[0]);
    useRuns.getState().compare('none');
    expect(useRuns.getState().earlier).toBeUndefined();
  });
});

describe('storage', () => {
  afterAll(closeStorage);
  test('projects and runs are kept, listed and deleted', async () => {
    await saveProject(tubeCapper);
    expect(await loadProject('tube-capper')).toMatchObject({ kind: 'opened', project: tubeCapper, setAside: [] });
    expect((await listProjects()).map((p) => p.name)).toEqual(['Tube capper']);
    const run = (slot: number, rows: number) => ({
      projectId: 'tube-capper',
      slot,
      setup: 'Careful',
      changes: '',
      recording: chunk(0, rows),
      findings: [],
      model: { run: 1, parameters: {}, parts: [], partTypes: [], charts: [], units: {}, settable: [], shapes: [] },
    });
    const kept = async (): Promise<number[][]> =>
      (await loadRuns('tube-capper')).map((r) => [r.slot, r.recording.rows]);
    await saveRuns('tube-capper', [run(100, 3), run(50, 2)], [100, 50]);
    expect(await kept()).toEqual([
      [100, 3],
      [50, 2],
    ]);
    // one more, and one that has no room any longer
    await saveRuns('tube-capper', [run(200, 4)], [200, 100]);
    expect(await kept()).toEqual([
      [200, 4],
      [100, 3],
    ]);
    // as earlier versions numbered them
    await saveRuns('tube-capper', [run(0, 5), run(1, 6)], [0, 1]);
    expect((await kept()).map((k) => k[1])).toEqual([5, 6]);
    await deleteProject('tube-capper');
    expect(await loadProject('tube-capper')).toBeUndefined();
    expect(await loadRuns('tube-capper')).toEqual([]);
  });
});

test('the tree of parts, full names and problems by place', () => {
  const parts = allParts(partTree(tubeCapper));
  expect(parts.map((p) => p.path)).toEqual(['', 'belt', 'gripper', 'spindle', 'cap', 'guard', 'psu', 'ctrl', 'panel']);
  expect(fullName('', 'x')).toBe('x');
  expect(fullName('a.b', 'x')).toBe('a.b.x');
  const at = (place: string) => ({ severity: 'error' as const, code: 'c', message: 'm', place });
  expect(problemsAt([at('type/a/physics'), at('type/ab/physics')], 'type/a')).toHaveLength(1);
});

test('places are kept in the address, so that back and forward work', () => {
  usePlace.getState().go({ area: 'behaviour', part: 'a.b', type: '', item: 'state/s-1' });
  expect(fromHash(window.location.hash)).toEqual({
    area: 'behaviour',
    part: 'a.b',
    type: '',
    item: 'state/s-1',
    sheet: '',
  });
  usePlace.getState().go({ area: 'needs', sheet: 'flow/f-1', item: 'line/z-1' });
  expect(fromHash(window.location.hash)).toMatchObject({ area: 'needs', sheet: 'flow/f-1', item: 'line/z-1' });
  // another area begins with its own sheet
  usePlace.getState().go({ area: 'product' });
  expect(usePlace.getState()).toMatchObject({ area: 'product', sheet: '', item: '' });
  expect(fromHash('#/nowhere/')).toBeUndefined();
});

test('every element with an address can be gone to, and what is selected there has that address again', () => {
  useProject.getState().open(tubeCapper);
  for (const { address, kind } of elementIndex(tubeCapper).all) {
    if (kind === 'panel' || kind === 'physics text') continue;
    goTo(address);
    const found = selectedAddress(tubeCapper);
    // charts have no selection of their own: their part type is what is looked at
    if (kind === 'state chart') expect(address.startsWith(`${found}/`)).toBe(true);
    else expect(found).toBe(address);
  }
});

test('a verdict that was written down says what has changed since', () => {
  const [setup] = tubeCapper.setups;
  const [r] = tubeCapper.requirements;
  const { requirements, ...basis } = basisOf(tubeCapper, setup);
  const finding = { id: r.id, verdict: 'holds' as const, margin: 1, unit: 'V', failsSince: undefined };
  const why = (project: Project, mark: string | undefined = requirements[r.id]): string =>
    oldFinding(project, { basis }, project.requirements[0], { ...finding, mark });
  expect(why(tubeCapper)).toBe('');
  expect(why({ ...tubeCapper, requirements: [{ ...r, text: 'Another text.' }] })).toMatch(/its text or formula/);
  expect(why({ ...tubeCapper, setups: [{ ...setup, stop: 9 }] })).toMatch(/the setup has changed/);
  expect(why({ ...tubeCapper, setups: [] })).toMatch(/the setup of the run is gone/);
  const [type, ...types] = tubeCapper.types;
  expect(why({ ...tubeCapper, types: [{ ...type, physics: 'x = 1;' }, ...types] })).toMatch(/the model has changed/);
  // what earlier entries did not keep is not known
  expect(oldFinding(tubeCapper, { basis: { model: 'm', setup: 'u' } }, r, finding)).toBe('');
});

test('what runs found is kept, newest first, and goes with its project', async () => {
  const entry = (at: number, projectId = 'p-h'): HistoryEntry => ({
    projectId,
    at,
    setup: 'S',
    changes: '',
    findings: [{ id: 'r', verdict: 'holds', margin: 1, unit: 'V', failsSince: undefined }],
  });
  for (let k = 1; k <= 205; k++) await addHistory(entry(k));
  await addHistory(entry(1, 'p-other'));
  const kept = await loadHistory('p-h');
  expect([kept.length, kept[0].at, kept.at(-1)!.at]).toEqual([200, 205, 6]);
  await deleteProject('p-h');
  expect(await loadHistory('p-h')).toEqual([]);
  expect((await loadHistory('p-other')).length).toBe(1);
});
test('a version is frozen under a name, read as it was, and goes with its project', async () => {
  const text = writeProjectJson(tubeCapper);
  const baseline = (id: string, at: number, projectId = 'p-b') => ({
    ...{ id, projectId, name: `B${at}`, note: '', at, text, mark: 'm' },
  });
  await keepBaseline(baseline('b-1', 1));
  await keepBaseline(baseline('b-2', 2));
  await keepBaseline(baseline('b-3', 3, 'p-other'));
  // what is kept does not change
  await expect(keepBaseline({ ...baseline('b-1', 9), name: 'another' })).rejects.toThrow();
  expect((await loadBaselines('p-b')).map((b) => b.name)).toEqual(['B2', 'B1']);
  expect(versionOf((await loadBaselines('p-b'))[0])).toEqual({ project: tubeCapper });
  expect(versionOf({ ...baseline('b-x', 1), text: text.slice(0, 900) })).toMatchObject({ why: expect.any(String) });
  await forgetBaseline('b-2');
  expect((await loadBaselines('p-b')).map((b) => b.id)).toEqual(['b-1']);
  await deleteProject('p-b');
  expect(await loadBaselines('p-b')).toEqual([]);
  expect(await loadBaselines('p-other')).toHaveLength(1);
});
test('outcomes of test cases are kept, the newest of each stage, and go with their project', async () => {
  const outcome = runCase(
    tubeCapper,
    tubeCapper.cases.find((c) => c.name === 'Too hot')!,
  );
  const known = (at: number) => ({ outcome, mark: `m${at}`, at });
  await keepOutcome('p-c', 'k-too-hot code', known(1));
  await keepOutcome('p-c', 'k-too-hot code', known(2));
  await keepOutcome('p-c', 'k-too-hot asSet', known(3));
  await keepOutcome('p-other', 'k-too-hot asSet', known(4));
  const kept = await loadOutcomes('p-c');
  expect(new Map(kept.map(([key, k]) => [key, k.at]))).toEqual(
    new Map([
      ['k-too-hot code', 2],
      ['k-too-hot asSet', 3],
    ]),
  );
  expect(kept[0][1].outcome).toEqual(outcome);
  await deleteProject('p-c');
  expect(await loadOutcomes('p-c')).toEqual([]);
  expect(await loadOutcomes('p-other')).toHaveLength(1);
});
