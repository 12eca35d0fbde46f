import '@testing-library/jest-dom';
import { DndContext } from '@dnd-kit/core';
import { act, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { checkProject } from '@/core/run/check';
import { emptyProject, newType, type Setup } from '@/core/project/project';
import { tubeCapper } from '@/samples/tube-capper';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { BenchSheet } from './bench-sheet';

const setups = (): readonly Setup[] => useProject.getState().project!.setups;
const named = (name: string): Setup => setups().find((s) => s.name === name)!;
const show = () =>
  render(
    <DndContext>
      <BenchSheet />
    </DndContext>,
  );
const undo = (): void => act(() => useProject.getState().undo());
/** What the checker of the application does a moment after each change. */
const check = (): void =>
  act(() => useProject.getState().setProblems(checkProject(useProject.getState().project!).problems));

beforeEach(() => {
  useProject.getState().open(tubeCapper);
  useRuns.getState().clear();
  usePlace.setState({ area: 'bench', sheet: '', item: '', notice: undefined, showLinks: false });
});

/** Types into a field in place of what stands there, and commits. */
async function fill(label: string, text: string): Promise<void> {
  const user = userEvent.setup();
  const field = screen.getByLabelText(label);
  await user.clear(field);
  await user.type(field, `${text.replace(/[{[]/g, '$&$&')}{Enter}`);
}

test('a project without setups says what one is, and gets its first', async () => {
  const type = newType('ty', 'Thing');
  act(() => useProject.getState().open({ ...emptyProject('p', 'Empty'), types: [type], root: type.id }));
  show();
  expect(screen.getByRole('heading', { name: 'Nothing to run yet' })).toBeInTheDocument();
  await userEvent.setup().click(screen.getByRole('button', { name: 'Add a setup' }));
  expect(setups().map((s) => s.name)).toEqual(['Setup']);
  expect(screen.getByRole('radio', { name: 'Setup' })).toBeChecked();
});

test('setups are chosen, copied under a free name, and deleted with the way back', async () => {
  const user = userEvent.setup();
  show();
  await user.click(screen.getByRole('radio', { name: 'Eager' }));
  expect(screen.getByLabelText('Name of the setup')).toHaveValue('Eager');
  await user.click(screen.getByRole('button', { name: 'Copy this setup' }));
  await user.click(screen.getByRole('button', { name: 'Copy this setup' }));
  expect(setups().map((s) => s.name)).toEqual(expect.arrayContaining(['Eager copy', 'Eager copy copy']));
  expect(named('Eager copy').changes).toEqual(named('Eager').changes);
  const { length } = setups();
  await user.click(screen.getByRole('button', { name: 'Delete this setup' }));
  expect(setups()).toHaveLength(length - 1);
  undo();
  expect(setups()).toHaveLength(length);
});

test('a changed value that names nothing is told where it stands, with what may have been meant', async () => {
  const user = userEvent.setup();
  show();
  await user.click(screen.getByRole('radio', { name: 'Eager' }));
  await fill('Quantity to change', 'ctrl.creepSpeeed');
  check();
  expect(within(screen.getByTestId('changes')).getByRole('alert')).toHaveTextContent(/creepSpeeed.*creepSpeed/);
  await fill('Quantity to change', 'ctrl.creepSpeed');
  await fill('Value of ctrl.creepSpeed', '12');
  check();
  expect(screen.queryByRole('alert')).toBeNull();
  expect(named('Eager').changes).toMatchObject([{ name: 'ctrl.creepSpeed', value: '12' }]);
  await user.click(screen.getByRole('button', { name: 'Leave ctrl.creepSpeed as designed' }));
  expect(named('Eager').changes).toEqual([]);
});

test('numbers that are none are refused and nothing is lost', async () => {
  show();
  await fill('Duration', 'long');
  expect(screen.getByRole('alert')).toHaveTextContent('"long" is not a number');
  expect(named('Careful').stop).toBe(2);
  await fill('Duration', '2.5 s');
  expect(named('Careful').stop).toBe(2.5);
});

test('stimulus: rows are added, told where they reach nobody, and deleted', async () => {
  const user = userEvent.setup();
  show();
  const rows = (): number => within(screen.getByTestId('stimulus')).getAllByRole('row').length;
  const before = rows();
  await user.click(screen.getByRole('button', { name: 'Row' }));
  expect(rows()).toBe(before + 1);
  const last = within(screen.getByTestId('stimulus')).getAllByRole('row').at(-1)!;
  const target = within(last).getByLabelText('Part and message');
  await user.clear(target);
  await user.type(target, 'panel.strat{Enter}');
  check();
  expect(within(last).getByRole('alert')).toHaveTextContent(/strat/);
  await user.selectOptions(within(last).getByLabelText('What happens'), 'set');
  expect(named('Careful').stimulus.at(-1)).toMatchObject({ kind: 'set' });
  await user.click(within(last).getByRole('button', { name: 'Delete this row' }));
  expect(rows()).toBe(before);
});

test('two setups are compared: what differs, and as designed where one says nothing', async () => {
  const user = userEvent.setup();
  show();
  await user.click(screen.getByRole('radio', { name: 'Eager' }));
  await user.selectOptions(screen.getByLabelText('Setup to compare with'), 'Careful');
  const rows = within(screen.getByTestId('setup-differences'))
    .getAllByRole('row')
    .slice(1)
    .map((r) =>
      within(r)
        .getAllByRole('cell')
        .map((c) => c.textContent),
    );
  expect(rows).toContainEqual(['value of ctrl.creepSpeed', '16', 'as designed']);
  expect(rows.every(([, a, b]) => a !== b)).toBe(true);
});
