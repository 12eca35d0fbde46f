import { diffArrays } from 'diff';
import { keyOf } from './c-keys';
import type { CNode } from './c-tree';

/** Something in a body that is not as it was. */
export interface CChange {
  /** Where it is: from the body down, parts by their numbers. */
  readonly path: readonly number[];
  readonly was: CNode;
  readonly is: CNode;
  /** Of a list of statements: those from `at` on that are gone, and what stands there instead. */
  readonly run?: { readonly at: number; readonly gone: readonly CNode[]; readonly come: readonly CNode[] };
}

/** What has changed between two bodies, each as small as it can be told. */
export function changesOf(was: CNode, is: CNode, path: readonly number[] = []): readonly CChange[] {
  if (keyOf(was) === keyOf(is)) return [];
  if (was.kind === 'list' && is.kind === 'list') return changedRuns(was, is, path);
  const isAlike = was.kind === is.kind && was.word === is.word && was.parts.length === is.parts.length;
  const differing = isAlike ? was.parts.flatMap((p, k) => (keyOf(p) === keyOf(is.parts[k]) ? [] : [k])) : [];
  // parts of a statement and conditions of a row change one by one; another expression with more than one change is told as a whole
  const isRow = isStatement(was) || was.kind === 'values' || was.word === '&&' || was.word === '||';
  const isElsewhere = was.kind === 'assign' && differing.includes(0);
  const isWhole = isElsewhere || (!isRow && differing.length > 1);
  if (!isAlike || isWhole || differing.length === 0) return [{ path, was, is }];
  return differing.flatMap((k) => changesOf(was.parts[k], is.parts[k], [...path, k]));
}

function changedRuns(was: CNode, is: CNode, path: readonly number[]): readonly CChange[] {
  const keys = (list: readonly CNode[]): string[] => list.map((p) => keyOf(p));
  return aligned(was.parts, is.parts, keys).flatMap(({ at, gone, come }) => {
    const isPaired = gone.length === come.length && gone.every((g, k) => shapeOf(g) === shapeOf(come[k]));
    // statements of one shape are taken for the same with a change in them
    const pieces = isPaired
      ? gone.map((g, k) => ({ at: k, gone: [g], come: [come[k]] }))
      : aligned(gone, come, (list) => list.map(shapeOf), true);
    return pieces.flatMap((piece): readonly CChange[] => {
      const k = at + piece.at;
      const [g, c] = [piece.gone[0], piece.come[0]];
      if (piece.gone.length === 1 && piece.come.length === 1 && shapeOf(g) === shapeOf(c))
        return changesOf(g, c, [...path, k]);
      const parts = [...was.parts.slice(0, k), ...piece.come, ...was.parts.slice(k + piece.gone.length)];
      return [{ path, was, is: { ...was, parts }, run: { at: k, gone: piece.gone, come: piece.come } }];
    });
  });
}

interface Piece {
  readonly at: number;
  readonly gone: readonly CNode[];
  readonly come: readonly CNode[];
}
/** Where two lists are not the same by their keys; `all`: and each pair that is. */
function aligned(
  was: readonly CNode[],
  is: readonly CNode[],
  keys: (list: readonly CNode[]) => string[],
  all = false,
): readonly Piece[] {
  const found: Piece[] = [];
  let [a, b] = [0, 0];
  let gone: readonly CNode[] = [];
  const close = (come: readonly CNode[]): void => {
    if (gone.length + come.length > 0) found.push({ at: a - gone.length, gone, come });
    gone = [];
  };
  for (const { value, removed, added } of diffArrays(keys(was), keys(is))) {
    const count = value.length;
    if (removed) {
      gone = was.slice(a, a + count);
      a += count;
    } else if (added) {
      close(is.slice(b, b + count));
      b += count;
    } else {
      close([]);
      for (let k = 0; all && k < count; k++) found.push({ at: a + k, gone: [was[a + k]], come: [is[b + k]] });
      a += count;
      b += count;
    }
  }
  close([]);
  return found;
}

/** What kind of statement it is, and what it sets. */
const shapeOf = (x: CNode): string => (x.kind === 'assign' ? `assign ${keyOf(x.parts[0])}` : `${x.kind} ${x.word}`);

const statements = new Set(['list', 'assign', 'do', 'if', 'while', 'switch', 'case', 'return', 'declare']);
export const isStatement = (x: CNode): boolean => statements.has(x.kind);

/** A body with a part of it replaced. */
export function withAt(body: CNode, path: readonly number[], is: CNode): CNode {
  const [first, ...rest] = path;
  return first === undefined
    ? is
    : { ...body, parts: body.parts.map((p, k) => (k === first ? withAt(p, rest, is) : p)) };
}

/** A body with changes carried out, whichever they are. */
export function withChanges(body: CNode, changes: readonly CChange[]): CNode {
  const place = (c: CChange): readonly number[] => (c.run ? [...c.path, c.run.at] : c.path);
  // from the end to the beginning, what lies inside first: no way to another one changes
  const inOrder = [...changes].sort((x, y) => {
    const [p, q] = [place(x), place(y)];
    const k = p.findIndex((n, j) => n !== q[j]);
    return k < 0 || q[k] === undefined ? q.length - p.length : q[k] - p[k];
  });
  return inOrder.reduce((b, c) => {
    if (!c.run) return withAt(b, c.path, c.is);
    const list = nodeAt(b, c.path);
    const { at, gone, come } = c.run;
    const parts = [...list.parts.slice(0, at), ...come, ...list.parts.slice(at + gone.length)];
    return withAt(b, c.path, { ...list, parts });
  }, body);
}

export const nodeAt = (body: CNode, path: readonly number[]): CNode => path.reduce((x, k) => x.parts[k], body);
