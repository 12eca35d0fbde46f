import type { Place } from '../project/document';
import type { SheetPicture } from './sheet-picture';

/** Where cards come to stand that nobody has placed. */

export interface CardSize {
  readonly width: number;
  readonly height: number;
}

const across = 70,
  below = 24;

/**
 * Places for all cards: those that have one keep it; another comes to stand right of what it is made of, below what is there already. The same sheet
 * gives the same picture.
 */
export function placeCards(picture: SheetPicture, sizeOf: (id: string) => CardSize): ReadonlyMap<string, Place> {
  const { cards } = picture;
  const found = new Map<string, Place>(cards.flatMap((c) => (c.place ? [[c.id, c.place]] : [])));
  if (found.size === cards.length) return found;
  const sources = new Map<string, string[]>();
  for (const w of picture.wires)
    if (w.from !== undefined && w.to && w.from !== w.to.line)
      sources.set(w.to.line, [...(sources.get(w.to.line) ?? []), w.from]);
  // boxes by columns, so that a large sheet is not searched through for each card
  const columns = new Map<number, { readonly top: number; readonly bottom: number }[]>();
  const widest = Math.max(...cards.map((c) => sizeOf(c.id).width)) + across;
  const columnsOf = (x: number, width: number): number[] => {
    const [a, b] = [Math.floor(x / widest), Math.floor((x + width) / widest)];
    return a === b ? [a] : [a, b];
  };
  const take = (at: Place, { width, height }: CardSize): void => {
    for (const k of columnsOf(at.x, width)) {
      const list = columns.get(k) ?? [];
      list.push({ top: at.y, bottom: at.y + height });
      columns.set(k, list);
    }
  };
  for (const c of cards) if (c.place) take(c.place, sizeOf(c.id));
  const free = ({ x, y }: Place, { width, height }: CardSize): Place => {
    const near = columnsOf(x, width)
      .flatMap((k) => columns.get(k) ?? [])
      .sort((a, b) => a.top - b.top);
    let top = y;
    for (const b of near) if (b.top < top + height + below && b.bottom + below > top) top = b.bottom + below;
    return { x, y: top };
  };
  const open = new Set<string>();
  const place = (id: string): Place | undefined => {
    const known = found.get(id);
    if (known) return known;
    if (open.has(id)) return undefined;
    open.add(id);
    const before = (sources.get(id) ?? []).flatMap((s) => {
      const at = place(s);
      return at ? [{ at, width: sizeOf(s).width }] : [];
    });
    const wanted =
      before.length === 0
        ? { x: 0, y: 0 }
        : {
            x: Math.max(...before.map((b) => b.at.x + b.width)) + across,
            y: Math.min(...before.map((b) => b.at.y)),
          };
    const size = sizeOf(id);
    const at = free(wanted, size);
    found.set(id, at);
    take(at, size);
    return at;
  };
  for (const c of cards) place(c.id);
  return found;
}
