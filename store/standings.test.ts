import { act, renderHook } from '@testing-library/react';
import { basisOf } from '@/core/run/basis';
import type { Project, Requirement } from '@/core/project/project';
import type { RequirementFinding } from '@/core/run/run';
import { tubeCapper } from '@/samples/tube-capper';
import { useProject } from './project-store';
import { emptyRunData } from './run-data';
import { useRuns, type RunView } from './run-store';
import { newestJudgements, useStandings } from './standings';
import type { HistoryEntry } from './storage';

const [one, two] = ['CAP-01', 'CAP-17'].map((key) => tubeCapper.requirements.find((r) => r.key === key)) as [
  Requirement,
  Requirement,
];
const setup = tubeCapper.setups[0];
const found = (r: Requirement, verdict: 'holds' | 'fails', margin = 1): RequirementFinding => ({
  ...{ id: r.id, key: r.key, verdict, margin, unit: 's', worstAt: 2, failsSince: undefined, reason: 'seen', lane: [] },
});
const runOf = (at: number, name: string, findings: readonly RequirementFinding[]): RunView => ({
  at,
  model: { basis: basisOf(tubeCapper, setup) } as RunView['model'],
  setup: name,
  changes: '',
  stop: 1,
  data: emptyRunData(),
  status: 'finished',
  time: 1,
  findings,
  problem: undefined,
  counts: undefined,
  seconds: 0,
  stoppedAt: undefined,
  actions: [],
  sequences: [],
});
const entryOf = (at: number, began: number | undefined, name: string, r: Requirement, margin: number): HistoryEntry => {
  const { model, setup: mark, setupId, requirements } = basisOf(tubeCapper, setup);
  return {
    ...{ projectId: 'p', at, setup: name, changes: '', basis: { model, setup: mark, setupId } },
    ...(began !== undefined && { began }),
    findings: [{ id: r.id, verdict: 'holds', margin, unit: 's', failsSince: undefined, mark: requirements[r.id] }],
  };
};

test('of each requirement the newest run that judged it, whether the run is kept or only its verdicts', () => {
  const kept = [runOf(50, 'B', [found(two, 'fails')]), runOf(10, 'A', [found(one, 'holds'), found(two, 'holds')])];
  const of = (history: readonly HistoryEntry[], r: Requirement) => newestJudgements(kept, history).get(r.id);
  expect(of([], one)).toMatchObject({ by: { setup: 'A', run: kept[1] } });
  expect(of([], two)).toMatchObject({ by: { setup: 'B' }, finding: { verdict: 'fails' } });
  // what is written down of a run that is kept is that run; of another one, between them, it comes first
  expect(of([entryOf(12, 10, 'A', one, 9)], one)).toMatchObject({ by: { run: kept[1] } });
  expect(of([entryOf(30, 29, 'C', one, 9)], one)).toMatchObject({ by: { setup: 'C', run: undefined } });
  expect(of([entryOf(9, undefined, 'C', one, 9)], one)).toMatchObject({ by: { setup: 'A' } });
  expect(newestJudgements([], []).get(one.id)).toBeUndefined();
});

test('a run of something else leaves the verdicts of the product standing, with the setup they come from', () => {
  useProject.getState().open(tubeCapper);
  useRuns.getState().clear();
  const { result } = renderHook(() => useStandings());
  const of = (r: Requirement) => result.current(r);
  expect(of(one)).toMatchObject({ basis: 'nothing', setup: '' });
  const careful = runOf(10, 'Careful', [found(one, 'holds')]);
  act(() => useRuns.getState().restore(careful, []));
  expect(of(one)).toMatchObject({ basis: 'run', setup: 'Careful', run: careful, isNewest: true, doubt: '' });
  act(() => useRuns.getState().restore(runOf(20, 'Worn bearing', [found(two, 'holds')]), [careful]));
  expect(of(one)).toMatchObject({ basis: 'run', setup: 'Careful', run: careful, isNewest: false });
  expect(of(two)).toMatchObject({ setup: 'Worn bearing', isNewest: true });
  // only its verdicts are kept: no moment of it can be shown
  act(() => {
    useRuns.getState().restore(runOf(20, 'Worn bearing', [found(two, 'holds')]), []);
    useRuns.getState().setHistory([entryOf(12, 10, 'Careful', one, 3)]);
  });
  expect(of(one)).toMatchObject({
    ...{ basis: 'run', setup: 'Careful', run: undefined, isNewest: false, doubt: '' },
    finding: { key: 'CAP-01', verdict: 'holds', margin: 3, worstAt: undefined, lane: [] },
  });
  // each verdict is as old as the run it comes from
  const changed: Project = {
    ...tubeCapper,
    requirements: tubeCapper.requirements.map((r) => (r.id === one.id ? { ...r, text: `${r.text} ` } : r)),
  };
  act(() => useProject.getState().open(changed));
  expect(of(changed.requirements.find((r) => r.id === one.id)!).doubt).toMatch(/its text or formula/);
  expect(of(two).doubt).toBe('');
  // a run follows where something is renamed: what it ran with is another mark then, what it found is not
  act(() => {
    const { current, kept } = useRuns.getState();
    const basis = { ...basisOf(changed, setup), model: 'another' };
    useRuns.setState({ current: { ...current!, model: { ...current!.model, basis } }, kept });
  });
  expect(of(two).doubt).toMatch(/the model has changed/);
});
