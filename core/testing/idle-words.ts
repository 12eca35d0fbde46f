import { isFiller, wordsOf } from '../requirements/phrases';
import { readLimit } from '../requirements/read-limit';
import type { GlossaryEntry } from '../project/project';

/**
 * Words of sentences that can be left out without the sentence saying something else, or nothing. `spare` says which may: those that say again
 * what another says, or that a verb needs. A unit that is left out is taken from beside it, which is said, and does not count.
 */
export const idleWords = (
  sentences: readonly (readonly [text: string, formula: string])[],
  glossary: readonly GlossaryEntry[],
  spare: RegExp,
): string[] =>
  sentences.flatMap(([text, formula]) =>
    wordsOf(text).flatMap((word) => {
      if (isFiller(word) || spare.test(word.norm)) return [];
      const without = `${text.slice(0, word.span.start)}${text.slice(word.span.end)}`.replace(/ +/g, ' ');
      const { formula: found, notes } = readLimit({ text: without, formula: '' }, glossary);
      return found === formula && notes.length === 0 ? [`${word.text}: ${without}`] : [];
    }),
  );
