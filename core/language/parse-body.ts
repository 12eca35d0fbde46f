import type { CallExpr, Equation, Expr, SendNode, Statement } from './ast';
import { parseArguments, parseExpression, parseIterators, parseReference } from './parse-expression';
import { printReference } from './print';
import { tokenText, type TokenStream } from './token-stream';

const bodyEnds: ReadonlySet<string> = new Set(
  'end else elseif elsewhen equation algorithm initial public protected annotation external'.split(' '),
);
const recoverAt: ReadonlySet<string> = new Set([...bodyEnds, 'when', 'for', 'while', 'connect']);

const atBodyEnd = (s: TokenStream): boolean => {
  const t = s.peek();
  if (t.kind === 'end-of-text') return true;
  if (t.kind !== 'keyword') return false;
  // `initial()` is an expression, `initial equation` a section
  if (t.text === 'initial') return s.peek(1).kind === 'keyword';
  return bodyEnds.has(t.text);
};

/** Optional description string and annotation, then the `;`. */
function finish(s: TokenStream, what: string): void {
  if (s.peek().kind === 'string') s.next();
  if (s.at('annotation')) {
    s.next();
    parseArguments(s, 'An annotation');
  }
  if (!s.expect(';', what)) {
    const t = s.peek();
    // a missing semicolon at the end of a line: carry on with the next line
    if (t.kind === 'keyword' || t.kind === 'end-of-text') return;
    if (t.kind === 'name' || t.kind === 'number') return;
    s.recover(recoverAt);
  }
}

/** Runs `one` until the body ends, skipping what cannot be read. */
function repeat<T>(s: TokenStream, one: () => T): T[] {
  const all: T[] = [];
  while (!atBodyEnd(s)) {
    const before = s.position();
    s.enter();
    all.push(one());
    s.leave();
    if (s.position() === before) {
      s.report('unexpected', `${tokenText(s.peek())} cannot stand here`);
      s.next();
    }
  }
  return all;
}

const isSend = (s: TokenStream): boolean => {
  const t = s.peek();
  const following = s.peek(1);
  return t.kind === 'name' && t.text === 'send' && (following.kind === 'name' || following.kind === 'quoted');
};

function parseSend(s: TokenStream): SendNode {
  const start = s.next().start;
  const message = s.next();
  const named = s.at('(') ? parseArguments(s, `The message ${message.text}`) : { args: [], named: [] };
  if (named.args.length > 0) {
    s.report('unnamed-argument', `Arguments of a message have names: ${message.text}(level = ...)`, named.args[0].span);
  }
  let receiver;
  if (s.peek().kind === 'name' && s.peek().text === 'to') {
    s.next();
    receiver = parseReference(s);
  }
  let after;
  if (s.peek().kind === 'name' && s.peek().text === 'after') {
    s.next();
    after = parseExpression(s);
  }
  return {
    kind: 'send',
    message: message.text,
    messageSpan: { start: message.start, end: message.end },
    args: named.named,
    ...(receiver && { receiver }),
    ...(after && { after }),
    span: { start, end: s.lastEnd() },
  };
}

const isCancel = (s: TokenStream): boolean => {
  const [t, following, end] = [s.peek(), s.peek(1), s.peek(2)];
  return (
    t.kind === 'name' &&
    t.text === 'cancel' &&
    (following.kind === 'name' || following.kind === 'quoted') &&
    (end.text === ';' || end.kind === 'end-of-text')
  );
};

/** Expects `end <word>`. */
function endBlock(s: TokenStream, word: string): void {
  if (!s.expect('end', `This ${word}`)) return;
  s.expect(word, `The end of this ${word}`);
}

type Branch<T> = { condition: Expr; body: T[] };

function branches<T>(s: TokenStream, first: 'if' | 'when' | 'while', again: string, body: () => T[]): Branch<T>[] {
  const found: Branch<T>[] = [];
  do {
    const condition = parseExpression(s);
    s.expect(first === 'while' ? 'loop' : 'then', `This ${first}`);
    found.push({ condition, body: body() });
    // each case stands inside the otherwise of the one before
    s.grow(found.length);
  } while (again !== '' && s.accept(again));
  return found;
}

export const parseEquations = (s: TokenStream): Equation[] => repeat(s, () => parseEquation(s));
export const parseStatements = (s: TokenStream): Statement[] => repeat(s, () => parseStatement(s));

