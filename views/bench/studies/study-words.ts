import type { Study } from '@/core/project/project';
import { readRange, readSpan } from '@/core/studies/design';
import { formatNumber, withUnit } from '@/ui/format';

/** What a range says, in words; empty where it cannot be read. */
export function rangeWords(range: string, kind: Study['kind'], unit: string): string {
  const show = (x: number): string => formatNumber(x, 4);
  if (kind !== 'vary') {
    const span = readSpan(range);
    return typeof span === 'string' ? '' : withUnit(`between ${show(span.low)} and ${show(span.high)}`, unit);
  }
  const { value: v } = readRange('x', range);
  if (!v) return '';
  if (v.kind === 'list') return withUnit(v.values.length === 1 ? 'one value' : `${v.values.length} values`, unit);
  if (v.kind === 'range')
    return v.count === 1
      ? withUnit('one value', unit)
      : `${v.count} values, ${withUnit(show((v.to - v.from) / (v.count - 1)), unit)} apart`;
  const { of } = v;
  switch (of.kind) {
    case 'normal':
      return `drawn: 68 % within ${withUnit(`${show(of.mean - of.deviation)} .. ${show(of.mean + of.deviation)}`, unit)}`;
    case 'lognormal':
      return `drawn: 68 % within ${withUnit(`${show(of.median / of.spread)} .. ${show(of.median * of.spread)}`, unit)}`;
    case 'uniform':
      return 'drawn: all between equally likely';
    case 'triangular':
      return `drawn: most likely ${withUnit(show(of.mode), unit)}`;
  }
}

/** A range to begin with, around a value as it is designed. */
export function proposedRange(kind: Study['kind'], nominal: number | undefined): string {
  const x = nominal ?? 0;
  const round = (v: number): string => String(Number(v.toPrecision(3)));
  const [low, high] = x === 0 ? ['0', '1'] : [round(Math.min(0.5 * x, 1.5 * x)), round(Math.max(0.5 * x, 1.5 * x))];
  return kind === 'vary' ? `${low}:${high}:11` : `${low}:${high}`;
}

/** Time that is left, in words. */
export function leftWords(done: number, of: number, since: number, now: number): string {
  if (done === 0 || of === 0) return '';
  const left = ((now - since) / done) * (of - done);
  const s = left / 1000;
  return s < 1.5
    ? 'nearly done'
    : s < 120
      ? `${Math.ceil(s)} s left`
      : s < 7200
        ? `${Math.round(s / 60)} min left`
        : `${Math.round(s / 3600)} h left`;
}

/** Bytes in words. */
export const sizeWords = (bytes: number): string =>
  bytes < 1000
    ? `${bytes} B`
    : bytes < 1e6
      ? `${formatNumber(bytes / 1e3, 2)} kB`
      : `${formatNumber(bytes / 1e6, 2)} MB`;
