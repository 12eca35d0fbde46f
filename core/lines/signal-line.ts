import type { NamesInLine } from './names-in-lines';
import { pieceOf, whole, type Piece } from './piece';

/**
 * A line of a signal sheet: `e = wanted - speed` gives a name to a formula, `// text` is a note beside what follows it. Nothing
 * else is a line.
 */
export type SignalLine =
  | { readonly kind: 'block'; readonly name: Piece; readonly formula: Piece }
  | { readonly kind: 'note'; readonly text: Piece }
  | { readonly kind: 'empty' }
  | { readonly kind: 'unread'; readonly at: Piece; readonly message: string };

const namePattern = /^[\p{L}_][\p{L}\p{N}_]*$/u;

export function readSignalLine(text: string): SignalLine {
  const all = whole(text);
  if (all.text === '') return { kind: 'empty' };
  if (all.text.startsWith('//')) return { kind: 'note', text: pieceOf(text, all.start + 2, all.end) };
  const equals = equalsIn(text);
  if (equals < 0)
    return { kind: 'unread', at: all, message: 'A line gives a name to a formula: e = wanted - measured' };
  const name = pieceOf(text, 0, equals);
  const formula = pieceOf(text, equals + 1, text.length);
  if (!namePattern.test(name.text))
    return {
      kind: 'unread',
      at: name.text === '' ? all : name,
      message: 'In front of "=" stands one name: a new one, or an output or variable of the part type',
    };
  if (formula.text === '') return { kind: 'unread', at: name, message: `What is ${name.text}? A formula is missing` };
  return { kind: 'block', name, formula };
}

/** The first "=" that is no comparison and stands outside of brackets and quotes. */
function equalsIn(text: string): number {
  let depth = 0;
  let quote = '';
  for (let k = 0; k < text.length; k++) {
    const c = text[k];
    if (quote !== '') {
      if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
    else if (c === '=' && depth === 0) {
      if (text[k + 1] === '=' || '<>='.includes(text[k - 1] ?? ' ')) {
        if (text[k + 1] === '=') k++;
        continue;
      }
      return k;
    }
  }
  return -1;
}

export function namesInSignalLine(text: string): NamesInLine[] {
  const line = readSignalLine(text);
  return line.kind === 'block'
    ? [
        { kind: 'path', piece: line.name },
        { kind: 'expression', piece: line.formula },
      ]
    : [];
}
