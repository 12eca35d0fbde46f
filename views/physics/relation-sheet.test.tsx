import '@testing-library/jest-dom';
import { DndContext } from '@dnd-kit/core';
import { act, fireEvent, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { emptyProject, newType, type PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { RelationsSheet } from './relation-sheet';

jest.mock('./relation-drawing', () => ({ RelationDrawing: () => null }));

const typeNow = (): PartType => useProject.getState().project!.types[0];
const quantity = (name: string) => typeNow().quantities.find((q) => q.name === name);
const undo = (): void => act(() => useProject.getState().undo());

beforeEach(() => {
  const type = newType('ty', 'Pump');
  useRuns.getState().clear();
  useProject.getState().open({ ...emptyProject('p', 'Sheets'), types: [type], root: type.id });
  usePlace.setState({ area: 'physics', sheet: 'relations', item: '', part: '', type: '', notice: undefined });
});

/** A sheet with relations, typed by hand. */
async function sheetWith(...relations: readonly string[]) {
  const user = userEvent.setup();
  render(
    <DndContext>
      <RelationsSheet />
    </DndContext>,
  );
  await user.click(screen.getByRole('button', { name: 'Begin a relation sheet' }));
  for (const [k, text] of relations.entries()) {
    if (k > 0) await user.click(screen.getByRole('button', { name: 'Relation' }));
    const field = screen.getAllByLabelText('Relation').at(-1)!;
    fireEvent.change(field, { target: { value: text } });
    fireEvent.blur(field);
  }
  return user;
}
const know = async (user: ReturnType<typeof userEvent.setup>, name: string, value: string): Promise<void> => {
  const box = screen.getByLabelText(`${name} is known`);
  if (!(box as HTMLInputElement).checked) await user.click(box);
  const field = screen.getByLabelText(`Value of ${name}`);
  fireEvent.change(field, { target: { value } });
  fireEvent.blur(field);
};
const valueOf = (name: string): string => {
  const row = document.querySelector(`[data-quantity="${name}"]`) as HTMLElement;
  return (
    (row.querySelectorAll('td')[2].querySelector('input, textarea') as HTMLInputElement | null)?.value ??
    row.querySelectorAll('td')[2].textContent!
  );
};
const summary = (): string =>
  screen
    .getAllByRole('status')
    .map((s) => s.textContent)
    .join(' ')
    .trim();

test('names become quantities; what is known gives the rest, in whichever direction', async () => {
  const user = await sheetWith('P = Q*dp/eta');
  expect(
    typeNow()
      .quantities.map((q) => q.name)
      .sort(),
  ).toEqual(['P', 'Q', 'dp', 'eta']);
  await know(user, 'Q', '0.002');
  await know(user, 'dp', '50000');
  await know(user, 'eta', '0.5');
  expect(valueOf('P')).toBe('200');
  expect(summary()).toBe('Everything is found, and nothing contradicts');
  await user.click(screen.getByLabelText('eta is known'));
  expect(summary()).toMatch(/^Open:/);
  await know(user, 'P', '400');
  expect(valueOf('eta')).toBe('0.25');
});

test('too much that is known contradicts, and says which relations cannot all hold', async () => {
  const user = await sheetWith('a = b + 1', 'a = 2*b');
  expect(valueOf('a')).toBe('2');
  expect(valueOf('b')).toBe('1');
  await know(user, 'a', '5');
  expect(summary()).toMatch(/Cannot all hold: .*a = b \+ 1.*a = 2\*b|Cannot all hold: .*a = 2\*b.*a = b \+ 1/);
  undo();
});

test('a misspelt name stands alone, and merging takes it away', async () => {
  const user = await sheetWith('pressure = force/area', 'force = 3*presure');
  await user.click(screen.getByRole('button', { name: 'Merge it with pressure' }));
  expect(typeNow().sheets[0].relations[1].text).toBe('force = 3*pressure');
  expect(quantity('presure')).toBeUndefined();
  undo();
  expect(quantity('presure')).toBeDefined();
});

test('what moves a result, and by how much', async () => {
  const user = await sheetWith('E = m*v^2/2');
  await know(user, 'm', '3');
  await know(user, 'v', '2');
  act(() => usePlace.getState().select('quantity/E'));
  const details = screen.getByTestId('relation-details');
  expect(details).toHaveTextContent('E = 6');
  expect([...details.querySelectorAll('.sensitivity')].map((s) => s.textContent)).toEqual(['v+2 %', 'm+1 %']);
});

test('a relation that cannot be read says why where it stands; the text stays', async () => {
  await sheetWith('P = Q*');
  const row = document.querySelector('.relation-row') as HTMLElement;
  expect(within(row).getByText('not read')).toBeInTheDocument();
  expect(within(row).getByLabelText('Relation')).toHaveValue('P = Q*');
});

test('a limit takes part as a check', async () => {
  const user = await sheetWith('P = 2*x', 'P < 10');
  await know(user, 'x', '4');
  expect(screen.getByText('holds')).toBeInTheDocument();
  await know(user, 'x', '6');
  expect(screen.getByText('fails')).toBeInTheDocument();
  expect(summary()).toBe('Everything is found; a limit does not hold');
});

test('a relation becomes a part type of its own', async () => {
  const user = await sheetWith('P = Q*dp');
  await user.click(screen.getByRole('button', { name: 'Make a part type of this relation' }));
  expect(useProject.getState().project!.types.at(-1)).toMatchObject({
    name: 'Relation',
    sheets: [{ relations: [{ text: 'P = Q*dp' }] }],
  });
  expect(usePlace.getState().notice?.text).toMatch(/is a part type now/);
});
