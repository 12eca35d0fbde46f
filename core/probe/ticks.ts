import { walk } from '../flatten/flat-expression';
import type { FlatEquation } from '../flatten/flat-model';
import type { Box } from './box';

const bindingOf = (box: Box, k: number): number => {
  const { binding } = box.model.variables[k];
  return binding?.op === 'const' ? binding.value : NaN;
};
/** Seconds between the ticks that an equation rests on. */
export function periodOf(box: Box, e: FlatEquation): number {
  let every = NaN;
  for (const side of [e.left, e.right])
    walk(side, (x) => {
      if (x.op !== 'sample') return;
      const { interval } = x;
      every = interval.op === 'const' ? interval.value : interval.op === 'var' ? bindingOf(box, interval.index) : NaN;
    });
  return every;
}
export const hasTicks = (e: FlatEquation): boolean => {
  let found = false;
  for (const side of [e.left, e.right]) walk(side, (x) => (found ||= x.op === 'sample'));
  return found;
};
