import { problem, type Problem, type Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { parseUnit } from '../language/units';
import type { GlossaryEntry, Requirement } from '../project/project';
import { findPhrase, firstUnknownWord, isFiller, wordsOf, type Word } from './phrases';

/** What was read out of a requirement's text. */
export interface Limit {
  /** A formula of the limit language (see docs/requirements.md), or undefined where the text could not be read. */
  readonly formula: string | undefined;
  /** The quantity or condition it is about. */
  readonly about: string;
  /** Whether the formula was written by hand. */
  readonly byHand: boolean;
  /** Words the formula rests on. */
  readonly used: readonly Span[];
  readonly problems: readonly Problem[];
}

class Unread extends Error {
  constructor(
    message: string,
    readonly span: Span,
  ) {
    super(message);
  }
}

interface Amount {
  readonly text: string;
  readonly span: Span;
  readonly isTime: boolean;
}

/** The limit of a requirement: the formula written by hand, or the one read out of its text. */
export function readLimit(requirement: Pick<Requirement, 'text' | 'formula'>, glossary: readonly GlossaryEntry[]): Limit {
  if (requirement.formula.trim() !== '') {
    return { formula: requirement.formula, about: aboutFormula(requirement.formula), byHand: true, used: [], problems: [] };
  }
  const used: Span[] = [];
  try {
    const { formula, about } = readSentence(requirement.text, glossary, used);
    return { formula, about, byHand: false, used, problems: [] };
  } catch (error) {
    if (!(error instanceof Unread)) throw error;
    return { formula: undefined, about: '', byHand: false, used, problems: [problem('warning', 'unread-limit', error.message, error.span)] };
  }
}

/** The first name in a formula. */
function aboutFormula(formula: string): string {
  const name = /(?:[\p{L}_][\p{L}\p{N}_]*\.)+[\p{L}_][\p{L}\p{N}_]*/u.exec(formula.replace(/in\(([^)]*)\)/g, ''));
  return name?.[0] ?? '';
}

function readSentence(text: string, glossary: readonly GlossaryEntry[], used: Span[]): { formula: string; about: string } {
  const words = wordsOf(text);
  const whole: Span = { start: 0, end: text.length };
  const shall = words.findIndex((w) => w.norm === 'shall');
  if (words.length === 0) throw new Unread('The text is empty', whole);
  if (shall < 0) throw new Unread('There is no "shall" in this text, so nothing is required yet', whole);
  const { when, condition, subject } = readLeadIn(words.slice(0, shall), text);
  let rest = words.slice(shall + 1);
  const trigger = when && phraseMeaning(when, glossary, used, 'event');
  let held = condition && phraseMeaning(condition, glossary, used, 'condition');
  const trailing = rest.findIndex((w) => w.norm === 'while' || w.norm === 'during');
  if (!held && trailing >= 0) {
    held = phraseMeaning(rest.slice(trailing + 1), glossary, used, 'condition');
    rest = rest.slice(0, trailing);
  }
  const { words: predicateWords, time } = splitWithin(rest, used);
  const { formula: predicate, about } = readPredicate(subject, predicateWords, glossary, used);
  if (time && !trigger) throw new Unread('"within" needs a moment to count from: begin the sentence with "When ..., "', time.span);
  if (trigger && !time) throw new Unread('A sentence with "when" needs to say how soon: "within 0.2 s"', rest.at(-1)?.span ?? whole);
  if (trigger && time) {
    const start = held ? `${trigger} and ${held}` : trigger;
    return { formula: `always(implies(rising(${start}), within(${time.text}, ${predicate})))`, about };
  }
  return { formula: held ? `always(implies(${held}, ${predicate}))` : `always(${predicate})`, about };
}

