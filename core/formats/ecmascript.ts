import { table } from '../language/table';
import {
  parse,
  parseExpressionAt,
  type Expression,
  type PrivateIdentifier,
  type SpreadElement,
  type Statement as JsStatement,
  type Super,
} from 'acorn';
import type { Expr, RefExpr, Statement } from '../language/ast';
import { keywords } from '../language/lexer';

/**
 * The plain part of ECMAScript that state charts in SCXML use, as expressions and statements of our language: numbers,
 * strings, truth values, arithmetic, comparisons, logic, `?:`, arrays, members, `Math`, `In(...)`, assignments, `if`.
 * What is not in it is undefined; nothing is ever evaluated here.
 */
export const readEcmascriptExpression = (text: string): Expr | undefined => {
  try {
    const source = text.trim();
    const node = parseExpressionAt(source, 0, { ecmaVersion: 2020, preserveParens: true });
    if (source.slice(node.end).trim() !== '') return undefined;
    return expression(node);
  } catch (error) {
    if (isNotRead(error)) return undefined;
    throw error;
  }
};

/** `declare` is told the names that `var` makes. */
export const readEcmascriptStatements = (
  text: string,
  declare: (name: string) => void = () => undefined,
): Statement[] | undefined => {
  try {
    return parse(text, { ecmaVersion: 2020 }).body.flatMap((s) => statement(s as JsStatement, declare));
  } catch (error) {
    if (isNotRead(error)) return undefined;
    throw error;
  }
};

class NotPlain extends Error {}
/** No text of the plain part; one that is nested too deeply to be read is none either. */
const isNotRead = (error: unknown): boolean =>
  error instanceof SyntaxError || error instanceof NotPlain || error instanceof RangeError;
const refuse = (): never => {
  throw new NotPlain();
};

const span = { start: 0, end: 0 };
const named = (...names: readonly string[]): RefExpr => ({
  kind: 'ref',
  global: false,
  parts: names.map((name) => ({ name, subscripts: [], span })),
  span,
});
const call = (callee: string, ...args: readonly Expr[]): Expr =>
  ({ kind: 'call', callee, calleeSpan: span, args, named: [], span }) as Expr;
const number = (value: number): Expr => ({ kind: 'number', value, span });

const operators: Readonly<Record<string, string>> = table({
  '+': '+',
  '-': '-',
  '*': '*',
  '/': '/',
  '**': '^',
  '==': '==',
  '===': '==',
  '!=': '<>',
  '!==': '<>',
  '<': '<',
  '<=': '<=',
  '>': '>',
  '>=': '>=',
  '&&': 'and',
  '||': 'or',
});
const functions: Readonly<Record<string, string>> = table({
  abs: 'abs',
  sqrt: 'sqrt',
  sin: 'sin',
  cos: 'cos',
  tan: 'tan',
  asin: 'asin',
  acos: 'acos',
  atan: 'atan',
  atan2: 'atan2',
  exp: 'exp',
  log: 'log',
  log10: 'log10',
  floor: 'floor',
  ceil: 'ceil',
  min: 'min',
  max: 'max',
  sign: 'sign',
});

type Node = Expression | PrivateIdentifier | Super | SpreadElement;

/** What stands in brackets. They are kept while a text is read, as its end would not be known otherwise. */
const bare = (node: Node): Node => (node.type === 'ParenthesizedExpression' ? bare(node.expression) : node);

function expression(node: Node): Expr {
  switch (node.type) {
    case 'Literal':
      if (typeof node.value === 'number') return number(node.value);
      if (typeof node.value === 'string') return { kind: 'string', value: node.value, span };
      if (typeof node.value === 'boolean') return { kind: 'boolean', value: node.value, span };
      return refuse();
    case 'Identifier':
    case 'MemberExpression':
      return reference(node);
    case 'ParenthesizedExpression':
      return expression(node.expression);
    case 'UnaryExpression':
      if (node.operator === '!') return { kind: 'unary', op: 'not', operand: expression(node.argument), span };
      if (node.operator === '-') return { kind: 'unary', op: '-', operand: expression(node.argument), span };
      if (node.operator === '+') return expression(node.argument);
      return refuse();
    case 'BinaryExpression':
      if (node.operator === 'in') return call('has', expression(node.left), reference(node.right));
      if (node.operator === 'instanceof')
        return node.right.type === 'Identifier' && node.right.name === 'Array'
          ? call('isList', reference(node.left))
          : refuse();
      if (node.operator === '%') return call('rem', expression(node.left), expression(node.right));
      return (
        presence(node.operator, node.left, node.right) ??
        binary(node.operator, expression(node.left), expression(node.right))
      );
    case 'LogicalExpression':
      return binary(node.operator, expression(node.left), expression(node.right));
    case 'ConditionalExpression':
      return {
        kind: 'if',
        branches: [{ condition: expression(node.test), value: expression(node.consequent) }],
        otherwise: expression(node.alternate),
        span,
      } as Expr;
    case 'ObjectExpression':
      return {
        kind: 'call',
        callee: 'fields',
        calleeSpan: span,
        args: [],
        span,
        named: node.properties.map((p) => {
          if (p.type !== 'Property' || p.computed || p.kind !== 'init') return refuse();
          const name =
            p.key.type === 'Identifier'
              ? p.key.name
              : p.key.type === 'Literal' &&
                  typeof p.key.value === 'string' &&
                  /^[\p{L}_][\p{L}\p{N}_]*$/u.test(p.key.value)
                ? p.key.value
                : refuse();
          return { name, value: expression(p.value as Expression), span };
        }),
      } as Expr;
    case 'ArrayExpression':
      return { kind: 'array', elements: node.elements.map((x) => (x ? expression(x) : refuse())), span } as Expr;
    case 'CallExpression':
      return calling(node.callee, node.arguments);
    default:
      return refuse();
  }
}

