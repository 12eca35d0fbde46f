import { amountText, differenceUnit, type Amount } from './amounts';
import { band } from './compose-formula';
import { pairOps, relationAt, type Relation } from './comparisons';
import {
  anyOf,
  inSize,
  isAt,
  quanta,
  then,
  tryAmount,
  type Found,
  type Quantum,
  type Sentence,
  type Ways,
} from './sentence';
import { isVerb } from './sentence-verbs';

/** What a quantity is compared with: `below 5 A`, `between 1 and 2 V`, `within 0.1 V of 5 V`, `kept at 5 V with a tolerance of 2 %`. */

export interface Compared {
  readonly formula: string;
  /** The same without "not". */
  readonly positive: string;
  /** In which units numbers without one were taken. */
  readonly notes: readonly string[];
}

/** What is compared with, before it is known in which unit numbers without one are. */
type Draft = (units: Units) => string;
interface Drafted {
  readonly draft: Draft;
  readonly amounts: readonly Amount[];
  readonly notes?: readonly string[];
}
/** The unit of numbers that have none. */
type Units = (q: Quantum) => Quantum;

const wrongWay = (low: Quantum, high: Quantum, s: Sentence, at: number): boolean => {
  const [a, b] = [low.amount, high.amount];
  if (!a || !b || a.value < b.value || (a.unit !== b.unit && a.unit !== '' && b.unit !== '')) return false;
  s.fail(at, `Between ${a.value} and ${b.value} there is nothing: the lower limit comes first`);
  return true;
};

/** One comparison at a word, in all its ways. */
function drafts(s: Sentence, about: string, at: number, end: number, isNot: boolean, given?: Relation): Ways<Drafted> {
  const relation = given ? { op: given, next: at } : relationAt(s, at);
  if (!relation) return [];
  switch (relation.op) {
    case 'between':
      return between(s, about, relation.next, end, isNot, ['and']);
    case 'range': {
      const from = anyOf(s, relation.next, ['of', 'from', 'between']) ?? relation.next;
      return between(s, about, from, end, isNot, ['to', 'and']);
    }
    case 'near':
      return near(s, about, relation.next, end, isNot);
    case 'at':
      return around(s, about, relation.next, end, isNot);
    case 'deviate':
      return deviating(s, about, relation.next, end, isNot);
    case 'zero':
      return [
        {
          value: { draft: () => `${about} ${isNot ? '<>' : '=='} 0`, amounts: [] },
          next: relation.next,
        },
      ];
  }
  const op = isNot ? pairOps[relation.op] : relation.op;
  const plain = then(quanta(s, relation.next, end), (q, next): Ways<Drafted> => {
    if (isAt(s, next, '±')) {
      s.fail(next, '"±" gives a value its tolerance; a limit has none: write the limit itself');
      return [];
    }
    const far = relation.op === '>' || relation.op === '<' ? anyOf(s, next, ['by more than']) : undefined;
    if (far !== undefined) return beyond(s, about, op, relation.op === '>' ? '+' : '-', q, far, end);
    return [{ value: { draft: (u) => `${about} ${op} ${u(q).text}`, amounts: amountsOf(q) }, next }];
  });
  return relation.op === '==' ? [...plain, ...around(s, about, relation.next, end, isNot)] : plain;
}

/** `exceed the room temperature by more than 30 K`. */
const beyond = (
  s: Sentence,
  about: string,
  op: string,
  sign: '+' | '-',
  from: Quantum,
  at: number,
  end: number,
): Ways<Drafted> => {
  const by = tryAmount(s, at, end);
  if (!by || by.value.unit === '' || by.value.unit === '%' || from.amount?.unit === '') {
    s.fail(at, 'By how much? Both values need their units here: exceed 60 degC by more than 3 K');
    return [];
  }
  const distance = amountText({ value: by.value.value, unit: differenceUnit(by.value.unit) });
  return [{ value: { draft: () => `${about} ${op} ${from.text} ${sign} ${distance}`, amounts: [] }, next: by.next }];
};

const amountsOf = (...all: readonly Quantum[]): Amount[] => all.flatMap((q) => q.amount ?? []);

const between = (
  s: Sentence,
  about: string,
  at: number,
  end: number,
  isNot: boolean,
  joints: readonly string[],
): Ways<Drafted> =>
  then(quanta(s, at, end), (low, joint): Ways<Drafted> => {
    if (!joints.includes(s.words[joint]?.norm ?? '') || joint >= end) {
      s.fail(joint, '"between" needs two limits: between 1 and 2');
      return [];
    }
    return then(quanta(s, joint + 1, end), (high, next): Ways<Drafted> => {
      if (wrongWay(low, high, s, at)) return [];
      const draft: Draft = (u) => {
        const inside = `${about} >= ${u(low).text} and ${about} <= ${u(high).text}`;
        return isNot ? `not (${inside})` : inside;
      };
      return [{ value: { draft, amounts: amountsOf(low, high) }, next }];
    });
  });

