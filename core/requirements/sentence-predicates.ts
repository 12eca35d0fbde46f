import { amountText, type Amount } from './amounts';
import { paren, trim, type Clauses, type Predicate } from './compose-formula';
import { pairOps, relationAt, type Comparator } from './comparisons';
import { always, spanAt } from './sentence-clauses';
import { comparisonWays } from './sentence-comparisons';
import { conditionIn } from './sentence-conditions';
import { isFiller, wordsOf, type Word } from './phrases';
import {
  anyOf,
  isAt,
  isIn,
  namesAt,
  quanta,
  quantityIn,
  then,
  timeAt,
  tryAmount,
  type Found,
  type Quantum,
  type Sentence,
  type Ways,
} from './sentence';

/** What is required of the thing a sentence is about: limits, states, reaching, settling, overshoot, averages, counts. */

/** Words from one to another. */
export interface Range {
  readonly from: number;
  readonly to: number;
}

/** Verbs before a limit; those in the first list say that it is so already and stays so. */
const staying = new Set([
  'stay',
  'stays',
  'remain',
  'remains',
  'keep',
  'keeps',
  'kept',
  'held',
  'maintained',
  'always',
  'continuously',
]);
const coming = new Set([
  'be', 'is', 'are', 'lie', 'lies', 'fall', 'falls', 'drop', 'drops', 'rise', 'rises', 'go', 'goes', 'become', 'becomes', 'get', 'gets',
  'have', 'has', 'last', 'lasts', 'take', 'takes',
]); // prettier-ignore
const nots = ['not', 'never', 'at no time', 'under no circumstances', 'in no case', 'not at any time', 'not ever'];

interface Verb {
  readonly isNot: boolean;
  readonly stays: boolean;
  /** Where the "not" ends. */
  readonly positiveFrom: number;
}

/** "not", and verbs, in front of what is required. */
function verbAt(s: Sentence, at: number, isNot: boolean): Found<Verb> {
  let k = at;
  const not = isNot ? undefined : anyOf(s, k, nots);
  if (not !== undefined && !isRelationWithNot(s, k)) k = not;
  const positiveFrom = k;
  let stays = false;
  for (;;) {
    const adverb = anyOf(s, k, always);
    if (adverb !== undefined) k = adverb;
    else if (isIn(s, k, staying) || isIn(s, k, coming)) stays = isIn(s, k++, staying) || stays;
    else break;
  }
  return { value: { isNot: isNot || positiveFrom > at, stays, positiveFrom }, next: k };
}
/** "not more than" is a comparison of its own, "not exceed" is not. */
const isRelationWithNot = (s: Sentence, at: number): boolean =>
  (relationAt(s, at)?.next ?? 0) > at + 1 && relationAt(s, at + 1) === undefined;

/** Everything that may be required of a subject in the words from one on. */
export function predicatesAt(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const special = [
    ...averages(s, subject, at, end, isNot),
    ...namedTimes(s, subject, at, end, isNot),
    ...counts(s, subject, at, end, isNot),
    ...reaching(s, subject, at, end, isNot),
    ...overshoots(s, subject, at, end, isNot),
  ];
  return [...special, ...phrases(s, subject, at, end, isNot), ...limits(s, subject, at, end, isNot)];
}

/** A phrase of the glossary in the words of the subject and some of those that follow: "the cap shall be seated". */
function phrases(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const verb = verbAt(s, at, isNot);
  const start = verb.value.positiveFrom;
  const found: Found<Predicate>[] = [];
  for (let next = start; next <= end; next++) {
    if (next === start && !(subject.to > subject.from)) continue;
    const words = [...s.words.slice(subject.from, subject.to), ...s.words.slice(start, next)];
    // words of no meaning at the end belong to what follows
    if (next > start && isFiller(s.words[next - 1])) continue;
    const match =
      next > start ? (s.book.find(words) ?? s.book.find(words.filter((w) => !staying.has(w.norm)))) : undefined;
    if (!match || match.negated) continue;
    const meaning = paren(match.entry.meaning);
    found.push({
      value: {
        formula: verb.value.isNot ? `not ${meaning}` : meaning,
        about: match.entry.meaning,
        kind: 'plain',
        positive: meaning,
        isNot: verb.value.isNot,
        stays: verb.value.stays,
      },
      next,
    });
  }
  return found;
}

