import type { BinaryOp, Expr } from '../language/ast';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';
import type { FlatExpr, PairExpr } from './flat-expression';

const symbols: Readonly<Record<PairExpr['op'], BinaryOp>> = {
  add: '+',
  sub: '-',
  mul: '*',
  div: '/',
  pow: '^',
  lt: '<',
  le: '<=',
  gt: '>',
  ge: '>=',
  eq: '==',
  ne: '<>',
  and: 'and',
  or: 'or',
};
const span = { start: 0, end: 0 };

/** A flat expression as a text of the language, for messages; a table of points is called by that word. */
export function describeExpression(e: FlatExpr, nameOf: (index: number) => string): string {
  const call = (callee: string, ...args: FlatExpr[]): Expr => ({
    kind: 'call',
    callee,
    calleeSpan: span,
    args: args.map(tree),
    named: [],
    span,
  });
  const name = (index: number): Expr => parseExpressionText(nameOf(index)).value;
  const ofName = (callee: string, index: number): Expr => ({ ...call(callee), args: [name(index)] }) as Expr;
  const tree = (x: FlatExpr): Expr => {
    switch (x.op) {
      case 'const':
        return { kind: 'number', value: x.value, span };
      case 'var':
        return name(x.index);
      case 'der':
      case 'pre':
        return ofName(x.op, x.index);
      case 'time':
        return parseExpressionText('time').value;
      case 'initial':
      case 'terminal':
        return call(x.op);
      case 'neg':
        return { kind: 'unary', op: '-', operand: tree(x.a), span };
      case 'not':
        return { kind: 'unary', op: 'not', operand: tree(x.a), span };
      case 'noEvent':
        return call('noEvent', x.a);
      case 'noted':
        return tree(x.a);
      case 'if':
        return { kind: 'if', branches: [{ condition: tree(x.c), value: tree(x.a) }], otherwise: tree(x.b), span };
      case 'fn':
        return call(x.name, ...x.args);
      case 'table':
        return call('table', x.a);
      case 'delay':
        return call('delay', x.a, x.by);
      case 'sample':
        return call('sample', x.start, x.interval);
      default:
        return { kind: 'binary', op: symbols[x.op], left: tree(x.a), right: tree(x.b), span };
    }
  };
  return printExpression(tree(e));
}
