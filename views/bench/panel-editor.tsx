'use client';
import { useDroppable } from '@dnd-kit/core';
import {
  Background,
  BackgroundVariant,
  NodeResizer,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  applyNodeChanges,
  type Node,
  type NodeChange,
  type NodeProps,
} from '@xyflow/react';
import {
  AlignCenterHorizontal,
  AlignCenterVertical,
  AlignEndHorizontal,
  AlignEndVertical,
  AlignHorizontalSpaceAround,
  AlignStartHorizontal,
  AlignStartVertical,
  AlignVerticalSpaceAround,
  ArrowLeft,
  Paintbrush,
  Plus,
  Scaling,
  Trash2,
} from 'lucide-react';
import { nanoid } from 'nanoid';
import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { arrange, grid, onGrid, type Arrangement, type Moves } from '@/core/panels/arrange';
import { proposeControl } from '@/core/panels/propose';
import { newControl, type Control, type ControlKind, type Panel, type Project } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { useChoice } from '@/store/choice';
import { removeChosen } from '@/ui/editing/commands';
import { useDrawingPoint } from '@/ui/editing/drawing-point';
import { focusName } from '@/ui/focus-name';
import { deleteWithImpact } from '@/ui/impact';
import { ControlView } from './control-view';

export const controlNames: Readonly<Record<ControlKind, string>> = {
  button: 'Button',
  switch: 'Switch',
  slider: 'Slider',
  field: 'Field',
  knob: 'Knob',
  readout: 'Readout',
  lamp: 'Lamp',
  dial: 'Dial',
  level: 'Level bar',
  chart: 'Mini chart',
  text: 'Text',
  picture: 'Picture',
  verdict: 'Verdict lamp',
};

type ControlNode = Node<{ readonly control: Control; readonly address: string }, 'control'>;

const ControlCard = memo(function ControlCard({ data, selected }: NodeProps<ControlNode>) {
  const { control: c } = data;
  return (
    <>
      <NodeResizer
        isVisible={selected}
        minWidth={32}
        minHeight={24}
        lineClassName="resize-line"
        handleClassName="resize-handle"
      />
      <div
        className={`panel-control arranged ${c.kind}${selected ? ' selected' : ''}`}
        data-control={c.label}
        data-element={data.address}
        data-kind={c.kind}
        inert
      >
        <ControlView control={c} live={false} />
      </div>
    </>
  );
});
const nodeTypes = { control: ControlCard };

const tools: readonly (readonly [Arrangement, string, typeof Scaling])[] = [
  ['left', 'Align the left edges', AlignStartVertical],
  ['centre', 'Align the middles, side to side', AlignCenterVertical],
  ['right', 'Align the right edges', AlignEndVertical],
  ['top', 'Align the upper edges', AlignStartHorizontal],
  ['middle', 'Align the middles, up and down', AlignCenterHorizontal],
  ['bottom', 'Align the lower edges', AlignEndHorizontal],
  ['across', 'Equal gaps across', AlignHorizontalSpaceAround],
  ['down', 'Equal gaps down', AlignVerticalSpaceAround],
  ['size', 'All as large as the first', Scaling],
  ['look', 'Give all the look of the first', Paintbrush],
];

export function PanelEditor(props: { readonly project: Project; readonly panel: Panel }) {
  return (
    <ReactFlowProvider key={props.panel.id}>
      <Editor {...props} />
    </ReactFlowProvider>
  );
}

