'use client';
import {
  Chart,
  LinearScale,
  LineController,
  LineElement,
  LogarithmicScale,
  PointElement,
  ScatterController,
  type ChartDataset,
} from 'chart.js';
import { useEffect, useRef, useState } from 'react';
import { usePlace } from '@/store/place-store';
import { formatNumber } from './format';
import { dataSpan, plotAxis, plotFont, plotInks } from './plot-look';

Chart.register(LinearScale, LogarithmicScale, LineController, LineElement, PointElement, ScatterController);

export interface Curve {
  readonly name: string;
  readonly x: readonly number[];
  readonly y: readonly number[];
  /** Points instead of a line: crosses, rings, or small dots. */
  readonly points?: 'cross' | 'ring' | 'dot';
  readonly isDashed?: boolean;
  /** Number of the curve whose colour it shares. */
  readonly like?: number;
}

interface Props {
  readonly label: string;
  readonly curves: readonly Curve[];
  readonly xName: string;
  readonly yName: string;
  readonly height: number;
  readonly logX?: boolean;
  /** The same length for one unit on both axes. */
  readonly square?: boolean;
  /** Lines across, at values of x or y. */
  readonly marks?: readonly { readonly axis: 'x' | 'y'; readonly at: number; readonly name: string }[];
  /** Where the pointer is, for plots that lie below each other. */
  readonly at?: number | undefined;
  readonly onPoint?: (x: number | undefined) => void;
}

type Point = { x: number; y: number };

/** Curves over anything, with a readout at the pointer. */
export function XyPlot({ label, curves, xName, yName, height, logX, square, marks = [], at, onPoint }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line' | 'scatter', Point[]>>(undefined);
  const cursor = useRef<number>(undefined);
  const theme = usePlace((s) => s.theme);
  const [pointed, setPointed] = useState<number>();
  const here = at ?? pointed;
  useEffect(() => {
    if (!canvas.current) return;
    const colour = plotInks();
    const axis = (name: string, isLog: boolean) => plotAxis(colour, name, isLog);
    Chart.defaults.font.family = plotFont;
    Chart.defaults.font.size = 10;
    const made = new Chart<'line' | 'scatter', Point[]>(canvas.current, {
      type: 'line',
      data: {
        datasets: curves.map((c, k): ChartDataset<'line' | 'scatter', Point[]> => ({
          label: c.name,
          data: c.x.flatMap((x, j) => (Number.isFinite(c.y[j]) && Number.isFinite(x) ? [{ x, y: c.y[j] }] : [])),
          borderColor: colour(`--line-${((c.like ?? k) % 5) + 1}`),
          borderWidth: c.like === undefined ? 1.6 : 0.8,
          borderDash: c.isDashed ? [5, 4] : [],
          showLine: c.points === undefined,
          pointRadius: c.points === undefined ? 0 : c.points === 'dot' ? 1.4 : 5,
          pointStyle: c.points === 'cross' ? 'crossRot' : 'circle',
          pointBackgroundColor: c.points === 'dot' ? colour(`--line-${(k % 5) + 1}`) : 'transparent',
          pointBorderWidth: 1.8,
        })),
      },
      options: {
        responsive: true,
        maintainAspectRatio: square ?? false,
        ...(square && { aspectRatio: 1.25 }),
        animation: false,
        parsing: false,
        normalized: true,
        events: [],
        elements: { line: { tension: 0 } },
        scales: {
          // points at the edge would be cut
          x: {
            ...axis(xName, logX ?? false),
            ...(!logX &&
              curves.some((c) => c.points) &&
              (square
                ? { grace: '6%' }
                : dataSpan(
                    curves.flatMap((c) => c.x.filter(Number.isFinite)),
                    0.02,
                  ))),
          },
          y: {
            ...axis(yName, false),
            grace: '4%',
            // plots below each other begin at the same place
            afterFit: (scale) => void (scale.width = Math.max(scale.width, 46)),
          },
        },
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
      },
      plugins: [
        {
          id: 'marks',
          afterDraw(c) {
            const { ctx, chartArea: area, scales } = c;
            const line = (x1: number, y1: number, x2: number, y2: number, ink: string): void => {
              ctx.save();
              ctx.strokeStyle = colour(ink);
              ctx.lineWidth = 1;
              ctx.setLineDash([3, 3]);
              ctx.beginPath();
              ctx.moveTo(x1, y1);
              ctx.lineTo(x2, y2);
              ctx.stroke();
              ctx.restore();
            };
            for (const m of [
              ...marks,
              ...(cursor.current === undefined ? [] : [{ axis: 'x' as const, at: cursor.current, name: '' }]),
            ]) {
              const p = scales[m.axis].getPixelForValue(m.at);
              const ink = m.name === '' ? '--now' : '--ink-3';
              if (m.axis === 'x' && p >= area.left && p <= area.right) line(p, area.top, p, area.bottom, ink);
              if (m.axis === 'y' && p >= area.top && p <= area.bottom) line(area.left, p, area.right, p, ink);
              if (m.name === '') continue;
              ctx.save();
              ctx.fillStyle = colour('--ink-2');
              ctx.font = "10px 'JetBrains Mono Variable', monospace";
              if (m.axis === 'x') ctx.fillText(m.name, Math.min(p + 4, area.right - 60), area.top + 10);
              else ctx.fillText(m.name, area.left + 4, p - 3);
              ctx.restore();
            }
          },
        },
      ],
    });
    chart.current = made;
    return () => made.destroy();
  }, [curves, marks, xName, yName, logX, square, theme]);
  useEffect(() => {
    cursor.current = here;
    chart.current?.draw();
  }, [here]);
  const move = (e: React.PointerEvent): void => {
    const c = chart.current;
    const box = canvas.current?.getBoundingClientRect();
    if (!c || !box) return;
    const { left, right } = c.chartArea;
    const px = e.clientX - box.left;
    const x = px < left || px > right ? undefined : c.scales.x.getValueForPixel(px);
    setPointed(x);
    onPoint?.(x);
  };
  const nearest = (c: Curve): number => {
    let best = -1;
    c.x.forEach((x, k) => {
      if (best < 0 || Math.abs(x - here!) < Math.abs(c.x[best] - here!)) best = k;
    });
    return best;
  };
  return (
    <figure className="xy-plot">
      <div style={{ height, position: 'relative' }}>
        <canvas
          ref={canvas}
          role="img"
          aria-label={label}
          onPointerMove={move}
          onPointerLeave={() => {
            setPointed(undefined);
            onPoint?.(undefined);
          }}
        />
      </div>
      <figcaption className="num">
        {here !== undefined && (
          <span>
            {xName.split(',')[0]} {formatNumber(here, 4)}
          </span>
        )}
        {curves.map((c, k) => {
          const j = here === undefined || c.points !== undefined ? -1 : nearest(c);
          return (
            <span key={c.name} style={{ color: `var(--line-${((c.like ?? k) % 5) + 1})` }}>
              {c.points === 'cross'
                ? '× '
                : c.points === 'ring'
                  ? '○ '
                  : c.points === 'dot'
                    ? '· '
                    : c.isDashed
                      ? '┄ '
                      : '— '}
              {c.name}
              {j >= 0 && ` ${formatNumber(c.y[j], 4)}`}
            </span>
          );
        })}
      </figcaption>
    </figure>
  );
}
