'use client';
import {
  Background,
  BackgroundVariant,
  BaseEdge,
  ConnectionMode,
  Controls,
  EdgeLabelRenderer,
  Handle,
  MarkerType,
  Position,
  ReactFlow,
  useInternalNode,
  useReactFlow,
  useStore,
  type Connection,
  type Edge,
  type EdgeProps,
  type Node,
  type NodeProps,
  type NodeChange,
  applyNodeChanges,
} from '@xyflow/react';
import { nanoid } from 'nanoid';
import { createContext, memo, useCallback, useContext, useEffect, useMemo, useRef, useState } from 'react';
import { isAround } from '@/core/simulate/configurations';
import { newTransition, type Chart, type ChartState, type Transition } from '@/core/project/project';
import type { Problem } from '@/core/language/diagnostics';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { useTraceLook } from '@/store/trace';
import {
  QuietArrows,
  arrowUnder,
  manyArrows,
  transitionsInSight,
  useArrowPaths,
  useBoxes,
  usePlaces,
  useRestingView,
} from './quiet-arrows';
import { boxesOf, isPlace, kindText, parentsFirst, textLines, transitionText, type Rect } from './chart-geometry';
import { routeArrow } from './route-arrow';

type StateNode = Node<
  {
    readonly state: ChartState;
    readonly group: boolean;
    readonly lane: boolean;
    readonly lit: boolean;
    readonly wrong: boolean;
    readonly stops: boolean;
    readonly fact: string;
    readonly address: string;
  },
  'state'
>;
type ArrowEdge = Edge<
  {
    readonly transition: Transition;
    readonly lit: boolean;
    readonly wrong: boolean;
    readonly stops: boolean;
    readonly fired: number;
    readonly shift: number;
    readonly address: string;
    readonly extra: boolean;
    readonly explain: (t: Transition) => string;
  },
  'arrow'
>;

const sides = [Position.Top, Position.Right, Position.Bottom, Position.Left];

function StateCard({ data, selected }: NodeProps<StateNode>) {
  const { state, group, lane, lit, wrong, stops, fact } = data;
  const place = isPlace(state.kind);
  return (
    <>
      <LinkableBox
        address={data.address}
        className={`state-card${group ? ' group' : ''}${lane ? ' lane' : ''}${place ? ` place ${state.kind}` : ''}${lit ? ' lit' : ''}${selected ? ' selected' : ''}`}
        data-state={state.name}
        data-lit={lit}
        style={wrong ? { borderColor: 'var(--bad)' } : undefined}
      >
        <div className="state-name">
          {stops && <span className="stop-mark" title="The run stops here" aria-label="The run stops here" />}
          <span className="text-truncate">{state.name}</span>
          <LinkCount address={data.address} />
          {lit ? (
            <span className="now-word">active</span>
          ) : fact ? (
            <span className="first num">{fact}</span>
          ) : (
            state.initial && !place && !lane && <span className="first">starts here</span>
          )}
        </div>
        {place && <div className="state-text">{kindText[state.kind]}</div>}
        {textLines(state).map((line, k) => (
          <div key={k} className="state-text mono" style={{ paddingBlock: 0 }}>
            {line}
          </div>
        ))}
      </LinkableBox>
      {sides.map((side) => (
        <Handle
          key={side}
          id={side}
          type="source"
          position={side}
          aria-label={`Connect ${state.name} from its ${side} side`}
        />
      ))}
    </>
  );
}

/** Labels of a large chart are left out where they would be too small to read: each costs as much as its arrow. */
const LabelsShown = createContext(true);

/** Cards of a chart where they stand, with what each lies in; none for large charts, whose arrows run straight. */
interface StandingCard extends Rect {
  readonly id: string;
  readonly within: ReadonlySet<string>;
}
interface StandingCards {
  readonly all: readonly StandingCard[];
  /** What they take up together. */
  readonly sheet?: Rect;
}
const noCards: StandingCards = { all: [] };
const Cards = createContext<StandingCards>(noCards);
const mostRouted = 120;

