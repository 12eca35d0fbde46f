import { MessageChannel, type MessagePort } from 'node:worker_threads';
import type { Patch } from 'immer';
import { tubeCapper } from '../../samples/tube-capper';
import { applyEdit, undoEdit, type Edit } from '../editing/edits';
import type { Project } from '../project/project';
import { checkProject } from './check';
import { createEngine } from './engine';
import { arraysOf } from './protocol';
import type { RunUpdate } from './protocol';

/** As it goes to a worker and back: copied, with the arrays of rows handed over. */
const posted = <T>(value: T, transfer: ArrayBufferLike[] = []): T =>
  structuredClone(value, { transfer: transfer as ArrayBuffer[] });

describe('a replica', () => {
  const text = (id: string, value: string): Edit => ({
    kind: 'update',
    list: 'requirement',
    id,
    changes: { text: value },
  });
  const edits: readonly Edit[] = [
    text('r-cap-02', 'The cap torque shall not exceed 0.95 N.m.'),
    { kind: 'rename', list: 'type/t-spindledrive/quantity', id: 'q-speed', name: 'omega' },
    { kind: 'insert', list: 'glossary', entry: { id: 'new', phrase: 'brisk', meaning: 'spindle.omega > 3' } },
    { kind: 'remove', list: 'setup', id: 'u-eager' },
    text('r-cap-02', 'The cap torqe shall not exceed 1 N.m.'),
  ];

  test('that follows the changes finds what a check of the whole document finds', () => {
    const engine = createEngine();
    engine.open(posted(tubeCapper), 0);
    let here: Project = tubeCapper;
    const steps: { patches: readonly Patch[]; inverse: readonly Patch[] }[] = [];
    edits.forEach((edit, k) => {
      const { project, patches, inverse } = applyEdit(here, edit);
      here = project;
      steps.push({ patches, inverse });
      expect(engine.follow(posted(patches), k, k + 1)).toBe(true);
      expect(engine.check()).toEqual({ ...checkProject(here), version: k + 1 });
    });
    steps.reverse().forEach(({ inverse }, k) => {
      here = undoEdit(here, inverse);
      expect(engine.follow(posted(inverse), edits.length + k, edits.length + k + 1)).toBe(true);
    });
    expect(here).toEqual(tubeCapper);
    expect(engine.check().problems).toEqual(checkProject(tubeCapper).problems);
  });

  test('that has missed a change says so, stays as it is, and goes on when it is opened anew', () => {
    const engine = createEngine();
    engine.open(posted(tubeCapper), 7);
    const { project, patches } = applyEdit(tubeCapper, edits[0]);
    expect(engine.follow(patches, 8, 9)).toBe(false);
    expect(engine.check().version).toBe(7);
    expect(engine.check().problems).toEqual(checkProject(tubeCapper).problems);
    engine.open(posted(project), 9);
    expect(engine.check()).toEqual({ ...checkProject(project), version: 9 });
  });
});

test('updates of a run without a screen pass a port with their arrays handed over, and lose no operator action', async () => {
  const { port1, port2 } = new MessageChannel();
  const received: RunUpdate[] = [];
  const end = new Promise<void>((resolve) => {
    (port2 as MessagePort).on('message', (u: RunUpdate) => {
      received.push(u);
      if (u.status !== 'running' && u.status !== 'paused') resolve();
    });
  });
  const gone = new Set<ArrayBufferLike>();
  let twice = false;
  const engine = createEngine((update) => {
    const arrays = arraysOf(update);
    // what was handed over is gone: browsers refuse it a second time, even an empty one
    for (const a of arrays) twice ||= gone.has(a) || !gone.add(a);
    port1.postMessage(update, arrays);
    return update;
  });
  engine.open(
    { ...tubeCapper, setups: tubeCapper.setups.map((s) => ({ ...s, screen: false, stimulus: [], stop: 20 })) },
    0,
  );
  engine.start('u-careful', { pace: 0, paused: true }, () => undefined);
  // acted on while it goes on: each time something is told, with nothing new in it
  engine.resume();
  for (const [path, value] of [
    ['guard.open', 1],
    ['guard.open', 0],
    ['guard.open', 1],
  ] as const)
    expect(engine.set(path, value)).toBe(true);
  await end;
  port1.close();
  expect(twice).toBe(false);
  expect(received.flatMap((u) => u.actions.done).map((a) => a.value)).toEqual([1, 0, 1]);
  expect(received.at(-1)!.chunk!.rows).toBeGreaterThan(1000);
});
