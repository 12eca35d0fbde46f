'use client';
import { useDroppable } from '@dnd-kit/core';
import { X } from 'lucide-react';
import { useMemo, type ReactNode } from 'react';
import type { RequirementFinding } from '@/core/run/run';
import type { Track } from '@/core/project/project';
import { valueAtTime, type GrowingColumn } from '@/store/run-data';
import { useRuns, type RunView } from '@/store/run-store';
import { usePlace } from '@/store/place-store';
import { formatNumber, inUnit, withUnit } from '../format';
import { useThrottled } from '../use-throttled';
import { VerdictMark } from '../verdict';
import { LaneCanvas, type LaneBlock, type LaneMark } from './lane-canvas';
import { lineColour, QuantityPlot } from './quantity-plot';
import { segmentsOf } from './reduce';
import { useTimeAxis } from './axis';
import { sameUnitKind, unitGroups } from './unit-groups';
import { useTrackLimits } from './track-limits';
import { showSignal } from './show-signal';

function Row({
  label,
  drop,
  height,
  children,
}: {
  readonly label: ReactNode;
  readonly drop?: string;
  readonly height: number;
  readonly children: ReactNode;
}) {
  const { setNodeRef, isOver } = useDroppable({ id: drop ?? 'none', disabled: !drop, data: { track: drop } });
  return (
    <div
      ref={setNodeRef}
      className={`ribbon-row${isOver ? ' drop-over' : ''}`}
      style={{ minHeight: height }}
      {...(drop && { 'data-track': drop })}
    >
      <div className="row-label">{label}</div>
      <div className="lane">{children}</div>
    </div>
  );
}

const noBlocks: readonly LaneBlock[] = [];

/** Canvases are drawn this often while a run goes on; numbers and the cursor follow every update. */
const drawEvery = 140;

export const laneLook = {
  good: { fill: '--good-soft', ink: '--good', label: 'holds' },
  bad: { fill: '--bad-soft', ink: '--bad', label: 'fails' },
  waiting: { fill: '--now-soft', ink: '--now-ink', label: 'due' },
  idle: { fill: '--paper-2', ink: '--ink-3', label: '' },
} as const;

/** A requirement over time: when it was tested, when it held, when it failed. */
export function VerdictRow({
  finding,
  end,
  old,
}: {
  readonly finding: RequirementFinding;
  readonly end: number;
  /** Why it is out of date, if it is. */
  readonly old: string;
}) {
  const theme = usePlace((s) => s.theme);
  const go = usePlace((s) => s.go);
  const moveCursor = useRuns((s) => s.moveCursor);
  const lane = useThrottled(finding.lane, drawEvery);
  const drawnTo = useThrottled(end, drawEvery);
  const blocks = useMemo(
    () =>
      lane.map((s, k): LaneBlock => ({
        from: s.from,
        to: lane[k + 1]?.from ?? drawnTo,
        ...laneLook[s.status],
        hatched: s.status === 'bad',
      })),
    [lane, drawnTo],
  );
  return (
    <Row
      height={21}
      label={
        <div className="d-flex align-items-center gap-2">
          <button
            type="button"
            className="btn btn-link p-0"
            style={{ fontSize: 'inherit' }}
            onClick={() => {
              if (finding.worstAt !== undefined) moveCursor(finding.failsSince ?? finding.worstAt);
              go({ area: 'needs', item: `requirement/${finding.id}` });
            }}
            title="Go to the requirement and to the moment of its verdict"
          >
            {finding.key}
          </button>
          <button
            type="button"
            className="btn btn-link p-0 text-truncate verdict-press"
            onClick={() => showSignal(finding)}
            title="Show its signal at that moment"
            data-testid="show-signal"
          >
            <VerdictMark finding={finding} old={old} brief={old !== ''} />
          </button>
        </div>
      }
    >
      <LaneCanvas blocks={blocks} height={21} theme={theme} label={`Verdict of ${finding.key} over time`} />
    </Row>
  );
}

/** Columns drawn as lanes of words instead of curves. */
export const isLane = (kind: string | undefined): boolean =>
  kind === 'literal' || kind === 'states' || kind === 'boolean';

/** A value of a lane in few letters: states without what lies far around them. */
export function laneWord(column: GrowingColumn | undefined, value: number): string {
  if (column?.kind === 'boolean') return value ? 'true' : 'false';
  if (column?.kind === 'literal') return column.literals[value] ?? '';
  const leaves = column?.leaves[value] ?? [];
  // one state with its parent; of several that are active together their own names
  return leaves
    .map((path) =>
      path
        .split('.')
        .slice(leaves.length > 1 ? -1 : -2)
        .join('.'),
    )
    .join(' + ');
}

function StateRow({
  name,
  run,
  track,
  remove,
}: {
  readonly name: string;
  readonly run: RunView;
  readonly track: Track;
  readonly remove: (name: string) => void;
}) {
  const theme = usePlace((s) => s.theme);
  const cursor = useRuns((s) => s.cursor);
  const version = useThrottled(
    useRuns((s) => s.version),
    drawEvery,
  );
  const axis = useTimeAxis();
  const column = run.data.columns.get(name);
  const now = valueAtTime(run.data, name, cursor);
  const blocks = useMemo((): LaneBlock[] => {
    void version;
    const kinds = column?.kind;
    return segmentsOf(run.data, name, axis.from, axis.to).map((s) => {
      const label = laneWord(column, s.value);
      const tint =
        kinds === 'boolean' ? (s.value ? '--accent-soft' : '--paper-2') : s.value % 2 ? '--paper-3' : '--accent-soft';
      return { ...s, label, fill: tint, ink: '--ink' };
    });
  }, [run.data, name, axis, version, column]);
  return (
    <Row
      height={26}
      drop={`track:${track.id}`}
      label={
        <TrackValue name={name} value={now === undefined ? '–' : laneWord(column, now)} remove={() => remove(name)} />
      }
    >
      <LaneCanvas blocks={blocks} height={25} theme={theme} label={`States of ${name} over time`} />
    </Row>
  );
}

