/** How a text of the document is read. */
export type TextKind =
  | 'expression'
  | 'statements'
  | 'physics'
  /** Whole classes, one or more. */
  | 'classes'
  | 'relation'
  | 'path'
  | 'message-path'
  | 'chart-path'
  | 'state-path'
  /** The name of a message, with the arguments it brings. */
  | 'message'
  /** The name of a procedure that is called. */
  | 'procedure'
  /** A quantity of a procedure that a call gives a value, written as `name of procedure`. */
  | 'argument';

/** A piece of a line that is read as something of the language. */
export interface LinePiece {
  readonly kind: TextKind;
  readonly start: number;
  readonly end: number;
  /** Of an argument: the procedure it is given to. */
  readonly of?: string;
}

type Rule = readonly [pattern: RegExp, ...kinds: TextKind[]];

/** The first rule whose pattern fits says what its groups are. */
function pieces(text: string, rules: readonly Rule[]): LinePiece[] {
  for (const [pattern, ...kinds] of rules) {
    const match = new RegExp(pattern.source, `${pattern.flags.replace('d', '')}d`).exec(text);
    if (!match?.indices) continue;
    return kinds.flatMap((kind, k) => {
      const at = match.indices![k + 1];
      return at && at[1] > at[0] ? [{ kind, start: at[0], end: at[1] }] : [];
    });
  }
  return [];
}

const procedureRules: readonly Rule[] = [
  [/^\s*(?:else\s+if|if)\s+(.+)$/, 'expression'],
  [/^\s*repeat\s+(?:while|until)\s+(.+)$/, 'expression'],
  [/^\s*repeat\s+(.+?)\s+times\s*$/, 'expression'],
  [/^\s*wait\s+until\s+(.+)$/, 'expression'],
  [/^\s*wait\s+for\s+(.+)$/, 'message'],
  [/^\s*wait\s+([\p{L}_][^']*)$/u, 'expression'],
  [/^\s*abort\s+on\s+(.+)$/, 'message'],
  [/^\s*abort\s+(?:when|if)\s+(.+)$/, 'expression'],
  [/^\s*(?:start|stop|await)\s+([\p{L}_][\p{L}\p{N}_]*)\s*$/u, 'procedure'],
  [/^\s*(?:else|together|lane\b.*)$/],
  [
    /^\s*(?:([\p{L}_][\p{L}\p{N}_]*):\s+)?((?:send\s|[\p{L}_][\p{L}\p{N}_.]*\s*:=).*?)(?:[;,]?\s+(?:takes|uses|gives)\s.*)?$/u,
    'path',
    'statements',
  ],
  [/^\s*([\p{L}_][\p{L}\p{N}_]*):\s+/u, 'path'],
];

const sequenceRules: readonly Rule[] = [
  [/^\s*(?:alt|opt|else\s+if)\s+(.+)$/i, 'expression'],
  [/^\s*loop\s+(?:while|until)\s+(.+)$/i, 'expression'],
  [/^\s*loop\s+(.+?)\s+times\s*$/i, 'expression'],
  [/^\s*check\s+([^;]+)/i, 'expression'],
  [/^\s*set\s+([^=]+)=/i, 'path'],
  [/^\s*state\s+([^;]+)/i, 'state-path'],
  [/^\s*(.+?)\s*->\s*(.+?)\s*:\s*([\p{L}_][\p{L}\p{N}_.]*)/u, 'path', 'path', 'message'],
];

/** `call fill(level = 3, rate = r) -> done`: the procedure, its quantities by name, their values, and where the result goes. */
function callPieces(text: string): LinePiece[] | undefined {
  const call =
    /^\s*call\s+([\p{L}_][\p{L}\p{N}_]*)\s*(?:\((.*)\))?\s*(?:(?:->|into)?\s*([\p{L}_][\p{L}\p{N}_.]*))?\s*$/du.exec(
      text,
    );
  if (!call?.indices) return undefined;
  const piece = (kind: TextKind, [start, end]: readonly [number, number], of?: string): LinePiece => ({
    kind,
    start,
    end,
    ...(of !== undefined && { of }),
  });
  const found = [piece('procedure', call.indices[1]!)];
  if (call.indices[2]) {
    const [from, to] = call.indices[2];
    let depth = 0;
    let start = from;
    for (let k = from; k <= to; k++) {
      if ('([{'.includes(text[k])) depth++;
      if (k < to && ')]}'.includes(text[k])) depth--;
      if (k < to && (text[k] !== ',' || depth > 0)) continue;
      const equals = text.indexOf('=', start);
      const name = /[\p{L}_][\p{L}\p{N}_]*/u.exec(text.slice(start, equals < 0 || equals > k ? k : equals));
      if (name) {
        const at = start + name.index;
        found.push(piece('argument', [at, at + name[0].length], call[1]));
      }
      if (equals >= 0 && equals < k) found.push(piece('expression', [equals + 1, k]));
      start = k + 1;
    }
  }
  if (call.indices[3]) found.push(piece('path', call.indices[3]));
  return found;
}

export const procedurePieces = (text: string): LinePiece[] => callPieces(text) ?? pieces(text, procedureRules);
export const sequencePieces = (text: string): LinePiece[] => pieces(text, sequenceRules);
