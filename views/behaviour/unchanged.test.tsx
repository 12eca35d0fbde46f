/** @jest-environment jsdom */
import { renderHook } from '@testing-library/react';
import { emptyProject, newChart, newState, newType, type Chart } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { useBoxes } from './quiet-arrows';
import { useStateCards } from './state-cards';

const chart: Chart = {
  ...newChart('c', 'mode'),
  states: [
    newState('a', 'Off', null, 0, 0),
    newState('b', 'On', null, 200, 0),
    newState('d', 'Warm', 'b', 20, 40),
    newState('e', 'Hot', 'b', 20, 120),
  ],
};
type Look = Omit<Parameters<typeof useStateCards>[0], 'address' | 'boxes'>;
const nothing: Omit<Look, 'chart'> = {
  others: [],
  item: '',
  active: undefined,
  wrong: new Map(),
  facts: new Map(),
  stops: new Set(),
  gaps: new Map(),
};
type Shown = Pick<Look, 'chart'> & Partial<Look>;
const cards = (first: Chart) =>
  renderHook(
    (look: Shown) => useStateCards({ ...nothing, ...look, address: 'type/t/chart/c', boxes: useBoxes(look.chart) }),
    { initialProps: { chart: first } as Shown },
  );
const changed = (before: readonly unknown[], after: readonly { readonly id: string }[]): string[] =>
  after.filter((x) => !before.includes(x)).map((x) => x.id);
const withState = (id: string, changes: object): Chart => ({
  ...chart,
  states: chart.states.map((s) => (s.id === id ? { ...s, ...changes } : s)),
});

beforeEach(() => useProject.getState().open({ ...emptyProject('p', 'P'), types: [newType('t', 'T')] }));

test('a renamed state is one new card; those inside it stay, and so does the list when nothing changed', () => {
  const { result, rerender } = cards(chart);
  const before = result.current;
  expect(before.map((x) => x.id)).toEqual(['a', 'b', 'd', 'e']);
  rerender({ chart: withState('b', { name: 'Up' }) });
  expect(changed(before, result.current)).toEqual(['b']);
  expect(result.current.find((x) => x.id === 'b')?.ariaLabel).toBe('State Up');
  const renamed = result.current;
  rerender({ chart: { ...withState('b', { name: 'Up' }), period: '0.1' } });
  expect(result.current).toBe(renamed);
});

test.each([
  ['an action', { entry: 'x := 1;' }],
  ['a place', { x: 300 }],
  ['being where it starts', { initial: true }],
  ['a kind', { kind: 'choice' }],
])('%s of a state makes its card anew', (_, changes) => {
  const { result, rerender } = cards(chart);
  const before = result.current;
  rerender({ chart: withState('a', changes) });
  expect(changed(before, result.current)).toEqual(['a']);
});

test('what is lit, wrong, chosen, stopped at or told of changes the cards it is about', () => {
  const { result, rerender } = cards(chart);
  const looks: [Shown, string[]][] = [
    [{ chart, active: ['On.Hot'] }, ['b', 'e']],
    [{ chart, wrong: new Map([['d', { severity: 'error', code: 'c', message: 'm' } as const]]) }, ['d']],
    [{ chart, others: [], item: 'state/a' }, ['a']],
    [{ chart, facts: new Map([['On.Warm', '2 s']]) }, ['d']],
    [{ chart, stops: new Set(['type/t/chart/c/state/e']) }, ['e']],
  ];
  for (const [look, ids] of looks) {
    rerender({ chart });
    const before = result.current;
    rerender(look);
    expect(changed(before, result.current)).toEqual(ids);
  }
});
