import { pairOps, relationAt, type Comparator } from './comparisons';
import type { Predicate } from './compose-formula';
import { loopOperators } from './loop-terms';
import { anyOf, isAt, quantityIn, tryAmount, type Found, type Sentence, type Ways } from './sentence';
import { comparisonWays } from './sentence-comparisons';
import { verbAt, type Range } from './sentence-verbs';

/** What is required of a loop: "shall have a phase margin of at least 50 deg", "the bandwidth of the speed loop shall be above 8 Hz". */

const articles = ['a', 'an', 'the'];
const kinds: readonly (readonly [callee: string, words: readonly string[]])[] = Object.entries(loopOperators).map(
  ([callee, { words }]) => [
    callee,
    callee === 'bandwidth' ? [words, `closed loop ${words}`, `closed-loop ${words}`] : [words],
  ],
);

/** Which of a loop's numbers is named at a word, with an article or without. */
function kindAt(s: Sentence, at: number): Found<string> | undefined {
  const from = articles.includes(s.words[at]?.norm ?? '') ? at + 1 : at;
  for (const [callee, words] of kinds) {
    const next = anyOf(s, from, words);
    if (next !== undefined) return { value: callee, next };
  }
  return undefined;
}

export function loopLimits(s: Sentence, subject: Range, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const verb = verbAt(s, at, isNot);
  const named = kindAt(s, subject.from);
  if (named && named.next < subject.to && isAt(s, named.next, 'of')) {
    const loop = quantityIn(s, named.next + 1, subject.to);
    return loop === undefined ? [] : limitsOf(s, named.value, loop, verb.next, end, verb.value.isNot);
  }
  const has = anyOf(s, verb.value.positiveFrom, ['have', 'keep', 'have got']);
  const kind = has === undefined ? undefined : kindAt(s, has);
  if (!kind) return [];
  const loop = quantityIn(s, subject.from, subject.to);
  const from = isAt(s, kind.next, 'of') ? kind.next + 1 : kind.next;
  return loop === undefined ? [] : limitsOf(s, kind.value, loop, from, end, verb.value.isNot);
}

function limitsOf(s: Sentence, callee: string, loop: string, at: number, end: number, isNot: boolean): Ways<Predicate> {
  const about = `${callee}(${loop})`;
  const inDecibels = callee === 'gainMargin' ? decibels(s, about, at, end, isNot) : undefined;
  if (inDecibels) return [inDecibels];
  const ways = comparisonWays(s, about, at, end, isNot, relationAt(s, at) ? undefined : 'at');
  return ways.map(({ value, next }) => ({
    value: {
      formula: value.formula,
      about,
      notes: value.notes,
      kind: 'plain' as const,
      ...(isNot && { positive: value.positive }),
      isNot,
    },
    next,
  }));
}

/** "at least 6 dB": a factor is told in decibels. */
function decibels(s: Sentence, about: string, at: number, end: number, isNot: boolean): Found<Predicate> | undefined {
  const relation = relationAt(s, at);
  const amount = relation && tryAmount(s, relation.next, end);
  if (!amount || amount.value.unit !== '' || !isAt(s, amount.next, 'db')) return undefined;
  const op = relation.op in pairOps ? (relation.op as Comparator) : undefined;
  if (!op) return undefined;
  const formula = (o: string): string => `${about} ${o} 10^(${amount.value.value}/20)`;
  return {
    value: {
      formula: formula(isNot ? pairOps[op] : op),
      about,
      kind: 'plain',
      isNot,
      ...(isNot && { positive: formula(op) }),
    },
    next: amount.next + 1,
  };
}
