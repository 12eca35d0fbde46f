import type { CallExpr, Expr, RefExpr } from '../language/ast';
import type { Builder } from './builder';
import type { FlatExpr } from './flat-expression';
import { tellValue, type FlatText, type TextPiece } from './flat-text';
import type { Scope } from './instance';

/** How expressions are read; handed in, since conditions in values compare texts too. */
export interface TextReader {
  scalar(b: Builder, e: Expr, scope: Scope): FlatExpr;
  /** The number of the variable a reference leads to. */
  variable(b: Builder, ref: RefExpr, scope: Scope): number | undefined;
}

const digitsToTell = 6;

/** The pieces of an expression that is a text; undefined where it is none. */
export function readText(b: Builder, e: Expr, scope: Scope, read: TextReader): FlatText | undefined {
  switch (e.kind) {
    case 'string':
      return [e.value];
    case 'binary': {
      if (e.op !== '+' || !looksLikeText(e)) return undefined;
      const [left, right] = [readText(b, e.left, scope, read), readText(b, e.right, scope, read)];
      return left && right && join([...left, ...right]);
    }
    case 'call':
      return e.callee === 'String' && e.args[0] ? toldValue(b, e, scope, read) : undefined;
    case 'if': {
      for (const branch of e.branches) {
        if (!looksLikeText(branch.value)) return undefined;
        const decided = b.structural(read.scalar(b, branch.condition, scope));
        if (decided === undefined) return undefined;
        if (decided !== 0) return readText(b, branch.value, scope, read);
      }
      return readText(b, e.otherwise, scope, read);
    }
    case 'ref': {
      if (!couldBeText(b, e, scope)) return undefined;
      const found = read.variable(b, e, scope);
      if (found === undefined || b.variables[found].type !== 'String') return undefined;
      const bound = b.texts.get(found);
      return bound ? readText(b, bound.expr, bound.scope, read) : [''];
    }
    default:
      return undefined;
  }
}

/** Whether an expression may be a text at all, seen without reading it. */
function looksLikeText(e: Expr): boolean {
  switch (e.kind) {
    case 'string':
    case 'ref':
      return true;
    case 'call':
      return e.callee === 'String';
    case 'binary':
      return e.op === '+' && looksLikeText(e.left) && looksLikeText(e.right);
    case 'if':
      return looksLikeText(e.otherwise);
    default:
      return false;
  }
}

/** A name is only followed where it leads to something: what it leads to is asked twice otherwise, and reported twice. */
const couldBeText = (b: Builder, e: RefExpr, scope: Scope): boolean =>
  !scope.values?.has(e.parts[0].name) && !scope.iterators.has(e.parts[0].name) && b.texts.size > 0;

function toldValue(b: Builder, e: CallExpr, scope: Scope, read: TextReader): FlatText {
  const value = read.scalar(b, e.args[0], scope);
  const wanted = e.named.find((n) => n.name === 'significantDigits');
  const digits = wanted ? (b.structural(read.scalar(b, wanted.value, scope)) ?? digitsToTell) : digitsToTell;
  const names =
    value.op === 'var'
      ? b.variables[value.index].type === 'Boolean'
        ? ['false', 'true']
        : b.variables[value.index].literals && ['', ...b.variables[value.index].literals!]
      : undefined;
  const known = b.structural(value);
  return [known === undefined ? { value, digits, ...(names && { names }) } : tellValue(known, digits, names)];
}

function join(pieces: FlatText): FlatText {
  const joined: TextPiece[] = [];
  for (const piece of pieces) {
    const last = joined.at(-1);
    if (typeof piece === 'string' && typeof last === 'string') joined[joined.length - 1] = last + piece;
    else joined.push(piece);
  }
  return joined;
}
