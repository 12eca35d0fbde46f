import type { Span } from '../language/diagnostics';
import { amountText, differenceUnit, Unread, type Amount } from './amounts';

/** The clauses of a sentence, taken apart. */
export interface Clauses {
  trigger?: string;
  condition?: string;
  /** Time an answer may take. */
  within?: Amount;
  /** Time something must last, or may last at most. */
  atLeast?: Amount;
  atMost?: Amount;
  until?: string;
  /** `over 10 s`, `in any 10 s`. */
  window?: Amount;
  /** `within 0.2 s of the start` needs no event. */
  fromStart?: boolean;
}

/** What must hold, before its clauses are put around it. */
export interface Predicate {
  readonly formula: string;
  readonly about: string;
  /** `plain`: at every moment; `reach`: at some; `end`: when the run ends; `made`: complete as it is. */
  readonly kind: 'plain' | 'reach' | 'settle' | 'overshoot' | 'end' | 'made';
  /** Stands without "not", with the "not" taken out. */
  readonly positive?: string;
}

const simple = /^[\w.[\]]+$|^\w+\([^()]*\)$/;
export const paren = (meaning: string): string =>
  simple.test(meaning.trim()) ? meaning.trim() : `(${meaning.trim()})`;
/** Puts what must hold and its clauses together: always, when, within, for and so on around the predicate. */
export function composeFormula(p: Predicate, c: Clauses, last: Span): string {
  const time = (a: Amount): string => amountText(a);
  const under = (body: string): string =>
    c.condition ? `always(implies(${c.condition}, ${body}))` : `always(${body})`;
  const started = c.trigger && (c.condition ? `${c.trigger} and ${c.condition}` : c.trigger);
  const answer = (body: string): string =>
    started
      ? `always(implies(rising(${started}), ${body}))`
      : c.condition
        ? `always(implies(rising(${c.condition}), ${body}))`
        : body;
  switch (p.kind) {
    case 'made':
      return under(p.formula);
    case 'end':
      return `atEnd(${p.formula})`;
    case 'settle': {
      if (!c.within) throw new Unread('How soon must it settle? "within 5 s"', last);
      const since = started ? `after(${time(c.within)}, ${started})` : `time >= ${time(c.within)}`;
      return c.condition && !started
        ? `always(implies(${since} and ${c.condition}, ${p.formula}))`
        : `always(implies(${since}, ${p.formula}))`;
    }
    case 'overshoot':
      return c.trigger ? `always(implies(after(0 's', ${started}), ${p.formula}))` : under(p.formula);
    case 'reach': {
      if (c.within) return answer(`within(${time(c.within)}, ${p.formula})`);
      if (started) throw new Unread('A sentence with "when" needs to say how soon: "within 0.2 s"', last);
      return c.condition ? `eventually(${c.condition} and ${p.formula})` : `eventually(${p.formula})`;
    }
    case 'plain':
      break;
  }
  if (c.until) {
    const body = `until(${c.within ? `${time(c.within)}, ` : ''}${p.formula}, ${c.until})`;
    return answer(body);
  }
  if (c.atMost) {
    const counted = p.positive ?? p.formula;
    const start = started ?? (c.condition ? `${counted} and ${c.condition}` : counted);
    return `always(implies(rising(${start}), within(${time(c.atMost)}, not ${paren(counted)})))`;
  }
  if (c.atLeast) {
    const lasts = `throughout(${time(c.atLeast)}, ${p.formula})`;
    if (c.within) return answer(`within(${time(c.within)}, ${lasts})`);
    if (started) return `always(implies(rising(${started}), ${lasts}))`;
    return `always(implies(rising(${c.condition ? `${p.formula} and ${c.condition}` : p.formula}), ${lasts}))`;
  }
  if (c.within) {
    if (started) return `always(implies(rising(${started}), within(${time(c.within)}, ${p.formula})))`;
    if (c.fromStart) return `within(${time(c.within)}, ${p.formula})`;
    throw new Unread('"within" needs a moment to count from: begin the sentence with "When ..., "', c.within.span);
  }
  if (started) {
    if (p.formula.startsWith('not ')) return `always(implies(${started}, ${p.formula}))`;
    throw new Unread('A sentence with "when" needs to say how soon: "within 0.2 s"', last);
  }
  return under(p.formula);
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
