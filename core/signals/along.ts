import type { Expr, RefExpr } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { nameOf, nowhere, slope } from '../language/make';
import { mapParts, walkExpression } from '../language/walk';
import type { SignalBlock } from './catalogue';

/** What the formulas of a block's inputs are written over: `x` of the line itself. */
const states = 'x';

const isOwn = (e: Expr, line: string): e is RefExpr => e.kind === 'ref' && e.parts[0].name === line;

const zero: Expr = { kind: 'number', value: 0, span: nowhere };
const listOf = (elements: readonly Expr[]): Expr => ({ kind: 'array', elements, span: nowhere });

/** Whether a formula speaks of the line it stands on. */
export function speaksOf(e: Expr, line: string): boolean {
  let found = false;
  walkExpression(e, (x) => void (found ||= isOwn(x, line)));
  return found;
}

/**
 * What a sheet feeds a block besides what is written on its line: formulas over its states with other values in place of these, and
 * their slopes. `given` is what is written; what cannot be done is told.
 */
export function alongInputs(
  { along }: SignalBlock,
  line: string,
  given: ReadonlyMap<string, Expr>,
  tell: (message: string, span: Span) => void,
): ReadonlyMap<string, Expr> {
  const fed = new Map<string, Expr>();
  if (!along) return fed;
  const lists = new Map<string, readonly Expr[]>();
  let isSound = true;
  for (const name of new Set(along.map((a) => a.formulas))) {
    const list = given.get(name);
    if (list?.kind === 'array' && !list.matrix && list.elements.length > 0) {
      lists.set(name, list.elements);
      walkExpression(list, (x) => {
        if (!isOwn(x, line) || (x.parts.length === 2 && x.parts[1].name === states)) return;
        tell(`In ${name} only the states of ${line} can stand: ${line}.${states}[1] and so on`, x.span);
        isSound = false;
      });
    } else {
      // that nothing feeds it is told already
      if (list) tell(`${name} is a list of formulas: {..., ...}`, list.span);
      isSound = false;
    }
  }
  // it is told: nothing more is to be said of it
  if (!isSound)
    for (const { formulas } of along)
      lists.set(
        formulas,
        (lists.get(formulas) ?? [zero]).map(() => zero),
      );
  // there are as many states as formulas say how they change
  const count = lists.get(along[0].formulas)!.length;
  const place = (variable: string, k: number): RefExpr => {
    const ref = nameOf(line, variable);
    const index: Expr = { kind: 'number', value: k, span: ref.span };
    return { ...ref, parts: [ref.parts[0], { ...ref.parts[1], subscripts: [index] }] };
  };
  const at = (e: Expr, variable: string): Expr =>
    isOwn(e, line)
      ? { ...e, parts: [e.parts[0], { ...e.parts[1], name: variable }] }
      : mapParts(e, (x) => at(x, variable));
  for (const { name, formulas, place: variable, isSlope } of along) {
    const moved = lists.get(formulas)!.map((e) => at(e, variable));
    const elements = isSlope
      ? moved.map((e) => listOf(Array.from({ length: count }, (_, k) => slope(e, place(variable, k + 1)))))
      : moved;
    fed.set(name, listOf(elements));
  }
  return fed;
}
