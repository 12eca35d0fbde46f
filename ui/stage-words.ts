import type { Stage } from '@/core/stepcode/stage';

/** What a stage means. */
export const stageWords: Readonly<Record<Stage, string>> = {
  designed: 'at events, double precision',
  sampled: 'in steps, double precision',
  code: 'in steps, with the numbers of the C',
  host: 'the C, compiled on this machine',
  board: 'the C, on an emulated chip',
};
