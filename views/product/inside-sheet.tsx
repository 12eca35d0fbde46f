'use client';
import {
  Background, BackgroundVariant, BaseEdge, ConnectionMode, Controls, EdgeLabelRenderer, getSmoothStepPath, Handle, Position, ReactFlow, ReactFlowProvider, useReactFlow, useUpdateNodeInternals,
  type Connection, type Edge as FlowEdge, type EdgeProps, type Node, type NodeChange, type NodeProps, applyNodeChanges,
} from '@xyflow/react';
import { Sparkles } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useMemo, useState, type DragEvent } from 'react';
import * as Comlink from 'comlink';
import { linkConflict } from '@/core/run/check-links';
import { newPart, type Link, type Part, type PartType, type Port, type Project } from '@/core/project/project';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns, type RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { deleteWithImpact } from '@/ui/impact';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { showValue } from '@/ui/value-now';
import type { LayoutApi, LayoutGraph } from '@/workers/layout.worker';
import { allNames, freeName } from './names';

interface End {
  readonly path: string;
  readonly name: string;
  readonly kind: 'signal' | 'message';
  readonly value: string;
}
type PartNode = Node<{ readonly part: Part; readonly type: PartType | undefined; readonly left: readonly End[]; readonly right: readonly End[]; readonly state: string; readonly wrong: boolean; readonly address: string }, 'part'>;
type EdgeNode = Node<{ readonly name: string; readonly end: End; readonly gives: boolean }, 'edge'>;
type AnyNode = PartNode | EdgeNode;
type LinkEdge = FlowEdge<{ readonly link: Link; readonly kind: End['kind']; readonly moving: boolean; readonly wrong: boolean; readonly address: string }, 'link'>;

/** Ports that give something stand on the right, also those that do both. */
const onlyTakes = (p: Port): boolean => p.accepts.length > 0 && p.sends.length === 0;

const cardWidth = 210, headHeight = 44, rowHeight = 19;

function PartCard({ data, selected, id }: NodeProps<PartNode>) {
  const { part, type, left, right, state, wrong } = data;
  const update = useUpdateNodeInternals();
  useEffect(() => update(id), [id, left.length, right.length, update]);
  return (
    <LinkableBox address={data.address} className={`part-card${selected ? ' selected' : ''}`} data-part={part.name} style={wrong ? { borderColor: 'var(--bad)' } : undefined}>
      <div className="part-head">
        <strong>{part.name}</strong> <span className="type-tag">{type?.name ?? 'missing'}</span>
        <LinkCount address={data.address} />
        {state && <div className="part-state text-truncate" title={state}>{state}</div>}
      </div>
      <div className="part-ends">
        <div>
          {left.map((e, k) => (
            <div key={e.path} className="end" title={e.value ? `${e.path} = ${e.value}` : e.path}>
              {e.name}
              <Handle id={e.path} type="target" position={Position.Left} className={e.kind} style={{ top: headHeight + k * rowHeight + rowHeight / 2 }} />
            </div>
          ))}
        </div>
        <div className="text-end">
          {right.map((e, k) => (
            <div key={e.path} className="end" title={e.path}>
              {e.value && <span className="num quiet">{e.value} </span>}
              {e.name}
              <Handle id={e.path} type="source" position={Position.Right} className={e.kind} style={{ top: headHeight + k * rowHeight + rowHeight / 2 }} />
            </div>
          ))}
        </div>
      </div>
    </LinkableBox>
  );
}

/** An input or output of the type itself, at the border of its inside. */
function BorderEnd({ data }: NodeProps<EdgeNode>) {
  return (
    <div className={`border-end${data.gives ? '' : ' takes'}`}>
      {data.name}
      <Handle id={data.end.path} type={data.gives ? 'source' : 'target'} position={data.gives ? Position.Right : Position.Left} className={data.end.kind} />
    </div>
  );
}

