'use client';
import { BaseEdge, EdgeLabelRenderer, MarkerType, useInternalNode, type Edge, type EdgeProps } from '@xyflow/react';
import type { Problem } from '@/core/language/diagnostics';
import { createContext, useContext, useMemo } from 'react';
import type { Chart, Transition } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useTraceLook } from '@/store/trace';
import { boxesOf, headerHeight, parentsFirst, textLines, transitionText, type Rect } from './chart-geometry';
import { placeLabels, type LabelledArrow } from './label-places';
import { useArrowPaths, type QuietArrow } from './quiet-arrows';
import { TroubleMark } from './trouble-mark';
import { routeArrow } from './route-arrow';
import { useUnchanged } from './unchanged';

export type ArrowEdge = Edge<
  {
    readonly transition: Transition;
    readonly lit: boolean;
    readonly wrong: Problem | undefined;
    readonly stops: boolean;
    /** What test cases do not come through. */
    readonly gap: string;
    readonly fired: number;
    readonly shift: number;
    readonly address: string;
    readonly extra: boolean;
    readonly explain: (t: Transition) => string;
  },
  'arrow'
>;

/** Labels of a large chart are left out where they would be too small to read: each costs as much as its arrow. */
export const LabelsShown = createContext(true);

/** Cards of a chart where they stand, with what each lies in; none for large charts, whose arrows run straight. */
interface StandingCard extends Rect {
  readonly id: string;
  readonly within: ReadonlySet<string>;
}
interface StandingCards {
  readonly all: readonly StandingCard[];
  /** What they take up together. */
  readonly sheet?: Rect;
  /** Where the labels of the arrows stand, with what they say. */
  readonly labels?: ReadonlyMap<string, StandingLabel>;
  /** What no label may cover: states without others inside, and the heads of those with some. */
  readonly names?: readonly Rect[];
}
interface StandingLabel {
  readonly x: number;
  readonly y: number;
  readonly rect: Rect;
  readonly says: string;
}
const noCards: StandingCards = { all: [] };
export const Cards = createContext<StandingCards>(noCards);
const mostRouted = 120;

export function standingCards(chart: Chart, most = mostRouted): StandingCards {
  if (chart.transitions.length > most) return noCards;
  const boxes = boxesOf(chart);
  const placed = new Map<string, StandingCard>();
  for (const s of parentsFirst(chart)) {
    const around = s.parent === null ? undefined : placed.get(s.parent);
    const box = boxes.get(s.id);
    if (box)
      placed.set(s.id, {
        id: s.id,
        x: box.x + (around?.x ?? 0),
        y: box.y + (around?.y ?? 0),
        width: box.width,
        height: box.height,
        within: new Set([...(around?.within ?? []), ...(s.parent === null ? [] : [s.parent])]),
      });
  }
  const all = [...placed.values()];
  if (all.length === 0) return noCards;
  const [x, y] = [Math.min(...all.map((c) => c.x)), Math.min(...all.map((c) => c.y))];
  const sheet = {
    x,
    y,
    width: Math.max(...all.map((c) => c.x + c.width)) - x,
    height: Math.max(...all.map((c) => c.y + c.height)) - y,
  };
  const groups = new Set(chart.states.map((s) => s.parent));
  const names = chart.states.flatMap((s): Rect[] => {
    const card = placed.get(s.id);
    if (!card) return [];
    const { x: left, y: top, width } = card;
    const head = headerHeight + textLines(s).length * 16.5;
    return [{ x: left, y: top, width, height: groups.has(s.id) ? head : card.height }];
  });
  const shifts = shiftsOf(chart.transitions);
  const arrows = chart.transitions.flatMap((t): LabelledArrow[] => {
    const [a, b] = [placed.get(t.from), placed.get(t.to || t.from)];
    if (!a || !b) return [];
    const route = routeArrow(a, b, shifts.get(t.id) ?? 0, inTheWay(all, a.id, b.id), sheet);
    const says = labelOf(t);
    return [{ id: t.id, ...route, width: Math.min(mostLabel, says.length * 6.2 + 12, roomOn(route.path)), height: 16 }];
  });
  const labels = new Map(
    [...placeLabels(arrows, names)].map(([id, at]): [string, StandingLabel] => {
      const { width, height } = arrows.find((a) => a.id === id)!;
      const rect = { x: at.x - width / 2, y: at.y - height / 2, width, height };
      return [id, { ...at, rect, says: labelOf(chart.transitions.find((t) => t.id === id)!) }];
    }),
  );
  return { all, sheet, labels, names };
}

