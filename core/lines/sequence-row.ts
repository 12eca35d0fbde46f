import { argumentsIn, groupsOf, splitAt, whole, within, type Piece } from './piece';

/**
 * The rows of written sequences: `outside -> ctrl: start`, and frames whose rows stand further right. What follows a semicolon
 * bounds a row in time: `ctrl -> belt: advance; within 0.5 s`, `; mark turned`, `; within 1.6 s of turned`.
 */
export type RowKind =
  | 'message'
  | 'set'
  | 'state'
  | 'check'
  | 'wait'
  | 'alt'
  | 'else'
  | 'opt'
  | 'loop'
  | 'par'
  | 'lane'
  | 'empty'
  | 'unread';

export const sequenceForms: readonly (readonly [form: string, meaning: string])[] = [
  ['outside -> ctrl: start', 'a message from around the product: a run of the sequence sends it'],
  ['ctrl -> belt: advance', 'a message between parts, which is awaited'],
  ['ctrl -> belt: advance; within 0.5 s', 'at the latest so long after the row before'],
  ['...; mark turned', 'a name for this moment'],
  ['...; within 1.6 s of turned, ...; not before 0.2 s of turned', 'bounds between two moments'],
  ['state ctrl: Turning.Fast', 'a part gets into a state'],
  ['check spindle.speed < 5', 'a condition holds from here on or becomes true'],
  ['set guard.open = true', 'an input gets another value from outside'],
  ['wait 2 s', 'time passes'],
  ['alt ctrl.count > 3 / else', 'one of several ways; its rows stand further right'],
  ['opt ...', 'only if a condition holds'],
  ['loop 3 times, loop while ..., loop until ...', 'rows that happen again'],
  ['par / lane ...', 'rows in any order between the lanes'],
];

export function rowKind(text: string): RowKind {
  const t = text.trim();
  if (t === '') return 'empty';
  if (/^(alt|else|opt|loop|par|lane)\b/i.test(t) && !/->/.test(t.split(/\s/)[1] ?? ''))
    return t.split(/\b/)[0].toLowerCase() as RowKind;
  if (/^state\s/i.test(t)) return 'state';
  if (/^check\s/i.test(t)) return 'check';
  if (/^wait\s/i.test(t)) return 'wait';
  if (/^set\s[^=]+=/i.test(t)) return 'set';
  return /->/.test(t) ? 'message' : 'unread';
}

/** Rows that may have others inside them. */
export const holdsRows: ReadonlySet<RowKind> = new Set(['alt', 'else', 'opt', 'loop', 'par', 'lane']);

/** Times as written, with their unit; `of` names the mark they count from, '' the row before. */
export interface Bound {
  readonly mark: string;
  readonly within: string;
  readonly notBefore: string;
  readonly of: string;
}
const noBound: Bound = { mark: '', within: '', notBefore: '', of: '' };

/** What stands before the first semicolon, the bounds after it, and those that are not understood. */
export function readBound(row: Piece): {
  readonly rest: Piece;
  readonly bound: Bound;
  readonly unread: readonly string[];
} {
  const [rest, ...clauses] = splitAt(row, ';');
  let bound = noBound;
  const unread: string[] = [];
  for (const { text: c } of clauses) {
    if (c === '') continue;
    const mark = /^mark\s+([\p{L}_][\p{L}\p{N}_]*)$/u.exec(c);
    const limit = /^(within|not before)\s+(.+?)(?:\s+(?:of|after)\s+([\p{L}_][\p{L}\p{N}_]*))?$/u.exec(c);
    if (mark) bound = { ...bound, mark: mark[1] };
    else if (limit)
      bound = { ...bound, [limit[1] === 'within' ? 'within' : 'notBefore']: limit[2], of: limit[3] ?? bound.of };
    else unread.push(c);
  }
  return { rest, bound, unread };
}

/** What follows the first word of a row. */
export function afterWord(text: string): Piece {
  const line = whole(text);
  return within(line, /^\w+\s*/.exec(line.text)?.[0].length ?? 0);
}

/** What follows `else`, or `else if`. */
export function elseGuard(text: string): Piece {
  const line = whole(text);
  return within(line, /^else(\s+if)?\s*/i.exec(line.text)?.[0].length ?? 0);
}

/** `ctrl -> belt: advance(speed = 2)`. */
export function readMessageRow(rest: Piece):
  | {
      readonly from: Piece;
      readonly to: Piece;
      readonly message: Piece;
      readonly args: readonly { readonly name: Piece; readonly value: Piece }[];
    }
  | undefined {
  const found = groupsOf(rest, /^(.+?)\s*->\s*(.+?)\s*:\s*([\p{L}_][\p{L}\p{N}_.]*)\s*(?:\(([^()]*)\))?$/u);
  return found && { from: found[0]!, to: found[1]!, message: found[2]!, args: found[3] ? argumentsIn(found[3]) : [] };
}

/** `ctrl: Turning.Fast`. */
export function readStateRow(rest: Piece): { readonly part: Piece; readonly state: Piece } | undefined {
  const found = groupsOf(rest, /^([^:]+):\s*(.+)$/);
  return found && { part: found[0]!, state: found[1]! };
}

/** `guard.open = true`. */
export function readSetRow(rest: Piece): { readonly target: Piece; readonly value: Piece } {
  const [target, ...value] = splitAt(rest, '=');
  return {
    target,
    value: value.length === 0 ? within(rest, rest.text.length) : within(rest, value[0].start - rest.start),
  };
}

/** Seconds of a time as it is spoken, `200 ms`; undefined where it is none. */
export function secondsOf(text: string): number | undefined {
  const match = /^\s*([\d.]+(?:e[+-]?\d+)?)\s*'?\s*(ms|s|min|h|us|µs)?\s*'?\s*$/i.exec(text);
  if (!match) return undefined;
  const scale = { us: 1e-6, µs: 1e-6, ms: 1e-3, s: 1, min: 60, h: 3600 }[(match[2] ?? 's') as 's'] ?? 1;
  return Number(match[1]) * scale;
}
