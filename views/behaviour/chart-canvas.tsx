'use client';
import {
  Background,
  BackgroundVariant,
  ConnectionMode,
  Controls,
  ReactFlow,
  applyNodeChanges,
  useReactFlow,
  useStore,
  useStoreApi,
  type Connection,
  type NodeChange,
} from '@xyflow/react';
import { nanoid } from 'nanoid';
import { memo, useEffect, useMemo, useRef, useState } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { newTransition, type Chart, type Transition } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { pick, useChoice } from '@/store/choice';
import { useBoxedChoice } from '@/ui/editing/boxed-choice';
import { useDrawingPoint } from '@/ui/editing/drawing-point';
import { Overview } from '@/ui/drawing/overview';
import { leastZoom, useShowWhole } from '@/ui/drawing/show-whole';
import { useHandler } from '@/ui/use-handler';
import { Arrow, Cards, LabelsShown, standingCards, useArrows, type ArrowEdge } from './arrows';
import {
  QuietArrows,
  arrowUnder,
  manyArrows,
  transitionsInSight,
  useBoxes,
  usePlaces,
  useRestingView,
} from './quiet-arrows';
import { StateCard, useStateCards, type StateNode } from './state-cards';

const nodeTypes = { state: StateCard };
const edgeTypes = { arrow: Arrow };
const proOptions = { hideAttribution: true };
const multiKeys = ['Control', 'Meta', 'Shift'];
const none: readonly string[] = [];
const fitting = { padding: 0.03, maxZoom: 1.1, minZoom: leastZoom };

interface Props {
  readonly chart: Chart;
  /** Address of the chart in the document. */
  readonly address: string;
  /** Paths of the innermost active states. */
  readonly active: readonly string[] | undefined;
  /** Ids of the transitions taken last, parted by blanks. */
  readonly lastTaken: string;
  readonly problems: readonly Problem[];
  /** Adds a state whose card stands here. */
  readonly addAt: (x: number, y: number) => void;
  /** What the run says of each state, by path, and of each transition, by id. */
  readonly facts: ReadonlyMap<string, string>;
  readonly fired: ReadonlyMap<string, number>;
  /** Addresses at which a run stops. */
  readonly stops: ReadonlySet<string>;
  /** By address what test cases do not come through. */
  readonly gaps: ReadonlyMap<string, string>;
  /** The value of a guard at the cursor, with the values in it. */
  readonly explain: (t: Transition) => string;
}

/** The worst problem of each element, by its id; everything that is said of it is in its message. */
function worstByElement(problems: readonly Problem[]): ReadonlyMap<string, Problem> {
  const found = new Map<string, Problem>();
  for (const p of problems)
    for (const id of p.place?.split('/') ?? []) {
      const known = found.get(id);
      if (!known) found.set(id, p);
      else
        found.set(id, {
          ...known,
          severity: known.severity === 'error' ? 'error' : p.severity,
          message: `${known.message}\n${p.message}`,
        });
    }
  return found;
}

