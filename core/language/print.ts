import type {
  BinaryOp,
  ClassDefinition,
  ComponentElement,
  Element,
  Equation,
  Expr,
  Iterator,
  Modification,
  ModificationArgument,
  NamedArgument,
  RefExpr,
  SendNode,
  Statement,
} from './ast';
import { keywords } from './lexer';

const strength = (op: BinaryOp): number =>
  op === 'or' ? 1 : op === 'and' ? 2 : /^[<>=]/.test(op) ? 4 : /^\.?[+-]$/.test(op) ? 5 : /\^$/.test(op) ? 7 : 6;

const isPlainName = (name: string): boolean => /^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) && !keywords.has(name);
export const printName = (name: string): string =>
  isPlainName(name) ? name : `'${name.replace(/\\/g, '\\\\').replace(/'/g, "\\'")}'`;
const printString = (value: string): string =>
  `"${value.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\n/g, '\\n')}"`;
const printDotted = (name: string): string =>
  (name.startsWith('.') ? '.' : '') + name.replace(/^\./, '').split('.').map(printName).join('.');
const callWords = new Set(['der', 'initial', 'pure', 'in', 'within']);

export function printNumber(value: number): string {
  if (Number.isInteger(value) && Math.abs(value) < 1e15) return String(value);
  return String(value).replace('e+', 'e');
}

/** Binding strength of a printed expression, to know where parentheses are needed. */
function bindingOf(e: Expr): number {
  switch (e.kind) {
    case 'binary':
      return strength(e.op);
    case 'unary':
      return e.op === 'not' ? 3 : 5;
    case 'if':
    case 'range':
      return 0;
    case 'number':
      return e.value < 0 || Object.is(e.value, -0) ? 5 : 9;
    default:
      return 9;
  }
}

const parenthesised = (e: Expr, least: number): string =>
  bindingOf(e) < least ? `(${printExpression(e)})` : printExpression(e);

export function printReference(ref: RefExpr): string {
  const parts = ref.parts.map(
    (p) => printName(p.name) + (p.subscripts.length ? `[${p.subscripts.map(printExpression).join(', ')}]` : ''),
  );
  return (ref.global ? '.' : '') + parts.join('.');
}

const printNamed = (n: NamedArgument): string => `${printName(n.name)} = ${printExpression(n.value)}`;
const printIterators = (its: readonly Iterator[]): string =>
  its.map((i) => printName(i.name) + (i.range ? ` in ${printExpression(i.range)}` : '')).join(', ');

/** Prints so that parsing the result gives the same tree (spans aside). */
export function printExpression(e: Expr): string {
  switch (e.kind) {
    case 'number':
      return printNumber(e.value) + (e.unit === undefined ? '' : ` '${e.unit}'`);
    case 'string':
      return printString(e.value);
    case 'boolean':
      return String(e.value);
    case 'ref':
      return printReference(e);
    case 'call': {
      const args = e.args.map((a) =>
        a.kind === 'comprehension'
          ? `${printExpression(a.body)} for ${printIterators(a.iterators)}`
          : printExpression(a),
      );
      const callee = callWords.has(e.callee) ? e.callee : printDotted(e.callee);
      const own = e.isPartial ? 'function ' : '';
      return `${own}${callee}(${[...args, ...e.named.map(printNamed)].join(', ')})`;
    }
    case 'unary':
      return e.op === 'not' ? `not ${parenthesised(e.operand, 4)}` : `${e.op}${parenthesised(e.operand, 6)}`;
    case 'binary': {
      const own = strength(e.op);
      if (own === 7) return `${parenthesised(e.left, 8)}${e.op}${parenthesised(e.right, 8)}`;
      const left = parenthesised(e.left, own === 4 ? 5 : own);
      return `${left} ${e.op} ${parenthesised(e.right, own + 1)}`;
    }
    case 'if': {
      const branches = e.branches.map((b) => `if ${printExpression(b.condition)} then ${printExpression(b.value)}`);
      return `${branches.join(' else')} else ${printExpression(e.otherwise)}`;
    }
    case 'array':
      if (e.matrix)
        return `[${e.elements.map((row) => (row.kind === 'array' ? row.elements : [row]).map(printExpression).join(', ')).join('; ')}]`;
      return `{${e.elements.map(printExpression).join(', ')}}`;
    case 'comprehension':
      return `{${printExpression(e.body)} for ${printIterators(e.iterators)}}`;
    case 'range':
      return [e.start, ...(e.step ? [e.step] : []), e.stop].map((x) => parenthesised(x, 1)).join(':');
    case 'tuple':
      return `(${e.elements.map((x) => (x.kind === 'colon' ? '' : printExpression(x))).join(', ')})`;
    case 'colon':
      return ':';
    case 'end':
      return 'end';
    case 'error':
      return '';
  }
}

const indentBy = (text: string, by: string): string => text.replace(/^(?=.)/gm, by);
const block = <T>(body: readonly T[], print: (x: T) => string): string =>
  indentBy(body.map(print).join('\n'), '  ') + (body.length ? '\n' : '');

function printSend(n: SendNode): string {
  const args = n.args.length ? `(${n.args.map(printNamed).join(', ')})` : '';
  return `send ${printName(n.message)}${args}${n.receiver ? ` to ${printReference(n.receiver)}` : ''}${n.after ? ` after ${printExpression(n.after)}` : ''};`;
}

function printBranches<T>(
  word: 'if' | 'when',
  node: { branches: readonly { condition: Expr; body: readonly T[] }[]; otherwise?: readonly T[] },
  print: (x: T) => string,
): string {
  const found = node.branches.map((b) => `${word} ${printExpression(b.condition)} then\n${block(b.body, print)}`);
  const otherwise = node.otherwise?.length ? `else\n${block(node.otherwise, print)}` : '';
  return `${found.join('else')}${otherwise}end ${word};`;
}

