'use client';
import { Chart, LinearScale, LineElement, PointElement, ScatterController, type ChartDataset } from 'chart.js';
import { useEffect, useMemo, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import type { Verdict } from '@/core/verdicts/finding';
import { usePlace } from '@/store/place-store';
import { dataSpan, plotAxis, plotFont, plotInks } from '@/ui/plot-look';

Chart.register(LinearScale, LineElement, PointElement, ScatterController);

/** A run as a point: its row in the table, where it stands, and what it says. */
export interface RunPoint {
  readonly row: number;
  readonly x: number;
  readonly y: number;
  readonly verdict: Verdict | undefined;
}

export interface PlotMark {
  readonly axis: 'x' | 'y';
  readonly at: number;
  readonly name: string;
}

interface Props {
  readonly label: string;
  readonly points: readonly RunPoint[];
  readonly xName: string;
  readonly yName: string;
  readonly height: number;
  /** Joins them in the order of x. */
  readonly isLine?: boolean;
  readonly marks?: readonly PlotMark[];
  /** Fills what is behind the points, such as a map of margins. */
  readonly ground?: (chart: Chart, colour: (name: string) => string) => void;
  readonly chosen: number;
  readonly onChoose: (row: number) => void;
  /** By a double press, or with Enter. */
  readonly onOpen?: ((row: number) => void) | undefined;
}

type At = { x: number; y: number };
const axisWith = (axis: ReturnType<typeof plotAxis>) => ({ ...axis, ticks: { ...axis.ticks, includeBounds: false } });

/** More points than anybody can tell apart are thinned. */
const mostPoints = 4000;

const looks: readonly (readonly [verdict: Verdict | undefined, ink: string, style: 'circle' | 'crossRot' | 'rect'])[] =
  [
    ['holds', '--good', 'circle'],
    ['fails', '--bad', 'crossRot'],
    ['undecided', '--open', 'rect'],
    [undefined, '--line-1', 'circle'],
  ];

/** Every run a point, with a shape for its verdict; one is chosen by a press or with the arrow keys. */
export function RunPlot({
  label,
  points,
  xName,
  yName,
  height,
  isLine = false,
  marks = [],
  ground,
  chosen,
  onChoose,
  onOpen,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'scatter', At[]>>(undefined);
  const chosenAt = useRef<RunPoint>(undefined);
  const theme = usePlace((s) => s.theme);
  const sorted = useMemo(
    () => points.filter((p) => Number.isFinite(p.x) && Number.isFinite(p.y)).sort((a, b) => a.x - b.x || a.y - b.y),
    [points],
  );
  const shown = useMemo(() => {
    const every = Math.ceil(sorted.length / mostPoints);
    return every <= 1 ? sorted : sorted.filter((_, k) => k % every === 0);
  }, [sorted]);
  const isMap = ground !== undefined;
  const drawing = useRef({ marks, ground });
  drawing.current = { marks, ground };
  useEffect(() => {
    if (!canvas.current) return;
    const colour = plotInks();
    Chart.defaults.font.family = plotFont;
    Chart.defaults.font.size = 10;
    const made = new Chart<'scatter', At[]>(canvas.current, {
      type: 'scatter',
      data: { datasets: [] },
      options: {
        responsive: true,
        maintainAspectRatio: false,
        animation: false,
        parsing: false,
        normalized: true,
        events: [],
        scales: {
          x: axisWith(plotAxis(colour, xName)),
          y: {
            ...axisWith(plotAxis(colour, yName)),
            ...(!isMap && { grace: '8%' }),
            // plots below each other begin at the same place
            afterFit: (scale) => void (scale.width = Math.max(scale.width, 56)),
          },
        },
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
      },
      plugins: [
        {
          id: 'ground',
          beforeDatasetsDraw: (c) => drawing.current.ground?.(c, colour),
          afterDraw(c) {
            const { ctx, chartArea: area, scales } = c;
            ctx.save();
            ctx.font = `10px ${plotFont}`;
            for (const m of drawing.current.marks) {
              const p = scales[m.axis].getPixelForValue(m.at);
              const [low, high] = m.axis === 'x' ? [area.left, area.right] : [area.top, area.bottom];
              if (!(p >= low && p <= high)) continue;
              ctx.strokeStyle = colour('--ink-3');
              ctx.setLineDash([3, 3]);
              ctx.beginPath();
              if (m.axis === 'x') {
                ctx.moveTo(p, area.top);
                ctx.lineTo(p, area.bottom);
              } else {
                ctx.moveTo(area.left, p);
                ctx.lineTo(area.right, p);
              }
              ctx.stroke();
              if (m.name === '') continue;
              ctx.fillStyle = colour('--ink-2');
              const wide = ctx.measureText(m.name).width;
              if (m.axis === 'x') ctx.fillText(m.name, p + 4 + wide > area.right ? p - 4 - wide : p + 4, area.top + 10);
              else ctx.fillText(m.name, area.left + 4, p - 3);
            }
            const one = chosenAt.current;
            if (one) {
              ctx.setLineDash([]);
              ctx.strokeStyle = colour('--now');
              ctx.lineWidth = 2;
              ctx.beginPath();
              ctx.arc(scales.x.getPixelForValue(one.x), scales.y.getPixelForValue(one.y), 8, 0, 2 * Math.PI);
              ctx.stroke();
            }
            ctx.restore();
          },
        },
      ],
    });
    chart.current = made;
    return () => {
      chart.current = undefined;
      made.destroy();
    };
  }, [xName, yName, theme, isMap]);
  useEffect(() => {
    const made = chart.current;
    if (!made) return;
    const colour = plotInks();
    const small = shown.length > 400;
    const at = ({ x, y }: RunPoint): At => ({ x, y });
    made.data.datasets = [
      ...(isLine
        ? [
            {
              data: shown.map(at),
              showLine: true,
              pointRadius: 0,
              borderColor: colour('--ink-3'),
              borderWidth: 1.2,
              order: 2,
            } satisfies ChartDataset<'scatter', At[]>,
          ]
        : []),
      ...looks.map(([verdict, ink, style]): ChartDataset<'scatter', At[]> => ({
        data: shown.filter((p) => p.verdict === verdict).map(at),
        pointStyle: style,
        pointRadius: small ? 2 : style === 'crossRot' ? 4.5 : 3.5,
        pointBorderColor: colour(ink),
        pointBackgroundColor: style === 'rect' ? 'transparent' : colour(ink),
        pointBorderWidth: style === 'crossRot' ? 1.8 : 1,
        order: 1,
      })),
    ];
    const scales = made.options.scales!;
    const room = isMap ? 0.6 / Math.max(2, Math.sqrt(shown.length)) : 0.04;
    Object.assign(
      scales.x!,
      { min: undefined, max: undefined },
      dataSpan(
        shown.map((p) => p.x),
        room,
      ),
    );
    if (isMap)
      Object.assign(
        scales.y!,
        { min: undefined, max: undefined },
        dataSpan(
          shown.map((p) => p.y),
          room,
        ),
      );
    made.update('none');
  }, [shown, isLine, isMap, xName, yName, theme]);
  useEffect(() => {
    chosenAt.current = sorted.find((p) => p.row === chosen);
    chart.current?.draw();
  }, [chosen, sorted, marks, ground]);
  const press = (e: PointerEvent): void => {
    const c = chart.current;
    const box = canvas.current?.getBoundingClientRect();
    if (!c || !box) return;
    let best: RunPoint | undefined;
    let least = 24;
    for (const p of sorted) {
      const d = Math.hypot(
        c.scales.x.getPixelForValue(p.x) - (e.clientX - box.left),
        c.scales.y.getPixelForValue(p.y) - (e.clientY - box.top),
      );
      if (d < least) [best, least] = [p, d];
    }
    if (best) onChoose(best.row);
  };
  const keys = (e: KeyboardEvent): void => {
    if (e.key === 'Enter' && chosen >= 0) onOpen?.(chosen);
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (step === undefined || sorted.length === 0) return;
    e.preventDefault();
    e.stopPropagation();
    const k = sorted.findIndex((p) => p.row === chosen);
    const next = k < 0 ? (step > 0 ? 0 : sorted.length - 1) : Math.min(sorted.length - 1, Math.max(0, k + step));
    onChoose(sorted[next].row);
  };
  return (
    <figure className="run-plot m-0">
      <div
        style={{ height, position: 'relative' }}
        role="slider"
        aria-label={`${label}: a point is a run; arrow keys go from run to run${onOpen ? ', Enter opens it' : ''}`}
        aria-valuemin={0}
        aria-valuemax={Math.max(0, sorted.length - 1)}
        aria-valuenow={Math.max(
          0,
          sorted.findIndex((p) => p.row === chosen),
        )}
        tabIndex={0}
        onKeyDown={keys}
        onPointerDown={press}
        onDoubleClick={() => chosen >= 0 && onOpen?.(chosen)}
      >
        <canvas ref={canvas} />
      </div>
      {shown.length < sorted.length && (
        <figcaption className="quiet small">
          {shown.length.toLocaleString('en')} of {sorted.length.toLocaleString('en')} runs are drawn; all of them can be
          chosen.
        </figcaption>
      )}
    </figure>
  );
}
