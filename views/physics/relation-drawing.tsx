'use client';
import {
  Background,
  BackgroundVariant,
  Controls,
  Handle,
  Position,
  ReactFlow,
  ReactFlowProvider,
  applyNodeChanges,
  type Edge,
  type Node,
  type NodeChange,
  type NodeProps,
} from '@xyflow/react';
import * as Comlink from 'comlink';
import { Lock } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import type { SheetResult } from '@/core/relations/solve-sheet';
import type { RelationSheet } from '@/core/project/project';
import { formatNumber, withUnit } from '@/ui/format';
import { Overview } from '@/ui/drawing/overview';
import { leastZoom, useShowWhole } from '@/ui/drawing/show-whole';
import { useRefit } from '@/ui/drawing/use-refit';
import type { LayoutApi } from '@/workers/layout.worker';

type QuantityNode = Node<
  { readonly name: string; readonly value: string; readonly state: string; readonly selected: boolean },
  'quantity'
>;
type RelationNode = Node<{ readonly text: string; readonly state: string; readonly selected: boolean }, 'relation'>;
type AnyNode = QuantityNode | RelationNode;

function QuantityPill({ data }: NodeProps<QuantityNode>) {
  return (
    <div
      className={`relation-quantity ${data.state}${data.selected ? ' selected' : ''}`}
      title={`${data.name}: ${stateWords[data.state]}`}
    >
      <Handle type="target" position={Position.Top} isConnectable={false} />
      {data.state === 'given' && <Lock size={10} aria-label="known" />}
      <span className="mono">{data.name}</span>
      <span className="num">{data.value || (data.state === 'open' ? 'open' : '–')}</span>
      <Handle type="source" position={Position.Bottom} isConnectable={false} />
    </div>
  );
}

function RelationCard({ data }: NodeProps<RelationNode>) {
  return (
    <div className={`relation-card ${data.state}${data.selected ? ' selected' : ''}`} title={data.text}>
      <Handle type="target" position={Position.Top} isConnectable={false} />
      <span className="mono">{data.text}</span>
      <Handle type="source" position={Position.Bottom} isConnectable={false} />
    </div>
  );
}

const stateWords: Readonly<Record<string, string>> = {
  given: 'known',
  found: 'found by the sheet',
  open: 'nothing gives it yet',
  failed: 'no value satisfies its relations',
};
const nodeTypes = { quantity: QuantityPill, relation: RelationCard };

interface Props {
  readonly sheet: RelationSheet;
  readonly result: SheetResult;
  readonly selected: string;
  readonly onSelect: (item: string) => void;
  readonly onMove: (name: string, x: number, y: number) => void;
}

/** Relations and their quantities as a network, in the direction in which it is solved. */
export function RelationDrawing(props: Props) {
  return (
    <ReactFlowProvider>
      <Drawing {...props} />
    </ReactFlowProvider>
  );
}

const sizeOf = (text: string, least: number): number => Math.max(least, 22 + text.length * 6.4);

