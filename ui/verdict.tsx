import { CircleCheck, CircleDashed, OctagonX } from 'lucide-react';
import type { RequirementFinding } from '@/core/run/run';
import { formatNumber, withUnit } from './format';

/** Verdict in a shape, a word and a colour, with its margin. */
export function VerdictMark({
  finding,
  brief,
  old = '',
}: {
  readonly finding: RequirementFinding | undefined;
  readonly brief?: boolean;
  /** Why what was found speaks of something else than is there now; empty where it does not. */
  readonly old?: string;
}) {
  if (!finding) return <span className="verdict undecided">not run yet</span>;
  const Icon = { holds: CircleCheck, fails: OctagonX, undecided: CircleDashed }[finding.verdict];
  return (
    <span
      className={`verdict ${finding.verdict}${old ? ' out-of-date' : ''}`}
      title={[old && `Out of date: ${old}`, finding.reason].filter(Boolean).join('. ') || undefined}
    >
      <Icon size={15} aria-hidden />
      {finding.verdict}
      {!brief && finding.verdict === 'fails' && finding.margin !== undefined && ` by ${marginText(finding)}`}
      {old && <span className="old-word">out of date</span>}
    </span>
  );
}

/** The margin as words: positive room, or how much is missing. */
export function marginText(finding: RequirementFinding): string {
  if (finding.margin === undefined) return '–';
  const value = finding.verdict === 'fails' ? Math.abs(finding.margin) : finding.margin;
  return withUnit(formatNumber(value, 3), finding.unit);
}
