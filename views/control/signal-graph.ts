import { Position, type Edge, type Node } from '@xyflow/react';
import { placeCards } from '@/core/signals/sheet-layout';
import type { SheetCard, SheetNote, SheetPicture, SheetTag, SheetWire } from '@/core/signals/sheet-picture';
import type { Place } from '@/core/project/project';
import { middleOf, routeWire, type Box, type Point } from './route-wire';

/** The picture of a signal sheet as nodes and edges with their places and ways. */

export type CardNode = Node<
  {
    readonly card: SheetCard;
    readonly address: string;
    readonly problem: string | undefined;
    readonly full: string | undefined;
    /** Full names of its outputs. */
    readonly fullOutputs: readonly (string | undefined)[];
  },
  'card'
>;
export type NoteNode = Node<{ readonly note: SheetNote; readonly address: string }, 'note'>;
export type TagNode = Node<
  { readonly tag: SheetTag; readonly says: string; readonly full: string | undefined; readonly isFed: boolean },
  'tag'
>;
export type SheetNode = CardNode | NoteNode | TagNode;
export type WireEdge = Edge<
  {
    readonly wire: SheetWire;
    readonly way: readonly Point[];
    readonly middle: Point;
    readonly full: string | undefined;
    readonly problem: boolean;
  },
  'wire'
>;

export const cardWidth = 226,
  headHeight = 25,
  formulaHeight = 19,
  rowHeight = 17,
  tagHeight = 24;
const leastBody = 36;

export const heightOf = (card: Pick<SheetCard, 'inputs' | 'outputs'>, hasProblem: boolean): number =>
  headHeight +
  formulaHeight +
  Math.max(leastBody, Math.max(card.inputs.length, card.outputs.length) * rowHeight + 6) +
  (hasProblem ? 18 : 0) +
  2;

/** Height at which an input comes in, from the top of its card. */
export const inputAt = (k: number): number => headHeight + formulaHeight + 3 + k * rowHeight + rowHeight / 2;
export const outputAt = headHeight / 2;
/** Height at which one of its outputs goes out: beside its name, or each beside its own. */
export const outputOf = (card: Pick<SheetCard, 'outputs'>, name: string): number =>
  card.outputs.length < 2 ? outputAt : inputAt(Math.max(0, card.outputs.indexOf(name)));
/** Id of the handle of an output. */
export const outputHandle = (card: Pick<SheetCard, 'outputs'>, name: string): string =>
  card.outputs.length < 2 ? 'out' : `out:${name}`;
const handleSize = 7;
type Handles = NonNullable<Node['handles']>;
/** Where wires can be taken hold of; their places are known, so that nothing has to be measured. */
const handleAt = (type: 'source' | 'target', id: string, x: number, y: number): Handles[number] => ({
  id,
  type,
  position: type === 'source' ? Position.Right : Position.Left,
  x: x - handleSize / 2,
  y: y - handleSize / 2,
  width: handleSize,
  height: handleSize,
});
const handlesOf = (card: SheetCard): Handles => [
  ...card.inputs.map((i, k) => handleAt('target', i.key, 0, inputAt(k))),
  ...(card.outputs.length < 2 ? [card.name] : card.outputs).map((o) =>
    handleAt('source', outputHandle(card, o), cardWidth, outputOf(card, o)),
  ),
];
/** What comes out at a handle of a card. */
export const outputAtHandle = (card: SheetCard, handle: string | null | undefined): string =>
  card.outputs.find((o) => outputHandle(card, o) === handle) ?? card.outputs[0] ?? card.name;

export const noteSize = (note: SheetNote): { readonly width: number; readonly height: number } =>
  note.line.size ?? {
    width: Math.min(260, Math.max(120, note.text.length * 6.6 + 18)),
    height: 12 + 18 * Math.max(1, Math.ceil((note.text.length * 6.6) / 242)),
  };

/** Id of the node of a tag. */
export const tagId = (t: Pick<SheetTag, 'side' | 'name'>): string => `${t.side}:${t.name}`;

export interface GraphInput {
  readonly picture: SheetPicture;
  /** Address of the sheet. */
  readonly address: string;
  readonly chosen: ReadonlySet<string>;
  readonly problems: ReadonlyMap<string, string>;
  fullName(name: string): string | undefined;
  /** What is said of a tag besides its name. */
  tagSays(tag: SheetTag): string;
  /** Places while cards are dragged. */
  readonly moving: ReadonlyMap<string, Place> | undefined;
  /** What a search has found; undefined while nothing is searched for. */
  readonly lookedFor: ReadonlySet<string> | undefined;
}

