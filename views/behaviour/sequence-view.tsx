'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { outside } from '@/core/sequences/read-sequence';
import type { PictureRow, SequencePicture } from '@/core/sequences/picture';
import { formatNumber } from '@/ui/format';
import { statusTone, statusWord } from './sequence-words';

const rowHeight = 28,
  timeWidth = 78,
  inset = 9,
  edge = 22;

interface Props {
  readonly picture: SequencePicture;
  /** Time shown; the row at or before it is marked and kept in sight. */
  readonly cursor?: number | undefined;
  readonly selected?: string;
  /** Gaps between rows follow the time between them. */
  readonly toScale?: boolean;
  readonly choose: (row: PictureRow) => void;
  readonly headClick?: (participant: string) => void;
  /** Marks of a comparison, by row id. */
  readonly marks?: ReadonlyMap<string, 'missing' | 'extra' | 'moved'>;
  readonly empty: string;
}

/** One view for every sequence: participants as columns, time downwards. Only what is in sight is drawn. */
export function SequenceView({ picture, cursor, selected, toScale, choose, headClick, marks, empty }: Props) {
  const { participants, rows } = picture;
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(700);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const observer = new ResizeObserver(() => setRoom(el.clientWidth));
    observer.observe(el);
    return () => observer.disconnect();
  }, [participants.length]);
  const hasTail = useMemo(
    () =>
      marks !== undefined ||
      rows.some(
        (r) =>
          r.status !== undefined ||
          ('bound' in r && r.bound) ||
          (r.kind === 'message' && (r.tone === 'lost' || r.tone === 'kept')),
      ),
    [rows, marks],
  );
  const tailWidth = hasTail ? 150 : 12;
  const least = Math.max(84, ...participants.map((p) => Math.min(150, p.label.length * 7.6 + 26)));
  const column = Math.max(least, Math.min(190, (room - timeWidth - tailWidth) / Math.max(1, participants.length)));
  const width = Math.max(room, timeWidth + participants.length * column + tailWidth);
  const shape = useMemo(
    (): Shape => ({
      centres: new Map(participants.map((p, k) => [p.id, timeWidth + k * column + column / 2])),
      left: timeWidth + edge / 2,
      right: timeWidth + participants.length * column - edge / 2,
      width,
      tailAt: timeWidth + participants.length * column + 4,
      tailWidth,
    }),
    [participants, column, width, tailWidth],
  );
  const gaps = useMemo(() => {
    if (!toScale) return undefined;
    const times = rows.map((r) => r.time);
    const known = times.filter((t): t is number => t !== undefined);
    const span = known.length > 1 ? known[known.length - 1] - known[0] : 0;
    const scale = span > 0 ? Math.min(6000, rows.length * 26) / span : 0;
    let last = known[0];
    return rows.map((r) => {
      if (r.time === undefined || last === undefined) return 0;
      const gap = Math.min(600, Math.max(0, (r.time - last) * scale));
      last = r.time;
      return gap;
    });
  }, [rows, toScale]);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    useFlushSync: false,
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: (k) => rowHeight + (gaps?.[k] ?? 0),
    overscan: 14,
  });
  useEffect(() => virtual.measure(), [gaps, virtual]);
  const now = useMemo(() => {
    if (cursor === undefined) return -1;
    let low = 0,
      high = rows.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((rows[middle].time ?? -Infinity) <= cursor + 1e-12) low = middle + 1;
      else high = middle;
    }
    return low - 1;
  }, [rows, cursor]);
  const nowLine = useMemo(
    () =>
      gaps && cursor !== undefined && rows.length > 0
        ? { y: placeOfTime(rows, gaps, now, cursor), time: cursor }
        : undefined,
    [rows, gaps, now, cursor],
  );
  const chosen = useRef(false);
  const chooser = useRef(choose);
  useEffect(() => void (chooser.current = choose));
  const pick = useCallback((row: PictureRow): void => {
    chosen.current = true;
    chooser.current(row);
  }, []);
  useEffect(() => {
    const el = box.current;
    // a row somebody has just chosen is in sight already; a ruler keeps its line in the middle
    if (now >= 0 && !chosen.current) {
      if (!nowLine) virtual.scrollToIndex(now, { align: 'auto' });
      else if (el && Math.abs(nowLine.y - el.scrollTop - el.clientHeight / 2) > el.clientHeight / 5)
        el.scrollTop = nowLine.y - el.clientHeight / 2;
    }
    chosen.current = false;
  }, [now, virtual, nowLine]);
  const keys = (e: KeyboardEvent): void => {
    if (e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return;
    e.preventDefault();
    const at = selected !== undefined && selected !== '' ? rows.findIndex((r) => r.id === selected) : now;
    const next = rows[Math.max(0, Math.min(rows.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1)))];
    if (next) choose(next);
  };
  if (participants.length === 0)
    return (
      <div className="empty">
        <p>{empty}</p>
      </div>
    );
  return (
    <div
      className="sequence"
      ref={box}
      tabIndex={0}
      role="group"
      aria-label="Rows of the sequence"
      onKeyDown={keys}
      data-testid="sequence"
    >
      <div className="sequence-head" style={{ width, paddingLeft: timeWidth }}>
        {participants.map((p) => (
          <button
            key={p.id}
            type="button"
            className={`participant${p.id === outside ? ' around' : ''}`}
            style={{ width: column - 10 }}
            onClick={() => headClick?.(p.id)}
            title={p.typeName ? `${p.label}, a ${p.typeName}` : p.label}
          >
            <strong>{p.label}</strong>
            {p.typeName && <span className="type-tag">{p.typeName}</span>}
          </button>
        ))}
      </div>
      <div style={{ height: virtual.getTotalSize(), width, position: 'relative' }}>
        {virtual.getVirtualItems().map((v) => {
          const row = rows[v.index];
          return (
            <SequenceRow
              key={v.key}
              row={row}
              start={v.start}
              size={v.size}
              gap={gaps?.[v.index] ?? 0}
              shape={shape}
              here={row.id === selected}
              now={!nowLine && v.index === now}
              mark={marks?.get(row.id)}
              pick={pick}
            />
          );
        })}
        {nowLine && (
          <div
            className="sequence-now"
            style={{ transform: `translateY(${nowLine.y}px)`, width }}
            data-testid="sequence-now"
            aria-hidden
          >
            <span className="num">{formatNumber(nowLine.time, 4)} s</span>
          </div>
        )}
      </div>
    </div>
  );
}

