import { isWrong, type RowResult, type RowStatus } from '@/core/sequences/sequence-run';

export const statusTone = (s: RowStatus): 'good' | 'bad' | 'quiet' =>
  isWrong(s) ? 'bad' : s === 'seen' || s === 'sent' ? 'good' : 'quiet';

/** What a row says of itself after a run. */
export const statusWord = (r: RowResult): string => {
  const times = r.times > 1 ? ` ${r.times}×` : '';
  return r.status === 'open' ? 'waiting' : r.status === 'skipped' ? 'not needed' : `${r.status}${times}`;
};