function standingCards(chart: Chart): StandingCards {
  if (chart.transitions.length > mostRouted) return noCards;
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
  const [x, y] = [Math.min(...all.map((c) => c.x)), Math.min(...all.map((c) => c.y))];
  return {
    all,
    sheet: {
      x,
      y,
      width: Math.max(...all.map((c) => c.x + c.width)) - x,
      height: Math.max(...all.map((c) => c.y + c.height)) - y,
    },
  };
}

/** Cards an arrow has to go round: neither its ends, nor what they lie in, nor what lies in them or in another card that is in the way. */
function inTheWay(cards: readonly StandingCard[], source: string, target: string): readonly StandingCard[] {
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

function Arrow({ id, source, target, data, selected, markerEnd }: EdgeProps<ArrowEdge>) {
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
  const { path, x, y } = routeArrow(rect(from), rect(to), data.shift, inTheWay(cards.all, source, target), cards.sheet);
  const text = transitionText(data.transition);
  const [head, ...rest] = text.split(' / ');
  const stroke = data.lit ? 'var(--now)' : selected ? 'var(--accent)' : data.wrong ? 'var(--bad)' : 'var(--ink-3)';
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
            className={`edge-label nodrag nopan${selected ? ' selected' : ''}${data.lit ? ' lit' : ''}${data.wrong ? ' wrong' : ''}${look.className}`}
            style={{ transform: `translate(-50%, -50%) translate(${x}px, ${y}px)` }}
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
              {head}
              {rest.length > 0 && <span className="after-text"> / …</span>}
              {data.fired > 0 && (
                <span className="fired num" title={`fired ${data.fired} times in this run`}>
                  {data.fired}×
                </span>
              )}
            </span>
          </div>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

const nodeTypes = { state: StateCard };
const edgeTypes = { arrow: Arrow };

function pathsOf(chart: Chart): Map<string, string> {
  const paths = new Map<string, string>();
  for (const s of parentsFirst(chart)) paths.set(s.id, s.parent ? `${paths.get(s.parent) ?? ''}.${s.name}` : s.name);
  return paths;
}

/** Hands out the object of last time where nothing in it has changed, so that only what changed is drawn anew. */
function useUnchanged<T extends { readonly id: string }>(): (next: T, parts: (x: T) => readonly unknown[]) => T {
  const known = useRef(new Map<string, T>());
  return useCallback((next, parts) => {
    const before = known.current.get(next.id);
    const now = parts(next);
    if (before && parts(before).every((x, k) => x === now[k])) return before;
    known.current.set(next.id, next);
    return next;
  }, []);
}

/** What of a state is on its card. */
const drawnOf = (s: ChartState): readonly unknown[] => [s.name, s.kind, s.initial, s.entry, s.do, s.exit, s.defers];

/** How far each arrow stands aside, where several run between the same two cards. */
function shiftsOf(transitions: readonly Transition[]): Map<string, number> {
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

/** Hands out the list of last time where all its members are the same. */
function useSameList<T>(): (next: T[]) => T[] {
  const known = useRef<T[]>([]);
  return useCallback((next) => {
    if (next.length !== known.current.length || next.some((x, k) => x !== known.current[k])) known.current = next;
    return known.current;
  }, []);
}

interface Props {
  readonly chart: Chart;
  /** Address of the chart in the document. */
  readonly address: string;
  /** Paths of the innermost active states. */
  readonly active: readonly string[] | undefined;
  /** Ids of the transitions taken last, parted by blanks. */
  readonly lastTaken: string;
  readonly problems: readonly Problem[];
  readonly removeSelected: () => void;
  /** What the run says of each state, by path, and of each transition, by id. */
  readonly facts: ReadonlyMap<string, string>;
  readonly fired: ReadonlyMap<string, number>;
  /** Addresses at which a run stops. */
  readonly stops: ReadonlySet<string>;
  /** The value of a guard at the cursor, with the values in it. */
  readonly explain: (t: Transition) => string;
}

/** The drawing of a state chart: cards to move, handles to connect. Drawn anew only when something on it changes. */
export const ChartCanvas = memo(function ChartCanvas({
  chart,
  address,
  active,
  lastTaken,
  problems,
  removeSelected,
  facts,
  fired,
  stops,
  explain,
}: Props) {
  const takenIds = useMemo(() => new Set(lastTaken.split(' ')), [lastTaken]);
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const { select, say } = usePlace.getState();
  const flow = useReactFlow();
  const boxes = useBoxes(chart);
  const paths = useMemo(() => pathsOf(chart), [chart]);
  const wrong = useMemo(() => new Set(problems.flatMap((p) => p.place?.split('/') ?? [])), [problems]);

  const sameNodes = useSameList<StateNode>();
  const sameNode = useUnchanged<StateNode>();
  const sameEdge = useUnchanged<ArrowEdge>();
  const wanted = useMemo(() => {
    const groups = new Set(chart.states.map((x) => x.parent));
    return sameNodes(
      parentsFirst(chart).map((s): StateNode => {
        const path = paths.get(s.id)!;
        const lit = isAround(path, active);
        const group = groups.has(s.id);
        const { x, y, width, height, lane } = boxes.get(s.id)!;
        const at = `${address}/state/${s.id}`;
        const node: StateNode = {
          id: s.id,
          type: 'state',
          position: { x, y },
          width,
          height,
          measured: { width, height },
          ...(s.parent && { parentId: s.parent }),
          selected: item === `state/${s.id}`,
          draggable: !lane,
          data: {
            state: s,
            group,
            lane,
            lit,
            wrong: wrong.has(s.id),
            stops: stops.has(at),
            fact: facts.get(path) ?? '',
            address: at,
          },
          ariaLabel: `${isPlace(s.kind) ? 'Place' : 'State'} ${s.name}${lit ? ', active' : ''}`,
          deletable: false,
          // arrows run above the cards that hold others and below those that do not
          zIndex: group || lane ? 0 : 20,
        };
        return sameNode(node, (n) => [
          ...drawnOf(n.data.state),
          n.data.lit,
          n.data.group,
          n.data.wrong,
          n.data.stops,
          n.data.fact,
          n.selected,
          n.width,
          n.height,
          n.parentId,
          n.position.x,
          n.position.y,
        ]);
      }),
    );
  }, [chart, boxes, paths, active, item, wrong, facts, stops, sameNode, sameNodes, address]);
  // while a card is being moved, its place is that of the pointer
  const [moving, setMoving] = useState<StateNode[]>();
  const nodes = moving ?? wanted;
  const { transitions } = chart;
  const view = useRestingView();
  const places = usePlaces(chart, boxes);
  const inSight = useMemo(
    () => (transitions.length > manyArrows ? transitionsInSight(transitions, places, view) : undefined),
    [transitions, places, view],
  );
  const shifts = useMemo(() => shiftsOf(transitions), [transitions]);
  const held = useMemo(() => {
    const ids = new Set(moving?.filter((n) => n.dragging).map((n) => n.id));
    if (ids.size > 0) for (const n of wanted) if (n.parentId && ids.has(n.parentId)) ids.add(n.id);
    return [...ids].join(' ');
  }, [moving, wanted]);
  const pathOf = useArrowPaths();
  const [edges, quiet] = useMemo(() => {
    const touched = new Set([...held.split(' '), item.replace('state/', '')]);
    const own = (t: Transition): boolean =>
      !inSight ||
      inSight.has(t.id) ||
      takenIds.has(t.id) ||
      item === `transition/${t.id}` ||
      touched.has(t.from) ||
      touched.has(t.to);
    const elementsOf = transitions.filter(own).flatMap((t): ArrowEdge[] => {
      const lit = takenIds.has(t.id);
      const at = `${address}/transition/${t.id}`;
      const arrow = (id: string, target: string, extra: boolean): ArrowEdge =>
        sameEdge(
          {
            id,
            type: 'arrow',
            source: t.from,
            target,
            selected: item === `transition/${t.id}`,
            data: {
              transition: t,
              lit,
              wrong: wrong.has(t.id),
              stops: stops.has(at),
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
            x.data?.wrong,
            x.data?.stops,
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
            return drawn ? [{ id: t.id, wrong: wrong.has(t.id), drawn, path: drawn.path }] : [];
          }),
    );
    return [elementsOf, others];
  }, [
    transitions,
    places,
    inSight,
    shifts,
    held,
    item,
    takenIds,
    wrong,
    fired,
    stops,
    explain,
    sameEdge,
    pathOf,
    address,
  ]);
  /** Selects the arrow under the pointer that is no element of its own. */
  const selectUnder = (e: React.MouseEvent): boolean => {
    if (quiet.length === 0) return false;
    const { x, y } = flow.screenToFlowPosition({ x: e.clientX, y: e.clientY });
    const id = arrowUnder(quiet, x, y, 12 / flow.getZoom());
    if (id) select(`transition/${id}`);
    return id !== undefined;
  };
  const ids = chart.states.length;
  useEffect(() => {
    const timer = setTimeout(() => void flow.fitView({ padding: 0.03, maxZoom: 1.1 }), 30);
    return () => clearTimeout(timer);
  }, [flow, chart.id, ids]);

  const changes = (list: NodeChange<StateNode>[]): void => {
    const moves = list.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? wanted));
  };
  const stop = (_: unknown, node: StateNode): void => {
    setMoving(undefined);
    const state = chart.states.find((s) => s.id === node.id);
    if (!state) return;
    const least = state.parent ? { x: 12, y: 36 } : { x: -4000, y: -4000 };
    const x = Math.round(Math.max(least.x, node.position.x)),
      y = Math.round(Math.max(least.y, node.position.y));
    if (x === state.x && y === state.y) return;
    const refused = edit(
      { kind: 'update', list: `${address}/state`, id: node.id, changes: { x, y } },
      `Move ${state.name}`,
    );
    if (refused) say(refused.message);
  };
  const connect = (c: Connection): void => {
    const entry = newTransition(`x-${nanoid(8)}`, c.source, c.target);
    const refused = edit({ kind: 'insert', list: `${address}/transition`, entry }, 'Add a transition');
    if (refused) say(refused.message);
    else select(`transition/${entry.id}`);
  };
  const cards = useMemo(() => standingCards(chart), [chart]);
  const far = useStore((x) => x.transform[2] < 0.4) && chart.transitions.length > 150;
  return (
    <LabelsShown value={!far}>
      <Cards value={cards}>
        <ReactFlow<StateNode, ArrowEdge>
          nodes={nodes}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={changes}
          onNodeDragStop={stop}
          onConnect={connect}
          connectionMode={ConnectionMode.Loose}
          onNodeClick={(e, n) => {
            if (!(n.data.group && selectUnder(e))) select(`state/${n.id}`);
          }}
          onEdgeClick={(_, e) => select(`transition/${e.id.split(' ')[0]}`)}
          onPaneClick={(e) => {
            if (!selectUnder(e)) select('');
          }}
          deleteKeyCode={null}
          minZoom={0.15}
          maxZoom={2}
          connectionRadius={30}
          elevateNodesOnSelect={false}
          elevateEdgesOnSelect={false}
          onlyRenderVisibleElements={chart.states.length > 120}
          proOptions={{ hideAttribution: true }}
          fitView
          fitViewOptions={{ padding: 0.03, maxZoom: 1.1 }}
          zoomOnDoubleClick={false}
          onKeyDown={(e) => {
            if ((e.key === 'Delete' || e.key === 'Backspace') && !(e.target instanceof HTMLInputElement))
              removeSelected();
            const chosen =
              /^(state|transition)/.test(item) ||
              document.activeElement?.closest('.react-flow__node, .react-flow__edge');
            if (e.key === 'Enter' && chosen) {
              const id = document.activeElement?.closest('.react-flow__node')?.getAttribute('data-id');
              const edge = document.activeElement?.closest('.react-flow__edge')?.getAttribute('data-id');
              if (id) select(`state/${id}`);
              else if (edge) select(`transition/${edge}`);
            }
          }}
        >
          {quiet.length > 0 && <QuietArrows arrows={quiet} />}
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls showInteractive={false} position="bottom-left" />
        </ReactFlow>
      </Cards>
    </LabelsShown>
  );
});
