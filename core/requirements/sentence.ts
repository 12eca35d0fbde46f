import { amountText, readAmount, Unread, type Amount } from './amounts';
import { paren, trim } from './compose-formula';
import type { PhraseBook, Word } from './phrases';

/**
 * A sentence that is being read. Every rule of its grammar begins at a word and gives all ways in which it can go on from there, each
 * with the word after it: a sentence is read where all of its words are, and where every way of doing so means the same.
 */
export interface Sentence {
  readonly words: readonly Word[];
  readonly book: PhraseBook;
  /** Remembers why a rule did not go on at a word; what got furthest is told. */
  fail(at: number, message: string, code?: Unread['code']): void;
}
export interface Found<T> {
  readonly value: T;
  readonly next: number;
}
export type Ways<T> = readonly Found<T>[];

export const isAt = (s: Sentence, at: number, ...norms: readonly string[]): boolean => areAt(s, at, norms);

function areAt({ words }: Sentence, at: number, norms: readonly string[]): boolean {
  for (let k = 0; k < norms.length; k++) if (words[at + k]?.norm !== norms[k]) return false;
  return true;
}

const split = new Map<string, readonly string[]>();
function wordsIn(phrase: string): readonly string[] {
  let known = split.get(phrase);
  if (!known) split.set(phrase, (known = phrase.split(' ')));
  return known;
}

/** The word after the longest of some phrases that stands at a word. */
export function anyOf(s: Sentence, at: number, phrases: readonly string[]): number | undefined {
  const first = s.words[at]?.norm;
  if (first === undefined) return undefined;
  let longest: number | undefined;
  for (const p of phrases) {
    if (!p.startsWith(first)) continue;
    const norms = wordsIn(p);
    if (at + norms.length > (longest ?? 0) && areAt(s, at, norms)) longest = at + norms.length;
  }
  return longest;
}

export const isIn = (s: Sentence, at: number, words: ReadonlySet<string>): boolean =>
  words.has(s.words[at]?.norm ?? '');

/** How much, as a formula writes it: a number with or without unit, a share of something, or something that has a name. */
export interface Quantum {
  readonly text: string;
  readonly amount?: Amount;
}

const articles: ReadonlySet<string> = new Set(['a', 'an', 'the']);

export function tryAmount(s: Sentence, at: number, end: number): Found<Amount> | undefined {
  try {
    const read = readAmount(s.words.slice(0, end), at);
    return read && { value: read.amount, next: read.next };
  } catch (error) {
    if (!(error instanceof Unread)) throw error;
    s.fail(at, error.message);
    return undefined;
  }
}

export function timeAt(s: Sentence, at: number, end = s.words.length): Found<Amount> | undefined {
  const read = tryAmount(s, at, end);
  if (read?.value.isTime) return read;
  s.fail(at, 'A time is expected here, such as 200 ms');
  return undefined;
}

/** A quantity of the glossary in the words from one to another. */
export function quantityIn(s: Sentence, from: number, to: number): string | undefined {
  const found = s.book.find(s.words.slice(from, to));
  if (found) return found.negated || found.isOtherForm ? undefined : paren(found.entry.meaning);
  const size = anyOf(s, from, sizes);
  const of = size !== undefined && size < to ? quantityIn(s, size, to) : undefined;
  return of === undefined ? undefined : `abs(${of})`;
}
/** In front of a quantity, and behind a limit. */
const sizes = ['the absolute value of', 'absolute value of', 'the magnitude of', 'magnitude of'];
export const inSize = ['in magnitude', 'in absolute value', 'in absolute terms', 'in either direction'];

/** Names of the glossary that begin at a word. */
export function namesAt(s: Sentence, at: number, end: number): Ways<string> {
  const found: Found<string>[] = [];
  for (let next = Math.min(end, at + 9); next > at; next--) {
    const meaning = quantityIn(s, at, next);
    if (meaning !== undefined) found.push({ value: meaning, next });
  }
  return found;
}

/** How much is allowed. */
export function quanta(s: Sentence, at: number, end: number): Ways<Quantum> {
  const first = articles.has(s.words[at]?.norm ?? '') && at + 1 < end ? at + 1 : at;
  const number = tryAmount(s, first, end);
  if (number) {
    const { value: amount, next } = number;
    const own: Found<Quantum> = { value: { text: amountText(amount), amount }, next };
    const share =
      amount.unit === '%' && isAt(s, next, 'of')
        ? namesAt(s, next + 1, end).map((n): Found<Quantum> => ({
            value: { text: `${trim(amount.value / 100)}*${n.value}` },
            next: n.next,
          }))
        : [];
    return [...share, own];
  }
  const named = namesAt(s, at, end).map((n): Found<Quantum> => ({ value: { text: n.value }, next: n.next }));
  if (named.length === 0)
    s.fail(
      at,
      at < end
        ? `"${s.words[at].text}" is not understood: a number with a unit is expected here`
        : 'A number is missing: how much is allowed?',
    );
  return named;
}

/** Goes on behind each way of reading something. */
export const then = <A, B>(ways: Ways<A>, go: (value: A, next: number) => Ways<B>): Ways<B> =>
  ways.flatMap((w) => go(w.value, w.next));
