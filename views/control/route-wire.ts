/** Ways of wires: right angles, from an output to an input on its left, around the cards in between. */

export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}
export interface Point {
  readonly x: number;
  readonly y: number;
}

/** How far a wire goes straight on at its ends, and what it keeps away from cards. */
const stub = 14,
  clear = 12;
/** What a way costs besides its length: passing through a card, each corner. */
const through = 900,
  corner = 12;
const mostTries = 40;

function crossed(a: Point, b: Point, boxes: readonly Box[]): number {
  const [x1, x2] = a.x < b.x ? [a.x, b.x] : [b.x, a.x];
  const [y1, y2] = a.y < b.y ? [a.y, b.y] : [b.y, a.y];
  let n = 0;
  for (const r of boxes) if (x2 > r.x + 1 && x1 < r.x + r.width - 1 && y2 > r.y + 1 && y1 < r.y + r.height - 1) n++;
  return n;
}

function costOf(way: readonly Point[], boxes: readonly Box[]): number {
  let cost = 0;
  for (let k = 1; k < way.length; k++) {
    const [a, b] = [way[k - 1], way[k]];
    const length = Math.abs(a.x - b.x) + Math.abs(a.y - b.y);
    if (length === 0) continue;
    cost += length + corner + through * crossed(a, b, boxes);
  }
  return cost;
}

/** The way of a wire from an output to an input. */
export function routeWire(from: Point, to: Point, boxes: readonly Box[]): readonly Point[] {
  const [a, b] = [
    { x: from.x + stub, y: from.y },
    { x: to.x - stub, y: to.y },
  ];
  if (Math.abs(from.y - to.y) < 1 && to.x >= from.x && crossed(from, to, boxes) === 0) return [from, to];
  const [left, right] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
  const near = boxes.filter((r) => r.x < right + clear && r.x + r.width > left - clear);
  const [top, bottom] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
  let best: readonly Point[] = [];
  let least = Infinity;
  const attempt = (way: readonly Point[]): void => {
    const cost = costOf(way, near);
    if (cost < least) [best, least] = [way, cost];
  };
  if (b.x >= a.x) {
    const between = near.filter((r) => r.y < bottom && r.y + r.height > top);
    const xs = [(a.x + b.x) / 2, a.x, b.x, ...between.flatMap((r) => [r.x - clear, r.x + r.width + clear])];
    for (const x of new Set(xs.slice(0, mostTries)))
      if (x >= a.x && x <= b.x) attempt([from, { x, y: from.y }, { x, y: to.y }, to]);
    if (least < Infinity && least < through) return best;
  }
  const middle = (top + bottom) / 2;
  const ys = near.flatMap((r) => [r.y - clear, r.y + r.height + clear]);
  ys.push(middle);
  ys.sort((y1, y2) => Math.abs(y1 - middle) - Math.abs(y2 - middle));
  for (const y of new Set(ys.slice(0, mostTries))) attempt([from, a, { x: a.x, y }, { x: b.x, y }, b, to]);
  return best;
}

/** The way as a path with rounded corners. */
export function pathOf(way: readonly Point[], radius = 5): string {
  const points = way.filter((p, k) => k === 0 || p.x !== way[k - 1].x || p.y !== way[k - 1].y);
  const text: string[] = [`M${points[0].x} ${points[0].y}`];
  for (let k = 1; k < points.length; k++) {
    const [p, next] = [points[k], points[k + 1]];
    if (!next) {
      text.push(`L${p.x} ${p.y}`);
      break;
    }
    const before = points[k - 1];
    const r = Math.min(
      radius,
      (Math.abs(p.x - before.x) + Math.abs(p.y - before.y)) / 2,
      (Math.abs(next.x - p.x) + Math.abs(next.y - p.y)) / 2,
    );
    const towards = (q: Point): Point => ({
      x: p.x + Math.sign(q.x - p.x) * r,
      y: p.y + Math.sign(q.y - p.y) * r,
    });
    const [start, end] = [towards(before), towards(next)];
    text.push(`L${start.x} ${start.y}Q${p.x} ${p.y} ${end.x} ${end.y}`);
  }
  return text.join('');
}

/** The middle of the longest piece: where a wire is named, and where another one begins. */
export function middleOf(way: readonly Point[]): Point {
  let [longest, at] = [-1, way[0]];
  for (let k = 1; k < way.length; k++) {
    const [a, b] = [way[k - 1], way[k]];
    const length = Math.abs(a.x - b.x) + Math.abs(a.y - b.y);
    if (length > longest) [longest, at] = [length, { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }];
  }
  return at;
}

/** How far a point is from a way. */
export function distanceTo(way: readonly Point[], p: Point): number {
  let least = Infinity;
  for (let k = 1; k < way.length; k++) {
    const [a, b] = [way[k - 1], way[k]];
    const x = Math.max(Math.min(a.x, b.x), Math.min(Math.max(a.x, b.x), p.x));
    const y = Math.max(Math.min(a.y, b.y), Math.min(Math.max(a.y, b.y), p.y));
    least = Math.min(least, Math.hypot(p.x - x, p.y - y));
  }
  return least;
}
