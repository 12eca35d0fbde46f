import '@testing-library/jest-dom';
import { act, fireEvent, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { newControl, type Control } from '@/core/project/project';
import { tubeCapper } from '@/samples/tube-capper';
import { sendMessage, setQuantity } from '@/store/running';
import { useRuns } from '@/store/run-store';
import { runHere } from '@/store/testing';
import { ControlView } from './control-view';

jest.mock('@/store/running', () => ({ sendMessage: jest.fn(), setQuantity: jest.fn() }));
const sent = sendMessage as jest.Mock,
  set = setQuantity as jest.Mock;

const at = (time: number): void => act(() => useRuns.getState().moveCursor(time));
const show = (control: Partial<Control>) =>
  render(<ControlView control={{ ...newControl('c', 'text', 'Label', '', 0, 0), ...control }} live />);

beforeAll(() => runHere(tubeCapper, 'Eager'));
beforeEach(() => {
  sent.mockClear();
  set.mockClear();
  at(1.09);
});

describe('what acts', () => {
  test('a button sends its message when pressed; one with two messages sends the second when let go, by keyboard too', async () => {
    const user = userEvent.setup();
    const { unmount } = show({ kind: 'button', label: 'Start', target: 'panel.start' });
    await user.click(screen.getByRole('button', { name: 'Start' }));
    expect(sent.mock.calls).toEqual([['panel.start']]);
    unmount();
    sent.mockClear();
    show({ kind: 'button', label: 'Hold', target: 'panel.start', release: 'panel.stop' });
    const hold = screen.getByRole('button', { name: 'Hold' });
    await user.click(hold);
    expect(sent.mock.calls).toEqual([['panel.start'], ['panel.stop']]);
    fireEvent.keyDown(hold, { key: ' ' });
    fireEvent.keyDown(hold, { key: ' ', repeat: true });
    fireEvent.keyUp(hold, { key: ' ' });
    expect(sent.mock.calls).toEqual([['panel.start'], ['panel.stop'], ['panel.start'], ['panel.stop']]);
  });
  test('a switch sets a truth value', async () => {
    show({ kind: 'switch', label: 'Guard open', target: 'guardOpen' });
    await userEvent.setup().click(screen.getByRole('checkbox', { name: 'Guard open' }));
    expect(set.mock.calls).toEqual([['guardOpen', 1]]);
  });
  test('a slider shows another unit and sets the unit of the quantity', () => {
    show({ kind: 'slider', label: 'Creep', target: 'ctrl.creepSpeed', unit: 'rpm', min: 0, max: 300 });
    // 16 rad/s
    expect(screen.getByText(/152\.8 rpm/)).toBeInTheDocument();
    fireEvent.change(screen.getByRole('slider', { name: 'Creep' }), { target: { value: '60' } });
    expect(set.mock.calls[0][0]).toBe('ctrl.creepSpeed');
    expect(set.mock.calls[0][1]).toBeCloseTo(2 * Math.PI, 9);
  });
  test('a field refuses what is no number or outside its limits, and says which they are', async () => {
    const user = userEvent.setup();
    show({ kind: 'field', label: 'Creep', target: 'ctrl.creepSpeed', min: 1, max: 30 });
    const field = screen.getByLabelText('Creep');
    expect(field).toHaveValue('16');
    await user.clear(field);
    await user.type(field, 'fast{Enter}');
    expect(screen.getByRole('alert')).toHaveTextContent('"fast" is not a number');
    await user.clear(field);
    await user.type(field, '31{Enter}');
    expect(screen.getByRole('alert')).toHaveTextContent('From 1 to 30');
    expect(set).not.toHaveBeenCalled();
    await user.clear(field);
    await user.type(field, '12.5{Enter}');
    expect(set.mock.calls).toEqual([['ctrl.creepSpeed', 12.5]]);
  });
  test('a knob follows the arrow keys, in larger steps with shift, and stays within its ends', () => {
    show({ kind: 'knob', label: 'Creep', target: 'ctrl.creepSpeed', min: 0, max: 17 });
    const knob = screen.getByRole('slider', { name: 'Creep' });
    expect(knob).toHaveAttribute('aria-valuenow', '16');
    fireEvent.keyDown(knob, { key: 'ArrowUp' });
    fireEvent.keyDown(knob, { key: 'ArrowDown', shiftKey: true });
    fireEvent.keyDown(knob, { key: 'ArrowUp', shiftKey: true });
    fireEvent.keyDown(knob, { key: 'a' });
    expect(set.mock.calls.map(([, x]) => x as number)).toEqual([expect.closeTo(16.34, 9), expect.closeTo(14.3, 9), 17]);
  });
});

describe('what shows the moment of the cursor', () => {
  test('a readout in its unit, a meter with its ends, a dial that tells when it is passed', () => {
    const { container } = show({ kind: 'readout', label: 'Speed', target: 'spindle.speed', unit: 'rpm' });
    expect(container).toHaveTextContent(/^Speed14\.\d+ rpm$/);
    show({ kind: 'level', label: 'Winding', target: 'spindle.temperature', unit: 'degC', min: 20, max: 120 });
    expect(screen.getByRole('meter', { name: 'Winding' })).toHaveAttribute('aria-valuemax', '120');
    at(0.75);
    const dial = show({ kind: 'dial', label: 'Turning', target: 'spindle.speed', min: 0, max: 20 });
    expect(dial.container.querySelector('.dial-value')).toHaveClass('over');
  });
  test('a lamp follows a state by its whole path, or any condition', () => {
    const lamp = (target: string): string => {
      const { container, unmount } = show({ kind: 'lamp', label: 'L', target });
      const text = container.textContent!;
      unmount();
      return text.trim();
    };
    at(1);
    expect(lamp('in(ctrl.mode.Running)')).toBe('L on');
    expect(lamp('in(ctrl.mode.Running.Turning.Creep)')).toBe('L on');
    expect(lamp('in(ctrl.mode.Fault)')).toBe('L off');
    expect(lamp('spindle.speed > 5')).toBe('L on');
    at(0.01);
    expect(lamp('spindle.speed > 5')).toBe('L off');
  });
  test('a verdict has not failed before it fails', () => {
    const { container } = show({ kind: 'verdict', label: 'Torque', target: 'CAP-02' });
    at(1.05);
    const early = render(<ControlView control={newControl('v', 'verdict', 'Torque', 'CAP-02', 0, 0)} live={false} />);
    expect(early.container).toHaveTextContent('holds until now');
    at(1.5);
    const late = render(<ControlView control={newControl('w', 'verdict', 'Torque', 'CAP-02', 0, 0)} live={false} />);
    expect(late.container).toHaveTextContent('fails by 0.0627 N.m');
    expect(container).toHaveTextContent('Torque · CAP-02');
  });
  test('pieces of a picture follow formulas, are shown while their condition holds, and can be pressed', async () => {
    const shape = {
      id: 's',
      kind: 'box' as const,
      x: 'spindle.speed',
      y: '5',
      width: '10',
      height: '4',
      turn: '',
      shown: '',
      tone: 'accent' as const,
      text: '',
      sends: '',
    };
    const { container } = show({
      kind: 'picture',
      label: 'Head',
      width: 100,
      height: 50,
      shapes: [
        shape,
        { ...shape, id: 'hidden', shown: 'spindle.speed > 1e6' },
        { ...shape, id: 'press', kind: 'words', text: 'Stop', sends: 'panel.stop' },
      ],
    });
    const box = container.querySelector('[data-shape="s"] rect')!;
    expect(Number(box.getAttribute('x'))).toBeCloseTo(1.54, 1);
    expect(container.querySelector('[data-shape="hidden"]')).toBeNull();
    await userEvent.setup().click(screen.getByRole('button', { name: 'Stop' }));
    fireEvent.keyDown(screen.getByRole('button', { name: 'Stop' }), { key: 'Enter' });
    expect(sent.mock.calls).toEqual([['panel.stop'], ['panel.stop']]);
  });
});
