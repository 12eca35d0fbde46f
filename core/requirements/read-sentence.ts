import type { Span } from '../language/diagnostics';
import type { GlossaryEntry } from '../project/project';
import { amountText, readAmount, Unread, type Amount } from './amounts';
import { isFiller, phraseBook, wordsOf, type PhraseBook, type Word } from './phrases';
import { band, composeFormula, paren, trim, type Clauses, type Predicate } from './compose-formula';
import { comparisonAt, findComparison, pairOps, type Compared } from './comparisons';

/**
 * Reads a requirement sentence into a formula. Sentences follow the usual patterns of requirement writing (EARS: Mavin,
 * Wilkinson, Harwood and Novak 2009): plain, When, While, If .. then, Where, and their combinations.
 */
export function readSentence(
  text: string,
  glossary: readonly GlossaryEntry[],
  used: Span[],
): { formula: string; about: string } {
  return new Sentence(text, phraseBook(glossary), used).read();
}

const verbs: ReadonlySet<string> = new Set([
  'stay',
  'stays',
  'be',
  'remain',
  'remains',
  'lie',
  'lies',
  'keep',
  'keeps',
  'fall',
  'falls',
  'drop',
  'drops',
  'rise',
  'rises',
  'go',
  'goes',
  'become',
  'becomes',
  'get',
  'gets',
  'always',
  'is',
  'are',
  'continuously',
  'have',
  'has',
  'last',
  'lasts',
  'take',
  'takes',
]);
const statistics: Readonly<Record<string, 'average' | 'rms' | 'peak'>> = {
  average: 'average',
  mean: 'average',
  rms: 'rms',
  peak: 'peak',
  maximum: 'peak',
};

class Sentence {
  private readonly words: readonly Word[];
  private readonly clauses: Clauses = {};

  constructor(
    private readonly text: string,
    private readonly book: PhraseBook,
    private readonly used: Span[],
  ) {
    this.words = wordsOf(text);
  }

  read(): { formula: string; about: string } {
    const whole: Span = { start: 0, end: this.text.length };
    const shall = this.words.findIndex((w) => w.norm === 'shall');
    if (this.words.length === 0) throw new Unread('The text is empty', whole);
    if (shall < 0) throw new Unread('There is no "shall" in this text, so nothing is required yet', whole);
    this.use(this.words.slice(shall, shall + 1));
    const subject = this.leadIn(this.words.slice(0, shall));
    const rest = this.trailing(this.words.slice(shall + 1));
    const predicate = this.predicate(subject, rest);
    if (this.ifClause) {
      const { within, atLeast, atMost, until, trigger } = this.clauses;
      // an event where something must follow it in time, a condition where something must hold meanwhile
      if ((within ?? atLeast ?? atMost ?? until) !== undefined && !trigger) this.setTrigger(this.ifClause);
      else this.addCondition(this.condition(this.ifClause, 'condition'));
    }
    return { formula: composeFormula(predicate, this.clauses, rest.at(-1)?.span ?? whole), about: predicate.about };
  }

  private use(words: readonly Word[]): void {
    this.used.push(...words.map((w) => w.span));
  }

  // --- clauses ---------------------------------------------------------------------------------------------------

