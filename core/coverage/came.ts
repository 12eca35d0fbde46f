import type { Notes } from '../program/machine';
import { outcomeOf } from './decision';
import { shownConditions, type Pair } from './mcdc';
import type { CoveragePlan, Decision, Point } from './plan';

/** What runs came through: points by key, and the words of decisions by key. Plain data, which adds up. */
export interface Came {
  readonly points: readonly string[];
  readonly words: Readonly<Record<string, readonly number[]>>;
}
export const nowhere: Came = { points: [], words: {} };

/** Counts while a run goes on. */
export interface CameCounter {
  readonly notes: Notes;
  came(): Came;
}

export function countCame({ points, decisions, loops }: CoveragePlan): CameCounter {
  const rounds = loops.map((l) => l.first);
  /** Loops that look at a point. */
  const looking = new Map<number, number[]>();
  loops.forEach((l, k) => {
    for (const point of [l.again, l.over, l.left])
      if (point >= 0) looking.set(point, [...(looking.get(point) ?? []), k]);
  });
  const seen = new Uint8Array(points.length);
  const words = decisions.map(() => new Set<number>());
  const last = new Float64Array(decisions.length).fill(-1);
  return {
    notes: {
      told(decision, value, word) {
        if (last[decision] !== word) words[decision].add((last[decision] = word));
        return value;
      },
      came(point) {
        seen[point] = 1;
        for (const k of looking.get(point) ?? []) {
          const l = loops[k];
          if (point === l.again) rounds[k]++;
          else {
            if (point === l.over) seen[l.rounds[Math.min(2, rounds[k])]] = 1;
            rounds[k] = l.first;
          }
        }
      },
    },
    came() {
      const found: Record<string, number[]> = {};
      // two parts of one type add up
      decisions.forEach((d, k) => {
        if (words[k].size > 0) found[d.key] = sorted([...(found[d.key] ?? []), ...words[k]]);
      });
      return { points: [...new Set(points.flatMap((p, k) => (seen[k] ? [p.key] : [])))], words: found };
    },
  };
}
const sorted = (list: readonly number[]): number[] => [...new Set(list)].sort((a, b) => a - b);

/** What several came through together. */
export function together(all: Iterable<Came>): Came {
  const points = new Set<string>();
  const words = new Map<string, Set<number>>();
  for (const came of all) {
    came.points.forEach((p) => points.add(p));
    for (const [key, list] of Object.entries(came.words)) {
      const known = words.get(key) ?? new Set();
      words.set(key, known);
      list.forEach((w) => known.add(w));
    }
  }
  return {
    points: [...points].sort(),
    words: Object.fromEntries([...words].sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, w]) => [k, sorted([...w])])),
  };
}

/** One thing that is covered or not. */
export interface Item {
  readonly key: string;
  readonly of: Point | Decision;
  readonly kind: Point['kind'] | 'outcome' | 'condition' | 'way';
  /** In a few words what it is. */
  readonly text: string;
  readonly hasCome: boolean;
  /** Of a condition the words that show what it does. */
  readonly pair?: Pair;
  /** Number of the condition, of an outcome 1 or 0, of a way its word. */
  readonly number: number;
}

/** All there is to be covered, and whether it has been. */
export function itemsOf({ points, decisions }: CoveragePlan, came: Came): readonly Item[] {
  const seen = new Set(came.points);
  return [
    ...points
      .filter((p) => !p.isAside)
      .map((p): Item => ({
        key: p.key,
        of: p,
        kind: p.kind,
        text: p.text,
        hasCome: seen.has(p.key),
        number: 0,
      })),
    ...decisions.flatMap((d) => itemsOfDecision(d, came.words[d.key] ?? [])),
  ];
}

function itemsOfDecision(d: Decision, words: readonly number[]): readonly Item[] {
  const { tree, ways, conditions } = d;
  if (!tree)
    return ways.map(({ word, text }) => ({
      key: `${d.key}|way ${word}`,
      of: d,
      kind: 'way',
      text,
      hasCome: words.includes(word),
      number: word,
    }));
  const outcomes = words.map((w) => outcomeOf(tree, w));
  const shown = conditions.length < 2 ? [] : shownConditions(tree, conditions.length, words);
  return [
    ...[true, false].map((value): Item => ({
      key: `${d.key}|${value}`,
      of: d,
      kind: 'outcome',
      text: `${d.text}: ${value}`,
      hasCome: outcomes.includes(value),
      number: Number(value),
    })),
    ...shown.flatMap((pair, k): Item[] =>
      d.silent.includes(k)
        ? []
        : [
            {
              key: `${d.key}|condition ${k}`,
              of: d,
              kind: 'condition',
              text: `${conditions[k]} decides ${d.text}`,
              hasCome: pair !== undefined,
              number: k,
              ...(pair && { pair }),
            },
          ],
    ),
  ];
}

export interface Share {
  readonly covered: number;
  readonly all: number;
}
export const shareOf = (items: readonly Item[]): Share => ({
  covered: items.filter((i) => i.hasCome).length,
  all: items.length,
});
