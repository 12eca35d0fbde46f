import { relationAt } from './comparisons';
import { anyOf, isIn, type Found, type Sentence } from './sentence';

/** Verbs and "not" in front of what is required. */

/** Words from one to another. */
export interface Range {
  readonly from: number;
  readonly to: number;
}

/** Verbs before a limit; those in the first list say that it is so already and stays so. */
export const staying = new Set([
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
export const coming = new Set([
  'be',
  'is',
  'are',
  'lie',
  'lies',
  'fall',
  'falls',
  'drop',
  'drops',
  'rise',
  'rises',
  'decrease',
  'decreases',
  'increase',
  'increases',
  'climb',
  'climbs',
  'sink',
  'sinks',
  'go',
  'goes',
  'become',
  'becomes',
  'get',
  'gets',
  'have',
  'has',
  'last',
  'lasts',
  'take',
  'takes',
]);
export const isVerb = (s: Sentence, at: number): boolean => isIn(s, at, staying) || isIn(s, at, coming);
/** Words that say of a limit that it holds all the time, as it does anyway. */
export const always = [
  'at all times',
  'at any time',
  'at every moment',
  'under all conditions',
  'under all circumstances',
  'under any circumstances',
  'in all states',
];
export const nots = [
  'not',
  'never',
  'at no time',
  'under no circumstances',
  'in no case',
  'not at any time',
  'not ever',
];

export interface Verb {
  readonly isNot: boolean;
  readonly stays: boolean;
  /** Where the "not" ends. */
  readonly positiveFrom: number;
}

/** "not", and verbs, in front of what is required. */
export function verbAt(s: Sentence, at: number, isNot: boolean): Found<Verb> {
  let k = at;
  const not = isNot ? undefined : anyOf(s, k, nots);
  if (not !== undefined && !isRelationWithNot(s, k)) k = not;
  const positiveFrom = k;
  let stays = false;
  for (;;) {
    const adverb = anyOf(s, k, always);
    if (adverb !== undefined) k = adverb;
    else if (isVerb(s, k)) stays = isIn(s, k++, staying) || stays;
    else break;
  }
  return { value: { isNot: isNot || positiveFrom > at, stays, positiveFrom }, next: k };
}
/** "not more than" is a comparison of its own, "not exceed" is not. */
const isRelationWithNot = (s: Sentence, at: number): boolean =>
  (relationAt(s, at)?.next ?? 0) > at + 1 && relationAt(s, at + 1) === undefined;
