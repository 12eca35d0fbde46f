import { randomFrom, shuffled } from '../numbers/random';

/** Looking for the point of a box where something is least, without derivatives. */

/** What a point is worth: whether it may be, by how much not, and how low it is. */
export interface Worth {
  /** 0 where all constraints hold, else how far they are broken. */
  readonly broken: number;
  readonly value: number;
}

/** Points that may be come first, then those that are less broken, then lower ones (Deb 2000). */
export const isBetter = (a: Worth, b: Worth): boolean =>
  a.broken === 0 && b.broken === 0
    ? a.value < b.value
    : a.broken !== b.broken
      ? a.broken < b.broken
      : a.value < b.value;

export interface Bounds {
  readonly low: readonly number[];
  readonly high: readonly number[];
  readonly isWhole: readonly boolean[];
}

export interface Best {
  readonly point: readonly number[];
  readonly worth: Worth;
  /** Every better point on the way, with after how many evaluations. */
  readonly path: readonly { readonly point: readonly number[]; readonly worth: Worth; readonly after: number }[];
  readonly evaluations: number;
  /** It came to rest before what it was given was used up. */
  readonly settled: boolean;
}

/** Evaluates several points at once; fewer come back where it is stopped. */
export type Evaluate = (points: readonly (readonly number[])[]) => Promise<readonly Worth[]>;

export const intoBounds = (point: readonly number[], { low, high, isWhole }: Bounds): number[] =>
  point.map((x, k) => {
    const inside = Math.min(high[k], Math.max(low[k], x));
    return isWhole[k] ? Math.min(Math.floor(high[k]), Math.max(Math.ceil(low[k]), Math.round(inside))) : inside;
  });

/** Keeps the best and the way to it. */
class Way {
  best: { readonly point: readonly number[]; readonly worth: Worth } | undefined;
  readonly path: { point: readonly number[]; worth: Worth; after: number }[] = [];
  evaluations = 0;
  constructor(
    private readonly evaluate: Evaluate,
    private readonly most: number,
  ) {}
  get isSpent(): boolean {
    return this.evaluations >= this.most;
  }
  async at(points: readonly (readonly number[])[]): Promise<readonly Worth[]> {
    const asked = points.slice(0, Math.max(0, this.most - this.evaluations));
    const worths = asked.length === 0 ? [] : await this.evaluate(asked);
    worths.forEach((worth, k) => {
      this.evaluations++;
      if (this.best && !isBetter(worth, this.best.worth)) return;
      this.best = { point: asked[k], worth };
      this.path.push({ point: asked[k], worth, after: this.evaluations });
    });
    if (worths.length < points.length) this.evaluations = this.most;
    return worths;
  }
  over(settled: boolean): Best | undefined {
    return this.best && { ...this.best, path: this.path, evaluations: this.evaluations, settled };
  }
}

/** Differential evolution, best of the population as one parent (Storn and Price 1997), with constraints (Deb 2000). */
export async function differentialEvolution(
  evaluate: Evaluate,
  bounds: Bounds,
  options: {
    readonly most: number;
    readonly seed: number;
    readonly start?: readonly number[];
    readonly tolerance?: number;
  },
): Promise<Best | undefined> {
  const { low, high } = bounds;
  const n = low.length;
  const { most, seed, start, tolerance = 1e-8 } = options;
  const size = Math.max(5, Math.min(10 * n, Math.max(8, Math.floor(most / 6))));
  const random = randomFrom(seed);
  const way = new Way(evaluate, most);
  // even slices at the start (McKay 1979)
  const slices = low.map(() => shuffled(size, random));
  let points = Array.from({ length: size }, (_, k) =>
    intoBounds(
      low.map((l, d) => l + ((slices[d][k] + random()) / size) * (high[d] - l)),
      bounds,
    ),
  );
  if (start) points[0] = intoBounds(start, bounds);
  let worths = [...(await way.at(points))];
  points = points.slice(0, worths.length);
  if (worths.length < 4) return way.over(false);
  while (!way.isSpent) {
    const best = worths.reduce((b, w, k) => (isBetter(w, worths[b]) ? k : b), 0);
    const trials = points.map((p, k) => {
      const others = new Set<number>();
      while (others.size < 2) {
        const j = Math.floor(random() * points.length);
        if (j !== k && j !== best) others.add(j);
        if (points.length < 4) break;
      }
      const [a, b] = [...others];
      const F = 0.5 + 0.4 * random();
      const base = random() < 0.5 ? points[best] : p.map((x, d) => x + F * (points[best][d] - x));
      const must = Math.floor(random() * n);
      return intoBounds(
        p.map((x, d) => {
          if (d !== must && random() > 0.9) return x;
          const y = base[d] + F * (points[a][d] - points[b][d]);
          // what leaves the box comes back halfway, or stays at the edge
          const edge = y < low[d] ? low[d] : y > high[d] ? high[d] : undefined;
          return edge === undefined ? y : random() < 0.5 ? edge : (edge + x) / 2;
        }),
        bounds,
      );
    });
    const found = await way.at(trials);
    found.forEach((w, k) => {
      if (isBetter(w, worths[k]) || (w.broken === worths[k].broken && w.value === worths[k].value)) {
        points[k] = trials[k];
        worths[k] = w;
      }
    });
    if (found.length < trials.length) break;
    const spread = low.map((l, d) => {
      const all = points.map((p) => p[d]);
      return (Math.max(...all) - Math.min(...all)) / (high[d] - l || 1);
    });
    if (Math.max(...spread) < tolerance) return way.over(true);
  }
  worths = [];
  return way.over(false);
}

