import { MarkerType, type Edge as FlowEdge, type Node } from '@xyflow/react';
import type { NetworkEnd } from '@/core/network/class-parts';
import { plainName, splitEnd, type Network, type NetworkLink, type NetworkPart } from '@/core/network/read-network';
import type { Link, PartType, Place } from '@/core/project/project';
import { fullName } from '@/store/derived';
import type { RunView } from '@/store/run-store';
import { momentAt } from '@/ui/moment';
import type { LayoutGraph } from '@/workers/layout.worker';

/** The picture of an inside as data: cards, ports and lines. */

export interface End {
  /** Path from the type, indices left out. */
  readonly path: string;
  readonly name: string;
  readonly kind: NetworkEnd['kind'];
  readonly value: string;
  readonly carries: string;
  readonly domain: string;
}
export type PartNode = Node<
  {
    readonly network: NetworkPart;
    readonly item: string;
    readonly left: readonly End[];
    readonly right: readonly End[];
    readonly says: string;
    readonly lit: boolean;
    readonly wrong: boolean;
    readonly address: string;
    /** What is copied and deleted with it. */
    readonly element: string;
    readonly headHeight: number;
  },
  'part'
>;
export type EdgeNode = Node<{ readonly name: string; readonly end: End; readonly gives: boolean }, 'edge'>;
export type AnyNode = PartNode | EdgeNode;
export type LinkEdge = FlowEdge<
  {
    readonly item: string;
    readonly network: NetworkLink;
    readonly kind: End['kind'];
    readonly moving: boolean;
    readonly wrong: boolean;
    readonly address: string;
    readonly carries: string;
    readonly labelled: boolean;
  },
  'link'
>;

export const cardWidth = 210,
  rowHeight = 19;

/** What is selected when a part or a link is: what the document has by its id, what the text has by what it says. */
export const partItem = (p: NetworkPart): string => (p.part ? `part/${p.part.id}` : `declared/${p.name}`);
export const linkItem = (l: NetworkLink): string => (l.link ? `link/${l.link.id}` : `connect/${l.a}|${l.b}`);

/**
 * Ends that only give stand on the right, those that only take on the left. Physical ends do neither: they stand on the side
 * of what they are linked with, `pull` (how far to the right that is), in their order where that says nothing.
 */
function sidesOf(
  ends: readonly NetworkEnd[],
  pull: (e: NetworkEnd) => number | undefined = () => undefined,
): { left: NetworkEnd[]; right: NetworkEnd[] } {
  const physical = ends.filter((e) => e.kind === 'physical');
  const pulls = new Map(physical.map((e, k) => [e, pull(e) ?? (k < physical.length / 2 ? -1e-3 : 1e-3)]));
  const sorted = [...physical].sort((a, b) => pulls.get(a)! - pulls.get(b)!);
  const first =
    physical.length === 1
      ? new Set(pulls.get(physical[0])! > 0 ? [] : physical)
      : new Set(sorted.slice(0, Math.ceil(physical.length / 2)));
  const isLeft = (e: NetworkEnd): boolean => (e.kind === 'physical' ? first.has(e) : e.gives === false);
  return { left: ends.filter(isLeft), right: ends.filter((e) => !isLeft(e)) };
}

export interface GraphInput {
  readonly type: PartType;
  readonly network: Network;
  readonly path: string | undefined;
  readonly run: RunView | undefined;
  readonly cursor: number;
  readonly item: string;
  /** Addresses of what is chosen together, where that is more than one. */
  readonly others: readonly string[];
  readonly wrong: ReadonlySet<string>;
  /** Every link says what it carries, not only those looked at. */
  readonly labelled: boolean;
  /** The name of what a link carries, and which ways. */
  carriedBy(link: Link): { readonly name: string; readonly forth: boolean; readonly back: boolean };
  /** State charts of a part type by its name. */
  chartsOf(typeName: string): readonly string[];
}

