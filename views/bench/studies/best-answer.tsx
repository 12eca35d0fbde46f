'use client';
import { Check, CornerDownRight, Play } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { Project, Study } from '@/core/project/project';
import type { BorderAnswer as FoundBorder } from '@/core/studies/answer-border';
import type { BestAnswer as Found, FoundVerdict } from '@/core/studies/best';
import { aimName, calledIn } from '@/core/studies/study';
import { applyToDesign, applyToSetup, openCase, type Named } from '@/store/study-actions';
import { Button } from '@/ui/button';
import { formatNumber, withUnit } from '@/ui/format';
import { RunPlot, type PlotMark, type RunPoint } from './run-plot';
import { marginWords, VerdictWord } from './verdict-row';

interface Props<F> {
  readonly project: Project;
  readonly study: Study;
  readonly found: F;
}

const namedValues = (over: readonly string[], point: readonly number[]): readonly Named[] =>
  over.map((name, k) => ({ name, value: point[k] }));

/** What can be done with values that were found. */
export function TakeValues({
  project,
  study,
  values,
}: {
  readonly project: Project;
  readonly study: Study;
  readonly values: readonly Named[];
}) {
  return (
    <div className="study-tools">
      <Button
        variant="primary"
        size="sm"
        onClick={() => applyToDesign(project, study, values)}
        title="The design has these values from now on; Ctrl+Z takes it back"
      >
        <Check size={13} aria-hidden /> Apply to the design
      </Button>
      <Button size="sm" onClick={() => applyToSetup(project, study, values)} title="Only this setup has these values">
        <CornerDownRight size={13} aria-hidden /> Apply to the setup
      </Button>
      <Button size="sm" onClick={() => void openCase(project, study, values)} title="Runs it into the ribbon">
        <Play size={13} aria-hidden /> Open this run
      </Button>
    </div>
  );
}

