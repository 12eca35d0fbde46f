'use client';
import { ArrowDown, ArrowUp, GitBranch, Minus, Plus, Route, Split, SquareDashed, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useRef, useState, type PointerEvent } from 'react';
import {
  addBranch,
  insertAfter,
  insertBefore,
  moveBlock,
  removeBlock,
  shiftBlock,
  wrapBlock,
} from '@/core/flows/edit-flow';
import type { FlowArrow, FlowBox, FlowLayout } from '@/core/flows/layout';
import type { FlowProblem } from '@/core/flows/read-flow';
import { readActor, readLine } from '@/core/lines/flow-line';
import type { Edit } from '@/core/project/edit';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '../button';
import { leastZoom } from '../drawing/show-whole';
import { LinkableBox, LinkCount } from '../linkable';
import type { StepHolder } from './step-holder';

const newId = (): string => `z-${nanoid(6)}`;

/** The drawing of a flow or procedure. Cards can be chosen, renamed, moved onto arrows and wrapped; the lines follow. */
export function StepDrawing({
  flow,
  layout,
  problems,
}: {
  readonly flow: StepHolder;
  readonly layout: FlowLayout;
  readonly problems: readonly FlowProblem[];
}) {
  const item = usePlace((s) => s.item);
  const { select, say } = usePlace.getState();
  const box = useRef<HTMLDivElement>(null);
  const [zoom, setZoom] = useState<number>();
  const [room, setRoom] = useState(600);
  const [renaming, setRenaming] = useState('');
  const [drag, setDrag] = useState<{
    readonly line: string;
    readonly x: number;
    readonly y: number;
    readonly moved: boolean;
  }>();
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const observer = new ResizeObserver(() => setRoom(el.clientWidth));
    observer.observe(el);
    return () => observer.disconnect();
  }, []);
  const scale = zoom ?? Math.max(leastZoom, Math.min(1, (room - 8) / layout.width));
  const run = (edit: Edit | undefined, label: string): void => {
    if (!edit) return say('It cannot be moved there', 'note');
    const refused = useProject.getState().edit(edit, label);
    if (refused) say(refused.message);
  };
  const chosen = flow.lines.find((l) => `line/${l.id}` === item);
  const target = drag?.moved ? nearestArrow(layout.arrows, drag.x, drag.y) : undefined;
  const at = (e: PointerEvent): { x: number; y: number } => {
    const rect = box.current!.querySelector('.flow-canvas')!.getBoundingClientRect();
    return { x: (e.clientX - rect.left) / scale, y: (e.clientY - rect.top) / scale };
  };
  const begin = (e: PointerEvent, line: string): void => {
    if (line === '' || renaming === line || e.button !== 0) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    setDrag({ line, ...at(e), moved: false });
  };
  const move = (e: PointerEvent): void => {
    if (!drag) return;
    const to = at(e);
    setDrag({ ...drag, ...to, moved: drag.moved || Math.hypot(to.x - drag.x, to.y - drag.y) > 6 });
  };
  const end = (): void => {
    if (drag?.moved && target?.line) run(moveBlock(flow, drag.line, target.line), 'Move a step');
    setDrag(undefined);
  };
  const addStep = (edit: (line: { id: string; text: string }) => Edit): void => {
    const line = { id: newId(), text: 'step' };
    run(edit(line), 'Add a step');
    select(`line/${line.id}`);
    setRenaming(line.id);
  };
  return (
    <div className="flow-drawing" ref={box} data-testid="flow-drawing">
      <Toolbar flow={flow} line={chosen?.id} run={run} addStep={addStep} />
      <div className="drawing-tools">
        <Button variant="bare" label="Smaller" onClick={() => setZoom(Math.max(0.3, scale / 1.2))}>
          <Minus size={13} aria-hidden />
        </Button>
        <Button variant="bare" label="Fit" onClick={() => setZoom(undefined)}>
          {Math.round(scale * 100)} %
        </Button>
        <Button variant="bare" label="Larger" onClick={() => setZoom(Math.min(2, scale * 1.2))}>
          <Plus size={13} aria-hidden />
        </Button>
      </div>
      <div className="flow-area">
        <div className="flow-scroll" style={{ width: layout.width * scale, height: layout.height * scale }}>
          <div
            className="flow-canvas"
            style={{ width: layout.width, height: layout.height, transform: `scale(${scale})` }}
          >
            <svg width={layout.width} height={layout.height} aria-hidden>
              <defs>
                <marker
                  id="flow-tip"
                  viewBox="0 0 8 8"
                  refX="7"
                  refY="4"
                  markerWidth="7"
                  markerHeight="7"
                  orient="auto"
                >
                  <path d="M0 0L8 4L0 8Z" fill="var(--ink-3)" />
                </marker>
              </defs>
              {layout.arrows.map((a, k) => (
                <polyline
                  key={k}
                  points={a.points.map((p) => p.join(',')).join(' ')}
                  fill="none"
                  stroke={target === a ? 'var(--accent)' : 'var(--ink-3)'}
                  strokeWidth={target === a ? 3 : 1.2}
                  markerEnd="url(#flow-tip)"
                />
              ))}
            </svg>
            {layout.boxes.map((b, k) => (
              <FlowCard
                key={`${b.line}-${b.kind}-${k}`}
                box={b}
                flow={flow}
                here={item === `line/${b.line}`}
                renaming={renaming === b.line && b.line !== ''}
                wrong={problems.some((p) => p.line === b.line)}
                dragged={drag?.moved === true && drag.line === b.line}
                choose={() => b.line && select(`line/${b.line}`)}
                rename={() => setRenaming(b.line)}
                done={() => setRenaming('')}
                begin={(e) => begin(e, b.line)}
                move={move}
                end={end}
              />
            ))}
            {layout.arrows.map((a, k) => (
              <div key={k}>
                {a.label && (
                  <button
                    type="button"
                    className={`guard-label${item === `line/${a.line}` ? ' here' : ''}`}
                    style={{ left: a.labelAt[0] + 5, top: a.labelAt[1] - 17 }}
                    onClick={() => a.line && select(`line/${a.line}`)}
                  >
                    {a.label}
                  </button>
                )}
                {a.line && !a.label && (
                  <button
                    type="button"
                    className="insert-here"
                    aria-label="Insert a step here"
                    title="Insert a step here"
                    style={{
                      left: a.points[0][0] - 9,
                      top: (a.points[0][1] + a.points[a.points.length - 1][1]) / 2 - 9,
                    }}
                    onClick={() => addStep((line) => insertBefore(flow, a.line, line))}
                  >
                    <Plus size={12} aria-hidden />
                  </button>
                )}
              </div>
            ))}
          </div>
        </div>
        {flow.lines.every((l) => l.text.trim() === '') && (
          <div className="empty">
            <h3>Type the first step</h3>
            <p>{flow.empty} The drawing follows as you type.</p>
          </div>
        )}
      </div>
    </div>
  );
}