/** How far down a moment lies in a picture to scale: between the rows before and after it, in proportion. */
function placeOfTime(rows: readonly PictureRow[], gaps: readonly number[], now: number, time: number): number {
  let top = 0;
  for (let k = 0; k < now; k++) top += rowHeight + gaps[k];
  const at = (k: number, start: number): number => start + gaps[k] + 20;
  if (now < 0) return 4;
  const from = rows[now].time ?? 0,
    y = at(now, top);
  const next = rows.findIndex((r, k) => k > now && r.time !== undefined && r.time > from);
  if (next < 0) return y;
  let start = top;
  for (let k = now; k < next; k++) start += rowHeight + gaps[k];
  return y + (at(next, start) - y) * Math.min(1, Math.max(0, (time - from) / (rows[next].time! - from)));
}

/** What all rows of a picture share: where its columns are. */
interface Shape {
  readonly centres: ReadonlyMap<string, number>;
  readonly left: number;
  readonly right: number;
  readonly width: number;
  readonly tailAt: number;
  readonly tailWidth: number;
}

interface RowProps {
  readonly row: PictureRow;
  readonly start: number;
  readonly size: number;
  readonly gap: number;
  readonly shape: Shape;
  readonly here: boolean;
  readonly now: boolean;
  readonly mark: 'missing' | 'extra' | 'moved' | undefined;
  readonly pick: (row: PictureRow) => void;
}

/** One row; drawn anew only when something about it changes, so that scrolling draws what comes into sight and no more. */
const SequenceRow = memo(function SequenceRow({ row, start, size, gap, shape, here, now, mark, pick }: RowProps) {
  const { centres, left, right, width } = shape;
  const centre = (id: string): number => centres.get(id) ?? timeWidth;
  return (
    <div
      className={`sequence-row ${row.kind}${here ? ' here' : ''}${now ? ' now' : ''}${mark ? ` ${mark}` : ''}`}
      data-row={row.id}
      data-kind={row.kind}
      style={{ transform: `translateY(${start}px)`, height: size, width }}
      onClick={() => pick(row)}
    >
      <svg width={width} height={size} aria-hidden>
        <path className="lifeline" d={[...centres.values()].map((x) => `M ${x} 0 V ${size}`).join(' ')} />
        {(row.depth > 0 || row.kind === 'frame' || row.kind === 'branch' || row.kind === 'end') && (
          <Frames row={row} height={size} left={left} right={right} />
        )}
        <Line row={row} gap={gap} centre={centre} />
      </svg>
      <RowText
        row={row}
        gap={gap}
        centre={centre}
        left={left}
        tailAt={shape.tailAt}
        tailWidth={shape.tailWidth}
        mark={mark}
      />
    </div>
  );
});

/** Sides of the frames a row stands in, and the line that begins, divides or ends one. */
function Frames({
  row,
  height,
  left,
  right,
}: {
  readonly row: PictureRow;
  readonly height: number;
  readonly left: number;
  readonly right: number;
}) {
  const sides = Array.from({ length: row.depth }, (_, k) => k);
  const at = row.depth * inset;
  return (
    <>
      {sides.map((k) => (
        <g key={k} className="frame-line">
          <line x1={left + k * inset} x2={left + k * inset} y1={0} y2={height} />
          <line x1={right - k * inset} x2={right - k * inset} y1={0} y2={height} />
        </g>
      ))}
      {row.kind === 'frame' && (
        <path className="frame-line" fill="none" d={`M ${left + at} ${height} V 4 H ${right - at} V ${height}`} />
      )}
      {row.kind === 'branch' && (
        <path className="frame-line" fill="none" d={`M ${left + at} 0 V ${height} M ${right - at} 0 V ${height}`} />
      )}
      {row.kind === 'branch' && (
        <path className="frame-line divide" fill="none" d={`M ${left + at} 4 H ${right - at}`} />
      )}
      {row.kind === 'end' && <path className="frame-line" fill="none" d={`M ${left + at} 0 V 6 H ${right - at} V 0`} />}
    </>
  );
}

