import type { Amount } from './amounts';
import { paren, type Clauses } from './compose-formula';
import { conditionsFrom } from './sentence-conditions';
import { always } from './sentence-verbs';
import { anyOf, isAt, quantityIn, then, timeAt, tryAmount, type Sentence, type Ways } from './sentence';

/** The clauses around what is required: when, while, within, for, until and so on, before "shall" and behind it. */

export type Clause = Partial<Clauses>;

const events = ['when', 'every time', 'each time'];
const pastEvents = [
  'once',
  'after',
  'upon',
  'as soon as',
  'immediately after',
  'following',
  'from the moment',
  'from the moment that',
  'from the time',
  'from the time that',
  'from when',
];
// "whenever" tells of each time, or of all the time: what follows in time says which
const ifs = [
  'if',
  'whenever',
  'in the event that',
  'in the event of',
  'in case',
  'in case of',
  'when in',
  'whenever in',
  'if in',
];
const states = [
  'while',
  'whilst',
  'during',
  'where',
  'as long as',
  'so long as',
  'for as long as',
  'provided that',
  'in',
  'in state',
  'while in',
  'whilst in',
  'as long as in',
];
const ends = [
  'at the end of the run',
  'at the end',
  'at the end of a run',
  'when the run ends',
  'when the run has ended',
];
const noLater = [
  'within',
  'no later than',
  'not later than',
  'no more than',
  'not more than',
  'at most',
  'at the latest',
  'in less than',
  'in under',
  'in no more than',
  'in not more than',
  'in at most',
  'in a maximum of',
  'within a maximum of',
  'within at most',
  'within no more than',
  'within less than',
];
const starts = [
  'of start',
  'of the start',
  'after start',
  'after the start',
  'from start',
  'from the start',
  'of the run',
];

/** All clauses that begin at a word, with all the places where they can end. */
export function clausesAt(s: Sentence, at: number, end: number): Ways<Clause> {
  return [
    ...conditional(s, at, end),
    ...timed(s, at, end),
    ...lasting(s, at, end),
    ...plain(anyOf(s, at, always), end),
    ...plain(anyOf(s, at, ends), end).map(({ next }) => ({ value: { atEnd: true }, next })),
  ];
}
const plain = (next: number | undefined, end: number): Ways<Clause> =>
  next !== undefined && next <= end ? [{ value: {}, next }] : [];

function conditional(s: Sentence, at: number, end: number): Ways<Clause> {
  const make = (
    openers: readonly string[],
    what: 'event' | 'condition',
    clause: (c: string) => Clause,
  ): Ways<Clause> => {
    const from = anyOf(s, at, openers);
    if (from === undefined) return [];
    return then(conditionsFrom(s, from, what, end), (c, next) => [{ value: clause(c), next }]);
  };
  if (anyOf(s, at, ['if and only if']) !== undefined)
    return make(['if and only if'], 'condition', (c) => ({ ifAndOnlyIf: c }));
  return [
    ...make(['only if', 'only when', 'only while'], 'condition', (c) => ({ onlyIf: c })),
    ...make(events, 'event', (c) => ({ trigger: c })),
    ...make(pastEvents, 'event', (c) => ({ trigger: c, isPast: true })),
    ...make(ifs, 'event', (c) => ({ ifClause: c })),
    ...make(states, 'condition', (c) => ({ conditions: [c] })),
    ...make(['unless', 'except when', 'except while'], 'condition', (c) => ({ conditions: [`not ${paren(c)}`] })),
    ...make(['until'], 'event', (c) => ({ until: c })),
    ...inMode(s, at, end),
  ];
}

/** "in the cooling state": the words around the name of a state. */
function inMode(s: Sentence, at: number, end: number): Ways<Clause> {
  if (!isAt(s, at, 'in')) return [];
  const word = s.words.findIndex((w, k) => k > at && k < end && ['mode', 'state'].includes(w.norm));
  if (word < 0 || quantityIn(s, at + 1, word + 1) !== undefined) return [];
  const meaning = quantityIn(s, at + 1, word);
  return meaning === undefined ? [] : [{ value: { conditions: [meaning] }, next: word + 1 }];
}

