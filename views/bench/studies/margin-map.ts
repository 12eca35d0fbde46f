import type { Chart } from 'chart.js';
import { contours } from 'd3-contour';

/** Margins over a grid of two values: cells by how much room there is, and the border at which it ends. */
export interface MarginGrid {
  readonly xs: readonly number[];
  readonly ys: readonly number[];
  /** By rows of y; NaN where no run has told it. */
  readonly margins: readonly number[];
}

/** The grid that runs make together; undefined where they are none. */
export function gridOf(
  points: readonly { readonly x: number; readonly y: number; readonly z: number }[],
): MarginGrid | undefined {
  const unique = (all: readonly number[]): number[] => [...new Set(all)].sort((a, b) => a - b);
  const [xs, ys] = [unique(points.map((p) => p.x)), unique(points.map((p) => p.y))];
  if (xs.length < 2 || ys.length < 2 || xs.length * ys.length !== points.length) return undefined;
  const margins = new Array<number>(xs.length * ys.length).fill(NaN);
  for (const p of points) margins[ys.indexOf(p.y) * xs.length + xs.indexOf(p.x)] = p.z;
  return { xs, ys, margins };
}

/** The value at a place between entries of a list, counted from 0. */
function between(list: readonly number[], at: number): number {
  const k = Math.min(list.length - 2, Math.max(0, Math.floor(at)));
  return list[k] + (at - k) * (list[k + 1] - list[k]);
}

/** Lines along which the margin is zero, straight between the points of the grid. */
export function borderLines({ xs, ys, margins }: MarginGrid): readonly (readonly (readonly [number, number])[])[] {
  // points of the grid are the middles of cells there
  const filled = margins.map((m) => (Number.isNaN(m) ? -1e-12 : m));
  const { coordinates } = contours().size([xs.length, ys.length]).contour(filled, 0);
  const [w, h] = [xs.length - 0.5, ys.length - 0.5];
  const isInside = ([x, y]: readonly number[]): boolean => x >= 0.5 && x <= w && y >= 0.5 && y <= h;
  return coordinates.flatMap((polygon) =>
    polygon.flatMap((ring) => {
      const lines: (readonly [number, number])[][] = [];
      let line: (readonly [number, number])[] = [];
      for (const [x, y] of ring) {
        // what runs along the edge of the grid is no border
        if (isInside([x, y])) line.push([between(xs, x - 0.5), between(ys, y - 0.5)]);
        else {
          if (line.length > 1) lines.push(line);
          line = [];
        }
      }
      if (line.length > 1) lines.push(line);
      return lines;
    }),
  );
}

/** Draws the map behind the points of a plot. */
export function drawGrid(grid: MarginGrid): (chart: Chart, colour: (name: string) => string) => void {
  const { xs, ys, margins } = grid;
  const most = margins.reduce((m, x) => (Math.abs(x) > m ? Math.abs(x) : m), 0) || 1;
  const lines = borderLines(grid);
  /** From the middle between two values to the next middle. */
  const edges = (list: readonly number[], k: number): readonly [number, number] => [
    k === 0 ? list[0] - (list[1] - list[0]) / 2 : (list[k - 1] + list[k]) / 2,
    k === list.length - 1 ? list[k] + (list[k] - list[k - 1]) / 2 : (list[k] + list[k + 1]) / 2,
  ];
  return ({ ctx, chartArea: area, scales }, colour) => {
    ctx.save();
    ctx.beginPath();
    ctx.rect(area.left, area.top, area.right - area.left, area.bottom - area.top);
    ctx.clip();
    margins.forEach((m, k) => {
      if (Number.isNaN(m)) return;
      const [x0, x1] = edges(xs, k % xs.length).map((x) => scales.x.getPixelForValue(x));
      const [y0, y1] = edges(ys, Math.floor(k / xs.length)).map((y) => scales.y.getPixelForValue(y));
      ctx.globalAlpha = 0.12 + 0.5 * Math.sqrt(Math.abs(m) / most);
      ctx.fillStyle = colour(m < 0 ? '--bad' : '--good');
      ctx.fillRect(x0, y1, x1 - x0, y0 - y1);
    });
    ctx.globalAlpha = 1;
    ctx.strokeStyle = colour('--ink');
    ctx.lineWidth = 1.6;
    for (const line of lines) {
      ctx.beginPath();
      line.forEach(([x, y], k) => {
        const [px, py] = [scales.x.getPixelForValue(x), scales.y.getPixelForValue(y)];
        if (k === 0) ctx.moveTo(px, py);
        else ctx.lineTo(px, py);
      });
      ctx.stroke();
    }
    ctx.restore();
  };
}
