import type { Rect } from './chart-geometry';
import { pointsOf } from './route-arrow';

export interface LabelledArrow {
  readonly id: string;
  readonly path: string;
  /** Where its label would stand if nothing were in the way. */
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Along an arrow: the middle first, then towards both ends. */
const along = [0.5, 0.43, 0.57, 0.36, 0.64, 0.29, 0.71, 0.22, 0.78, 0.15, 0.85];
/** Covering a card or another label at all is worth this much, and per square pixel; standing off its arrow this much per pixel. */
const onCard = { once: 900, each: 3 };
const onLabel = { once: 300, each: 2 };
const off = 4;

const overlap = (a: Rect, b: Rect): number =>
  Math.max(0, Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x)) *
  Math.max(0, Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y));

/**
 * The middles of labels, so that none stands on the name of a state or on another label as far as there is room: each takes the
 * cheapest place on its arrow or just beside it, those with the fewest places first.
 */
export function placeLabels(
  arrows: readonly LabelledArrow[],
  blocked: readonly Rect[],
): ReadonlyMap<string, { readonly x: number; readonly y: number }> {
  const rectAt = (a: LabelledArrow, x: number, y: number): Rect => ({
    x: x - a.width / 2,
    y: y - a.height / 2,
    width: a.width,
    height: a.height,
  });
  const cover = (r: Rect, others: readonly Rect[], price: { readonly once: number; readonly each: number }): number =>
    others.reduce((sum, b) => {
      const area = overlap(r, b);
      return area > 0 ? sum + price.once + area * price.each : sum;
    }, 0);
  const choices = arrows.map((arrow) => {
    const points = pointsOf(arrow.path);
    const on = [
      { x: arrow.x, y: arrow.y, price: 0 },
      ...along.map((s, k) => ({ ...points[Math.round(s * (points.length - 1))], price: 6 + k * 5 })),
    ];
    const steps = [
      [0, 0],
      [arrow.width / 2 + 5, 0],
      [-arrow.width / 2 - 5, 0],
      [0, arrow.height / 2 + 4],
      [0, -arrow.height / 2 - 4],
    ] as const;
    const all = on.flatMap(({ x, y, price }) =>
      steps.map(([dx, dy]) => {
        const rect = rectAt(arrow, x + dx, y + dy);
        const aside = dx === 0 && dy === 0 ? 0 : off * (Math.abs(dx) + Math.abs(dy));
        return { x: x + dx, y: y + dy, rect, cost: price + aside + cover(rect, blocked, onCard) };
      }),
    );
    return { arrow, all, free: all.filter((c) => c.cost < onLabel.once).length };
  });
  const placed: Rect[] = [];
  const found = new Map<string, { x: number; y: number }>();
  for (const { arrow, all } of [...choices].sort((a, b) => a.free - b.free)) {
    let best = all[0];
    let least = Infinity;
    for (const c of all) {
      if (c.cost >= least) continue;
      const cost = c.cost + cover(c.rect, placed, onLabel);
      if (cost < least) [best, least] = [c, cost];
    }
    placed.push(best.rect);
    found.set(arrow.id, { x: best.x, y: best.y });
  }
  return found;
}
