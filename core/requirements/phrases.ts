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
  /** It is said that it is not so: by "not", by the word for the opposite, but not by both. */
  readonly negated: boolean;
  /** The word for the opposite stands there: "off" for "on". */
  readonly isOpposite: boolean;
  /** Another form of the last word stands there ("opened" for "opens"): a condition, never a quantity. */
  readonly isOtherForm: boolean;
}

/** Words of which one is said where the other is not, with nothing between them. */
const opposites: ReadonlyMap<string, string> = new Map<string, string>(
  (
    [
      ['on', 'off'],
      ['active', 'inactive'],
      ['enabled', 'disabled'],
      ['locked', 'unlocked'],
      ['connected', 'disconnected'],
      ['energised', 'de-energised'],
      ['energized', 'de-energized'],
    ] as const
  ).flatMap(([a, b]) => [[a, b] as const, [b, a] as const]),
);
const switching: ReadonlySet<string> = new Set(['switched', 'switch', 'switches', 'turned', 'turn', 'turns']);

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
      const plain = count > 0 ? words.filter((w) => !isNot(w)) : words;
      const match = (entry: GlossaryEntry | undefined, isOpposite = false, isOtherForm = false) =>
        entry && { entry, negated: count > 0 !== isOpposite, isOpposite, isOtherForm };
      const exact = byKey.get(keyOf(plain));
      if (exact) return match(exact);
      // "switched off" is off
      const { length } = plain;
      const last = plain[length - 1];
      if (last === undefined) return undefined;
      const isSwitched =
        length > 1 && switching.has(plain[length - 2].norm) && (last.norm === 'on' || last.norm === 'off');
      const front = plain.slice(0, isSwitched ? length - 2 : length - 1);
      const endingIn = (norm: string): GlossaryEntry | undefined => byKey.get(keyOf([...front, { ...last, norm }]));
      const opposite = opposites.get(last.norm);
      return (
        (isSwitched ? match(endingIn(last.norm)) : undefined) ??
        (opposite !== undefined ? match(endingIn(opposite), true) : undefined) ??
        match(
          otherForms(last.norm)
            .map(endingIn)
            .find((x) => x !== undefined),
          false,
          true,
        )
      );
    },
    knows: (w) => known.has(stem(w.norm)),
    unknownWord(words) {
      const meaningful = words.filter((w) => !isFiller(w) && !isNot(w));
      return meaningful.find((w) => !known.has(stem(w.norm))) ?? meaningful[0];
    },
  };
}

/** The participle of a verb, or the verb of a participle: opens, opened; closes, closed. */
function otherForms(word: string): string[] {
  if (/\w{3}ed$/.test(word)) return [word.slice(0, -2), word.slice(0, -1)];
  const verb = stem(word);
  return verb.endsWith('e') ? [`${verb}d`] : [`${verb}ed`];
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