/** `[±] 0.1 V of 5 V`. */
const near = (s: Sentence, about: string, at: number, end: number, isNot: boolean): Ways<Drafted> =>
  then(quanta(s, isAt(s, at, '±') ? at + 1 : at, end), (tolerance, joint): Ways<Drafted> => {
    if (!tolerance.amount) return [];
    const from = anyOf(s, joint, ['of', 'around', 'from', 'about']);
    if (from === undefined) {
      s.fail(joint, '"within" needs a value to be near to: within 0.1 V of 5 V');
      return [];
    }
    return then(quanta(s, from, end), (centre, next) => [banded(about, centre, tolerance, isNot, next)]);
  });

/** `5 V ± 0.1 V`, `5 V with a tolerance of 2 %`, `5 V to within 0.1 V`. */
const around = (s: Sentence, about: string, at: number, end: number, isNot: boolean): Ways<Drafted> =>
  then(quanta(s, at, end), (centre, joint): Ways<Drafted> => {
    const from = anyOf(s, joint, ['±', 'with a tolerance of', 'to within', 'with a tolerance of ±', 'to within ±']);
    if (from === undefined) {
      s.fail(joint, 'Exactly that? Give it a tolerance: 5 V ± 0.1 V');
      return [];
    }
    return then(quanta(s, from, end), (tolerance, next) =>
      tolerance.amount ? [banded(about, centre, tolerance, isNot, next)] : [],
    );
  });

/** `from 5 V by more than 0.1 V`: "deviate". */
const deviating = (s: Sentence, about: string, at: number, end: number, isNot: boolean): Ways<Drafted> =>
  then(quanta(s, at, end), (centre, joint): Ways<Drafted> => {
    const from = anyOf(s, joint, ['by more than']);
    if (from === undefined || !isNot) return [];
    return then(quanta(s, from, end), (tolerance, next) =>
      tolerance.amount ? [banded(about, centre, tolerance, false, next)] : [],
    );
  });

/** A tolerance has a unit of its own: what it may share with its centre is the dimension. */
const banded = (about: string, centre: Quantum, tolerance: Quantum, isNot: boolean, next: number): Found<Drafted> => ({
  value: {
    draft: () => band(about, centre, tolerance.amount, isNot),
    amounts: [],
    notes: sharedUnit(centre.amount, tolerance.amount),
  },
  next,
});

/** A value and its tolerance of which one has no unit. */
function sharedUnit(centre: Amount | undefined, tolerance: Amount | undefined): string[] {
  if (!centre || !tolerance || tolerance.unit === '%') return [];
  if (tolerance.unit === '' && centre.unit !== '')
    return [`${tolerance.value} has no unit: it is taken in ${differenceUnit(centre.unit)}`];
  return centre.unit === '' && tolerance.unit !== ''
    ? [`${centre.value} has no unit: it is taken in ${tolerance.unit}`]
    : [];
}

/** In a list of limits of one quantity a number without a unit has that of the others, where these have one only. */
function unitsOf(
  s: Sentence,
  about: string,
  amounts: readonly Amount[],
  at: number,
): { readonly units: Units; readonly notes: readonly string[] } | undefined {
  const bare = amounts.filter((a) => a.unit === '');
  const named = [...new Set(amounts.map((a) => a.unit).filter((u) => u !== ''))];
  if (bare.length === 0) return { units: (q) => q, notes: [] };
  const values = bare.map((a) => a.value).join(' and ');
  const [is, its] = bare.length === 1 ? ['has', 'it is'] : ['have', 'they are'];
  if (named.length === 0) {
    const told = bare.some((a) => a.value !== 0);
    return { units: (q) => q, notes: told ? [`${values} ${is} no unit: ${its} taken in that of ${about}`] : [] };
  }
  if (named.length > 1) {
    s.fail(at, `In which unit is the number without one: ${named.join(' or ')}?`);
    return undefined;
  }
  const [unit] = named;
  return {
    units: (q) => (q.amount?.unit === '' ? { text: amountText({ value: q.amount.value, unit }) } : q),
    notes: [`${values} ${is} no unit: ${its} taken in ${unit}`],
  };
}

