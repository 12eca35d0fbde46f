import { statesByParent, type Chart, type ChartState, type Transition, type Trigger } from '@/core/project/project';

/** Where a state stands inside its parent, and how large its card is. Regions of a parallel state are lanes over its whole width. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly lane: boolean;
}

export const headerHeight = 27;
const lineHeight = 16.5;
const padding = 14;
const laneHeight = 74;

export function textLines(state: ChartState): string[] {
  const lines = (label: string, text: string): string[] =>
    text
      .trim()
      .split('\n')
      .filter((l) => l.trim() !== '')
      .map((l, k) => `${k === 0 ? label : ' '.repeat(label.length)} ${l.trim()}`);
  return [
    ...lines('entry', state.entry),
    ...lines('do   ', state.do),
    ...lines('exit ', state.exit),
    ...lines('keeps', state.defers),
  ];
}

/** What a place that is not a state says of itself. */
export const kindText: Readonly<Record<ChartState['kind'], string>> = {
  state: '',
  parallel: 'all lanes at once',
  final: 'finished',
  history: 'back to where it was',
  deepHistory: 'back to where it was, all levels',
  choice: 'branches by the guards',
  junction: 'forks before leaving',
  start: 'begins here',
};
export const isPlace = (kind: ChartState['kind']): boolean => kind !== 'state' && kind !== 'parallel';

/** Boxes of all cards, from what they say and hold. */
export function boxesOf(chart: Chart): Map<string, Box> {
  const boxes = new Map<string, Box>();
  const inside = statesByParent(chart);
  const measure = (state: ChartState, lane: boolean): Box => {
    const lines = textLines(state);
    const children = inside.get(state.id) ?? [];
    const most = isPlace(state.kind) ? kindText[state.kind].length * 6.4 + 26 : 128;
    let width = Math.min(
      176,
      Math.max(most, state.name.length * 8 + (isPlace(state.kind) ? 26 : 88), ...lines.map((l) => l.length * 6.2 + 24)),
    );
    let height = headerHeight + (isPlace(state.kind) ? 18 : lines.length ? lines.length * lineHeight + 8 : 10);
    if (state.kind === 'parallel') {
      const lanes = children.map((c) => ({ child: c, box: measure(c, true) }));
      width = Math.max(width, 220, ...lanes.map((l) => l.box.width));
      for (const { child, box } of lanes) {
        boxes.set(child.id, { ...box, x: 0, y: height, width });
        height += box.height;
      }
    } else {
      for (const c of children) {
        const inner = measure(c, false);
        width = Math.max(width, inner.x + inner.width + padding);
        height = Math.max(height, inner.y + inner.height + padding);
      }
      if (lane) height = Math.max(height, laneHeight);
    }
    const box = { x: state.x, y: state.y, width: Math.round(width), height: Math.round(height), lane };
    boxes.set(state.id, box);
    return box;
  };
  for (const s of inside.get(null) ?? []) measure(s, false);
  return boxes;
}

/** States with their parents before them, as the drawing needs them. */
export function parentsFirst(chart: Chart): ChartState[] {
  const of = statesByParent(chart);
  const inside = (parent: string | null): ChartState[] => (of.get(parent) ?? []).flatMap((s) => [s, ...inside(s.id)]);
  return inside(null);
}

export function pathOfState(chart: Chart, state: ChartState): string {
  const parent = chart.states.find((s) => s.id === state.parent);
  return parent ? `${pathOfState(chart, parent)}.${state.name}` : state.name;
}

const triggerWords: Readonly<Record<Trigger['kind'], string>> = {
  message: '',
  after: 'after ',
  at: 'at ',
  every: 'every ',
  when: 'when ',
  rises: 'as soon as ',
  changes: 'on change of ',
  done: 'when finished',
};

export const triggerText = (g: Trigger): string =>
  triggerWords[g.kind] + g.on.trim().replace(/(\d)\s*'([^']*)'/g, '$1 $2');

/** What a transition says on its arrow. */
export function transitionText(t: Transition): string {
  const guard = t.guard.trim() ? ` [${t.guard.trim()}]` : '';
  const effect = t.effect.trim() ? ` / ${t.effect.trim().replace(/\s*\n\s*/g, ' ')}` : '';
  return `${t.triggers.map(triggerText).join(', ')}${guard}${effect}`.trim() || 'at once';
}

