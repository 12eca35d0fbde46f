import type { Span } from '../language/diagnostics';
import type { GlossaryEntry } from '../project/project';
import { Unread } from './amounts';
import { composeFormula, type Clauses, type Predicate } from './compose-formula';
import { isFiller, phraseBook, wordsOf, type Word } from './phrases';
import { anyOf, isAt, quantityIn, type Sentence } from './sentence';
import { clausesAt, goesWithEvent, isEvent, together } from './sentence-clauses';
import { unknownIn } from './sentence-conditions';
import { predicatesAt } from './sentence-predicates';
import type { Range } from './sentence-verbs';

export interface ReadSentence {
  readonly formula: string;
  readonly about: string;
  /** Words that stand for somebody who does it, and count for nothing. */
  readonly ignored: readonly Word[];
  /** What was taken for granted. */
  readonly notes: readonly string[];
}

/**
 * Reads a requirement sentence into a formula. Sentences follow the usual patterns of requirement writing (EARS: Mavin,
 * Wilkinson, Harwood and Novak 2009): plain, When, While, If .. then, Where, and their combinations. A sentence counts as read only where
 * every word of it has its place in the grammar, and where all ways of reading it say the same.
 */
export function readSentence(text: string, glossary: readonly GlossaryEntry[]): ReadSentence {
  const words = wordsOf(text);
  const whole: Span = { start: 0, end: text.length };
  if (words.length === 0) throw new Unread('The text is empty', whole);
  let furthest: Failure | undefined;
  const s: Sentence = {
    words,
    book: phraseBook(glossary),
    fail(at, message, code = 'unread-limit') {
      if (!furthest || at > furthest.at) furthest = { at, message, code };
    },
  };
  const shall = words.findIndex((w) => w.norm === 'shall' || w.norm === 'must');
  if (shall < 0) throw new Unread('There is no "shall" in this text, so nothing is required yet', whole);
  const readings = new Map<string, ReadSentence>();
  let refused: Unread | undefined;
  for (const lead of leadsOf(s, shall)) {
    for (const body of bodiesOf(s, lead, shall)) {
      const { predicate, clauses } = body;
      try {
        const formula = composeFormula(predicate, clauses, words.at(-1)!.span);
        if (!readings.has(formula))
          readings.set(formula, {
            formula,
            about: predicate.about,
            ignored: predicate.ignored ?? [],
            notes: predicate.notes ?? [],
          });
      } catch (error) {
        if (!(error instanceof Unread)) throw error;
        refused ??= error;
      }
    }
  }
  if (readings.size === 1) return [...readings.values()][0];
  if (readings.size > 1)
    throw new Unread(`This can be read in ${readings.size} ways: ${[...readings.keys()].join('; or ')}`, whole);
  if (refused) throw refused;
  const place = furthest as Failure | undefined;
  const word = words[place?.at ?? words.length - 1] ?? words.at(-1)!;
  throw new Unread(place?.message ?? `"${word.text}" is not understood`, word.span, place?.code);
}

/** Why it could not be read further than to a word. */
interface Failure {
  readonly at: number;
  readonly message: string;
  readonly code: Unread['code'];
}

interface Lead {
  readonly clauses: Clauses;
  readonly subject: Range;
  readonly isNot: boolean;
}

const openers: ReadonlySet<string> = new Set([
  'when',
  'whenever',
  'while',
  'whilst',
  'during',
  'if',
  'where',
  'once',
  'after',
  'upon',
  'unless',
  'within',
]);
const missingComma = (opener: Word): string => `A comma is missing after the clause that begins with "${opener.text}"`;

const none: Clauses = { conditions: [] };