  /** What stands before "shall"; clauses end at a comma. What is left is the subject. */
  private leadIn(words: readonly Word[]): readonly Word[] {
    const clauses: Word[][] = [[]];
    words.forEach((w, k) => {
      clauses.at(-1)!.push(w);
      if (w.comma && k < words.length - 1) clauses.push([]);
    });
    const conditions: string[] = [];
    while (clauses.length > 1) {
      const clause = clauses.shift()!;
      const [first] = clause;
      const second = clause[1]?.norm;
      if (['when', 'once', 'whenever', 'after', 'upon'].includes(first.norm)) {
        this.use([first]);
        this.setTrigger(clause.slice(1));
      } else if (first.norm === 'if') {
        this.use([first]);
        // whether it is an event or a condition shows when the rest has been read
        this.ifClause = clause.slice(1);
      } else if (
        first.norm === 'while' ||
        first.norm === 'during' ||
        first.norm === 'where' ||
        (first.norm === 'as' && second === 'long')
      ) {
        const skip = first.norm === 'as' ? 3 : 1;
        this.use(clause.slice(0, skip));
        conditions.push(this.condition(clause.slice(skip), 'condition'));
      } else if (first.norm === 'within') {
        const amount = this.timeAt(clause, 1);
        this.use(clause.slice(0, 1));
        this.clauses.within = amount.amount;
        const after = clause.slice(amount.next);
        if (after.length > 0) this.afterWithin(after);
      } else if (first.norm === 'at' && (second === 'all' || second === 'any')) this.use(clause);
      else
        throw new Unread(
          `"${first.text}" cannot begin a clause here; sentences begin with When, If, While, Where or the thing they are about`,
          first.span,
        );
    }
    if (conditions.length > 0) this.clauses.condition = conditions.join(' and ');
    const subject = clauses[0];
    const [opener] = subject;
    if (opener && ['when', 'while', 'if', 'where', 'once'].includes(opener.norm))
      throw new Unread(`A comma is missing after the clause that begins with "${opener.text}"`, opener.span);
    return opener?.norm === 'then' ? subject.slice(1) : subject;
  }

  private ifClause: readonly Word[] | undefined;

  private setTrigger(words: readonly Word[]): void {
    this.clauses.trigger = this.condition(words, 'event');
  }

  /** `of` or `after` an event, or of the start. */
  private afterWithin(words: readonly Word[]): void {
    const rest = words.filter((w, k) => !(k === 0 && ['of', 'after', 'from'].includes(w.norm)));
    this.use(words.slice(0, words.length - rest.length));
    if (
      rest.some((w) => w.norm === 'start') &&
      rest.filter((w) => !isFiller(w)).length === 1 &&
      !this.book.find(rest)
    ) {
      this.use(rest);
      this.clauses.fromStart = true;
    } else this.setTrigger(rest);
  }

  /** Takes the clauses after the predicate away, from the back. */
  private trailing(all: readonly Word[]): readonly Word[] {
    let words = all;
    for (let found = true; found;) {
      found = false;
      for (let k = words.length - 1; k >= 1 && !found; k--) {
        const left = this.clauseAt(words, k);
        if (left === undefined) continue;
        words = words.slice(0, left);
        found = true;
      }
    }
    return this.clauses.within ? words : this.withinAmong(words);
  }

  /** "settle within 3 s to 5 V": the time stands among the other words. */
  private withinAmong(words: readonly Word[]): readonly Word[] {
    for (let k = words.length - 1; k >= 1; k--) {
      const read = words[k].norm === 'within' ? this.tryAmount(words, k + 1) : undefined;
      if (!read?.amount.isTime || ['of', 'around'].includes(words[read.next]?.norm)) continue;
      this.take(words, k, read.next);
      this.clauses.within = read.amount;
      return [...words.slice(0, k), ...words.slice(read.next)];
    }
    return words;
  }