export interface Rect {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Where the line from the centre of a card towards a point leaves the card, and through which side. */
function borderPoint(r: Rect, towards: { x: number; y: number }): { x: number; y: number; nx: number; ny: number } {
  const cx = r.x + r.width / 2,
    cy = r.y + r.height / 2;
  const dx = towards.x - cx,
    dy = towards.y - cy;
  if (Math.abs(dx) * r.height > Math.abs(dy) * r.width) {
    const s = Math.sign(dx) || 1;
    return {
      x: cx + (s * r.width) / 2,
      y: Math.min(r.y + r.height - 6, Math.max(r.y + 6, cy + (dy * r.width) / 2 / Math.max(Math.abs(dx), 1e-9))),
      nx: s,
      ny: 0,
    };
  }
  const s = Math.sign(dy) || 1;
  return {
    x: Math.min(r.x + r.width - 6, Math.max(r.x + 6, cx + (dx * r.height) / 2 / Math.max(Math.abs(dy), 1e-9))),
    y: cy + (s * r.height) / 2,
    nx: 0,
    ny: s,
  };
}

const overlapOf = (a0: number, a1: number, b0: number, b1: number): [number, number] | undefined => {
  const lo = Math.max(a0, b0),
    hi = Math.min(a1, b1);
  return hi - lo > 24 ? [lo, hi] : undefined;
};

const holds = (outer: Rect, inner: Rect): boolean =>
  outer.x <= inner.x &&
  outer.y <= inner.y &&
  outer.x + outer.width >= inner.x + inner.width &&
  outer.y + outer.height >= inner.y + inner.height;

/** A point of a cubic curve. Labels of long arrows stand at their lower end, where fewer cards are. */
function onCurve(
  p: { x: number; y: number },
  c1: { x: number; y: number },
  c2: { x: number; y: number },
  q: { x: number; y: number },
  s: number,
): { x: number; y: number } {
  const r = 1 - s;
  const mix = (k: 'x' | 'y'): number =>
    r * r * r * p[k] + 3 * r * r * s * c1[k] + 3 * r * s * s * c2[k] + s * s * s * q[k];
  return { x: mix('x'), y: mix('y') };
}

/**
 * An arrow between two cards: straight where they face each other, curved otherwise. `shift` keeps parallel arrows apart.
 */
export function arrowPath(a: Rect, b: Rect, shift: number): { path: string; x: number; y: number } {
  if (a === b || (a.x === b.x && a.y === b.y && a.width === b.width && a.height === b.height)) {
    const x = a.x + a.width,
      y = a.y + a.height / 2;
    return {
      path: `M ${x} ${y - 8} C ${x + 44} ${y - 26 - shift} ${x + 44} ${y + 26 + shift} ${x} ${y + 10}`,
      x: x + 36,
      y,
    };
  }
  if (holds(a, b) || holds(b, a)) {
    // between a state and one inside it: from the edge of the outer card
    const [outer, inner] = holds(a, b) ? [a, b] : [b, a];
    const y = inner.y + inner.height / 2 + shift;
    const from = { x: outer.x, y },
      to = { x: inner.x, y };
    const [s, e] = holds(a, b) ? [from, to] : [to, from];
    return { path: `M ${s.x} ${s.y} L ${e.x} ${e.y}`, x: (s.x + e.x) / 2, y };
  }
  const vertical = overlapOf(a.x, a.x + a.width, b.x, b.x + b.width);
  const horizontal = overlapOf(a.y, a.y + a.height, b.y, b.y + b.height);
  if (vertical) {
    const x = Math.min(vertical[1] - 8, Math.max(vertical[0] + 8, (vertical[0] + vertical[1]) / 2 + shift));
    const down = b.y > a.y;
    const y1 = down ? a.y + a.height : a.y,
      y2 = down ? b.y : b.y + b.height;
    return { path: `M ${x} ${y1} L ${x} ${y2}`, x, y: (y1 + y2) / 2 };
  }
  if (horizontal) {
    const y = Math.min(horizontal[1] - 6, Math.max(horizontal[0] + 6, (horizontal[0] + horizontal[1]) / 2 + shift));
    const right = b.x > a.x;
    const x1 = right ? a.x + a.width : a.x,
      x2 = right ? b.x : b.x + b.width;
    return { path: `M ${x1} ${y} L ${x2} ${y}`, x: (x1 + x2) / 2, y };
  }
  const centre = (r: Rect): { x: number; y: number } => ({ x: r.x + r.width / 2, y: r.y + r.height / 2 });
  const p = borderPoint(a, centre(b)),
    q = borderPoint(b, centre(a));
  const reach = Math.min(90, Math.hypot(q.x - p.x, q.y - p.y) / 2);
  const c1 = { x: p.x + p.nx * reach + (p.ny ? shift : 0), y: p.y + p.ny * reach + (p.nx ? shift : 0) };
  const c2 = { x: q.x + q.nx * reach + (q.ny ? shift : 0), y: q.y + q.ny * reach + (q.nx ? shift : 0) };
  return {
    path: `M ${p.x} ${p.y} C ${c1.x} ${c1.y} ${c2.x} ${c2.y} ${q.x} ${q.y}`,
    ...onCurve(p, c1, c2, q, Math.abs(q.y - p.y) < 140 ? 0.5 : q.y > p.y ? 0.58 : 0.3),
  };
}

/** The head of an arrow, as a path: a triangle at the end of the line, in the direction it arrives. */
export function arrowHead(path: string): string {
  const numbers = path.match(/-?\d+(?:\.\d+)?(?:e-?\d+)?/g)!.map(Number);
  const [px, py, x, y] = numbers.slice(-4);
  const length = Math.hypot(x - px, y - py) || 1;
  const ux = (x - px) / length,
    uy = (y - py) / length;
  const at = (back: number, side: number): string =>
    `${(x - back * ux - side * uy).toFixed(1)} ${(y - back * uy + side * ux).toFixed(1)}`;
  return `M ${at(0, 0)} L ${at(9, 4)} L ${at(9, -4)} Z `;
}
