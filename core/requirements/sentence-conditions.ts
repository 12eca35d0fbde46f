import { paren } from './compose-formula';
import { comparisonWays } from './sentence-comparisons';
import { isFiller } from './phrases';
import { isAt, isIn, quantityIn, type Found, type Sentence, type Ways } from './sentence';
import { isVerb } from './sentence-verbs';

/** What must hold or happen for a sentence to apply: phrases of the glossary and comparisons, joined by "and" or by "or". */

const reaches: ReadonlySet<string> = new Set(['reaches', 'reach']);

/** A condition in exactly the words from one to another; `what` is what it is called where it is not known. */
export function conditionIn(s: Sentence, from: number, to: number, what: 'condition' | 'event'): string | undefined {
  const whole = single(s, from, to);
  if (whole !== undefined) return whole;
  const joined = new Set<string>();
  for (const joint of ['or', 'and']) {
    const parts: string[] = [];
    let start = from;
    for (let k = from + 1; k < to; k++) {
      if (s.words[k].norm !== joint) continue;
      const part = single(s, start, k);
      if (part === undefined) continue;
      parts.push(part);
      start = k + 1;
    }
    const last = parts.length > 0 ? single(s, start, to) : undefined;
    if (last !== undefined) joined.add(`(${[...parts, last].join(` ${joint} `)})`);
  }
  if (joined.size === 1) return [...joined][0];
  const unknown = unknownIn(s, from, to, what);
  s.fail(unknown.at, unknown.message, 'unknown-phrase');
  return undefined;
}

/** A phrase of the glossary, or a comparison. */
function single(s: Sentence, from: number, to: number): string | undefined {
  if (from >= to) return undefined;
  const found = s.book.find(s.words.slice(from, to));
  if (found) return found.negated ? `not ${paren(found.entry.meaning)}` : paren(found.entry.meaning);
  const ways = comparedIn(s, from, to);
  return ways.length > 0 && ways.every((w) => w === ways[0]) ? `(${ways[0]})` : undefined;
}

/** "the current exceeds 9 A", "the speed is not below 5 rpm". */
function comparedIn(s: Sentence, from: number, to: number): string[] {
  const found: string[] = [];
  for (let k = from + 1; k < to; k++) {
    const about = quantityIn(s, from, k);
    if (about === undefined) continue;
    let at = k;
    let isNot = false;
    while (isVerb(s, at) || isAt(s, at, 'not') || isAt(s, at, 'does')) {
      if (s.words[at].norm === 'not') isNot = true;
      at++;
    }
    const reach = isIn(s, at, reaches);
    for (const w of comparisonWays(s, about, reach ? at + 1 : at, to, isNot, reach ? '>=' : undefined))
      if (w.next === to) found.push(w.value.formula);
  }
  return found;
}

/** What to tell where the glossary knows nothing of some words: the first that no phrase has. */
export function unknownIn(
  s: Sentence,
  from: number,
  to: number,
  what: 'condition' | 'event' | 'quantity',
): { readonly at: number; readonly message: string } {
  const words = s.words.slice(from, to);
  const word = s.book.unknownWord(words);
  const phrase = words
    .filter((w) => !isFiller(w))
    .map((w) => w.text)
    .join(' ');
  return word
    ? {
        at: s.words.indexOf(word),
        message: `"${word.text}" is not understood: the glossary has no ${what} "${phrase}"`,
      }
    : { at: from, message: `${what === 'event' ? 'An' : 'A'} ${what} is missing here` };
}

/** A condition that begins at a word, with every place where it could end. */
export function conditionsFrom(
  s: Sentence,
  from: number,
  what: 'condition' | 'event',
  end = s.words.length,
): Ways<string> {
  const found: Found<string>[] = [];
  for (let to = end; to > from; to--) {
    const value = conditionIn(s, from, to, what);
    if (value !== undefined) found.push({ value, next: to });
  }
  return found;
}
