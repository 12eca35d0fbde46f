'use client';
import { Chart, LinearScale, LineController, LineElement, PointElement, type ChartDataset } from 'chart.js';
import { memo, useEffect, useRef, useState } from 'react';
import { convertValue, sameDimension, unitOrUndefined } from '@/core/language/units';
import type { RunData } from '@/store/run-data';
import { formatNumber } from '../format';
import { marks, toPixels, useTimeAxis, valueAxisWidth } from './axis';
import { sameUnitKind } from './unit-groups';
import { reducePoints, type Point } from './reduce';

Chart.register(LinearScale, LineController, LineElement, PointElement);

export const lineColour = (k: number): string => `var(--line-${(k % 5) + 1})`;

/** A limit in the plot: where it stands, while it is looked at. */
export interface PlotLimit {
  readonly key: string;
  readonly name: string;
  /** In the unit of the quantity. */
  readonly value: number;
  readonly spans: readonly (readonly [from: number, to: number])[];
}

interface Props {
  readonly items: readonly string[];
  /** Unit of the axis on the left, and of what has another dimension on the right. */
  readonly unit: string;
  readonly second: string | undefined;
  readonly limits: readonly PlotLimit[];
  readonly height: number;
  readonly data: RunData | undefined;
  readonly earlier: RunData | undefined;
  readonly version: number;
  readonly theme: string;
}