/** Values side by side: as designed, and as found. */
export function ValuesTable({
  over,
  units,
  design,
  point,
}: {
  readonly over: readonly string[];
  readonly units: readonly string[];
  readonly design: readonly (number | undefined)[];
  readonly point: readonly number[];
}) {
  return (
    <table className="table" data-testid="found-values">
      <thead>
        <tr>
          <th>Value</th>
          <th className="num">as designed</th>
          <th className="num">found</th>
        </tr>
      </thead>
      <tbody>
        {over.map((name, k) => (
          <tr key={name}>
            <td className="mono">{name}</td>
            <td className="num mono quiet">{withUnit(formatNumber(design[k], 5), units[k])}</td>
            <td className="num mono">{withUnit(formatNumber(point[k], 6), units[k])}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Verdicts({
  design,
  there,
}: {
  readonly design: readonly FoundVerdict[];
  readonly there: readonly FoundVerdict[];
}) {
  return (
    <table className="table" data-testid="found-verdicts">
      <thead>
        <tr>
          <th>Requirement</th>
          <th>there</th>
          <th className="num">margin</th>
          <th className="num">as designed</th>
        </tr>
      </thead>
      <tbody>
        {there
          .filter((v) => v.verdict !== 'undecided' || design.find((d) => d.id === v.id)?.verdict !== 'undecided')
          .map((v) => {
            const before = design.find((d) => d.id === v.id);
            return (
              <tr key={v.id}>
                <td className="mono">{v.key}</td>
                <td>
                  <VerdictWord verdict={v.verdict} />
                </td>
                <td className="num mono">{marginWords(v.margin, v.unit)}</td>
                <td className="num mono quiet">{marginWords(before?.margin, before?.unit ?? '')}</td>
              </tr>
            );
          })}
      </tbody>
    </table>
  );
}

/** The best values, how the search came there, and what else changes with them. */
export function BestAnswer({ project, study, found }: Props<Found>) {
  const aim = study.aims.find((a) => a.sense !== 'told');
  const values = namedValues(found.over, found.point);
  const change = found.design.value === undefined ? undefined : found.value - found.design.value;
  const [at, setAt] = useState(found.path.length - 1);
  const points = useMemo(
    () =>
      found.path.map((p, row): RunPoint => ({
        row,
        x: p.after,
        y: p.value,
        verdict: p.isAllowed ? 'holds' : 'fails',
      })),
    [found],
  );
  const marks = useMemo(
    (): readonly PlotMark[] =>
      found.design.value === undefined ? [] : [{ axis: 'y', at: found.design.value, name: 'as designed' }],
    [found],
  );
  const shown = found.path[at];
  return (
    <>
      <div className="study-words" data-testid="study-words">
        {found.isAllowed ? (
          <p>
            {aim ? aimName(aim) : 'The formula'} comes {aim?.sense === 'high' ? 'up' : 'down'} to{' '}
            <strong>{withUnit(formatNumber(found.value, 5), found.unit)}</strong>
            {change !== undefined &&
              ` (${withUnit(formatNumber(Math.abs(change), 3), found.unit)} ${change < 0 ? 'less' : 'more'} than as designed)`}
            , and all requirements that the design decides hold.
          </p>
        ) : (
          <p className="bad-ink">
            Nowhere among {found.runs} runs do all requirements hold: at the best of them {found.broken.join(', ')}{' '}
            {found.broken.length === 1 ? 'does' : 'do'} not.
          </p>
        )}
        <p className="quiet">
          {found.methods.join(', then ')};{' '}
          {found.settled ? 'it came to rest' : 'it had not come to rest: more runs may find more'}
          {found.failed > 0 && `; ${found.failed} runs could not be finished (${found.problems[0]})`}.
        </p>
      </div>
      <TakeValues project={project} study={study} values={values} />
      <ValuesTable over={found.over} units={found.units} design={found.design.point} point={found.point} />
      <RunPlot
        label="The way to the best point"
        points={points}
        xName="runs"
        yName={withUnit(aim ? aimName(aim) : 'value', found.unit && found.unit !== '1' ? `[${found.unit}]` : '')}
        height={190}
        isLine
        marks={marks}
        chosen={at}
        onChoose={setAt}
      />
      {shown && (
        <p className="quiet small px-3" data-testid="path-point">
          After {shown.after} runs:{' '}
          {found.over
            .map((name, k) => `${name} = ${withUnit(formatNumber(shown.point[k], 4), found.units[k])}`)
            .join(', ')}
          {shown.isAllowed ? '' : '; not all requirements hold there'}
        </p>
      )}
      <Verdicts design={found.design.verdicts} there={found.verdicts} />
    </>
  );
}

/** Two aims: the border of what can be had; each of its points can be taken. */
export function BorderAnswer({ project, study, found }: Props<FoundBorder>) {
  const [at, setAt] = useState(0);
  const points = useMemo(
    () =>
      found.points.map((p, row): RunPoint => ({
        row,
        x: p.aims[0],
        y: p.aims[1],
        verdict: p.isAllowed ? 'holds' : 'fails',
      })),
    [found],
  );
  const marks = useMemo(
    (): readonly PlotMark[] =>
      found.design.aims.flatMap((x, k) =>
        x === undefined
          ? []
          : [{ axis: k === 0 ? ('x' as const) : ('y' as const), at: x, name: k === 0 ? 'as designed' : '' }],
      ),
    [found],
  );
  const shown = found.points[Math.min(at, found.points.length - 1)];
  const name = (k: number): string =>
    withUnit(calledIn(study, found.aims[k].formula), found.aims[k].unit && `[${found.aims[k].unit}]`);
  return (
    <>
      <div className="study-words" data-testid="study-words">
        <p>
          {found.points.length} points of which none is better in one aim without being worse in the other.
          {!found.points[0].isAllowed && ' Nowhere do all requirements hold: these are the least broken ones.'}
        </p>
        <p className="quiet">A population sorted by who is better than whom (Deb et al. 2002), {found.runs} runs.</p>
      </div>
      <RunPlot
        label="The border of what can be had"
        points={points}
        xName={name(0)}
        yName={name(1)}
        height={300}
        isLine
        marks={marks}
        chosen={at}
        onChoose={setAt}
      />
      <TakeValues project={project} study={study} values={namedValues(found.over, shown.point)} />
      <ValuesTable over={found.over} units={found.units} design={found.design.point} point={shown.point} />
      {shown.broken.length > 0 && <p className="px-3 bad-ink">{shown.broken.join(', ')} not kept there</p>}
    </>
  );
}