export function sheetNodes(g: GraphInput): SheetNode[] {
  const { picture, address } = g;
  const heights = new Map(picture.cards.map((c) => [c.id, heightOf(c, g.problems.has(c.id))]));
  const places = placeCards(picture, (id) => ({ width: cardWidth, height: heights.get(id) ?? 100 }));
  const at = (id: string, place: Place): Place => g.moving?.get(id) ?? place;
  const cards = picture.cards.map((card): CardNode => {
    const own = `${address}/line/${card.id}`;
    const size = { width: cardWidth, height: heights.get(card.id)! };
    return {
      id: card.id,
      type: 'card',
      position: at(card.id, places.get(card.id)!),
      ...size,
      measured: size,
      handles: handlesOf(card),
      selected: g.chosen.has(own),
      deletable: false,
      ...(g.lookedFor && { className: g.lookedFor.has(card.id) ? 'found' : 'not-found' }),
      ariaLabel: card.name === '' ? `Line ${card.text}` : `${card.name} = ${card.formula}`,
      data: {
        card,
        address: own,
        problem: g.problems.get(card.id),
        full: card.name === '' ? undefined : g.fullName(card.outputs[0] ?? card.name),
        fullOutputs: card.outputs.map((o) => g.fullName(o)),
      },
    };
  });
  const boxes = cards.map((n) => ({ ...n.position, height: n.height! }));
  const left = Math.min(0, ...boxes.map((b) => b.x));
  const right = Math.max(0, ...boxes.map((b) => b.x + cardWidth));
  const above = Math.min(0, ...boxes.map((b) => b.y));
  let free = above - 20;
  const notes = picture.notes.map((note): NoteNode => {
    const size = noteSize(note);
    free -= size.height + 8;
    return {
      id: note.id,
      type: 'note',
      position: at(note.id, note.line.place ?? { x: 0, y: free }),
      ...size,
      measured: size,
      handles: [],
      selected: g.chosen.has(`${address}/line/${note.id}`),
      deletable: false,
      ariaLabel: `Note: ${note.text}`,
      data: { note, address: `${address}/line/${note.id}` },
    };
  });
  return [...cards, ...notes, ...tagNodes(g, cards, left, right)];
}

const tagWidth = (t: SheetTag, says: string): number =>
  Math.min(170, Math.max(64, Math.max(t.name.length * 7.7, says.length * 5.8) + 22));

/** Tags stand at the edges, beside the cards they go to or come from, none over another. */
function tagNodes(g: GraphInput, cards: readonly CardNode[], left: number, right: number): TagNode[] {
  const byId = new Map(cards.map((n) => [n.id, n]));
  const wanted = (t: SheetTag): number => {
    const heights = g.picture.wires.flatMap((w) => {
      const end =
        t.side === 'in'
          ? w.name === t.name && w.from === undefined
            ? w.to?.line
            : undefined
          : w.to === undefined && w.name === t.name
            ? w.from
            : undefined;
      const n = end === undefined ? undefined : byId.get(end);
      if (!n) return [];
      if (t.side === 'out') return [n.position.y + outputOf(n.data.card, t.name)];
      return [n.position.y + inputAt(n.data.card.inputs.findIndex((i) => i.key === w.to!.key))];
    });
    return heights.length === 0 ? Infinity : Math.min(...heights);
  };
  const found: TagNode[] = [];
  for (const side of ['in', 'out'] as const) {
    const list = g.picture.tags
      .filter((t) => t.side === side)
      .map((tag) => ({ tag, y: wanted(tag) }))
      .sort((a, b) => a.y - b.y);
    let next = -Infinity;
    for (const { tag, y } of list) {
      const says = g.tagSays(tag);
      const height = says === '' ? tagHeight : tagHeight + 13;
      const top = Math.max(next, Number.isFinite(y) ? y - height / 2 : Math.max(next, 0));
      next = top + height + 8;
      const width = tagWidth(tag, says);
      found.push({
        id: tagId(tag),
        type: 'tag',
        position: { x: side === 'in' ? left - 56 - width : right + 56, y: top },
        width,
        height,
        measured: { width, height },
        handles: [
          side === 'in' ? handleAt('source', 'out', width, height / 2) : handleAt('target', 'in', 0, height / 2),
        ],
        draggable: false,
        deletable: false,
        selectable: false,
        ariaLabel: `${side === 'in' ? 'Comes in' : 'Goes out'}: ${tag.name}${says ? `, ${says}` : ''}`,
        data: { tag, says, full: g.fullName(tag.name), isFed: Number.isFinite(y) },
      });
    }
  }
  return found;
}

export function sheetEdges(
  g: Pick<GraphInput, 'picture' | 'problems' | 'fullName'>,
  nodes: readonly SheetNode[],
  item: string,
): WireEdge[] {
  const byId = new Map(nodes.map((n) => [n.id, n]));
  const boxes: Box[] = nodes.flatMap((n) =>
    n.type === 'note' ? [] : [{ ...n.position, width: n.width!, height: n.height! }],
  );
  return g.picture.wires.flatMap((wire): WireEdge[] => {
    const source = byId.get(wire.from ?? tagId({ side: 'in', name: wire.name }));
    const target = byId.get(wire.to?.line ?? tagId({ side: 'out', name: wire.name }));
    if (!source || !target) return [];
    const from =
      source.type === 'card'
        ? { x: source.position.x + cardWidth, y: source.position.y + outputOf(source.data.card, wire.name) }
        : { x: source.position.x + source.width!, y: source.position.y + source.height! / 2 };
    const to =
      target.type === 'card' && wire.to
        ? {
            x: target.position.x,
            y: target.position.y + inputAt(target.data.card.inputs.findIndex((i) => i.key === wire.to!.key)),
          }
        : { x: target.position.x, y: target.position.y + target.height! / 2 };
    const way = routeWire(from, to, boxes);
    return [
      {
        id: wire.id,
        type: 'wire',
        source: source.id,
        target: target.id,
        sourceHandle: source.type === 'card' ? outputHandle(source.data.card, wire.name) : 'out',
        targetHandle: wire.to?.key ?? 'in',
        selected: item === `wire/${wire.id}`,
        deletable: false,
        reconnectable: wire.to === undefined ? false : wire.from === undefined ? 'target' : true,
        ariaLabel: `Wire ${wire.name}`,
        data: {
          wire,
          way,
          middle: middleOf(way),
          full: g.fullName(wire.name),
          problem: wire.to !== undefined && g.problems.has(wire.to.line),
        },
      },
    ];
  });
}