export function parseEquation(s: TokenStream): Equation {
  const start = s.peek().start;
  const span = (): { start: number; end: number } => ({ start, end: s.lastEnd() });
  if (s.accept('if')) {
    const found = branches(s, 'if', 'elseif', () => parseEquations(s));
    const otherwise = s.accept('else') ? parseEquations(s) : [];
    endBlock(s, 'if');
    const end = span();
    finish(s, 'The end of this if');
    return { kind: 'if', branches: found, otherwise, span: end };
  }
  if (s.accept('when')) {
    const found = branches(s, 'when', 'elsewhen', () => parseEquations(s));
    endBlock(s, 'when');
    const end = span();
    finish(s, 'The end of this when');
    return { kind: 'when', branches: found, span: end };
  }
  if (s.at('for')) {
    const iterators = parseIterators(s);
    s.expect('loop', 'This for');
    const body = parseEquations(s);
    endBlock(s, 'for');
    const end = span();
    finish(s, 'The end of this for');
    return { kind: 'for', iterators, body, span: end };
  }
  if (s.accept('connect')) {
    s.expect('(', 'connect');
    const a = parseReference(s);
    s.expect(',', 'connect');
    const b = parseReference(s);
    s.expect(')', 'connect');
    const end = span();
    finish(s, 'A connection');
    return a && b ? { kind: 'connect', a, b, span: end } : { kind: 'error', span: end };
  }
  if (isSend(s)) {
    const node = parseSend(s);
    finish(s, 'A message');
    return node;
  }
  const left = parseExpression(s);
  if (s.at('=') || s.at(':=')) {
    if (s.at(':=')) {
      const t = s.peek();
      s.report(
        'assignment-in-equation',
        'Equations use = (assignments with := belong in algorithms and effects)',
        undefined,
        [{ title: 'Write =', span: { start: t.start, end: t.end }, text: '=' }],
      );
    }
    s.next();
    const right = parseExpression(s);
    const end = span();
    finish(s, 'An equation');
    return { kind: 'equal', left, right, span: end };
  }
  const end = span();
  if (left.kind === 'call') {
    finish(s, 'This call');
    return { kind: 'call', call: left, span: end };
  }
  const next = s.peek();
  if (left.kind === 'ref' && next.kind === 'name') {
    s.report(
      'misplaced-declaration',
      `${printReference(left)} ${next.text} looks like a declaration: those stand at the top, with the word equation between them and the equations`,
      left.span,
    );
  } else if (left.kind !== 'error') s.report('missing', `An equation needs "=" here, but found ${tokenText(s.peek())}`);
  s.recover(recoverAt);
  return { kind: 'error', span: span() };
}

export function parseStatement(s: TokenStream): Statement {
  const start = s.peek().start;
  const span = (): { start: number; end: number } => ({ start, end: s.lastEnd() });
  if (s.accept('if')) {
    const found = branches(s, 'if', 'elseif', () => parseStatements(s));
    const otherwise = s.accept('else') ? parseStatements(s) : [];
    endBlock(s, 'if');
    const end = span();
    finishStatement(s, 'The end of this if');
    return { kind: 'if', branches: found, otherwise, span: end };
  }
  if (s.accept('when')) {
    const found = branches(s, 'when', 'elsewhen', () => parseStatements(s));
    endBlock(s, 'when');
    const end = span();
    finishStatement(s, 'The end of this when');
    return { kind: 'when', branches: found, span: end };
  }
  if (s.at('for')) {
    const iterators = parseIterators(s);
    s.expect('loop', 'This for');
    const body = parseStatements(s);
    endBlock(s, 'for');
    const end = span();
    finishStatement(s, 'The end of this for');
    return { kind: 'for', iterators, body, span: end };
  }
  if (s.accept('while')) {
    const [only] = branches(s, 'while', '', () => parseStatements(s));
    endBlock(s, 'while');
    const end = span();
    finishStatement(s, 'The end of this while');
    return { kind: 'while', ...only, span: end };
  }
  if (s.at('return') || s.at('break')) {
    const kind = s.next().text as 'return' | 'break';
    const end = span();
    finishStatement(s, kind);
    return { kind, span: end };
  }
  if (isSend(s)) {
    const node = parseSend(s);
    finishStatement(s, 'A message');
    return node;
  }
  if (isCancel(s)) {
    s.next();
    const message = s.next();
    const end = span();
    finishStatement(s, 'cancel');
    return {
      kind: 'cancel',
      message: message.text,
      messageSpan: { start: message.start, end: message.end },
      span: end,
    };
  }
  const target = parseExpression(s);
  if (s.at(':=') || s.at('=')) {
    if (s.at('=')) {
      const t = s.peek();
      s.report('equation-in-statement', 'An assignment is written with :=', undefined, [
        { title: 'Write :=', span: { start: t.start, end: t.end }, text: ':=' },
      ]);
    }
    s.next();
    const value = parseExpression(s);
    const end = span();
    finishStatement(s, 'An assignment');
    if (target.kind === 'ref' || target.kind === 'tuple') return { kind: 'assign', target, value, span: end };
    s.report('bad-target', 'Only a quantity can be assigned to', target.span);
    return { kind: 'error', span: end };
  }
  const end = span();
  if (target.kind === 'call') {
    finishStatement(s, 'This call');
    return { kind: 'call', call: target as CallExpr, span: end };
  }
  if (target.kind !== 'error') s.report('missing', `A statement needs ":=" here, but found ${tokenText(s.peek())}`);
  s.recover(recoverAt);
  return { kind: 'error', span: span() };
}

/** The last statement of an effect needs no semicolon. */
function finishStatement(s: TokenStream, what: string): void {
  if (s.peek().kind === 'end-of-text') return;
  finish(s, what);
}
