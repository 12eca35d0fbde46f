import { outcomeOf, type Tree } from './decision';

/** How it is shown that a condition alone decides. */
export type Shown = 'unique cause' | 'masking';

/** Two words seen that show what a condition does: with it true, and with it false. */
export interface Pair {
  readonly condition: number;
  readonly by: Shown;
  readonly words: readonly [withIt: number, withoutIt: number];
}

const flipped = (word: number, condition: number): number => (word ^ (1 << condition)) >>> 0;

/** Whether the decision would come out otherwise if this condition alone did. */
export const decides = (tree: Tree, word: number, condition: number): boolean =>
  outcomeOf(tree, word) !== outcomeOf(tree, flipped(word, condition));

/**
 * Modified condition/decision coverage: for each condition two words that were seen, in which it differs, the decision differs, and nothing but it
 * can be why. By unique cause all other conditions are the same (Chilenski and Miller 1994); by masking the others may differ where they cannot
 * decide, which is so where the condition decides in both words (Chilenski 2001, DOT/FAA/AR-01/18). Unique cause is preferred.
 */
export function shownConditions(
  tree: Tree,
  conditions: number,
  words: Iterable<number>,
): readonly (Pair | undefined)[] {
  const seen = new Set(words);
  return Array.from({ length: conditions }, (_, condition): Pair | undefined => {
    const deciding = [...seen].filter((w) => decides(tree, w, condition));
    const isSet = (w: number): boolean => ((w >>> condition) & 1) === 1;
    const [on, off] = [deciding.filter(isSet), deciding.filter((w) => !isSet(w))];
    const alone = on.find((w) => seen.has(flipped(w, condition)));
    if (alone !== undefined) return { condition, by: 'unique cause', words: [alone, flipped(alone, condition)] };
    for (const w of on)
      for (const o of off)
        if (outcomeOf(tree, w) !== outcomeOf(tree, o)) return { condition, by: 'masking', words: [w, o] };
    return undefined;
  });
}

/**
 * A word that would show a condition together with one that was seen, or two that would by themselves where none helps; undefined where no words at
 * all can show it. `canBe`: words that can come up.
 */
export function missingWords(
  tree: Tree,
  conditions: number,
  condition: number,
  words: Iterable<number>,
  canBe: (word: number) => boolean = () => true,
): readonly number[] | undefined {
  const seen = [...words].filter((w) => decides(tree, w, condition));
  // one that has been seen decides already: its opposite is what is missing
  for (const w of seen) if (canBe(flipped(w, condition))) return [flipped(w, condition)];
  if (conditions > 16) return undefined;
  const all: number[] = [];
  for (let w = 0; w < 2 ** conditions; w++) if (canBe(w) && decides(tree, w, condition)) all.push(w);
  const isSet = (w: number): boolean => ((w >>> condition) & 1) === 1;
  for (const w of seen) {
    const other = all.find((o) => isSet(o) !== isSet(w) && outcomeOf(tree, o) !== outcomeOf(tree, w));
    if (other !== undefined) return [other];
  }
  for (const w of all) {
    if (!isSet(w)) continue;
    const other = all.find((o) => !isSet(o) && outcomeOf(tree, o) !== outcomeOf(tree, w));
    if (other !== undefined) return [w, other];
  }
  return undefined;
}
