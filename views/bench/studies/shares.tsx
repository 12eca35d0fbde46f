'use client';
import type { RunTable } from '@/core/studies/run-table';
import type { ShareThatHolds } from '@/core/studies/vary';
import { formatNumber, withUnit } from '@/ui/format';

/** In how many runs each requirement holds, with what can be said of it, and its least margin. */
export function Shares({
  table,
  shares,
  shown,
  isDrawn,
  onShow,
}: {
  readonly table: RunTable;
  readonly shares: readonly ShareThatHolds[];
  readonly shown: number;
  /** Values were drawn at random: then the share says something of other such runs. */
  readonly isDrawn: boolean;
  readonly onShow: (requirement: number) => void;
}) {
  const percent = (x: number): string => `${formatNumber(100 * x, 3)} %`;
  // what changes comes first, what no run decides last
  const rank = (s: ShareThatHolds): number => (s.holds > 0 && s.fails > 0 ? 0 : s.fails > 0 ? 1 : s.holds > 0 ? 2 : 3);
  const order = shares.map((_, j) => j).sort((a, b) => rank(shares[a]) - rank(shares[b]));
  return (
    <table className="table shares" data-testid="shares">
      <thead>
        <tr>
          <th>Requirement</th>
          <th>holds</th>
          {isDrawn && (
            <th title="The share of all such runs lies in it with 95 % (Wilson 1927)">of all such runs, 95 %</th>
          )}
          <th className="num">least margin</th>
        </tr>
      </thead>
      <tbody>
        {order.map((j) => {
          const s = shares[j];
          const decided = s.holds + s.fails;
          return (
            <tr key={s.key} className={j === shown ? 'chosen' : ''}>
              <td>
                <button
                  type="button"
                  className="link-like mono"
                  aria-pressed={j === shown}
                  onClick={() => onShow(j)}
                  title={`Shows the margin of ${s.key}`}
                >
                  {s.key}
                </button>
              </td>
              <td className="num">
                {decided === 0 ? (
                  <span className="quiet">not decided</span>
                ) : (
                  <>
                    <span className={s.fails > 0 ? 'bad-ink' : 'good-ink'}>
                      {s.holds} of {decided}
                    </span>
                    {s.undecided > 0 && <span className="quiet"> + {s.undecided} open</span>}
                  </>
                )}
              </td>
              {isDrawn && (
                <td>
                  {decided > 0 && (
                    <span className="share-bar" title={`${percent(s.low)} to ${percent(s.high)}`}>
                      <span className="span" style={{ left: `${100 * s.low}%`, right: `${100 - 100 * s.high}%` }} />
                      <span className="at" style={{ left: `${100 * s.share}%` }} />
                      <span className="words">
                        {percent(s.low)} .. {percent(s.high)}
                      </span>
                    </span>
                  )}
                </td>
              )}
              <td className={`num mono${s.least < 0 ? ' bad-ink' : ''}`}>
                {Number.isFinite(s.least) ? withUnit(formatNumber(s.least, 3), table.marginUnits[j]) : '–'}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
