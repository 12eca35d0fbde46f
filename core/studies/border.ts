import { intoBounds, type Bounds } from './minimise';
import { randomFrom, shuffled } from '../numbers/random';

/**
 * Two aims at once: the border of what can be had, points of which none is better in one aim without being worse in the other
 * (Pareto 1906), by a population that is sorted by who is better than whom (NSGA-II: Deb, Pratap, Agarwal and Meyarivan 2002).
 */

/** What a point is worth: 0 or how far constraints are broken, and its aims, each the better the lower. */
export interface Worths {
  readonly broken: number;
  readonly aims: readonly number[];
}
export interface BorderPoint {
  readonly point: readonly number[];
  readonly worth: Worths;
}
export interface Border {
  /** Of all points that were looked at, by the first aim; where nothing may be, the least broken ones. */
  readonly points: readonly BorderPoint[];
  readonly evaluations: number;
}

/** Evaluates several points at once; fewer come back where it is stopped. */
export type EvaluateAims = (points: readonly (readonly number[])[]) => Promise<readonly Worths[]>;

/** Whether a point is at least as good in all and better in one; constraints come first. */
export function dominates(a: Worths, b: Worths): boolean {
  if (a.broken !== b.broken) return a.broken < b.broken;
  return a.aims.every((x, k) => x <= b.aims[k]) && a.aims.some((x, k) => x < b.aims[k]);
}

/** Ranks: 0 for those nobody is better than, 1 for those only rank 0 is better than, and so on. */
export function ranksOf(worths: readonly Worths[]): readonly number[] {
  const ranks = worths.map(() => -1);
  for (let rank = 0, left = worths.length; left > 0; rank++) {
    const open = worths.flatMap((_, k) => (ranks[k] < 0 ? [k] : []));
    const front = open.filter((k) => open.every((j) => !dominates(worths[j], worths[k])));
    for (const k of front) ranks[k] = rank;
    left -= front.length;
  }
  return ranks;
}

/** How much room a point has among those of its rank; ends have all. */
function roomsOf(worths: readonly Worths[], ranks: readonly number[]): readonly number[] {
  const rooms = worths.map(() => 0);
  for (const rank of new Set(ranks)) {
    const own = ranks.flatMap((r, k) => (r === rank ? [k] : []));
    for (let m = 0; m < worths[0].aims.length; m++) {
      own.sort((a, b) => worths[a].aims[m] - worths[b].aims[m]);
      const extent = worths[own.at(-1)!].aims[m] - worths[own[0]].aims[m];
      rooms[own[0]] = rooms[own.at(-1)!] = Infinity;
      if (extent > 0 && Number.isFinite(extent))
        for (let k = 1; k < own.length - 1; k++)
          rooms[own[k]] += (worths[own[k + 1]].aims[m] - worths[own[k - 1]].aims[m]) / extent;
    }
  }
  return rooms;
}

/** Simulated binary crossover and polynomial mutation (Deb and Agrawal 1995), with indices 15 and 20. */
function childOf(a: readonly number[], b: readonly number[], bounds: Bounds, random: () => number): number[] {
  const n = a.length;
  const child = a.map((x, d) => {
    let y = x;
    if (random() < 0.9) {
      const u = random();
      const beta = u <= 0.5 ? (2 * u) ** (1 / 16) : (1 / (2 * (1 - u))) ** (1 / 16);
      const sign = random() < 0.5 ? 1 : -1;
      y = 0.5 * ((1 + sign * beta) * x + (1 - sign * beta) * b[d]);
    }
    if (random() < Math.max(0.1, 1 / n)) {
      const u = random();
      const delta = u < 0.5 ? (2 * u) ** (1 / 21) - 1 : 1 - (2 * (1 - u)) ** (1 / 21);
      y += delta * (bounds.high[d] - bounds.low[d]);
    }
    return y;
  });
  return intoBounds(child, bounds);
}

export async function borderOf(
  evaluate: EvaluateAims,
  bounds: Bounds,
  options: { readonly most: number; readonly seed: number; readonly start?: readonly number[] },
): Promise<Border> {
  const { low, high } = bounds;
  const { most, seed, start } = options;
  const size = Math.max(6, Math.min(48, Math.floor(most / 8)));
  const random = randomFrom(seed);
  const slices = low.map(() => shuffled(size, random));
  let evaluations = 0;
  let archive: BorderPoint[] = [];
  const known = new Map<string, Worths>();
  /** What was asked before is not asked again; undefined where it is over. */
  const at = async (points: readonly (readonly number[])[]): Promise<readonly Worths[] | undefined> => {
    const fresh = points.filter((p, k) => !known.has(p.join()) && points.findIndex((q) => q.join() === p.join()) === k);
    const asked = fresh.slice(0, most - evaluations);
    const found = asked.length === 0 ? [] : await evaluate(asked);
    evaluations += found.length;
    found.forEach((worth, k) => {
      known.set(asked[k].join(), worth);
      const one = { point: asked[k], worth };
      if (archive.some((p) => dominates(p.worth, worth))) return;
      archive = [...archive.filter((p) => !dominates(worth, p.worth)), one];
    });
    return found.length < fresh.length ? undefined : points.map((p) => known.get(p.join())!);
  };
  let points = Array.from({ length: size }, (_, k) =>
    intoBounds(
      low.map((l, d) => l + ((slices[d][k] + random()) / size) * (high[d] - l)),
      bounds,
    ),
  );
  if (start) points[0] = intoBounds(start, bounds);
  let worths = await at(points);
  // where all points of whole numbers are known nothing new comes any more
  for (let idle = 0; worths && evaluations < most && idle < 20;) {
    const before = evaluations;
    const ranks = ranksOf(worths);
    const rooms = roomsOf(worths, ranks);
    const better = (a: number, b: number): number =>
      ranks[a] !== ranks[b] ? (ranks[a] < ranks[b] ? a : b) : rooms[a] >= rooms[b] ? a : b;
    const pick = (): number => better(Math.floor(random() * points.length), Math.floor(random() * points.length));
    const children = points.map(() => childOf(points[pick()], points[pick()], bounds, random));
    const found: readonly Worths[] | undefined = await at(children);
    if (!found) break;
    const all = [...points, ...children];
    const allWorths: readonly Worths[] = [...worths, ...found];
    const allRanks = ranksOf(allWorths);
    const allRooms = roomsOf(allWorths, allRanks);
    const order = all
      .map((_, k) => k)
      .sort(
        (a, b) => allRanks[a] - allRanks[b] || (allRooms[b] > allRooms[a] ? 1 : allRooms[b] < allRooms[a] ? -1 : 0),
      );
    const kept = order.slice(0, size);
    points = kept.map((k) => all[k]);
    worths = kept.map((k) => allWorths[k]);
    idle = evaluations === before ? idle + 1 : 0;
  }
  return { points: archive.sort((a, b) => a.worth.aims[0] - b.worth.aims[0]), evaluations };
}
