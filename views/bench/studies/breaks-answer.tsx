'use client';
import { ListPlus, Play } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { Project, Study } from '@/core/project/project';
import type { BreaksAnswer as Found, FoundCase } from '@/core/studies/breaks';
import type { SentMessage } from '@/core/studies/runner';
import { keepAsSetup, openCase, type Named } from '@/store/study-actions';
import { Button } from '@/ui/button';
import { formatNumber, withUnit } from '@/ui/format';
import { RunPlot, type PlotMark, type RunPoint } from './run-plot';

/** The case that was found, or how hard it was looked for. */
export function BreaksAnswer({
  project,
  study,
  found,
}: {
  readonly project: Project;
  readonly study: Study;
  readonly found: Found;
}) {
  const shown = found.simplest ?? found.lowest;
  const { finding } = shown;
  const values: readonly Named[] = found.over
    .map((name, k) => ({ name, value: shown.values[k] }))
    .filter((v, k) => v.value !== found.nominal[k]);
  const messages: readonly SentMessage[] = found.messages.map((m, k) => ({
    target: m.target,
    time: shown.times[k],
    ...(m.value !== undefined && { value: m.value }),
  }));
  const margin = finding.margin === undefined ? '' : withUnit(formatNumber(Math.abs(finding.margin), 4), finding.unit);
  const [at, setAt] = useState(found.path.length - 1);
  const points = useMemo(
    () =>
      found.path.map((p, row): RunPoint => ({ row, x: p.after, y: p.value, verdict: p.value < 0 ? 'fails' : 'holds' })),
    [found],
  );
  const marks = useMemo((): readonly PlotMark[] => [{ axis: 'y', at: 0, name: 'limit' }], []);
  const note = [
    `Found by the study ${study.name}: ${found.key} ${finding.verdict}${margin && finding.verdict === 'fails' ? ` by ${margin}` : ''}.`,
    finding.reason,
  ]
    .filter(Boolean)
    .join(' ');
  return (
    <>
      <div className="study-words" data-testid="study-words">
        {found.isBroken ? (
          <p>
            <strong className="bad-ink">
              {found.key} fails{margin && ` by ${margin}`}
            </strong>
            {finding.failsSince !== undefined && ` from ${formatNumber(finding.failsSince, 4)} s on`} in this case,
            which was made as plain as it could be:
          </p>
        ) : (
          <p>
            {found.key} was not broken by {found.runs} runs
            {margin && `; the lowest margin seen is ${margin}`}, at:
          </p>
        )}
      </div>
      <CaseTable found={found} shown={shown} />
      {!found.isBroken && (
        <p className="quiet px-3" data-testid="tried">
          Tried:{' '}
          {[
            ...found.ranges.map(
              (r, k) =>
                `${r.name} between ${formatNumber(r.low)} and ${withUnit(formatNumber(r.high), found.units[k])}`,
            ),
            ...found.messages.map((m) => `${m.target} between ${formatNumber(m.from)} and ${formatNumber(m.to)} s`),
          ].join('; ')}
          . This is no proof: elsewhere, or between, it may fail.
        </p>
      )}
      <div className="study-tools">
        <Button variant="primary" size="sm" onClick={() => void openCase(project, study, values, messages)}>
          <Play size={13} aria-hidden /> Open this run
        </Button>
        <Button
          size="sm"
          onClick={() =>
            keepAsSetup(
              project,
              study,
              `${found.key} ${found.isBroken ? 'broken' : 'at its lowest'}`,
              note,
              values,
              messages,
            )
          }
          title="A setup with these values and messages, which is run with the others from now on"
        >
          <ListPlus size={13} aria-hidden /> Keep as a setup
        </Button>
      </div>
      <RunPlot
        label={`Lowest margin of ${found.key} so far`}
        points={points}
        xName="runs"
        yName={withUnit('lowest margin', finding.unit && finding.unit !== '1' ? `[${finding.unit}]` : '')}
        height={190}
        isLine
        marks={marks}
        chosen={at}
        onChoose={setAt}
      />
      <p className="quiet small px-3">
        {found.methods.join(', then ')}, {found.runs} runs
        {found.failed > 0 && `; ${found.failed} could not be finished (${found.problems[0]})`}.
      </p>
    </>
  );
}

/** What is different from the design in a case, and what is not. */
function CaseTable({ found, shown }: { readonly found: Found; readonly shown: FoundCase }) {
  return (
    <table className="table" data-testid="found-case">
      <tbody>
        {found.over.map((name, k) => {
          const value = shown.values[k];
          const isPlain = value === found.nominal[k];
          return (
            <tr key={name} className={isPlain ? 'quiet' : ''}>
              <td className="mono">{name}</td>
              <td className="num mono">{withUnit(formatNumber(value, 6), found.units[k])}</td>
              <td className="quiet">
                {isPlain
                  ? 'as designed: it does not matter here'
                  : `${withUnit(formatNumber(found.nominal[k], 5), found.units[k])} as designed`}
              </td>
            </tr>
          );
        })}
        {found.messages.map((m, k) => (
          <tr key={`${m.target} ${k}`}>
            <td className="mono">
              {m.target}
              {m.value !== undefined && ` = ${m.value}`}
            </td>
            <td className="num mono">{formatNumber(shown.times[k], 6)} s</td>
            <td className="quiet">{m.value === undefined ? 'is sent then' : 'is set then'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