function LinkLine({ id, sourceX, sourceY, targetX, targetY, data, selected }: EdgeProps<LinkEdge>) {
  const select = usePlace((s) => s.select);
  const [path, x, y] = getSmoothStepPath({ sourceX, sourceY, targetX, targetY, sourcePosition: Position.Right, targetPosition: Position.Left, borderRadius: 6, offset: 16 });
  if (!data) return null;
  const stroke = data.wrong ? 'var(--bad)' : selected ? 'var(--accent)' : data.moving ? 'var(--now)' : 'var(--ink-3)';
  return (
    <>
      <BaseEdge id={id} path={path} interactionWidth={12} className={data.moving ? 'moving' : ''} style={{ stroke, strokeWidth: selected ? 2.2 : 1.3, ...(data.kind === 'message' && !data.moving && { strokeDasharray: '6 4' }) }} />
      {(selected || data.moving) && (
        <EdgeLabelRenderer>
          <button type="button" className={`edge-label nodrag nopan${selected ? ' selected' : ''}${data.moving ? ' lit' : ''}`} style={{ transform: `translate(-50%, -50%) translate(${x}px, ${y}px)` }} onClick={() => select(`link/${data.link.id}`)}>
            {data.link.carries || 'a value'}
          </button>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

const nodeTypes = { part: PartCard, edge: BorderEnd };
const edgeTypes = { link: LinkLine };

export function InsideSheet(props: { readonly project: Project; readonly type: PartType; readonly path: string | undefined }) {
  return (
    <ReactFlowProvider>
      <Inside {...props} />
    </ReactFlowProvider>
  );
}

/** The inside of a part type: its parts as cards with their ports, and the links between them with what they carry. */
function Inside({ project, type, path }: { readonly project: Project; readonly type: PartType; readonly path: string | undefined }) {
  const { edit } = useProject.getState();
  const { select, say } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const version = useRuns((s) => s.version);
  const problems = useProject((s) => s.problems);
  const flow = useReactFlow();
  const [tidying, setTidying] = useState(false);
  const [moving, setMoving] = useState<AnyNode[]>();
  const wrong = useMemo(() => new Set(problemsAt(problems, `type/${type.id}`).filter((p) => p.severity === 'error').flatMap((p) => p.place?.split('/') ?? [])), [problems, type.id]);
  const automatic = useMemo(() => places(type), [type]);
  const nodes = useMemo(() => {
    const parts = type.parts.map((part): AnyNode => {
      const inner = project.types.find((t) => t.id === part.type);
      const full = fullName(path, part.name);
      const value = (name: string): string => (path === undefined ? '' : showValue(run, `${full}.${name}`, cursor));
      const end = (name: string, kind: End['kind']): End => ({ path: `${part.name}.${name}`, name, kind, value: kind === 'signal' ? value(name) : '' });
      const left = [...(inner?.quantities.filter((q) => q.role === 'input') ?? []).map((q) => end(q.name, 'signal')), ...(inner?.ports.filter(onlyTakes) ?? []).map((p) => end(p.name, 'message'))];
      const right = [...(inner?.quantities.filter((q) => q.role === 'output') ?? []).map((q) => end(q.name, 'signal')), ...(inner?.ports.filter((p) => !onlyTakes(p)) ?? []).map((p) => end(p.name, 'message'))];
      const state = path === undefined ? '' : (inner?.charts ?? []).map((c) => showValue(run, `${full}.${c.name}`, cursor)).filter(Boolean).map((s) => s.split('.').at(-1)).join(', ');
      return {
        id: part.id, type: 'part', position: part.place ?? automatic.get(part.id)!, width: cardWidth, height: headHeight + Math.max(left.length, right.length, 1) * rowHeight + 8, selected: item === `part/${part.id}`, deletable: false,
        data: { part, type: inner, left, right, state, wrong: wrong.has(part.id), address: `type/${type.id}/part/${part.id}` }, ariaLabel: `Part ${part.name}, a ${inner?.name ?? ''}`,
      };
    });
    const all = parts.map((n) => ({ ...n.position, width: n.width ?? 0, height: n.height ?? 0 }));
    const left = Math.min(0, ...all.map((b) => b.x)) - 150, right = Math.max(400, ...all.map((b) => b.x + b.width)) + 60;
    const border = (name: string, kind: End['kind'], gives: boolean, k: number): AnyNode => ({
      id: `border/${name}`, type: 'edge', position: { x: gives ? left : right, y: 10 + k * 34 }, data: { name, gives, end: { path: name, name, kind, value: '' } }, draggable: false, selectable: false, deletable: false,
    });
    const gives = [...type.quantities.filter((q) => q.role === 'input').map((q) => [q.name, 'signal'] as const), ...type.ports.filter(onlyTakes).map((p) => [p.name, 'message'] as const)];
    const takes = [...type.quantities.filter((q) => q.role === 'output').map((q) => [q.name, 'signal'] as const), ...type.ports.filter((p) => !onlyTakes(p)).map((p) => [p.name, 'message'] as const)];
    return [...parts, ...gives.map(([n, kind], k) => border(n, kind, true, k)), ...takes.map(([n, kind], k) => border(n, kind, false, k))];
    // values follow the cursor and the run
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [type, project.types, path, item, wrong, automatic, run?.model, version, cursor]);
  const lit = useMemo(() => movingLinks(type, path, run, cursor), [type, path, run, cursor, version]); // eslint-disable-line react-hooks/exhaustive-deps
  const edges = useMemo(() => type.links.flatMap((l): LinkEdge[] => {
    const nodeOf = (end: string): string | undefined => (end.includes('.') ? type.parts.find((p) => p.name === end.split('.')[0])?.id : `border/${end}`);
    const [source, target] = [nodeOf(l.from), nodeOf(l.to)];
    if (!source || !target) return [];
    const name = l.from.split('.').at(-1)!;
    const owner = l.from.includes('.') ? project.types.find((t) => t.id === type.parts.find((p) => p.name === l.from.split('.')[0])?.type) : type;
    const kind = owner?.ports.some((p) => p.name === name) ? 'message' : 'signal';
    return [{
      id: l.id, type: 'link', source, target, sourceHandle: l.from, targetHandle: l.to, selected: item === `link/${l.id}`, deletable: false, ariaLabel: `Link from ${l.from} to ${l.to}${l.carries ? `, carries ${l.carries}` : ''}`,
      data: { link: l, kind, moving: lit.has(l.id), wrong: wrong.has(l.id), address: `type/${type.id}/link/${l.id}` },
    }];
  }), [type, project.types, item, lit, wrong]);
  useEffect(() => {
    const timer = setTimeout(() => void flow.fitView({ padding: 0.05, maxZoom: 1.1 }), 60);
    return () => clearTimeout(timer);
  }, [flow, type.id, type.parts.length]);

  const changes = (list: NodeChange<AnyNode>[]): void => {
    const moves = list.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? nodes));
  };
  const stop = (_: unknown, node: AnyNode): void => {
    setMoving(undefined);
    const part = type.parts.find((p) => p.id === node.id);
    if (!part) return;
    const place = { x: Math.round(node.position.x), y: Math.round(node.position.y) };
    if (part.place?.x === place.x && part.place.y === place.y) return;
    edit({ kind: 'update', list: `types/${type.id}/parts`, id: part.id, changes: { place } }, `Move ${part.name}`);
  };
  const connect = (c: Connection): void => {
    if (!c.sourceHandle || !c.targetHandle) return;
    // a link may be drawn from either end
    const drawn: readonly [string, string] = [c.sourceHandle, c.targetHandle];
    const turned = linkConflict(project, type, ...drawn) !== undefined && linkConflict(project, type, drawn[1], drawn[0]) === undefined;
    const [from, to] = turned ? [drawn[1], drawn[0]] : drawn;
    const conflict = linkConflict(project, type, from, to) ?? (type.links.some((l) => l.from === from && l.to === to) ? 'This link is there already' : undefined);
    if (conflict) return say(conflict);
    const writer = type.links.find((l) => l.to === to);
    const isMessage = project.types.find((t) => t.id === type.parts.find((p) => p.name === to.split('.')[0])?.type)?.ports.some((p) => p.name === to.split('.')[1]);
    if (writer && !isMessage) return say(`${writer.from} writes ${to} already: two writers would fight over one signal`);
    const entry: Link = { id: `l-${nanoid(8)}`, from, to, carries: '' };
    const refused = edit({ kind: 'insert', list: `types/${type.id}/links`, entry }, `Link ${from} to ${to}`);
    if (refused) say(refused.message);
    else select(`link/${entry.id}`);
  };
  const tidy = async (): Promise<void> => {
    setTidying(true);
    const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    const api = Comlink.wrap<LayoutApi>(worker);
    try {
      const placed = await api.layout(layoutGraph(type, nodes));
      const edits = (placed.children ?? []).map((c) => ({ kind: 'update' as const, list: `types/${type.id}/parts`, id: c.id, changes: { place: { x: Math.round(c.x ?? 0), y: Math.round(c.y ?? 0) } } }));
      edit({ kind: 'batch', label: 'Tidy the inside', edits }, 'Tidy the inside');
    } catch {
      say('The inside could not be laid out');
    } finally {
      api[Comlink.releaseProxy]();
      worker.terminate();
      setTidying(false);
    }
  };
  const remove = (): void => {
    const [kind, id] = item.split('/');
    if (kind === 'part' || kind === 'link') deleteWithImpact(`type/${type.id}/${item}`, { kind: 'remove', list: `types/${type.id}/${kind}s`, id }, `Delete a ${kind}`, () => select(''));
  };
  const drop = (e: DragEvent): void => {
    const id = e.dataTransfer.getData('application/x-part-type');
    if (!id) return;
    e.preventDefault();
    const at = flow.screenToFlowPosition({ x: e.clientX - 60, y: e.clientY - 20 });
    addPart(id, at);
  };
  const addPart = (id: string, at: { x: number; y: number }): void => {
    const target = project.types.find((t) => t.id === id);
    const entry = { ...newPart(`p-${nanoid(8)}`, freeName(allNames(type), (target?.name ?? 'part').replace(/^./, (c) => c.toLowerCase())), id), place: { x: Math.round(at.x), y: Math.round(at.y) } };
    const refused = edit({ kind: 'insert', list: `types/${type.id}/parts`, entry }, `Add a part of type ${target?.name}`);
    if (refused) say(refused.message);
    else select(`part/${entry.id}`);
  };
  const usable = project.types.filter((t) => t.id !== type.id && !reaches(project, t, type.id));
  return (
    <div className="inside-sheet">
      <div className="type-tray" aria-label="Part types to make parts of">
        <span className="quiet">{usable.length > 0 ? 'Drag a type onto the inside:' : 'No other part type yet'}</span>
        {usable.map((t) => (
          <button key={t.id} type="button" className="tray-type" draggable onDragStart={(e) => e.dataTransfer.setData('application/x-part-type', t.id)} onDoubleClick={() => addPart(t.id, { x: 20, y: 20 })} onKeyDown={(e) => e.key === 'Enter' && addPart(t.id, { x: 20, y: 20 })} title={`${t.note || t.name}: drag it, or press Enter`}>
            <span className="type-tag">{t.name}</span>
          </button>
        ))}
        <span style={{ flex: 1 }} />
        <Button onClick={() => void tidy()} disabled={tidying || type.parts.length === 0}>
          <Sparkles size={14} aria-hidden /> {tidying ? 'Tidying …' : 'Tidy'}
        </Button>
      </div>
      <div style={{ flex: 1, minHeight: 0 }} className="inside-board" data-testid="inside" onDragOver={(e) => e.preventDefault()} onDrop={drop}>
        <ReactFlow<AnyNode, LinkEdge>
          nodes={moving ?? nodes} edges={edges} nodeTypes={nodeTypes} edgeTypes={edgeTypes} onNodesChange={changes} onNodeDragStop={stop} onConnect={connect} deleteKeyCode={null} minZoom={0.2} maxZoom={2} connectionRadius={22} connectionMode={ConnectionMode.Loose}
          onNodeClick={(_, n) => n.type === 'part' && select(`part/${n.id}`)} onNodeDoubleClick={(_, n) => n.type === 'part' && usePlace.getState().go({ area: 'product', part: fullName(path, n.data.part.name), type: '' })}
          onEdgeClick={(_, e) => select(`link/${e.id}`)} onPaneClick={() => select('')} proOptions={{ hideAttribution: true }} fitView fitViewOptions={{ padding: 0.05, maxZoom: 1.1 }} zoomOnDoubleClick={false}
          onKeyDown={(e) => { if ((e.key === 'Delete' || e.key === 'Backspace') && !(e.target instanceof HTMLInputElement)) remove(); }}
        >
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls showInteractive={false} position="bottom-left" />
        </ReactFlow>
        {type.parts.length === 0 && (
          <div className="empty">
            <h3>Nothing inside yet</h3>
            <p>{usable.length > 0 ? 'Drag a part type from the row above onto this sheet: it becomes a part.' : 'There is no other part type yet: “Part, of a new type” above makes one and a part of it.'} Then drag from a port on the right of one card to one on the left of another.</p>
          </div>
        )}
      </div>
    </div>
  );
}

const reaches = (project: Project, from: PartType, id: string, depth = 0): boolean =>
  depth < 30 && from.parts.some((p) => p.type === id || reaches(project, project.types.find((t) => t.id === p.type) ?? from, id, depth + 1));

/** Columns by how far a part is from the ones that only give. */
function places(type: PartType): Map<string, { x: number; y: number }> {
  const columns = Math.max(2, Math.ceil(Math.sqrt(type.parts.length)));
  return new Map(type.parts.map((p, k) => [p.id, { x: (k % columns) * 300, y: Math.floor(k / columns) * 190 }]));
}

const layoutGraph = (type: PartType, nodes: readonly AnyNode[]): LayoutGraph => ({
  id: 'inside', width: 0, height: 0,
  layoutOptions: { 'elk.algorithm': 'layered', 'elk.direction': 'RIGHT', 'elk.layered.spacing.nodeNodeBetweenLayers': '70', 'elk.spacing.nodeNode': '30', 'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES' },
  children: nodes.filter((n) => n.type === 'part').map((n) => ({ id: n.id, width: n.width ?? cardWidth, height: n.height ?? 80 })),
  edges: type.links.flatMap((l) => {
    const part = (end: string): string | undefined => type.parts.find((p) => p.name === end.split('.')[0] && end.includes('.'))?.id;
    const [a, b] = [part(l.from), part(l.to)];
    return a && b && a !== b ? [{ id: l.id, sources: [a], targets: [b] }] : [];
  }),
});

/** Links something is moving along at a time: a message that has just been sent, or a value that is not at rest. */
function movingLinks(type: PartType, path: string | undefined, run: RunView | undefined, cursor: number): ReadonlySet<string> {
  const found = new Set<string>();
  if (!run || path === undefined) return found;
  const window = Math.max(1e-9, run.stop * 0.015);
  const recent = run.data.messages.filter((m) => m.time <= cursor + 1e-12 && m.time >= cursor - window);
  for (const l of type.links) {
    const [from, to] = [fullName(path, l.from), fullName(path, l.to)];
    const [a, b] = [from.replace(/\.[^.]*$/, ''), to.replace(/\.[^.]*$/, '')];
    if (recent.some((m) => run.model.parts[m.sender] === a && m.receivers.some((r) => run.model.parts[r] === b))) found.add(l.id);
    const column = run.data.columns.get(from);
    if (column?.kind !== 'real' && column?.kind !== 'boolean') continue;
    const now = Number(showValue(run, from, cursor).replace(/[^\d.eE+-]/g, ''));
    const isOn = column.kind === 'boolean' ? showValue(run, from, cursor) === 'true' || showValue(run, from, cursor) === 'yes' : Math.abs(now) > 1e-6;
    if (isOn && run.status === 'running') found.add(l.id);
  }
  return found;
}
