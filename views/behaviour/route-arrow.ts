import { arrowPath, type Rect } from './chart-geometry';

interface Point {
  readonly x: number;
  readonly y: number;
}

/** Room an arrow keeps to a card it passes. */
const clear = 6;
const samples = 28;
/** Passing through a card is worth this much of a way round. */
const throughCard = 120;
/** Leaving the sheet that the cards take up, this much. */
const outOfSight = 45;

const inside = (p: Point, r: Rect): boolean =>
  p.x > r.x - clear && p.x < r.x + r.width + clear && p.y > r.y - clear && p.y < r.y + r.height + clear;

/** Points of a path made of one line or one cubic curve. */
export function pointsOf(path: string): Point[] {
  const n = path.match(/-?\d+(?:\.\d+)?(?:e-?\d+)?/g)!.map(Number);
  return Array.from({ length: samples + 1 }, (_, k) => {
    const s = k / samples,
      r = 1 - s;
    if (n.length === 4) return { x: r * n[0] + s * n[2], y: r * n[1] + s * n[3] };
    const mix = (j: number): number =>
      r * r * r * n[j] + 3 * r * r * s * n[2 + j] + 3 * r * s * s * n[4 + j] + s * s * s * n[6 + j];
    return { x: mix(0), y: mix(1) };
  });
}

const hits = (points: readonly Point[], obstacles: readonly Rect[]): number =>
  points.reduce((sum, p) => sum + (obstacles.some((o) => inside(p, o)) ? 1 : 0), 0);
const lengthOf = (points: readonly Point[]): number =>
  points.reduce((sum, p, k) => sum + (k === 0 ? 0 : Math.hypot(p.x - points[k - 1].x, p.y - points[k - 1].y)), 0);

const sides: readonly Point[] = [
  { x: 1, y: 0 },
  { x: -1, y: 0 },
  { x: 0, y: 1 },
  { x: 0, y: -1 },
];
const places = [0.5, 0.25, 0.75];
const reaches = [30, 70, 130, 210];

/** Where an arrow may leave or reach a card. */
function gates(r: Rect, shift: number): { readonly at: Point; readonly way: Point }[] {
  return sides.flatMap((way) =>
    places.map((s) => ({
      way,
      at:
        way.x !== 0
          ? { x: way.x > 0 ? r.x + r.width : r.x, y: r.y + s * r.height + (s === 0.5 ? shift : 0) }
          : { x: r.x + s * r.width + (s === 0.5 ? shift : 0), y: way.y > 0 ? r.y + r.height : r.y },
    })),
  );
}

/**
 * An arrow between two cards that goes round the cards in between: the usual one where it is free, else the shortest of a set of curves
 * that passes through the fewest. Its label stands where no card is.
 */
export function routeArrow(
  a: Rect,
  b: Rect,
  shift: number,
  obstacles: readonly Rect[],
  sheet?: Rect,
): { path: string; x: number; y: number } {
  const usual = arrowPath(a, b, shift);
  const contains = (outer: Rect, inner: Rect): boolean =>
    outer.x <= inner.x &&
    outer.y <= inner.y &&
    outer.x + outer.width >= inner.x + inner.width &&
    outer.y + outer.height >= inner.y + inner.height;
  if (obstacles.length === 0 || contains(a, b) || contains(b, a)) return usual;
  const straight = pointsOf(usual.path);
  if (hits(straight, obstacles) === 0) return usual;
  let best = { path: usual.path, points: straight, cost: hits(straight, obstacles) * throughCard + lengthOf(straight) };
  const around = [...obstacles, a, b];
  const outside = (points: readonly Point[]): number =>
    sheet ? points.reduce((sum, p) => sum + (inside(p, sheet) ? 0 : 1), 0) : 0;
  for (const p of gates(a, shift)) {
    for (const q of gates(b, shift)) {
      // a way that cannot be shorter need not be looked at
      if (Math.hypot(q.at.x - p.at.x, q.at.y - p.at.y) > best.cost) continue;
      for (const reach of reaches) {
        const path = `M ${p.at.x} ${p.at.y} C ${p.at.x + p.way.x * reach} ${p.at.y + p.way.y * reach} ${q.at.x + q.way.x * reach} ${q.at.y + q.way.y * reach} ${q.at.x} ${q.at.y}`;
        const points = pointsOf(path);
        // its own cards are left at once
        const cost = hits(points.slice(3, -3), around) * throughCard + outside(points) * outOfSight + lengthOf(points);
        if (cost < best.cost) best = { path, points, cost };
      }
    }
  }
  if (best.path === usual.path) return usual;
  const middle = [0.5, 0.42, 0.58, 0.34, 0.66, 0.26, 0.74].map((s) => best.points[Math.round(s * samples)]);
  const label =
    middle.find((p) => !obstacles.some((o) => inside(p, { ...o, x: o.x - 24, width: o.width + 48 }))) ?? middle[0];
  return { path: best.path, x: label.x, y: label.y };
}