/** Limits of a quantity. */
function limits(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const about = quantityIn(s, subject.from, subject.to);
  if (about === undefined) return [];
  const verb = verbAt(s, at, isNot);
  const open = relationAt(s, verb.next);
  const given = open === undefined && tryAmount(s, verb.next, end) ? ('at' as const) : undefined;
  if (open === undefined && !given) {
    const word = s.words[verb.next];
    s.fail(
      verb.next,
      word
        ? `"${word.text}" is not understood: limits read like "not exceed", "at least", "below", "within 2 % of" or "between"`
        : 'What is required is missing',
    );
    return [];
  }
  return comparisonWays(s, about, verb.next, end, verb.value.isNot, given).map(({ value, next }) => ({
    value: {
      formula: value.formula,
      about,
      notes: value.notes,
      kind: 'plain' as const,
      ...(verb.value.isNot && { positive: value.positive }),
      isNot: verb.value.isNot,
      // what shall not be exceeded is not exceeded all the time
      stays: verb.value.stays,
    },
    next,
  }));
}

/** "reach 200 rpm", "settle to 60 degC ± 2 %". */
function reaching(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const about = quantityIn(s, subject.from, subject.to);
  if (about === undefined) return [];
  const not = anyOf(s, at, nots);
  const from = not ?? at;
  const reach = anyOf(s, from, ['reach', 'have reached', 'be reaching']);
  if (reach !== undefined) {
    const given = relationAt(s, reach) ? undefined : ('>=' as const);
    const negated = isNot || not !== undefined;
    return comparisonWays(s, about, reach, end, false, given).map(({ value, next }) => ({
      value: {
        formula: negated ? `not (${value.formula})` : value.formula,
        about,
        notes: value.notes,
        kind: negated ? ('plain' as const) : ('reach' as const),
        positive: value.formula,
        isNot: negated,
      },
      next,
    }));
  }
  const settle = anyOf(s, from, [
    'settle',
    'have settled',
    'settle to',
    'settle at',
    'have settled to',
    'have settled at',
    'settle in',
  ]);
  if (settle === undefined || isNot || not !== undefined) return [];
  // the time may stand among the other words: "settle within 3 s to 5 V"
  const inside = isAt(s, settle, 'within') ? timeAt(s, settle + 1, end) : undefined;
  const to = inside && anyOf(s, inside.next, ['to', 'at']);
  return [
    ...settled(s, about, settle, end),
    ...(inside && to !== undefined
      ? settled(s, about, to, end).map((w) => ({ ...w, value: { ...w.value, within: inside.value } }))
      : []),
  ];
}

function settled(s: Sentence, about: string, at: number, end: number): Ways<Predicate> {
  const relation = relationAt(s, at);
  const ways = comparisonWays(s, about, at, end, false, relation ? undefined : 'at');
  if (ways.length === 0 && !relation) {
    const number = quanta(s, at, end)[0];
    if (number) s.fail(number.next, 'Settling needs a band: settle to 60 degC ± 0.5 K');
  }
  return ways.map(({ value, next }) => ({
    value: { formula: value.formula, about, notes: value.notes, kind: 'settle' as const },
    next,
  }));
}

