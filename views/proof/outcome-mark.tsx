import { CircleCheck, CircleDashed, LoaderCircle, OctagonX } from 'lucide-react';
import type { KnownOutcome } from '@/store/proof-store';
import { formatNumber } from '@/ui/format';

const looks = {
  passed: { Icon: CircleCheck, name: 'holds' },
  failed: { Icon: OctagonX, name: 'fails' },
  'not run': { Icon: CircleDashed, name: 'undecided' },
} as const;

/** What came of a case in a stage: in a shape, a word and a colour. */
export function OutcomeMark({
  known,
  isStale,
  isRunning,
}: {
  readonly known: KnownOutcome | undefined;
  readonly isStale: boolean;
  readonly isRunning: boolean;
}) {
  if (isRunning)
    return (
      <span className="verdict undecided">
        <LoaderCircle size={15} aria-hidden className="turning" />
        runs
      </span>
    );
  if (!known) return <span className="verdict undecided">–</span>;
  const { verdict, seconds } = known.outcome;
  const { Icon, name } = looks[verdict];
  return (
    <span
      className={`verdict ${name}${isStale ? ' out-of-date' : ''}`}
      title={
        [isStale && 'What it rests on has changed since', known.outcome.why].filter(Boolean).join('. ') || undefined
      }
    >
      <Icon size={15} aria-hidden />
      {verdict === 'not run' ? 'could not run' : verdict}
      {isStale ? (
        <span className="old-word">out of date</span>
      ) : (
        <span className="quiet num">
          {seconds < 1 ? `${formatNumber(seconds * 1000, 2)} ms` : `${formatNumber(seconds, 2)} s`}
        </span>
      )}
    </span>
  );
}
