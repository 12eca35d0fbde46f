import { typeById, type GlossaryEntry, type PartType, type Project } from '../project/project';
import type { Problem } from '../language/diagnostics';
import { isFiller, phraseBook, stem, wordsOf, type Word } from './phrases';
import { readLimit } from './read-limit';

/** Something of the product that a phrase could stand for. */
export interface Suggestion {
  readonly phrase: string;
  readonly meaning: string;
  /** What it is, as words. */
  readonly what: string;
  readonly score: number;
}

interface Candidate {
  readonly meaning: string;
  readonly words: ReadonlySet<string>;
  readonly what: string;
}

/** `windingTemperature`, `cap_torque` and `R2` as words. */
export const wordsOfName = (name: string): string[] =>
  name
    .split(/(?<=[\p{Ll}\d])(?=\p{Lu})|[_.\s]+/u)
    .filter(Boolean)
    .map((w) => stem(w.toLowerCase()));

function candidates(project: Project): Candidate[] {
  const found: Candidate[] = [];
  const visit = (type: PartType, path: string, depth: number): void => {
    const at = (name: string): string => (path ? `${path}.${name}` : name);
    const around = path ? wordsOfName(path) : [];
    for (const q of type.quantities) {
      found.push({
        meaning: at(q.name),
        words: new Set([
          ...around,
          ...wordsOfName(q.name),
          ...wordsOf(q.note)
            .filter((w) => !isFiller(w))
            .map((w) => stem(w.norm)),
        ]),
        what: q.note || `${q.role} ${q.unit}`.trim(),
      });
    }
    for (const chart of type.charts) {
      const pathOf = (id: string | null): string[] => {
        const state = chart.states.find((s) => s.id === id);
        return state ? [...pathOf(state.parent), state.name] : [];
      };
      for (const s of chart.states)
        found.push({
          meaning: `in(${at([chart.name, ...pathOf(s.id)].join('.'))})`,
          words: new Set([...around, ...wordsOfName(s.name), ...wordsOf(s.note).map((w) => stem(w.norm))]),
          what: `state of ${chart.name}`,
        });
    }
    if (depth > 12) return;
    for (const part of type.parts) {
      const inner = typeById(project, part.type);
      if (inner) visit(inner, at(part.name), depth + 1);
    }
  };
  const root = typeById(project, project.root);
  if (root) visit(root, '', 0);
  return found;
}

const cache = new WeakMap<Project['types'], Candidate[]>();

/** What a phrase of a text may stand for, best first: names and notes of the product that share its words. */
export function suggestMeanings(project: Project, phrase: string, limit = 5): Suggestion[] {
  const all = cache.get(project.types) ?? candidates(project);
  cache.set(project.types, all);
  const wanted = wordsOf(phrase)
    .filter((w) => !isFiller(w))
    .map((w) => stem(w.norm));
  if (wanted.length === 0) return [];
  const alike = (a: string, b: string): number =>
    a === b
      ? 1
      : a.length > 3 && b.length > 3 && (a.startsWith(b.slice(0, 4)) || b.startsWith(a.slice(0, 4)))
        ? 0.7
        : 0;
  return all
    .map((c): Suggestion => {
      const hit = wanted.reduce((sum, w) => sum + Math.max(0, ...[...c.words].map((x) => alike(w, x))), 0);
      return { phrase, meaning: c.meaning, what: c.what, score: hit / wanted.length - 0.01 * c.words.size };
    })
    .filter((s) => s.score > 0.3)
    .sort((a, b) => b.score - a.score)
    .slice(0, limit);
}

/**
 * The phrase that a text which cannot be read needs a meaning for: one with which it can be read, or comes to another that is missing.
 * Where there is none, the wording is at fault, and no phrase is proposed.
 */
export function missingPhrase(text: string, glossary: readonly GlossaryEntry[]): string | undefined {
  const failed = (more: readonly GlossaryEntry[]): Problem | undefined =>
    readLimit({ text, formula: '' }, [...glossary, ...more]).problems[0];
  const why = failed([]);
  if (!why?.span) return undefined;
  const { start } = why.span;
  const leadsOn = (phrase: string): boolean => {
    const next = failed([{ id: '', phrase, meaning: 'x' }]);
    return next === undefined || (next.code === 'unknown-phrase' && next.span!.start > start);
  };
  return [phraseAround(text, start, glossary), ...statesIn(text)].find((p) => p !== '' && leadsOn(p));
}

/** The subject of a sentence with some of the words that follow "shall": "pump stops" of "the pump shall stop within 1 s". */
function statesIn(text: string): string[] {
  const words = wordsOf(text);
  const shall = words.findIndex((w) => w.norm === 'shall' || w.norm === 'must');
  if (shall < 0) return [];
  const comma = words.findLastIndex((w, k) => k < shall && w.comma);
  const from = words[shall + 1]?.norm === 'not' || words[shall + 1]?.norm === 'never' ? shall + 2 : shall + 1;
  const said = (all: readonly Word[]): string[] => all.filter((w) => !isFiller(w)).map((w) => w.text);
  return [1, 2, 3, 4].flatMap((n) => {
    const behind = said(words.slice(from, from + n));
    return behind.length === 0 ? [] : [[...said(words.slice(comma + 1, shall)), ...behind].join(' ')];
  });
}

/** The longest run of words of a text around an unknown word that no phrase of the glossary covers. */
export function phraseAround(text: string, at: number, glossary: readonly GlossaryEntry[]): string {
  const words = wordsOf(text);
  const book = phraseBook(glossary);
  const stops = new Set([
    'shall',
    'when',
    'while',
    'if',
    'where',
    'within',
    'not',
    'exceed',
    'below',
    'above',
    'between',
    'be',
    'stay',
    'fall',
    'reach',
    'rise',
    'at',
    'and',
    'or',
    'for',
    'until',
  ]);
  const k = words.findIndex((w) => w.span.start <= at && at < w.span.end);
  if (k < 0) return '';
  let from = k,
    to = k + 1;
  const goes = (j: number): boolean =>
    j >= 0 && j < words.length && !stops.has(words[j].norm) && !/^\d/.test(words[j].text);
  while (goes(from - 1) && !words[from - 1].comma) from--;
  while (goes(to) && !words[to - 1].comma) to++;
  const chosen = words.slice(from, to).filter((w, j, list) => !(isFiller(w) && (j === 0 || j === list.length - 1)));
  return book.find(chosen) ? '' : chosen.map((w) => w.text).join(' ');
}