/** What stands before "shall": clauses, each up to a comma, and the subject. */
function leadsOf(s: Sentence, shall: number): Lead[] {
  const found: Lead[] = [];
  const go = (at: number, clauses: Clauses): void => {
    const never = anyOf(s, at, ['at no time', 'under no circumstances', 'in no case', 'never']);
    if (never === shall) return void found.push({ clauses, subject: { from: shall + 1, to: shall + 1 }, isNot: true });
    const from = isAt(s, at, 'then') ? at + 1 : at;
    const comma = s.words.findIndex((w, k) => k >= at && k < shall && w.comma);
    if (comma < 0) {
      const opener = s.words[at];
      if (from < shall) found.push({ clauses, subject: { from, to: shall }, isNot: false });
      else s.fail(at, 'What is it that this is about?');
      if (opener && openers.has(opener.norm)) s.fail(at, missingComma(opener));
      return;
    }
    const first = clausesAt(s, at, comma + 1);
    const second = first
      .filter((w) => w.next <= comma && isEvent(w.value))
      .flatMap((w) =>
        clausesAt(s, w.next, comma + 1).flatMap((c) =>
          goesWithEvent(c.value) ? [{ value: { ...w.value, ...c.value }, next: c.next }] : [],
        ),
      );
    const ways = [...first, ...second].filter((w) => w.next === comma + 1);
    if (ways.length === 0)
      s.fail(
        at,
        `"${s.words[at].text}" cannot begin a clause here; sentences begin with When, If, While, Where or the thing they are about`,
      );
    for (const { value, next } of ways) {
      const joined = together(clauses, value);
      if (joined) go(next, joined);
    }
  };
  go(0, none);
  return found;
}

interface Body {
  readonly predicate: Predicate;
  readonly clauses: Clauses;
}

/** What stands behind "shall": what is required, and clauses up to the end. */
function bodiesOf(s: Sentence, lead: Lead, shall: number): Body[] {
  const end = s.words.length;
  const found: Body[] = [];
  const trail = (predicate: Predicate, clauses: Clauses, at: number): void => {
    if (at >= end) return void found.push({ predicate, clauses });
    const ways = clausesAt(s, at, end);
    if (ways.length === 0) {
      const extra = s.words.slice(at).find((w) => !isFiller(w)) ?? s.words[at];
      s.fail(s.words.indexOf(extra), `"${extra.text}" is not understood after the limit`);
    }
    for (const { value, next } of ways) {
      const joined = together(clauses, value);
      if (joined) trail(predicate, joined, next);
      else s.fail(at, `"${s.words[at].text}" says again what has been said`);
    }
  };
  const from = (subject: Range, at: number, clauses: Clauses, isNot: boolean): void => {
    const ways = predicatesAt(s, subject, at, end, isNot);
    for (const { value, next } of ways) trail(value, clauses, next);
    // the time may stand between the subject and what is required: "shall within 2 s fall below 5 rpm"
    if (ways.length === 0)
      for (const clause of clausesAt(s, at, end).filter((w) => w.next > at)) {
        const joined = together(clauses, clause.value);
        if (joined)
          for (const { value, next } of predicatesAt(s, subject, clause.next, end, isNot)) trail(value, joined, next);
      }
  };
  if (!lead.isNot) {
    const { subject } = lead;
    from(subject, shall + 1, lead.clauses, false);
    if (found.length === 0 && quantityIn(s, subject.from, subject.to) === undefined) {
      refuseStranger(s, subject);
      refusePhrase(s, subject, shall + 1);
    }
    return found;
  }
  // "At no time shall the speed exceed 5 rpm": the subject stands behind
  for (let to = shall + 2; to < end; to++) from({ from: shall + 1, to }, to, lead.clauses, true);
  return found;
}

/** A subject of known words that, with what follows up to the next clause, is neither a quantity nor a phrase. */
function refusePhrase(s: Sentence, { from, to }: Range, at: number): void {
  const end = s.words.length;
  let stop = at;
  while (stop < end && (stop === at || clausesAt(s, stop, end).length === 0)) stop++;
  const said = (a: number, b: number): string =>
    s.words
      .slice(a, b)
      .filter((w) => !isFiller(w) && w.norm !== 'not' && w.norm !== 'never')
      .map((w) => w.text)
      .join(' ');
  const word = s.words.slice(at, stop).find((w) => !isFiller(w) && w.norm !== 'not' && w.norm !== 'never');
  if (!word) return;
  const [subject, rest] = [said(from, to), said(at, stop)];
  s.fail(
    s.words.indexOf(word),
    `"${word.text}" is not understood: the glossary has neither "${subject} ${rest}" nor a quantity "${subject}"`,
    'unknown-phrase',
  );
}

/** A subject with a word that no phrase has is told before all that follows it. */
function refuseStranger(s: Sentence, { from, to }: Range): void {
  const word = s.book.unknownWord(s.words.slice(from, to));
  if (!word || s.book.knows(word)) return;
  const opener = s.words[from];
  if (openers.has(opener.norm)) throw new Unread(missingComma(opener), opener.span);
  const { at, message } = unknownIn(s, from, to, 'quantity');
  throw new Unread(message, s.words[at].span, 'unknown-phrase');
}