/** "overshoot 26 rad/s by at most 5 %", "the overshoot of the speed over 26 rad/s shall not exceed 5 %". */
function overshoots(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const make = (about: string, centre: string, from: number, not: boolean): Ways<Predicate> => {
    const relation = relationAt(s, from);
    const op = relation?.op;
    const upper = relation === undefined ? !not : not ? op === '>' || op === '>=' : op === '<' || op === '<=';
    if (!upper) {
      s.fail(from, 'Overshoot is limited by "at most"');
      return [];
    }
    return then(quanta(s, relation?.next ?? from, end), (q, next): Ways<Predicate> => {
      if (!q.amount) return [];
      const predicate: Predicate = {
        formula: '',
        about,
        kind: 'overshoot',
        takes: (c) => {
          const begin = c.trigger ? `at(${c.trigger}, ${about})` : `at(${about})`;
          const room = q.amount!.unit === '%' ? `${trim(q.amount!.value / 100)}*(${centre} - ${begin})` : q.text;
          return { formula: `${about} <= ${centre} + ${room}`, kind: 'overshoot', rest: c };
        },
      };
      return [{ value: predicate, next }];
    });
  };
  const verb = verbAt(s, at, isNot);
  if (isAt(s, verb.next, 'overshoot')) {
    const about = quantityIn(s, subject.from, subject.to);
    if (about === undefined) return [];
    return then(quanta(s, verb.next + 1, end), (centre, by): Ways<Predicate> => {
      if (!isAt(s, by, 'by')) {
        s.fail(by, 'How much? "overshoot 26 rad/s by at most 5 %"');
        return [];
      }
      return make(about, centre.text, by + 1, verb.value.isNot);
    });
  }
  const named = anyOf(s, subject.from, ['the overshoot of', 'overshoot of']);
  if (named === undefined) return [];
  return then(namesAt(s, named, subject.to), (about, joint): Ways<Predicate> => {
    const over = anyOf(s, joint, ['over', 'above', 'to', 'beyond']);
    if (over === undefined) return [];
    return then(quanta(s, over, subject.to), (centre, next) =>
      next === subject.to ? make(about, centre.text, verb.next, verb.value.isNot) : [],
    );
  });
}

/** A limit of a time: "be at most 0.3 s", "not exceed 0.3 s". */
function timeLimit(s: Sentence, at: number, end: number, isNot: boolean): Found<Amount> | undefined {
  const verb = verbAt(s, at, isNot);
  const relation = relationAt(s, verb.next);
  const not = verb.value.isNot;
  const isUpper =
    relation && (not ? relation.op === '>' || relation.op === '>=' : relation.op === '<' || relation.op === '<=');
  if (!isUpper) {
    s.fail(verb.next, 'How long may it take? "shall be at most 0.3 s"');
    return undefined;
  }
  return timeAt(s, relation.next, end);
}

/** "The rise time of the speed to 26 rad/s": from 10 to 90 % unless said otherwise; "the settling time of ... to 26 rad/s ± 2 %". */
function namedTimes(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const rise = anyOf(s, subject.from, ['the rise time of', 'rise time of']);
  const settling = anyOf(s, subject.from, ['the settling time of', 'settling time of']);
  const between = anyOf(s, subject.from, ['the time from', 'the time between', 'time from', 'time between']);
  const limit = (rise ?? settling ?? between) === undefined ? undefined : timeLimit(s, at, end, isNot);
  if (!limit) return [];
  const { value: most, next } = limit;
  if (rise !== undefined)
    return then(namesAt(s, rise, subject.to), (about, k): Ways<Predicate> => {
      const starts: Ways<Quantum | undefined> = isAt(s, k, 'from')
        ? quanta(s, k + 1, subject.to)
        : [{ value: undefined, next: k }];
      return then(starts, (low, to): Ways<Predicate> => {
        if (!isAt(s, to, 'to')) {
          s.fail(to, 'Rise time to what value? "The rise time of the speed to 26 rad/s shall ..."');
          return [];
        }
        return then(quanta(s, to + 1, subject.to), (target, after): Ways<Predicate> => {
          if (after !== subject.to) return [];
          const [from, up] = low
            ? [`${about} >= ${low.text}`, `${about} >= ${target.text}`]
            : [`${about} >= 0.1*${target.text}`, `${about} >= 0.9*${target.text}`];
          const formula = `implies(rising(${from}), within(${amountText(most)}, ${up}))`;
          return [{ value: { formula, about, kind: 'made' }, next }];
        });
      });
    });
  if (settling !== undefined)
    return then(namesAt(s, settling, subject.to), (about, k): Ways<Predicate> => {
      if (!isAt(s, k, 'to')) {
        s.fail(k, 'Settling to what band? "The settling time of the speed to 26 rad/s ± 2 % shall ..."');
        return [];
      }
      return settled(s, about, k + 1, subject.to).flatMap((w): Ways<Predicate> =>
        w.next === subject.to ? [{ value: { ...w.value, within: most }, next }] : [],
      );
    });
  const found: Found<Predicate>[] = [];
  for (let k = between! + 1; k < subject.to - 1; k++) {
    if (!['to', 'and', 'until'].includes(s.words[k].norm)) continue;
    const [a, b] = [conditionIn(s, between!, k, 'event'), conditionIn(s, k + 1, subject.to, 'event')];
    if (a !== undefined && b !== undefined)
      found.push({
        value: { formula: `implies(rising(${a}), within(${amountText(most)}, ${b}))`, about: b, kind: 'made' },
        next,
      });
  }
  return found;
}

