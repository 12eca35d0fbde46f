/** @jest-environment jsdom */
import { newRequirement } from '@/core/project/project';
import '@testing-library/jest-dom';
import { DndContext } from '@dnd-kit/core';
import { render, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import type { ReactNode } from 'react';
import { readFlow } from '@/core/flows/read-flow';
import { linkIndex } from '@/core/trace/links';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { tubeCapper } from '@/samples/tube-capper';
import { ImpactDialog, deleteWithImpact } from '@/ui/impact';
import { FormulaText } from '@/ui/formula-text';
import { TraceLinks } from '@/ui/trace-links';
import type { StepHolder } from '@/ui/steps/step-holder';
import { StepLines } from '@/ui/steps/step-lines';
import { GlossarySheet } from './glossary-sheet';
import { LimitCell, justBefore } from './limit-cell';
import { MarkedText } from './requirement-details';
import { ObservationForm } from './observation-form';
import { limitOf } from '@/core/requirements/read-limit';

const project = () => useProject.getState().project!;
const requirement = (key: string) => project().requirements.find((r) => r.key === key)!;
const show = (ui: ReactNode) => render(<DndContext>{ui}</DndContext>);

beforeEach(() => {
  useProject.getState().open(tubeCapper);
  usePlace.setState({ area: 'needs', sheet: '', item: '', notice: undefined, showLinks: false });
});

describe('trace links of a requirement', () => {
  test('are listed, removed one by one or all, and come back by undo', async () => {
    const user = userEvent.setup();
    show(<TraceLinks address="requirement/r-cap-08" what="CAP-08" />);
    expect(screen.getByTestId('trace-links').children.length).toBe(5);
    await user.click(screen.getByRole('button', { name: 'Remove the link to Five tubes' }));
    expect(screen.getByTestId('trace-links').children.length).toBe(4);
    useProject.getState().undo();
    await waitFor(() => expect(screen.getByTestId('trace-links').children.length).toBe(5));
    await user.click(screen.getByRole('button', { name: /Remove all 5/ }));
    expect(screen.getByText('Nothing is linked yet.')).toBeInTheDocument();
  });
  test('are found by typing, and Enter links the first', async () => {
    const user = userEvent.setup();
    show(<TraceLinks address="requirement/r-cap-13" what="CAP-13" />);
    await user.type(screen.getByLabelText('Find something to link'), 'pressTorque{Enter}');
    expect(within(screen.getByTestId('trace-links')).getByText('CapperControl.pressTorque')).toBeInTheDocument();
    await user.type(screen.getByLabelText('Find something to link'), 'pressTorque{Enter}');
    expect(usePlace.getState().notice?.text).toBe('They are linked already');
  });
  test('are to be looked at after a change, and confirmed', async () => {
    const user = userEvent.setup();
    useProject.getState().edit(
      {
        kind: 'update',
        list: 'requirement',
        id: 'r-cap-12',
        changes: { text: 'The centre of mass shall lie elsewhere.' },
      },
      'change',
    );
    show(<TraceLinks address="requirement/r-cap-12" what="CAP-12" />);
    expect(screen.getByText('CAP-12 changed since the link was confirmed')).toBeInTheDocument();
    await user.click(screen.getByTestId('confirm-link'));
    expect(linkIndex(project()).suspect).toEqual([]);
    expect(screen.queryByText(/changed since/)).toBeNull();
  });
});

describe('deleting', () => {
  test('shows what rests on a thing first', async () => {
    const user = userEvent.setup();
    show(<ImpactDialog />);
    const removal = { kind: 'remove', list: 'setup', id: 'u-eager' } as const;
    useProject.getState().edit(
      {
        kind: 'insert-all',
        list: 'trace',
        entries: [
          { id: 'v-x', requirement: 'r-cap-03', element: 'setup/u-eager', requirementSeen: '', elementSeen: '' },
        ],
      },
      'link',
    );
    deleteWithImpact('requirement/r-cap-02', { kind: 'remove', list: 'requirement', id: 'r-cap-02' }, 'Delete CAP-02');
    expect(await screen.findByText('Delete CAP-02?')).toBeInTheDocument();
    await user.click(screen.getByRole('button', { name: 'Keep it' }));
    expect(requirement('CAP-02')).toBeDefined();
    deleteWithImpact('setup/u-eager', removal, 'Delete Eager');
    expect(project().setups.some((s) => s.id === 'u-eager')).toBe(false);
  });
  test('says at once why it cannot be', () => {
    deleteWithImpact(
      'type/t-spindledrive/quantity/q-speed',
      { kind: 'remove', list: 'type/t-spindledrive/quantity', id: 'q-speed' },
      'Delete',
    );
    expect(usePlace.getState().notice?.text).toMatch(/speed is still used by/);
  });
});

test('an observation needs a name, is signed, and can be taken back', async () => {
  const user = userEvent.setup();
  const { rerender } = render(<ObservationForm requirement={requirement('CAP-14')} />);
  await user.click(screen.getByRole('button', { name: 'Sign what was seen' }));
  await user.click(screen.getByRole('button', { name: 'Sign' }));
  expect(await screen.findByText('Who saw it?')).toBeInTheDocument();
  await user.type(screen.getByLabelText('Seen by'), 'R. Tester');
  await user.click(screen.getByRole('button', { name: 'Sign' }));
  await waitFor(() =>
    expect(requirement('CAP-14').observation).toMatchObject({
      by: 'R. Tester',
      verdict: 'holds',
      text: requirement('CAP-14').text,
    }),
  );
  rerender(<ObservationForm requirement={requirement('CAP-14')} />);
  await user.click(screen.getByRole('button', { name: 'Take the signature back' }));
  expect(requirement('CAP-14').observation).toBeNull();
});

test('words are marked: those that were not used, and those that leave the meaning open', () => {
  useProject.getState().edit(
    {
      kind: 'update',
      list: 'requirement',
      id: 'r-cap-01',
      changes: { text: 'The fast spindle speed shall not exceed 330 rpm.' },
    },
    'change',
  );
  const { container } = render(<MarkedText requirement={requirement('CAP-01')} />);
  expect([...container.querySelectorAll('mark')].map((m) => `${m.className}: ${m.textContent}`)).toContain(
    'vague-word: fast',
  );
  expect(screen.getByText(/say how soon/)).toBeInTheDocument();
});

test('the cell of a limit: the formula, or the word that was not understood', () => {
  const cell = (key: string) => (
    <LimitCell requirement={requirement(key)} limit={limitOf(requirement(key), project().glossary)} problems={[]} />
  );
  const { rerender } = show(cell('CAP-01'));
  expect(screen.getByTestId('limit')).toHaveTextContent('always(spindle.speed <= 330 rpm)');
  rerender(<DndContext>{cell('CAP-14')}</DndContext>);
  expect(screen.getByTestId('not-understood')).toHaveTextContent('"panel" is not understood');
  rerender(<DndContext>{cell('CAP-15')}</DndContext>);
  expect(screen.getByText(/seen by J. Marek/)).toBeInTheDocument();
});

test('formulas break between names', () => {
  const { container } = render(<FormulaText formula="always(a.b <= 3 'V')" />);
  expect(container.innerHTML).toBe('always(<wbr>a.<wbr>b &lt;= 3 V)');
});

test('the place of a doubt is shown with whole words before it', () => {
  const text = 'When the guard opens, the spindle speed shall not exceed 5 rpm within 2 s.';
  expect(justBefore(text, text.indexOf('2 s'))).toBe('… exceed 5 rpm within ');
  expect(justBefore(text, 9)).toBe('When the ');
  expect(justBefore(`${'x'.repeat(60)} y`, 61)).toBe('… ');
});

test('a phrase with two meanings is told; a proposal is taken with one press', async () => {
  const user = userEvent.setup();
  useProject
    .getState()
    .edit(
      { kind: 'insert', list: 'glossary', entry: { id: 'g-2', phrase: 'the cap torque', meaning: 'cap.seatTorque' } },
      'add',
    );
  const { rerender } = render(<GlossarySheet project={project()} />);
  expect(screen.getAllByText(/has two meanings/).length).toBe(2);
  // "panel" would not make "The panel shall show the last cap torque ..." a limit: nothing is proposed that leads nowhere
  expect(screen.queryByTestId('proposals')).toBeNull();
  const entry = newRequirement('r-new', 'CAP-90', 'The seat torque shall not exceed 0.85 N.m.');
  useProject.getState().edit({ kind: 'insert', list: 'requirement', entry }, 'add');
  rerender(<GlossarySheet project={project()} />);
  await user.click(within(screen.getByTestId('proposals')).getAllByRole('button', { name: 'cap.seatTorque' })[0]);
  rerender(<GlossarySheet project={project()} />);
  expect(project().glossary.at(-1)).toMatchObject({ phrase: 'seat torque', meaning: 'cap.seatTorque' });
  expect(screen.queryByTestId('proposals')).toBeNull();
});

describe('lines of a flow by keyboard', () => {
  const flow = () => project().flows[1];
  const lines = (): string[] => flow().lines.map((l) => `${l.depth} ${l.text}`);
  const holder = (): StepHolder => ({
    id: flow().id,
    lines: flow().lines,
    address: `flow/${flow().id}`,
    forms: [],
    hint: '',
    empty: '',
    writing: 'Write a flow',
    ownWord: '',
    makeOwn: () => undefined,
  });
  const draw = () => show(<StepLines flow={holder()} problems={readFlow(flow(), project().flows).problems} />);
  test('Enter makes the next line, inside a head; Tab moves; Backspace deletes', async () => {
    const user = userEvent.setup();
    useProject
      .getState()
      .edit(
        { kind: 'update', list: 'flow', id: flow().id, changes: { lines: [{ id: 'a', depth: 0, text: 'if x' }] } },
        'start',
      );
    const { rerender } = draw();
    const again = (): void =>
      rerender(
        <DndContext>
          <StepLines flow={holder()} problems={[]} />
        </DndContext>,
      );
    screen.getByLabelText<HTMLTextAreaElement>('Line 1').setSelectionRange(4, 4);
    screen.getByLabelText('Line 1').focus();
    await user.keyboard('{Enter}');
    expect(lines()).toEqual(['0 if x', '1 ']);
    again();
    await user.keyboard('y');
    again();
    await user.keyboard('{Shift>}{Tab}{/Shift}');
    expect(lines()).toEqual(['0 if x', '0 y']);
    again();
    await user.keyboard('{Backspace}');
    again();
    await user.keyboard('{Backspace}');
    expect(lines()).toEqual(['0 if x']);
  });
  test('what is wrong stands under its line', () => {
    useProject
      .getState()
      .edit(
        { kind: 'update', list: 'flow', id: flow().id, changes: { lines: [{ id: 'a', depth: 0, text: 'else' }] } },
        'start',
      );
    draw();
    expect(
      screen
        .getAllByRole('alert')
        .map((a) => a.textContent)
        .join(),
    ).toMatch(/There is no "if" before this/);
  });
});
