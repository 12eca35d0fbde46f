/**
 * Reads the C that is written for a controller, and what somebody has made of it: functions of statements and expressions, each with its lines.
 * What is not of this kind of C is told at its line, and the other functions are read all the same.
 */

export type CKind =
  // statements
  | 'list'
  | 'assign'
  | 'do'
  | 'if'
  | 'while'
  | 'switch'
  | 'case'
  | 'return'
  | 'break'
  | 'declare'
  // expressions
  | 'number'
  | 'name'
  | 'member'
  | 'at'
  | 'call'
  | 'cast'
  | 'unary'
  | 'binary'
  | 'choose'
  | 'values'
  | 'nothing';

export interface CNode {
  readonly kind: CKind;
  /** What it is of its kind: a name, a sign, a number as it is written, a type. */
  readonly word: string;
  readonly parts: readonly CNode[];
  /** First and last line, from 1. */
  readonly from: number;
  readonly to: number;
}

export interface CFunction {
  readonly name: string;
  readonly from: number;
  readonly to: number;
  /** Undefined where it cannot be read. */
  readonly body: CNode | undefined;
}

export interface CComplaint {
  readonly line: number;
  readonly message: string;
}
export interface CFile {
  readonly functions: readonly CFunction[];
  /** What stands outside of functions, line by line. */
  readonly outside: readonly { readonly line: number; readonly text: string }[];
  readonly comments: readonly { readonly line: number; readonly text: string }[];
  readonly complaints: readonly CComplaint[];
}

interface Token {
  readonly kind: 'name' | 'number' | 'sign' | 'end';
  readonly text: string;
  readonly line: number;
}

