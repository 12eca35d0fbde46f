import { nanoid } from 'nanoid';
import type { FileSignal } from '@/core/formats/stimulus-csv';
import type { Edit } from '@/core/project/edit';
import {
  newSignalLine,
  type PartType,
  type Place,
  type Project,
  type SignalLine,
  type SignalSheet,
} from '@/core/project/project';
import { lineOf, offersFor, type SheetOffer } from '@/core/signals/offers';
import type { SheetCard, SheetNames, SheetPicture, SheetWire } from '@/core/signals/sheet-picture';
import type { SheetSurroundings } from '@/core/signals/surroundings';
import { rewire, unwire, wireInto, wireOnto, type WireOffer } from '@/core/signals/wiring';

/** What can be done to a signal sheet in its drawing, as edits of its lines. */

export interface SheetChange {
  readonly edit: Edit;
  readonly label: string;
  /** What is chosen after it: ids of lines. */
  readonly chosen?: readonly string[];
}

export interface SheetAtHand {
  readonly project: Project;
  readonly type: PartType;
  readonly sheet: SignalSheet;
  readonly picture: SheetPicture;
  readonly names: SheetNames;
  readonly around: SheetSurroundings;
}

/** What a search was opened for. */
export type Attached =
  | { readonly kind: 'from'; readonly name: string }
  | { readonly kind: 'into'; readonly line: string; readonly key: string }
  | { readonly kind: 'between'; readonly wire: SheetWire };

export const linesOf = ({ type, sheet }: Pick<SheetAtHand, 'type' | 'sheet'>): string =>
  `type/${type.id}/signals/${sheet.id}/line`;
export const rounded = ({ x, y }: Place): Place => ({ x: Math.round(x), y: Math.round(y) });
export const cardOf = ({ picture }: SheetAtHand, id: string): SheetCard | undefined =>
  picture.cards.find((c) => c.id === id);
const newId = (): string => `z-${nanoid(8)}`;

export const insertLine = (s: SheetAtHand, line: SignalLine): Edit => ({
  kind: 'insert',
  list: linesOf(s),
  entry: line,
});
export const changeText = (s: SheetAtHand, id: string, text: string): Edit => ({
  kind: 'update',
  list: linesOf(s),
  id,
  changes: { text },
});

export function addText(s: SheetAtHand, text: string, at: Place, label = 'Add a line'): SheetChange {
  const line = { ...newSignalLine(newId(), text), place: rounded(at) };
  return { edit: insertLine(s, line), label, chosen: [line.id] };
}

/** A place near the one that is wanted where no card lies over another. */
export function freePlace(
  boxes: readonly { readonly x: number; readonly y: number; readonly width: number; readonly height: number }[],
  at: Place,
  size: { readonly width: number; readonly height: number } = { width: 226, height: 84 },
): Place {
  let { y } = at;
  const near = boxes.filter((b) => b.x < at.x + size.width + 12 && b.x + b.width + 12 > at.x).sort((a, b) => a.y - b.y);
  for (const b of near) if (b.y < y + size.height + 12 && b.y + b.height + 12 > y) y = b.y + b.height + 20;
  return { x: at.x, y };
}

/** Puts an offer onto the sheet, wired to what the search was opened for. */
export function addOffer(s: SheetAtHand, offer: SheetOffer, at: Place, attached: Attached | undefined): SheetChange {
  const from =
    attached?.kind === 'from' ? attached.name : attached?.kind === 'between' ? attached.wire.name : undefined;
  const made = lineOf(offer, from, (name) => s.names.kindOf([name]) === 'free');
  const line = { ...newSignalLine(newId(), made.text), place: rounded(at) };
  const label = `Add ${made.name}`;
  const edits = [insertLine(s, line)];
  const to =
    attached?.kind === 'into'
      ? { ...attached, before: undefined }
      : attached?.kind === 'between' && attached.wire.to
        ? { ...attached.wire.to, before: attached.wire.name }
        : undefined;
  const card = to && cardOf(s, to.line);
  if (to && card)
    edits.push(
      changeText(
        s,
        card.id,
        to.before === undefined
          ? (wireInto(card, to.key, made.name).at(-1)?.text ?? card.text)
          : rewire(card, to.key, to.before, made.name),
      ),
    );
  return { edit: edits.length === 1 ? edits[0] : { kind: 'batch', label, edits }, label, chosen: [line.id] };
}

