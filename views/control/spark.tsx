'use client';
import { memo, useMemo } from 'react';
import { useRuns } from '@/store/run-store';
import { reducePoints } from '@/ui/ribbon/reduce';
import { elementsOf } from '@/ui/moment';
import { useThrottled } from '@/ui/use-throttled';

const width = 100,
  height = 30,
  margin = 2;

/** Lines through points, scaled into a box of 100 by 30. */
export function curvePath(
  points: readonly { readonly x: number; readonly y: number }[],
  from: number,
  to: number,
): string {
  const shown = points.filter((p) => Number.isFinite(p.y));
  if (shown.length === 0 || !(to > from)) return '';
  let [low, high] = [Infinity, -Infinity];
  for (const { y } of shown) {
    low = Math.min(low, y);
    high = Math.max(high, y);
  }
  const isLevel = high - low <= 1e-12 * Math.max(1, Math.abs(high));
  const y = (v: number): number =>
    isLevel ? height / 2 : height - margin - ((v - low) / (high - low)) * (height - 2 * margin);
  const x = (t: number): number => ((t - from) / (to - from)) * width;
  return shown.map((p, k) => `${k === 0 ? 'M' : 'L'}${x(p.x).toFixed(2)} ${y(p.y).toFixed(2)}`).join('');
}

/** How a quantity was in the last run, with the cursor. */
export const Spark = memo(function Spark({ name }: { readonly name: string }) {
  const run = useRuns((s) => s.current);
  const version = useRuns((s) => s.version);
  const shown = useThrottled(version, 300);
  const data = run?.data;
  const from = data && data.rows > 0 ? data.time[0] : 0;
  const to = run ? Math.max(run.stop, data && data.rows > 0 ? data.time[data.rows - 1] : 0) : 0;
  const path = useMemo(
    () =>
      data
        ? (data.columns.has(name) ? [name] : elementsOf(run, name))
            .map((x) =>
              curvePath(
                reducePoints(data, x, from, to, 90, (v) => v),
                from,
                to,
              ),
            )
            .join('')
        : '',
    // what is recorded grows in place
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [data, name, from, to, shown],
  );
  const at = useRuns((s) => (to > from ? Math.round(((s.cursor - from) / (to - from)) * 200) / 2 : -1));
  if (path === '') return null;
  return (
    <svg className="spark" viewBox={`0 0 ${width} ${height}`} preserveAspectRatio="none" aria-hidden>
      <path d={path} />
      {at >= 0 && at <= width && <line x1={at} x2={at} y1={0} y2={height} />}
    </svg>
  );
});
