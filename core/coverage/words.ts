import type { GapKind } from './report';

/** Why something is not come through, as people read it. */
export const gapWords: Readonly<Record<GapKind, string>> = {
  test: 'case missing',
  need: 'no requirement',
  dead: 'cannot be reached',
  excused: 'need not be',
  suspect: 'has changed since it was excused',
};

/** What of an element is come through. */
export const itemWords: Readonly<Record<string, string>> = {
  entered: 'reached',
  left: 'left',
  taken: 'taken',
  trigger: 'trigger',
  rounds: 'rounds',
  outcome: 'outcome',
  condition: 'condition',
  way: 'bound',
};
