import type { CallExpr } from '../language/ast';
import { splitAt, within, type Piece } from '../lines/piece';

/** What stands between the brackets of a call, as it is written: spans of formulas do not tell brackets around them. */
export interface ArgumentText {
  readonly name: string | undefined;
  readonly value: Piece;
}

export function argumentTexts(text: string, call: CallExpr): readonly ArgumentText[] {
  const open = text.indexOf('(', call.calleeSpan.end);
  if (open < 0) return [];
  let depth = 0;
  let quote = '';
  let close = text.length;
  for (let k = open; k < text.length; k++) {
    const c = text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c) && --depth === 0) {
      close = k;
      break;
    }
  }
  const inside: Piece = { text: text.slice(open + 1, close), start: open + 1, end: close };
  return splitAt(inside, ',').flatMap((one): ArgumentText[] => {
    if (one.text === '') return [];
    const [, head] = /^([\p{L}_][\p{L}\p{N}_]*\s*)=(?!=)/u.exec(one.text) ?? [];
    return [
      head === undefined ? { name: undefined, value: one } : { name: head.trim(), value: within(one, head.length + 1) },
    ];
  });
}
