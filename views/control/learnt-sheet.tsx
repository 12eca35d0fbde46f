'use client';
import { Plus } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { PartType, Project } from '@/core/project/project';
import { estimatorsOf, type Estimator } from '@/core/signals/estimators';
import { estimateAt, sizeOf, ticksOf, type EstimateFacts, type ReadRecording } from '@/core/studies/estimates';
import { fullName } from '@/store/derived';
import { useRuns, type RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { Choices } from '@/ui/choices';
import { CorrelationTable } from '@/ui/correlation-table';
import { addSignalSheet } from '@/ui/editing/make';
import { formatNumber, withUnit } from '@/ui/format';
import { XyPlot, type Curve } from '@/ui/xy-plot';
import { Alarms } from './alarms';
import { ControlChoice } from './control-choice';
import { FixedModels } from './fixed-models';
import { RegressorsForm } from './regressors-form';

/** What the estimators of a part type know at the cursor, how certain they are, and what their error still tells. */
export function LearntSheet({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const all = useMemo(() => estimatorsOf(type), [type]);
  const [chosen, setChosen] = useState('');
  const estimator = all.find((e) => e.name === chosen) ?? all[0];
  const run = useRuns((s) => s.current);
  const version = useRuns((s) => s.version);
  const recording = useMemo(() => run && readable(run, version), [run, version]);
  const whole = estimator && fullName(path, estimator.name);
  const isRecorded = whole !== undefined && recording !== undefined && sizeOf(recording, whole) > 0;
  return (
    <>
      <div className="pane-head">
        <h2 className="own-width">
          What <span className="type-tag">{type.name}</span> learns
        </h2>
        <ControlChoice />
      </div>
      <div className="pane-body learnt" data-testid="learnt">
        {!estimator ? (
          <NoEstimator project={project} type={type} />
        ) : (
          <>
            {all.length > 1 && (
              <Choices
                label="Estimator"
                choices={all.map((e) => ({ key: e.name, text: e.name }))}
                chosen={estimator.name}
                onChoose={setChosen}
              />
            )}
            {isRecorded && path !== undefined ? (
              <Learnt
                key={whole}
                project={project}
                type={type}
                path={path}
                estimator={estimator}
                recording={recording}
              />
            ) : (
              <div className="empty">
                <h3>{run ? 'The run at hand has nothing of it' : 'Nothing has run yet'}</h3>
                <p>
                  Run a setup that contains a part of the type {type.name}, and choose that part in the outline: then
                  its values, how certain they are, and its error stand here, at the cursor and over time.
                </p>
              </div>
            )}
          </>
        )}
        <details className="from-equations" open={!estimator} key={type.id}>
          <summary>Regressors from equations</summary>
          <RegressorsForm project={project} type={type} />
        </details>
      </div>
    </>
  );
}

/** The recording as it is now. */
const readable = ({ data }: RunView, version: number): ReadRecording & { readonly version: number } => ({
  version,
  rows: data.rows,
  time: data.time,
  column: (name) => data.columns.get(name),
});

function NoEstimator({ project, type }: { readonly project: Project; readonly type: PartType }) {
  return (
    <div className="empty">
      <h3>{type.name} has no estimator</h3>
      <p>
        An estimator is a line of a sampled signal sheet: <span className="mono">leastSquares</span> finds the values
        that multiply regressors to make what is measured, <span className="mono">kalman</span> the states of a linear
        plant, <span className="mono">extendedKalman</span> those of one that is not. All say how certain they are, and
        run wherever the sheet runs.
      </p>
      <Button variant="primary" onClick={() => addSignalSheet(project, type, exampleLines, "10 'ms'")}>
        <Plus size={14} aria-hidden /> Begin with an estimator
      </Button>
    </div>
  );
}

/** Something to begin with: what it uses and does not know yet is told. */
const exampleLines: readonly string[] = [
  '// measured = value 1 times the first regressor + value 2 times the second one',
  'est = leastSquares(measured, {first, second}, noise = 0.01, forget = 0.99)',
  'one = est.theta[1]',
];

function Learnt({
  project,
  type,
  path,
  estimator,
  recording,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string;
  readonly estimator: Estimator;
  readonly recording: ReadRecording;
}) {
  const cursor = useRuns((s) => s.cursor);
  const whole = fullName(path, estimator.name);
  const ticks = useMemo(() => ticksOf(recording, whole), [recording, whole]);
  const facts = useMemo(
    () => estimateAt(recording, whole, estimator, ticks, cursor),
    [recording, whole, estimator, ticks, cursor],
  );
  const courses = useMemo(() => coursesOf(recording, facts, ticks), [recording, facts, ticks]);
  const marks = useMemo(() => [{ axis: 'x' as const, at: cursor, name: '' }], [cursor]);
  if (facts.time === undefined)
    return (
      <div className="empty">
        <h3>It has not ticked by {formatNumber(cursor, 4)} s</h3>
        <p>Move the cursor to a later moment.</p>
      </div>
    );
  return (
    <div className="learnt-split">
      <div>
        {facts.values.map((v, k) => (
          <section key={v.column}>
            <h3 className="plot-title">Value {v.label}, two deviations to either side</h3>
            <XyPlot
              label={`Value ${v.label} over time`}
              curves={courses[k]}
              xName="time, s"
              yName={v.unit}
              height={150}
              marks={marks}
            />
          </section>
        ))}
        <FixedModels
          project={project}
          type={type}
          path={path}
          estimator={estimator}
          facts={facts}
          recording={recording}
        />
      </div>
      <div>
        <Values facts={facts} />
        {facts.error && <ErrorOf error={facts.error} to={facts.time} />}
        <Alarms type={type} path={path} recording={recording} />
      </div>
    </div>
  );
}

/** At most so many points are drawn. */
const mostDrawn = 1500;

/** Each value over the ticks with its band. While it begins its band is far wider than anything else: that is left out. */
function coursesOf(
  recording: ReadRecording,
  { values }: EstimateFacts,
  ticks: readonly number[],
): readonly (readonly Curve[])[] {
  const every = Math.max(1, Math.ceil(ticks.length / mostDrawn));
  const rows = ticks.filter((_, k) => k % every === 0);
  const time = rows.map((r) => recording.time[r]);
  const valuesOf = (name: string): Float64Array => recording.column(name)?.values ?? new Float64Array(recording.rows);
  return values.map((v) => {
    const [value, deviation] = [valuesOf(v.column), valuesOf(v.deviationColumn)];
    // what lies far outside while it begins is left out; the bands of all that follows are not
    const later = rows.slice(Math.floor(rows.length / 10));
    const span = spanOf(later.flatMap((r) => [value[r] - 2 * deviation[r], value[r] + 2 * deviation[r]]));
    const within = (x: number): number => (x >= span[0] && x <= span[1] ? x : NaN);
    return [
      { name: 'value', x: time, y: rows.map((r) => within(value[r])) },
      ...[2, -2].map((s) => ({
        name: s > 0 ? 'and two deviations' : 'less two deviations',
        x: time,
        y: rows.map((r) => within(value[r] + s * deviation[r])),
        isDashed: true,
        like: 0,
      })),
    ];
  });
}

/** A little more than where values lie. */
function spanOf(values: readonly number[]): readonly [number, number] {
  const finite = values.filter((x) => Number.isFinite(x));
  const [low, high] = [Math.min(...finite), Math.max(...finite)];
  const room = Math.max((high - low) / 2, Math.abs(high) * 0.02, 1e-300);
  return [low - room, high + room];
}

function Values({ facts }: { readonly facts: EstimateFacts }) {
  const { values, leastCertain, correlation, notTold, time } = facts;
  return (
    <>
      <table className="table" data-testid="learnt-values">
        <thead>
          <tr>
            <th>Value</th>
            <th className="num">at {formatNumber(time!, 4)} s</th>
            <th
              className="num"
              title="In about 95 of 100 cases the value lies no farther away, as far as the noise given is that of the measurement"
            >
              two deviations
            </th>
          </tr>
        </thead>
        <tbody>
          {values.map((v, k) => (
            <tr key={v.column}>
              <td className="text-nowrap">
                {v.label}
                {leastCertain === k && <span className="quiet d-block">least certain</span>}
              </td>
              <td className="num mono">{withUnit(formatNumber(v.value, 5), v.unit)}</td>
              <td className="num mono text-nowrap">
                {formatNumber(2 * v.deviation, 3)}
                <span className="quiet"> {formatNumber((200 * v.deviation) / Math.abs(v.value), 2)} %</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {notTold.map((w) => (
        <p key={w} className="bad-ink px-2" data-testid="not-told">
          {w}.
        </p>
      ))}
      {values.length > 1 && (
        <CorrelationTable
          label="Correlations of the errors"
          names={values.map((v) => v.label)}
          correlation={correlation}
        />
      )}
    </>
  );
}

const errorWords = {
  few: 'Too few ticks to tell whether it hangs together.',
  white: 'Nothing hangs together in it: it is noise.',
  difference: 'It is the noise of a difference: neighbours are opposed, nothing else hangs together.',
  together: 'It hangs together in time: something is still to be explained, or it forgets too slowly for what changes.',
};

function ErrorOf({ error, to }: { readonly error: NonNullable<EstimateFacts['error']>; readonly to: number }) {
  const curves = useMemo<Curve[]>(
    () => [{ name: 'of the error', x: error.correlogram.map((_, k) => k), y: error.correlogram }],
    [error],
  );
  const band = useMemo(
    () => [1, -1].map((s) => ({ axis: 'y' as const, at: s * error.band, name: s > 0 ? 'noise stays between' : '' })),
    [error],
  );
  return (
    <section>
      <h3 className="plot-title">Error of its prediction</h3>
      <p className="px-2 mb-1" data-testid="learnt-error">
        {errorWords[error.kind]}{' '}
        <span className="quiet">
          Root of the mean square {formatNumber(error.rms, 3)} over {error.count} ticks from{' '}
          {formatNumber(error.from, 4)} to {formatNumber(to, 4)} s.
        </span>
      </p>
      <XyPlot
        label="Whether the error hangs together"
        curves={curves}
        xName="ticks apart"
        yName="autocorrelation"
        height={150}
        marks={band}
      />
    </section>
  );
}