/** As wide as the style lets them be. */
const mostLabel = 200;
/** Between cards that stand side by side a label is no wider than the gap: beside its arrow it would seem to be that of another one. */
function roomOn(path: string): number {
  const [, x1, y1, x2, y2] = /^M (\S+) (\S+) L (\S+) (\S+)$/.exec(path)?.map(Number) ?? [];
  return y1 !== undefined && y1 === y2 ? Math.max(34, Math.abs(x2 - x1) - 18) : Infinity;
}
/** What stands on an arrow: its effect is only hinted at. */
const labelOf = (t: Transition): string => transitionText(t).replace(/ \/ .*$/s, ' / …');

/** Cards an arrow has to go round: neither its ends, nor what they lie in, nor what lies in them or in another card that is in the way. */
export function inTheWay(cards: readonly StandingCard[], source: string, target: string): readonly StandingCard[] {
  const [a, b] = [cards.find((c) => c.id === source), cards.find((c) => c.id === target)];
  if (!a || !b) return [];
  return cards.filter(
    (c) =>
      c.id !== source &&
      c.id !== target &&
      !a.within.has(c.id) &&
      !b.within.has(c.id) &&
      !c.within.has(source) &&
      !c.within.has(target),
  );
}

export function Arrow({ id, source, target, data, selected, markerEnd }: EdgeProps<ArrowEdge>) {
  const from = useInternalNode(source);
  const to = useInternalNode(target);
  const select = usePlace((s) => s.select);
  const look = useTraceLook(data?.address ?? '');
  const labels = useContext(LabelsShown);
  const cards = useContext(Cards);
  if (!from || !to || !data) return null;
  const rect = (n: typeof from) => ({
    x: n.internals.positionAbsolute.x,
    y: n.internals.positionAbsolute.y,
    width: n.measured.width ?? n.width ?? 0,
    height: n.measured.height ?? n.height ?? 0,
  });
  const route = routeArrow(rect(from), rect(to), data.shift, inTheWay(cards.all, source, target), cards.sheet);
  const { path } = route;
  // while a card is being moved, its labels are on their way
  const stands = [source, target].every((s, k) => {
    const card = cards.all.find((c) => c.id === s);
    const now = rect(k === 0 ? from : to);
    return card !== undefined && card.x === now.x && card.y === now.y;
  });
  const place = stands ? cards.labels?.get(data.transition.id) : undefined;
  const { x, y } = place ?? route;
  const text = transitionText(data.transition);
  const [head, ...rest] = text.split(' / ');
  const stroke = data.lit
    ? 'var(--now)'
    : selected
      ? 'var(--accent)'
      : data.wrong
        ? data.wrong.severity === 'error'
          ? 'var(--bad)'
          : 'var(--now-ink)'
        : 'var(--ink-3)';
  return (
    <>
      <BaseEdge
        id={id}
        path={path}
        {...(markerEnd && data.transition.to !== '' && { markerEnd })}
        interactionWidth={14}
        style={{
          stroke,
          strokeWidth: data.lit || selected ? 2 : 1.2,
          ...((data.extra || data.transition.internal || data.transition.to === '') && { strokeDasharray: '4 3' }),
        }}
      />
      {!data.extra && (labels || selected || data.lit) && (
        <EdgeLabelRenderer>
          <div
            className={`edge-label nodrag nopan${selected ? ' selected' : ''}${data.lit ? ' lit' : ''}${data.wrong ? ` trouble ${data.wrong.severity}` : ''}${data.gap ? ' gap' : ''}${look.className}`}
            style={{
              transform: `translate(-50%, -50%) translate(${x}px, ${y}px)`,
              // a little more than is reckoned with, so that only what has no room is cut
              ...(place &&
                place.rect.width < mostLabel &&
                roomOn(path) < Infinity && { maxWidth: place.rect.width + 4 }),
            }}
            title={look.title ? `${text}\n${look.title}` : text}
            onMouseEnter={(e) => {
              const now = data.explain(data.transition);
              if (now) e.currentTarget.title = `${text}\n${now}`;
            }}
            onClick={() => select(`transition/${data.transition.id}`)}
            data-transition={text}
            data-lit={data.lit}
          >
            <span>
              {data.stops && (
                <span className="stop-mark me-1" title="The run stops here" aria-label="The run stops here" />
              )}
              <TroubleMark problem={data.wrong} />
              {head}
              {rest.length > 0 && <span className="after-text"> / …</span>}
              {data.fired > 0 && (
                <span className="fired num" title={`fired ${data.fired} times in this run`}>
                  {data.fired}×
                </span>
              )}
            </span>
            {data.gap !== '' && <span className="gap-word">{data.gap}</span>}
          </div>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

/** How far each arrow stands aside, where several run between the same two cards. */
export function shiftsOf(transitions: readonly Transition[]): Map<string, number> {
  const twins = new Map<string, string[]>();
  for (const t of transitions) {
    const between = t.from < t.to ? `${t.from} ${t.to}` : `${t.to} ${t.from}`;
    const alike = twins.get(between);
    if (alike) alike.push(t.id);
    else twins.set(between, [t.id]);
  }
  return new Map(
    [...twins.values()].flatMap((alike) =>
      alike.map((id, k): [string, number] => [id, (k - (alike.length - 1) / 2) * 46]),
    ),
  );
}

interface Shown {
  readonly transitions: readonly Transition[];
  readonly address: string;
  readonly places: ReadonlyMap<string, Rect>;
  /** Those that are elements of their own because they can be read; undefined: all. */
  readonly inSight: ReadonlySet<string> | undefined;
  /** Ids of cards whose arrows move with them. */
  readonly touched: ReadonlySet<string>;
  readonly item: string;
  readonly taken: ReadonlySet<string>;
  readonly wrong: ReadonlyMap<string, Problem>;
  readonly fired: ReadonlyMap<string, number>;
  readonly stops: ReadonlySet<string>;
  readonly gaps: ReadonlyMap<string, string>;
  readonly explain: (t: Transition) => string;
}

/** Arrows that are elements of their own, and the others, which are one drawing. Those in which nothing has changed are those of last time. */
export function useArrows(shown: Shown): readonly [ArrowEdge[], QuietArrow[]] {
  const { transitions, address, places, inSight, touched, item, taken, wrong, fired, stops, gaps, explain } = shown;
  const shifts = useMemo(() => shiftsOf(transitions), [transitions]);
  const sameArrow = useUnchanged<ArrowEdge>();
  const pathOf = useArrowPaths();
  return useMemo(() => {
    const own = (t: Transition): boolean =>
      !inSight ||
      inSight.has(t.id) ||
      taken.has(t.id) ||
      item === `transition/${t.id}` ||
      touched.has(t.from) ||
      touched.has(t.to);
    const elementsOf = transitions.filter(own).flatMap((t): ArrowEdge[] => {
      const lit = taken.has(t.id);
      const at = `${address}/transition/${t.id}`;
      const arrow = (id: string, target: string, extra: boolean): ArrowEdge =>
        sameArrow(
          {
            id,
            type: 'arrow',
            source: t.from,
            target,
            selected: item === `transition/${t.id}`,
            data: {
              transition: t,
              lit,
              wrong: wrong.get(t.id),
              stops: stops.has(at),
              gap: gaps.get(at) ?? '',
              fired: fired.get(t.id) ?? 0,
              address: at,
              shift: extra ? 0 : shifts.get(t.id)!,
              extra,
              explain,
            },
            markerEnd: {
              type: MarkerType.ArrowClosed,
              width: 14,
              height: 14,
              color: lit ? 'var(--now)' : 'var(--ink-3)',
            },
            ariaLabel: `Transition ${transitionText(t)}`,
            deletable: false,
            zIndex: 10,
          },
          (x) => [
            x.data?.transition,
            x.data?.lit,
            x.data?.wrong?.message,
            x.data?.stops,
            x.data?.gap,
            x.data?.fired,
            x.data?.shift,
            x.selected,
          ],
        );
      return [arrow(t.id, t.to || t.from, false), ...t.also.map((to, k) => arrow(`${t.id} ${k}`, to, true))];
    });
    const others = transitions.flatMap((t) =>
      own(t)
        ? []
        : [t.to || t.from, ...t.also].flatMap((target, k) => {
            const drawn = pathOf({ transition: t, target, shift: k ? 0 : shifts.get(t.id)! }, places);
            return drawn ? [{ id: t.id, wrong: wrong.get(t.id)?.severity === 'error', drawn, path: drawn.path }] : [];
          }),
    );
    return [elementsOf, others];
  }, [
    transitions,
    places,
    inSight,
    shifts,
    touched,
    item,
    taken,
    wrong,
    fired,
    stops,
    gaps,
    explain,
    sameArrow,
    pathOf,
    address,
  ]);
}
