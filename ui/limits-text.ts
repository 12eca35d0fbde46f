import type { Problem } from '@/core/language/diagnostics';
import type { Quantity } from '@/core/project/project';

/** Limits of a quantity in one field. */
export const limitsText = ({ min, max }: Pick<Quantity, 'min' | 'max'>): string =>
  min || max ? `${min} .. ${max}`.trim() : '';

export function readLimits(text: string): Pick<Quantity, 'min' | 'max'> | Problem {
  const [min, max, ...rest] = text.split('..').map((x) => x.trim());
  return rest.length > 0 || (text.trim() !== '' && max === undefined)
    ? { severity: 'error', code: 'limits', message: 'Limits read like 0 .. 10, 0 .. or .. 10' }
    : { min: min ?? '', max: max ?? '' };
}
