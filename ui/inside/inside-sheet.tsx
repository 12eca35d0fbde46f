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
import { useEffect, useMemo, useRef, useState, type DragEvent } from 'react';
import * as Comlink from 'comlink';
import { projectLibrary } from '@/core/flatten/from-project';
import { catalogue } from '@/core/network/catalogue';
import { readNetwork } from '@/core/network/read-network';
import { waysOf } from '@/core/run/check-links';
import { itemOf } from '@/core/project/items';
import type { PartType, Place, Project } from '@/core/project/project';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { pick, useChoice } from '@/store/choice';
import { useBoxedChoice } from '@/ui/editing/boxed-choice';
import { useDrawingPoint } from '@/ui/editing/drawing-point';
import { Overview } from '@/ui/drawing/overview';
import { leastZoom, useShowWhole } from '@/ui/drawing/show-whole';
import { useHandler } from '@/ui/use-handler';
import { useRefit } from '@/ui/drawing/use-refit';
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
import {
  addDeclared,
  addPart,
  linkEnds,
  moveParts,
  placeAll,
  usableTypes,
  type Inside as InsideOfType,
  type InsideChange,
} from './inside-edits';
import { LibraryMenu } from './library-menu';

const multiKeys = ['Control', 'Meta', 'Shift'];
const alone: readonly string[] = [];

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
  const showWhole = useShowWhole();
  const show = useHandler((): void => showWhole(item.startsWith('part/') ? item.slice(5) : item || undefined));
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
  const others = useChoice((s) => (s.addresses.length > 1 ? s.addresses : alone));
  const graph = useMemo(
    (): GraphInput => ({
      type,
      network,
      path,
      run,
      cursor,
      item,
      others,
      wrong,
      labelled,
      carriedBy: (l) => ({ name: itemOf(project, l)?.name ?? '', ...waysOf(project, type, l) }),
      chartsOf: (name) => project.types.find((t) => t.name === name)?.charts.map((c) => c.name) ?? [],
      // values follow the cursor and the run
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [type, network, path, item, others, wrong, labelled, project.types, project.items, run?.model, version, cursor],
  );
  const nodes = useMemo(() => insideNodes(graph), [graph]);
  const lit = useMemo(() => movingLinks(type, path, run, cursor), [type, path, run, cursor, version]); // eslint-disable-line react-hooks/exhaustive-deps
  const edges = useMemo(() => insideEdges(graph, lit), [graph, lit]);
  // something new is brought into sight; the view never moves because something went
  const shown = useRef({ type: '', count: 0 });
  useEffect(() => {
    const before = shown.current;
    shown.current = { type: type.id, count: network.parts.length };
    if (before.type === type.id && network.parts.length <= before.count) return;
    const timer = setTimeout(show, 60);
    return () => clearTimeout(timer);
  }, [show, type.id, network.parts.length]);
  const board = useRefit();

  const inside: InsideOfType = { project, type, network: whole };
  const carryOut = (change: InsideChange | undefined): void => {
    if (!change) return;
    if ('refused' in change) return say(change.refused);
    const refused = edit(change.edit, change.label);
    if (refused) return say(refused.message);
    if (change.chosen !== undefined) select(change.chosen);
    if (change.note !== undefined) say(change.note, 'note');
  };
  const boxed = useBoxedChoice((id) => `type/${type.id}/${id.startsWith('declared/') ? id : `part/${id}`}`);
  const together = (e: React.MouseEvent, own: string): void =>
    pick(project, `type/${type.id}/${own}`, { shiftKey: false, ctrlKey: e.ctrlKey || e.shiftKey, metaKey: e.metaKey });
  useDrawingPoint(flow);
  const changes = (changed: NodeChange<AnyNode>[]): void => {
    boxed.changes(changed as never);
    const moves = changed.filter((c) => c.type === 'position' && c.dragging);
    if (moves.length > 0) setMoving((m) => applyNodeChanges(moves, m ?? nodes));
  };
  const stop = (_: unknown, node: AnyNode, all: AnyNode[] = [node]): void => {
    setMoving(undefined);
    const moved = all.filter((n) => {
      const before = nodes.find((x) => x.id === n.id);
      return n.type === 'part' && before && (before.position.x !== n.position.x || before.position.y !== n.position.y);
    }) as PartNode[];
    if (moved.length > 0)
      carryOut(
        moveParts(
          inside,
          moved.map((n) => ({ name: n.data.network.name, partId: n.data.network.part && n.id, at: n.position })),
        ),
      );
  };
  const connect = (c: Connection): void => {
    if (c.sourceHandle && c.targetHandle) carryOut(linkEnds(inside, c.sourceHandle, c.targetHandle, () => nanoid(8)));
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
      () =>
        void flow.fitView({
          padding: { left: '4%', right: x, top: '5%', bottom: '5%' },
          maxZoom: 1.1,
          minZoom: leastZoom,
        }),
      60,
    );
  };
  const tidy = async (): Promise<void> => {
    setTidying(true);
    const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    const api = Comlink.wrap<LayoutApi>(worker);
    try {
      const placed = await api.layout(layoutGraph(nodes, edges));
      const at = new Map((placed.children ?? []).map((c) => [c.id, { x: c.x ?? 0, y: c.y ?? 0 }]));
      const declared = nodes.flatMap((n) => {
        const place = at.get(n.id);
        return n.type === 'part' && !n.data.network.part && place ? [[n.data.network.name, place] as const] : [];
      });
      carryOut(placeAll(inside, at, new Map(declared)));
      setTimeout(show, 60);
    } catch {
      say('The inside could not be laid out');
    } finally {
      api[Comlink.releaseProxy]();
      worker.terminate();
      setTidying(false);
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
    if (id) add(id, at);
    else declare(className, at);
  };
  const add = (id: string, at: Place): void => carryOut(addPart(inside, id, at, () => nanoid(8)));
  /** Below what is there, where no place is given. */
  const declare = (className: string, at?: Place): void => {
    const cards = nodes.filter((n) => n.type === 'part');
    const below = {
      x: Math.max(0, ...cards.map((n) => n.position.x)),
      y: Math.max(-150, ...cards.map((n) => n.position.y + (n.height ?? 100))) + 30,
    };
    carryOut(addDeclared(inside, className, at ?? below));
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
  const usable = usableTypes(inside);
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
            onDoubleClick={() => add(t.id, { x: 20, y: 20 })}
            onKeyDown={(e) => e.key === 'Enter' && add(t.id, { x: 20, y: 20 })}
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
          onNodeClick={(e, n) => n.type === 'part' && together(e, n.data.item)}
          onNodeDoubleClick={(_, n) => enter(n)}
          onEdgeClick={(e, line) => line.data && together(e, line.data.item)}
          onPaneClick={() => useChoice.getState().choose([])}
          onNodeDragStart={boxed.dragStart}
          onSelectionStart={boxed.start}
          onSelectionEnd={boxed.end}
          onSelectionDragStop={(e, all) => all[0] && stop(e, all[0], all)}
          multiSelectionKeyCode={multiKeys}
          proOptions={{ hideAttribution: true }}
          zoomOnDoubleClick={false}
          panOnScroll
          zoomOnScroll={false}
          onKeyDown={(e) => {
            if (e.target instanceof HTMLInputElement) return;
            if (e.key === 'Enter') chooseFocused();
          }}
        >
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls
            orientation="horizontal"
            showInteractive={false}
            position="bottom-left"
            fitViewOptions={{ padding: 0.05, maxZoom: 1.1, minZoom: leastZoom }}
          />
          <Overview />
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