/** The simplex of Nelder and Mead (1965), begun anew from its best point until that gains nothing more; points that leave the box are put on its edge. */
export async function nelderMead(
  evaluate: Evaluate,
  bounds: Bounds,
  options: {
    readonly most: number;
    readonly start: readonly number[];
    readonly size?: number;
    readonly tolerance?: number;
  },
): Promise<Best | undefined> {
  const { low, high } = bounds;
  const n = low.length;
  const { most, tolerance = 1e-7 } = options;
  const way = new Way(evaluate, most);
  let from = intoBounds(options.start, bounds);
  let size = options.size ?? 0.1;
  let before: Worth | undefined;
  for (let round = 0; round < 12 && !way.isSpent; round++) {
    let simplex = [
      from,
      ...from.map((x, d) => {
        const step = Math.max(size * (high[d] - low[d]), bounds.isWhole[d] ? 1 : 0);
        const moved = [...from];
        moved[d] = x + step <= high[d] ? x + step : x - step;
        return intoBounds(moved, bounds);
      }),
    ];
    let worths = [...(await way.at(simplex))];
    if (worths.length < n + 1) return way.over(false);
    for (;;) {
      const order = worths
        .map((_, k) => k)
        .sort((a, b) => (isBetter(worths[a], worths[b]) ? -1 : isBetter(worths[b], worths[a]) ? 1 : 0));
      simplex = order.map((k) => simplex[k]);
      worths = order.map((k) => worths[k]);
      const extent = Math.max(
        ...low.map((l, d) => Math.max(...simplex.map((p) => Math.abs(p[d] - simplex[0][d]))) / (high[d] - l || 1)),
      );
      if (extent < tolerance || way.isSpent) break;
      const centre = low.map((_, d) => simplex.slice(0, n).reduce((s, p) => s + p[d], 0) / n);
      const towards = (t: number): number[] =>
        intoBounds(
          centre.map((c, d) => c + t * (simplex[n][d] - c)),
          bounds,
        );
      const put = (p: readonly number[], w: Worth): void => {
        simplex[n] = [...p];
        worths[n] = w;
      };
      const reflected = towards(-1);
      const [wr] = await way.at([reflected]);
      if (!wr) break;
      if (isBetter(wr, worths[0])) {
        const expanded = towards(-2);
        const [we] = await way.at([expanded]);
        if (we && isBetter(we, wr)) put(expanded, we);
        else put(reflected, wr);
        continue;
      }
      if (isBetter(wr, worths[n - 1])) {
        put(reflected, wr);
        continue;
      }
      const inner = isBetter(wr, worths[n]) ? towards(-0.5) : towards(0.5);
      const [wi] = await way.at([inner]);
      if (!wi) break;
      if (isBetter(wi, isBetter(wr, worths[n]) ? wr : worths[n])) {
        put(inner, wi);
        continue;
      }
      const shrunk = simplex.slice(1).map((p) =>
        intoBounds(
          p.map((x, d) => simplex[0][d] + 0.5 * (x - simplex[0][d])),
          bounds,
        ),
      );
      const ws = await way.at(shrunk);
      if (ws.length < n) break;
      simplex = [simplex[0], ...shrunk];
      worths = [worths[0], ...ws];
    }
    const now = way.best!;
    const gain = before ? before.value - now.worth.value : Infinity;
    if (before && before.broken === now.worth.broken && gain <= 1e-9 * Math.max(1, Math.abs(now.worth.value)))
      return way.over(true);
    before = now.worth;
    from = [...now.point];
    size = Math.max(1e-4, size / 2);
  }
  return way.over(!way.isSpent);
}
