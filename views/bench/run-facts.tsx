'use client';
import type { Setup } from '@/core/project/project';
import { keepAsSequence, keepAsSetup } from '@/store/actions';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';

const spentWords = {
  steps: 'steps',
  looking: 'looking for events',
  rows: 'rows and what watches them',
  events: 'events',
};

/** What the last run of a setup cost, and how it was computed. */
export function RunFacts({ setup }: { readonly setup: Setup }) {
  const run = useRuns((s) => s.current);
  if (!run?.counts) return null;
  const { steps, rejected, evaluations, events } = run.counts;
  return (
    <>
      <h3 className="section-title">Last run: {run.setup}</h3>
      <p className="px-3 quiet">
        {run.status} at {formatNumber(run.time)} s: {steps} steps ({rejected} rejected), {evaluations} evaluations,{' '}
        {events} events, {run.data.rows} rows, {formatNumber(run.seconds * 1000, 3)} ms
      </p>
      {run.solver && (
        <div className="px-3 pb-2 quiet" data-testid="solver-report">
          {run.solver.limiting.length > 0 && (
            <div>
              Its steps were set by{' '}
              {run.solver.limiting.map((x) => `${x.name} (${Math.round(x.share * 100)} %)`).join(', ')}
              {run.solver.implicit ? '; implicit steps in the end' : ''}.
            </div>
          )}
          {run.solver.switching.length > 0 && (
            <div>What switched: {run.solver.switching.map((x) => `${x.text} (${x.times}×)`).join(', ')}.</div>
          )}
          <div>
            Time went into{' '}
            {(['steps', 'looking', 'rows', 'events'] as const)
              .map((t) => `${spentWords[t]} ${Math.round(run.solver!.spent[t] * 100)} %`)
              .join(', ')}
            .
          </div>
          {run.solver.advice.map((a) => (
            <div key={a} style={{ color: 'var(--now-ink)' }}>
              {a}.
            </div>
          ))}
        </div>
      )}
      {run.actions.length > 0 && (
        <div className="px-3 pb-2" data-testid="actions">
          <p className="mb-1">
            {run.actions.length} thing{run.actions.length === 1 ? '' : 's'} done by hand:{' '}
            {run.actions
              .slice(0, 4)
              .map(
                (a) =>
                  `${a.kind === 'set' ? `${a.target} = ${formatNumber(a.value)}` : a.target} at ${formatNumber(a.time)} s`,
              )
              .join(', ')}
            {run.actions.length > 4 && ' …'}
          </p>
          <div className="d-flex gap-2">
            <Button size="sm" onClick={() => keepAsSetup(setup)}>
              Keep as a setup
            </Button>
            <Button size="sm" onClick={() => keepAsSequence(setup)}>
              Write as a sequence
            </Button>
          </div>
        </div>
      )}
    </>
  );
}
