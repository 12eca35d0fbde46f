'use client';
import { useMemo } from 'react';
import type { PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';

/** What the steps of software took on a board, or on this machine, in the run at hand. */
export function TimesSheet({ type, part }: { readonly type: PartType; readonly part: string }) {
  const run = useRuns((s) => s.current);
  const staged = run?.model.stages?.find(
    (s) => (s.stage === 'board' || s.stage === 'host') && (s.part === part || part === ''),
  );
  const profile = staged && run?.profiles?.find((p) => p.part === staged.part);
  const column = staged && run?.data.columns.get(`${staged.part}.stepTime`);
  const version = useRuns((s) => s.version);
  const times = useMemo(
    () => (run && column ? measured(run.data.time, column.values, run.data.rows) : undefined),
    // the columns grow in place
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run, column, version],
  );
  if (!run || !staged)
    return (
      <div className="empty">
        <h3>No run of {type.name} on a board</h3>
        <p>
          A setup says how its software runs: choose a board there and run it. How long each step takes is measured
          then, and requirements can speak of it, as in <span className="mono">{part || 'ctrl'}.stepTime</span>. Where
          it runs on this machine, compiled, it is measured in nanoseconds.
        </p>
        <Button onClick={() => usePlace.getState().go({ area: 'bench', sheet: '' })}>To the setups</Button>
      </div>
    );
  const isOnHost = staged.stage === 'host';
  if (!profile || (!times && !isOnHost))
    return (
      <div className="empty">
        <p>{run.setup} is still running: what its steps took is shown once it rests.</p>
      </div>
    );
  const { period } = staged;
  return (
    <div className="pane-body" data-testid="step-times">
      <div className="px-3 pt-2">
        {times ? (
          <p className="mb-1">
            On {staged.board} the longest step of {staged.part} took {seconds(times.most)}, {share(times.most / period)}{' '}
            of its {seconds(period)}; on average {share(times.mean / period)}.
            {profile.overruns > 0 &&
              ` ${profile.overruns} ${profile.overruns === 1 ? 'step was' : 'steps were'} left out, as the one before was not done in time.`}
          </p>
        ) : (
          <p className="mb-1">
            Compiled on this machine, as nanoseconds of its clock: what a chip would take is another question, that
            boards answer.
          </p>
        )}
        <p className="quiet mb-1">
          {profile.stack !== undefined && `At most ${profile.stack} bytes of stack were used in this run. `}
          {profile.note}
        </p>
        {times && (
          <Button
            size="sm"
            data-testid="slowest-step"
            onClick={() => {
              useRuns.getState().moveCursor(times.mostAt);
              usePlace.getState().say(`The longest step ended at ${formatNumber(times.mostAt, 6)} s`, 'note');
            }}
          >
            Show the longest step in the ribbon
          </Button>
        )}
      </div>
      {times && (
        <>
          <h3 className="section-title">How long steps took</h3>
          <Histogram values={times.all} period={period} />
        </>
      )}
      <h3 className="section-title">Functions</h3>
      <table className="table" data-testid="step-functions">
        <thead>
          <tr>
            <th scope="col">Function</th>
            <th scope="col" className="text-end">
              calls
            </th>
            {['least', 'mean', 'most'].map((w) => (
              <th key={w} scope="col" className="text-end">
                {w}, {profile.unit}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {profile.functions.map((f) => (
            <tr key={f.name}>
              <td className="mono">{f.name}</td>
              {[f.calls, f.min, f.mean, f.max].map((x, k) => (
                <td key={k} className="mono text-end">
                  {formatNumber(x, 5)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const seconds = (x: number): string =>
  x < 1e-3 ? `${formatNumber(x * 1e6, 4)} us` : x < 1 ? `${formatNumber(x * 1e3, 4)} ms` : `${formatNumber(x, 4)} s`;
const share = (x: number): string => `${formatNumber(x * 100, 3)} %`;

/** Each step once: the time of a step stands from its end to that of the next. */
function measured(time: ArrayLike<number>, values: ArrayLike<number>, rows: number) {
  const all: number[] = [];
  let [most, mostAt, sum] = [0, 0, 0];
  for (let k = 0; k < rows; k++) {
    const x = values[k];
    if (!(x > 0) || (k > 0 && x === values[k - 1])) continue;
    all.push(x);
    sum += x;
    if (x > most) [most, mostAt] = [x, time[k]];
  }
  return all.length === 0 ? undefined : { all, most, mostAt, mean: sum / all.length };
}

const bins = 24;

/** How many steps took how long, up to their period or beyond. */
function Histogram({ values, period }: { readonly values: readonly number[]; readonly period: number }) {
  const end = Math.max(period, ...values);
  const counts = new Array<number>(bins).fill(0);
  for (const x of values) counts[Math.min(bins - 1, Math.floor((x / end) * bins))]++;
  const top = Math.max(...counts);
  return (
    <div className="step-histogram px-3" role="img" aria-label={`${values.length} steps by how long they took`}>
      {counts.map((n, k) => (
        <div
          key={k}
          title={`${n} steps of ${seconds((k * end) / bins)} to ${seconds(((k + 1) * end) / bins)}`}
          className={(k + 1) / bins > period / end ? 'late' : ''}
        >
          <span style={{ height: n === 0 ? 0 : `${Math.max(2, (100 * Math.log1p(n)) / Math.log1p(top))}%` }} />
          {k % 6 === 0 && <small className="quiet">{share((k * end) / bins / period)}</small>}
        </div>
      ))}
    </div>
  );
}
