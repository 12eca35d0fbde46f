import '@testing-library/jest-dom';
import { DndContext } from '@dnd-kit/core';
import { act, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { Chart, ChartState, PartType, Transition } from '@/core/project/project';
import { tubeCapper } from '@/samples/tube-capper';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { runHere } from '@/store/testing';
import { ChartDetails } from './chart-details';
import { StateDetails } from './state-details';
import { transitionText } from './chart-geometry';
import { TransitionDetails } from './transition-details';

const typeNow = (): PartType => useProject.getState().project!.types.find((t) => t.name === 'CapperControl')!;
const chartNow = (): Chart => typeNow().charts[0];
const stateNamed = (name: string): ChartState => chartNow().states.find((s) => s.name === name)!;
const between = (from: string, to: string): Transition =>
  chartNow().transitions.find((t) => t.from === stateNamed(from).id && t.to === stateNamed(to).id)!;

/** The details of something, drawn anew as the project changes. */
function Details({ state, transition }: { readonly state?: string; readonly transition?: string }) {
  useProject((s) => s.project);
  const type = typeNow(),
    chart = chartNow();
  const s = chart.states.find((x) => x.id === state),
    t = chart.transitions.find((x) => x.id === transition);
  return (
    <DndContext>
      {s ? (
        <StateDetails type={type} chart={chart} state={s} path="ctrl" />
      ) : t ? (
        <TransitionDetails type={type} chart={chart} transition={t} path="ctrl" />
      ) : (
        <ChartDetails type={type} chart={chart} />
      )}
    </DndContext>
  );
}
const undo = (): void => act(() => useProject.getState().undo());
const at = (time: number): void => act(() => useRuns.getState().moveCursor(time));

beforeEach(async () => {
  await runHere(tubeCapper, 'Eager');
  usePlace.setState({ area: 'behaviour', item: '', notice: undefined, showLinks: false });
});

describe('a state', () => {
  test('is renamed everywhere it is mentioned; a name that is taken is refused where it was typed', async () => {
    const user = userEvent.setup();
    render(<Details state={stateNamed('Press').id} />);
    const name = screen.getByLabelText('Name of the state');
    await user.clear(name);
    await user.type(name, 'Creep{Enter}');
    expect(screen.getByRole('alert')).toHaveTextContent(/Creep/);
    expect(stateNamed('Press')).toBeDefined();
    await user.clear(name);
    await user.type(name, 'Tighten{Enter}');
    expect(screen.getByRole('heading', { name: 'state Tighten' })).toBeInTheDocument();
    expect(JSON.stringify(useProject.getState().project)).not.toMatch(/mode\.Running\.Turning\.Press/);
    undo();
    expect(stateNamed('Press')).toBeDefined();
  });
  test('cannot be put inside itself; it is moved, made another kind, and made the first', async () => {
    const user = userEvent.setup();
    render(<Details state={stateNamed('Turning').id} />);
    const inside = screen.getByLabelText('State it is inside of');
    expect(within(inside).queryByRole('option', { name: 'Creep' })).toBeNull();
    await user.selectOptions(inside, 'the chart');
    expect(stateNamed('Turning').parent).toBeNull();
    await user.selectOptions(screen.getByLabelText('What it is'), 'all lanes inside at once');
    expect(stateNamed('Turning').kind).toBe('parallel');
    undo();
    undo();
    expect(stateNamed('Turning')).toMatchObject({ kind: 'state', parent: stateNamed('Running').id });
    await user.click(screen.getByRole('button', { name: 'Start here' }));
    expect(
      chartNow()
        .states.filter((s) => s.parent === stateNamed('Running').id && s.initial)
        .map((s) => s.name),
    ).toEqual(['Turning']);
  });
  test('gets a next one with an arrow, and one inside', async () => {
    const user = userEvent.setup();
    render(<Details state={stateNamed('Hold').id} />);
    const { length } = chartNow().states;
    await user.click(screen.getByRole('button', { name: 'Next state' }));
    const next = chartNow().states.at(-1)!;
    expect(next.parent).toBe(stateNamed('Hold').parent);
    expect(chartNow().transitions.at(-1)).toMatchObject({ from: stateNamed('Hold').id, to: next.id });
    expect(usePlace.getState().item).toBe(`state/${next.id}`);
    await user.click(screen.getByRole('button', { name: 'State inside' }));
    expect(chartNow().states.at(-1)).toMatchObject({ parent: stateNamed('Hold').id, initial: true });
    undo();
    undo();
    expect(chartNow().states).toHaveLength(length);
  });
});

describe('a transition', () => {
  test('says why it does not fire at the cursor, and when it fired', () => {
    const t = between('Fast', 'Creep');
    render(<Details transition={t.id} />);
    at(0.5);
    expect(screen.getByRole('heading', { name: 'Why not at the cursor?' })).toBeInTheDocument();
    expect(within(screen.getByTestId('why-not')).getAllByLabelText('missing').length).toBeGreaterThan(0);
    const fired = screen.getByText(/^Fired 1 time/);
    act(() => within(fired).getByRole('button').click());
    expect(screen.getByRole('heading', { name: 'It fires at the cursor' })).toBeInTheDocument();
  });
  test('gets triggers of every kind, with a first text that can be read, and loses them', async () => {
    const user = userEvent.setup();
    const t = between('Fast', 'Creep');
    render(<Details transition={t.id} />);
    await user.click(screen.getByRole('button', { name: 'Another trigger' }));
    expect(screen.getAllByTestId('trigger')).toHaveLength(2);
    const [, second] = screen.getAllByTestId('trigger');
    await user.selectOptions(within(second).getByLabelText('Trigger'), 'time has passed');
    expect(between('Fast', 'Creep').triggers[1]).toEqual({ kind: 'after', on: "1 's'" });
    expect(transitionText(between('Fast', 'Creep'))).toContain('after 1 s');
    await user.click(
      within(screen.getAllByTestId('trigger')[0]).getByRole('button', { name: 'Take this trigger away' }),
    );
    expect(between('Fast', 'Creep').triggers).toHaveLength(1);
  });
  test('is tried earlier or later than others of its state', async () => {
    const user = userEvent.setup();
    const of = (): Transition[] => chartNow().transitions.filter((x) => x.from === stateNamed('Fast').id);
    const [first, second] = of();
    render(<Details transition={second.id} />);
    expect(screen.getByText(/Tried as number 2 of \d+ from Fast/)).toBeInTheDocument();
    await user.click(screen.getByRole('button', { name: 'Try it earlier' }));
    expect(
      of()
        .slice(0, 2)
        .map((x) => x.id),
    ).toEqual([second.id, first.id]);
    expect(screen.getByRole('button', { name: 'Try it earlier' })).toBeDisabled();
  });
  test('leads elsewhere, or nowhere', async () => {
    const user = userEvent.setup();
    const t = between('Fast', 'Creep');
    render(<Details transition={t.id} />);
    await user.selectOptions(screen.getByLabelText('To state'), 'nowhere: only the effect');
    expect(chartNow().transitions.find((x) => x.id === t.id)!.to).toBe('');
    undo();
    expect(chartNow().transitions.find((x) => x.id === t.id)!.to).toBe(stateNamed('Creep').id);
  });
});

test('a chart gets quantities of its own and counts what it holds', async () => {
  const user = userEvent.setup();
  render(<Details />);
  expect(
    screen.getByText(new RegExp(`${chartNow().states.length} states, ${chartNow().transitions.length} transitions`)),
  ).toBeInTheDocument();
  const { length } = chartNow().values;
  await user.click(screen.getByRole('button', { name: 'Quantity' }));
  expect(chartNow().values).toHaveLength(length + 1);
  expect(chartNow().values.at(-1)).toMatchObject({ type: 'Integer' });
  undo();
  expect(chartNow().values).toHaveLength(length);
});