/** "When E, while C, the S": what stands before "shall". Clauses end at a comma. */
function readLeadIn(words: readonly Word[], text: string): { when?: readonly Word[]; condition?: readonly Word[]; subject: readonly Word[] } {
  const clauses: Word[][] = [[]];
  words.forEach((w, k) => {
    clauses.at(-1)!.push(w);
    const next = words[k + 1];
    if (next && text.slice(w.span.end, next.span.start).includes(',')) clauses.push([]);
  });
  let when: readonly Word[] | undefined;
  let condition: readonly Word[] | undefined;
  while (clauses.length > 1) {
    const [first, ...clause] = clauses[0];
    if (first.norm === 'when' || first.norm === 'if' || first.norm === 'after') when = clause;
    else if (first.norm === 'while' || first.norm === 'during' || first.norm === 'where') condition = clause;
    else throw new Unread(`"${first.text}" cannot begin a clause here; sentences begin with When, If, While or the thing they are about`, first.span);
    clauses.shift();
  }
  const subject = clauses[0];
  const opener = subject[0]?.norm;
  if (opener === 'when' || opener === 'while' || opener === 'if') throw new Unread(`A comma is missing after the clause that begins with "${subject[0].text}"`, subject[0].span);
  return { ...(when && { when }), ...(condition && { condition }), subject };
}

function phraseMeaning(words: readonly Word[], glossary: readonly GlossaryEntry[], used: Span[], what: string): string {
  const found = findPhrase(words, glossary);
  if (found) {
    used.push(...words.map((w) => w.span));
    return found.negated ? `not (${found.entry.meaning})` : wrap(found.entry.meaning);
  }
  return notUnderstood(words, glossary, what);
}

const wrap = (meaning: string): string => (/^[\w.[\]]+$|^\w+\([^()]*\)$/.test(meaning.trim()) ? meaning.trim() : `(${meaning.trim()})`);

function notUnderstood(words: readonly Word[], glossary: readonly GlossaryEntry[], what: string): never {
  const phrase = words.filter((w) => !isFiller(w)).map((w) => w.text).join(' ');
  const word = firstUnknownWord(words, glossary);
  const article = what === 'event' ? 'an' : 'a';
  throw new Unread(
    word ? `"${word.text}" is not understood: the glossary has no ${what} "${phrase}"` : `${article[0].toUpperCase()}${article.slice(1)} ${what} is missing here`,
    word?.span ?? words[0]?.span ?? { start: 0, end: 0 },
  );
}

/** A number with its unit, in one word or two. */
function readAmount(words: readonly Word[], at: number, used: Span[]): { amount: Amount; next: number } | undefined {
  const w = words[at];
  if (!w) return undefined;
  const glued = /^([-+]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?)(.*)$/.exec(w.text);
  if (!glued) return undefined;
  let unit = glued[2];
  let next = at + 1;
  let end = w.span.end;
  const candidate = words[at + 1];
  if (unit === '' && candidate && typeof parseUnit(candidate.text) === 'object' && !['in', 'a', 'and', 'at'].includes(candidate.text)) {
    unit = candidate.text;
    end = candidate.span.end;
    next++;
  }
  const parsed = parseUnit(unit);
  if (typeof parsed === 'string') throw new Unread(`"${unit}" is not understood as a unit: ${parsed}`, w.span);
  const span = { start: w.span.start, end };
  used.push(span);
  const isTime = typeof parsed === 'object' && parsed.dimension.every((x, k) => x === (k === 2 ? 1 : 0));
  return { amount: { text: unit ? `${glued[1]} '${unit}'` : glued[1], span, isTime }, next };
}

function splitWithin(words: readonly Word[], used: Span[]): { words: readonly Word[]; time?: Amount } {
  for (let k = words.length - 1; k >= 0; k--) {
    if (words[k].norm !== 'within') continue;
    const read = readAmount(words, k + 1, used);
    if (!read?.amount.isTime) continue;
    return { words: [...words.slice(0, k), ...words.slice(read.next)], time: read.amount };
  }
  return { words };
}

const keep: ReadonlySet<string> = new Set(['stay', 'be', 'remain', 'lie', 'keep', 'fall', 'drop', 'rise', 'go', 'become', 'get', 'always']);

