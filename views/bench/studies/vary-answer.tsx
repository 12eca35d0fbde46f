'use client';
import { Crosshair, Download } from 'lucide-react';
import { useCallback, useMemo, useState } from 'react';
import type { Project, Study } from '@/core/project/project';
import type { StudyFound } from '@/core/studies/answer';
import { doneRows, failuresOf, marginOf, toldOf, valuesOf, verdictOf, type RunTable } from '@/core/studies/run-table';
import { isDrawn } from '@/core/studies/design';
import { calledIn } from '@/core/studies/study';
import { csvOf, sharesOf, type Crossing, type ShareThatHolds } from '@/core/studies/vary';
import { locateCrossings, useStudies, type StudyState } from '@/store/study-store';
import { openCase } from '@/store/study-actions';
import { Button } from '@/ui/button';
import { useHandler } from '@/ui/use-handler';
import { download, fileName } from '@/ui/download';
import { formatNumber, withUnit } from '@/ui/format';
import { drawGrid, gridOf } from './margin-map';
import { ParallelLines, type ParallelAxis } from './parallel-lines';
import { RunPlot, type PlotMark, type RunPoint } from './run-plot';
import { Shares } from './shares';

interface Props {
  readonly project: Project;
  readonly study: Study;
  readonly state: StudyState;
}

const named = (name: string, unit: string): string => (unit === '' || unit === '1' ? name : `${name} [${unit}]`);

/** What runs with other values came to: margins over the values, where verdicts change, how many hold. */
export function VaryAnswer({ project, study, state }: Props) {
  const { version, asking, chosen } = state;
  const table = state.table!;
  const found = !asking && state.answer?.found.kind === 'vary' ? state.answer.found : undefined;
  // the table is filled in place: its version says when
  const shares = useMemo(
    () => sharesOf(table),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, version],
  );
  const rows = useMemo(
    () => doneRows(table),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, version],
  );
  const [picked, setPicked] = useState<number>();
  const shown = Math.min(picked ?? worthSeeing(shares), table.requirements.length - 1);
  const onChoose = useCallback((row: number) => useStudies.getState().put(study.id, { chosen: row }), [study.id]);
  const aimNames = table.aims.map((formula) => calledIn(study, formula));
  const onOpen = useHandler((row: number): void => {
    const values = table.over.map((name, k) => ({ name, value: valuesOf(table, row)[k] }));
    void openCase(project, study, values);
  });
  const common = { table, onOpen, aimNames, rows, shown, version, chosen, onChoose, found };
  const isRandom = study.values.some((v) => isDrawn(v.range));
  const isStale = found !== undefined && table.over.join() !== study.values.map((v) => v.name).join();
  return (
    <>
      <Sentences table={table} aimNames={aimNames} shares={shares} found={found} />
      <div className="study-tools">
        {table.over.length === 1 && found && !isStale && (
          <Button
            size="sm"
            onClick={() => void locateCrossings(project, study)}
            disabled={!shares.some((s) => s.holds > 0 && s.fails > 0)}
            title="Finds the values at which verdicts change, by halving between runs"
          >
            <Crosshair size={13} aria-hidden /> Locate where verdicts change
          </Button>
        )}
        <Button
          size="sm"
          disabled={rows.length === 0}
          onClick={() => download(`${fileName(study.name)}.csv`, 'text/csv', csvOf(table))}
        >
          <Download size={13} aria-hidden /> Table as CSV
        </Button>
      </div>
      {table.over.length === 1 ? (
        <Curves {...common} />
      ) : table.over.length === 2 ? (
        <Map {...common} />
      ) : (
        <Many {...common} />
      )}
      {table.requirements.length > 0 && (
        <Shares table={table} shares={shares} shown={shown} isDrawn={isRandom} onShow={setPicked} />
      )}
    </>
  );
}

/** The requirement whose verdict changes, one that fails, or the one that comes nearest to its limit. */
function worthSeeing(shares: readonly ShareThatHolds[]): number {
  const changing = shares.findIndex((s) => s.holds > 0 && s.fails > 0);
  if (changing >= 0) return changing;
  const failing = shares.findIndex((s) => s.fails > 0);
  if (failing >= 0) return failing;
  const room = (s: ShareThatHolds): number =>
    Number.isFinite(s.least) && s.most > s.least ? s.least / s.most : Infinity;
  return shares.reduce((best, s, k) => (room(s) < room(shares[best]) ? k : best), 0);
}