  /** Where a clause that reaches to the end begins at word k, it is read; the result is where it began. */
  private clauseAt(words: readonly Word[], k: number): number | undefined {
    const { norm } = words[k];
    const to = words.length;
    const time = (at: number): Amount | undefined => {
      const read = this.tryAmount(words, at);
      return read?.amount.isTime ? read.amount : undefined;
    };
    const ends = (at: number): boolean => this.tryAmount(words, at)?.next === to;
    switch (norm) {
      case 'while':
      case 'during':
        this.use([words[k]]);
        this.addCondition(this.condition(words.slice(k + 1), 'condition'));
        return k;
      case 'until':
        this.use([words[k]]);
        this.clauses.until = this.condition(words.slice(k + 1), 'event');
        return k;
      case 'when':
      case 'if':
      case 'whenever':
      case 'once':
        this.use([words[k]]);
        this.setTrigger(words.slice(k + 1));
        return k;
      case 'within': {
        const amount = time(k + 1);
        if (!amount) return undefined;
        const { next } = this.tryAmount(words, k + 1)!;
        if (next < to && !['of', 'after', 'from'].includes(words[next].norm)) return undefined;
        this.take(words, k, next);
        this.clauses.within = amount;
        if (next < to) this.afterWithin(words.slice(next));
        return k;
      }
      case 'for': {
        const phrase = (...parts: string[]): boolean => parts.every((p, j) => words[k + 1 + j]?.norm === p);
        for (const [parts, which] of durations) {
          const at = k + 1 + parts.length;
          if (!phrase(...parts) || !ends(at)) continue;
          const amount = time(at);
          if (!amount) continue;
          this.take(words, k, to);
          // "not above x for longer than T" allows it for T
          const longer = which === 'longer';
          if (longer ? words[0]?.norm === 'not' || words[0]?.norm === 'never' : which === 'most')
            this.clauses.atMost = amount;
          else this.clauses.atLeast = amount;
          return k;
        }
        return undefined;
      }
      case 'longer':
      case 'more':
        return undefined;
      case 'over':
      case 'in': {
        const any = words[k + 1]?.norm === 'any' || words[k + 1]?.norm === 'every' ? 1 : 0;
        const amount = ends(k + 1 + any) ? time(k + 1 + any) : undefined;
        if (!amount || k === 0) return undefined;
        this.take(words, k, to);
        this.clauses.window = amount;
        return k;
      }
      case 'at':
        if ((words[k + 1]?.norm === 'all' || words[k + 1]?.norm === 'any') && k + 3 === to) {
          this.use(words.slice(k));
          return k;
        }
        return undefined;
      default:
        return undefined;
    }
  }

  private addCondition(condition: string): void {
    this.clauses.condition = this.clauses.condition ? `${this.clauses.condition} and ${condition}` : condition;
  }

  private take(words: readonly Word[], from: number, to: number): void {
    this.use(words.slice(from, to));
  }

  private tryAmount(words: readonly Word[], at: number): { amount: Amount; next: number } | undefined {
    try {
      return readAmount(words, at);
    } catch (error) {
      if (error instanceof Unread) return undefined;
      throw error;
    }
  }

  private timeAt(words: readonly Word[], at: number): { amount: Amount; next: number } {
    const read = readAmount(words, at);
    if (!read?.amount.isTime)
      throw new Unread('A time is expected here, such as 200 ms', words[at]?.span ?? words.at(-1)!.span);
    this.use(words.slice(at, read.next));
    return read;
  }

  // --- conditions ------------------------------------------------------------------------------------------------

  /** A phrase of the glossary, a comparison, or several of them with and, or. */
  private condition(words: readonly Word[], what: string): string {
    const found = this.book.find(words);
    if (found) {
      this.use(words);
      return found.negated ? `not ${paren(found.entry.meaning)}` : paren(found.entry.meaning);
    }
    for (const joint of ['or', 'and']) {
      for (let k = 1; k < words.length - 1; k++) {
        if (words[k].norm !== joint) continue;
        // "between 1 and 2" is one condition
        if (joint === 'and' && words.slice(0, k).some((w, j) => w.norm === 'between' && k - j <= 4)) continue;
        this.use([words[k]]);
        return `(${this.condition(words.slice(0, k), what)} ${joint} ${this.condition(words.slice(k + 1), what)})`;
      }
    }
    const compared = findComparison(words);
    if (compared && this.book.find(words.slice(0, compared.from))) {
      const { formula, next } = this.comparison(words.slice(0, compared.from), words, compared, false);
      this.endsHere(words, next);
      return `(${formula})`;
    }
    return this.notUnderstood(words, what);
  }

  private notUnderstood(words: readonly Word[], what: string): never {
    const phrase = words
      .filter((w) => !isFiller(w))
      .map((w) => w.text)
      .join(' ');
    const word = this.book.unknownWord(words);
    const article = what === 'event' ? 'an' : 'a';
    throw new Unread(
      word
        ? `"${word.text}" is not understood: the glossary has no ${what} "${phrase}"`
        : `${article[0].toUpperCase()}${article.slice(1)} ${what} is missing here`,
      word?.span ?? words[0]?.span ?? { start: 0, end: 0 },
    );
  }

