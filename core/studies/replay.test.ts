import { tubeCapper } from '@/samples/tube-capper';
import { compileOnHost } from '@/server/step-on-host';
import { stepOnHostBuild } from '../boards/host-build';
import { stepProgramOf } from '../stepcode/controller';
import { createStep } from '../stepcode/write-js';
import { hasCompiler } from '../testing/step-bench';
import { compareStages, runStages } from './compare-stages';
import { replayed, replayOf, rowsAsText, rowsOfText, type Replay, type Replayed } from './replay';

/** Steps that were gone once are gone again elsewhere: everything is the same to the last bit, and where it is not it is found. */

const setup = { ...tubeCapper.setups.find((s) => s.name === 'Careful')!, stop: 0.1 };
const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const { program } = stepProgramOf(tubeCapper, type);
const did = runStages(tubeCapper, setup, 'ctrl', ['code']).value![0].run.parts[0];
const replay = replayOf(did)!;

test('rows as text and back, whatever the numbers', () => {
  const rows = [
    [1, -0, NaN],
    [Infinity, 5e-324, -1 / 3],
  ];
  const back = rowsOfText(rowsAsText(rows), 3, 2)!;
  expect(back.map((r) => [...r])).toEqual(rows);
  expect(Object.is(back[0][1], -0)).toBe(true);
  expect(rowsOfText(rowsAsText(rows), 2, 2)).toBeUndefined();
  expect(rowsOfText('no such text!', 1, 1)).toBeUndefined();
  expect(rowsOfText(rowsAsText([[], []]), 0, 2)).toHaveLength(2);
  const many = Array.from({ length: 3000 }, (_, k) => [k, k / 7]);
  expect(rowsOfText(rowsAsText(many), 2, 3000)!.map((r) => [...r])).toEqual(many);
});
/** All that is there is what it was; how much that is. */
function sameWhere(shown: readonly boolean[], rows: Replayed['rows']): number {
  const pick = (row: ArrayLike<number>): number[] => Array.from(row).filter((_, k) => shown[k]);
  expect(rows.map(pick)).toEqual(did.results.map(pick));
  return shown.filter(Boolean).length;
}
test('gone again they come to the same', () => {
  const { shown, rows } = replayed(program!, createStep(program!), replay);
  expect(sameWhere(shown, rows)).toBeGreaterThan(20);
  const stop = (): void => {
    throw new Error('long enough');
  };
  expect(() => replayed(program!, createStep(program!), replay, stop)).toThrow('long enough');
});
test('they begin with what the run began with, parameters that changed on the way keep them from being gone again', () => {
  const kept = replay.shown.indexOf('part lost');
  expect(kept).toBeGreaterThanOrEqual(0);
  const begins = [...replay.begins.filter(([key]) => key !== 'part lost'), ['part lost', 7] as const];
  const { rows } = replayed(program!, createStep(program!), { ...replay, begins });
  expect([rows[0][kept], did.results[0][kept]]).toEqual([7, 0]);
  expect(replayOf({ ...did, isChanged: () => true })).toBeUndefined();
  expect(replayOf({ ...did, inputs: [] })).toBeUndefined();
});
test('a stage elsewhere is compared with the code, step by step', async () => {
  const wrong = 37;
  const k = did.shown.findIndex((slot) => did.program.slots[slot].name === 'voltage');
  const elsewhere = (name: string, r: Replay) => {
    expect(name).toBe('CapperControl');
    const done = replayed(program!, createStep(program!), r);
    const rows = done.rows.map((x) => [...x]);
    rows[wrong][k] += 0.25;
    return Promise.resolve({ ...done, rows, profile: { unit: 'ns' as const, functions: [], note: '' } });
  };
  const other = (await compareStages(tubeCapper, setup, 'ctrl', 1e-3, undefined, undefined, elsewhere)).value!;
  expect(other.pairs.filter((p) => p.b === 'host').length).toBeGreaterThan(20);
  expect(other.pairs.filter((p) => p.b === 'host' && !p.same)).toEqual([
    {
      a: 'code',
      b: 'host',
      quantity: 'ctrl.voltage',
      same: false,
      first: { time: wrong * 0.001, a: did.results[wrong][k], b: did.results[wrong][k] + 0.25 },
      largest: { time: wrong * 0.001, difference: 0.25 },
    },
  ]);
  const not = await compareStages(tubeCapper, setup, 'ctrl', 1e-3, undefined, undefined, () =>
    Promise.resolve('no compiler'),
  );
  expect(not.value!.host).toEqual({ problem: 'no compiler' });
});
(hasCompiler('gcc') ? test : test.skip)('compiled, it is the same to the last bit, and nothing of it stays', () => {
  const made = compileOnHost(program!);
  if (typeof made === 'string') throw new Error(made);
  const run = stepOnHostBuild(program!, made.build, made.open().ask);
  const { shown, rows } = replayed(program!, run, replay);
  expect(sameWhere(shown, rows)).toBeGreaterThan(20);
  const { functions, note } = run.profile!();
  expect(functions).toMatchObject([{ name: 'CapperControl_step', calls: did.inputs.length }]);
  expect(note).toMatch(/in steps of [1-9]\d* ns/);
  made.dispose();
  expect(() => made.open()).toThrow();
});