function Sentences({
  table,
  aimNames,
  shares,
  found,
}: {
  readonly table: RunTable;
  readonly aimNames: readonly string[];
  readonly shares: readonly ShareThatHolds[];
  readonly found: Extract<StudyFound, { kind: 'vary' }> | undefined;
}) {
  const failures = failuresOf(table);
  const never = shares.filter((s) => s.fails > 0 && s.holds === 0).map((s) => s.key);
  const always = shares.filter((s) => s.holds > 0 && s.fails === 0).length;
  return (
    <div className="study-words" data-testid="study-words">
      {(found?.crossings ?? []).map((c, k) => (
        <p key={k}>{crossingWords(c, table, aimNames, found?.design)}</p>
      ))}
      {found?.crossings?.length === 0 && <p>No verdict changes between these runs.</p>}
      {never.length > 0 && (
        <p>
          {never.join(', ')} {never.length === 1 ? 'fails' : 'fail'} wherever it is decided.
        </p>
      )}
      {always > 0 && (
        <p className="quiet">
          {always} {always === 1 ? 'requirement holds' : 'requirements hold'} in all runs that decide{' '}
          {always === 1 ? 'it' : 'them'}.
        </p>
      )}
      {failures.slice(0, 3).map(([why, n]) => (
        <p key={why} className="bad-ink">
          {n} {n === 1 ? 'run' : 'runs'} could not be finished: {why}
        </p>
      ))}
    </div>
  );
}

/** "CAP-02 fails from 11.3 rad/s on; the time of a tube is 1.2 s there, 1.4 s as designed." */
function crossingWords(
  c: Crossing,
  table: RunTable,
  aimNames: readonly string[],
  design: RunTable | undefined,
): string {
  const [name, unit] = [table.over[0], table.units[0]];
  const show = (x: number): string => withUnit(formatNumber(x, 4), unit);
  const beyond = c.failsAt > c.holdsAt;
  const told = aimNames.flatMap((aim, k) => {
    const there = c.told[k];
    if (there === undefined || !Number.isFinite(there)) return [];
    const then = design ? toldOf(design, 0, k) : NaN;
    const change = there - then;
    return [
      `${aim} is ${withUnit(formatNumber(there, 4), table.aimUnits[k])} there${Number.isFinite(change) && Math.abs(change) > 1e-9 * Math.abs(then) ? `, ${withUnit(formatNumber(Math.abs(change), 3), table.aimUnits[k])} ${change < 0 ? 'less' : 'more'} than as designed` : ''}`,
    ];
  });
  return [
    beyond
      ? `${c.key} fails from ${name} = ${show(c.failsAt)} on`
      : `${c.key} fails up to ${name} = ${show(c.failsAt)}`,
    ...told,
  ].join('; ');
}

interface Drawn {
  readonly table: RunTable;
  readonly aimNames: readonly string[];
  readonly rows: readonly number[];
  readonly shown: number;
  readonly version: number;
  readonly chosen: number;
  readonly onChoose: (row: number) => void;
  readonly onOpen: (row: number) => void;
  readonly found: Extract<StudyFound, { kind: 'vary' }> | undefined;
}

