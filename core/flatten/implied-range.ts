import type { Expr, Iterator, RefExpr } from '../language/ast';
import { printExpression } from '../language/print';
import { isArray, type Value } from './values';

/**
 * The range of an index that is given none: it counts the elements of what it picks from (Modelica language 3.6, 11.2.2.1). Where
 * it picks from several, these have as many elements.
 */
export function rangeOf(
  { name, range, span }: Iterator,
  body: unknown,
  read: (e: Expr) => Value | undefined,
): { readonly range: readonly Value[] } | { readonly problem: string } | undefined {
  const none = { problem: `The index ${name} needs a range: ${name} in 1:n` };
  if (range) {
    const given = read(range);
    return given === undefined ? undefined : isArray(given) ? { range: given } : none;
  }
  const counted = pickedBy(name, body).map((size): { of: Expr; range: readonly Value[] } | undefined => {
    const one: Expr = { kind: 'number', value: 1, span };
    const found = read({ kind: 'range', start: one, stop: size, span });
    return found && isArray(found) ? { of: size.kind === 'call' ? size.args[0] : size, range: found } : undefined;
  });
  // what cannot be read has been reported
  if (counted.includes(undefined)) return undefined;
  const [first, ...others] = counted as { of: Expr; range: readonly Value[] }[];
  if (!first) return none;
  const other = others.find((x) => x.range.length !== first.range.length);
  return other
    ? {
        problem: `The index ${name} counts ${first.range.length} of ${printExpression(first.of)} and ${other.range.length} of ${printExpression(other.of)}: give it a range`,
      }
    : { range: first.range };
}

/** The sizes of what an index picks elements from, alone in its dimension. */
function pickedBy(name: string, body: unknown): Expr[] {
  const found: Expr[] = [];
  const visit = (node: unknown): void => {
    if (Array.isArray(node)) return node.forEach(visit);
    if (node === null || typeof node !== 'object') return;
    const n = node as { kind?: string; iterators?: readonly Iterator[] };
    // the same name of a loop inside is another index
    if (n.iterators?.some((x) => x.name === name)) return;
    if (n.kind === 'ref') note(node as RefExpr);
    Object.values(node).forEach(visit);
  };
  const note = (ref: RefExpr): void =>
    ref.parts.forEach((part, p) =>
      part.subscripts.forEach((s, k) => {
        if (s.kind !== 'ref' || s.parts.length !== 1 || s.parts[0].name !== name) return;
        const { span } = ref;
        const whole: RefExpr = { ...ref, parts: [...ref.parts.slice(0, p), { ...part, subscripts: [] }] };
        const dimension: Expr = { kind: 'number', value: k + 1, span };
        found.push({ kind: 'call', callee: 'size', calleeSpan: span, args: [whole, dimension], named: [], span });
      }),
    );
  visit(body);
  const keys = new Set<string>();
  return found.filter((e) => !keys.has(printExpression(e)) && keys.add(printExpression(e)));
}