function Line({
  row,
  gap,
  centre,
}: {
  readonly row: PictureRow;
  readonly gap: number;
  readonly centre: (id: string) => number;
}) {
  if (row.kind !== 'message') return null;
  const y = gap + 20;
  const [a, b] = [centre(row.from), centre(row.to)];
  if (a === b)
    return (
      <path
        className={`arrow ${row.tone}`}
        fill="none"
        d={`M ${a} ${y - 6} h 26 v 8 h -22`}
        markerEnd="url(#sequence-tip)"
      />
    );
  return (
    <line
      className={`arrow ${row.tone}`}
      x1={a}
      x2={b + (a < b ? -2 : 2)}
      y1={y}
      y2={y}
      markerEnd="url(#sequence-tip)"
    />
  );
}

function RowText({
  row,
  gap,
  centre,
  left,
  tailAt,
  tailWidth,
  mark,
}: {
  readonly row: PictureRow;
  readonly gap: number;
  readonly centre: (id: string) => number;
  readonly left: number;
  readonly tailAt: number;
  readonly tailWidth: number;
  readonly mark: string | undefined;
}) {
  const time = row.time === undefined ? '' : `${formatNumber(row.time, 4)} s`;
  const tail = row.status
    ? statusWord(row.status)
    : mark
      ? { missing: 'only in the first', extra: 'only here', moved: 'in another order' }[mark]
      : row.kind === 'message' && row.tone === 'lost'
        ? 'nobody waited'
        : row.kind === 'message' && row.tone === 'kept'
          ? 'kept for later'
          : '';
  const tone = row.status ? statusTone(row.status.status) : mark ? 'bad' : 'quiet';
  return (
    <>
      {row.kind !== 'end' && row.kind !== 'branch' && row.kind !== 'frame' && (
        <span className="row-time num" style={{ top: gap + 7 }}>
          {time}
        </span>
      )}
      {row.kind === 'message' && (
        <span
          className={`row-label ${row.tone}`}
          style={
            row.from === row.to
              ? { left: centre(row.from) + 32, top: gap + 9 }
              : {
                  left: Math.min(centre(row.from), centre(row.to)) + 6,
                  width: Math.max(40, Math.abs(centre(row.to) - centre(row.from)) - 12),
                  top: gap + 2,
                  textAlign: 'center',
                }
          }
          title={row.text}
        >
          <span>{row.text}</span>
        </span>
      )}
      {row.kind === 'start' && (
        <span
          className="row-state begins"
          style={{ left: centre(row.part), top: gap + 4 }}
          title={`starts in ${row.text}`}
        >
          starts in {row.text}
        </span>
      )}
      {row.kind === 'state' && (
        <span className="row-state" style={{ left: centre(row.part), top: gap + 4 }} title={row.text}>
          {row.text.split('.').at(-1)}
        </span>
      )}
      {row.kind === 'does' && (
        <span
          className="row-does"
          style={
            row.part === ''
              ? { left: left + 14 + row.depth * inset, top: gap + 4 }
              : { left: centre(row.part), top: gap + 4, transform: 'translateX(-50%)' }
          }
          title={row.text}
        >
          {row.text}
        </span>
      )}
      {row.kind === 'frame' && (
        <span className="row-frame" style={{ left: left + row.depth * inset, top: 4 }}>
          <strong>{row.word}</strong> {row.text}
        </span>
      )}
      {row.kind === 'branch' && (
        <span className="row-frame plain" style={{ left: left + row.depth * inset, top: 6 }}>
          {row.text}
        </span>
      )}
      {(tail || ('bound' in row && row.bound)) && (
        <span
          className="row-tail"
          style={{ left: tailAt, width: tailWidth - 8, top: gap + 7 }}
          title={row.status?.detail || tail}
        >
          {tail && <span className={tone}>{tail}</span>}{' '}
          {'bound' in row && row.bound && <span className="quiet">{row.bound}</span>}
        </span>
      )}
    </>
  );
}

/** The tip all arrows share; placed once beside the views. */
export function SequenceTip() {
  return (
    <svg width={0} height={0} style={{ position: 'absolute' }} aria-hidden>
      <defs>
        <marker
          id="sequence-tip"
          viewBox="0 0 8 8"
          refX="7"
          refY="4"
          markerUnits="userSpaceOnUse"
          markerWidth="9"
          markerHeight="9"
          orient="auto"
        >
          <path d="M0 0L8 4L0 8Z" fill="var(--ink-2)" />
        </marker>
      </defs>
    </svg>
  );
}
