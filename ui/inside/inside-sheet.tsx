'use client';
import {
  Background,
  BackgroundVariant,
  ConnectionMode,
  Controls,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  type Connection,
  type NodeChange,
  applyNodeChanges,
} from '@xyflow/react';
import { Sparkles, Tag } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useMemo, useState, type DragEvent } from 'react';
import * as Comlink from 'comlink';
import { projectLibrary } from '@/core/flatten/from-project';
import { catalogue } from '@/core/network/catalogue';
import { declarePart, eraseConnect, erasePart, writeConnect } from '@/core/network/edit-physics';
import { endAt, physicalConflict, readNetwork, splitEnd } from '@/core/network/read-network';
import { isInside } from '@/core/editing/references';
import { linkConflict, waysOf } from '@/core/run/check-links';
import { itemOf } from '@/core/project/items';
import type { Edit } from '@/core/project/edit';
import { newPart, type Link, type PartType, type Place, type Project } from '@/core/project/project';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { deleteWithImpact } from '@/ui/impact';
import { allNames, freeName } from '@/ui/names';
import { useRefit } from '@/ui/use-refit';
import type { LayoutApi } from '@/workers/layout.worker';
import { edgeTypes, nodeTypes } from './cards';
import {
  insideEdges,
  insideNodes,
  layoutGraph,
  movingLinks,
  type AnyNode,
  type GraphInput,
  type LinkEdge,
  type PartNode,
} from './inside-graph';
import { LibraryMenu } from './library-menu';

export function InsideSheet(props: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  return (
    <ReactFlowProvider>
      <Inside {...props} />
    </ReactFlowProvider>
  );
}

