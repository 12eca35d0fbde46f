import type { Expr } from '../language/ast';
import { mapParts } from '../language/walk';

/** Names of a part as those of the whole it is in; `time` is the same everywhere. */
export function insideOf(expr: Expr, part: string): Expr {
  const named = (e: Expr, own: ReadonlySet<string>): Expr => {
    if (e.kind === 'ref' && !e.global && e.parts[0].name !== 'time' && !own.has(e.parts[0].name)) {
      const { start } = e.span;
      const first = { name: part, subscripts: [], span: { start, end: start } };
      const parts = e.parts.map((p) => ({ ...p, subscripts: p.subscripts.map((x) => named(x, own)) }));
      return { ...e, parts: [first, ...parts] };
    }
    const within = e.kind === 'comprehension' ? new Set([...own, ...e.iterators.map((i) => i.name)]) : own;
    return mapParts(e, (x) => named(x, within));
  };
  return part === '' ? expr : named(expr, new Set());
}
