import { CircleCheck, CircleDashed, OctagonX } from 'lucide-react';
import type { RequirementFinding } from '@/core/run/run';
import { formatNumber, withUnit } from './format';

/** Verdict in a shape, a word and a colour, with its margin. */
export function VerdictMark({
  finding,
  brief,
}: {
  readonly finding: RequirementFinding | undefined;
  readonly brief?: boolean;
}) {
  if (!finding) return <span className="verdict undecided">not run yet</span>;
  const Icon = { holds: CircleCheck, fails: OctagonX, undecided: CircleDashed }[finding.verdict];
  return (
    <span className={`verdict ${finding.verdict}`} title={finding.reason || undefined}>
      <Icon size={15} aria-hidden />
      {finding.verdict}
      {!brief && finding.verdict === 'fails' && finding.margin !== undefined && ` by ${marginText(finding)}`}
    </span>
  );
}

/** The margin as words: positive room, or how much is missing. */
export function marginText(finding: RequirementFinding): string {
  if (finding.margin === undefined) return '–';
  const value = finding.verdict === 'fails' ? Math.abs(finding.margin) : finding.margin;
  return withUnit(formatNumber(value, 3), finding.unit);
}
