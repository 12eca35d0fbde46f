import type { FlatVariable } from '../flatten/flat-model';

/** What is given without anybody giving it; 0 where that follows from other things. */
export function constantStart({ binding, start }: FlatVariable): number {
  const e = binding ?? start;
  return e?.op === 'const' ? e.value : 0;
}
