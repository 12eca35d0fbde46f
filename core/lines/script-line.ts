import { lex } from '../language/lexer';
import { argumentsIn, groupsOf, splitAt, whole, within, type Piece } from './piece';

/** Lines of the scripts of test cases: `wait until in(ctrl.mode.Ready) within 2 's'; set guard.open = true // a note`. */

export type ScriptWord =
  'start' | 'wait' | 'wait until' | 'set' | 'send' | 'expect' | 'repeat' | 'repeat until' | 'if' | 'else' | 'end';
const words: readonly string[] = ['start', 'wait', 'set', 'send', 'expect', 'repeat', 'if', 'else', 'end'];
const withUntil: readonly string[] = ['wait', 'repeat'];
const withCondition: readonly string[] = ['wait until', 'expect', 'repeat until', 'if'];
const boundsOf: Readonly<Record<string, readonly string[]>> = {
  'wait until': ['within'],
  expect: ['within', 'for', 'always', 'now'],
};

/** One of the statements of a line, in pieces of it. */
export interface ScriptStatement {
  readonly whole: Piece;
  /** Undefined where it begins with nothing that is known. */
  readonly word: ScriptWord | undefined;
  /** What stands behind its word; of one with a condition that condition. */
  readonly rest: Piece;
  /** The word that bounds a condition, and what stands behind that. */
  readonly bound: { readonly word: Piece; readonly time: Piece } | undefined;
  /** What is set or sent, and what it is given. */
  readonly target: Piece | undefined;
  readonly value: Piece | undefined;
  readonly args: readonly { readonly name: Piece; readonly value: Piece }[];
}

/** Where a note begins. */
function noteAt(line: string): number {
  let quote = '';
  for (let k = 0; k < line.length; k++) {
    if (quote !== '') {
      if (line[k] === quote) quote = '';
    } else if (line[k] === "'" || line[k] === '"') quote = line[k];
    else if (line.startsWith('//', k)) return k;
  }
  return line.length;
}

export const statementsIn = (line: string): readonly ScriptStatement[] =>
  splitAt(within(whole(line), 0, Math.max(0, noteAt(line) - whole(line).start)), ';').flatMap((s) =>
    s.text === '' ? [] : [readStatement(s)],
  );

/** Where a word stands for the last time outside of brackets and quotes. */
function lastWord(
  { text }: Piece,
  among: readonly string[],
): { readonly start: number; readonly end: number } | undefined {
  let depth = 0;
  let found: { readonly start: number; readonly end: number } | undefined;
  for (const t of lex(text).tokens) {
    if (t.kind === 'symbol' && '([{'.includes(t.text)) depth++;
    else if (t.kind === 'symbol' && ')]}'.includes(t.text)) depth--;
    else if (depth === 0 && (t.kind === 'name' || t.kind === 'keyword') && among.includes(t.text)) found = t;
  }
  return found;
}

function readStatement(s: Piece): ScriptStatement {
  const [first, behind] = groupsOf(s, /^(\p{L}+)(?![\p{L}\p{N}_])(.*)$/su) ?? [];
  const none = { whole: s, bound: undefined, target: undefined, value: undefined, args: [] };
  if (!first || !words.includes(first.text)) return { ...none, word: undefined, rest: s };
  const [, afterUntil] = withUntil.includes(first.text)
    ? (groupsOf(behind!, /^(until)(?![\p{L}\p{N}_])(.*)$/su) ?? [])
    : [];
  const word = (afterUntil ? `${first.text} until` : first.text) as ScriptWord;
  const rest = afterUntil ?? behind!;
  const own = { ...none, word, rest };
  if (withCondition.includes(word)) {
    const at = lastWord(rest, boundsOf[word] ?? []);
    if (!at) return own;
    return {
      ...own,
      rest: within(rest, 0, at.start),
      bound: { word: within(rest, at.start, at.end), time: within(rest, at.end) },
    };
  }
  if (word === 'set') {
    const [target, value] = groupsOf(rest, /^([^=]*)=(.*)$/su) ?? [];
    return { ...own, target, value };
  }
  if (word === 'send') {
    const [target, brought] = groupsOf(rest, /^([^(]*)(?:\((.*)\)\s*)?$/su) ?? [];
    return { ...own, target: target ?? rest, args: brought ? argumentsIn(brought) : [] };
  }
  return own;
}
