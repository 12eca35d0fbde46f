import { amountText, type Amount } from './amounts';
import { paren, trim, type Clauses, type Predicate } from './compose-formula';
import { relationAt } from './comparisons';
import { spanAt } from './sentence-clauses';
import { comparisonWays } from './sentence-comparisons';
import { conditionIn } from './sentence-conditions';
import { counts } from './sentence-counts';
import { loopLimits } from './sentence-loops';
import { nots, staying, verbAt, type Range } from './sentence-verbs';
import { isFiller } from './phrases';
import {
  anyOf,
  isAt,
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

/** Everything that may be required of a subject in the words from one on. */
export function predicatesAt(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const special = [
    ...averages(s, subject, at, end, isNot),
    ...namedTimes(s, subject, at, end, isNot),
    ...counts(s, subject, at, end, isNot),
    ...reaching(s, subject, at, end, isNot),
    ...overshoots(s, subject, at, end, isNot),
    ...absences(s, subject, at, end),
    ...loopLimits(s, subject, at, end, isNot),
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
    if (!match || match.negated !== match.isOpposite) continue;
    const named = paren(match.entry.meaning);
    const meaning = match.isOpposite ? `not ${named}` : named;
    const opposite = match.isOpposite ? named : `not ${named}`;
    found.push({
      value: {
        formula: verb.value.isNot ? opposite : meaning,
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

/** "There shall be no jam while charging". */
function absences(s: Sentence, subject: Range, at: number, end: number): Ways<Predicate> {
  const from = anyOf(s, at, [
    'be no',
    'never be a',
    'never be an',
    'never be any',
    'not be any',
    'not be a',
    'not be an',
  ]);
  if (from === undefined || subject.to !== subject.from + 1 || !isAt(s, subject.from, 'there')) return [];
  const found: Found<Predicate>[] = [];
  for (let next = from + 1; next <= end; next++) {
    if (isFiller(s.words[next - 1])) continue;
    const match = s.book.find(s.words.slice(from, next));
    if (!match || match.negated) continue;
    const positive = paren(match.entry.meaning);
    const { meaning: about } = match.entry;
    found.push({ value: { formula: `not ${positive}`, about, kind: 'plain', positive, isNot: true }, next });
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
