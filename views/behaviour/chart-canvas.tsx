'use client';
import {
  Background, BackgroundVariant, BaseEdge, ConnectionMode, Controls, EdgeLabelRenderer, Handle, MarkerType, Position, ReactFlow, useInternalNode, useReactFlow,
  type Connection, type Edge, type EdgeProps, type Node, type NodeProps, type NodeChange, applyNodeChanges,
} from '@xyflow/react';
import { nanoid } from 'nanoid';
import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { newTransition, type Chart, type ChartState, type Transition } from '@/core/project/project';
import type { Problem } from '@/core/language/diagnostics';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { useTraceLook } from '@/store/trace';
import { arrowPath, isActive, parentsFirst, sizesOf, statePath, textLines, transitionText } from './chart-geometry';

type StateNode = Node<{ readonly state: ChartState; readonly group: boolean; readonly lit: boolean; readonly wrong: boolean; readonly address: string }, 'state'>;
type ArrowEdge = Edge<{ readonly transition: Transition; readonly lit: boolean; readonly wrong: boolean; readonly shift: number; readonly address: string }, 'arrow'>;

const sides = [Position.Top, Position.Right, Position.Bottom, Position.Left];

function StateCard({ data, selected }: NodeProps<StateNode>) {
  const { state, group, lit, wrong } = data;
  return (
    <>
      <LinkableBox address={data.address} className={`state-card${group ? ' group' : ''}${lit ? ' lit' : ''}${selected ? ' selected' : ''}`} data-state={state.name} data-lit={lit} style={wrong ? { borderColor: 'var(--bad)' } : undefined}>
        <div className="state-name">
          {state.name}
          <LinkCount address={data.address} />
          {lit ? <span className="now-word">active</span> : state.initial && <span className="first">starts here</span>}
        </div>
        {textLines(state).map((line, k) => (
          <div key={k} className="state-text mono" style={{ paddingBlock: 0 }}>
            {line}
          </div>
        ))}
      </LinkableBox>
      {sides.map((side) => (
        <Handle key={side} id={side} type="source" position={side} aria-label={`Connect ${state.name} from its ${side} side`} />
      ))}
    </>
  );
}

function Arrow({ id, source, target, data, selected, markerEnd }: EdgeProps<ArrowEdge>) {
  const from = useInternalNode(source);
  const to = useInternalNode(target);
  const select = usePlace((s) => s.select);
  const look = useTraceLook()(data?.address ?? '');
  if (!from || !to || !data) return null;
  const rect = (n: typeof from) => ({ x: n.internals.positionAbsolute.x, y: n.internals.positionAbsolute.y, width: n.measured.width ?? n.width ?? 0, height: n.measured.height ?? n.height ?? 0 });
  const { path, x, y } = arrowPath(rect(from), rect(to), data.shift);
  const text = transitionText(data.transition);
  const [head, ...rest] = text.split(' / ');
  return (
    <>
      <BaseEdge id={id} path={path} {...(markerEnd && { markerEnd })} interactionWidth={14} style={{ stroke: data.lit ? 'var(--now)' : selected ? 'var(--accent)' : data.wrong ? 'var(--bad)' : 'var(--ink-3)', strokeWidth: data.lit || selected ? 2 : 1.2 }} />
      <EdgeLabelRenderer>
        <div
          className={`edge-label nodrag nopan${selected ? ' selected' : ''}${data.lit ? ' lit' : ''}${data.wrong ? ' wrong' : ''}${look.className}`} style={{ transform: `translate(-50%, -50%) translate(${x}px, ${y}px)` }} title={look.title ? `${text}\n${look.title}` : text}
          onClick={() => select(`transition/${data.transition.id}`)} data-transition={text} data-lit={data.lit}
        >
          <span>
            {head}
            {rest.length > 0 && <span className="after-text"> / …</span>}
          </span>
        </div>
      </EdgeLabelRenderer>
    </>
  );
}

const nodeTypes = { state: StateCard };
const edgeTypes = { arrow: Arrow };

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

interface Props {
  readonly chart: Chart;
  /** Address of the chart in the document. */
  readonly address: string;
  readonly active: string | undefined;
  readonly lastTaken: string | undefined;
  readonly problems: readonly Problem[];
  readonly removeSelected: () => void;
}