/** One value: the margin over it, and below each other what is told. */
function Curves({ table, aimNames, rows, shown, version, chosen, onChoose, onOpen, found }: Drawn) {
  const isDrawnAtRandom = useMemo(() => new Set(rows.map((r) => table.values[r])).size < rows.length, [rows, table]);
  const key = table.requirements[shown]?.key;
  const pointsOf = (y: (row: number) => number, withVerdict: boolean): RunPoint[] =>
    rows.map((row) => ({
      row,
      x: table.values[row],
      y: y(row),
      verdict: withVerdict && shown >= 0 ? verdictOf(table, row, shown) : undefined,
    }));
  const margins = useMemo(
    () => (shown < 0 ? [] : pointsOf((row) => marginOf(table, row, shown), true)),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, rows, shown, version],
  );
  const told = useMemo(
    () => table.aims.map((_, k) => pointsOf((row) => toldOf(table, row, k), true)),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, rows, shown, version],
  );
  const across = useMemo((): readonly PlotMark[] => {
    const crossings = (found?.crossings ?? []).filter((c) => c.key === key);
    const design = found?.design?.values[0];
    return [
      ...crossings.map((c) => ({ axis: 'x' as const, at: c.holdsAt, name: formatNumber(c.holdsAt, 4) })),
      ...(design === undefined ? [] : [{ axis: 'x' as const, at: design, name: 'as designed' }]),
    ];
  }, [found, key]);
  const withZero = useMemo((): readonly PlotMark[] => [{ axis: 'y', at: 0, name: 'limit' }, ...across], [across]);
  const x = named(table.over[0], table.units[0]);
  return (
    <>
      {key !== undefined && (
        <RunPlot
          label={`Margin of ${key} over ${table.over[0]}`}
          points={margins}
          xName={x}
          yName={named(`margin of ${key}`, table.marginUnits[shown])}
          height={230}
          isLine={!isDrawnAtRandom}
          marks={withZero}
          chosen={chosen}
          onChoose={onChoose}
          onOpen={onOpen}
        />
      )}
      {told.map((points, k) => (
        <RunPlot
          key={k}
          label={`${aimNames[k]} over ${table.over[0]}`}
          points={points}
          xName={x}
          yName={named(aimNames[k], table.aimUnits[k])}
          height={170}
          isLine={!isDrawnAtRandom}
          marks={across}
          chosen={chosen}
          onChoose={onChoose}
          onOpen={onOpen}
        />
      ))}
    </>
  );
}

/** Two values: where the margin ends between them. */
function Map({ table, rows, shown, version, chosen, onChoose, onOpen, found }: Drawn) {
  const points = useMemo(
    () =>
      rows.map((row): RunPoint => ({
        row,
        x: table.values[2 * row],
        y: table.values[2 * row + 1],
        verdict: shown < 0 ? undefined : verdictOf(table, row, shown),
      })),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, rows, shown, version],
  );
  const grid = useMemo(
    () => (shown < 0 ? undefined : gridOf(points.map((p) => ({ ...p, z: marginOf(table, p.row, shown) })))),
    [points, table, shown],
  );
  const ground = useMemo(() => (grid ? drawGrid(grid) : undefined), [grid]);
  const marks = useMemo((): readonly PlotMark[] => {
    const design = found?.design;
    return design
      ? [
          { axis: 'x', at: design.values[0], name: 'as designed' },
          { axis: 'y', at: design.values[1], name: '' },
        ]
      : [];
  }, [found]);
  const key = table.requirements[shown]?.key ?? '';
  return (
    <>
      <RunPlot
        label={`Margin of ${key} over ${table.over.join(' and ')}`}
        points={points}
        xName={named(table.over[0], table.units[0])}
        yName={named(table.over[1], table.units[1])}
        height={360}
        marks={marks}
        {...(ground && { ground })}
        chosen={chosen}
        onChoose={onChoose}
        onOpen={onOpen}
      />
      <p className="quiet small px-3">
        {grid
          ? `Deeper colour is more of a margin; the line is where that of ${key} ends, straight between runs.`
          : 'A dot holds, a cross fails. Values on a grid show the border between them.'}
      </p>
    </>
  );
}

/** Many values: a line for each run. */
function Many({ table, aimNames, rows, shown, version, chosen, onChoose, onOpen }: Drawn) {
  const calledAs = aimNames.join('\n');
  const axes = useMemo(
    (): readonly ParallelAxis[] => [
      ...table.over.map((name, k) => ({
        name,
        unit: table.units[k],
        of: (row: number) => valuesOf(table, row)[k],
      })),
      ...aimNames.map((name, k) => ({ name, unit: table.aimUnits[k], of: (row: number) => toldOf(table, row, k) })),
      ...(shown < 0
        ? []
        : [
            {
              name: `margin of ${table.requirements[shown].key}`,
              unit: table.marginUnits[shown],
              of: (row: number) => marginOf(table, row, shown),
              zero: true,
            },
          ]),
    ],
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, shown, version, calledAs],
  );
  const verdict = useCallback((row: number) => (shown < 0 ? undefined : verdictOf(table, row, shown)), [table, shown]);
  return (
    <ParallelLines
      label={`Runs over ${table.over.join(', ')}`}
      axes={axes}
      rows={rows}
      verdictOf={verdict}
      height={320}
      chosen={chosen}
      onChoose={onChoose}
      onOpen={onOpen}
    />
  );
}
