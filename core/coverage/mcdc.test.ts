import fc from 'fast-check';
import { outcomeOf, type Tree } from './decision';
import { decides, missingWords, shownConditions } from './mcdc';

const is = (condition: number): Tree => ({ op: 'is', condition });
/** Decisions over up to five conditions, some of them written more than once. */
const { tree } = fc.letrec<{ tree: Tree }>((tie) => ({
  tree: fc.oneof(
    { maxDepth: 4, depthSize: 'medium' },
    fc.nat(4).map(is),
    tie('tree').map((a): Tree => ({ op: 'not', a })),
    fc.tuple(fc.constantFrom('and', 'or'), tie('tree'), tie('tree')).map(([op, a, b]) => ({ op, a, b }) as Tree),
    fc.tuple(tie('tree'), tie('tree'), tie('tree')).map(([c, a, b]): Tree => ({ op: 'if', c, a, b })),
  ),
}));
const conditions = 5;
const all = Array.from({ length: 2 ** conditions }, (_, w) => w);
const words = fc.subarray(all);

/** Another reading of the same: the decision as a function over truth tables. */
const valueOf = (t: Tree, given: readonly boolean[]): boolean => {
  switch (t.op) {
    case 'is':
      return given[t.condition];
    case 'always':
      return t.value;
    case 'not':
      return !valueOf(t.a, given);
    case 'and':
      return [t.a, t.b].every((x) => valueOf(x, given));
    case 'or':
      return [t.a, t.b].some((x) => valueOf(x, given));
    case 'if':
      return valueOf(t.c, given) ? valueOf(t.a, given) : valueOf(t.b, given);
  }
};
const bits = (w: number): boolean[] => Array.from({ length: conditions }, (_, k) => Math.floor(w / 2 ** k) % 2 === 1);

/** By the definitions, over all pairs of words. */
function byBruteForce(t: Tree, seen: readonly number[], condition: number): 'unique cause' | 'masking' | undefined {
  let found: 'masking' | undefined;
  for (const x of seen)
    for (const y of seen) {
      const [a, b] = [bits(x), bits(y)];
      if (!a[condition] || b[condition] || valueOf(t, a) === valueOf(t, b)) continue;
      if (a.every((v, k) => k === condition || v === b[k])) return 'unique cause';
      const isFree = (given: readonly boolean[]): boolean =>
        valueOf(t, given) !==
        valueOf(
          t,
          given.map((v, k) => (k === condition ? !v : v)),
        );
      if (isFree(a) && isFree(b)) found = 'masking';
    }
  return found;
}

test('a condition is shown exactly where two words seen show it, over all decisions of up to five conditions', () => {
  fc.assert(
    fc.property(tree, words, (t, seen) => {
      const shown = shownConditions(t, conditions, seen);
      for (let k = 0; k < conditions; k++) {
        expect(shown[k]?.by).toBe(byBruteForce(t, seen, k));
        if (!shown[k]) continue;
        const [on, off] = shown[k]!.words;
        expect([seen.includes(on), seen.includes(off)]).toEqual([true, true]);
        expect([bits(on)[k], bits(off)[k], valueOf(t, bits(on)) !== valueOf(t, bits(off))]).toEqual([
          true,
          false,
          true,
        ]);
      }
    }),
    { numRuns: 1500 },
  );
});

test('what is missing shows the condition once it is there, and nothing is missing that cannot help', () => {
  fc.assert(
    fc.property(tree, words, (t, seen) => {
      for (let k = 0; k < conditions; k++) {
        if (shownConditions(t, conditions, seen)[k]) continue;
        const missing = missingWords(t, conditions, k, seen);
        const canBeShown = all.some((w) => decides(t, w, k));
        expect(missing !== undefined).toBe(canBeShown);
        if (missing) expect(shownConditions(t, conditions, [...seen, ...missing])[k]).toBeDefined();
      }
    }),
    { numRuns: 500 },
  );
});

// the pairs of A and (B or C), after Chilenski and Miller (1994), in the rows of the truth table from TTT to FFF
test('A and (B or C) is shown by four words, and by no three of them', () => {
  const t: Tree = { op: 'and', a: is(0), b: { op: 'or', a: is(1), b: is(2) } };
  const row = (n: number): number => {
    const [a, b, c] = [n - 1 < 4, (n - 1) % 4 < 2, (n - 1) % 2 === 0];
    return Number(a) + 2 * Number(b) + 4 * Number(c);
  };
  const pairs = (condition: number): string[] => {
    const found: string[] = [];
    for (let x = 1; x <= 8; x++)
      for (let y = x + 1; y <= 8; y++)
        if (shownConditions(t, 3, [row(x), row(y)])[condition]?.by === 'unique cause') found.push(`${x}-${y}`);
    return found;
  };
  expect([0, 1, 2].map(pairs)).toEqual([['1-5', '2-6', '3-7'], ['2-4'], ['3-4']]);
  const isShown = (rows: readonly number[]): boolean => shownConditions(t, 3, rows.map(row)).every((p) => p);
  expect(isShown([2, 3, 4, 6])).toBe(true);
  for (const without of [2, 3, 4, 6]) expect(isShown([2, 3, 4, 6].filter((r) => r !== without))).toBe(false);
  // rows 1 and 7 show A where the others cannot decide, although both of them change
  expect(shownConditions(t, 3, [row(2), row(7)])[0]).toMatchObject({ by: 'masking' });
  expect(outcomeOf(t, row(2))).toBe(true);
});
