import { rowAt } from '@/core/simulate/recording';
import type { RunData } from '@/store/run-data';

export interface Point {
  readonly x: number;
  readonly y: number;
}

/**
 * The points worth drawing: for each pixel the first, least, greatest and last value, so that no peak is lost however
 * many rows lie under one pixel.
 */
export function reducePoints(
  data: RunData,
  name: string,
  from: number,
  to: number,
  pixels: number,
  convert: (value: number) => number,
): Point[] {
  const column = data.columns.get(name);
  if (!column || data.rows === 0) return [];
  const { time } = data;
  const { values } = column;
  const first = Math.max(0, rowAt(time, data.rows, from));
  const last = Math.min(data.rows - 1, rowAt(time, data.rows, to) + 1);
  const held = column.kind !== 'real' || column.isHeld === true;
  const points: Point[] = [];
  if (last - first <= pixels * 4) {
    for (let r = first; r <= last; r++) {
      if (held && r > first && values[r] !== values[r - 1]) points.push({ x: time[r], y: convert(values[r - 1]) });
      points.push({ x: time[r], y: convert(values[r]) });
    }
    return points;
  }
  const width = (to - from) / pixels;
  let r = first;
  while (r <= last) {
    const end = from + (Math.floor((time[r] - from) / width) + 1) * width;
    let low = r,
      high = r,
      stop = r;
    while (stop + 1 <= last && time[stop + 1] < end) {
      stop++;
      if (values[stop] < values[low]) low = stop;
      if (values[stop] > values[high]) high = stop;
    }
    for (const k of [...new Set([r, Math.min(low, high), Math.max(low, high), stop])])
      points.push({ x: time[k], y: convert(values[k]) });
    r = stop + 1;
  }
  return points;
}

export interface Segment {
  readonly from: number;
  readonly to: number;
  readonly value: number;
}

/** Runs of equal values of a held column inside a span. */
export function segmentsOf(data: RunData, name: string, from: number, to: number): Segment[] {
  const column = data.columns.get(name);
  if (!column || data.rows === 0) return [];
  const first = Math.max(0, rowAt(data.time, data.rows, from));
  const last = Math.min(data.rows - 1, rowAt(data.time, data.rows, to) + 1);
  const found: { from: number; to: number; value: number }[] = [];
  for (let r = first; r <= last; r++) {
    const previous = found.at(-1);
    if (previous && previous.value === column.values[r]) previous.to = data.time[r];
    else {
      if (previous) previous.to = data.time[r];
      found.push({ from: data.time[r], to: data.time[r], value: column.values[r] });
    }
  }
  return found;
}
