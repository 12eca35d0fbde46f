'use client';
import { Handle, Position, type Node, type NodeProps } from '@xyflow/react';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { isAround } from '@/core/simulate/configurations';
import type { Chart, ChartState } from '@/core/project/project';
import { LinkableBox, LinkCount } from '@/ui/linkable';
import { TroubleMark } from './trouble-mark';
import { isPlace, kindText, parentsFirst, textLines, type Box } from './chart-geometry';
import { useSameList, useUnchanged } from './unchanged';

export type StateNode = Node<
  {
    readonly state: ChartState;
    readonly group: boolean;
    readonly lane: boolean;
    readonly lit: boolean;
    /** What is wrong with it: the worst, in words. */
    readonly wrong: Problem | undefined;
    readonly stops: boolean;
    /** What test cases do not come through. */
    readonly gap: string;
    readonly fact: string;
    readonly address: string;
  },
  'state'
>;
const sides = [Position.Top, Position.Right, Position.Bottom, Position.Left];

export function StateCard({ data, selected }: NodeProps<StateNode>) {
  const { state, group, lane, lit, wrong, stops, gap, fact } = data;
  const place = isPlace(state.kind);
  return (
    <>
      <LinkableBox
        address={data.address}
        className={`state-card${group ? ' group' : ''}${lane ? ' lane' : ''}${place ? ` place ${state.kind}` : ''}${lit ? ' lit' : ''}${selected ? ' selected' : ''}${wrong ? ` trouble ${wrong.severity}` : ''}${gap ? ' gap' : ''}`}
        data-state={state.name}
        data-lit={lit}
      >
        <div className="state-name">
          {stops && <span className="stop-mark" title="The run stops here" aria-label="The run stops here" />}
          <TroubleMark problem={wrong} />
          <span className="text-truncate">{state.name}</span>
          <LinkCount address={data.address} />
          {lit ? (
            <span className="now-word">active</span>
          ) : gap ? (
            <span className="gap-word">{gap}</span>
          ) : fact ? (
            <span className="first num">{fact}</span>
          ) : (
            state.initial && !place && !lane && <span className="first">starts here</span>
          )}
        </div>
        {place && <div className="state-text">{kindText[state.kind]}</div>}
        {textLines(state).map((line, k) => (
          <div key={k} className="state-text mono" style={{ paddingBlock: 0 }}>
            {line}
          </div>
        ))}
      </LinkableBox>
      {sides.map((side) => (
        <Handle
          key={side}
          id={side}
          type="source"
          position={side}
          role="img"
          aria-label={`Connect ${state.name} from its ${side} side`}
        />
      ))}
    </>
  );
}

function pathsOf(chart: Chart): Map<string, string> {
  const paths = new Map<string, string>();
  for (const s of parentsFirst(chart)) paths.set(s.id, s.parent ? `${paths.get(s.parent) ?? ''}.${s.name}` : s.name);
  return paths;
}

/** What of a state is on its card. */
const drawnOf = (s: ChartState): readonly unknown[] => [s.name, s.kind, s.initial, s.entry, s.do, s.exit, s.defers];

interface Shown {
  readonly chart: Chart;
  readonly address: string;
  readonly boxes: ReadonlyMap<string, Box>;
  /** Paths of the innermost active states. */
  readonly active: readonly string[] | undefined;
  readonly item: string;
  readonly wrong: ReadonlyMap<string, Problem>;
  readonly facts: ReadonlyMap<string, string>;
  readonly stops: ReadonlySet<string>;
  readonly gaps: ReadonlyMap<string, string>;
  /** Addresses of what is chosen together, where that is more than one. */
  readonly others: readonly string[];
}

/** The cards of a chart as the drawing takes them; those on which nothing has changed are those of last time. */
export function useStateCards({
  chart,
  address,
  boxes,
  active,
  item,
  wrong,
  facts,
  stops,
  gaps,
  others,
}: Shown): StateNode[] {
  const paths = useMemo(() => pathsOf(chart), [chart]);
  const sameCards = useSameList<StateNode>();
  const sameCard = useUnchanged<StateNode>();
  return useMemo(() => {
    const groups = new Set(chart.states.map((x) => x.parent));
    const together = new Set(others);
    return sameCards(
      parentsFirst(chart).map((s): StateNode => {
        const path = paths.get(s.id)!;
        const lit = isAround(path, active);
        const group = groups.has(s.id);
        const { x, y, width, height, lane } = boxes.get(s.id)!;
        const at = `${address}/state/${s.id}`;
        const node: StateNode = {
          id: s.id,
          type: 'state',
          position: { x, y },
          width,
          height,
          measured: { width, height },
          ...(s.parent && { parentId: s.parent }),
          selected: item === `state/${s.id}` || together.has(at),
          draggable: !lane,
          data: {
            state: s,
            group,
            lane,
            lit,
            wrong: wrong.get(s.id),
            stops: stops.has(at),
            gap: gaps.get(at) ?? '',
            fact: facts.get(path) ?? '',
            address: at,
          },
          ariaLabel: `${isPlace(s.kind) ? 'Place' : 'State'} ${s.name}${lit ? ', active' : ''}`,
          deletable: false,
          // arrows run above the cards that hold others and below those that do not
          zIndex: group || lane ? 0 : 20,
        };
        return sameCard(node, (n) => [
          ...drawnOf(n.data.state),
          n.data.lit,
          n.data.group,
          n.data.wrong?.message,
          n.data.stops,
          n.data.gap,
          n.data.fact,
          n.selected,
          n.width,
          n.height,
          n.parentId,
          n.position.x,
          n.position.y,
        ]);
      }),
    );
  }, [chart, boxes, paths, active, item, wrong, facts, stops, gaps, others, sameCard, sameCards, address]);
}