function nearestArrow(arrows: readonly FlowArrow[], x: number, y: number): FlowArrow | undefined {
  let best: FlowArrow | undefined,
    least = 60;
  for (const a of arrows) {
    if (a.line === '') continue;
    const middle = a.points.reduce(
      (sum, p) => [sum[0] + p[0] / a.points.length, sum[1] + p[1] / a.points.length],
      [0, 0],
    );
    const distance = Math.hypot(middle[0] - x, middle[1] - y);
    if (distance < least) [best, least] = [a, distance];
  }
  return best;
}

interface CardProps {
  readonly box: FlowBox;
  readonly flow: StepHolder;
  readonly here: boolean;
  readonly renaming: boolean;
  readonly wrong: boolean;
  readonly dragged: boolean;
  readonly choose: () => void;
  readonly rename: () => void;
  readonly done: () => void;
  readonly begin: (e: PointerEvent) => void;
  readonly move: (e: PointerEvent) => void;
  readonly end: () => void;
}

function FlowCard({ box: b, flow, here, renaming, wrong, dragged, choose, rename, done, begin, move, end }: CardProps) {
  const line = flow.lines.find((l) => l.id === b.line);
  const style = { left: b.x, top: b.y, width: b.width, height: b.height };
  if (b.kind === 'bar' || ((b.kind === 'start' || b.kind === 'end') && b.text.length === 0))
    return <div className={`flow-box ${b.kind} mark`} style={style} />;
  if (b.kind === 'choice')
    return (
      <button
        type="button"
        className={`flow-box choice${here ? ' here' : ''}`}
        style={style}
        onClick={choose}
        aria-label="Choice"
      >
        ?
      </button>
    );
  const address = line ? `${flow.address}/line/${line.id}` : flow.address;
  return (
    <LinkableBox
      address={address}
      className={`flow-box ${b.kind} ${b.tone}${here ? ' here' : ''}${wrong ? ' wrong' : ''}${dragged ? ' dragged' : ''}${flow.active?.has(b.line) ? ' active' : ''}${flow.stops?.has(address) ? ' stops' : ''}`}
      style={style}
      role="button"
      tabIndex={0}
      onClick={choose}
      onDoubleClick={rename}
      onPointerDown={begin}
      onPointerMove={move}
      onPointerUp={end}
      onPointerCancel={end}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget) return;
        if (e.key === 'Enter') rename();
        if (e.key === ' ') choose();
        if (e.key === 'Delete' && line) useProject.getState().edit(removeBlock(flow, line.id), 'Delete a step');
      }}
    >
      {renaming && line ? (
        <input
          className="form-control form-control-sm"
          defaultValue={line.text}
          autoFocus
          aria-label="Text of the step"
          onPointerDown={(e) => e.stopPropagation()}
          onFocus={(e) => e.target.select()}
          onBlur={(e) => {
            if (e.target.value !== line.text)
              useProject.getState().edit(
                {
                  kind: 'update',
                  list: flow.list ?? 'flow',
                  id: flow.id,
                  changes: { lines: flow.lines.map((l) => (l.id === line.id ? { ...l, text: e.target.value } : l)) },
                },
                flow.writing,
              );
            done();
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            if (e.key === 'Escape') {
              e.currentTarget.value = line.text;
              done();
            }
            e.stopPropagation();
          }}
        />
      ) : (
        <>
          {b.head && (
            <div className="flow-head">
              {b.head}
              {flow.active?.has(b.line) && <span className="now-word"> active</span>}
            </div>
          )}
          {!b.head && flow.active?.has(b.line) && (
            <div className="flow-head">
              <span className="now-word">active</span>
            </div>
          )}
          {b.text.map((row, k) => (
            <div key={k}>{row}</div>
          ))}
        </>
      )}
      {line && <LinkCount address={address} />}
    </LinkableBox>
  );
}