/** The drawing of a state chart: cards to move, handles to connect. Drawn anew only when something on it changes. */
export const ChartCanvas = memo(function ChartCanvas(props: Props) {
  const { chart, address, lastTaken, problems, addAt, fired, stops, gaps, explain } = props;
  const { transitions } = chart;
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const { select, say } = usePlace.getState();
  const flow = useReactFlow();
  const store = useStoreApi();
  const showWhole = useShowWhole(0.03);
  const chosenCard = useHandler((): string | undefined =>
    item.startsWith('state/') ? item.slice('state/'.length) : undefined,
  );
  const boxes = useBoxes(chart);
  const taken = useMemo(() => new Set(lastTaken.split(' ')), [lastTaken]);
  const wrong = useMemo(() => worstByElement(problems), [problems]);
  const together = useHandler((e: React.MouseEvent, at: string): void => {
    const { project } = useProject.getState();
    // a range means nothing on a drawing: Shift adds, as Ctrl does
    if (project) pick(project, at, { shiftKey: false, ctrlKey: e.ctrlKey || e.shiftKey, metaKey: e.metaKey });
  });
  const others = useChoice((s) => (s.addresses.length > 1 ? s.addresses : none));
  const wanted = useStateCards({ ...props, boxes, item, wrong, others });
  // while a card is being moved, its place is that of the pointer
  const [moving, setMoving] = useState<StateNode[]>();
  const held = useMemo(() => {
    const ids = new Set(moving?.filter((n) => n.dragging).map((n) => n.id));
    if (ids.size > 0) for (const n of wanted) if (n.parentId && ids.has(n.parentId)) ids.add(n.id);
    return [...ids].join(' ');
  }, [moving, wanted]);
  const touched = useMemo(() => new Set([...held.split(' '), item.replace('state/', '')]), [held, item]);
  const view = useRestingView();
  const places = usePlaces(chart, boxes);
  const inSight = useMemo(
    () => (transitions.length > manyArrows ? transitionsInSight(transitions, places, view) : undefined),
    [transitions, places, view],
  );
  const [edges, quiet] = useArrows({
    transitions,
    address,
    places,
    inSight,
    touched,
    item,
    taken,
    wrong,
    fired,
    stops,
    gaps,
    explain,
  });
  /** Whether the middle of a card is in sight. */
  const isInSight = useHandler((id: string): boolean => {
    const node = flow.getInternalNode(id);
    if (!node) return false;
    const { width, height } = store.getState();
    const { x: left, y: top, zoom } = flow.getViewport();
    const { x, y } = node.internals.positionAbsolute;
    const middle = {
      x: (x + (node.measured.width ?? 0) / 2) * zoom + left,
      y: (y + (node.measured.height ?? 0) / 2) * zoom + top,
    };
    return middle.x >= 0 && middle.y >= 0 && middle.x <= width && middle.y <= height;
  });
  // the view moves for another chart, or where something new would be out of sight; never because something went
  const shown = useRef({ chart: '', ids: new Set<string>() });
  /** Whether a hand has chosen what is seen. */
  const moved = useRef(false);
  useEffect(() => {
    const before = shown.current;
    shown.current = { chart: chart.id, ids: new Set(chart.states.map((s) => s.id)) };
    const last = chart.states.findLast((s) => !before.ids.has(s.id));
    const isOther = before.chart !== chart.id;
    if (isOther) moved.current = false;
    if (!isOther && !last) return;
    const timer = setTimeout(() => {
      if (isOther) showWhole(chosenCard());
      else if (last && !isInSight(last.id)) showWhole(last.id);
    }, 30);
    return () => clearTimeout(timer);
  }, [showWhole, chosenCard, isInSight, chart.id, chart.states]);

  // more or less room: the whole is shown again, where nobody has looked at a part of it
  const room = useStore((s) => `${s.width} ${s.height}`);
  useEffect(() => {
    if (moved.current) return;
    const timer = setTimeout(() => showWhole(chosenCard()), 60);
    return () => clearTimeout(timer);
  }, [showWhole, chosenCard, room]);
  const lookAt = useHandler((e: MouseEvent | TouchEvent | null): void => {
    if (e) moved.current = true;
  });

  /** Selects the arrow under the pointer that is no element of its own. */
  const selectUnder = (e: React.MouseEvent): boolean => {
    if (quiet.length === 0) return false;
    const { x, y } = flow.screenToFlowPosition({ x: e.clientX, y: e.clientY });
    const id = arrowUnder(quiet, x, y, 12 / flow.getZoom());
    if (id) select(`transition/${id}`);
    return id !== undefined;
  };
  const clickCard = useHandler((e: React.MouseEvent, card: StateNode): void => {
    if (card.data.group && !e.shiftKey && selectUnder(e)) return;
    together(e, `${address}/state/${card.id}`);
  });
  const clickArrow = useHandler((e: React.MouseEvent, arrow: ArrowEdge): void =>
    together(e, `${address}/transition/${arrow.id.split(' ')[0]}`),
  );
  const clickSheet = useHandler((e: React.MouseEvent): void => {
    if (!selectUnder(e)) useChoice.getState().choose([]);
  });
  const addHere = useHandler((e: React.MouseEvent): void => {
    if (!(e.target instanceof Element) || !e.target.classList.contains('react-flow__pane') || selectUnder(e)) return;
    const { x, y } = flow.screenToFlowPosition({ x: e.clientX, y: e.clientY });
    moved.current = true;
    addAt(Math.round(x) - 60, Math.round(y) - 20);
  });
  const boxed = useBoxedChoice((id) => `${address}/state/${id}`);
  const drag = useHandler((list: NodeChange<StateNode>[]): void => {
    boxed.changes(list);
    const moves = list.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? wanted));
  });
  const drop = useHandler((_: unknown, card: StateNode, cards: StateNode[]): void => {
    setMoving(undefined);
    const updates = cards.flatMap((c) => {
      const state = chart.states.find((s) => s.id === c.id);
      if (!state) return [];
      const least = state.parent ? { x: 12, y: 36 } : { x: -4000, y: -4000 };
      const x = Math.round(Math.max(least.x, c.position.x)),
        y = Math.round(Math.max(least.y, c.position.y));
      return x === state.x && y === state.y ? [] : [{ id: c.id, changes: { x, y } }];
    });
    if (updates.length === 0) return;
    const refused = edit(
      { kind: 'update-all', list: `${address}/state`, updates },
      updates.length === 1 ? `Move ${card.data.state.name}` : `Move ${updates.length} states`,
    );
    if (refused) say(refused.message);
  });
  const connect = useHandler((c: Connection): void => {
    const entry = newTransition(`x-${nanoid(8)}`, c.source, c.target);
    const refused = edit({ kind: 'insert', list: `${address}/transition`, entry }, 'Add a transition');
    if (refused) say(refused.message);
    else select(`transition/${entry.id}`);
  });
  const key = useHandler((e: React.KeyboardEvent): void => {
    if (e.key !== 'Enter') return;
    const focused = (kind: 'node' | 'edge'): string | null | undefined =>
      document.activeElement?.closest(`.react-flow__${kind}`)?.getAttribute('data-id');
    const [card, arrow] = [focused('node'), focused('edge')];
    if (card) select(`state/${card}`);
    else if (arrow) select(`transition/${arrow.split(' ')[0]}`);
  });
  useDrawingPoint(flow, (x, y) => {
    // the innermost state with others inside that is under the point
    const held = new Set(chart.states.flatMap((s) => (s.parent === null ? [] : [s.parent])));
    for (const el of document.elementsFromPoint(x, y)) {
      const id = el.closest('.react-flow__node')?.getAttribute('data-id');
      if (id && held.has(id) && chart.states.find((s) => s.id === id)?.kind === 'state') {
        const corner = flow.getInternalNode(id)?.internals.positionAbsolute;
        return corner && { into: id, corner };
      }
    }
    return undefined;
  });
  const cards = useMemo(() => standingCards(chart), [chart]);
  const far = useStore((x) => x.transform[2] < 0.4) && transitions.length > 150;
  return (
    <LabelsShown value={!far}>
      <Cards value={cards}>
        <ReactFlow<StateNode, ArrowEdge>
          nodes={moving ?? wanted}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={drag}
          onNodeDragStart={boxed.dragStart}
          onNodeDragStop={drop}
          onSelectionDragStop={(e, cards) => cards[0] && drop(e, cards[0], cards)}
          onSelectionStart={boxed.start}
          onSelectionEnd={boxed.end}
          multiSelectionKeyCode={multiKeys}
          onConnect={connect}
          connectionMode={ConnectionMode.Loose}
          onNodeClick={clickCard}
          onEdgeClick={clickArrow}
          onPaneClick={clickSheet}
          deleteKeyCode={null}
          minZoom={0.15}
          maxZoom={2}
          connectionRadius={30}
          elevateNodesOnSelect={false}
          elevateEdgesOnSelect={false}
          onlyRenderVisibleElements={chart.states.length > 120}
          proOptions={proOptions}
          zoomOnDoubleClick={false}
          panOnScroll
          zoomOnScroll={false}
          onDoubleClick={addHere}
          onMoveStart={lookAt}
          onKeyDown={key}
        >
          {quiet.length > 0 && <QuietArrows arrows={quiet} />}
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls orientation="horizontal" showInteractive={false} position="bottom-left" fitViewOptions={fitting} />
          <Overview />
        </ReactFlow>
      </Cards>
    </LabelsShown>
  );
});
