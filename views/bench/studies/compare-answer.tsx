'use client';
import { useMemo, useState } from 'react';
import type { CompareAnswer as Found } from '@/core/studies/answer-compare';
import type { ColumnComparison } from '@/core/studies/compare';
import { differenceTrack } from '@/core/studies/difference-track';
import { convertValue, sameDimension, unitOrUndefined } from '@/core/language/units';
import { useRuns } from '@/store/run-store';
import { Choices } from '@/ui/choices';
import { formatNumber, withUnit } from '@/ui/format';
import { XyPlot, type Curve } from '@/ui/xy-plot';
import { marginWords, VerdictWord } from './verdict-row';

const mostDrawn = 3000;
const show = (x: number | string): string => (typeof x === 'string' ? x : formatNumber(x, 5));

/** What is different between recordings: first where, then how it looks, then verdicts and messages. */
export function CompareAnswer({ found }: { readonly found: Found }) {
  const [other, setOther] = useState(0);
  const k = Math.min(other, found.comparisons.length - 1);
  const comparison = found.comparisons[k];
  const [first, ...others] = found.sides;
  const side = others[k];
  const [picked, setPicked] = useState<string>();
  const [search, setSearch] = useState('');
  const columns = useMemo(
    () =>
      [...comparison.columns]
        .filter((c) => c.name.toLowerCase().includes(search.toLowerCase()))
        .sort((a, b) => Number(a.same) - Number(b.same) || b.relative - a.relative),
    [comparison, search],
  );
  const shown = comparison.columns.find((c) => c.name === (picked ?? comparison.first?.column)) ?? columns[0];
  const different = comparison.columns.filter((c) => !c.same).length;
  const messages = found.messages[k];
  return (
    <>
      {others.length > 1 && (
        <Choices
          label={`Compared with ${first.name}`}
          choices={others.map((o, j) => ({ key: String(j), text: o.name }))}
          chosen={String(k)}
          onChoose={(key) => setOther(Number(key))}
        />
      )}
      <div className="study-words" data-testid="study-words">
        {comparison.first ? (
          <p>
            {side.name} and {first.name} first differ at {formatNumber(comparison.first.time, 5)} s:{' '}
            <span className="mono">{comparison.first.column}</span> is {show(comparison.first.b)} instead of{' '}
            {show(comparison.first.a)}. {different} of {comparison.columns.length} tracks differ by more than the
            tolerance.
          </p>
        ) : (
          <p>
            {comparison.columns.length > 0
              ? `All ${comparison.columns.length} tracks that both have are the same within the tolerance.`
              : 'They have no track in common: say which columns are which quantities.'}
          </p>
        )}
        {comparison.span && <p>{comparison.span}.</p>}
        {side.moved !== 0 && (
          <p className="quiet">
            {side.name} is moved by {formatNumber(side.moved, 4)} s
            {found.alignAt && ` so that ${found.alignAt} comes at one time`}.
          </p>
        )}
        {[first, side].map(
          (s) =>
            s.problem && (
              <p key={s.id} className="bad-ink">
                {s.name} broke off: {s.problem}
              </p>
            ),
        )}
        {messages &&
          (messages.first ? (
            <p data-testid="first-message">
              The first message that differs is number {messages.first.number}:{' '}
              {messages.first.b ? `${messages.first.b.text} at ${formatNumber(messages.first.b.time, 5)} s` : 'none'}{' '}
              instead of{' '}
              {messages.first.a ? `${messages.first.a.text} at ${formatNumber(messages.first.a.time, 5)} s` : 'none'}.
            </p>
          ) : (
            <p data-testid="first-message">
              The same {messages.count} messages in the same order
              {messages.late && `, at most ${formatNumber(messages.late.by, 4)} s apart (${messages.late.a.text})`}.
            </p>
          ))}
      </div>
      {shown && <Tracks found={found} k={k} column={shown} />}
      <div className="study-columns">
        <input
          className="form-control form-control-sm"
          placeholder="Search tracks"
          aria-label="Search compared tracks"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <div className="scroll">
          <table className="table" data-testid="compared-columns">
            <thead>
              <tr>
                <th>Track</th>
                <th className="num">largest difference</th>
                <th className="num">at</th>
                <th className="num">first at</th>
              </tr>
            </thead>
            <tbody>
              {columns.slice(0, 300).map((c) => (
                <tr key={c.name} className={c === shown ? 'chosen' : ''}>
                  <td>
                    <button type="button" className="link-like mono" onClick={() => setPicked(c.name)}>
                      {c.name}
                    </button>
                  </td>
                  <td className={`num mono${c.same ? ' quiet' : ' bad-ink'}`}>
                    {c.problem !== '' ? c.problem : differenceWords(c)}
                  </td>
                  <td className="num mono quiet">{c.difference > 0 ? `${formatNumber(c.at, 4)} s` : ''}</td>
                  <td className="num mono">
                    {c.first && (
                      <button
                        type="button"
                        className="link-like"
                        title="Puts the cursor there"
                        onClick={() => useRuns.getState().moveCursor(c.first!.time)}
                      >
                        {formatNumber(c.first.time, 4)} s
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </div>
      {found.sides.some((s) => s.findings.length > 0) && <Verdicts found={found} />}
    </>
  );
}

const differenceWords = (c: ColumnComparison): string =>
  c.first && typeof c.first.a === 'string'
    ? `${show(c.first.b)} instead of ${c.first.a}`
    : c.difference === 0
      ? 'none'
      : `${withUnit(formatNumber(c.difference, 3), c.unit)} (${formatNumber(100 * c.relative, 2)} %)`;

/** The tracks laid over each other, and the difference with the band in which it does not count. */
function Tracks({
  found,
  k,
  column,
}: {
  readonly found: Found;
  readonly k: number;
  readonly column: ColumnComparison;
}) {
  const [first] = found.sides;
  const { curves, difference, marks } = useMemo(() => {
    const side = found.sides[k + 1];
    const of = (s: Found['sides'][number]) => s.data.columns.find((c) => c.name === column.name);
    const [a, b] = [of(first), of(side)];
    if (!a || !b || a.words || b.words) return { curves: [], difference: [], marks: [] };
    const values = inUnitOf(b.values, b.unit, a.unit);
    const line = (name: string, time: Float64Array, own: Float64Array, isDashed: boolean): Curve => {
      const every = Math.max(1, Math.ceil(time.length / mostDrawn));
      const keep = (list: Float64Array): number[] => [...list].filter((_, j) => j % every === 0);
      return { name, x: keep(time), y: keep(own), isDashed };
    };
    const scale = [a.values, values].reduce(
      (m, all) => all.reduce((x, v) => (Math.abs(v) > x ? Math.abs(v) : x), m),
      0,
    );
    const allowed = Math.max(found.tolerance.absolute, found.tolerance.relative * scale);
    const track = differenceTrack(
      { time: first.data.time, values: a.values },
      { time: side.data.time, values, moved: side.moved },
      mostDrawn,
    );
    return {
      curves: [
        line(first.name, first.data.time, a.values, false),
        line(
          side.name,
          side.data.time.map((t) => t + side.moved),
          values,
          true,
        ),
      ],
      difference: [{ name: `${side.name} - ${first.name}`, x: track.time, y: track.values }] satisfies Curve[],
      marks: [1, -1].map((s) => ({ axis: 'y' as const, at: s * allowed, name: s > 0 ? 'tolerance' : '' })),
    };
  }, [found, k, column, first]);
  if (curves.length === 0) return null;
  const unit = column.unit && column.unit !== '1' ? `[${column.unit}]` : '';
  return (
    <>
      <XyPlot
        label={`${column.name} of both`}
        curves={curves}
        xName="time [s]"
        yName={withUnit(column.name, unit)}
        height={190}
      />
      <XyPlot
        label={`Difference of ${column.name}`}
        curves={difference}
        xName="time [s]"
        yName={withUnit('difference', unit)}
        height={120}
        marks={marks}
      />
    </>
  );
}

function inUnitOf(values: Float64Array, from: string, to: string): Float64Array {
  const [a, b] = [unitOrUndefined(from), unitOrUndefined(to)];
  return from === to || from === '' || to === '' || !a || !b || !sameDimension(a, b)
    ? values
    : values.map((x) => convertValue(x, a, b)!);
}

/** Verdicts and margins of all that were run, side by side. */
function Verdicts({ found }: { readonly found: Found }) {
  const runs = found.sides.filter((s) => s.kind !== 'measured');
  const keys = [...new Set(runs.flatMap((s) => s.findings.map((f) => f.key)))];
  return (
    <table className="table" data-testid="compared-verdicts">
      <thead>
        <tr>
          <th>Requirement</th>
          {runs.map((s) => (
            <th key={s.id}>{s.name}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {keys.map((key) => (
          <tr key={key}>
            <td className="mono">{key}</td>
            {runs.map((s) => {
              const f = s.findings.find((x) => x.key === key);
              return (
                <td key={s.id}>
                  {f && (
                    <span className="d-flex gap-2">
                      <VerdictWord verdict={f.verdict} />
                      <span className="mono quiet">{marginWords(f.margin, f.unit)}</span>
                    </span>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
