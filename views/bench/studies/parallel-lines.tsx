'use client';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { Verdict } from '@/core/verdicts/finding';
import { usePlace } from '@/store/place-store';
import { formatNumber, withUnit } from '@/ui/format';
import { plotFont, plotInks } from '@/ui/plot-look';

/** A line for each run across one upright axis for each value, the last ones for what came of it (Inselberg 1985). */
export interface ParallelAxis {
  readonly name: string;
  readonly unit: string;
  readonly of: (row: number) => number;
  /** Drawn across it: where the margin ends. */
  readonly zero?: boolean;
}

interface Props {
  readonly label: string;
  readonly axes: readonly ParallelAxis[];
  readonly rows: readonly number[];
  readonly verdictOf: (row: number) => Verdict | undefined;
  readonly height: number;
  readonly chosen: number;
  readonly onChoose: (row: number) => void;
  readonly onOpen: (row: number) => void;
}

const mostLines = 1500;
const [top, bottom, side] = [34, 16, 46];

export function ParallelLines({ label, axes, rows, verdictOf, height, chosen, onChoose, onOpen }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const theme = usePlace((s) => s.theme);
  useEffect(() => {
    if (!box.current) return;
    const observer = new ResizeObserver(() => setWidth(box.current?.clientWidth ?? 0));
    observer.observe(box.current);
    return () => observer.disconnect();
  }, []);
  const shown = useMemo(() => {
    const every = Math.ceil(rows.length / mostLines);
    return every <= 1 ? rows : rows.filter((_, k) => k % every === 0);
  }, [rows]);
  const spans = useMemo(
    () =>
      axes.map((a) => {
        const all = shown.map(a.of).filter(Number.isFinite);
        const [low, high] = all.reduce(([l, h], x) => [Math.min(l, x), Math.max(h, x)], [Infinity, -Infinity]);
        const [l, h] = a.zero ? [Math.min(low, 0), Math.max(high, 0)] : [low, high];
        return l < h ? ([l, h] as const) : ([l - 0.5, h + 0.5] as const);
      }),
    [axes, shown],
  );
  const xAt = (k: number): number => side + (k * (width - 2 * side)) / Math.max(1, axes.length - 1);
  const yAt = (k: number, value: number): number =>
    top + (1 - (value - spans[k][0]) / (spans[k][1] - spans[k][0])) * (height - top - bottom);
  useEffect(() => {
    const el = canvas.current;
    const ctx = el?.getContext('2d');
    if (!el || !ctx || width === 0) return;
    const scale = window.devicePixelRatio || 1;
    el.width = width * scale;
    el.height = height * scale;
    ctx.setTransform(scale, 0, 0, scale, 0, 0);
    ctx.clearRect(0, 0, width, height);
    const colour = plotInks();
    const line = (row: number): void => {
      ctx.beginPath();
      let isOpen = false;
      axes.forEach((a, k) => {
        const y = yAt(k, a.of(row));
        if (!Number.isFinite(y)) {
          isOpen = false;
          return;
        }
        if (isOpen) ctx.lineTo(xAt(k), y);
        else ctx.moveTo(xAt(k), y);
        isOpen = true;
      });
      ctx.stroke();
    };
    // what fails lies on top, and is dashed
    ctx.globalAlpha = shown.length > 200 ? 0.25 : 0.55;
    const inks = { holds: '--good', fails: '--bad', undecided: '--open' } as const;
    for (const verdict of ['undecided', 'holds', 'fails'] as const) {
      ctx.strokeStyle = colour(inks[verdict]);
      ctx.setLineDash(verdict === 'fails' ? [5, 3] : []);
      for (const row of shown) if ((verdictOf(row) ?? 'undecided') === verdict) line(row);
    }
    ctx.globalAlpha = 1;
    ctx.setLineDash([]);
    ctx.font = `10px ${plotFont}`;
    axes.forEach((a, k) => {
      const x = xAt(k);
      ctx.strokeStyle = colour('--ink-3');
      ctx.lineWidth = 1;
      ctx.beginPath();
      ctx.moveTo(x, top);
      ctx.lineTo(x, height - bottom);
      ctx.stroke();
      if (a.zero) {
        ctx.beginPath();
        ctx.moveTo(x - 7, yAt(k, 0));
        ctx.lineTo(x + 7, yAt(k, 0));
        ctx.stroke();
      }
      ctx.textAlign = k === 0 ? 'left' : k === axes.length - 1 ? 'right' : 'center';
      const left = k === 0 ? 4 : k === axes.length - 1 ? width - 4 : x;
      ctx.fillStyle = colour('--ink');
      const room = (width - 2 * side) / Math.max(1, axes.length - 1) - 12;
      ctx.fillText(fitted(ctx, a.name, k === 0 || k === axes.length - 1 ? room / 2 + side : room), left, 10);
      ctx.fillStyle = colour('--ink-2');
      const most = formatNumber(spans[k][1], 3);
      const withIt = withUnit(most, a.unit);
      ctx.fillText(ctx.measureText(withIt).width <= room ? withIt : most, left, 24);
      ctx.fillText(formatNumber(spans[k][0], 3), left, height - 4);
    });
    if (chosen >= 0) {
      ctx.strokeStyle = colour('--now');
      ctx.lineWidth = 2.5;
      line(chosen);
    }
    // the functions of places follow from what is listed
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [axes, shown, spans, width, height, chosen, theme, verdictOf]);
  const press = (e: PointerEvent): void => {
    const bounds = canvas.current?.getBoundingClientRect();
    if (!bounds || axes.length < 2) return;
    const [px, py] = [e.clientX - bounds.left, e.clientY - bounds.top];
    const gap = (width - 2 * side) / (axes.length - 1);
    const k = Math.min(axes.length - 2, Math.max(0, Math.floor((px - side) / gap)));
    const t = (px - xAt(k)) / gap;
    let [best, least] = [-1, 14];
    for (const row of shown) {
      const y = yAt(k, axes[k].of(row)) * (1 - t) + yAt(k + 1, axes[k + 1].of(row)) * t;
      if (Math.abs(y - py) < least) [best, least] = [row, Math.abs(y - py)];
    }
    if (best >= 0) onChoose(best);
  };
  const keys = (e: KeyboardEvent): void => {
    if (e.key === 'Enter' && chosen >= 0) onOpen(chosen);
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (step === undefined || rows.length === 0) return;
    e.preventDefault();
    e.stopPropagation();
    const k = rows.indexOf(chosen);
    onChoose(rows[k < 0 ? 0 : Math.min(rows.length - 1, Math.max(0, k + step))]);
  };
  return (
    <div
      ref={box}
      className="run-plot"
      style={{ height }}
      role="slider"
      aria-label={`${label}: a line is a run; arrow keys go from run to run, Enter opens it`}
      aria-valuemin={0}
      aria-valuemax={Math.max(0, rows.length - 1)}
      aria-valuenow={Math.max(0, rows.indexOf(chosen))}
      tabIndex={0}
      onKeyDown={keys}
      onPointerDown={press}
      onDoubleClick={() => chosen >= 0 && onOpen(chosen)}
    >
      <canvas ref={canvas} style={{ width: '100%', height }} />
    </div>
  );
}

/** As much of a text as there is room for: the last pieces of a path say most. */
function fitted(ctx: CanvasRenderingContext2D, text: string, room: number): string {
  const pieces = text.split('.');
  for (let k = 0; k < pieces.length; k++) {
    const one = pieces.slice(k).join('.');
    if (ctx.measureText(one).width <= room) return one;
  }
  const last = pieces.at(-1)!;
  for (let n = last.length - 1; n > 2; n--) {
    const one = `${last.slice(0, n)}…`;
    if (ctx.measureText(one).width <= room) return one;
  }
  return '';
}
