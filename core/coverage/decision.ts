import { sameExpression, type FlatExpr } from '../flatten/flat-expression';

/** How a truth follows from its conditions, by their numbers. */
export type Tree =
  | { readonly op: 'is'; readonly condition: number }
  | { readonly op: 'always'; readonly value: boolean }
  | { readonly op: 'not'; readonly a: Tree }
  | { readonly op: 'and' | 'or'; readonly a: Tree; readonly b: Tree }
  | { readonly op: 'if'; readonly c: Tree; readonly a: Tree; readonly b: Tree };

/**
 * A decision: a truth that is put together from conditions, which are truths that nothing is put together of (RTCA DO-178C, glossary). The same
 * condition written twice is one.
 */
export interface Decided {
  readonly conditions: readonly FlatExpr[];
  readonly tree: Tree;
}

export function readDecision(e: FlatExpr): Decided {
  const conditions: FlatExpr[] = [];
  const read = (x: FlatExpr): Tree => {
    switch (x.op) {
      case 'and':
      case 'or':
        return { op: x.op, a: read(x.a), b: read(x.b) };
      case 'not':
        return { op: 'not', a: read(x.a) };
      case 'noEvent':
      case 'noted':
        return read(x.a);
      case 'if':
        return { op: 'if', c: read(x.c), a: read(x.a), b: read(x.b) };
      case 'const':
        return { op: 'always', value: x.value !== 0 };
      default: {
        const known = conditions.findIndex((c) => sameExpression(c, x));
        return { op: 'is', condition: known >= 0 ? known : conditions.push(x) - 1 };
      }
    }
  };
  return { tree: read(e), conditions };
}

/** What a decision comes to: of a word the conditions are the bits, the first the lowest. */
export function outcomeOf(tree: Tree, word: number): boolean {
  switch (tree.op) {
    case 'is':
      return ((word >>> tree.condition) & 1) === 1;
    case 'always':
      return tree.value;
    case 'not':
      return !outcomeOf(tree.a, word);
    case 'and':
      return outcomeOf(tree.a, word) && outcomeOf(tree.b, word);
    case 'or':
      return outcomeOf(tree.a, word) || outcomeOf(tree.b, word);
    case 'if':
      return outcomeOf(outcomeOf(tree.c, word) ? tree.a : tree.b, word);
  }
}

/** More conditions than a word has room for: only how such a decision comes out is counted. */
export const mostConditions = 30;