/** One comparison after the other: "at least 5 V and at most 6 V", "... and shall not fall below 3 V", "below 2 A or above 5 A". */
export function comparisonWays(
  s: Sentence,
  about: string,
  at: number,
  end: number,
  isNot: boolean,
  given?: Relation,
): Ways<Compared> {
  const list = (from: number, not: boolean, first?: Relation): Ways<readonly Listed[]> =>
    then(drafts(s, about, from, end, not, first), (drafted, next): Ways<readonly Listed[]> => {
      const one: Listed = { ...drafted, isNot: not, at: from };
      const more = goesOn(s, next, not).flatMap(({ joint, isNot: inner, at: begin, said }) =>
        list(begin, inner).map((rest) => ({
          value: [{ ...one, joint, said }, ...rest.value],
          next: rest.next,
        })),
      );
      return [{ value: [one], next }, ...more];
    });
  const own = then(list(at, isNot, given), (parts, next): Ways<Compared> => {
    const made = composed(s, about, parts);
    if (made === undefined) return [];
    const turned = parts.length === 1 && isNot && drafts(s, about, at, end, false, given).find((w) => w.next === next);
    const positive = turned ? composed(s, about, [{ ...turned.value, isNot: false, at }])?.formula : undefined;
    return [{ value: { ...made, positive: positive ?? made.formula }, next }];
  });
  if (about.startsWith('abs(') || !own.some((w) => anyOf(s, w.next, inSize) !== undefined)) return own;
  // "smaller than 0.1 mm in magnitude"
  const sized = comparisonWays(s, `abs(${about})`, at, end, isNot, given).flatMap((w) => {
    const next = anyOf(s, w.next, inSize);
    return next === undefined || next > end ? [] : [{ ...w, next }];
  });
  return [...own, ...sized];
}

interface Listed extends Drafted {
  readonly isNot: boolean;
  readonly at: number;
  /** What joins it to the next, and whether that says for itself whether it is negated. */
  readonly joint?: 'and' | 'or';
  readonly said?: boolean;
}

/** "and", "or", and what may stand before the next comparison. */
function goesOn(
  s: Sentence,
  at: number,
  isNot: boolean,
): { joint: 'and' | 'or'; isNot: boolean; at: number; said: boolean }[] {
  const word = s.words[at]?.norm;
  if (word !== 'and' && word !== 'or' && word !== 'but') return [];
  // "above 0.2 m but below 0.9 m"
  const joint = word === 'but' ? 'and' : word;
  let k = at + 1;
  const again = anyOf(s, k, ['shall', 'must']);
  if (again !== undefined) k = again;
  const not = anyOf(s, k, ['not', 'never']);
  if (not !== undefined && !isNegatedRelation(s, k)) k = not;
  else if (not !== undefined) return [{ joint, isNot: false, at: k, said: true }];
  while (isVerb(s, k)) k++;
  const said = again !== undefined || not !== undefined;
  return [{ joint, isNot: said ? not !== undefined : isNot, at: k, said }];
}
const isNegatedRelation = (s: Sentence, at: number): boolean => {
  const found = relationAt(s, at);
  return found !== undefined && s.words[at].norm === 'not' && found.next > at + 1;
};

function composed(
  s: Sentence,
  about: string,
  parts: readonly Listed[],
): { readonly formula: string; readonly notes: readonly string[] } | undefined {
  // what does not go together shows at the last of them
  const last = parts.at(-1)!.at;
  const joints = [...new Set(parts.flatMap((p) => p.joint ?? []))];
  if (joints.length > 1) {
    s.fail(last, '"and" and "or" side by side can be read in two ways: write two requirements');
    return undefined;
  }
  // "not below a and above b": does "not" count for both?
  const carried = parts.some((p, k) => k > 0 && p.isNot && !parts[k - 1].said);
  if (carried && joints[0] === 'and') {
    s.fail(last, 'Does "not" count for both? Write "and shall not", or two requirements');
    return undefined;
  }
  const read = unitsOf(
    s,
    about,
    parts.flatMap((p) => p.amounts),
    last,
  );
  if (!read) return undefined;
  const made = parts.map((p) => p.draft(read.units));
  if (joints[0] === 'and' && isEmpty(made)) {
    s.fail(last, 'No value can be both');
    return undefined;
  }
  // not (a or b): neither
  const joint = carried ? 'and' : (joints[0] ?? 'and');
  return { formula: made.join(` ${joint} `), notes: [...read.notes, ...parts.flatMap((p) => p.notes ?? [])] };
}

/** Whether limits in one unit leave nothing between them. */
function isEmpty(formulas: readonly string[]): boolean {
  let [low, high] = [-Infinity, Infinity];
  const units = new Set<string>();
  for (const f of formulas) {
    const m = /^\S+ (<=|<|>=|>) (-?[\d.e+-]+)(?: '(.*)')?$/.exec(f);
    if (!m) return false;
    units.add(m[3] ?? '');
    if (m[1].startsWith('<')) high = Math.min(high, Number(m[2]));
    else low = Math.max(low, Number(m[2]));
  }
  return units.size === 1 && low > high;
}