  private quantity(words: readonly Word[]): string {
    const found = this.book.find(words);
    if (!found) return this.notUnderstood(words, 'quantity');
    this.use(words);
    return paren(found.entry.meaning);
  }

  /** A number with its unit, or a constant of the glossary. */
  private amount(words: readonly Word[], at: number): { text: string; amount?: Amount; next: number } {
    const skipped = ['a', 'an', 'the', 'of', 'to', 'by'].includes(words[at]?.norm) ? at + 1 : at;
    const read = readAmount(words, skipped);
    if (read) {
      this.used.push(read.amount.span);
      return { text: amountText(read.amount), amount: read.amount, next: read.next };
    }
    const named = this.book.longestFrom(words, at);
    if (named) {
      this.take(words, at, named.next);
      return { text: paren(named.entry.meaning), next: named.next };
    }
    const word = words[at];
    throw new Unread(
      word
        ? `"${word.text}" is not understood: a number with a unit is expected here`
        : 'A number is missing: how much is allowed?',
      word?.span ?? words.at(-1)?.span ?? { start: 0, end: 0 },
    );
  }

  // --- predicates ------------------------------------------------------------------------------------------------

  /** `q op amount`, `q between a and b`, `q within d of v`, `q = v ± d`, from the comparison on. */
  private comparison(
    subject: readonly Word[],
    words: readonly Word[],
    compared: Compared,
    negated: boolean,
  ): { formula: string; about: string; next: number } {
    this.take(words, compared.from, compared.next);
    const not = negated !== compared.negated;
    if (compared.op === 'between') {
      const low = this.amount(words, compared.next);
      if (words[low.next]?.norm !== 'and')
        throw new Unread('"between" needs two limits: between 1 and 2', words[compared.from].span);
      const high = this.amount(words, low.next + 1);
      this.use([words[low.next]]);
      const about = this.quantity(subject);
      const lowText =
        low.amount && !low.amount.unit && high.amount?.unit
          ? amountText({ value: low.amount.value, unit: high.amount.unit })
          : low.text;
      const inside = `${about} >= ${lowText} and ${about} <= ${high.text}`;
      return { formula: not ? `not (${inside})` : inside, about, next: high.next };
    }
    if (compared.op === 'near') {
      const plusMinus = words[compared.next]?.norm === '±' ? 1 : 0;
      const tolerance = this.amount(words, compared.next + plusMinus);
      if (plusMinus) this.use([words[compared.next]]);
      const joint = words[tolerance.next]?.norm;
      if (joint !== 'of' && joint !== 'around' && joint !== 'from')
        throw new Unread('"within" needs a value to be near to: within 0.1 V of 5 V', words[compared.from].span);
      this.use([words[tolerance.next]]);
      const centre = this.amount(words, tolerance.next + 1);
      const about = this.quantity(subject);
      return { formula: band(about, centre, tolerance.amount, not), about, next: centre.next };
    }
    const limit = this.amount(words, compared.next);
    if (words[limit.next]?.norm === '±') {
      this.use([words[limit.next]]);
      const tolerance = this.amount(words, limit.next + 1);
      const about = this.quantity(subject);
      return { formula: band(about, limit, tolerance.amount, not), about, next: tolerance.next };
    }
    const about = this.quantity(subject);
    return { formula: `${about} ${not ? pairOps[compared.op] : compared.op} ${limit.text}`, about, next: limit.next };
  }

