import type { Verdict } from '@/core/verdicts/finding';
import { CircleCheck, CircleDashed, OctagonX } from 'lucide-react';
import { formatNumber, withUnit } from '@/ui/format';

/** A verdict in a shape, a word and a colour, with its margin in a cell beside it. */
export function VerdictWord({ verdict }: { readonly verdict: Verdict }) {
  const Icon = { holds: CircleCheck, fails: OctagonX, undecided: CircleDashed }[verdict];
  return (
    <span className={`verdict ${verdict}`}>
      <Icon size={14} aria-hidden />
      {verdict}
    </span>
  );
}

export const marginWords = (margin: number | undefined, unit: string): string =>
  margin === undefined || !Number.isFinite(margin) ? '–' : withUnit(formatNumber(margin, 3), unit);
