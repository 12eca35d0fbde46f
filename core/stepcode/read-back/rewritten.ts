import type { Expr, Statement } from '../../language/ast';
import { parseExpressionText } from '../../language/parse';
import { printExpression } from '../../language/print';
import { mapParts } from '../../language/walk';
import { formulasIn } from './speak';

/** Texts of the model with a piece of them replaced: everything else stays as it was written. */

/** A text with one of its formulas replaced, in brackets where it would say something else without. */
export function replaced(text: string, a: Expr, by: Expr, whole: Expr): string {
  const meant = printExpression(withFormula(whole, a, by));
  const [from, to] = extentOf(text, whole);
  const put = (inner: string, { start, end } = a.span): string => text.slice(0, start) + inner + text.slice(end);
  const says = (t: string): boolean => {
    const { value, problems } = parseExpressionText(t.slice(from, t.length - (text.length - to)));
    return problems.length === 0 && printExpression(value) === meant;
  };
  const [before] = /\(\s*$/.exec(text.slice(0, a.span.start)) ?? [''];
  const [behind] = /^\s*\)/.exec(text.slice(a.span.end)) ?? [''];
  const around = { start: a.span.start - before.length, end: a.span.end + behind.length };
  const isCalled = /\w\s*$/.test(text.slice(0, around.start));
  // brackets that nobody needs any more go as well
  const isBare = before !== '' && behind !== '' && !isCalled && by.kind !== 'binary';
  const ways = [inWordsOf(text, by, whole, false), inWordsOf(text, by, whole, true), printExpression(by)].flatMap(
    (p) => [...(isBare ? [put(p, around)] : []), put(p), put(`(${p})`)],
  );
  return ways.find(says) ?? put(`(${printExpression(by)})`);
}
const withFormula = (e: Expr, a: Expr, by: Expr): Expr => (e === a ? by : mapParts(e, (x) => withFormula(x, a, by)));

/** A formula as text; pieces of `whole` in it stand as they were written. */
function inWordsOf(text: string, by: Expr, whole: Expr, inBrackets: boolean): string {
  const known = new Set(formulasIn(whole));
  const pieces: string[] = [];
  const marked = (e: Expr): Expr => {
    if (!known.has(e)) return mapParts(e, marked);
    const piece = text.slice(e.span.start, e.span.end);
    const name = `kept_${pieces.push(inBrackets && e.kind !== 'ref' && e.kind !== 'number' ? `(${piece})` : piece) - 1}_`;
    return { kind: 'ref', global: false, parts: [{ name, subscripts: [], span: e.span }], span: e.span };
  };
  return printExpression(marked(by)).replace(/kept_(\d+)_/g, (_, k: string) => pieces[Number(k)]);
}

/** Where a formula stands in a text, with the brackets that belong to it. */
function extentOf(text: string, { span }: Expr): readonly [number, number] {
  let [from, to] = [span.start, span.end];
  for (;;) {
    let [depth, least] = [0, 0];
    for (const sign of text.slice(from, to)) {
      if (sign === '(') depth++;
      if (sign === ')') least = Math.min(least, --depth);
    }
    const behind = depth - least > 0 ? /^\s*\)/.exec(text.slice(to)) : null;
    const before = least < 0 ? /\(\s*$/.exec(text.slice(0, from)) : null;
    if (!behind && !before) return [from, to];
    to += behind?.[0].length ?? 0;
    from -= before?.[0].length ?? 0;
  }
}

/** A text of statements with some of them replaced. */
export function withLines(
  text: string,
  statements: readonly Statement[],
  at: number,
  count: number,
  lines: readonly string[],
): string {
  const end = (k: number): number => {
    const after = statements[k].span.end;
    const semicolon = /^\s*;/.exec(text.slice(after));
    return after + (semicolon?.[0].length ?? 0);
  };
  const before = at === 0 ? text.slice(0, statements[0]?.span.start ?? 0) : text.slice(0, end(at - 1));
  const rest =
    at + count < statements.length
      ? text.slice(statements[at + count].span.start)
      : text.slice(statements.length > 0 ? end(statements.length - 1) : 0);
  const closed = at > 0 && !/;\s*$/.test(before) ? `${before};` : before;
  return [closed.trimEnd(), ...lines, rest.trim()].filter((t) => t !== '').join('\n');
}