/** Puts a delay, or where nothing ticks a short lag, between the last and the first card of a circle without memory. */
export function delayInCircle(s: SheetAtHand, circle: readonly string[]): SheetChange | undefined {
  const [first, last] = [circle[0], circle.at(-1)!];
  const wire = s.picture.wires.find((w) => w.from === last && w.to?.line === first);
  const [key, set] = s.sheet.every.trim() === '' ? ['continuous lag', "T = 1 'ms'"] : ['sampled delayBy', 'n = 1'];
  const offer = offersFor(s.sheet).find((o) => o.key === key);
  const target = cardOf(s, first);
  if (!wire || !offer || !target) return undefined;
  const place = s.sheet.lines.find((l) => l.id === first)?.place ?? { x: 0, y: 0 };
  const made: SheetOffer = { ...offer, formula: `${offer.title}(#1, ${set})` };
  const change = addOffer(s, made, { x: place.x - 40, y: place.y + 130 }, { kind: 'between', wire });
  return { ...change, label: `Put a ${offer.title === 'lag' ? 'lag' : 'delay'} into the circle of ${target.name}` };
}

/** A name the part has already, put where the search was opened. */
export function putName(
  s: SheetAtHand,
  name: string,
  at: Place,
  attached: Attached | undefined,
): SheetChange | readonly WireOffer[] {
  if (attached?.kind === 'into') {
    const card = cardOf(s, attached.line);
    const text = card && wireInto(card, attached.key, name).at(-1)?.text;
    if (card && text !== undefined)
      return { edit: changeText(s, card.id, text), label: `Wire ${name} to ${card.name}`, chosen: [card.id] };
  }
  if (attached?.kind === 'from') {
    const id = s.names.lines.get(name);
    const card = id === undefined ? undefined : cardOf(s, id);
    if (card) return wireOnto(card, attached.name);
    const change = giveOutput(s, attached.name, name, at);
    if (change) return change;
  }
  const plain = name.split('.').at(-1)!;
  let own = plain;
  for (let k = 2; s.names.kindOf([own]) !== 'free'; k++) own = `${plain}${k}`;
  return addText(s, `${own} = ${name}`, at, `Add ${own}`);
}

/** A wire that is led to an output: the line it comes from gives it where nothing else uses that name, else a line more. */
export function giveOutput(s: SheetAtHand, from: string, output: string, at: Place): SheetChange | undefined {
  const q = s.type.quantities.find((x) => x.name === output);
  if (!q || (q.role !== 'output' && q.role !== 'variable') || from === output) return undefined;
  const id = s.names.lines.get(from);
  const card = id === undefined ? undefined : cardOf(s, id);
  const isQuantity = s.type.quantities.some((x) => x.name === from);
  const label = `${output} is given by ${from}`;
  if (card && card.outputs.length === 1 && !isQuantity && !s.picture.wires.some((w) => w.name === from)) {
    const equals = card.text.indexOf('=');
    return { edit: changeText(s, card.id, `${output} ${card.text.slice(equals)}`), label, chosen: [card.id] };
  }
  return addText(s, `${output} = ${from}`, at, label);
}

/** A card that is dropped onto a wire goes in between, where something of it is free. */
export function putBetween(s: SheetAtHand, id: string, wire: SheetWire): SheetChange | undefined {
  const [card, target] = [cardOf(s, id), wire.to && cardOf(s, wire.to.line)];
  const free = card?.inputs.find((i) => i.isFree);
  if (!card || !target || !free || wire.from === id || target.id === id || card.name === '') return undefined;
  const text = wireInto(card, free.key, wire.name).at(-1)?.text;
  if (text === undefined) return undefined;
  const label = `Put ${card.name} into the wire ${wire.name}`;
  return {
    label,
    chosen: [id],
    edit: {
      kind: 'batch',
      label,
      edits: [
        changeText(s, id, text),
        changeText(s, target.id, rewire(target, wire.to!.key, wire.name, card.outputs[0])),
      ],
    },
  };
}