  private predicate(subject: readonly Word[], words: readonly Word[]): Predicate {
    const negated = words[0]?.norm === 'not' || words[0]?.norm === 'never';
    const start = negated ? 1 : 0;
    if (negated) this.use(words.slice(0, 1));
    const special = this.special(subject, words, start, negated);
    if (special) return special;
    // a phrase of the glossary for subject and rest together comes first: "the cap shall be seated"
    const together = [...subject, ...words.slice(start)];
    const found = this.book.find(together);
    if (found) {
      this.use(together);
      const meaning = paren(found.entry.meaning);
      return {
        formula: negated ? `not ${meaning}` : meaning,
        about: found.entry.meaning,
        kind: 'plain',
        positive: meaning,
      };
    }
    let k = start;
    while (words[k] && verbs.has(words[k].norm)) k++;
    const compared = comparisonAt(words, k);
    if (compared) {
      this.take(words, start, k);
      return this.comparisons(subject, words, compared, negated);
    }
    const plusMinus = words.findIndex((w) => w.norm === '±');
    if (plusMinus > 0 && readAmount(words, k)) {
      this.take(words, start, k);
      const { formula, about, next } = this.comparison(
        subject,
        words,
        { from: k, next: k, op: '==', negated: false },
        negated,
      );
      this.endsHere(words, next);
      return { formula, about, kind: 'plain' };
    }
    if (!this.book.find(subject)) {
      const word = this.book.unknownWord(together);
      if (word && subject.includes(word)) this.notUnderstood(subject, 'quantity');
    }
    const word = words[k] ?? words.at(-1) ?? subject.at(-1);
    throw new Unread(
      word
        ? `"${word.text}" is not understood: limits read like "not exceed", "at least", "below", "within 2 % of" or "between"`
        : 'What is required is missing',
      word?.span ?? { start: 0, end: 0 },
    );
  }

  /** One comparison after the other: "at least 5 V and at most 6 V", "... and shall not fall below 3 V". */
  private comparisons(subject: readonly Word[], words: readonly Word[], first: Compared, negated: boolean): Predicate {
    const parts: string[] = [];
    let positive: string | undefined;
    let about = '';
    let compared: Compared | undefined = first;
    let not = negated;
    while (compared) {
      const part = this.comparison(subject, words, compared, not);
      if (parts.length === 0 && negated) positive = this.comparisonText(subject, words, compared);
      parts.push(part.formula);
      about = part.about;
      let k = part.next;
      if (words[k]?.norm !== 'and') {
        this.endsHere(words, k);
        break;
      }
      this.use([words[k]]);
      k++;
      if (words[k]?.norm === 'shall') this.use([words[k++]]);
      not = words[k]?.norm === 'not' || words[k]?.norm === 'never';
      if (not) this.use([words[k++]]);
      while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
      compared = comparisonAt(words, k);
      if (!compared)
        throw new Unread(
          `"${words[k]?.text ?? 'and'}" is not understood after "and"`,
          words[k]?.span ?? words[part.next].span,
        );
    }
    return { formula: parts.join(' and '), about, kind: 'plain', ...(positive && parts.length === 1 && { positive }) };
  }

  private comparisonText(subject: readonly Word[], words: readonly Word[], compared: Compared): string {
    return this.comparison(subject, words, compared, false).formula;
  }

  /** Reach, settle, overshoot, rise time, averages, counts. */
  private special(
    subject: readonly Word[],
    words: readonly Word[],
    start: number,
    negated: boolean,
  ): Predicate | undefined {
    const norm = words[start]?.norm;
    const of = subject.findIndex((w) => w.norm === 'of');
    const about = (name: string): number =>
      subject.findIndex((w, k) => w.norm === name && subject[k + 1]?.norm === 'time');
    const rise = about('rise');
    if (rise >= 0 && of > rise) return this.riseTime(subject, of, words, start);
    const settling = about('settling');
    if (settling >= 0 && of > settling) return this.settlingTime(subject, of, words, start);
    const number = subject.findIndex((w) => w.norm === 'number');
    if (number >= 0 && of > number) {
      this.take(subject, number, of + 1);
      return this.counts(subject.slice(of + 1), words, start, negated);
    }
    if (subject.some((w) => w.norm === 'overshoot') && of >= 0) {
      this.take(subject, 0, of + 1);
      const to = subject.findIndex((w, k) => k > of && (w.norm === 'over' || w.norm === 'above' || w.norm === 'to'));
      if (to > 0) {
        this.use([subject[to]]);
        const target = this.amount(subject, to + 1);
        return this.overshoot(subject.slice(of + 1, to), target.text, words, start, negated);
      }
    }
    const statistic = subject.findIndex((w) => w.norm in statistics);
    if (statistic >= 0 && !this.book.find(subject)) return this.statistic(subject, statistic, words, start, negated);
    if (norm === 'reach' || norm === 'reaches') {
      this.take(words, start, start + 1);
      const { formula, about: q } = this.reached(subject, words, start + 1);
      return {
        formula: negated ? `not (${formula})` : formula,
        about: q,
        kind: negated ? 'plain' : 'reach',
        positive: formula,
      };
    }
    if (norm === 'settle') {
      this.take(words, start, start + 1);
      return { ...this.settled(subject, words, start + 1), kind: 'settle' };
    }
    if (norm === 'overshoot') {
      this.take(words, start, start + 1);
      const by = words.findIndex((w, k) => k > start && w.norm === 'by');
      if (by < 0) throw new Unread('How much? "overshoot 26 rad/s by at most 5 %"', words[start].span);
      this.use([words[by]]);
      const direct = by > start + 1 ? this.amount(words, start + 1).text : undefined;
      return this.overshoot(subject, direct, words, by + 1, negated);
    }
    return this.occurrences(subject, words, start, negated);
  }

