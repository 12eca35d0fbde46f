import type { Span } from '../language/diagnostics';
import { amountText, differenceUnit, Unread, type Amount } from './amounts';
import type { Word } from './phrases';

/** The clauses of a sentence, taken apart. */
export interface Clauses {
  readonly trigger?: string;
  /** The event is said to be over ("after", "once"): whether it still counts is open where nothing follows in a time. */
  readonly isPast?: boolean;
  /** An event where something must follow it in time, a condition where something must hold meanwhile. */
  readonly ifClause?: string;
  readonly conditions: readonly string[];
  /** Time an answer may take. */
  readonly within?: Amount;
  /** How long after the event it is looked at. */
  readonly delay?: Amount;
  /** How long it must hold from the event on. */
  readonly during?: Amount;
  /** Time something must last, or may last at most. */
  readonly atLeast?: Amount;
  readonly atMost?: Amount;
  /** Lasting longer than this is what is meant: it says something only with "not". */
  readonly longer?: Amount;
  readonly until?: string;
  /** `over 10 s`, `in any 10 s`. */
  readonly window?: Amount;
  /** `within 0.2 s of the start` needs no event. */
  readonly fromStart?: boolean;
  /** It is looked at when the run ends. */
  readonly atEnd?: boolean;
  readonly onlyIf?: string;
  readonly ifAndOnlyIf?: string;
}

/** What must hold, before its clauses are put around it. */
export interface Predicate {
  readonly formula: string;
  readonly about: string;
  /**
   * `plain`: at every moment; `reach`: at some; `settle`: from some moment on; `overshoot`: from the event on; `end`: when the run ends;
   * `made`: complete as it is.
   */
  readonly kind: 'plain' | 'reach' | 'settle' | 'overshoot' | 'end' | 'made';
  /** Stands without "not", with the "not" taken out. */
  readonly positive?: string;
  readonly isNot?: boolean;
  /** It is a state that lasts ("stay", "remain"), not something that comes about. */
  readonly stays?: boolean;
  /** How long it may take, where it says so itself ("settling time"). */
  readonly within?: Amount;
  /** In which units numbers without one were taken. */
  readonly notes?: readonly string[];
  /** Words that stand for somebody who does it. */
  readonly ignored?: readonly Word[];
  /** It says what it does with the conditions, or with a span of time that is always the last. */
  readonly takes?: (clauses: Clauses) => {
    readonly formula: string;
    readonly kind: Predicate['kind'];
    readonly rest: Clauses;
  };
}

const simple = /^[\w.[\]]+$|^\w+\([^()]*\)$/;
export const paren = (meaning: string): string =>
  simple.test(meaning.trim()) ? meaning.trim() : `(${meaning.trim()})`;

const names: Readonly<Record<Exclude<keyof Clauses, 'conditions' | 'isPast'>, string>> = {
  trigger: 'the event',
  ifClause: 'the "if"',
  within: 'the time within which',
  delay: 'the time after which',
  during: 'the time for which',
  atLeast: 'the time it lasts',
  atMost: 'the time it may last',
  longer: 'the time it may last',
  until: 'the "until"',
  window: 'the span of time over which',
  fromStart: 'the start',
  atEnd: 'the end of the run',
  onlyIf: 'the "only if"',
  ifAndOnlyIf: 'the "if and only if"',
};

const time = (a: Amount): string => amountText(a);
const both = (...all: readonly (string | undefined)[]): string | undefined => {
  const parts = all.filter((x) => x !== undefined);
  return parts.length > 0 ? parts.join(' and ') : undefined;
};

