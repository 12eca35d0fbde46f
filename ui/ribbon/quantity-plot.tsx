'use client';
import { Chart, LinearScale, LineController, LineElement, PointElement, type ChartDataset } from 'chart.js';
import { memo, useEffect, useRef, useState } from 'react';
import { convertValue, unitOrUndefined } from '@/core/language/units';
import type { RunData } from '@/store/run-data';
import { formatNumber } from '../format';
import { marks, useTimeAxis, valueAxisWidth } from './axis';
import { reducePoints, type Point } from './reduce';

Chart.register(LinearScale, LineController, LineElement, PointElement);

export const lineColour = (k: number): string => `var(--line-${(k % 5) + 1})`;

interface Props {
  readonly items: readonly string[];
  readonly unit: string;
  readonly height: number;
  readonly data: RunData | undefined;
  readonly earlier: RunData | undefined;
  readonly version: number;
  readonly theme: string;
}

/** Curves of one track, the earlier run behind the new one as a dashed ghost. Drawn only while it can be seen. */
export const QuantityPlot = memo(function QuantityPlot({ items, unit, height, data, earlier, version, theme }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', Point[]>>(undefined);
  const axis = useTimeAxis();
  const [visible, setVisible] = useState(true);
  useEffect(() => {
    if (!canvas.current || typeof IntersectionObserver === 'undefined') return;
    const observer = new IntersectionObserver(([entry]) => setVisible(entry.isIntersecting), { rootMargin: '60px' });
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
    const dataset = (source: RunData, name: string, k: number, ghost: boolean): ChartDataset<'line', Point[]> => {
      const own = unitOrUndefined(source.columns.get(name)?.unit ?? '');
      const convert = own && target ? (v: number): number => convertValue(v, own, target) : (v: number): number => v;
      return {
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
    ];
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
  }, [items, unit, height, data, earlier, version, axis, theme, visible]);

  return (
    <canvas
      ref={canvas}
      height={height}
      style={{ display: 'block' }}
      role="img"
      aria-label={`Curves of ${items.join(', ')}`}
    />
  );
});
