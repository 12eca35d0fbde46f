import type { Study } from '@/core/project/project';

/** How kinds of studies are called, and what each asks. */
export const studyKinds: readonly (readonly [kind: Study['kind'], word: string, asks: string])[] = [
  ['vary', 'Vary', 'How far can I go? Runs with other values, their margins and where verdicts change.'],
  ['matters', 'What matters', 'Which values decide a margin, and how steeply?'],
  ['best', 'Best value', 'Which values make a formula lowest or highest while the requirements hold?'],
  ['breaks', 'What breaks it', 'Is there a case in which a requirement fails? The lowest margin is looked for.'],
  ['fit', 'Fit', 'Which numbers does the real thing have? Values found from what was measured.'],
  ['compare', 'Compare', 'What is different between runs of setups, or between a run and what was measured?'],
];
export const kindWord = (kind: Study['kind']): string => studyKinds.find(([k]) => k === kind)![1];