export function insideNodes({
  type,
  network,
  path,
  run,
  cursor,
  item,
  others,
  wrong,
  chartsOf,
}: GraphInput): AnyNode[] {
  const kept = new Map(type.layout.map((p) => [p.name, p]));
  const columns = Math.max(2, Math.ceil(Math.sqrt(network.parts.length)));
  const now = momentAt(run, cursor);
  const value = (name: string): string => (path === undefined ? '' : now.text(name));
  const placeOf = (p: NetworkPart, k: number): Place =>
    p.part?.place ?? kept.get(p.name) ?? { x: (k % columns) * 300, y: Math.floor(k / columns) * 190 };
  const middles = new Map(network.parts.map((p, k) => [p.name, placeOf(p, k).x]));
  const pulls = pullsOf(network, middles);
  const parts = network.parts.map((p, k): PartNode => {
    const full = fullName(path, p.name);
    const end = (e: NetworkEnd): End => ({
      path: `${p.name}.${plainName(e.name)}`,
      name: e.name,
      kind: e.kind,
      carries: e.carries,
      domain: e.domain,
      value:
        e.kind === 'signal'
          ? value(`${full}.${e.name}`)
          : e.kind === 'physical' && e.carries !== ''
            ? value(`${full}.${e.name}.${e.carries.split(', ')[0]}`)
            : '',
    });
    const { left, right } = sidesOf(p.ends, (e) => pulls.get(`${p.name}.${plainName(e.name)}`));
    const state =
      path === undefined
        ? ''
        : chartsOf(p.typeName)
            .map((c) => now.text(`${full}.${c}`))
            .filter(Boolean)
            .map((s) => s.split('.').at(-1))
            .join(', ');
    const headHeight = p.changes !== '' && !p.part ? 58 : 44;
    const place = placeOf(p, k);
    const own = partItem(p);
    return {
      id: p.part?.id ?? own,
      type: 'part',
      position: { x: place.x, y: place.y },
      width: cardWidth,
      height: headHeight + Math.max(left.length, right.length, 1) * rowHeight + 8,
      selected: item === own || others.includes(`type/${type.id}/${own}`),
      deletable: false,
      data: {
        network: p,
        item: own,
        left: left.map(end),
        right: right.map(end),
        says: state || p.says,
        lit: state !== '',
        headHeight,
        wrong: p.ref === undefined || (p.part !== undefined && wrong.has(p.part.id)),
        address: p.part ? `type/${type.id}/part/${p.part.id}` : `type/${type.id}/physics`,
        element: `type/${type.id}/${own}`,
      },
      ariaLabel: `Part ${p.name}, a ${p.typeName}`,
    };
  });
  const all = parts.map((n) => ({ ...n.position, width: n.width ?? 0, height: n.height ?? 0 }));
  const left = Math.min(0, ...all.map((b) => b.x)) - 150,
    right = Math.max(400, ...all.map((b) => b.x + b.width)) + 60;
  const { left: gives, right: takes } = sidesOf(network.border);
  const border = (e: NetworkEnd, isLeft: boolean, k: number): EdgeNode => ({
    id: `border/${plainName(e.name)}`,
    type: 'edge',
    position: { x: isLeft ? left : right, y: 10 + k * 34 },
    draggable: false,
    selectable: false,
    deletable: false,
    data: {
      name: e.name,
      gives: isLeft,
      end: { path: plainName(e.name), name: e.name, kind: e.kind, value: '', carries: e.carries, domain: e.domain },
    },
  });
  return [...parts, ...gives.map((e, k) => border(e, true, k)), ...takes.map((e, k) => border(e, false, k))];
}

/** For every linked end of a part, how far to the right of it its partners stand, on average. */
function pullsOf(network: Network, middles: ReadonlyMap<string, number>): ReadonlyMap<string, number> {
  const found = new Map<string, number[]>();
  for (const l of network.links) {
    const [a, b] = [splitEnd(l.a), splitEnd(l.b)];
    const [xa, xb] = [middles.get(a.part), middles.get(b.part)];
    if (xa === undefined || xb === undefined || a.part === b.part) continue;
    const note = (path: string, by: number): void => void (found.get(path)?.push(by) ?? found.set(path, [by]));
    note(`${a.part}.${a.end.split('.')[0]}`, xb - xa);
    note(`${b.part}.${b.end.split('.')[0]}`, xa - xb);
  }
  return new Map([...found].map(([path, list]) => [path, list.reduce((x, y) => x + y, 0) / list.length]));
}