function TrackValue({
  name,
  value,
  difference,
  toMark,
  colour,
  remove,
}: {
  readonly name: string;
  readonly value: string;
  readonly difference?: string | undefined;
  readonly toMark?: string | undefined;
  readonly colour?: string;
  readonly remove: () => void;
}) {
  return (
    <div className="track-value" data-track-item={name}>
      {colour && <span className="swatch" style={{ borderTopColor: colour }} />}
      <span className="name" title={name}>
        {name}
      </span>
      <button type="button" className="remove" aria-label={`Remove ${name} from the ribbon`} onClick={remove}>
        <X size={12} />
      </button>
      <span className="mono">{value}</span>
      {(toMark ?? difference) && (
        <span className="mono differences">
          {toMark && <span title="From the mark to the cursor">⊢ {toMark}</span>}
          {difference && <span title="Difference to the earlier run at the cursor">Δ {difference}</span>}
        </span>
      )}
    </div>
  );
}

/** A track of the ribbon: curves of quantities, or a lane of states. */
export function TrackRow({ track, remove }: { readonly track: Track; readonly remove: (name: string) => void }) {
  const run = useRuns((s) => s.current);
  const earlier = useRuns((s) => s.earlier);
  const cursor = useRuns((s) => s.cursor);
  const mark = useRuns((s) => s.mark);
  const version = useThrottled(
    useRuns((s) => s.version),
    drawEvery,
  );
  const theme = usePlace((s) => s.theme);
  const kindOf = (name: string): string | undefined => run?.data.columns.get(name)?.kind;
  const lanes = track.items.filter((i) => isLane(kindOf(i)));
  const curveNames = track.items.filter((i) => !lanes.includes(i)).join('\n');
  const known = run?.data.columns.size ?? 0;
  const groups = useMemo(
    () => {
      void known;
      return unitGroups(curveNames.split('\n').filter(Boolean), (n) => run?.data.columns.get(n)?.unit ?? '');
    },
    // units are known with the first rows
    [curveNames, run?.data, known],
  );
  const limits = useTrackLimits();
  return (
    <>
      {groups.map(({ names: curves, unit: first, second }, g) => (
        <Row
          key={g}
          height={track.height}
          drop={`track:${track.id}`}
          label={curves.map((name, k) => {
            const own = run?.data.columns.get(name)?.unit ?? '';
            const unit = sameUnitKind(own, first) ? first : (second ?? first);
            const convertible = sameUnitKind(own, unit);
            const value = run && valueAtTime(run.data, name, cursor);
            const before = earlier && valueAtTime(earlier.data, name, cursor);
            const marked = run && mark !== undefined ? valueAtTime(run.data, name, mark) : undefined;
            const show = (v: number | undefined): number | undefined => (convertible ? inUnit(v, own, unit) : v);
            const less = (from: number | undefined): string | undefined => {
              if (value === undefined || from === undefined) return undefined;
              const d = (show(value) ?? 0) - (show(from) ?? 0);
              return `${d > 0 ? '+' : ''}${formatNumber(Math.abs(d) < 1e-9 ? 0 : d, 3)}`;
            };
            return (
              <TrackValue
                key={name}
                name={name}
                colour={lineColour(k)}
                value={withUnit(formatNumber(show(value)), convertible ? unit : own)}
                remove={() => remove(name)}
                difference={less(before)}
                toMark={less(marked)}
              />
            );
          })}
        >
          <QuantityPlot
            items={curves}
            unit={first}
            second={second}
            limits={limits(curves)}
            height={track.height}
            data={run?.data}
            earlier={earlier?.data}
            version={version}
            theme={theme}
          />
        </Row>
      ))}
      {run && lanes.map((name) => <StateRow key={name} name={name} run={run} track={track} remove={remove} />)}
    </>
  );
}

/** Every message of the run, with who sent and who received it. */
export function MessageRow() {
  const run = useRuns((s) => s.current);
  const version = useThrottled(
    useRuns((s) => s.version),
    drawEvery,
  );
  const cursor = useRuns((s) => s.cursor);
  const theme = usePlace((s) => s.theme);
  const marks = useMemo((): LaneMark[] => {
    void version;
    return (run?.data.messages ?? []).map((m) => ({ at: m.time, label: m.message }));
  }, [run, version]);
  const last = run?.data.messages.findLast((m) => m.time <= cursor);
  const name = (part: number): string => (part < 0 ? 'outside' : run?.model.parts[part] || 'product');
  return (
    <Row
      height={24}
      label={
        <div className="track-value">
          <span className="name">
            {last ? `${name(last.sender)} → ${last.receivers.map(name).join(', ') || 'nobody'}` : 'messages'}
          </span>
          <span>{last?.message ?? ''}</span>
        </div>
      }
    >
      <LaneCanvas blocks={noBlocks} marks={marks} height={23} theme={theme} label="Messages over time" />
    </Row>
  );
}
