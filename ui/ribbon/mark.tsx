'use client';
import { Flag } from 'lucide-react';
import { useRuns } from '@/store/run-store';
import { Button } from '../button';
import { formatNumber, formatTime } from '../format';

/** How far the cursor is from the mark. */
export function MarkText() {
  const mark = useRuns((s) => s.mark);
  const cursor = useRuns((s) => s.cursor);
  const run = useRuns((s) => s.current);
  if (!run) return null;
  const gap = mark === undefined ? 0 : cursor - mark;
  return (
    <span className="d-flex align-items-center gap-1">
      <Button
        variant="bare"
        label={mark === undefined ? 'Mark this moment (m)' : 'Take the mark away (m)'}
        aria-pressed={mark !== undefined}
        onClick={toggleMark}
      >
        <Flag size={14} aria-hidden />
      </Button>
      {mark !== undefined && (
        <span className="mono text-nowrap" data-testid="mark-gap" title={`Mark at ${formatTime(mark)}`}>
          Δt = {formatTime(gap)}
          {gap !== 0 && <span className="quiet"> · {formatNumber(1 / Math.abs(gap), 4)} Hz</span>}
        </span>
      )}
    </span>
  );
}

/** Sets the mark where the cursor is, or takes it away. */
export function toggleMark(): void {
  const { mark, cursor, current, setMark } = useRuns.getState();
  if (mark !== undefined) setMark(undefined);
  else if (current) setMark(cursor);
}