  private reached(subject: readonly Word[], words: readonly Word[], at: number): { formula: string; about: string } {
    const compared = comparisonAt(words, at);
    const { formula, about, next } = this.comparison(
      subject,
      words,
      compared ?? { from: at, next: at, op: '>=', negated: false },
      false,
    );
    this.endsHere(words, next);
    return { formula, about };
  }

  /** `to 60 degC ± 2 %`, `to within 0.5 K of 60 degC`, `at 5 V ± 0.1 V`, `between a and b`. */
  private settled(subject: readonly Word[], words: readonly Word[], at: number): { formula: string; about: string } {
    let k = at;
    while (['to', 'at', 'on', 'in'].includes(words[k]?.norm)) this.use([words[k++]]);
    const compared = comparisonAt(words, k) ?? { from: k, next: k, op: '==' as const, negated: false };
    const { formula, about, next } = this.comparison(subject, words, compared, false);
    this.endsHere(words, next);
    if (compared.from === compared.next && !formula.includes('abs('))
      throw new Unread('Settling needs a band: settle to 60 degC ± 0.5 K', words[at]?.span ?? words.at(-1)!.span);
    return { formula, about };
  }

  private overshoot(
    subject: readonly Word[],
    target: string | undefined,
    words: readonly Word[],
    at: number,
    negated: boolean,
  ): Predicate {
    let k = at;
    while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
    const compared = comparisonAt(words, k);
    if (compared) this.take(words, compared.from, compared.next);
    const limit = this.amount(words, compared?.next ?? k);
    let centre = target;
    let { next } = limit;
    if (words[next]?.norm === 'of' || words[next]?.norm === 'over') {
      this.use([words[next]]);
      const read = this.amount(words, next + 1);
      centre = read.text;
      ({ next } = read);
    }
    this.endsHere(words, next);
    if (centre === undefined)
      throw new Unread('Overshoot of what? "overshoot 26 rad/s by at most 5 %"', words[at]?.span ?? words.at(-1)!.span);
    const most = compared ? (compared.op === '<=' || compared.op === '<') !== (negated !== compared.negated) : true;
    if (!most && !(negated && compared?.op === '>'))
      throw new Unread('Overshoot is limited by "at most"', words[at].span);
    const about = this.quantity(subject);
    const { amount } = limit;
    const from = this.clauses.trigger ? `at(${this.clauses.trigger}, ${about})` : `at(${about})`;
    const room = amount?.unit === '%' ? `${trim(amount.value / 100)}*(${centre} - ${from})` : limit.text;
    return { formula: `${about} <= ${centre} + ${room}`, about, kind: 'overshoot' };
  }