/** A panel being built: names dropped on it become the control that suits them; controls move and grow on a grid. */
function Editor({ project, panel }: { readonly project: Project; readonly panel: Panel }) {
  const { edit } = useProject.getState();
  const { say, go } = usePlace.getState();

  const item = usePlace((s) => s.item);
  const flow = useReactFlow();
  useDrawingPoint(flow);
  const list = `panel/${panel.id}/control`;
  const addresses = useChoice((s) => s.addresses);
  const chosen = useMemo(() => {
    const own = addresses.flatMap((a) => (a.startsWith(`${list}/`) ? [a.slice(list.length + 1)] : []));
    return own.length > 0 ? own : item.startsWith('control/') ? [item.slice('control/'.length)] : [];
  }, [addresses, item, list]);
  const setChosen = (ids: readonly string[]): void => useChoice.getState().choose(ids.map((id) => `${list}/${id}`));
  const box = useRef<HTMLDivElement>(null);
  const freeSpot = (): { x: number; y: number } => ({
    x: 16,
    y: onGrid(Math.max(0, ...panel.controls.map((c) => c.y + c.height)) + 16),
  });
  const take = (name: string, point?: { x: number; y: number }): void => {
    const at = point ? flow.screenToFlowPosition(point) : freeSpot();
    const control = proposeControl(
      project,
      name,
      `n-${nanoid(8)}`,
      Math.max(0, onGrid(at.x)),
      Math.max(0, onGrid(at.y)),
    );
    if (!control) return say(`${name} is not something a panel can show or set`);
    const refused = edit({ kind: 'insert', list, entry: control }, `Add ${control.label} to ${panel.name}`);
    if (refused) say(refused.message);
    else setChosen([control.id]);
  };
  const { setNodeRef } = useDroppable({ id: 'panel-board', data: { take } });
  const add = (kind: ControlKind): void => {
    const { x, y } = freeSpot();
    const control = newControl(`n-${nanoid(8)}`, kind, controlNames[kind], '', x, y);
    edit({ kind: 'insert', list, entry: control }, `Add a ${controlNames[kind].toLowerCase()}`);
    setChosen([control.id]);
    focusName();
  };
  const wanted = useMemo(
    () =>
      panel.controls.map((c): ControlNode => ({
        id: c.id,
        type: 'control',
        position: { x: c.x, y: c.y },
        width: c.width,
        height: c.height,
        selected: chosen.includes(c.id),
        data: { control: c, address: `${list}/${c.id}` },
        ariaLabel: `${controlNames[c.kind]} ${c.label}`,
        deletable: false,
      })),
    [panel.controls, chosen, list],
  );
  const [moving, setMoving] = useState<ControlNode[]>();
  useEffect(() => setMoving(undefined), [wanted]);
  const nodes = moving ?? wanted;
  const put = useCallback(
    (moves: Moves, label: string): void => {
      if (moves.size === 0) return;
      const refused = useProject
        .getState()
        .edit({ kind: 'update-all', list, updates: [...moves].map(([id, changes]) => ({ id, changes })) }, label);
      if (refused) usePlace.getState().say(refused.message);
    },
    [list],
  );
  const changes = (all: NodeChange<ControlNode>[]): void => {
    const picks = all.filter((c) => c.type === 'select');
    if (picks.length > 0) {
      const next = [
        ...chosen.filter((id) => !picks.some((p) => p.id === id && !p.selected)),
        ...picks.filter((p) => p.selected && !chosen.includes(p.id)).map((p) => p.id),
      ];
      setChosen(next);
    }
    const shifts = all.filter((c) => c.type === 'position' || c.type === 'dimensions');
    if (shifts.length === 0) return;
    const after = applyNodeChanges(shifts, nodes);
    const settled =
      shifts.every((c) =>
        c.type === 'position' ? !c.dragging : c.type === 'dimensions' ? c.resizing === false : true,
      ) && shifts.some((c) => c.type === 'position' || (c.type === 'dimensions' && c.resizing === false));
    const moves = new Map(
      after.flatMap((n) => {
        const c = panel.controls.find((x) => x.id === n.id);
        if (!c) return [];
        const next = {
          x: Math.max(0, onGrid(n.position.x)),
          y: Math.max(0, onGrid(n.position.y)),
          width: onGrid(n.width ?? c.width),
          height: onGrid(n.height ?? c.height),
        };
        return next.x !== c.x || next.y !== c.y || next.width !== c.width || next.height !== c.height
          ? [[n.id, next] as const]
          : [];
      }),
    );
    if (!settled) setMoving(after);
    else if (moves.size > 0) put(moves, moves.size === 1 ? 'Move a control' : 'Move controls');
    else setMoving(undefined);
  };
  const ordered = chosen.flatMap((id) => panel.controls.find((c) => c.id === id) ?? []);
  const remove = (): void => {
    if (chosen.length === 0) return;
    removeChosen(
      project,
      chosen.map((id) => `${list}/${id}`),
    );
  };
  return (
    <>
      <div className="pane-head">
        <Button variant="bare" label="Back to the bench" onClick={() => go({ area: 'bench', sheet: '', item: '' })}>
          <ArrowLeft size={15} aria-hidden />
        </Button>
        <h2 style={{ flex: 'none', width: 150 }}>
          <CellField
            value={panel.name}
            label="Name of the panel"
            onCommit={(name) =>
              edit({ kind: 'update', list: 'panel', id: panel.id, changes: { name } }, `Rename ${panel.name}`)
            }
          />
        </h2>
        <Dropdown>
          <Dropdown.Toggle as={Button} data-testid="add-control" id="add-control">
            <Plus size={14} aria-hidden /> Control
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {(Object.keys(controlNames) as ControlKind[]).map((kind) => (
              <Dropdown.Item key={kind} onClick={() => add(kind)}>
                {controlNames[kind]}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
        <span className="d-flex" role="toolbar" aria-label="Arrange the chosen controls">
          {tools.map(([how, what, Icon]) => (
            <Button
              key={how}
              variant="bare"
              label={what}
              disabled={chosen.length < 2}
              onClick={() => put(arrange(ordered, how), what)}
            >
              <Icon size={15} aria-hidden />
            </Button>
          ))}
          <Button
            variant="bare"
            label="Delete the chosen controls (Delete)"
            disabled={chosen.length === 0}
            onClick={remove}
          >
            <Trash2 size={14} aria-hidden />
          </Button>
        </span>
        <span style={{ flex: 1 }} />
        <Button
          size="sm"
          onClick={() =>
            deleteWithImpact(
              `panel/${panel.id}`,
              { kind: 'remove', list: 'panel', id: panel.id },
              `Delete the panel ${panel.name}`,
              () => go({ area: 'bench', sheet: '' }),
            )
          }
        >
          Delete the panel
        </Button>
      </div>
      <div
        ref={(el) => {
          setNodeRef(el);
          box.current = el;
        }}
        style={{ flex: 1, minHeight: 0 }}
        className="panel-editor"
        data-testid="panel-editor"
      >
        <ReactFlow<ControlNode>
          nodes={nodes}
          edges={[]}
          nodeTypes={nodeTypes}
          onNodesChange={changes}
          snapToGrid
          snapGrid={[grid, grid]}
          selectionOnDrag
          panOnDrag={[1, 2]}
          panOnScroll
          zoomOnScroll={false}
          zoomOnPinch={false}
          zoomOnDoubleClick={false}
          minZoom={1}
          maxZoom={1}
          deleteKeyCode={null}
          multiSelectionKeyCode={['Shift', 'Meta', 'Control']}
          selectionKeyCode={null}
          defaultViewport={{ x: 12, y: 12, zoom: 1 }}
          proOptions={{ hideAttribution: true }}
          onPaneClick={() => setChosen([])}
        >
          <Background variant={BackgroundVariant.Dots} gap={grid * 2} size={1} color="var(--hair)" />
        </ReactFlow>
        {panel.controls.length === 0 && (
          <div className="empty panel-hint">
            <h3>An empty panel</h3>
            <p>
              Drag quantities, messages and states from the outline on the left, or requirements by their id: each
              becomes the control that suits it.
            </p>
          </div>
        )}
        {chosen.length > 1 && <div className="chosen-count quiet">{chosen.length} controls chosen</div>}
      </div>
    </>
  );
}