/** "within 2 s [after an event]", "2 s after an event", "for 2 s after an event". */
function timed(s: Sentence, at: number, end: number): Ways<Clause> {
  const anchored = (next: number, clause: Clause): Ways<Clause> => {
    const from = anyOf(s, next, ['of', 'after', 'from', 'once', 'when']);
    return from === undefined
      ? []
      : then(conditionsFrom(s, from, 'event', end), (c, after) => [{ value: { ...clause, trigger: c }, next: after }]);
  };
  const from = anyOf(s, at, noLater);
  if (from !== undefined && from < end) {
    const time = timeAt(s, from, end);
    if (!time) return [];
    const within = { within: time.value };
    const start = anyOf(s, time.next, starts);
    return [
      // "at most 2 s" alone is a limit
      ...(isAt(s, at, 'within') || isAt(s, at, 'in') ? [{ value: within, next: time.next }] : []),
      ...anchored(time.next, within),
      ...(start !== undefined ? [{ value: { ...within, fromStart: true }, next: start }] : []),
    ];
  }
  const lasts = anyOf(s, at, ['for', 'during the first', 'for at least', 'for a minimum of', 'for the first']);
  if (lasts !== undefined) {
    const time = timeAt(s, lasts, end);
    return time ? anchored(time.next, { during: time.value }) : [];
  }
  if (!/^\d/.test(s.words[at]?.text ?? '')) return [];
  const time = tryAmount(s, at, end);
  return time?.value.isTime && isAt(s, time.next, 'after') ? anchored(time.next, { delay: time.value }) : [];
}

/** Ways to say how long something lasts, and over which span something is looked at. */
const durations: readonly (readonly [opener: string, key: 'atLeast' | 'atMost' | 'longer'])[] = [
  ['for at least', 'atLeast'],
  ['for a minimum of', 'atLeast'],
  ['for no longer than', 'atMost'],
  ['for not longer than', 'atMost'],
  ['for no more than', 'atMost'],
  ['for not more than', 'atMost'],
  ['for at most', 'atMost'],
  ['for a maximum of', 'atMost'],
  ['for longer than', 'longer'],
  ['for more than', 'longer'],
];
const spans = [
  'over',
  'over any',
  'over every',
  'over each',
  'in any',
  'in every',
  'in each',
  'during any',
  'within any',
];

function lasting(s: Sentence, at: number, end: number): Ways<Clause> {
  const found: { value: Clause; next: number }[] = [];
  for (const [opener, key] of durations) {
    const from = anyOf(s, at, [opener]);
    const time = from === undefined ? undefined : timeAt(s, from, end);
    if (time) found.push({ value: { [key]: time.value }, next: time.next });
  }
  const span = spanAt(s, at, end);
  if (span) found.push({ value: { window: span.value }, next: span.next });
  return found;
}
export function spanAt(s: Sentence, at: number, end: number): { value: Amount; next: number } | undefined {
  const from = anyOf(s, at, spans);
  if (from === undefined) return undefined;
  return timeAt(s, isAt(s, from, 'period', 'of') ? from + 2 : from, end);
}

/** What may stand behind an event without a comma: where else, or until when. */
export const goesWithEvent = (c: Clause): boolean =>
  Object.keys(c).every((key) => key === 'conditions' || key === 'until') && Object.keys(c).length > 0;
export const isEvent = (c: Clause): boolean => (c.trigger ?? c.ifClause) !== undefined;

/** Clauses together: each kind once, but conditions as often as they come. */
export function together(a: Clauses, b: Clause): Clauses | undefined {
  for (const key of Object.keys(b) as (keyof Clauses)[])
    if (key !== 'conditions' && a[key] !== undefined) return undefined;
  return { ...a, ...b, conditions: [...a.conditions, ...(b.conditions ?? [])] };
}