function Toolbar({
  flow,
  line,
  run,
  addStep,
}: {
  readonly flow: StepHolder;
  readonly line: string | undefined;
  readonly run: (edit: Edit | undefined, label: string) => void;
  readonly addStep: (edit: (line: { id: string; text: string }) => Edit) => void;
}) {
  if (line === undefined) {
    return (
      <div className="flow-toolbar" role="toolbar" aria-label="Step">
        <Button size="sm" onClick={() => addStep((l) => insertAfter(flow, undefined, l))}>
          <Plus size={13} aria-hidden /> Step
        </Button>
        <span className="quiet">Choose a card to change it; drag it onto an arrow to move it.</span>
      </div>
    );
  }
  const text = flow.lines.find((l) => l.id === line)?.text ?? '';
  const { kind, rest } = readLine(text);
  const own = (): void => flow.makeOwn(line, (kind === 'step' ? readActor(rest).action : rest).text || 'part', newId());
  return (
    <div className="flow-toolbar" role="toolbar" aria-label="Step">
      <Button size="sm" onClick={() => addStep((l) => insertAfter(flow, line, l))}>
        <Plus size={13} aria-hidden /> Step
      </Button>
      <Button
        size="sm"
        onClick={() =>
          run(
            ['if', 'else-if', 'together', 'lane'].includes(kind)
              ? addBranch(flow, line, newId)
              : wrapBlock(flow, line, { id: newId(), text: 'if ' }),
            'Add a branch',
          )
        }
      >
        <GitBranch size={13} aria-hidden /> {kind === 'together' || kind === 'lane' ? 'Lane' : 'Branch'}
      </Button>
      <Button
        size="sm"
        onClick={() => run(wrapBlock(flow, line, { id: newId(), text: 'together' }), 'Let it go on together')}
        title="Go on together with something else"
      >
        <Split size={13} aria-hidden /> Together
      </Button>
      <Button size="sm" onClick={() => run(wrapBlock(flow, line, { id: newId(), text: 'repeat 2 times' }), 'Repeat')}>
        <SquareDashed size={13} aria-hidden /> Repeat
      </Button>
      <Button
        size="sm"
        onClick={() => run(wrapBlock(flow, line, { id: newId(), text: 'abort on ' }), 'Add an abort zone')}
      >
        <SquareDashed size={13} aria-hidden /> Abort zone
      </Button>
      <Button size="sm" onClick={own} data-testid="own-flow">
        <Route size={13} aria-hidden /> {flow.ownWord}
      </Button>
      <Button size="sm" variant="bare" label="Move up" onClick={() => run(shiftBlock(flow, line, -1), 'Move a step')}>
        <ArrowUp size={13} aria-hidden />
      </Button>
      <Button size="sm" variant="bare" label="Move down" onClick={() => run(shiftBlock(flow, line, 1), 'Move a step')}>
        <ArrowDown size={13} aria-hidden />
      </Button>
      <Button
        size="sm"
        variant="bare"
        label="Delete the step"
        onClick={() => run(removeBlock(flow, line), 'Delete a step')}
      >
        <Trash2 size={13} aria-hidden />
      </Button>
    </div>
  );
}