class Unread extends Error {
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

const tokenPattern =
  /\s+|\/\/[^\n]*|\/\*[\s\S]*?\*\/|([A-Za-z_]\w*)|((?:0[xX][0-9a-fA-F]+|(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\w*)|("(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|->|\+\+|--|<<=|>>=|<<|>>|<=|>=|==|!=|&&|\|\||[-+*/%&|^]=|.)/gy;

export function readC(text: string): CFile {
  const comments: { line: number; text: string }[] = [];
  const complaints: CComplaint[] = [];
  const outside: { line: number; text: string }[] = [];
  const functions: CFunction[] = [];
  // lines for the compiler alone stand outside of everything
  const plain = text
    .split('\n')
    .map((row, k) => {
      if (!/^\s*#/.test(row)) return row;
      outside.push({ line: k + 1, text: row.trim() });
      return '';
    })
    .join('\n');
  const tokens: Token[] = [];
  let line = 1;
  for (const found of plain.matchAll(tokenPattern)) {
    const [all, name, number, sign] = found;
    if (name !== undefined) tokens.push({ kind: 'name', text: name, line });
    else if (number !== undefined) tokens.push({ kind: 'number', text: number, line });
    else if (sign !== undefined) {
      if (all === '/' && plain.startsWith('/*', found.index))
        complaints.push({ line, message: 'This comment has no end' });
      tokens.push({ kind: 'sign', text: sign, line });
    } else if (all.startsWith('/')) comments.push({ line, text: commentText(all) });
    line += all.split('\n').length - 1;
  }
  const last = line;
  for (let k = 0; k < tokens.length;) {
    const begun = k;
    let depth = 0;
    // to the body of a function, or to the end of what is none
    while (k < tokens.length && !(depth === 0 && (tokens[k].text === '{' || tokens[k].text === ';'))) {
      if (tokens[k].text === '(') depth++;
      if (tokens[k].text === ')') depth--;
      k++;
    }
    const head = tokens.slice(begun, k);
    const open = head.findIndex((t) => t.text === '(');
    const isFunction = tokens[k]?.text === '{' && open > 0 && head[open - 1].kind === 'name';
    if (!isFunction) {
      const first = k;
      if (tokens[k]?.text === '{') k = pastBraces(tokens, k) ?? tokens.length;
      while (k < tokens.length && tokens[k].text !== ';' && k > first) k++;
      for (const t of tokens.slice(begun, k + 1)) addOutside(outside, t);
      k++;
      continue;
    }
    const end = pastBraces(tokens, k);
    const close = end ?? tokens.length;
    const name = head[open - 1].text;
    const inner = tokens.slice(k, close);
    const to = tokens[close - 1].line;
    let body: CNode | undefined;
    if (end === undefined) complaints.push({ line: tokens[k].line, message: `${name} has no end: a } is missing` });
    else
      try {
        body = readBody([...inner, { kind: 'end', text: '', line: last }]);
      } catch (error) {
        if (!(error instanceof Unread)) throw error;
        complaints.push({ line: error.line, message: error.message });
      }
    functions.push({ name, from: head[0].line, to, body });
    k = close;
  }
  const twice = functions.filter((f, k) => functions.findIndex((g) => g.name === f.name) < k);
  for (const f of twice) complaints.push({ line: f.from, message: `${f.name} is there twice` });
  outside.sort((a, b) => a.line - b.line);
  return { functions: functions.filter((f) => !twice.includes(f)), outside, comments, complaints };
}

/** What a comment says, without its stars. */
const commentText = (all: string): string =>
  all
    .replace(/^\/\*|\*\/$|^\/\//g, '')
    .replace(/^\s*\*/gm, '')
    .replace(/\s+/g, ' ')
    .trim();

function addOutside(outside: { line: number; text: string }[], t: Token): void {
  const known = outside.find((o) => o.line === t.line);
  if (known) known.text += ` ${t.text}`;
  else outside.push({ line: t.line, text: t.text });
}

/** The place after the brace that ends what begins at `k`; undefined where there is none. */
function pastBraces(tokens: readonly Token[], k: number): number | undefined {
  let depth = 0;
  for (; k < tokens.length; k++) {
    if (tokens[k].text === '{') depth++;
    if (tokens[k].text === '}' && --depth === 0) return k + 1;
  }
  return undefined;
}

const binds: Readonly<Record<string, number>> = {
  '||': 1,
  '&&': 2,
  '|': 3,
  '^': 4,
  '&': 5,
  '==': 6,
  '!=': 6,
  '<': 7,
  '<=': 7,
  '>': 7,
  '>=': 7,
  '<<': 8,
  '>>': 8,
  '+': 9,
  '-': 9,
  '*': 10,
  '/': 10,
  '%': 10,
};
const types = new Set(['float', 'double', 'bool', 'void', 'int', 'char', 'long', 'short', 'unsigned', 'signed']);
const isType = (name: string): boolean => types.has(name) || /_t$/.test(name);
const notUnderstood = new Set(['goto', 'for', 'do', 'asm', 'sizeof', 'typedef', 'struct', 'union', 'continue']);

/** The body of a function, from its first brace to its last. */
function readBody(tokens: readonly Token[]): CNode {
  let k = 0;
  const now = (): Token => tokens[k];
  const before = (): Token => tokens[Math.max(0, k - 1)];
  const is = (text: string): boolean => now().text === text && now().kind !== 'end';
  const unread = (what: string): never => {
    throw new Unread(now().line, what);
  };
  const take = (text: string): void => {
    if (!is(text)) unread(`${now().text === '' ? 'The end' : `"${now().text}"`} stands where "${text}" is expected`);
    k++;
  };
  const node = (kind: CKind, word: string, parts: readonly CNode[], from: number): CNode => ({
    kind,
    word,
    parts,
    from,
    to: before().line,
  });
  const list = (): CNode => {
    const { line } = now();
    take('{');
    const parts: CNode[] = [];
    while (!is('}')) {
      if (now().kind === 'end') unread('A } is missing');
      const found = statement();
      if (found) parts.push(found);
    }
    take('}');
    return node('list', '', parts, line);
  };
  /** A body in braces, or one statement. */
  const body = (): CNode => {
    if (is('{')) return list();
    const { line } = now();
    const found = statement();
    return node('list', '', found ? [found] : [], line);
  };
  const inBrackets = (): CNode => {
    take('(');
    const e = expression();
    take(')');
    return e;
  };
  const statement = (): CNode | undefined => {
    const { line, text, kind } = now();
    if (text === ';') {
      k++;
      return undefined;
    }
    if (text === '{') return list();
    if (kind === 'name' && notUnderstood.has(text)) unread(`"${text}" has no counterpart in the model`);
    switch (text) {
      case 'if': {
        k++;
        const condition = inBrackets();
        const then = body();
        const nothing: CNode = { kind: 'list', word: '', parts: [], from: before().line, to: before().line };
        if (!is('else')) return node('if', '', [condition, then, nothing], line);
        k++;
        return node('if', '', [condition, then, body()], line);
      }
      case 'while': {
        k++;
        const condition = inBrackets();
        return node('while', '', [condition, body()], line);
      }
      case 'switch':
        return choice();
      case 'return': {
        k++;
        const value = is(';') ? [] : [expression()];
        take(';');
        return node('return', '', value, line);
      }
      case 'break':
        k++;
        take(';');
        return node('break', '', [], line);
      default: {
        const next = tokens[k + 1];
        const isDeclared =
          kind === 'name' && (text === 'static' || text === 'const' || next.kind === 'name' || next.text === '*');
        return isDeclared ? declared() : simple(true);
      }
    }
  };
  const declared = (): CNode => {
    const { line } = now();
    let type = '';
    while (now().kind === 'name' || is('*')) {
      const next = tokens[k + 1];
      if (now().kind === 'name' && next.kind !== 'name' && next.text !== '*') break;
      type += `${type === '' ? '' : ' '}${now().text}`;
      k++;
    }
    const name = now();
    if (name.kind !== 'name') unread(`"${name.text}" stands where a name is expected`);
    k++;
    const parts: CNode[] = [];
    if (is('[')) {
      k++;
      parts.push(expression());
      take(']');
    }
    if (is('=')) {
      k++;
      parts.push(is('{') ? values() : expression());
    }
    take(';');
    return node('declare', `${type} ${name.text}`, parts, line);
  };
  const values = (): CNode => {
    const { line } = now();
    take('{');
    const parts: CNode[] = [];
    while (!is('}')) {
      const from = now().line;
      if (is('.')) {
        k++;
        const member = now();
        if (member.kind !== 'name') unread('A name is expected after the point');
        k++;
        take('=');
        parts.push(node('assign', '', [node('name', member.text, [], from), expression()], from));
      } else parts.push(expression());
      if (is(',')) k++;
      else break;
    }
    take('}');
    return node('values', '', parts, line);
  };
  /** Something is set, one more or less, or called. */
  const simple = (ends: boolean): CNode => {
    const { line } = now();
    const done = (found: CNode): CNode => {
      if (ends) take(';');
      return { ...found, to: before().line };
    };
    const one = (): CNode => node('number', '1', [], before().line);
    if (is('++') || is('--')) {
      const sign = now().text[0];
      k++;
      const target = unary();
      return done(node('assign', '', [target, node('binary', sign, [target, one()], line)], line));
    }
    const target = expression();
    const { text } = now();
    if (text === '++' || text === '--') {
      k++;
      return done(node('assign', '', [target, node('binary', text[0], [target, one()], line)], line));
    }
    if (text === '=') {
      k++;
      return done(node('assign', '', [target, expression()], line));
    }
    if (/^[-+*/%]=$/.test(text)) {
      k++;
      const value = expression();
      return done(node('assign', '', [target, node('binary', text[0], [target, value], line)], line));
    }
    return done(node('do', '', [target], line));
  };
  const choice = (): CNode => {
    const { line } = now();
    take('switch');
    const on = inBrackets();
    take('{');
    const cases: CNode[] = [];
    while (!is('}')) {
      const from = now().line;
      const labels: string[] = [];
      while (is('case') || is('default')) {
        if (is('default')) {
          k++;
          labels.push('default');
        } else {
          k++;
          const label = unary();
          labels.push(label.kind === 'unary' ? `-${label.parts[0].word}` : label.word);
        }
        take(':');
      }
      if (labels.length === 0) unread('"case" is expected');
      const inner = now().line;
      const parts: CNode[] = [];
      while (!is('}') && !is('case') && !is('default')) {
        if (now().kind === 'end') unread('A } is missing');
        const found = statement();
        if (found) parts.push(found);
      }
      const ends = parts.at(-1)?.kind;
      if (ends !== 'break' && ends !== 'return') unread('A case that goes on into the next one is not understood');
      const all = node('list', '', parts, inner);
      // what several cases do, each of them does
      for (const label of labels) cases.push(node('case', label, [all], from));
    }
    take('}');
    const sorted = [...cases].sort((a, b) => (a.word < b.word ? -1 : a.word > b.word ? 1 : 0));
    const same = sorted.find((c, n) => sorted[n + 1]?.word === c.word);
    if (same) throw new Unread(same.from, `"case ${same.word}" is there twice`);
    return node('switch', '', [on, ...sorted], line);
  };
  const expression = (): CNode => {
    const { line } = now();
    const condition = binary(1);
    if (!is('?')) return condition;
    k++;
    const a = expression();
    take(':');
    return node('choose', '', [condition, a, expression()], line);
  };
  const binary = (least: number): CNode => {
    const { line } = now();
    let left = unary();
    for (;;) {
      const { text, kind } = now();
      const own = kind === 'sign' ? binds[text] : undefined;
      if (own === undefined || own < least) return left;
      k++;
      const right = binary(own + 1);
      // conditions of one kind stand in one row, however they are put in brackets
      const isRow = text === '&&' || text === '||';
      const row = (e: CNode): readonly CNode[] => (isRow && e.kind === 'binary' && e.word === text ? e.parts : [e]);
      left = node('binary', text, [...row(left), ...row(right)], line);
    }
  };
  const unary = (): CNode => {
    const { line, text, kind } = now();
    if (kind === 'sign' && ['-', '+', '!', '~', '&', '*'].includes(text)) {
      if (text === '&' || text === '*') unread('Addresses have no counterpart in the model');
      k++;
      return node('unary', text, [unary()], line);
    }
    const next = tokens[k + 1];
    if (text === '(' && next.kind === 'name' && tokens[k + 2].text === ')' && isType(next.text)) {
      k += 3;
      return node('cast', next.text, [unary()], line);
    }
    return behind(first());
  };
  const first = (): CNode => {
    const { line, text, kind } = now();
    if (text === '(') return inBrackets();
    if (kind === 'name' && notUnderstood.has(text)) unread(`"${text}" has no counterpart in the model`);
    if (kind !== 'name' && kind !== 'number')
      unread(`${text === '' ? 'The end' : `"${text}"`} stands where a value is expected`);
    k++;
    return node(kind as 'name' | 'number', text, [], line);
  };
  const behind = (e: CNode): CNode => {
    let found = e;
    for (;;) {
      if (is('->') || is('.')) {
        const sign = now().text;
        k++;
        if (now().kind !== 'name') unread('A name is expected');
        const name = now().text;
        k++;
        found = node('member', `${sign}${name}`, [found], e.from);
      } else if (is('[')) {
        k++;
        const at = expression();
        take(']');
        found = node('at', '', [found, at], e.from);
      } else if (is('(') && found.kind === 'name') {
        k++;
        const args: CNode[] = [];
        while (!is(')')) {
          args.push(expression());
          if (!is(',')) break;
          k++;
        }
        take(')');
        found = node('call', found.word, args, e.from);
      } else return found;
    }
  };
  const found = list();
  if (now().kind !== 'end') unread(`"${now().text}" stands after the end`);
  return found;
}
