import { newSignalLine, newSignalSheet, type Project } from '../project/project';
import { projectOf, quantity } from '../testing/run-project';
import { compareForms } from './compare-forms';

const lag = (): Project =>
  projectOf({
    quantities: [quantity('u', '0', { role: 'input' }), quantity('y', '', { role: 'output' })],
    signals: [
      {
        ...newSignalSheet('s', 'S'),
        lines: [newSignalLine('a', "y = lag(u, T = 0.5 's')"), newSignalLine('b', 'w = stateSpace(u)')].slice(0, 1),
      },
    ],
  });
const compare = (every: string, method: 'hold' | 'tustin' | 'backward') =>
  compareForms(lag(), { type: 't', sheet: 's', every, method, from: 'u', to: 'y' });

test('both forms of a lag answer to a step: the finer the ticks, the smaller the difference', () => {
  const [coarse, fine] = [compare('0.1', 'backward').value!, compare('0.01', 'backward').value!];
  const step = 0.05 * fine.time.at(-1)!;
  expect(fine.time).toHaveLength(401);
  fine.time.forEach((t, k) =>
    expect(fine.continuous[k]).toBeCloseTo(t < step ? 0 : 1 - Math.exp(-(t - step) / 0.5), 4),
  );
  expect(coarse.difference).toBeGreaterThan(3 * fine.difference);
  expect(fine.difference).toBeLessThan(0.03);
});
test('what has no sampled form, and a period that is none, are told', () => {
  const p = lag();
  const other: Project = {
    ...p,
    types: [
      { ...p.types[0], signals: [{ ...p.types[0].signals[0], lines: [newSignalLine('a', 'y = notch(u, w = 20)')] }] },
    ],
  };
  const told = compareForms(other, { type: 't', sheet: 's', every: '0.1', method: 'hold', from: 'u', to: 'y' });
  expect(told.value).toBeUndefined();
  expect(told.problems[0].message).toContain('notch has no sampled form');
  expect(compare('0', 'hold').value).toBeUndefined();
});
