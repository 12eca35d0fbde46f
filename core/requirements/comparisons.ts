import type { Word } from './phrases';

export type Comparator = '<' | '<=' | '>' | '>=' | '==';
/** How a quantity can stand to values: a comparator, or a way of its own. */
export type Relation = Comparator | 'between' | 'range' | 'near' | 'at' | 'deviate' | 'zero';

/** What a negated comparison says. */
export const pairOps: Readonly<Record<Comparator, string>> = { '<': '>=', '<=': '>', '>': '<=', '>=': '<', '==': '<>' };

const patterns: Readonly<Record<string, Relation>> = {
  exceed: '>',
  exceeds: '>',
  surpass: '>',
  'at least': '>=',
  'no less than': '>=',
  'not less than': '>=',
  'no lower than': '>=',
  'not lower than': '>=',
  'a minimum of': '>=',
  'greater than or equal to': '>=',
  'more than or equal to': '>=',
  'higher than or equal to': '>=',
  'equal to or greater than': '>=',
  'at or above': '>=',
  'at most': '<=',
  'no more than': '<=',
  'not more than': '<=',
  'no greater than': '<=',
  'not greater than': '<=',
  'no higher than': '<=',
  'not higher than': '<=',
  'up to': '<=',
  'a maximum of': '<=',
  'not above': '<=',
  'not below': '>=',
  'limited to': '<=',
  'limited to at most': '<=',
  'limited to a maximum of': '<=',
  'less than or equal to': '<=',
  'lower than or equal to': '<=',
  'equal to or less than': '<=',
  'at or below': '<=',
  'less than': '<',
  'lower than': '<',
  'smaller than': '<',
  'fewer than': '<',
  'to below': '<',
  'to under': '<',
  'to less than': '<',
  'to above': '>',
  'to more than': '>',
  'to at most': '<=',
  'to at least': '>=',
  below: '<',
  under: '<',
  'more than': '>',
  'greater than': '>',
  'higher than': '>',
  'larger than': '>',
  above: '>',
  over: '>',
  'equal to': '==',
  equal: '==',
  equals: '==',
  exactly: '==',
  between: 'between',
  'in the range': 'range',
  'within the range': 'range',
  within: 'near',
  zero: 'zero',
  'to zero': 'zero',
  at: 'at',
  'deviate from': 'deviate',
  'differ from': 'deviate',
};
const table = Object.entries(patterns)
  .map(([words, op]) => ({ words: words.split(' '), op }))
  .sort((a, b) => b.words.length - a.words.length);

/** The relation that begins at a word: the longest that stands there. */
export function relationAt(
  { words }: { readonly words: readonly Word[] },
  at: number,
): { readonly op: Relation; readonly next: number } | undefined {
  const found = table.find(({ words: pattern }) => pattern.every((p, k) => words[at + k]?.norm === p));
  return found && { op: found.op, next: at + found.words.length };
}
