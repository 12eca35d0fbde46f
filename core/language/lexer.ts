import { table } from './table';
import { problem, type Problem } from './diagnostics';

export type TokenKind = 'name' | 'quoted' | 'number' | 'string' | 'keyword' | 'symbol' | 'end-of-text';
export interface Token {
  readonly kind: TokenKind;
  /** Name, keyword, symbol, or the decoded value of a string or quoted name. */
  readonly text: string;
  readonly start: number;
  readonly end: number;
}
export interface Comment {
  readonly start: number;
  readonly end: number;
}

/** Reserved words of the Modelica language 3.6, section 2.3.3. `send` and `to` are ours and only reserved in place. */
export const keywords: ReadonlySet<string> = new Set(
  (
    'algorithm and annotation block break class connect connector constant constrainedby der discrete each else elseif ' +
    'elsewhen encapsulated end enumeration equation expandable extends external false final flow for function if import ' +
    'impure in initial inner input loop model not operator or outer output package parameter partial protected public ' +
    'pure record redeclare replaceable return stream then true type when while within'
  ).split(' '),
);

const symbols = [
  ':=',
  '<=',
  '>=',
  '==',
  '<>',
  '.+',
  '.-',
  '.*',
  './',
  '.^',
  '(',
  ')',
  '[',
  ']',
  '{',
  '}',
  ';',
  ',',
  ':',
  '=',
  '<',
  '>',
  '+',
  '-',
  '*',
  '/',
  '^',
  '.',
];
const isLetter = (c: string): boolean => /[\p{L}_]/u.test(c);
const isDigit = (c: string): boolean => c >= '0' && c <= '9';
const escapes: Record<string, string> = table({ n: '\n', t: '\t', r: '\r', a: '\x07', b: '\b', f: '\f', v: '\v' });

/** Splits a text into tokens. Never throws: what cannot be read is reported and skipped. */
export function lex(text: string): { tokens: Token[]; comments: Comment[]; problems: Problem[] } {
  const tokens: Token[] = [];
  const comments: Comment[] = [];
  const problems: Problem[] = [];
  let i = 0;
  const quotedText = (quote: string): { value: string; end: number; closed: boolean } => {
    let value = '';
    let j = i + 1;
    while (j < text.length && text[j] !== quote) {
      if (text[j] === '\\' && j + 1 < text.length) {
        value += escapes[text[j + 1]] ?? text[j + 1];
        j += 2;
      } else value += text[j++];
    }
    return { value, end: Math.min(j + 1, text.length), closed: j < text.length };
  };
  while (i < text.length) {
    const c = text[i];
    if (c === ' ' || c === '\t' || c === '\n' || c === '\r' || c === '\uFEFF' || c === '\u00A0') {
      i++;
    } else if (c === '/' && text[i + 1] === '/') {
      const newline = text.indexOf('\n', i);
      const end = newline < 0 ? text.length : newline;
      comments.push({ start: i, end });
      i = end;
    } else if (c === '/' && text[i + 1] === '*') {
      const close = text.indexOf('*/', i + 2);
      const end = close < 0 ? text.length : close + 2;
      if (close < 0)
        problems.push(problem('error', 'open-comment', 'This comment is not closed with */', { start: i, end: i + 2 }));
      comments.push({ start: i, end });
      i = end;
    } else if (isLetter(c)) {
      let j = i + 1;
      while (j < text.length && (isLetter(text[j]) || isDigit(text[j]))) j++;
      const word = text.slice(i, j);
      tokens.push({ kind: keywords.has(word) ? 'keyword' : 'name', text: word, start: i, end: j });
      i = j;
    } else if (isDigit(c) || (c === '.' && isDigit(text[i + 1] ?? ''))) {
      const match = /^(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?/.exec(text.slice(i, i + 60))!;
      let literal = match[0];
      // `1.*x` is the elementwise product, not "1." times x
      if (/^\d+\.$/.test(literal) && '*/+-^'.includes(text[i + literal.length] ?? ' ')) literal = literal.slice(0, -1);
      tokens.push({ kind: 'number', text: literal, start: i, end: i + literal.length });
      i += literal.length;
    } else if (c === '"' || c === "'") {
      const { value, end, closed } = quotedText(c);
      if (!closed) {
        const what = c === '"' ? 'string' : 'name or unit in quotes';
        problems.push(
          problem('error', 'open-string', `This ${what} is not closed with ${c}`, { start: i, end: i + 1 }),
        );
      }
      tokens.push({ kind: c === '"' ? 'string' : 'quoted', text: value, start: i, end });
      i = end;
    } else {
      const symbol = symbols.find((s) => text.startsWith(s, i));
      if (symbol) {
        tokens.push({ kind: 'symbol', text: symbol, start: i, end: i + symbol.length });
        i += symbol.length;
      } else {
        const width = (text.codePointAt(i) ?? 0) > 0xffff ? 2 : 1;
        const shown = text.slice(i, i + width);
        const fix =
          shown === '≤' ? '<=' : shown === '≥' ? '>=' : shown === '≠' ? '<>' : shown === '·' ? '*' : undefined;
        problems.push(
          problem(
            'error',
            'unknown-character',
            `The character ${shown} has no meaning here`,
            { start: i, end: i + width },
            fix ? [{ title: `Write ${fix}`, span: { start: i, end: i + width }, text: fix }] : undefined,
          ),
        );
        i += width;
      }
    }
  }
  tokens.push({ kind: 'end-of-text', text: '', start: text.length, end: text.length });
  return { tokens, comments, problems };
}