/** Curves of one track, the earlier run behind the new one as a dashed ghost. Drawn only while it can be seen. */
export const QuantityPlot = memo(function QuantityPlot(props: Props) {
  const { items, unit, second, limits, height, data, earlier, version, theme } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', Point[]>>(undefined);
  const axis = useTimeAxis();
  const [visible, setVisible] = useState(true);
  const [named, setNamed] = useState<readonly { readonly key: string; readonly left: number; readonly top: number }[]>(
    [],
  );
  useEffect(() => {
    if (!canvas.current || typeof IntersectionObserver === 'undefined') return;
    // several changes may be told at once: the last one counts
    const observer = new IntersectionObserver((entries) => setVisible(entries.at(-1)!.isIntersecting), {
      rootMargin: '60px',
    });
    observer.observe(canvas.current);
    return () => observer.disconnect();
  }, []);

  useEffect(() => {
    if (!canvas.current) return;
    Chart.defaults.font.family = "'JetBrains Mono Variable', monospace";
    Chart.defaults.font.size = 10;
    const made = new Chart<'line', Point[]>(canvas.current, {
      type: 'line',
      data: { datasets: [] },
      options: {
        responsive: false,
        maintainAspectRatio: false,
        animation: false,
        parsing: false,
        normalized: true,
        events: [],
        layout: { padding: { top: 4, bottom: 4, left: 0, right: 0 } },
        elements: { point: { radius: 0 }, line: { borderWidth: 1.5, tension: 0 } },
        scales: {
          x: {
            type: 'linear',
            display: true,
            ticks: { display: false },
            border: { display: false },
            grid: { drawTicks: false },
          },
          y: {
            type: 'linear',
            afterFit: (scale) => {
              scale.width = valueAxisWidth;
            },
            border: { display: false },
            grid: { drawTicks: false },
            ticks: { maxTicksLimit: 4, padding: 4, callback: (value) => formatNumber(Number(value), 3) },
            title: { display: true, text: '', padding: 0, font: { size: 10 } },
            grace: '6%',
          },
          // inside the plot, so that all plots share one time axis
          y2: {
            type: 'linear',
            position: 'right',
            display: false,
            afterFit: (scale) => {
              scale.width = 0;
            },
            border: { display: false },
            grid: { display: false },
            ticks: {
              maxTicksLimit: 4,
              padding: 4,
              mirror: true,
              z: 1,
              callback: (value) => formatNumber(Number(value), 3),
            },
            grace: '6%',
          },
        },
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
      },
    });
    chart.current = made;
    return () => made.destroy();
  }, []);

  useEffect(() => {
    const c = chart.current;
    if (!c || !visible) return;
    const css = getComputedStyle(document.documentElement);
    const colour = (name: string): string => css.getPropertyValue(name).trim();
    const target = unitOrUndefined(unit);
    const other = second === undefined ? undefined : unitOrUndefined(second);
    /** Whether a quantity belongs to the axis on the right, and how it is brought to the unit of its axis. */
    const axisOf = (source: RunData, name: string): { right: boolean; convert: (v: number) => number } => {
      const text = source.columns.get(name)?.unit ?? '';
      const own = unitOrUndefined(text);
      const right = second !== undefined && !sameUnitKind(text, unit);
      const to = right ? other : target;
      const fits = own && to && sameDimension(own, to);
      return { right, convert: fits ? (v) => convertValue(v, own, to) : (v) => v };
    };
    const dataset = (source: RunData, name: string, k: number, ghost: boolean): ChartDataset<'line', Point[]> => {
      const { right, convert } = axisOf(source, name);
      return {
        yAxisID: right ? 'y2' : 'y',
        data: reducePoints(source, name, axis.from, axis.to, Math.max(50, axis.width), convert),
        borderColor: colour(`--line-${(k % 5) + 1}`) + (ghost ? '88' : ''),
        borderDash: ghost ? [5, 4] : [],
        borderWidth: ghost ? 1.2 : 1.6,
        order: ghost ? 1 : 0,
      };
    };
    c.data.datasets = [
      ...(data ? items.map((name, k) => dataset(data, name, k, false)) : []),
      ...(earlier ? items.map((name, k) => dataset(earlier, name, k, true)) : []),
      ...(data
        ? limits.map((l): ChartDataset<'line', Point[]> => {
            const { right, convert } = axisOf(data, l.name);
            const y = convert(l.value);
            return {
              yAxisID: right ? 'y2' : 'y',
              data: l.spans.flatMap(([from, to]) => [
                { x: from, y },
                { x: to, y },
                { x: to, y: NaN },
              ]),
              borderColor: colour('--bad'),
              borderDash: [2, 3],
              borderWidth: 1.2,
              spanGaps: false,
              order: 2,
            };
          })
        : []),
    ];
    const right = c.options.scales!.y2 as { display: boolean; ticks: { color?: string } };
    right.display = second !== undefined;
    const firstRight = data ? items.findIndex((name) => axisOf(data, name).right) : -1;
    right.ticks.color = firstRight < 0 ? colour('--ink-2') : colour(`--line-${(firstRight % 5) + 1}`);
    const x = c.options.scales!.x!;
    x.min = axis.from;
    x.max = axis.to;
    const at = marks(axis.from, axis.to, axis.width / 90);
    (x as { afterBuildTicks?: (scale: { ticks: { value: number }[] }) => void }).afterBuildTicks = (scale) =>
      (scale.ticks = at.map((value) => ({ value })));
    (x.grid as { color?: string }).color = colour('--hair');
    const y = c.options.scales!.y as {
      title: { text: string; color?: string };
      ticks: { color?: string };
      grid: { color?: string };
    };
    y.title.text = unit === '1' ? '' : unit;
    y.title.color = y.ticks.color = colour('--ink-2');
    y.grid.color = colour('--hair');
    const width = Math.max(60, axis.width + valueAxisWidth);
    if (c.width !== width || c.height !== height) c.resize(width, height);
    c.update('none');
    // limits are named at their line, left in what is seen
    const labels: { key: string; left: number; top: number }[] = [];
    for (const l of limits) {
      const span = l.spans.find(([from, to]) => to > axis.from && from < axis.to);
      if (!span || !data) continue;
      const { right: isRight, convert } = axisOf(data, l.name);
      const scale = c.scales[isRight ? 'y2' : 'y'];
      const y = scale.getPixelForValue(convert(l.value));
      if (y < 2 || y > height - 2) continue;
      const top = y < 16 ? y + 1 : y - 13;
      let left = Math.max(0, toPixels(axis, span[0])) + valueAxisWidth + 4;
      // several limits close to each other are named side by side, and each requirement once
      const near = labels.filter((o) => Math.abs(o.top - top) < 12);
      if (near.some((o) => o.key === l.key)) continue;
      for (const o of near) if (Math.abs(o.left - left) < 60) left = o.left + o.key.length * 6.5 + 8;
      labels.push({ key: l.key, left, top });
    }
    setNamed((before) => (JSON.stringify(before) === JSON.stringify(labels) ? before : labels));
  }, [items, unit, second, limits, height, data, earlier, version, axis, theme, visible]);

  return (
    <div style={{ position: 'relative' }}>
      <canvas
        ref={canvas}
        height={height}
        style={{ display: 'block' }}
        role="img"
        aria-label={`Curves of ${items.join(', ')}`}
      />
      {named.map((l, k) => (
        <span key={k} className="limit-name" style={{ left: l.left, top: l.top }}>
          {l.key}
        </span>
      ))}
    </div>
  );
});
