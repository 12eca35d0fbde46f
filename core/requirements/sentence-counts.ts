import { amountText, type Amount } from './amounts';
import { pairOps, relationAt, type Comparator } from './comparisons';
import { paren, trim, type Clauses, type Predicate } from './compose-formula';
import { isFiller, wordsOf, type Word } from './phrases';
import { anyOf, isAt, tryAmount, type Found, type Sentence, type Ways } from './sentence';
import { conditionIn } from './sentence-conditions';
import { coming, nots, staying, type Range } from './sentence-verbs';

/** How often something happens: in all, per time, or in any span of it. */

const happen: ReadonlySet<string> = new Set(['occur', 'happen', 'take', 'place', 'be', 'do']);

/** "open at most 3 times per minute", "finish at least 22 tubes per minute", "the number of starts shall be at most 3". */
export function counts(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const not = isNot ? undefined : anyOf(s, at, nots);
  const negated = isNot || not !== undefined;
  const start = not ?? at;
  const number = anyOf(s, subject.from, ['the number of', 'number of']);
  const found: Found<Predicate>[] = negated ? [] : [...occurrences(s, subject, start, end)];
  for (let k = start; k < end; k++) {
    const often = anyOf(s, k, ['more often than', 'no more often than', 'not more often than', 'less often than']);
    const relation = often !== undefined ? undefined : relationAt(s, k);
    const op: Comparator | undefined =
      often !== undefined
        ? s.words[k].norm === 'more'
          ? '>'
          : s.words[k].norm === 'less'
            ? '<'
            : '<='
        : asComparator(relation?.op);
    if (op === undefined) continue;
    const amount = tryAmount(s, often ?? relation!.next, end);
    if (amount?.value.unit !== '' || !Number.isInteger(amount.value.value)) continue;
    found.push(...counted(s, { subject, number, start, k, op, negated }, amount, end));
  }
  return found;
}
/** "No more than 3 jams shall occur within any 10 min". */
function occurrences(s: Sentence, subject: Range, at: number, end: number): Ways<Predicate> {
  const relation = relationAt(s, subject.from);
  const op = asComparator(relation?.op);
  const amount = op && tryAmount(s, relation!.next, subject.to);
  const verb = anyOf(s, at, ['occur', 'happen', 'take place', 'be counted', 'be seen']);
  if (!amount || verb === undefined || amount.value.unit !== '' || !Number.isInteger(amount.value.value)) return [];
  const event = conditionIn(s, amount.next, subject.to, 'event');
  return event === undefined ? [] : periods(s, event, op, amount.value.value, verb, end, []);
}
const asComparator = (op: string | undefined): Comparator | undefined =>
  op !== undefined && op in pairOps ? (op as Comparator) : undefined;

interface Count {
  readonly subject: Range;
  /** Where the event begins in "the number of ...". */
  readonly number: number | undefined;
  readonly start: number;
  readonly k: number;
  readonly op: Comparator;
  readonly negated: boolean;
}

function counted(s: Sentence, c: Count, amount: Found<Amount>, end: number): Ways<Predicate> {
  const { subject, number, start, k } = c;
  const word = s.words[amount.next - 1].norm;
  const times = isAt(s, amount.next, 'times') || isAt(s, amount.next, 'time');
  const isTimes = times || word === 'once' || word === 'twice';
  const op = c.negated ? (pairOps[c.op] as Comparator) : c.op;
  const verbs = s.words.slice(start, k).filter((w) => !happen.has(w.norm));
  const named = s.words.slice(subject.from, subject.to);
  const make = (event: string | undefined, after: number, ignored: readonly Word[]): Ways<Predicate> =>
    event === undefined ? [] : periods(s, event, op, amount.value.value, after, end, ignored);
  if (number !== undefined) {
    if (verbs.some((w) => !staying.has(w.norm) && !coming.has(w.norm)) || times) return [];
    return make(conditionIn(s, number, subject.to, 'event'), amount.next, []);
  }
  const after = times ? amount.next + 1 : amount.next;
  const phrase = (words: readonly Word[]): string | undefined => {
    const match = words.length > 0 ? s.book.find(words) : undefined;
    return match && !match.negated ? paren(match.entry.meaning) : undefined;
  };
  if (isTimes) return make(phrase([...named, ...verbs]) ?? (verbs.length === 0 ? phrase(named) : undefined), after, []);
  // "finish at least 22 tubes per minute": the noun stands behind the number
  const found: Found<Predicate>[] = [];
  for (let next = amount.next + 1; next <= Math.min(end, amount.next + 5); next++) {
    if (!isAt(s, next, 'per') && !isAt(s, next, 'every') && !isAt(s, next, 'in') && !isAt(s, next, 'within')) continue;
    const noun = s.words.slice(amount.next, next);
    const whole = phrase([...named, ...verbs, ...noun]);
    if (whole !== undefined) found.push(...make(whole, next, []));
    // who does it is said, but is nothing the glossary knows
    else if (isStranger(s, named)) found.push(...make(phrase([...verbs, ...noun]), next, named));
  }
  return found;
}
const isStranger = (s: Sentence, words: readonly Word[]): boolean => {
  const own = words.filter((w) => !isFiller(w));
  return own.length > 0 && own.every((w) => !s.book.knows(w));
};

/** What is counted in which time: "per minute", "in any 10 s", or over the whole run. */
function periods(
  s: Sentence,
  event: string,
  op: Comparator,
  limit: number,
  at: number,
  end: number,
  ignored: readonly Word[],
): Ways<Predicate> {
  const upper = op === '<' || op === '<=';
  const make = (next: number, per?: Amount): Found<Predicate> => ({
    value: {
      formula: '',
      about: event,
      kind: 'plain',
      takes(c) {
        const { window, conditions, ...others } = c;
        const what = [event, ...conditions].join(' and ');
        const rest: Clauses = { ...others, conditions: [] };
        const over = window && !per && upper ? window : per;
        // what is left over is refused
        const left: Clauses = window && over !== window ? { ...rest, window } : rest;
        // a rate that is reached is looked at when the run ends
        if (per && !upper)
          return { formula: `rate(${what}) ${op} ${trim(limit / per.value)} '1/${per.unit}'`, kind: 'end', rest: left };
        const value = over ? `count(${amountText(over)}, ${what})` : `count(${what})`;
        return { formula: `${value} ${op} ${limit}`, kind: upper ? 'plain' : 'end', rest: left };
      },
      ...(ignored.length > 0 && { ignored }),
    },
    next,
  });
  const found = [make(at)];
  const per = anyOf(s, at, ['per', 'in', 'every', 'each', 'a', 'an', 'in any', 'in every', 'within any']);
  if (per === undefined) return found;
  if (!upper && !isAt(s, at, 'per')) {
    s.fail(at, 'How often at least is said of the whole run: "per minute", or without a time');
    return found;
  }
  const time = tryAmount(s, per, end);
  if (time?.value.isTime) return [make(time.next, time.value)];
  const unit = s.words[per];
  const named = unit && { ...s, words: wordsOf(`1 ${unit.text}`) };
  const one = named && tryAmount(named, 0, 2);
  if (one?.value.isTime && per < end) return [make(per + 1, one.value)];
  if (isAt(s, at, 'per')) s.fail(per, 'Per what time? "per minute"');
  return found;
}