  /** "The rise time of the speed to 26 rad/s": from 10 to 90 % unless said otherwise. */
  private riseTime(subject: readonly Word[], of: number, words: readonly Word[], start: number): Predicate {
    this.take(subject, 0, of + 1);
    const rest = subject.slice(of + 1);
    const from = rest.findIndex((w) => w.norm === 'from');
    const to = rest.findIndex((w, k) => k > from && w.norm === 'to');
    if (to < 0)
      throw new Unread('Rise time to what value? "The rise time of the speed to 26 rad/s shall ..."', subject[of].span);
    const target = this.amount(rest, to + 1);
    const begin = from >= 0 ? this.amount(rest, from + 1) : undefined;
    this.use(rest.filter((_, k) => k === to || k === from));
    this.endsHere(rest, target.next);
    const about = this.quantity(rest.slice(0, from >= 0 ? from : to));
    const limit = this.timeLimit(words, start);
    const [low, high] = begin
      ? [`${about} >= ${begin.text}`, `${about} >= ${target.text}`]
      : [`${about} >= 0.1*${target.text}`, `${about} >= 0.9*${target.text}`];
    return { formula: `implies(rising(${low}), within(${limit}, ${high}))`, about, kind: 'made' };
  }

  private settlingTime(subject: readonly Word[], of: number, words: readonly Word[], start: number): Predicate {
    this.take(subject, 0, of + 1);
    const rest = subject.slice(of + 1);
    const to = rest.findIndex((w) => w.norm === 'to');
    if (to < 0)
      throw new Unread(
        'Settling to what band? "The settling time of the speed to 26 rad/s ± 2 % shall ..."',
        subject[of].span,
      );
    const { formula, about } = this.settled(rest.slice(0, to), rest, to);
    let k = start;
    while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
    this.timeLimit(words, k);
    this.clauses.within = readAmount(words, (comparisonAt(words, k) ?? { next: k }).next)!.amount;
    return { formula, about, kind: 'settle' };
  }

  /** "shall be at most 0.3 s": the time. */
  private timeLimit(words: readonly Word[], start: number): string {
    let k = start;
    while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
    const compared = comparisonAt(words, k);
    if (compared) this.take(words, compared.from, compared.next);
    const read = this.timeAt(words, compared?.next ?? k);
    this.endsHere(words, read.next);
    return amountText(read.amount);
  }

  private statistic(
    subject: readonly Word[],
    at: number,
    words: readonly Word[],
    start: number,
    negated: boolean,
  ): Predicate {
    const what = statistics[subject[at].norm];
    this.use([subject[at]]);
    const rest = subject.filter((_, k) => k !== at);
    if (rest[at]?.norm === 'of') this.use([rest[at]]);
    let k = start;
    while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
    const compared = comparisonAt(words, k);
    if (!compared) throw new Unread('A limit is missing: "shall not exceed 3 A"', words[k]?.span ?? subject[at].span);
    const { formula, about, next } = this.comparison(rest, words, compared, negated);
    this.endsHere(words, next);
    if (what === 'peak') {
      const upper = /(<=|<) /.test(formula);
      return { formula: formula.replaceAll(about, `abs(${about})`), about, kind: upper ? 'plain' : 'reach' };
    }
    const { window, condition } = this.clauses;
    const value = window
      ? `${what}(${amountText(window)}, ${about})`
      : condition
        ? `${what}During(${condition}, ${about})`
        : `${what}(${about})`;
    const made = formula.replaceAll(about, value);
    if (window) return { formula: made, about, kind: 'plain' };
    delete this.clauses.condition;
    return { formula: made, about, kind: 'end' };
  }

  /** "shall open at most 3 times per minute", "shall finish at least 22 tubes per minute". */
  private occurrences(
    subject: readonly Word[],
    words: readonly Word[],
    start: number,
    negated: boolean,
  ): Predicate | undefined {
    const compared = findComparison(words, start);
    if (!compared || compared.op === 'between' || compared.op === 'near') return undefined;
    const read = this.tryAmount(words, compared.next);
    if (!read || read.amount.unit !== '') return undefined;
    const unit = words[read.next];
    const per = words.findIndex((w, k) => k >= read.next && w.norm === 'per');
    const times =
      unit?.norm === 'times' ||
      unit?.norm === 'time' ||
      (read.next > compared.next && ['once', 'twice'].includes(words[compared.next].norm));
    if (!times && per < 0) return undefined;
    const before = words
      .slice(start, compared.from)
      .filter((w) => !['occur', 'happen', 'take', 'place', 'be', 'do'].includes(w.norm));
    const noun = times ? [] : words.slice(read.next, per);
    const candidates = [
      [...subject, ...before, ...noun],
      [...before, ...noun],
      [...subject, ...before],
      noun,
      subject,
    ].filter((c) => c.length > 0);
    const phrase = candidates.find((c) => this.book.find(c)) ?? candidates[0];
    this.use(words.slice(start, compared.from));
    return this.countOf(
      this.condition(phrase, 'event'),
      compared,
      words,
      negated,
      per >= 0 ? per : read.next + (unit?.norm.startsWith('time') ? 1 : 0),
      noun,
    );
  }