const statistics = new Map<string, 'average' | 'rms' | 'peak'>([
  ['average', 'average'],
  ['mean', 'average'],
  ['rms', 'rms'],
  ['peak', 'peak'],
  ['maximum', 'peak'],
]);

/** "The average winding current over any 10 s shall not exceed 3 A". */
function averages(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  if (quantityIn(s, subject.from, subject.to) !== undefined) return [];
  const first = isAt(s, subject.from, 'the') ? subject.from + 1 : subject.from;
  const what = statistics.get(s.words[first]?.norm ?? '');
  if (what === undefined) return [];
  const of = anyOf(s, first + 1, ['value of', 'of']) ?? first + 1;
  return then(namesAt(s, of, subject.to), (about, rest): Ways<Predicate> => {
    const span = rest < subject.to ? spanAt(s, rest, subject.to) : undefined;
    if (rest < subject.to && span?.next !== subject.to) return [];
    const verb = verbAt(s, at, isNot);
    return then(
      comparisonWays(s, about, verb.next, end, verb.value.isNot),
      ({ formula, notes }, next): Ways<Predicate> => {
        const predicate: Predicate = {
          formula,
          about,
          notes,
          kind: 'plain',
          isNot: verb.value.isNot,
          stays: verb.value.stays,
          takes: (c) => statisticOf(what, about, formula, c, span?.value),
        };
        return [{ value: predicate, next }];
      },
    );
  });
}

function statisticOf(
  what: 'average' | 'rms' | 'peak',
  about: string,
  formula: string,
  clauses: Clauses,
  own: Amount | undefined,
): { formula: string; kind: Predicate['kind']; rest: Clauses } {
  const { window: said, ...others } = clauses;
  const window = own ?? said;
  const rest: Clauses = own ? clauses : others;
  if (what === 'peak') {
    const upper = /(<=|<) /.test(formula);
    return { formula: formula.replaceAll(about, `abs(${about})`), kind: upper ? 'plain' : 'reach', rest: clauses };
  }
  if (window)
    return { formula: formula.replaceAll(about, `${what}(${amountText(window)}, ${about})`), kind: 'plain', rest };
  const condition = rest.conditions.join(' and ');
  const value = condition ? `${what}During(${condition}, ${about})` : `${what}(${about})`;
  return { formula: formula.replaceAll(about, value), kind: 'end', rest: { ...rest, conditions: [] } };
}

const happen: ReadonlySet<string> = new Set(['occur', 'happen', 'take', 'place', 'be', 'do']);

/** "open at most 3 times per minute", "finish at least 22 tubes per minute", "the number of starts shall be at most 3". */
function counts(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const not = isNot ? undefined : anyOf(s, at, nots);
  const negated = isNot || not !== undefined;
  const start = not ?? at;
  const number = anyOf(s, subject.from, ['the number of', 'number of']);
  const found: Found<Predicate>[] = [];
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
