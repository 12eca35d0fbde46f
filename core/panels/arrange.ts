import type { Control } from '../project/project';

/** A control's new place or look, by id. */
export type Moves = ReadonlyMap<
  string,
  Partial<Pick<Control, 'x' | 'y' | 'width' | 'height' | 'kind' | 'unit' | 'min' | 'max'>>
>;

export const grid = 8;
export const onGrid = (x: number): number => Math.round(x / grid) * grid;

export type Arrangement =
  'left' | 'right' | 'top' | 'bottom' | 'middle' | 'centre' | 'across' | 'down' | 'size' | 'look';

/** Aligns, distributes or equalises chosen controls; the first chosen one is the model where one is needed. */
export function arrange(controls: readonly Control[], how: Arrangement): Moves {
  const [first] = controls;
  const moves = new Map<string, Partial<Control>>();
  if (!first) return moves;
  const left = Math.min(...controls.map((c) => c.x)),
    right = Math.max(...controls.map((c) => c.x + c.width));
  const top = Math.min(...controls.map((c) => c.y)),
    bottom = Math.max(...controls.map((c) => c.y + c.height));
  const each = (f: (c: Control) => Partial<Control>): void => controls.forEach((c) => moves.set(c.id, f(c)));
  const spread = (key: 'x' | 'y', size: 'width' | 'height', from: number, to: number): void => {
    const order = [...controls].sort((a, b) => a[key] - b[key]);
    const room = to - from - order.reduce((sum, c) => sum + c[size], 0);
    let at = from;
    order.forEach((c) => {
      moves.set(c.id, { [key]: Math.round(at) });
      at += c[size] + room / Math.max(1, order.length - 1);
    });
  };
  switch (how) {
    case 'left':
      each(() => ({ x: left }));
      break;
    case 'right':
      each((c) => ({ x: right - c.width }));
      break;
    case 'top':
      each(() => ({ y: top }));
      break;
    case 'bottom':
      each((c) => ({ y: bottom - c.height }));
      break;
    case 'centre':
      each((c) => ({ x: Math.round((left + right - c.width) / 2) }));
      break;
    case 'middle':
      each((c) => ({ y: Math.round((top + bottom - c.height) / 2) }));
      break;
    case 'across':
      spread('x', 'width', left, right);
      break;
    case 'down':
      spread('y', 'height', top, bottom);
      break;
    case 'size':
      each(() => ({ width: first.width, height: first.height }));
      break;
    case 'look':
      controls.slice(1).forEach((c) =>
        moves.set(c.id, {
          width: first.width,
          height: first.height,
          unit: first.unit,
          min: first.min,
          max: first.max,
          ...(sameSort(c.kind, first.kind) && { kind: first.kind }),
        }),
      );
  }
  return moves;
}

const shows: readonly Control['kind'][] = ['readout', 'dial', 'level', 'chart'];
const sets: readonly Control['kind'][] = ['slider', 'field', 'knob'];
/** Kinds that can stand for each other: what shows a number, what sets one. */
export const sameSort = (a: Control['kind'], b: Control['kind']): boolean =>
  a === b || [shows, sets].some((s) => s.includes(a) && s.includes(b));
export const sortOf = (kind: Control['kind']): readonly Control['kind'][] =>
  [shows, sets].find((s) => s.includes(kind)) ?? [kind];
