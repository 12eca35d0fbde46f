import type { ComponentElement, Expr, Modification, ModificationArgument, RefExpr } from './ast';
import type { Span } from './diagnostics';

/** Pieces of a syntax tree that no text has: what the document says in other ways becomes declarations by them. */

export const nowhere: Span = { start: 0, end: 0 };

/** A declaration without anything said of it. */
export const component = (
  name: string,
  typeName: string,
  modification: Modification = { args: [] },
  more: Partial<ComponentElement> = {},
): ComponentElement => ({
  kind: 'component',
  name,
  nameSpan: nowhere,
  typeName,
  typeSpan: nowhere,
  dimensions: [],
  variability: 'continuous',
  causality: 'none',
  flow: 'none',
  inner: false,
  outer: false,
  final: false,
  replaceable: false,
  redeclare: false,
  protected: false,
  modification,
  description: '',
  span: nowhere,
  ...more,
});

/** `path = value` in a modification, or what is in brackets behind the path. */
export const argument = (path: readonly string[], modification: Modification): ModificationArgument => ({
  path,
  each: false,
  final: false,
  modification,
  span: modification.value?.span ?? nowhere,
});
export const valueArgument = (path: string, value: Expr): ModificationArgument =>
  argument(path.split('.'), { args: [], value });

/** A name, or a path. */
export const nameOf = (...names: readonly string[]): RefExpr => ({
  kind: 'ref',
  parts: names.map((name) => ({ name, subscripts: [], span: nowhere })),
  global: false,
  span: nowhere,
});

/**
 * `partial(e, x)`: the slope of a formula by a quantity, all others held. It is a word of the language, so that nothing else is called so;
 * no text can say it.
 */
export const slopeOperator = 'partial';
export const slope = (of: Expr, by: RefExpr): Expr => ({
  kind: 'call',
  callee: slopeOperator,
  calleeSpan: of.span,
  args: [of, by],
  named: [],
  span: of.span,
});

export const textValue = (value: string): Expr => ({ kind: 'string', value, span: nowhere });
