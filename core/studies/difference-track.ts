import { valueOver } from './measured';

/** The difference of two courses where both have values: b minus a, with the largest of what lies between two points that are drawn. */
export function differenceTrack(
  a: { readonly time: Float64Array; readonly values: Float64Array },
  b: { readonly time: Float64Array; readonly values: Float64Array; readonly moved: number },
  most: number,
): { readonly time: readonly number[]; readonly values: readonly number[] } {
  const moved = b.time.map((t) => t + b.moved);
  const from = Math.max(a.time[0], moved[0]);
  const to = Math.min(a.time.at(-1)!, moved.at(-1)!);
  const times = [...new Set([...a.time, ...moved].filter((t) => t >= from && t <= to))].sort((x, y) => x - y);
  const all = times.map((t) => valueOver(moved, b.values, t) - valueOver(a.time, a.values, t));
  const every = Math.max(1, Math.ceil(times.length / most));
  const time: number[] = [];
  const values: number[] = [];
  for (let k = 0; k < times.length; k += every) {
    let best = k;
    for (let j = k; j < Math.min(k + every, times.length); j++)
      if (Math.abs(all[j]) > Math.abs(all[best]) || !Number.isFinite(all[best])) best = j;
    time.push(times[best]);
    values.push(all[best]);
  }
  return { time, values };
}
