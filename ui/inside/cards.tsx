'use client';
import {
  BaseEdge,
  EdgeLabelRenderer,
  getSmoothStepPath,
  Handle,
  Position,
  useUpdateNodeInternals,
  type EdgeProps,
  type NodeProps,
} from '@xyflow/react';
import { useEffect } from 'react';
import { usePlace } from '@/store/place-store';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { Share } from '@/ui/share';
import { rowHeight, type EdgeNode, type End, type LinkEdge, type PartNode } from './inside-graph';

const titleOf = (e: End): string =>
  `${e.path}${e.domain ? `: ${e.domain}, ${e.carries}` : e.carries ? ` (${e.carries})` : ''}${e.value ? `; ${e.carries.split(', ')[0] || 'now'} = ${e.value}` : ''}`;

function PartCard({ data, selected, id }: NodeProps<PartNode>) {
  const { network: p, left, right, says, lit, wrong, headHeight } = data;
  const update = useUpdateNodeInternals();
  useEffect(() => update(id), [id, left.length, right.length, headHeight, update]);
  const declared = p.part === undefined;
  return (
    <LinkableBox
      address={data.address}
      element={data.element}
      className={`part-card${selected ? ' selected' : ''}${declared ? ' declared' : ''}`}
      data-part={p.name}
      style={wrong ? { borderColor: 'var(--bad)' } : undefined}
    >
      <div className="part-head" style={{ height: headHeight - 4 }}>
        <div className="text-truncate" title={`${p.name}${p.dimensions}: ${p.typeName}`}>
          <strong>{p.name}</strong>
          {p.dimensions && <span className="num">{p.dimensions}</span>}{' '}
          <span className="type-tag">{p.typeName.split('.').at(-1)}</span>
          <LinkCount address={data.address} />
          <Share typeName={p.typeName} />
        </div>
        <div className={`text-truncate part-says${lit ? ' lit' : ''}`} title={says}>
          {p.ref ? says : 'there is no such type'}
        </div>
        {declared && p.changes !== '' && (
          <div className="text-truncate mono part-changes" title={p.changes}>
            {p.changes}
          </div>
        )}
      </div>
      <div className="part-ends">
        <div>
          {left.map((e, k) => (
            <div key={e.path} className="end" title={titleOf(e)}>
              {e.name}
              {e.kind === 'physical' && (
                <span className="quiet"> {e.value ? <span className="num">{e.value}</span> : e.carries}</span>
              )}
              <Handle
                id={e.path}
                type={e.kind === 'physical' ? 'source' : 'target'}
                position={Position.Left}
                className={e.kind}
                style={{ top: headHeight + k * rowHeight + rowHeight / 2 }}
              />
            </div>
          ))}
        </div>
        <div className="text-end">
          {right.map((e, k) => (
            <div key={e.path} className="end" title={titleOf(e)}>
              {e.value ? (
                <span className="num quiet">{e.value} </span>
              ) : (
                e.kind === 'physical' && <span className="quiet">{e.carries} </span>
              )}
              {e.name}
              <Handle
                id={e.path}
                type="source"
                position={Position.Right}
                className={e.kind}
                style={{ top: headHeight + k * rowHeight + rowHeight / 2 }}
              />
            </div>
          ))}
        </div>
      </div>
    </LinkableBox>
  );
}

/** A port of the type itself, at the border of its inside. */
function BorderEnd({ data }: NodeProps<EdgeNode>) {
  return (
    <div className={`border-end${data.gives ? '' : ' takes'}`} title={titleOf(data.end)}>
      {data.name}
      <Handle
        id={data.end.path}
        type={data.gives ? 'source' : 'target'}
        position={data.gives ? Position.Right : Position.Left}
        className={data.end.kind}
      />
    </div>
  );
}

function LinkLine({
  id,
  sourceX,
  sourceY,
  targetX,
  targetY,
  sourcePosition,
  targetPosition,
  data,
  selected,
  markerEnd,
  markerStart,
}: EdgeProps<LinkEdge>) {
  const select = usePlace((s) => s.select);
  const [path, x, y] = getSmoothStepPath({
    sourceX,
    sourceY,
    targetX,
    targetY,
    sourcePosition,
    targetPosition,
    borderRadius: 6,
    offset: 16,
  });
  if (!data) return null;
  const stroke = data.wrong ? 'var(--bad)' : selected ? 'var(--accent)' : data.moving ? 'var(--now)' : 'var(--ink-3)';
  const physical = data.kind === 'physical';
  // several lines share their middles, hardly any their starts
  const quiet = data.labelled && !selected && !data.moving && data.network.within === '';
  const toRight = sourcePosition === Position.Right;
  const at = quiet
    ? `translate(${toRight ? '0' : '-100%'}, -50%) translate(${sourceX + (toRight ? 7 : -7)}px, ${sourceY}px)`
    : `translate(-50%, -50%) translate(${x}px, ${y}px)`;
  const text = data.network.within || data.carries || (physical ? `${data.network.a} – ${data.network.b}` : 'a value');
  return (
    <>
      <BaseEdge
        id={id}
        path={path}
        interactionWidth={12}
        {...(markerEnd && { markerEnd })}
        {...(markerStart && { markerStart })}
        className={data.moving ? 'moving' : ''}
        style={{
          stroke,
          strokeWidth: physical ? (selected ? 3.4 : 2.4) : selected ? 2.2 : 1.3,
          ...(data.kind === 'message' && !data.moving && { strokeDasharray: '6 4' }),
        }}
      />
      {(selected || data.moving || data.network.within !== '' || (data.labelled && data.carries !== '')) && (
        <EdgeLabelRenderer>
          <button
            type="button"
            title={text}
            className={`edge-label nodrag nopan${selected ? ' selected' : ''}${data.moving ? ' lit' : ''}${quiet ? ' at-start' : ''}`}
            style={{ transform: at }}
            onClick={() => select(data.item)}
          >
            {text}
          </button>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

export const nodeTypes = { part: PartCard, edge: BorderEnd };
export const edgeTypes = { link: LinkLine };
