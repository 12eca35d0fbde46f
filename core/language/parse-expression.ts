import { table } from './table';
import type { BinaryOp, CallExpr, Expr, Iterator, NamedArgument, RefExpr, RefPart } from './ast';
import { join } from './diagnostics';
import { tokenText, type TokenStream } from './token-stream';

/** Binding strengths, Modelica 3.6 section 3.2; relations do not chain. */
const strength: Record<string, number> = table({
  or: 1,
  and: 2,
  '<': 4,
  '<=': 4,
  '>': 4,
  '>=': 4,
  '==': 4,
  '<>': 4,
  '+': 5,
  '-': 5,
  '.+': 5,
  '.-': 5,
  '*': 6,
  '/': 6,
  '.*': 6,
  './': 6,
  '^': 7,
  '.^': 7,
});
const relationStrength = 4;

/** `if c then a else b`, ranges and everything below them. */
export function parseExpression(s: TokenStream): Expr {
  s.enter();
  const read = parseWhole(s);
  s.tallest = Math.max(s.tallest, s.height);
  s.leave();
  return read;
}

function parseWhole(s: TokenStream): Expr {
  if (s.at('if')) return composed(s, parseIf);
  const first = parseBinary(s, 1);
  if (!s.at(':')) return first;
  let { height } = s;
  s.next();
  const second = parseBinary(s, 1);
  s.grow(height, s.height);
  if (!s.accept(':')) return { kind: 'range', start: first, stop: second, span: join(first.span, second.span) };
  ({ height } = s);
  const third = parseBinary(s, 1);
  s.grow(height, s.height);
  return { kind: 'range', start: first, step: second, stop: third, span: join(first.span, third.span) };
}

/** Something made of expressions: its tree stands on the tallest of them. */
function composed(s: TokenStream, read: (s: TokenStream) => Expr): Expr {
  const beside = s.tallest;
  s.tallest = 0;
  const made = read(s);
  s.grow(s.tallest);
  s.tallest = beside;
  return made;
}

function parseIf(s: TokenStream): Expr {
  const start = s.next().start;
  const branches: { condition: Expr; value: Expr }[] = [];
  const branch = (): void => {
    const condition = parseExpression(s);
    s.expect('then', 'A conditional value');
    branches.push({ condition, value: parseExpression(s) });
    // each case stands inside the otherwise of the one before
    s.tallest++;
  };
  branch();
  while (s.accept('elseif')) branch();
  const hasElse = s.expect('else', 'A conditional value');
  const otherwise: Expr = hasElse
    ? parseExpression(s)
    : { kind: 'error', span: { start: s.lastEnd(), end: s.lastEnd() } };
  return { kind: 'if', branches, otherwise, span: { start, end: s.lastEnd() } };
}

function parseBinary(s: TokenStream, least: number): Expr {
  let left = parsePrefix(s, least);
  let { height } = s;
  for (;;) {
    s.height = height;
    const t = s.peek();
    if (t.kind !== 'symbol' && t.kind !== 'keyword') return left;
    const own = strength[t.text];
    if (own === undefined || own < least) return left;
    s.next();
    if (t.text === '^' || t.text === '.^') {
      const right = parsePrimary(s);
      s.grow(height, s.height);
      ({ height } = s);
      left = { kind: 'binary', op: t.text, left, right, span: join(left.span, right.span) };
      if (s.at('^') || s.at('.^')) s.report('chained-power', 'Powers do not chain: write (a^b)^c or a^(b^c)');
      continue;
    }
    const right = parseBinary(s, own + 1);
    s.grow(height, s.height);
    ({ height } = s);
    left = { kind: 'binary', op: t.text as BinaryOp, left, right, span: join(left.span, right.span) };
    if (own === relationStrength && strength[s.peek().text] === relationStrength && s.peek().kind === 'symbol') {
      s.report('chained-relation', 'Comparisons do not chain: write a < b and b < c');
    }
  }
}