function readPredicate(subject: readonly Word[], words: readonly Word[], glossary: readonly GlossaryEntry[], used: Span[]): { formula: string; about: string } {
  let k = 0;
  const negated = words[0]?.norm === 'not';
  if (negated) k++;
  while (words[k] && keep.has(words[k].norm)) k++;
  const norm = (j: number): string => words[j]?.norm ?? '';
  const amountAt = (j: number): { amount: Amount; next: number } => {
    const read = readAmount(words, j, used);
    if (read) return read;
    const word = words[j];
    throw new Unread(word ? `"${word.text}" is not understood: a number with a unit is expected here` : 'A number is missing: how much is allowed?', word?.span ?? words.at(-1)?.span ?? { start: 0, end: 0 });
  };
  const quantity = (): string => phraseMeaning(subject, glossary, used, 'quantity');
  const compare = (op: string, at: number): { formula: string; about: string } => {
    const { amount, next } = amountAt(at);
    endsHere(words, next);
    used.push(...words.slice(0, at).map((w) => w.span));
    const about = quantity();
    return { formula: `${about} ${op} ${amount.text}`, about };
  };
  const flip: Record<string, string> = { '<=': '>', '>=': '<', '<': '>=', '>': '<=' };
  const op = (plain: string): string => (negated ? flip[plain] : plain);
  if (norm(k) === 'exceed') return compare(negated ? '<=' : '>', k + 1);
  if (norm(k) === 'reach' && /^[-+]?\d/.test(norm(k + 1))) return compare(op('>='), k + 1);
  if (norm(k) === 'at' && norm(k + 1) === 'least') return compare(op('>='), k + 2);
  if (norm(k) === 'at' && norm(k + 1) === 'most') return compare(op('<='), k + 2);
  if (norm(k) === 'below' || norm(k) === 'under') return compare(op('<'), k + 1);
  if (norm(k) === 'above' || norm(k) === 'over') return compare(op('>'), k + 1);
  if ((norm(k) === 'less' || norm(k) === 'lower') && norm(k + 1) === 'than') return compare(op('<'), k + 2);
  if ((norm(k) === 'more' || norm(k) === 'greater' || norm(k) === 'higher') && norm(k + 1) === 'than') return compare(op('>'), k + 2);
  if (norm(k) === 'between') {
    const low = readAmount(words, k + 1, used) ?? amountAt(k + 1);
    if (norm(low.next) !== 'and') throw new Unread('"between" needs two limits: between 1 and 2', words[k].span);
    const high = amountAt(low.next + 1);
    endsHere(words, high.next);
    used.push(...words.slice(0, k + 1).map((w) => w.span), words[low.next].span);
    const about = quantity();
    const unit = /'[^']*'$/.exec(high.amount.text)?.[0];
    const lowText = low.amount.text.includes("'") || !unit ? low.amount.text : `${low.amount.text} ${unit}`;
    const inside = `${about} >= ${lowText} and ${about} <= ${high.amount.text}`;
    return { formula: negated ? `not (${inside})` : inside, about };
  }
  // "the cap shall be seated": subject and rest together are a condition of the glossary
  const together = [...subject, ...words.slice(negated ? 1 : 0)];
  const found = findPhrase(together, glossary);
  if (found) {
    used.push(...together.map((w) => w.span));
    const meaning = wrap(found.entry.meaning);
    return { formula: negated ? `not ${meaning}` : meaning, about: found.entry.meaning };
  }
  if (!findPhrase(subject, glossary)) {
    const word = firstUnknownWord(together, glossary);
    if (word && subject.some((w) => w === word)) notUnderstood(subject, glossary, 'quantity');
  }
  const word = words[k] ?? words.at(-1) ?? subject.at(-1);
  throw new Unread(word ? `"${word.text}" is not understood: limits read like "not exceed", "at least", "below", "above" or "between"` : 'What is required is missing', word?.span ?? { start: 0, end: 0 });
}

function endsHere(words: readonly Word[], at: number): void {
  const extra = words.slice(at).find((w) => !isFiller(w));
  if (extra) throw new Unread(`"${extra.text}" is not understood after the limit`, extra.span);
}

/** Formulas as people read them: units without quotes. */
export const showFormula = (formula: string): string => formula.replace(/(\d)\s*'([^']*)'/g, '$1 $2');

/** Checks that a formula can be read at all. */
export const formulaProblems = (formula: string): readonly Problem[] => parseExpressionText(formula).problems;