/** Puts what must hold and its clauses together: always, when, within, for and so on around the predicate. A clause that has no place is refused. */
export function composeFormula(predicate: Predicate, given: Clauses, last: Span): string {
  const said: Clauses = { ...given, ...(predicate.within && { within: predicate.within }) };
  const taken = predicate.takes?.(said);
  const p: Predicate = taken ? { ...predicate, formula: taken.formula, kind: taken.kind } : predicate;
  const c = withIf(taken?.rest ?? said);
  /** The formula, where all clauses that were given are among those it says something of. */
  const using = (allowed: readonly (keyof typeof names)[], formula: string): string => {
    for (const [key, name] of Object.entries(names) as [keyof typeof names, string][])
      if (c[key] !== undefined && !allowed.includes(key))
        throw new Unread(`How does ${name} go together with the rest? Write it as a requirement of its own`, last);
    return formula;
  };
  const condition = both(...c.conditions);
  const started = c.trigger && both(c.trigger, condition);
  const under = (body: string): string => (condition ? `always(implies(${condition}, ${body}))` : `always(${body})`);
  const answer = (body: string): string =>
    (started ?? condition) ? `always(implies(rising(${started ?? condition}), ${body}))` : body;
  const howSoon = (): never => {
    throw new Unread('A sentence with "when" needs to say how soon: "within 0.2 s"', last);
  };
  switch (p.kind) {
    case 'made':
      return using([], under(p.formula));
    case 'end':
      if (condition) throw new Unread('Does the condition hold for what is counted, or when the run ends?', last);
      return using(['atEnd'], `atEnd(${p.formula})`);
    case 'settle': {
      if (!c.within) throw new Unread('How soon must it settle? "within 5 s"', last);
      const since = started ? `after(${time(c.within)}, ${started})` : `time >= ${time(c.within)}`;
      return using(
        ['within', 'trigger', 'fromStart'],
        `always(implies(${started ? since : both(since, condition)}, ${p.formula}))`,
      );
    }
    case 'overshoot':
      return using(['trigger'], started ? `always(implies(after(0 's', ${started}), ${p.formula}))` : under(p.formula));
    case 'reach':
      if (c.within) return using(['within', 'trigger', 'fromStart'], answer(`within(${time(c.within)}, ${p.formula})`));
      if (started) return howSoon();
      return using([], `eventually(${both(condition, p.formula)})`);
    case 'plain':
  }
  const { formula } = p;
  if (c.atEnd) {
    if (condition) throw new Unread('Does the condition hold when the run ends, or up to then?', last);
    return using(['atEnd'], `atEnd(${formula})`);
  }
  if (c.ifAndOnlyIf) {
    const same = `implies(${c.ifAndOnlyIf}, ${formula}) and implies(${formula}, ${c.ifAndOnlyIf})`;
    return using(['ifAndOnlyIf'], condition ? `always(implies(${condition}, ${same}))` : `always(${same})`);
  }
  if (c.onlyIf && p.isNot) throw new Unread('"not" and "only if" can be read in two ways: say "unless"', last);
  if (c.onlyIf) return using(['onlyIf'], under(`implies(${formula}, ${c.onlyIf})`));
  if (c.until) return using(['until', 'trigger'], answer(`until(${formula}, ${c.until})`));
  if (c.longer ?? c.atMost) {
    const most = c.longer ?? c.atMost!;
    if (c.longer && !p.isNot)
      throw new Unread('"for longer than" says what may not be: write "shall not", or "for at least"', last);
    if (c.atMost && p.isNot)
      throw new Unread('"not" and "at most" can be read in two ways: say how long it may last', last);
    const counted = p.positive ?? formula;
    const start = started ?? both(counted, condition)!;
    return using(
      ['longer', 'atMost', 'trigger'],
      `always(implies(rising(${start}), within(${time(most)}, not ${paren(counted)})))`,
    );
  }
  if (c.during) {
    if (!started) throw new Unread('From when on? "for 2 s after ..."', last);
    return using(
      ['during', 'trigger'],
      `always(implies(rising(${started}), throughout(${time(c.during)}, ${formula})))`,
    );
  }
  if (c.delay) {
    if (!started) throw new Unread('After what? "2 s after ..."', last);
    if (p.isNot)
      throw new Unread('At that moment, or from then on? Say what it shall be then, or how it shall stay', last);
    return using(
      ['delay', 'trigger'],
      p.stays
        ? `always(implies(after(${time(c.delay)}, ${started}), ${formula}))`
        : `always(implies(rising(${started}), always(${time(c.delay)}, ${time(c.delay)}, ${formula})))`,
    );
  }
  if (c.atLeast) {
    const lasts = `throughout(${time(c.atLeast)}, ${formula})`;
    const allowed: readonly (keyof typeof names)[] = ['atLeast', 'within', 'trigger'];
    if (c.within) return using(allowed, answer(`within(${time(c.within)}, ${lasts})`));
    if (p.isNot && !started)
      throw new Unread('"not" and "for at least" can be read in two ways: say "for longer than"', last);
    return using(allowed, `always(implies(rising(${started ?? both(formula, condition)}), ${lasts}))`);
  }
  if (c.within) {
    if (p.isNot)
      throw new Unread(
        '"not" and "within" can be read in two ways: say "for 2 s after ..." where it must not be all that time',
        c.within.span,
      );
    if (p.stays)
      throw new Unread(
        'Does it have to begin within the time, or to last for it? Say "for 2 s after ..." or "be"',
        c.within.span,
      );
    if (started) return using(['within', 'trigger'], answer(`within(${time(c.within)}, ${formula})`));
    if (c.fromStart) {
      if (condition)
        throw new Unread('Does the condition hold at the start, or whenever the limit is looked at?', c.within.span);
      return using(['within', 'fromStart'], `within(${time(c.within)}, ${formula})`);
    }
    throw new Unread('"within" needs a moment to count from: begin the sentence with "When ..., "', c.within.span);
  }
  if (started) {
    // what may not be, or stays as it is, has no time in which to come about
    if (!p.isNot && !p.stays) return howSoon();
    if (c.isPast) throw new Unread('From then on, or as long as it is so? Say "while", or "for 2 s after"', last);
    return using(['trigger'], `always(implies(${started}, ${formula}))`);
  }
  return using([], under(formula));
}

/** "If" begins an event where something must follow it in time, and a condition otherwise. */
function withIf({ ifClause, ...c }: Clauses): Clauses {
  if (ifClause === undefined) return c;
  const inTime = c.within ?? c.atLeast ?? c.atMost ?? c.longer ?? c.until ?? c.delay ?? c.during;
  return inTime !== undefined && c.trigger === undefined
    ? { ...c, trigger: ifClause }
    : { ...c, conditions: [...c.conditions, ifClause] };
}

export const trim = (value: number): string => String(Number(value.toPrecision(12)));

/** |q - centre| <= tolerance, with percent of the centre. */
export function band(
  about: string,
  centre: { text: string; amount?: Amount },
  tolerance: Amount | undefined,
  negated: boolean,
): string {
  const op = negated ? '>' : '<=';
  if (!tolerance) return `abs(${about} - ${centre.text}) ${op} 0`;
  const { amount } = centre;
  let limit: string;
  if (tolerance.unit === '%' && amount?.unit !== '%') {
    limit = amount
      ? amountText({
          value: Number(trim((Math.abs(amount.value) * tolerance.value) / 100)),
          unit: differenceUnit(amount.unit),
        })
      : `${trim(tolerance.value / 100)}*abs(${centre.text})`;
  } else limit = amountText({ value: tolerance.value, unit: differenceUnit(tolerance.unit || amount?.unit || '') });
  const middle =
    amount && !amount.unit && tolerance.unit && tolerance.unit !== '%'
      ? amountText({ value: amount.value, unit: tolerance.unit })
      : centre.text;
  return `abs(${about} - ${middle}) ${op} ${limit}`;
}
