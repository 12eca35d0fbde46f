/** @jest-environment jsdom */
import '@testing-library/jest-dom';
import { act, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { tubeCapper } from '@/samples/tube-capper';
import { useProject } from '@/store/project-store';
import { Guarded } from './guarded';

function Fragile() {
  const name = useProject((s) => s.project?.name);
  if (name === 'breaks') throw new Error('this view does not know what to do');
  return <p>all is well with {name}</p>;
}

test('a view that breaks says so in its place, offers the file and the way back, and is tried again', async () => {
  // React writes down what it caught
  const told = jest.spyOn(console, 'error').mockImplementation(() => undefined);
  useProject.getState().open(tubeCapper);
  const user = userEvent.setup();
  const { rerender } = render(
    <>
      <p>beside it</p>
      <Guarded what="This sheet" of="a">
        <Fragile />
      </Guarded>
    </>,
  );
  expect(screen.getByText('all is well with Tube capper')).toBeVisible();
  const { edit } = useProject.getState();
  act(() => void edit({ kind: 'project', changes: { name: 'breaks' } }, 'Rename the project'));
  expect(screen.getByRole('alert')).toHaveTextContent('This sheet could not be shown');
  expect(screen.getByRole('alert')).toHaveTextContent('this view does not know what to do');
  expect(screen.getByText('beside it')).toBeVisible();
  expect(screen.getByRole('button', { name: 'Export the project' })).toBeVisible();
  // trying again changes nothing by itself
  await user.click(screen.getByRole('button', { name: 'Try again' }));
  expect(screen.getByRole('alert')).toBeVisible();
  await user.click(screen.getByRole('button', { name: 'Undo: Rename the project' }));
  expect(screen.queryByRole('alert')).toBeNull();
  expect(screen.getByText('all is well with Tube capper')).toBeVisible();
  // another sheet is another try
  act(() => void edit({ kind: 'project', changes: { name: 'breaks' } }, 'again'));
  rerender(
    <Guarded what="This sheet" of="b">
      <p>another sheet</p>
    </Guarded>,
  );
  expect(screen.getByText('another sheet')).toBeVisible();
  told.mockRestore();
});
