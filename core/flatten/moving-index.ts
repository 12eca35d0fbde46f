import type { Expr, RefExpr } from '../language/ast';
import type { Builder } from './builder';
import type { FlatExpr } from './flat-expression';
import type { Scope } from './instance';
import { isArray, isRecord, type Value } from './values';

/** A subscript that is only known during the run: of which part of a name, which of its subscripts, and what it comes to. */
export interface MovingIndex {
  readonly part: number;
  readonly at: number;
  readonly source: Expr;
  readonly value: FlatExpr;
}

/** The first of them in a name; `read` gives the value of a subscript. */
export function findMovingIndex(
  b: Builder,
  ref: RefExpr,
  scope: Scope,
  read: (subscript: Expr, scope: Scope) => Value,
): MovingIndex | undefined {
  if (ref.parts.every((p) => p.subscripts.length === 0)) return undefined;
  // sizes are not needed to see whether an index moves
  const withEnd: Scope = {
    ...scope,
    iterators: new Map([...scope.iterators, ['end', scope.iterators.get('end') ?? 1]]),
  };
  for (const [part, p] of ref.parts.entries())
    for (const [at, source] of p.subscripts.entries()) {
      if (source.kind === 'colon' || source.kind === 'number') continue;
      const value = read(source, withEnd);
      if (!isArray(value) && !isRecord(value) && b.structural(value) === undefined) return { part, at, source, value };
    }
  return undefined;
}

/** The name with another subscript in its place. */
export const withIndex = (ref: RefExpr, { part, at }: MovingIndex, index: Expr): RefExpr => ({
  ...ref,
  parts: ref.parts.map((p, k) =>
    k === part ? { ...p, subscripts: p.subscripts.map((x, j) => (j === at ? index : x)) } : p,
  ),
});

/** The name with a number there. */
export const withNumber = (ref: RefExpr, moving: MovingIndex, value: number): RefExpr =>
  withIndex(ref, moving, { kind: 'number', value, span: moving.source.span });
