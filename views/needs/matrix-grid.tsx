'use client';
import { useVirtualizer, type VirtualItem } from '@tanstack/react-virtual';
import { memo, useMemo, useRef, type KeyboardEvent, type MouseEvent } from 'react';
import type { Matrix } from '@/core/trace/matrix';
import { whyNotSound } from '@/core/trace/links';
import { goTo } from '@/store/locate';

const rowHeight = 26,
  columnWidth = 30,
  keyWidth = 250;
/** Heads are as high as the longest name needs, within these. */
const lowestHead = 80,
  highestHead = 210,
  letterWidth = 6.3;

interface Props {
  readonly matrix: Matrix;
  readonly spot: readonly [row: number, column: number];
  readonly setSpot: (spot: readonly [row: number, column: number]) => void;
  readonly toggle: (row: number, column: number) => void;
}

/** The matrix itself: only what is in sight is drawn, empty cells are lines of the background. */
export function MatrixGrid({ matrix, spot, setSpot, toggle }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const headHeight = useMemo(() => {
    const longest = matrix.columns.reduce((most, c) => Math.max(most, c.label.length), 0);
    return Math.round(Math.min(highestHead, Math.max(lowestHead, letterWidth * longest + 16)));
  }, [matrix]);
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    useFlushSync: false,
    count: matrix.rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 4,
    paddingStart: headHeight,
  });
  const columns = useVirtualizer({
    useFlushSync: false,
    horizontal: true,
    count: matrix.columns.length,
    getScrollElement: () => box.current,
    estimateSize: () => columnWidth,
    overscan: 4,
    paddingStart: keyWidth,
  });
  const shown = columns.getVirtualItems();
  const [first, last] = [shown[0]?.index ?? 0, shown.at(-1)?.index ?? -1];
  const keys = (e: KeyboardEvent): void => {
    const step: Readonly<Record<string, readonly [number, number]>> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const by = step[e.key];
    if (by) {
      e.preventDefault();
      const next = [
        Math.max(0, Math.min(matrix.rows.length - 1, spot[0] + by[0])),
        Math.max(0, Math.min(matrix.columns.length - 1, spot[1] + by[1])),
      ] as const;
      setSpot(next);
      rows.scrollToIndex(next[0]);
      columns.scrollToIndex(next[1]);
    } else if (e.key === 'Enter' || e.key === ' ') {
      e.preventDefault();
      e.stopPropagation();
      toggle(...spot);
    }
  };
  const cellAt = (e: MouseEvent): readonly [number, number] | undefined => {
    const rect = box.current!.getBoundingClientRect();
    const [x, y] = [e.clientX - rect.left, e.clientY - rect.top];
    if (x < keyWidth || y < headHeight) return undefined;
    const [row, column] = [
      Math.floor((y + box.current!.scrollTop - headHeight) / rowHeight),
      Math.floor((x + box.current!.scrollLeft - keyWidth) / columnWidth),
    ];
    return row < matrix.rows.length && column < matrix.columns.length ? [row, column] : undefined;
  };
  const click = (e: MouseEvent): void => {
    const at = cellAt(e);
    if (!at) return;
    setSpot(at);
    toggle(...at);
  };
  const width = columns.getTotalSize() + 40;
  return (
    <div
      ref={box}
      className="matrix-scroll"
      tabIndex={0}
      role="group"
      aria-label={`Trace matrix of ${matrix.rows.length} rows and ${matrix.columns.length} columns`}
      onKeyDown={keys}
      onClick={click}
      data-testid="matrix"
    >
      <span className="visually-hidden" aria-live="polite">
        {spotWords(matrix, spot)}
      </span>
      <div
        className="matrix-plane"
        style={{
          width,
          height: rows.getTotalSize(),
          backgroundPosition: `${keyWidth}px ${headHeight}px`,
          backgroundSize: `${columnWidth}px ${rowHeight}px`,
        }}
      >
        <div className="matrix-head" style={{ height: headHeight, width }}>
          <div className="matrix-corner" style={{ width: keyWidth }} />
          {shown.map((c) => (
            <ColumnHead
              key={c.key}
              start={c.start}
              index={c.index}
              matrix={matrix}
              here={spot[1] === c.index}
              height={headHeight}
            />
          ))}
        </div>
        {rows.getVirtualItems().map((v) => (
          <MatrixRow
            key={v.key}
            start={v.start}
            index={v.index}
            matrix={matrix}
            here={spot[0] === v.index}
            first={first}
            last={last}
            width={width}
          />
        ))}
        <div
          className="matrix-spot"
          style={{
            left: keyWidth + spot[1] * columnWidth,
            top: headHeight + spot[0] * rowHeight,
            width: columnWidth,
            height: rowHeight,
          }}
        />
      </div>
    </div>
  );
}

const ColumnHead = memo(function ColumnHead({
  start,
  index,
  matrix,
  here,
  height,
}: {
  readonly start: number;
  readonly index: number;
  readonly matrix: Matrix;
  readonly here: boolean;
  readonly height: number;
}) {
  const e = matrix.columns[index];
  return (
    <button
      type="button"
      className={`matrix-column${matrix.isColumnEmpty(index) ? ' gap' : ''}${here ? ' here' : ''}`}
      style={{ left: start, width: columnWidth }}
      title={`${e.kind}: ${e.label}`}
      onClick={(x) => {
        x.stopPropagation();
        goTo(e.address);
      }}
      tabIndex={-1}
      data-column={e.label}
    >
      <span style={{ maxWidth: height - 12 }}>{e.label}</span>
    </button>
  );
});

/** What stands at a place of the matrix, for those who hear it. */
function spotWords(matrix: Matrix, [row, column]: readonly [number, number]): string {
  const r = matrix.rows[row];
  const c = matrix.columns[column];
  if (!r || !c) return '';
  const there = matrix.linked(row).find(([at]) => at === column)?.[1];
  return `${r.key}, ${c.label}: ${there ? (there.state === 'suspect' ? 'linked, to be looked at again' : 'linked') : 'not linked'}`;
}

interface RowProps extends Pick<VirtualItem, 'start' | 'index'> {
  readonly matrix: Matrix;
  readonly here: boolean;
  readonly first: number;
  readonly last: number;
  readonly width: number;
}

const MatrixRow = memo(function MatrixRow({ start, index, matrix, here, first, last, width }: RowProps) {
  const r = matrix.rows[index];
  return (
    <div
      className={`matrix-row${here ? ' here' : ''}`}
      style={{ transform: `translateY(${start}px)`, height: rowHeight, width }}
    >
      <button
        type="button"
        className={`matrix-key${matrix.isRowEmpty(index) ? ' gap' : ''}`}
        style={{ width: keyWidth }}
        title={r.text}
        onClick={(x) => {
          x.stopPropagation();
          goTo(`requirement/${r.id}`);
        }}
        tabIndex={-1}
        data-row={r.key}
      >
        <strong>{r.key}</strong>{' '}
        <span className="quiet">
          {matrix.isRowEmpty(index) ? 'no link: ' : ''}
          {r.text}
        </span>
      </button>
      {matrix.linked(index).map(([column, there]) =>
        column < first || column > last ? null : (
          <div
            key={column}
            className={`matrix-cell ${there.state}`}
            style={{ left: keyWidth + column * columnWidth, width: columnWidth, height: rowHeight }}
            title={[`${r.key} – ${matrix.columns[column].label}`, whyNotSound(there)].filter(Boolean).join(': ')}
            data-cell={`${r.key}|${matrix.columns[column].label}`}
          >
            {there.state === 'suspect' ? '?' : '×'}
          </div>
        ),
      )}
    </div>
  );
});
