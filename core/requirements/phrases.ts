import type { Span } from '../language/diagnostics';
import type { GlossaryEntry } from '../project/project';

/** A word of a requirement text with its place; `norm` is what it is compared by. */
export interface Word {
  readonly text: string;
  readonly norm: string;
  readonly span: Span;
}

/** Words that carry no meaning of their own in a phrase. */
const fillers: ReadonlySet<string> = new Set(['the', 'a', 'an', 'is', 'are', 'be', 'been', 'being', 'has', 'have', 'its', 'of', 'then', 'always']);

export function wordsOf(text: string): Word[] {
  const words: Word[] = [];
  for (const match of text.matchAll(/[^\s,;:()"]+/gu)) {
    const raw = match[0].replace(/[.!?]+$/, '');
    if (raw === '') continue;
    words.push({ text: raw, norm: raw.toLowerCase(), span: { start: match.index, end: match.index + raw.length } });
  }
  return words;
}

export const isFiller = (word: Word): boolean => fillers.has(word.norm);

const stem = (word: string): string => word.replace(/(?<=\w{3})s$/, '');

const key = (words: readonly Word[]): string => words.filter((w) => !isFiller(w)).map((w) => stem(w.norm)).join(' ');

export interface PhraseMatch {
  readonly entry: GlossaryEntry;
  readonly negated: boolean;
}

/** The glossary entry whose phrase these words are, articles and forms of "to be" aside. */
export function findPhrase(words: readonly Word[], glossary: readonly GlossaryEntry[]): PhraseMatch | undefined {
  const negated = words.some((w) => w.norm === 'not');
  const wanted = key(words.filter((w) => w.norm !== 'not'));
  if (wanted === '') return undefined;
  const entry = glossary.find((g) => key(wordsOf(g.phrase)) === wanted);
  return entry && { entry, negated };
}

/** The word that no phrase of the glossary has, or else the whole run of words. */
export function firstUnknownWord(words: readonly Word[], glossary: readonly GlossaryEntry[]): Word | undefined {
  const known = new Set(glossary.flatMap((g) => wordsOf(g.phrase).map((w) => stem(w.norm))));
  const meaningful = words.filter((w) => !isFiller(w) && w.norm !== 'not');
  return meaningful.find((w) => !known.has(stem(w.norm))) ?? meaningful[0];
}
