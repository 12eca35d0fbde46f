/** How a text of the document is read. */
export type TextKind =
  | 'expression'
  | 'statements'
  | 'physics'
  | 'relation'
  | 'path'
  | 'message-path'
  | 'chart-path'
  | 'state-path'
  | 'message';

/** A piece of a line that is read as something of the language. */
export interface LinePiece {
  readonly kind: TextKind;
  readonly start: number;
  readonly end: number;
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
  [/^\s*call\s+\w+\s*\(([^()]*)\)/, 'statements'],
  [/^\s*(?:else|together|lane\b.*|start\s.*|stop\s.*|await\s.*|call\s.*)$/],
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
  [/^\s*state\s+([^:]+):/i, 'path'],
  [/^\s*(.+?)\s*->\s*(.+?)\s*:\s*([\p{L}_][\p{L}\p{N}_.]*)/u, 'path', 'path', 'message'],
];

export const procedurePieces = (text: string): LinePiece[] => pieces(text, procedureRules);
export const sequencePieces = (text: string): LinePiece[] => pieces(text, sequenceRules);
