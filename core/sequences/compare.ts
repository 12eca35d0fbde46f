import type { PictureRow, SequencePicture } from './picture';

/** Two sequences side by side: rows that belong together, and rows only one of them has. */
export interface SequenceComparison {
  readonly pairs: readonly SequencePair[];
  readonly missing: number;
  readonly extra: number;
  readonly moved: number;
  /** Largest difference in time of rows that belong together. */
  readonly latest: number;
  /** Index in `pairs` of the first difference, -1 for none. */
  readonly first: number;
}

export interface SequencePair {
  /** `missing`: only the first has it; `extra`: only the second; `moved`: both, in another order. */
  readonly kind: 'same' | 'missing' | 'extra' | 'moved';
  readonly a: PictureRow | undefined;
  readonly b: PictureRow | undefined;
  /** Seconds the second is later. */
  readonly shift: number | undefined;
}

const keyOf = (r: PictureRow): string =>
  r.kind === 'message'
    ? `${r.from}>${r.to}:${r.text.replace(/\(.*$/, '')}`
    : r.kind === 'state' || r.kind === 'start'
      ? `${r.part}=${r.text}`
      : '';

/** Compares messages (and states, where both have them) by who says what to whom, in order (Myers 1986). */
export function compareSequences(
  a: SequencePicture,
  b: SequencePicture,
  options: { readonly states?: boolean } = {},
): SequenceComparison {
  const pick = (p: SequencePicture): PictureRow[] =>
    p.rows.filter((r) => r.kind === 'message' || (options.states === true && r.kind === 'state'));
  const [rowsA, rowsB] = [pick(a), pick(b)];
  const steps = difference(rowsA.map(keyOf), rowsB.map(keyOf));
  const pairs: {
    kind: SequencePair['kind'];
    a: PictureRow | undefined;
    b: PictureRow | undefined;
    shift: number | undefined;
  }[] = [];
  let i = 0,
    j = 0;
  for (const s of steps) {
    if (s === 'same') {
      const [x, y] = [rowsA[i++], rowsB[j++]];
      pairs.push({
        kind: 'same',
        a: x,
        b: y,
        shift: x.time !== undefined && y.time !== undefined ? y.time - x.time : undefined,
      });
    } else if (s === 'missing') pairs.push({ kind: 'missing', a: rowsA[i++], b: undefined, shift: undefined });
    else pairs.push({ kind: 'extra', a: undefined, b: rowsB[j++], shift: undefined });
  }
  // what is missing here and extra there has only moved
  const extras = new Map<string, number[]>();
  pairs.forEach((p, k) => p.kind === 'extra' && extras.set(keyOf(p.b!), [...(extras.get(keyOf(p.b!)) ?? []), k]));
  for (const p of pairs) {
    if (p.kind !== 'missing') continue;
    const at = extras.get(keyOf(p.a!))?.shift();
    if (at === undefined) continue;
    const other = pairs[at];
    p.kind = 'moved';
    p.b = other.b;
    other.kind = 'moved';
    other.a = p.a;
    p.shift = other.shift =
      p.a!.time !== undefined && other.b!.time !== undefined ? other.b!.time - p.a!.time : undefined;
  }
  const count = (kind: SequencePair['kind']): number => pairs.filter((p) => p.kind === kind).length;
  return {
    pairs,
    missing: count('missing'),
    extra: count('extra'),
    moved: count('moved') / 2,
    latest: pairs.reduce((m, p) => Math.max(m, Math.abs(p.shift ?? 0)), 0),
    first: pairs.findIndex((p) => p.kind !== 'same'),
  };
}

/** Shortest way from one list to another; beyond a few thousand differences the rest counts as replaced. */
function difference(a: readonly string[], b: readonly string[]): ('same' | 'missing' | 'extra')[] {
  let head = 0;
  while (head < a.length && head < b.length && a[head] === b[head]) head++;
  let tail = 0;
  while (tail < a.length - head && tail < b.length - head && a[a.length - 1 - tail] === b[b.length - 1 - tail]) tail++;
  const x = a.slice(head, a.length - tail),
    y = b.slice(head, b.length - tail);
  const same = (n: number): 'same'[] => Array.from({ length: n }, () => 'same');
  return [...same(head), ...shortest(x, y), ...same(tail)];
}

function shortest(x: readonly string[], y: readonly string[]): ('same' | 'missing' | 'extra')[] {
  const [n, m] = [x.length, y.length];
  const most = Math.min(n + m, 2000);
  const offset = most + 1;
  const v = new Int32Array(2 * most + 3);
  const trace: Int32Array[] = [];
  for (let d = 0; d <= most; d++) {
    trace.push(v.slice());
    for (let k = -d; k <= d; k += 2) {
      let i =
        k === -d || (k !== d && v[offset + k - 1] < v[offset + k + 1]) ? v[offset + k + 1] : v[offset + k - 1] + 1;
      while (i < n && i - k < m && x[i] === y[i - k]) i++;
      v[offset + k] = i;
      if (i >= n && i - k >= m) return walkBack(trace, d, n, m, offset);
    }
  }
  return [...x.map(() => 'missing' as const), ...y.map(() => 'extra' as const)];
}

function walkBack(
  trace: readonly Int32Array[],
  d: number,
  n: number,
  m: number,
  offset: number,
): ('same' | 'missing' | 'extra')[] {
  const steps: ('same' | 'missing' | 'extra')[] = [];
  let i = n,
    j = m;
  for (let depth = d; depth > 0; depth--) {
    const v = trace[depth];
    const k = i - j;
    const down = k === -depth || (k !== depth && v[offset + k - 1] < v[offset + k + 1]);
    const before = down ? k + 1 : k - 1;
    const bi = v[offset + before],
      bj = bi - before;
    while (i > bi && j > bj && i - 1 >= (down ? bi : bi + 1) && j - 1 >= (down ? bj + 1 : bj)) {
      steps.push('same');
      i--;
      j--;
    }
    steps.push(down ? 'extra' : 'missing');
    i = bi;
    j = bj;
  }
  while (i > 0 && j > 0) {
    steps.push('same');
    i--;
    j--;
  }
  return steps.reverse();
}