export function insideEdges(
  { type, network, item, wrong, labelled, carriedBy }: GraphInput,
  lit: ReadonlySet<string>,
): LinkEdge[] {
  const idOf = new Map(network.parts.map((p) => [p.name, p.part?.id ?? partItem(p)]));
  const borders = new Set(network.border.map((e) => plainName(e.name)));
  return network.links.flatMap((l): LinkEdge[] => {
    const end = (path: string): { node: string; handle: string } | undefined => {
      const { part, end: name } = splitEnd(path);
      if (part === '') return borders.has(name) ? { node: `border/${name}`, handle: name } : undefined;
      const node = idOf.get(part);
      // deeper paths, as of an axis of a joint, end at the port they begin with
      return node === undefined ? undefined : { node, handle: `${part}.${name.split('.')[0]}` };
    };
    const [a, b] = [end(l.a), end(l.b)];
    if (!a || !b) return [];
    const own = linkItem(l);
    const carried = l.link ? carriedBy(l.link) : { name: '', forth: l.kind === 'signal', back: false };
    const isWrong = l.link !== undefined && wrong.has(l.link.id);
    const isMoving = l.link !== undefined && lit.has(l.link.id);
    const arrow = {
      type: MarkerType.ArrowClosed,
      width: 16,
      height: 16,
      color: isWrong ? 'var(--bad)' : item === own ? 'var(--accent)' : isMoving ? 'var(--now)' : 'var(--ink-3)',
    };
    return [
      {
        id: l.link?.id ?? `${own}${l.within}`,
        type: 'link',
        source: a.node,
        target: b.node,
        sourceHandle: a.handle,
        targetHandle: b.handle,
        selected: item === own,
        deletable: false,
        ...(carried.forth && { markerEnd: arrow }),
        ...(carried.back && { markerStart: { ...arrow, orient: 'auto-start-reverse' } }),
        ariaLabel: `Link from ${l.a} to ${l.b}${carried.name ? `, carries ${carried.name}` : ''}`,
        data: {
          item: own,
          network: l,
          kind: l.kind,
          moving: isMoving,
          wrong: isWrong,
          carries: carried.name,
          labelled,
          address: l.link ? `type/${type.id}/link/${l.link.id}` : '',
        },
      },
    ];
  });
}

export const layoutGraph = (nodes: readonly AnyNode[], edges: readonly LinkEdge[]): LayoutGraph => {
  const parts = nodes.filter((n) => n.type === 'part');
  const ids = new Set(parts.map((n) => n.id));
  return {
    id: 'inside',
    width: 0,
    height: 0,
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      'elk.layered.spacing.nodeNodeBetweenLayers': '70',
      'elk.spacing.nodeNode': '30',
      'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
      // wide networks go on in a second row
      ...(parts.length > 6 && { 'elk.aspectRatio': '1.8', 'elk.layered.wrapping.strategy': 'MULTI_EDGE' }),
    },
    children: parts.map((n) => ({ id: n.id, width: n.width ?? cardWidth, height: n.height ?? 80 })),
    edges: edges.flatMap((e) =>
      ids.has(e.source) && ids.has(e.target) && e.source !== e.target
        ? [{ id: e.id, sources: [e.source], targets: [e.target] }]
        : [],
    ),
  };
};

/** Links something is moving along at a time: a message that has just been sent, or a value that is not at rest. */
export function movingLinks(
  type: PartType,
  path: string | undefined,
  run: RunView | undefined,
  cursor: number,
): ReadonlySet<string> {
  const found = new Set<string>();
  if (!run || path === undefined) return found;
  const now = momentAt(run, cursor);
  const window = Math.max(1e-9, run.stop * 0.015);
  const recent = run.data.messages.filter((m) => m.time <= cursor + 1e-12 && m.time >= cursor - window);
  for (const l of type.links) {
    const [from, to] = [fullName(path, l.from), fullName(path, l.to)];
    const [a, b] = [from.replace(/\.[^.]*$/, ''), to.replace(/\.[^.]*$/, '')];
    if (recent.some((m) => run.model.parts[m.sender] === a && m.receivers.some((r) => run.model.parts[r] === b)))
      found.add(l.id);
    const column = run.data.columns.get(from);
    if (column?.kind !== 'real' && column?.kind !== 'boolean') continue;
    const isOn = Math.abs(now.value(from) ?? 0) > 1e-6;
    if (isOn && run.status === 'running') found.add(l.id);
  }
  return found;
}