/** The inside of a part type: its parts as cards with their ports, and the links between them, from its document and its physics text. */
function Inside({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const { select, say, go } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const version = useRuns((s) => s.version);
  const problems = useProject((s) => s.problems);
  const flow = useReactFlow();
  const [tidying, setTidying] = useState(false);
  const [labelled, setLabelled] = useState(false);
  const [moving, setMoving] = useState<AnyNode[]>();
  const wrong = useMemo(
    () =>
      new Set(
        problemsAt(problems, `type/${type.id}`)
          .filter((p) => p.severity === 'error')
          .flatMap((p) => p.place?.split('/') ?? []),
      ),
    [problems, type.id],
  );
  const library = useMemo(() => projectLibrary(project).library, [project]);
  const whole = useMemo(() => readNetwork(library, type), [library, type]);
  // shapes have their own picture
  const network = useMemo(() => ({ ...whole, parts: whole.parts.filter((p) => !p.isShape) }), [whole]);
  const shapes = whole.parts.length - network.parts.length;
  const entries = useMemo(() => catalogue(library), [library]);
  const graph = useMemo(
    (): GraphInput => ({
      type,
      network,
      path,
      run,
      cursor,
      item,
      wrong,
      labelled,
      carriedBy: (l) => ({ name: itemOf(project, l)?.name ?? '', ...waysOf(project, type, l) }),
      chartsOf: (name) => project.types.find((t) => t.name === name)?.charts.map((c) => c.name) ?? [],
      // values follow the cursor and the run
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [type, network, path, item, wrong, labelled, project.types, project.items, run?.model, version, cursor],
  );
  const nodes = useMemo(() => insideNodes(graph), [graph]);
  const lit = useMemo(() => movingLinks(type, path, run, cursor), [type, path, run, cursor, version]); // eslint-disable-line react-hooks/exhaustive-deps
  const edges = useMemo(() => insideEdges(graph, lit), [graph, lit]);
  useEffect(() => {
    const timer = setTimeout(() => void flow.fitView({ padding: 0.05, maxZoom: 1.1 }), 60);
    return () => clearTimeout(timer);
  }, [flow, type.id, network.parts.length]);
  const board = useRefit();

  const list = `type/${type.id}`;
  const tryEdit = (change: Edit, label: string, then?: () => void): void => {
    const refused = edit(change, label);
    if (refused) say(refused.message);
    else then?.();
  };
  const write = (physics: string, label: string, then?: () => void): void => {
    if (physics !== type.physics)
      tryEdit({ kind: 'update', list: 'type', id: type.id, changes: { physics } }, label, then);
  };
  const placeEdits = (node: PartNode, place: Place): Edit =>
    node.data.network.part
      ? { kind: 'update', list: `${list}/part`, id: node.id, changes: { place } }
      : {
          kind: 'update',
          list: 'type',
          id: type.id,
          changes: {
            layout: [
              ...type.layout.filter((p) => p.name !== node.data.network.name),
              { name: node.data.network.name, ...place },
            ],
          },
        };
  const changes = (changed: NodeChange<AnyNode>[]): void => {
    const moves = changed.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? nodes));
  };
  const stop = (_: unknown, node: AnyNode): void => {
    setMoving(undefined);
    const before = nodes.find((n) => n.id === node.id);
    if (node.type !== 'part' || !before) return;
    const place = { x: Math.round(node.position.x), y: Math.round(node.position.y) };
    if (before.position.x !== place.x || before.position.y !== place.y)
      edit(placeEdits(node, place), `Move ${node.data.network.name}`);
  };
  const connect = (c: Connection): void => {
    if (!c.sourceHandle || !c.targetHandle) return;
    const drawn: readonly [string, string] = [c.sourceHandle, c.targetHandle];
    if (drawn.some((e) => endAt(network, e)?.kind === 'physical')) return connectPhysical(...drawn);
    const declared = drawn.find((e) => network.parts.some((p) => !p.part && p.name === splitEnd(e).part));
    // a signal of a part that the text declares is an equation of the text
    if (declared) return connectSignal(...drawn);
    // a link may be drawn from either end
    const turned =
      linkConflict(project, type, ...drawn) !== undefined &&
      linkConflict(project, type, drawn[1], drawn[0]) === undefined;
    const [from, to] = turned ? [drawn[1], drawn[0]] : drawn;
    const conflict =
      linkConflict(project, type, from, to) ??
      (type.links.some((l) => l.from === from && l.to === to) ? 'This link is there already' : undefined);
    if (conflict) return say(conflict);
    const writer = type.links.find((l) => l.to === to);
    if (writer && endAt(network, to)?.kind !== 'message')
      return say(`${writer.from} writes ${to} already: two writers would fight over one signal`);
    const entry: Link = { id: `l-${nanoid(8)}`, from, to, carries: '' };
    tryEdit({ kind: 'insert', list: `${list}/link`, entry }, `Link ${from} to ${to}`, () => select(`link/${entry.id}`));
  };
  /** The card or line that has the keyboard is chosen as with the mouse. */
  const chooseFocused = (): void => {
    const at = document.activeElement?.closest('.react-flow__node, .react-flow__edge')?.getAttribute('data-id');
    const node = nodes.find((n) => n.id === at),
      line = edges.find((x) => x.id === at);
    if (node?.type === 'part') select(node.data.item);
    else if (line?.data) select(line.data.item);
  };
  const label = (): void => {
    setLabelled(!labelled);
    // labels stand outside the cards at the borders
    const x = labelled ? '3%' : '76px';
    setTimeout(
      () => void flow.fitView({ padding: { left: '4%', right: x, top: '5%', bottom: '5%' }, maxZoom: 1.1 }),
      60,
    );
  };
  const withIndex = (end: string): string => {
    const { part } = splitEnd(end);
    return network.parts.find((p) => p.name === part)?.dimensions ? end.replace(part, `${part}[1]`) : end;
  };
  const connectPhysical = (a: string, b: string): void => {
    const conflict = physicalConflict(network, a, b);
    if (conflict) return say(conflict);
    const [x, y] = [withIndex(a), withIndex(b)];
    write(writeConnect(type.physics, x, y), `Link ${x} to ${y}`, () => select(`connect/${x}|${y}`));
    if (x !== a || y !== b) say(`The first element was linked: change the index in the physics text`, 'note');
  };
  const connectSignal = (a: string, b: string): void => {
    const gives = (e: string): boolean =>
      splitEnd(e).part === '' ? !endAt(network, e)?.gives : endAt(network, e)?.gives === true;
    const [from, to] = gives(a) ? [a, b] : [b, a];
    if (!gives(from) || gives(to) || endAt(network, from)?.kind !== 'signal' || endAt(network, to)?.kind !== 'signal')
      return say(`${a} and ${b} do not fit: a value goes from an output to an input`);
    write(writeConnect(type.physics, withIndex(from), withIndex(to)), `Link ${from} to ${to}`);
  };
  const tidy = async (): Promise<void> => {
    setTidying(true);
    const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    const api = Comlink.wrap<LayoutApi>(worker);
    try {
      const placed = await api.layout(layoutGraph(nodes, edges));
      const at = new Map(
        (placed.children ?? []).map((c) => [c.id, { x: Math.round(c.x ?? 0), y: Math.round(c.y ?? 0) }]),
      );
      const ofText = nodes.flatMap((n) =>
        n.type === 'part' && !n.data.network.part && at.has(n.id)
          ? [{ name: n.data.network.name, ...at.get(n.id)! }]
          : [],
      );
      const edits: Edit[] = type.parts.flatMap((p): Edit[] =>
        at.has(p.id) ? [{ kind: 'update', list: `${list}/part`, id: p.id, changes: { place: at.get(p.id) } }] : [],
      );
      edit(
        {
          kind: 'batch',
          label: 'Tidy the inside',
          edits: [...edits, { kind: 'update', list: 'type', id: type.id, changes: { layout: ofText } }],
        },
        'Tidy the inside',
      );
      setTimeout(() => void flow.fitView({ padding: 0.05, maxZoom: 1.1 }), 60);
    } catch {
      say('The inside could not be laid out');
    } finally {
      api[Comlink.releaseProxy]();
      worker.terminate();
      setTidying(false);
    }
  };
  const remove = (): void => {
    const [kind, ...rest] = item.split('/');
    const id = rest.join('/');
    if (kind === 'part' || kind === 'link')
      deleteWithImpact(
        `type/${type.id}/${item}`,
        { kind: 'remove', list: `${list}/${kind}`, id },
        `Delete a ${kind}`,
        () => select(''),
      );
    if (kind === 'declared')
      tryEdit(
        {
          kind: 'update',
          list: 'type',
          id: type.id,
          changes: { physics: erasePart(type.physics, id), layout: type.layout.filter((p) => p.name !== id) },
        },
        `Delete ${id}`,
        () => select(''),
      );
    if (kind === 'connect') {
      const [a, b] = id.split('|');
      write(eraseConnect(type.physics, a, b), `Unlink ${a} and ${b}`, () => select(''));
    }
  };
  const drop = (e: DragEvent): void => {
    const [id, className] = [
      e.dataTransfer.getData('application/x-part-type'),
      e.dataTransfer.getData('application/x-class'),
    ];
    if (!id && !className) return;
    e.preventDefault();
    const at = flow.screenToFlowPosition({ x: e.clientX - 60, y: e.clientY - 20 });
    if (id) addPart(id, at);
    else declare(className, at);
  };
  const taken = [...allNames(type), ...whole.parts.map((p) => p.name)];
  const lowerFirst = (name: string): string => name.replace(/^./, (c) => c.toLowerCase());
  const addPart = (id: string, at: Place): void => {
    const target = project.types.find((t) => t.id === id);
    const entry = {
      ...newPart(`p-${nanoid(8)}`, freeName(taken, lowerFirst(target?.name ?? 'part')), id),
      place: { x: Math.round(at.x), y: Math.round(at.y) },
    };
    tryEdit({ kind: 'insert', list: `${list}/part`, entry }, `Add a part of type ${target?.name}`, () =>
      select(`part/${entry.id}`),
    );
  };
  const declare = (className: string, at?: Place): void => {
    const name = freeName(taken, lowerFirst(className.split('.').at(-1)!));
    const place = at ?? {
      x: Math.max(0, ...nodes.filter((n) => n.type === 'part').map((n) => n.position.x)),
      y: Math.max(-150, ...nodes.filter((n) => n.type === 'part').map((n) => n.position.y + (n.height ?? 100))) + 30,
    };
    const isShape = className.startsWith('Shapes.');
    const layout = isShape ? type.layout : [...type.layout, { name, x: Math.round(place.x), y: Math.round(place.y) }];
    tryEdit(
      {
        kind: 'update',
        list: 'type',
        id: type.id,
        changes: { physics: declarePart(type.physics, className, name), layout },
      },
      `Add ${name}`,
      () => select(`declared/${name}`),
    );
  };
  const enter = (node: AnyNode): void => {
    if (node.type !== 'part') return;
    const { network: p } = node.data;
    const target = project.types.find((t) => t.name === p.typeName);
    if (target)
      go({
        area: 'product',
        part: p.part ? fullName(path, p.name) : '',
        type: p.part ? '' : target.id,
        sheet: 'inside',
      });
    else select(node.data.item);
  };
  const usable = project.types.filter((t) => t.id !== type.id && !isInside(project, type.id, t));
  return (
    <div className="inside-sheet">
      <div className="type-tray" aria-label="Part types to make parts of">
        <LibraryMenu entries={entries} onChoose={(e) => declare(e.name)} />
        <Button onClick={() => void tidy()} disabled={tidying || network.parts.length === 0}>
          <Sparkles size={14} aria-hidden /> {tidying ? 'Tidying …' : 'Tidy'}
        </Button>
        {type.links.some((l) => l.carries !== '') && (
          <Button
            className={labelled ? 'active' : ''}
            aria-pressed={labelled}
            onClick={label}
            title="Say on every link what it carries"
          >
            <Tag size={14} aria-hidden /> Items
          </Button>
        )}
        {shapes > 0 && (
          <button
            type="button"
            className="btn btn-link p-0 ms-2"
            style={{ fontSize: 12.5 }}
            onClick={() => go({ area: 'product', sheet: 'motion', item: '' })}
          >
            {shapes} shape{shapes === 1 ? '' : 's'}
          </button>
        )}
        <span className="quiet ms-2">{usable.length > 0 ? 'Types to drag:' : 'No other part type yet'}</span>
        {usable.map((t) => (
          <button
            key={t.id}
            type="button"
            className="tray-type"
            draggable
            onDragStart={(e) => e.dataTransfer.setData('application/x-part-type', t.id)}
            onDoubleClick={() => addPart(t.id, { x: 20, y: 20 })}
            onKeyDown={(e) => e.key === 'Enter' && addPart(t.id, { x: 20, y: 20 })}
            title={`${t.note || t.name}: drag it, or press Enter`}
          >
            <span className="type-tag">{t.name}</span>
          </button>
        ))}
      </div>
      <div
        style={{ flex: 1, minHeight: 0 }}
        className="inside-board"
        ref={board}
        data-testid="inside"
        onDragOver={(e) => e.preventDefault()}
        onDrop={drop}
      >
        <ReactFlow<AnyNode, LinkEdge>
          nodes={moving ?? nodes}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={changes}
          onNodeDragStop={stop}
          onConnect={connect}
          deleteKeyCode={null}
          minZoom={0.2}
          maxZoom={2}
          connectionRadius={22}
          connectionMode={ConnectionMode.Loose}
          onNodeClick={(_, n) => n.type === 'part' && select(n.data.item)}
          onNodeDoubleClick={(_, n) => enter(n)}
          onEdgeClick={(_, e) => e.data && select(e.data.item)}
          onPaneClick={() => select('')}
          proOptions={{ hideAttribution: true }}
          fitView
          fitViewOptions={{ padding: 0.05, maxZoom: 1.1 }}
          zoomOnDoubleClick={false}
          onKeyDown={(e) => {
            if (e.target instanceof HTMLInputElement) return;
            if (e.key === 'Delete' || e.key === 'Backspace') remove();
            if (e.key === 'Enter') chooseFocused();
          }}
        >
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls showInteractive={false} position="bottom-left" />
        </ReactFlow>
        {network.parts.length === 0 && (
          <div className="empty">
            <h3>Nothing inside yet</h3>
            <p>
              Choose a resistor, a gear or a tank in the library,{' '}
              {usable.length > 0
                ? 'or drag a part type from the row above onto this sheet: it becomes a part'
                : 'or make a part type of your own in Product, with “Part, of a new type”'}
              . Then drag from port to port.
            </p>
          </div>
        )}
      </div>
    </div>
  );
}