function Drawing({ sheet, result, selected, onSelect, onMove }: Props) {
  const show = useShowWhole(0.06);
  const host = useRefit(0.06);
  const [placed, setPlaced] = useState<ReadonlyMap<string, { x: number; y: number }>>(new Map());
  const [moving, setMoving] = useState<AnyNode[]>();
  const drawn = useMemo(() => {
    const texts = new Map(sheet.relations.map((r) => [r.id, r.text]));
    const quantities = result.quantities.map((q) => ({
      id: `quantity/${q.name}`,
      name: q.name,
      state: q.state,
      value: q.value === undefined ? '' : withUnit(formatNumber(q.value), q.unit),
    }));
    const relations = result.relations
      .filter((r) => r.state !== 'unread')
      .map((r) => ({ id: `relation/${r.id}`, text: texts.get(r.id) ?? r.id, state: r.state }));
    const edges = result.relations
      .filter((r) => r.state !== 'unread')
      .flatMap((r): Edge[] =>
        r.names.map((name) => {
          const gives = r.gives.includes(name);
          return {
            id: `${r.id} ${name}`,
            source: gives ? `relation/${r.id}` : `quantity/${name}`,
            target: gives ? `quantity/${name}` : `relation/${r.id}`,
            type: 'straight',
            selectable: false,
            style: {
              stroke: r.state === 'contradicts' || r.state === 'fails' ? 'var(--bad)' : 'var(--ink-3)',
              strokeWidth: gives ? 1.8 : 1,
              ...(r.state === 'waits' && { strokeDasharray: '4 4' }),
            },
          };
        }),
      );
    return { quantities, relations, edges };
  }, [sheet.relations, result]);
  const shape =
    drawn.edges.map((e) => `${e.source}>${e.target}`).join() + drawn.relations.map((r) => r.text.length).join();
  useEffect(() => {
    let wanted = true;
    const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    const api = Comlink.wrap<LayoutApi>(worker);
    const timer = setTimeout(
      () =>
        void api
          .layout({
            id: 'relations',
            width: 0,
            height: 0,
            layoutOptions: {
              'elk.algorithm': 'layered',
              'elk.direction': 'DOWN',
              'elk.spacing.nodeNode': '16',
              'elk.layered.spacing.nodeNodeBetweenLayers': '26',
            },
            children: [
              ...drawn.quantities.map((q) => ({ id: q.id, width: sizeOf(`${q.name}  ${q.value}`, 90), height: 24 })),
              ...drawn.relations.map((r) => ({ id: r.id, width: sizeOf(r.text, 80), height: 28 })),
            ],
            edges: drawn.edges.map((e) => ({ id: e.id, sources: [e.source], targets: [e.target] })),
          })
          .then((g) => {
            if (!wanted) return;
            setPlaced(new Map((g.children ?? []).map((c) => [c.id, { x: c.x ?? 0, y: c.y ?? 0 }])));
            setTimeout(show, 60);
          })
          .catch(() => undefined),
      120,
    );
    return () => {
      wanted = false;
      clearTimeout(timer);
      api[Comlink.releaseProxy]();
      worker.terminate();
    };
    // another direction or another relation is another drawing; other values are not
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shape, show]);
  const kept = useMemo(() => new Map(sheet.layout.map((p) => [p.name, p])), [sheet.layout]);
  const nodes = useMemo(() => {
    const at = (id: string, k: number) =>
      kept.get(id.replace(/^\w+\//, '')) ?? placed.get(id) ?? { x: (k % 4) * 160, y: Math.floor(k / 4) * 44 };
    return [
      ...drawn.quantities.map((q, k): AnyNode => ({
        id: q.id,
        type: 'quantity',
        position: at(q.id, k),
        data: { ...q, selected: selected === q.id },
      })),
      ...drawn.relations.map((r, k): AnyNode => ({
        id: r.id,
        type: 'relation',
        position: at(r.id, k + drawn.quantities.length),
        data: { ...r, selected: selected === r.id },
      })),
    ].map((n) => ({ ...n, deletable: false, connectable: false }));
  }, [drawn, placed, kept, selected]);
  const changes = (list: NodeChange<AnyNode>[]): void => {
    const moves = list.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? nodes));
  };
  return (
    <div ref={host} style={{ width: '100%', height: '100%', minHeight: 0 }}>
      <ReactFlow<AnyNode>
        nodes={moving ?? nodes}
        edges={drawn.edges}
        nodeTypes={nodeTypes}
        onNodesChange={changes}
        onNodeDragStop={(_, n) => {
          setMoving(undefined);
          onMove(n.id.replace(/^\w+\//, ''), Math.round(n.position.x), Math.round(n.position.y));
        }}
        onNodeClick={(_, n) => onSelect(n.id)}
        onPaneClick={() => onSelect('')}
        deleteKeyCode={null}
        minZoom={0.2}
        maxZoom={2}
        proOptions={{ hideAttribution: true }}
        zoomOnDoubleClick={false}
        panOnScroll
        zoomOnScroll={false}
      >
        <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
        <Controls
          orientation="horizontal"
          showInteractive={false}
          position="bottom-left"
          fitViewOptions={{ padding: 0.06, maxZoom: 1.1, minZoom: leastZoom }}
        />
        <Overview />
      </ReactFlow>
    </div>
  );
}