export function printEquation(e: Equation): string {
  switch (e.kind) {
    case 'equal':
      return `${parenthesised(e.left, 0)} = ${printExpression(e.right)};`;
    case 'connect':
      return `connect(${printReference(e.a)}, ${printReference(e.b)});`;
    case 'call':
      return `${printExpression(e.call)};`;
    case 'send':
      return printSend(e);
    case 'if':
    case 'when':
      return printBranches(e.kind, e, printEquation);
    case 'for':
      return `for ${printIterators(e.iterators)} loop\n${block(e.body, printEquation)}end for;`;
    case 'error':
      return '';
  }
}

export function printStatement(st: Statement): string {
  switch (st.kind) {
    case 'assign':
      return `${printExpression(st.target)} := ${printExpression(st.value)};`;
    case 'call':
      return `${printExpression(st.call)};`;
    case 'send':
      return printSend(st);
    case 'cancel':
      return `cancel ${printName(st.message)};`;
    case 'if':
    case 'when':
      return printBranches(st.kind, st, printStatement);
    case 'for':
      return `for ${printIterators(st.iterators)} loop\n${block(st.body, printStatement)}end for;`;
    case 'while':
      return `while ${printExpression(st.condition)} loop\n${block(st.body, printStatement)}end while;`;
    case 'return':
    case 'break':
      return `${st.kind};`;
    case 'error':
      return '';
  }
}

export function printModification(m: Modification): string {
  const args = m.args.length ? `(${m.args.map(printModificationArgument).join(', ')})` : '';
  return args + (m.value ? ` = ${printExpression(m.value)}` : '');
}

function printModificationArgument(a: ModificationArgument): string {
  const prefix = (a.each ? 'each ' : '') + (a.final ? 'final ' : '');
  if (a.redeclare) return prefix + printElement(a.redeclare).replace(/;$/, '');
  if (a.isBroken) return `break ${a.path.map(printName).join('.')}`;
  return prefix + a.path.map(printName).join('.') + printModification(a.modification);
}

const printDescription = (text: string): string => (text ? ` ${printString(text)}` : '');
const printAnnotation = (m: Modification | undefined): string =>
  m ? ` annotation${printModification(m) || '()'}` : '';
const printDimensions = (d: readonly Expr[]): string => (d.length ? `[${d.map(printExpression).join(', ')}]` : '');

export function printComponent(c: ComponentElement): string {
  const prefix = [
    c.redeclare && 'redeclare',
    c.final && 'final',
    c.inner && 'inner',
    c.outer && 'outer',
    c.replaceable && 'replaceable',
    c.flow !== 'none' && c.flow,
    c.variability !== 'continuous' && c.variability,
    c.causality !== 'none' && c.causality,
  ].filter(Boolean);
  const head = [...prefix, printDotted(c.typeName), printName(c.name)].join(' ');
  const condition = c.condition ? ` if ${printExpression(c.condition)}` : '';
  return `${head}${printDimensions(c.dimensions)}${printModification(c.modification)}${condition}${printDescription(c.description)}${printAnnotation(c.annotation)};`;
}

function printElement(e: Element): string {
  switch (e.kind) {
    case 'component':
      return printComponent(e);
    case 'extends':
      return `extends ${printDotted(e.base)}${printModification(e.modification)};`;
    case 'import':
      return `import ${e.alias ? `${printName(e.alias)} = ` : ''}${printDotted(e.path)}${e.wildcard ? '.*' : ''};`;
    case 'class':
      return printClass(e);
  }
}

/** A class as Modelica text, ended by `;`. */
export function printClass(c: ClassDefinition): string {
  const prefix = [
    c.redeclare && 'redeclare',
    c.replaceable && 'replaceable',
    c.partial && 'partial',
    c.expandable && 'expandable',
  ].filter(Boolean);
  const head = [...prefix, c.classKind, printName(c.name)].join(' ');
  if (c.enumeration)
    return `${head} = enumeration(${c.enumeration.map(printName).join(', ')})${printDescription(c.description)};`;
  if (c.short?.derivative) {
    const names = [printDotted(c.short.base), ...c.short.derivative.map((d) => d.name)];
    return `${head} = der(${names.join(', ')})${printDescription(c.description)};`;
  }
  if (c.short) {
    const causality = c.short.causality === 'none' ? '' : `${c.short.causality} `;
    return `${head} = ${causality}${printDotted(c.short.base)}${printDimensions(c.short.dimensions)}${printModification(c.short.modification)}${printDescription(c.description)};`;
  }
  const open = c.elements.filter((e) => e.kind !== 'component' || !e.protected);
  const hidden = c.elements.filter((e) => e.kind === 'component' && e.protected);
  const section = (word: string, text: string): string => (text ? `${word}\n${indentBy(text, '  ')}\n` : '');
  return (
    `${head}${printDescription(c.description)}\n` +
    indentBy(open.map(printElement).join('\n'), '  ') +
    (open.length ? '\n' : '') +
    section('protected', hidden.map(printElement).join('\n')) +
    section('initial equation', c.initialEquations.map(printEquation).join('\n')) +
    section('equation', c.equations.map(printEquation).join('\n')) +
    c.initialAlgorithms.map((a) => section('initial algorithm', a.map(printStatement).join('\n'))).join('') +
    c.algorithms.map((a) => section('algorithm', a.map(printStatement).join('\n'))).join('') +
    (c.annotation ? `  ${printAnnotation(c.annotation).trimStart()};\n` : '') +
    `end ${printName(c.name)};`
  );
}

export const printStatements = (body: readonly Statement[]): string => body.map(printStatement).join('\n');
