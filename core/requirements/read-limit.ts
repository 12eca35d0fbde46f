import { problem, type Problem, type Span } from '../language/diagnostics';
import type { GlossaryEntry, Requirement } from '../project/project';
import { Unread } from './amounts';
import { isFiller, wordsOf } from './phrases';
import { readSentence } from './read-sentence';

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
  /** Words that mean something and were not used. */
  readonly unused: readonly Span[];
  /** What was taken for granted, such as the unit of a number without one. */
  readonly notes: readonly string[];
  readonly problems: readonly Problem[];
}

/** The limit of a requirement: the formula written by hand, or the one read out of its text. */
export function readLimit(
  requirement: Pick<Requirement, 'text' | 'formula'>,
  glossary: readonly GlossaryEntry[],
): Limit {
  if (requirement.formula.trim() !== '') {
    return {
      formula: requirement.formula,
      about: aboutFormula(requirement.formula),
      byHand: true,
      used: [],
      unused: [],
      notes: [],
      problems: [],
    };
  }
  const words = wordsOf(requirement.text);
  try {
    const { formula, about, ignored, notes } = readSentence(requirement.text, glossary);
    const unused = new Set(ignored.map((w) => w.span.start));
    const spans = (wanted: boolean): Span[] =>
      words.filter((w) => unused.has(w.span.start) === wanted && !isFiller(w)).map((w) => w.span);
    return { formula, about, byHand: false, used: spans(false), unused: spans(true), notes, problems: [] };
  } catch (error) {
    if (!(error instanceof Unread)) throw error;
    return {
      formula: undefined,
      about: '',
      byHand: false,
      used: [],
      unused: [],
      notes: [],
      problems: [problem('warning', error.code, error.message, error.span)],
    };
  }
}

const kept = new WeakMap<object, { readonly glossary: readonly GlossaryEntry[]; readonly limit: Limit }>();

/** The same, remembered per requirement as long as neither it nor the glossary changes. */
export function limitOf(requirement: Requirement, glossary: readonly GlossaryEntry[]): Limit {
  const known = kept.get(requirement);
  if (known && known.glossary === glossary) return known.limit;
  const limit = readLimit(requirement, glossary);
  kept.set(requirement, { glossary, limit });
  return limit;
}

/** The first name in a formula. */
function aboutFormula(formula: string): string {
  const name = /(?:[\p{L}_][\p{L}\p{N}_]*\.)+[\p{L}_][\p{L}\p{N}_]*/u.exec(
    formula.replace(/in\(([^)]*)\)/g, '').replace(/'[^']*'/g, ''),
  );
  return name?.[0] ?? '';
}

/** Formulas as people read them: units without quotes. */
export const showFormula = (formula: string): string => formula.replace(/(\d)\s*'([^']*)'/g, '$1 $2');
