'use client';
import { EdgeLabelRenderer, Handle, NodeResizer, Position, type EdgeProps, type NodeProps } from '@xyflow/react';
import { Eye, GitBranch } from 'lucide-react';
import { createContext, useContext, useState } from 'react';
import { useRuns } from '@/store/run-store';
import { withUnit } from '@/ui/format';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { momentAt } from '@/ui/moment';
import { pathOf } from './route-wire';
import {
  inputAt,
  outputAt,
  outputHandle,
  outputOf,
  type CardNode,
  type NoteNode,
  type TagNode,
  type WireEdge,
} from './signal-graph';
import { Spark } from './spark';
import { useIsWatched } from '@/ui/ribbon/watch';

/** What cards can ask of the sheet they stand on. */
export interface SheetActions {
  readonly unitOf: (name: string) => string;
  readonly changeNote: (id: string, text: string) => void;
  readonly sizeNote: (id: string, size: { readonly width: number; readonly height: number }) => void;
  readonly openSheet: (sheet: string) => void;
  readonly branch: (wire: string, name: string, e: React.PointerEvent) => void;
}
export const SheetContext = createContext<SheetActions | undefined>(undefined);

/** The value of a quantity at the cursor, as text with its unit. */
function useNow(full: string | undefined, unit: string): string {
  return useRuns((s) => {
    if (full === undefined || !s.current) return '';
    const now = momentAt(s.current, s.cursor);
    const text = now.text(full);
    return text === '' ? '' : withUnit(text, now.unit(full) || unit);
  });
}

function SignalCard({ data, selected }: NodeProps<CardNode>) {
  const { card, problem, full } = data;
  const actions = useContext(SheetContext);
  const unit = actions?.unitOf(card.name) ?? '';
  const now = useNow(full, unit);
  const watched = useIsWatched(full);
  const several = card.outputs.length > 1;
  return (
    <LinkableBox
      address={data.address}
      className={`signal-card${selected ? ' selected' : ''}${problem ? ' wrong' : ''}`}
      data-card={card.id}
      data-line={card.name}
    >
      <div className="signal-head">
        <strong className="mono text-truncate" title={card.name}>
          {card.name || '?'}
        </strong>
        {watched && !several && <Eye size={12} aria-label="has a track" className="watched" />}
        <LinkCount address={data.address} />
        {!several && (
          <span className="num now text-truncate" data-now={card.name} title={now}>
            {now || <span className="quiet">{unit === '1' ? '' : unit}</span>}
          </span>
        )}
      </div>
      <div className="signal-formula mono" title={card.text}>
        {card.formula}
      </div>
      <div className="signal-body">
        <div className="signal-inputs">
          {card.inputs.map((i) => (
            <div
              key={i.key}
              className={`signal-input text-truncate${i.isFree ? ' free' : ''}`}
              title={i.isFree ? `nothing feeds ${i.key}` : `${i.key}: ${i.text}`}
            >
              {i.key}
            </div>
          ))}
        </div>
        {several && (
          <div className="signal-outputs">
            {card.outputs.map((o, k) => (
              <SignalOutput key={o} name={o} of={card.name} full={data.fullOutputs[k]} />
            ))}
          </div>
        )}
        {full !== undefined && !several && <Spark name={full} />}
      </div>
      {problem && (
        <div className="signal-problem text-truncate" title={problem} role="note">
          {problem}
        </div>
      )}
      {card.inputs.map((i, k) => (
        <Handle
          key={i.key}
          id={i.key}
          type="target"
          position={Position.Left}
          className={`signal${i.isFree ? ' free' : ''}`}
          style={{ top: inputAt(k) }}
          title={i.key}
        />
      ))}
      {several ? (
        card.outputs.map((o) => (
          <Handle
            key={o}
            id={outputHandle(card, o)}
            type="source"
            position={Position.Right}
            className="signal"
            style={{ top: outputOf(card, o) }}
            title={o}
          />
        ))
      ) : (
        <Handle
          id="out"
          type="source"
          position={Position.Right}
          className="signal"
          style={{ top: outputAt }}
          title={card.name}
        />
      )}
    </LinkableBox>
  );
}

/** One of several outputs of a card, with its value at the cursor. */
function SignalOutput({
  name,
  of,
  full,
}: {
  readonly name: string;
  readonly of: string;
  readonly full: string | undefined;
}) {
  const actions = useContext(SheetContext);
  const unit = actions?.unitOf(name) ?? '';
  const now = useNow(full, unit);
  const watched = useIsWatched(full);
  return (
    <div className="signal-output text-truncate" title={now ? `${name} = ${now}` : name} data-output={name}>
      {watched && <Eye size={11} aria-label="has a track" className="watched" />}
      <span className="num now" data-now={name}>
        {now || (unit === '1' ? '' : unit)}
      </span>
      <span className="mono">{name.slice(of.length + 1)}</span>
    </div>
  );
}