export function removeWire(s: SheetAtHand, wire: SheetWire): SheetChange | undefined {
  const card = wire.to && cardOf(s, wire.to.line);
  if (!card) return undefined;
  return {
    edit: changeText(s, card.id, unwire(card, wire.to!.key, wire.name, s.names)),
    label: `Take the wire ${wire.name} away from ${card.name}`,
  };
}

/** The end of a wire moved to another card: what was there is free, or a sum without it. */
export function moveEnd(
  s: SheetAtHand,
  wire: SheetWire,
  to: { readonly line: string; readonly offer: WireOffer },
): SheetChange | undefined {
  const card = wire.to && cardOf(s, wire.to.line);
  if (!card) return undefined;
  const label = `Move the end of ${wire.name}`;
  if (card.id === to.line) return undefined;
  return {
    label,
    chosen: [to.line],
    edit: {
      kind: 'batch',
      label,
      edits: [
        changeText(s, card.id, unwire(card, wire.to!.key, wire.name, s.names)),
        changeText(s, to.line, to.offer.text),
      ],
    },
  };
}

/** The beginning of a wire moved to something else that gives a value. */
export function moveBegin(s: SheetAtHand, wire: SheetWire, name: string): SheetChange | undefined {
  const card = wire.to && cardOf(s, wire.to.line);
  if (!card || name === wire.name) return undefined;
  return {
    edit: changeText(s, card.id, rewire(card, wire.to!.key, wire.name, name)),
    label: `Wire ${name} to ${card.name}`,
    chosen: [card.id],
  };
}

export function moveCards(s: SheetAtHand, places: ReadonlyMap<string, Place>, label = ''): SheetChange {
  return {
    edit: {
      kind: 'update-all',
      list: linesOf(s),
      updates: [...places].map(([id, at]) => ({ id, changes: { place: rounded(at) } })),
    },
    label: label || (places.size === 1 ? 'Move a card' : `Move ${places.size} cards`),
  };
}

export type Alignment = 'left' | 'top' | 'row' | 'column';
export const alignments: readonly (readonly [how: Alignment, what: string])[] = [
  ['left', 'Left edges in line'],
  ['top', 'Upper edges in line'],
  ['row', 'Side by side, evenly'],
  ['column', 'One below the other, evenly'],
];

/** Chosen cards brought into line. */
export function align(
  cards: readonly {
    readonly id: string;
    readonly x: number;
    readonly y: number;
    readonly width: number;
    readonly height: number;
  }[],
  how: Alignment,
): ReadonlyMap<string, Place> {
  const [left, top] = [Math.min(...cards.map((c) => c.x)), Math.min(...cards.map((c) => c.y))];
  if (how === 'left') return new Map(cards.map((c) => [c.id, { x: left, y: c.y }]));
  if (how === 'top') return new Map(cards.map((c) => [c.id, { x: c.x, y: top }]));
  const isRow = how === 'row';
  let next = isRow ? left : top;
  const sorted = [...cards].sort((a, b) => (isRow ? a.x - b.x : a.y - b.y));
  return new Map(
    sorted.map((c) => {
      const at = isRow ? { x: next, y: top } : { x: left, y: next };
      next += isRow ? c.width + 60 : c.height + 24;
      return [c.id, at];
    }),
  );
}

/** Columns of a file as lines that follow them over time, one below the other from a place on. */
export function addCourses(s: SheetAtHand, signals: readonly FileSignal[], file: string, at: Place): SheetChange {
  const taken = new Set<string>();
  const lines = signals.map((x, k) => {
    const base =
      x.target
        .split('.')
        .at(-1)!
        .replace(/\W+/g, '_')
        .replace(/^(?=\d)/, 'c') || 'course';
    let name = base;
    for (let n = 2; s.names.kindOf([name]) !== 'free' || taken.has(name); n++) name = `${base}${n}`;
    taken.add(name);
    return { ...newSignalLine(newId(), `${name} = ${x.formula}`), place: rounded({ x: at.x, y: at.y + 110 * k }) };
  });
  const label = `Add the columns of ${file}`;
  return {
    edit: { kind: 'batch', label, edits: lines.map((l) => insertLine(s, l)) },
    label,
    chosen: lines.map((l) => l.id),
  };
}
