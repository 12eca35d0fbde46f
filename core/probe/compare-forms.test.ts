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
const withLine = (text: string): Project => {
  const p = lag();
  return {
    ...p,
    types: [{ ...p.types[0], signals: [{ ...p.types[0].signals[0], lines: [newSignalLine('a', text)] }] }],
  };
};
test('a transfer function in s stays the filter it is', () => {
  const of = (text: string, every: string) =>
    compareForms(withLine(text), { type: 't', sheet: 's', every, method: 'tustin', from: 'u', to: 'y' }).value!;
  const text = 'y = transfer(u, b = {0.1, 1}, a = {0.25, 0.4, 1})';
  expect(of(text, '0.01').difference).toBeLessThan(0.02);
  expect(of(text, '0.1').difference).toBeGreaterThan(2 * of(text, '0.01').difference);
});
test('what cannot be sampled that slowly, and a period that is none, are told', () => {
  const slow = compareForms(withLine('y = notch(u, w = 40)'), {
    type: 't',
    sheet: 's',
    every: '0.1',
    method: 'hold',
    from: 'u',
    to: 'y',
  });
  expect(slow.value).toBeUndefined();
  expect(slow.problems[0].message).toContain('below half that of the ticks');
  expect(compare('0', 'hold').value).toBeUndefined();
});
