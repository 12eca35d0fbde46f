import { convertValue, unitOrUndefined } from '@/core/language/units';

/** A number with enough digits to work with and no more. */
export function formatNumber(value: number | undefined, digits = 4): string {
  if (value === undefined || Number.isNaN(value)) return '–';
  if (!Number.isFinite(value)) return value > 0 ? '∞' : '−∞';
  if (value === 0 || Math.abs(value) < 1e-12) return '0';
  const size = Math.abs(value);
  const text = size >= 1e6 || size < 1e-4 ? value.toExponential(digits - 2) : String(Number(value.toPrecision(digits)));
  return text.replaceAll('-', '−');
}

export const withUnit = (text: string, unit: string): string => (unit && unit !== '1' ? `${text} ${unit}` : text);

/** A value shown in another unit of the same kind. */
export function inUnit(value: number | undefined, from: string, to: string): number | undefined {
  const [a, b] = [unitOrUndefined(from), unitOrUndefined(to)];
  return value === undefined || !a || !b ? value : convertValue(value, a, b);
}

export const formatTime = (t: number): string => `${t.toFixed(t < 100 ? 4 : 2)} s`;