/** The drawing of a state chart: cards to move, handles to connect. Drawn anew only when something on it changes. */
export const ChartCanvas = memo(function ChartCanvas({ chart, address, active, lastTaken, problems, removeSelected }: Props) {
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const { select, say } = usePlace.getState();
  const flow = useReactFlow();
  // addresses of elements name one thing each, those of lists many
  const elements = address.replace('types/', 'type/').replace('/charts/', '/chart/');
  const sizes = useMemo(() => sizesOf(chart), [chart]);
  const wrong = useMemo(() => new Set(problems.flatMap((p) => p.place?.split('/') ?? [])), [problems]);

  const sameNode = useUnchanged<StateNode>();
  const sameEdge = useUnchanged<ArrowEdge>();
  const wanted = useMemo(
    () => parentsFirst(chart).map((s): StateNode => {
      const lit = isActive(active, statePath(chart, s));
      const group = chart.states.some((x) => x.parent === s.id);
      const node: StateNode = {
        id: s.id, type: 'state', position: { x: s.x, y: s.y }, ...sizes.get(s.id)!, ...(s.parent && { parentId: s.parent }), selected: item === `state/${s.id}`,
        data: { state: s, group, lit, wrong: wrong.has(s.id), address: `${elements}/state/${s.id}` }, ariaLabel: `State ${s.name}${lit ? ', active' : ''}`, deletable: false,
        // arrows run above the cards that hold others and below those that do not
        zIndex: group ? 0 : 20,
      };
      return sameNode(node, (x) => [x.data.state, x.data.lit, x.data.group, x.data.wrong, x.selected, x.width, x.height, x.parentId]);
    }),
    [chart, sizes, active, item, wrong, sameNode, elements],
  );
  // while a card is being moved, its place is that of the pointer
  const [moving, setMoving] = useState<StateNode[]>();
  const nodes = moving ?? wanted;
  const edges = useMemo(
    () => chart.transitions.map((t): ArrowEdge => {
      const twins = chart.transitions.filter((o) => (o.from === t.from && o.to === t.to) || (o.from === t.to && o.to === t.from));
      const place = twins.findIndex((o) => o.id === t.id);
      const lit = lastTaken === t.id;
      const edge: ArrowEdge = {
        id: t.id, type: 'arrow', source: t.from, target: t.to, selected: item === `transition/${t.id}`, data: { transition: t, lit, wrong: wrong.has(t.id), address: `${elements}/transition/${t.id}`, shift: (place - (twins.length - 1) / 2) * 46 },
        markerEnd: { type: MarkerType.ArrowClosed, width: 14, height: 14, color: lit ? 'var(--now)' : 'var(--ink-3)' }, ariaLabel: `Transition ${transitionText(t)}`, deletable: false, zIndex: 10,
      };
      return sameEdge(edge, (x) => [x.data?.transition, x.data?.lit, x.data?.wrong, x.data?.shift, x.selected]);
    }),
    [chart, item, lastTaken, wrong, sameEdge, elements],
  );
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
    const x = Math.round(Math.max(least.x, node.position.x)), y = Math.round(Math.max(least.y, node.position.y));
    if (x === state.x && y === state.y) return;
    const refused = edit({ kind: 'update', list: `${address}/states`, id: node.id, changes: { x, y } }, `Move ${state.name}`);
    if (refused) say(refused.message);
  };
  const connect = (c: Connection): void => {
    const entry = newTransition(`x-${nanoid(8)}`, c.source, c.target);
    const refused = edit({ kind: 'insert', list: `${address}/transitions`, entry }, 'Add a transition');
    if (refused) say(refused.message);
    else select(`transition/${entry.id}`);
  };
  return (
    <ReactFlow<StateNode, ArrowEdge>
      nodes={nodes} edges={edges} nodeTypes={nodeTypes} edgeTypes={edgeTypes} onNodesChange={changes} onNodeDragStop={stop} onConnect={connect} connectionMode={ConnectionMode.Loose}
      onNodeClick={(_, n) => select(`state/${n.id}`)} onEdgeClick={(_, e) => select(`transition/${e.id}`)} onPaneClick={() => select('')} deleteKeyCode={null} minZoom={0.15} maxZoom={2}
      connectionRadius={30} elevateNodesOnSelect={false} elevateEdgesOnSelect={false} onlyRenderVisibleElements={chart.states.length > 120} proOptions={{ hideAttribution: true }} fitView fitViewOptions={{ padding: 0.03, maxZoom: 1.1 }} zoomOnDoubleClick={false}
      onKeyDown={(e) => {
        if ((e.key === 'Delete' || e.key === 'Backspace') && !(e.target instanceof HTMLInputElement)) removeSelected();
        const chosen = /^(state|transition)/.test(item) || document.activeElement?.closest('.react-flow__node, .react-flow__edge');
        if (e.key === 'Enter' && chosen) {
          const id = document.activeElement?.closest('.react-flow__node')?.getAttribute('data-id');
          const edge = document.activeElement?.closest('.react-flow__edge')?.getAttribute('data-id');
          if (id) select(`state/${id}`);
          else if (edge) select(`transition/${edge}`);
        }
      }}
    >
      <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
      <Controls showInteractive={false} position="bottom-left" />
    </ReactFlow>
  );
});
