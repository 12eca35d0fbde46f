'use client';
import { Check, CornerDownRight } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { Project, Study } from '@/core/project/project';
import type { FitAnswerOfStudy } from '@/core/studies/answer-fit';
import { applyToDesign, applyToSetup, type Named } from '@/store/study-actions';
import { Button } from '@/ui/button';
import { Choices } from '@/ui/choices';
import { CorrelationTable } from '@/ui/correlation-table';
import { formatNumber, withUnit } from '@/ui/format';
import { XyPlot, type Curve } from '@/ui/xy-plot';

/** More rows than that are thinned where they are drawn. */
const mostDrawn = 3000;

const between = {
  straight: '',
  held: 'Inputs that jump fit best as held until the next row.',
  ahead: 'Inputs that jump fit best as being there from the row before.',
};

/** Values that were found, how certain they are, and how well the model follows what was measured. */
export function FitAnswer({
  project,
  study,
  found,
  at,
}: {
  readonly project: Project;
  readonly study: Study;
  readonly found: FitAnswerOfStudy;
  /** When it was found, in ms. */
  readonly at: number;
}) {
  const { report, units } = found;
  const [shown, setShown] = useState(0);
  // shifts are of the recordings, not of the model
  const own = report.values.filter((v) => found.ranges.some((r) => r.name === v.name));
  const decided = own.filter((v) => v.isDecided);
  const values: readonly Named[] = decided.map((v) => ({ name: v.name, value: v.value }));
  const day = new Date(at).toISOString().slice(0, 10);
  const from = [...new Set(found.recordings)].join(', ');
  const notes = decided.map(
    (v) =>
      `${v.name} = ${Number(v.value.toPrecision(5))}: fitted to ${from} on ${day}, 95 % between ${Number(v.low.toPrecision(4))} and ${Number(v.high.toPrecision(4))}`,
  );
  return (
    <>
      <div className="study-words" data-testid="study-words">
        {report.notDecided.map((g) => (
          <p key={g.why} className="bad-ink">
            {g.why}.
          </p>
        ))}
        {report.columns.map((c, k) => (
          <p key={c.quantity + found.recordings[k]}>
            {c.quantity}: what is left over is {withUnit(formatNumber(c.rms, 3), c.unit)}
            {c.before !== undefined && `, ${withUnit(formatNumber(c.before, 3), c.unit)} before`}
            {c.heldBack !== undefined && `, ${withUnit(formatNumber(c.heldBack, 3), c.unit)} where it was held back`}
            {c.isWhite ? '.' : '; it hangs together in time: the model does not explain all.'}
          </p>
        ))}
        <p className="quiet">
          {report.starts.here} of {report.starts.tried} starts came to this point
          {report.settled ? '' : '; it had not settled'}.{' '}
          {report.isAlong && 'Slopes were integrated along with the states. '}
          {between[report.between]} {found.drivenBy.length > 0 && `Driven by ${found.drivenBy.join(', ')}.`}
        </p>
      </div>
      <div className="study-tools">
        <Button
          variant="primary"
          size="sm"
          disabled={values.length === 0}
          onClick={() => applyToDesign(project, study, values, notes)}
          title="The design has these values from now on, with a note of where they came from; Ctrl+Z takes it back"
        >
          <Check size={13} aria-hidden /> Apply to the design
        </Button>
        <Button
          size="sm"
          disabled={values.length === 0}
          onClick={() => applyToSetup(project, study, values)}
          title="Only this setup has these values"
        >
          <CornerDownRight size={13} aria-hidden /> Apply to the setup
        </Button>
      </div>
      <table className="table" data-testid="fitted-values">
        <thead>
          <tr>
            <th>Value</th>
            <th className="num">before</th>
            <th className="num">found</th>
            <th className="num" title="The interval in which it lies with 95 %, as far as the model is right">
              95 %
            </th>
          </tr>
        </thead>
        <tbody>
          {report.values.map((v, k) => (
            <tr key={v.name}>
              <td className="mono">{v.name}</td>
              <td className="num mono quiet">{withUnit(formatNumber(found.nominal[k], 4), units[k])}</td>
              <td className="num mono">
                {withUnit(formatNumber(v.value, 5), units[k])}
                {v.isAtEdge && <span className="bad-ink"> at the edge of its range</span>}
              </td>
              <td className="num mono">
                {v.isDecided ? (
                  `${formatNumber(v.low, 4)} .. ${formatNumber(v.high, 4)}`
                ) : (
                  <span className="bad-ink">not decided</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {report.columns.length > 1 && (
        <Choices
          label="Measured column"
          choices={report.columns.map((c, k) => ({
            key: String(k),
            text: (
              <>
                {c.quantity} <span className="quiet">{found.recordings[k]}</span>
              </>
            ),
          }))}
          chosen={String(shown)}
          onChoose={(key) => setShown(Number(key))}
        />
      )}
      <Curves found={found} k={Math.min(shown, report.columns.length - 1)} />
      {report.values.length > 1 && (
        <CorrelationTable
          label="Correlations of the values found"
          names={report.values.map((v) => v.name)}
          correlation={report.correlation}
        />
      )}
    </>
  );
}

function Curves({ found, k }: { readonly found: FitAnswerOfStudy; readonly k: number }) {
  const c = found.report.columns[k];
  const { curves, residuals, lags, band, marks } = useMemo(() => {
    const every = Math.max(1, Math.ceil(c.time.length / mostDrawn));
    const thin = (list: readonly number[]): readonly number[] => list.filter((_, j) => j % every === 0);
    const time = thin(c.time);
    const held = c.time.at(-1)! - found.holdBack * (c.time.at(-1)! - c.time[0]);
    return {
      curves: [
        { name: 'measured', x: time, y: thin(c.measured), points: 'dot' },
        { name: 'found', x: time, y: thin(c.fitted) },
        ...(c.designed ? [{ name: 'before', x: time, y: thin(c.designed), isDashed: true }] : []),
      ] satisfies Curve[],
      residuals: [
        { name: 'model - measured', x: time, y: thin(c.fitted.map((y, j) => y - c.measured[j])) },
      ] satisfies Curve[],
      lags: [{ name: 'of what is left', x: c.correlogram.map((_, j) => j), y: c.correlogram }] satisfies Curve[],
      band: [2, -2].map((s) => ({
        axis: 'y' as const,
        at: s / Math.sqrt(Math.max(1, c.time.length)),
        name: s > 0 ? 'noise stays between' : '',
      })),
      marks: found.holdBack > 0 ? [{ axis: 'x' as const, at: held, name: 'held back' }] : [],
    };
  }, [c, found.holdBack]);
  const yName = withUnit(c.quantity, c.unit && c.unit !== '1' ? `[${c.unit}]` : '');
  return (
    <>
      <XyPlot
        label={`${c.quantity}: measured, before and found`}
        curves={curves}
        xName="time [s]"
        yName={yName}
        height={220}
        marks={marks}
      />
      <XyPlot
        label="What is left over time"
        curves={residuals}
        xName="time [s]"
        yName="left over"
        height={130}
        marks={marks}
      />
      <XyPlot
        label="Whether what is left hangs together"
        curves={lags}
        xName="rows apart"
        yName="autocorrelation"
        height={130}
        marks={band}
      />
    </>
  );
}