function parsePrefix(s: TokenStream, least: number): Expr {
  const t = s.peek();
  if (t.kind === 'keyword' && t.text === 'not') {
    s.next();
    s.enter();
    const operand = parseBinary(s, relationStrength);
    s.leave();
    s.grow(s.height);
    return { kind: 'unary', op: 'not', operand, span: { start: t.start, end: operand.span.end } };
  }
  if (t.kind === 'symbol' && (t.text === '-' || t.text === '+' || t.text === '.-' || t.text === '.+')) {
    s.next();
    s.enter();
    const operand = parseBinary(s, Math.max(least, strength['*']));
    s.leave();
    s.grow(s.height);
    return {
      kind: 'unary',
      op: t.text.endsWith('-') ? '-' : '+',
      operand,
      span: { start: t.start, end: operand.span.end },
    };
  }
  return parsePrimary(s);
}

const parsePrimary = (s: TokenStream): Expr => composed(s, readPrimary);

function readPrimary(s: TokenStream): Expr {
  const t = s.peek();
  const span = { start: t.start, end: t.end };
  switch (t.kind) {
    case 'number': {
      s.next();
      const value = Number(t.text);
      const unit = s.peek();
      if (unit.kind === 'quoted') {
        s.next();
        return { kind: 'number', value, unit: unit.text, span: { start: t.start, end: unit.end } };
      }
      return { kind: 'number', value, span };
    }
    case 'string':
      s.next();
      return { kind: 'string', value: t.text, span };
    case 'name':
    case 'quoted':
      return parseReferenceOrCall(s);
    case 'keyword':
      if (t.text === 'true' || t.text === 'false') {
        s.next();
        return { kind: 'boolean', value: t.text === 'true', span };
      }
      if (
        t.text === 'der' ||
        t.text === 'initial' ||
        t.text === 'pure' ||
        t.text === 'in' ||
        (t.text === 'within' && s.peek(1).text === '(')
      )
        return parseCall(s, s.next().text, t.start);
      if (t.text === 'end') {
        s.next();
        return { kind: 'end', span };
      }
      if (t.text === 'if') return parseIf(s);
      break;
    case 'symbol':
      if (t.text === '(') return parseParenthesised(s);
      if (t.text === '{') return parseBraces(s);
      if (t.text === '[') return parseMatrix(s);
      if (t.text === '.' && s.peek(1).kind === 'name') return parseReferenceOrCall(s);
      break;
    case 'end-of-text':
      break;
  }
  s.report('expected-value', `Expected a value or a name, but found ${tokenText(t)}`);
  return { kind: 'error', span: { start: t.start, end: t.start } };
}

function parseParenthesised(s: TokenStream): Expr {
  const start = s.next().start;
  const elements: Expr[] = [];
  let commas = 0;
  while (!s.at(')') && s.peek().kind !== 'end-of-text') {
    if (s.at(',')) {
      s.next();
      commas++;
      if (elements.length < commas) elements.push({ kind: 'colon', span: { start: s.lastEnd(), end: s.lastEnd() } });
      continue;
    }
    const before = s.position();
    elements.push(parseExpression(s));
    if (s.position() === before || (!s.at(',') && !s.at(')'))) break;
  }
  s.expect(')', 'A parenthesis');
  const span = { start, end: s.lastEnd() };
  if (commas === 0 && elements.length === 1) return elements[0];
  if (elements.length === 0) return { kind: 'error', span };
  return { kind: 'tuple', elements, span };
}

function parseBraces(s: TokenStream): Expr {
  const start = s.next().start;
  const elements: Expr[] = [];
  if (!s.at('}')) {
    elements.push(parseExpression(s));
    if (s.at('for')) {
      const iterators = parseIterators(s);
      s.expect('}', 'An array');
      return { kind: 'comprehension', body: elements[0], iterators, span: { start, end: s.lastEnd() } };
    }
    while (s.accept(',')) elements.push(parseExpression(s));
  }
  s.expect('}', 'An array');
  return { kind: 'array', elements, span: { start, end: s.lastEnd() } };
}

/** `[a, b; c, d]`: kept as an array of rows. */
function parseMatrix(s: TokenStream): Expr {
  const start = s.next().start;
  const rows: Expr[] = [];
  do {
    const rowStart = s.peek().start;
    const row = [parseExpression(s)];
    while (s.accept(',')) row.push(parseExpression(s));
    rows.push({ kind: 'array', elements: row, span: { start: rowStart, end: s.lastEnd() } });
  } while (s.accept(';'));
  s.expect(']', 'A matrix');
  return { kind: 'array', elements: rows, matrix: true, span: { start, end: s.lastEnd() } };
}

