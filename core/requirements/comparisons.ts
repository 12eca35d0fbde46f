import type { Word } from './phrases';

export type Comparator = '<' | '<=' | '>' | '>=' | '==' | 'between' | 'near';

/** A comparison found in a sentence: words [from, next) say which. */
export interface Compared {
  readonly from: number;
  readonly next: number;
  readonly op: Comparator;
  readonly negated: boolean;
}

/** What a negated comparison says. */
export const pairOps: Readonly<Record<Comparator, string>> = {
  '<': '>=',
  '<=': '>',
  '>': '<=',
  '>=': '<',
  '==': '<>',
  between: '',
  near: '',
};

const patterns: readonly (readonly [words: string, op: Comparator])[] = [
  ['exceed', '>'],
  ['exceeds', '>'],
  ['surpass', '>'],
  ['at least', '>='],
  ['no less than', '>='],
  ['not less than', '>='],
  ['no lower than', '>='],
  ['not lower than', '>='],
  ['a minimum of', '>='],
  ['at most', '<='],
  ['no more than', '<='],
  ['not more than', '<='],
  ['no greater than', '<='],
  ['not greater than', '<='],
  ['no higher than', '<='],
  ['not higher than', '<='],
  ['up to', '<='],
  ['a maximum of', '<='],
  ['not above', '<='],
  ['not below', '>='],
  ['less than', '<'],
  ['lower than', '<'],
  ['smaller than', '<'],
  ['fewer than', '<'],
  ['below', '<'],
  ['under', '<'],
  ['more than', '>'],
  ['greater than', '>'],
  ['higher than', '>'],
  ['larger than', '>'],
  ['above', '>'],
  ['over', '>'],
  ['equal to', '=='],
  ['equal', '=='],
  ['equals', '=='],
  ['exactly', '=='],
  ['between', 'between'],
  ['within', 'near'],
];
const table = patterns
  .map(([words, op]) => ({ words: words.split(' '), op }))
  .sort((a, b) => b.words.length - a.words.length);

/** The comparison that begins at a word. */
export function comparisonAt(words: readonly Word[], at: number): Compared | undefined {
  const w = words[at];
  if (!w) return undefined;
  for (const { words: pattern, op } of table) {
    if (pattern.every((p, k) => words[at + k]?.norm === p))
      return { from: at, next: at + pattern.length, op, negated: false };
  }
  return undefined;
}

const verbs: ReadonlySet<string> = new Set([
  'is',
  'are',
  'stays',
  'remains',
  'falls',
  'drops',
  'rises',
  'goes',
  'becomes',
  'gets',
  'lies',
  'stay',
  'be',
  'fall',
  'drop',
  'rise',
  'go',
  'become',
  'lie',
  'does',
  'has',
  'have',
]);

/** The first comparison in a clause, with the verb before it. */
export function findComparison(words: readonly Word[], start = 0): Compared | undefined {
  for (let at = start; at < words.length; at++) {
    const found = comparisonAt(words, at);
    if (!found) continue;
    let from = at;
    let negated = false;
    while (from > start && (verbs.has(words[from - 1].norm) || words[from - 1].norm === 'not')) {
      from--;
      if (words[from].norm === 'not') negated = true;
    }
    return { ...found, from, negated };
  }
  return undefined;
}