function NoteCard({ id, data, selected }: NodeProps<NoteNode>) {
  const { note, address } = data;
  const actions = useContext(SheetContext);
  const [typing, setTyping] = useState(false);
  return (
    <LinkableBox address={address} className={`signal-note${selected ? ' selected' : ''}`} data-note={note.id}>
      <NodeResizer
        isVisible={selected}
        minWidth={60}
        minHeight={26}
        lineClassName="note-edge"
        handleClassName="note-corner"
        onResizeEnd={(_, to) => actions?.sizeNote(id, { width: Math.round(to.width), height: Math.round(to.height) })}
      />
      {typing ? (
        <textarea
          className="nodrag"
          autoFocus
          aria-label="Text of the note"
          defaultValue={note.text}
          onFocus={(e) => e.currentTarget.select()}
          onBlur={(e) => {
            setTyping(false);
            actions?.changeNote(id, e.currentTarget.value);
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            if (e.key === 'Escape') {
              e.currentTarget.value = note.text;
              e.currentTarget.blur();
            }
            e.stopPropagation();
          }}
        />
      ) : (
        <div className="note-text" data-note-text onDoubleClick={() => setTyping(true)}>
          {note.text || <span className="quiet">empty note</span>}
        </div>
      )}
    </LinkableBox>
  );
}

function TagCard({ data }: NodeProps<TagNode>) {
  const { tag, says, full, isFed } = data;
  const actions = useContext(SheetContext);
  const now = useNow(full, actions?.unitOf(tag.name) ?? '');
  const side = tag.side === 'in' ? Position.Right : Position.Left;
  const watched = useIsWatched(full);
  return (
    <div
      className={`signal-tag ${tag.side}${isFed ? '' : ' free'}`}
      data-tag={tag.name}
      title={`${tag.name}${now ? ` = ${now}` : ''}${says ? `; ${says}` : ''}${isFed ? '' : tag.side === 'in' ? '; nothing uses it here' : '; nothing gives it'}`}
    >
      <span className="mono text-truncate">
        {tag.name}
        {watched && <Eye size={11} aria-label="has a track" className="watched ms-1" />}
      </span>
      {says !== '' &&
        (tag.sheet !== undefined ? (
          <button type="button" className="tag-says nodrag" onClick={() => actions?.openSheet(tag.sheet!)}>
            {says}
          </button>
        ) : (
          <span className="tag-says">{says}</span>
        ))}
      <Handle
        id={tag.side === 'in' ? 'out' : 'in'}
        type={tag.side === 'in' ? 'source' : 'target'}
        position={side}
        className="signal"
      />
    </div>
  );
}

function Wire({ id, data, selected }: EdgeProps<WireEdge>) {
  const actions = useContext(SheetContext);
  const [over, setOver] = useState(false);
  const now = useNow(data?.full, (data && actions?.unitOf(data.wire.name)) ?? '');
  if (!data) return null;
  const path = pathOf(data.way);
  const shown = over || selected === true;
  return (
    <>
      <g onPointerEnter={() => setOver(true)} onPointerLeave={() => setOver(false)}>
        <path
          id={id}
          d={path}
          className={`react-flow__edge-path signal-wire${selected ? ' selected' : ''}${over ? ' over' : ''}`}
          data-wire={data.wire.name}
        />
        <path d={path} className="react-flow__edge-interaction" fill="none" strokeOpacity={0} strokeWidth={12} />
      </g>
      {shown && (
        <EdgeLabelRenderer>
          <div
            className="wire-label nodrag nopan"
            style={{ transform: `translate(-50%, -100%) translate(${data.middle.x}px, ${data.middle.y - 5}px)` }}
            onPointerEnter={() => setOver(true)}
            onPointerLeave={() => setOver(false)}
          >
            <span className="mono">{data.wire.name}</span>
            {now && <span className="num"> = {now}</span>}
          </div>
          <button
            type="button"
            className="wire-branch nodrag nopan"
            aria-label={`Branch of ${data.wire.name}`}
            title="Drag from here to use it once more"
            tabIndex={-1}
            style={{ transform: `translate(-50%, -50%) translate(${data.middle.x}px, ${data.middle.y}px)` }}
            onPointerEnter={() => setOver(true)}
            onPointerLeave={() => setOver(false)}
            onPointerDown={(e) => actions?.branch(data.wire.id, data.wire.name, e)}
          >
            <GitBranch size={10} aria-hidden />
          </button>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

export const nodeTypes = { card: SignalCard, note: NoteCard, tag: TagCard };
export const edgeTypes = { wire: Wire };