  /** "The number of starts shall be at most 3 (per minute)". */
  private counts(event: readonly Word[], words: readonly Word[], start: number, negated: boolean): Predicate {
    let k = start;
    while (words[k] && verbs.has(words[k].norm)) this.use([words[k++]]);
    const compared = comparisonAt(words, k);
    if (!compared) throw new Unread('How many? "shall be at most 3"', words[k]?.span ?? event[0].span);
    const read = this.tryAmount(words, compared.next);
    if (!read)
      throw new Unread('A number is missing: how many?', words[compared.next]?.span ?? words[compared.from].span);
    return this.countOf(this.condition(event, 'event'), compared, words, negated, read.next, []);
  }

  private countOf(
    event: string,
    compared: Compared,
    words: readonly Word[],
    negated: boolean,
    after: number,
    noun: readonly Word[],
  ): Predicate {
    this.take(words, compared.from, after);
    this.use(noun);
    const { amount } = readAmount(words, compared.next)!;
    const not = negated !== compared.negated;
    const op = not ? pairOps[compared.op as '<'] : compared.op;
    const upper = op === '<' || op === '<=' || op === '==';
    const counted = this.clauses.condition ? `${event} and ${this.clauses.condition}` : event;
    delete this.clauses.condition;
    let period: { text: string; per: string } | undefined;
    if (words[after]?.norm === 'per' || words[after]?.norm === 'in' || words[after]?.norm === 'every') {
      const unitWord = words[after + 1];
      const named = unitWord && { ...unitWord, text: `1 ${unitWord.text}` };
      const read = this.tryAmount(words, after + 1) ?? (named && this.tryAmount(wordsOf(named.text), 0));
      if (!read?.amount.isTime) throw new Unread('Per what time? "per minute"', unitWord?.span ?? words[after].span);
      this.take(words, after, words.length);
      period = { text: amountText(read.amount), per: `1/${read.amount.unit}` };
      const { value } = read.amount;
      if (!upper)
        return {
          formula: `rate(${counted}) ${op} ${trim(amount.value / value)} '${period.per}'`,
          about: event,
          kind: 'end',
        };
    } else {
      this.endsHere(words, after);
      const { window } = this.clauses;
      if (window) period = { text: amountText(window), per: '' };
    }
    const value = period ? `count(${period.text}, ${counted})` : `count(${counted})`;
    return { formula: `${value} ${op} ${amount.value}`, about: event, kind: upper && op !== '==' ? 'plain' : 'end' };
  }

  private endsHere(words: readonly Word[], at: number): void {
    const extra = words.slice(at).find((w) => !isFiller(w));
    if (extra) throw new Unread(`"${extra.text}" is not understood after the limit`, extra.span);
  }
}

/** Ways to say how long something lasts, after "for". */
const durations: readonly (readonly [words: readonly string[], which: 'least' | 'most' | 'longer'])[] = [
  [['at', 'least'], 'least'],
  [['a', 'minimum', 'of'], 'least'],
  [['no', 'longer', 'than'], 'most'],
  [['not', 'longer', 'than'], 'most'],
  [['no', 'more', 'than'], 'most'],
  [['not', 'more', 'than'], 'most'],
  [['at', 'most'], 'most'],
  [['a', 'maximum', 'of'], 'most'],
  [['longer', 'than'], 'longer'],
  [['more', 'than'], 'longer'],
];