function binary(operator: string, left: Expr, right: Expr): Expr {
  const op = operators[operator];
  return op ? ({ kind: 'binary', op, left, right, span } as Expr) : refuse();
}

/** `typeof x === 'undefined'` and `x == undefined`, as `not exists(x)`. */
function presence(operator: string, given: Node, other: Node): Expr | undefined {
  const [left, right] = [bare(given), bare(other)];
  const asked =
    left.type === 'UnaryExpression' &&
    left.operator === 'typeof' &&
    right.type === 'Literal' &&
    right.value === 'undefined'
      ? left.argument
      : right.type === 'Identifier' && right.name === 'undefined'
        ? left
        : undefined;
  if (!asked || !/^[!=]==?$/.test(operator)) return undefined;
  const there = call('exists', reference(asked));
  return operator.startsWith('!') ? there : { kind: 'unary', op: 'not', operand: there, span };
}

function calling(called: Node, given: readonly Node[]): Expr {
  const callee = bare(called);
  const args = given.map(bare);
  if (callee.type === 'Identifier' && callee.name === 'In') {
    const [state] = args;
    return state?.type === 'Literal' && typeof state.value === 'string'
      ? call('in', named(stateName(state.value)))
      : refuse();
  }
  if (callee.type !== 'MemberExpression' || callee.computed || callee.property.type !== 'Identifier') return refuse();
  const method = callee.property.name;
  if (callee.object.type === 'Identifier' && callee.object.name === 'Math') {
    if (method === 'pow') return binary('**', expression(args[0]), expression(args[1]));
    if (method === 'round') return call('floor', binary('+', expression(args[0]), number(0.5)));
    return functions[method] ? call(functions[method], ...args.map(expression)) : refuse();
  }
  if (method === 'concat') {
    const parts = [callee.object, ...args]
      .map(expression)
      .filter((e) => !(e.kind === 'array' && e.elements.length === 0));
    return parts.length === 1 ? parts[0] : call('cat', number(1), ...parts);
  }
  return refuse();
}

/** `a.b[i]`; subscripts of ours count from one. */
function reference(given: Node): Expr {
  const node = bare(given);
  if (node.type === 'Identifier')
    return node.name === 'undefined' ? refuse() : named(node.name === '_event' ? 'event' : node.name);
  if (node.type !== 'MemberExpression') return refuse();
  if (!node.computed && node.property.type === 'Identifier' && node.property.name === 'length')
    return call('size', reference(node.object), number(1));
  const owner = reference(node.object);
  if (owner.kind !== 'ref') return refuse();
  const last = owner.parts[owner.parts.length - 1];
  if (node.computed) {
    const key = node.property;
    if (key.type === 'Literal' && typeof key.value === 'string')
      return { ...owner, parts: [...owner.parts, { name: key.value, subscripts: [], span }] };
    const at = expression(key);
    const subscript = at.kind === 'number' ? number(at.value + 1) : binary('+', at, number(1));
    return { ...owner, parts: [...owner.parts.slice(0, -1), { ...last, subscripts: [...last.subscripts, subscript] }] };
  }
  if (node.property.type !== 'Identifier') return refuse();
  return { ...owner, parts: [...owner.parts, { name: node.property.name, subscripts: [], span }] };
}

function statement(node: JsStatement, declare: (name: string) => void): Statement[] {
  switch (node.type) {
    case 'EmptyStatement':
      return [];
    case 'BlockStatement':
      return node.body.flatMap((s) => statement(s as JsStatement, declare));
    case 'IfStatement':
      return [
        {
          kind: 'if',
          branches: [{ condition: expression(node.test), body: statement(node.consequent, declare) }],
          otherwise: node.alternate ? statement(node.alternate, declare) : [],
          span,
        },
      ];
    case 'WhileStatement':
      return [{ kind: 'while', condition: expression(node.test), body: statement(node.body, declare), span }];
    case 'VariableDeclaration':
      return node.declarations.flatMap((d): Statement[] => {
        if (d.id.type !== 'Identifier') return refuse();
        const value = d.init && expression(d.init);
        declare(d.id.name);
        return value ? [{ kind: 'assign', target: named(d.id.name), value, span }] : [];
      });
    case 'ExpressionStatement': {
      const e = node.expression;
      if (e.type === 'UpdateExpression') {
        const target = reference(e.argument);
        return target.kind === 'ref'
          ? [{ kind: 'assign', target, value: binary(e.operator[0], target, number(1)), span }]
          : refuse();
      }
      if (e.type !== 'AssignmentExpression') return refuse();
      const target = reference(e.left as Node);
      if (target.kind !== 'ref') return refuse();
      const value = expression(e.right);
      return [
        {
          kind: 'assign',
          target,
          value: e.operator === '=' ? value : binary(e.operator.slice(0, -1), target, value),
          span,
        },
      ];
    }
    default:
      return refuse();
  }
}

/** A name of our language for an identifier of SCXML. */
export const stateName = (id: string): string => {
  const plain = id.replace(/[^\p{L}\p{N}_]/gu, '_');
  const name = /^[\p{L}_]/u.test(plain) ? plain : `s${plain}`;
  return keywords.has(name) || ['time', 'send', 'to'].includes(name) ? `${name}_` : name;
};
