'use client';
import { useState } from 'react';
import type { MattersAnswer as Found } from '@/core/studies/matters';
import { Choices } from '@/ui/choices';
import { formatNumber, withUnit } from '@/ui/format';

/** How much of what varies each value explains: a bar by itself within a bar with all it takes part in. */
export function MattersAnswer({ found }: { readonly found: Found }) {
  // the margin that is nearest to its limit for how much it varies
  const nearest = found.results.reduce(
    (best, r, k, all) => (r.isMargin && r.mean / r.deviation < all[best].mean / all[best].deviation ? k : best),
    0,
  );
  const [picked, setPicked] = useState(nearest);
  const result = found.results[Math.min(picked, found.results.length - 1)];
  const sorted = [...result.values].sort((a, b) => b.total - a.total);
  const share = (x: number): number => 100 * Math.min(1, Math.max(0, x));
  const unitOf = (name: string): string => found.units[found.over.indexOf(name)] ?? '';
  const nothing = sorted.filter((v) => v.total < 0.02 + 2 * v.totalError).map((v) => v.name);
  const most = sorted[0];
  return (
    <>
      <div className="study-words" data-testid="study-words">
        <p>
          {most.name} decides most of the {result.isMargin ? 'margin of ' : ''}
          {result.name}: {formatNumber(share(most.total), 3)} % of its variance with all it takes part in.
        </p>
        {nothing.length > 0 && nothing.length < sorted.length && (
          <p className="quiet">{nothing.join(', ')} cannot be told from nothing within these ranges.</p>
        )}
        {result.leftOut > 0 && (
          <p className="quiet">
            {result.leftOut} of {result.used + result.leftOut} points are left out: a run there has none.
          </p>
        )}
      </div>
      <Choices
        label="What varies"
        choices={found.results.map((r, k) => ({ key: String(k), text: r.name }))}
        chosen={String(found.results.indexOf(result))}
        onChoose={(key) => setPicked(Number(key))}
      />
      <table className="table matters" data-testid="matters">
        <thead>
          <tr>
            <th>Value</th>
            <th>share of the variance</th>
            <th className="num" title="First index (Sobol 1993), with its standard error">
              alone
            </th>
            <th className="num" title="Total index (Jansen 1999), with its standard error">
              in all
            </th>
            <th className="num" title="Change of the margin for one unit of the value, where the design is">
              slope at the design
            </th>
          </tr>
        </thead>
        <tbody>
          {sorted.map((v) => (
            <tr key={v.name}>
              <td className="mono">{v.name}</td>
              <td>
                <span className="share-bar two">
                  <span className="span" style={{ left: 0, right: `${100 - share(v.total)}%` }} />
                  <span className="inner" style={{ left: 0, right: `${100 - share(v.first)}%` }} />
                </span>
              </td>
              <td className="num mono">
                {formatNumber(100 * v.first, 2)} ± {formatNumber(100 * v.firstError, 1)} %
              </td>
              <td className="num mono">
                {formatNumber(100 * v.total, 2)} ± {formatNumber(100 * v.totalError, 1)} %
              </td>
              <td className="num mono">
                {v.slope === undefined
                  ? '–'
                  : withUnit(
                      formatNumber(v.slope, 3),
                      unitOf(v.name) && unitOf(v.name) !== '1'
                        ? `${result.unit || '1'} per ${unitOf(v.name)}`
                        : result.unit,
                    )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet small px-3">
        {result.name} varies by {withUnit(formatNumber(result.deviation, 3), result.unit)} (standard deviation) over
        these ranges. Dark: by itself; light: with all it takes part in.
      </p>
    </>
  );
}
