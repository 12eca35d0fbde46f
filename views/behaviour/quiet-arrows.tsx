'use client';
import { ViewportPortal, useOnViewportChange, useStoreApi, type Viewport } from '@xyflow/react';
import { memo, useCallback, useMemo, useRef, useState } from 'react';
import type { Chart, Transition } from '@/core/project/project';
import { arrowHead, arrowPath, boxesOf, type Box } from './chart-geometry';

/** From this many arrows on, only those near the pointer of attention are elements of their own; the others are one drawing. */
export const manyArrows = 300;
const readable = 0.4;
const nearest = 250;

interface Rect {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Boxes of the states; the same map as long as none of them changes. */
export function useBoxes(chart: Chart): ReadonlyMap<string, Box> {
  const known = useRef<ReadonlyMap<string, Box>>(new Map());
  return useMemo(() => {
    const now = boxesOf(chart);
    const before = known.current;
    const same =
      before.size === now.size &&
      [...now].every(([id, r]) => {
        const b = before.get(id);
        return b !== undefined && sameRect(b, r) && b.lane === r.lane;
      });
    if (!same) known.current = now;
    return known.current;
  }, [chart]);
}

/** The cards on the sheet; the same map as long as none of them moves or changes its size. */
export function usePlaces(chart: Chart, boxes: ReadonlyMap<string, Box>): ReadonlyMap<string, Rect> {
  const known = useRef<ReadonlyMap<string, Rect>>(new Map());
  return useMemo(() => {
    const now = placesOf(chart, boxes);
    const before = known.current;
    const same =
      before.size === now.size &&
      [...now].every(([id, r]) => {
        const b = before.get(id);
        return b !== undefined && sameRect(b, r);
      });
    if (!same) known.current = now;
    return known.current;
  }, [chart, boxes]);
}

/** Where each card stands on the sheet, whatever it stands in. */
export function placesOf(chart: Chart, boxes: ReadonlyMap<string, Box>): Map<string, Rect> {
  const places = new Map<string, Rect>();
  const states = new Map(chart.states.map((s) => [s.id, s]));
  const place = (id: string): Rect => {
    const known = places.get(id);
    if (known) return known;
    const box = boxes.get(id)!;
    const parent = states.get(id)?.parent;
    const outer = parent ? place(parent) : { x: 0, y: 0 };
    const at = { x: outer.x + box.x, y: outer.y + box.y, width: box.width, height: box.height };
    places.set(id, at);
    return at;
  };
  for (const s of chart.states) if (boxes.has(s.id)) place(s.id);
  return places;
}

/** Where the sheet has been moved to, told when a movement ends. */
export function useRestingView(): Viewport & { readonly width: number; readonly height: number } {
  const store = useStoreApi();
  const now = useCallback(() => {
    const {
      transform: [x, y, zoom],
      width,
      height,
    } = store.getState();
    return { x, y, zoom, width, height };
  }, [store]);
  const [view, setView] = useState(now);
  useOnViewportChange({ onEnd: () => setView(now()) });
  return view;
}

/** Transitions that start or end at a card in sight, where they are large enough to be read. */
export function transitionsInSight(
  transitions: readonly Transition[],
  places: ReadonlyMap<string, Rect>,
  view: ReturnType<typeof useRestingView>,
): ReadonlySet<string> {
  if (view.zoom < readable) return new Set();
  const inSight = (id: string): boolean => {
    const r = places.get(id);
    if (!r) return false;
    const x = r.x * view.zoom + view.x,
      y = r.y * view.zoom + view.y;
    return x < view.width && y < view.height && x + r.width * view.zoom > 0 && y + r.height * view.zoom > 0;
  };
  const seen = new Set([...places.keys()].filter(inSight));
  return new Set(
    transitions
      .filter((t) => seen.has(t.from) || seen.has(t.to))
      .slice(0, nearest)
      .map((t) => t.id),
  );
}

/** What an arrow joins. */
interface Joined {
  readonly transition: Transition;
  readonly target: string;
  readonly shift: number;
}

interface Drawn {
  readonly from: Rect;
  readonly to: Rect;
  readonly shift: number;
  readonly path: string;
  readonly head: string;
}

const sameRect = (a: Rect, b: Rect): boolean =>
  a.x === b.x && a.y === b.y && a.width === b.width && a.height === b.height;

/** An arrow that is part of one drawing with others. */
export interface QuietArrow {
  /** Of its transition. */
  readonly id: string;
  readonly wrong: boolean;
  readonly drawn: Drawn;
  readonly path: string;
}

/** Paths of arrows, kept while their cards stay where they are. */
export function useArrowPaths(): (arrow: Joined, places: ReadonlyMap<string, Rect>) => Drawn | undefined {
  const known = useRef(new Map<string, Drawn>());
  return useCallback((arrow, places) => {
    const key = `${arrow.transition.id} ${arrow.target}`;
    const from = places.get(arrow.transition.from),
      to = places.get(arrow.target);
    if (!from || !to) return undefined;
    const before = known.current.get(key);
    if (before && before.shift === arrow.shift && sameRect(before.from, from) && sameRect(before.to, to)) return before;
    const { path } = arrowPath(from, to, arrow.shift);
    const drawn = { from, to, shift: arrow.shift, path, head: arrow.transition.to === '' ? '' : arrowHead(path) };
    known.current.set(key, drawn);
    return drawn;
  }, []);
}

/** Which of the arrows runs under a point of the sheet, within a reach. */
export function arrowUnder(arrows: readonly QuietArrow[], x: number, y: number, reach: number): string | undefined {
  const context = document.createElement('canvas').getContext('2d');
  if (!context) return undefined;
  context.lineWidth = reach;
  return arrows.find((a) => context.isPointInStroke(new Path2D(a.path), x, y))?.id;
}

/** All arrows that need no element of their own, as two paths of one drawing. */
export const QuietArrows = memo(function QuietArrows({ arrows }: { readonly arrows: readonly QuietArrow[] }) {
  const looks = useMemo(
    () =>
      [false, true].map((wrong) => {
        const chosen = arrows.filter((a) => a.wrong === wrong);
        return {
          colour: wrong ? 'var(--bad)' : 'var(--ink-3)',
          lines: chosen.map((a) => a.drawn.path).join(''),
          heads: chosen.map((a) => a.drawn.head).join(''),
        };
      }),
    [arrows],
  );
  return (
    <ViewportPortal>
      <svg className="quiet-arrows" aria-hidden data-arrows={arrows.length}>
        {looks.map(
          (l) =>
            l.lines && (
              <g key={l.colour}>
                <path d={l.lines} fill="none" stroke={l.colour} strokeWidth={1.2} />
                <path d={l.heads} fill={l.colour} />
              </g>
            ),
        )}
      </svg>
    </ViewportPortal>
  );
});
