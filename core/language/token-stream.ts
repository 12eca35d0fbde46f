import { problem, type Fix, type Problem, type Span } from './diagnostics';
import type { Token } from './lexer';

/** A cursor over tokens with the one error policy of the parser: report once, carry on. */
export interface TokenStream {
  readonly problems: Problem[];
  peek(offset?: number): Token;
  next(): Token;
  /** The next token is this symbol or keyword. */
  at(text: string): boolean;
  /** Consumes the token if it is this symbol or keyword. */
  accept(text: string): boolean;
  /** Consumes the token or reports that it is missing. */
  expect(text: string, after: string): boolean;
  report(code: string, message: string, span?: Span, fixes?: readonly Fix[]): void;
  /** Skips to after the next `;`, or to before one of the given keywords. */
  recover(stopAt: ReadonlySet<string>): void;
  /** End of the token consumed last. */
  lastEnd(): number;
  position(): number;
  /** Something that can hold itself begins; the end of it is told with `leave`. */
  enter(): void;
  leave(): void;
  /** How tall the tree of the expression read last is; too tall a one ends the reading. */
  height: number;
  /** How tall the tallest of the expressions is that have been read side by side. */
  tallest: number;
  /** A tree on top of trees of these heights. */
  grow(...heights: readonly number[]): void;
}

/** Nesting deeper than this is refused: everything that walks through trees may rest on it. */
const deepest = 400;
/** Taller trees of expressions are refused for the same reason; a sum of n terms is n tall. */
const tallestTree = 800;

/** Ends the reading of a text whose trees would exhaust the stack. */
export class TooDeep extends Error {
  constructor(
    message: string,
    readonly span: Span,
  ) {
    super(message);
  }
}

const isMark = (t: Token): boolean => t.kind === 'symbol' || t.kind === 'keyword';

export const tokenText = (t: Token): string =>
  t.kind === 'end-of-text' ? 'the end' : t.kind === 'string' ? `"${t.text}"` : t.text;

export function tokenStream(tokens: readonly Token[], problems: Problem[]): TokenStream {
  let index = 0;
  let reportedAt = -1;
  let depth = 0;
  const peek = (offset = 0): Token => tokens[Math.min(index + offset, tokens.length - 1)];
  const next = (): Token => {
    const t = peek();
    if (index < tokens.length - 1) index++;
    return t;
  };
  const at = (text: string): boolean => isMark(peek()) && peek().text === text;
  const lastEnd = (): number => (index === 0 ? 0 : tokens[index - 1].end);
  const report = (code: string, message: string, span?: Span, fixes?: readonly Fix[]): void => {
    if (reportedAt === index) return;
    reportedAt = index;
    problems.push(
      problem('error', code, message, span ?? { start: peek().start, end: Math.max(peek().end, peek().start) }, fixes),
    );
  };
  return {
    problems,
    peek,
    next,
    at,
    accept: (text) => (at(text) ? (next(), true) : false),
    expect(text, after) {
      if (at(text)) {
        next();
        return true;
      }
      const end = lastEnd();
      const found = tokenText(peek());
      const fixes =
        text === ';' || text === ')' ? [{ title: `Insert ${text}`, span: { start: end, end }, text }] : undefined;
      report(
        'missing',
        `${after} needs "${text}" here, but found ${found}`,
        text === ';' ? { start: Math.max(0, end - 1), end } : undefined,
        fixes,
      );
      return false;
    },
    report,
    recover(stopAt) {
      let depth = 0;
      while (peek().kind !== 'end-of-text') {
        const t = peek();
        if (isMark(t)) {
          if (t.text === '(' || t.text === '{' || t.text === '[') depth++;
          else if (t.text === ')' || t.text === '}' || t.text === ']') depth = Math.max(0, depth - 1);
          else if (t.text === ';') {
            next();
            return;
          } else if (t.kind === 'keyword' && depth === 0 && stopAt.has(t.text)) return;
        }
        next();
      }
    },
    lastEnd,
    position: () => index,
    enter() {
      if (++depth > deepest)
        throw new TooDeep(`This is nested more than ${deepest} deep`, { start: peek().start, end: peek().end });
    },
    leave: () => void depth--,
    height: 0,
    tallest: 0,
    grow(...heights) {
      this.height = Math.max(...heights) + 1;
      if (this.height > tallestTree)
        throw new TooDeep(
          `One formula with more than ${tallestTree} things after another cannot be computed with: give parts of it names, or use sum or product of an array`,
          { start: peek().start, end: peek().end },
        );
    },
  };
}
