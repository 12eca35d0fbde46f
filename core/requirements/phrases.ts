import type { Span } from '../language/diagnostics';
import type { GlossaryEntry } from '../project/project';

/** A word of a requirement text with its place; `norm` is what it is compared by. */
export interface Word {
  readonly text: string;
  readonly norm: string;
  readonly span: Span;
  /** A comma stands behind it. */
  readonly comma: boolean;
}

/** Words that carry no meaning of their own in a phrase. */
const fillers: ReadonlySet<string> = new Set([
  'the',
  'a',
  'an',
  'is',
  'are',
  'be',
  'been',
  'being',
  'has',
  'have',
  'its',
  'of',
  'then',
  'always',
  'any',
  'each',
  'every',
  'that',
  'to',
]);

export function wordsOf(text: string): Word[] {
  const words: Word[] = [];
  for (const match of text.matchAll(/±|\+\/-|[^\s,;:()"±]+/gu)) {
    const raw = match[0].replace(/[.!?]+$/, '');
    if (raw === '') continue;
    const end = match.index + raw.length;
    words.push({
      text: raw,
      norm: raw === '+/-' || raw === 'plus/minus' ? '±' : raw.toLowerCase(),
      span: { start: match.index, end },
      comma: /^\s*,/.test(text.slice(end)),
    });
  }
  return words;
}

export const isFiller = (word: Word): boolean => fillers.has(word.norm);

/** Plural and third person forms count as one word: tube, tubes; finish, finishes. */
export const stem = (word: string): string =>
  word.replace(/(?<=(?:sh|ch|ss|x))es$/, '').replace(/(?<=\w{2}[^s])s$/, '');

const keyOf = (words: readonly Word[]): string =>
  words
    .filter((w) => !isFiller(w))
    .map((w) => stem(w.norm))
    .join(' ');

export interface PhraseMatch {
  readonly entry: GlossaryEntry;
  readonly negated: boolean;
}

/** The glossary made ready for looking phrases up; kept as long as the glossary is the same. */
export interface PhraseBook {
  find(words: readonly Word[]): PhraseMatch | undefined;
  /** Whether some phrase has a word. */
  knows(word: Word): boolean;
  /** The word that no phrase has, or else the first that means something. */
  unknownWord(words: readonly Word[]): Word | undefined;
}

const books = new WeakMap<readonly GlossaryEntry[], PhraseBook>();

export function phraseBook(glossary: readonly GlossaryEntry[]): PhraseBook {
  const made = books.get(glossary) ?? makeBook(glossary);
  books.set(glossary, made);
  return made;
}

function makeBook(glossary: readonly GlossaryEntry[]): PhraseBook {
  const byKey = new Map<string, GlossaryEntry>();
  const known = new Set<string>();
  for (const entry of glossary) {
    const words = wordsOf(entry.phrase);
    const key = keyOf(words);
    if (key !== '' && !byKey.has(key)) byKey.set(key, entry);
    for (const w of words) known.add(stem(w.norm));
  }
  const isNot = (w: Word): boolean => w.norm === 'not' || w.norm === 'never';
  return {
    find(words) {
      const count = words.filter(isNot).length;
      if (count > 1) return undefined;
      const entry = byKey.get(keyOf(count > 0 ? words.filter((w) => !isNot(w)) : words));
      return entry && { entry, negated: count > 0 };
    },
    knows: (w) => known.has(stem(w.norm)),
    unknownWord(words) {
      const meaningful = words.filter((w) => !isFiller(w) && !isNot(w));
      return meaningful.find((w) => !known.has(stem(w.norm))) ?? meaningful[0];
    },
  };
}

/** Phrases that the glossary gives more than one meaning. */
export function doublePhrases(glossary: readonly GlossaryEntry[]): { readonly entries: readonly GlossaryEntry[] }[] {
  const byKey = new Map<string, GlossaryEntry[]>();
  for (const entry of glossary) {
    const key = keyOf(wordsOf(entry.phrase));
    byKey.set(key, [...(byKey.get(key) ?? []), entry]);
  }
  return [...byKey.values()]
    .filter((entries) => new Set(entries.map((e) => e.meaning.replace(/\s+/g, ''))).size > 1)
    .map((entries) => ({ entries }));
}