/** `for i in 1:n, j in 1:m` */
export function parseIterators(s: TokenStream): Iterator[] {
  s.next();
  const iterators: Iterator[] = [];
  do {
    const name = s.peek();
    if (name.kind !== 'name') {
      s.report('expected-name', `A loop needs the name of its index, but found ${tokenText(name)}`);
      break;
    }
    s.next();
    const range = s.accept('in') ? parseExpression(s) : undefined;
    iterators.push({ name: name.text, ...(range && { range }), span: { start: name.start, end: s.lastEnd() } });
  } while (s.accept(','));
  return iterators;
}

function parseSubscripts(s: TokenStream): Expr[] {
  const subscripts: Expr[] = [];
  if (!s.accept('[')) return subscripts;
  do {
    if (s.at(':')) {
      const t = s.next();
      subscripts.push({ kind: 'colon', span: { start: t.start, end: t.end } });
    } else subscripts.push(parseExpression(s));
  } while (s.accept(','));
  s.expect(']', 'A subscript');
  return subscripts;
}

const longestName = 100;

/** A component reference such as `spindle.w` or `c[1].u`. */
export function parseReference(s: TokenStream): RefExpr | undefined {
  const start = s.peek().start;
  const global = s.accept('.');
  const parts: RefPart[] = [];
  let long = false;
  do {
    const t = s.peek();
    if (t.kind !== 'name' && t.kind !== 'quoted') {
      s.report('expected-name', `Expected a name, but found ${tokenText(t)}`);
      break;
    }
    s.next();
    if (parts.length === longestName && !long) {
      long = true;
      s.report('too-deep', `A name has at most ${longestName} parts`);
    }
    const part = { name: t.text, subscripts: parseSubscripts(s), span: { start: t.start, end: t.end } };
    if (parts.length < longestName) parts.push(part);
  } while (s.accept('.'));
  return parts.length === 0 ? undefined : { kind: 'ref', parts, global, span: { start, end: s.lastEnd() } };
}

function parseReferenceOrCall(s: TokenStream): Expr {
  const start = s.peek().start;
  const ref = parseReference(s);
  if (!ref) return { kind: 'error', span: { start, end: start } };
  if (s.at('(') && ref.parts.every((p) => p.subscripts.length === 0)) {
    return parseCall(s, ref.parts.map((p) => p.name).join('.'), start);
  }
  return ref;
}

/** A value, or `function f(k = 2)`. */
function parseArgument(s: TokenStream): Expr {
  const start = s.peek().start;
  if (!s.accept('function')) return parseExpression(s);
  const value = parseExpression(s);
  const span = { start, end: value.span.end };
  if (value.kind === 'call' && value.args.length === 0) return { ...value, isPartial: true, span };
  s.report(
    'expected-function',
    'After "function" a function stands here with those of its inputs that are given: function f(k = 2)',
    span,
  );
  return { kind: 'error', span };
}

function parseCall(s: TokenStream, callee: string, start: number): CallExpr {
  const calleeSpan = { start, end: s.lastEnd() };
  const { args, named } = parseArguments(s, `The call of ${callee}`);
  return { kind: 'call', callee, calleeSpan, args, named, span: { start, end: s.lastEnd() } };
}

/** `(a, b, name = c)`; a trailing `for` makes the only argument a comprehension. */
export function parseArguments(s: TokenStream, what: string): { args: Expr[]; named: NamedArgument[] } {
  const args: Expr[] = [];
  const named: NamedArgument[] = [];
  if (!s.expect('(', what)) return { args, named };
  if (!s.at(')')) {
    do {
      const t = s.peek();
      const following = s.peek(1);
      if (t.kind === 'name' && following.kind === 'symbol' && following.text === '=') {
        s.next();
        s.next();
        const value = parseArgument(s);
        named.push({ name: t.text, value, span: { start: t.start, end: value.span.end } });
        continue;
      }
      const value = parseArgument(s);
      if (s.at('for')) {
        const iterators = parseIterators(s);
        args.push({
          kind: 'comprehension',
          body: value,
          iterators,
          span: { start: value.span.start, end: s.lastEnd() },
        });
      } else args.push(value);
    } while (s.accept(','));
  }
  s.expect(')', what);
  return { args, named };
}
