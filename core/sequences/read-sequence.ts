import type { FlowLine } from '../project/project';

/**
 * A sequence is typed as lines: `outside -> ctrl: start`, with frames whose lines stand further right. What follows a
 * semicolon bounds a row in time: `ctrl -> belt: advance; within 0.5 s`, `; mark turned`, `; within 1.6 s of turned`.
 */
export type SequenceNode =
  | MessageNode
  | {
      readonly kind: 'state';
      readonly line: FlowLine;
      readonly part: string;
      readonly state: string;
      readonly bound: Bound;
    }
  | { readonly kind: 'check'; readonly line: FlowLine; readonly condition: string; readonly bound: Bound }
  | { readonly kind: 'wait'; readonly line: FlowLine; readonly time: string }
  | { readonly kind: 'set'; readonly line: FlowLine; readonly target: string; readonly value: string }
  | { readonly kind: 'alt'; readonly word: 'alt' | 'opt'; readonly branches: readonly SequenceBranch[] }
  | {
      readonly kind: 'loop';
      readonly line: FlowLine;
      readonly mode: 'times' | 'while' | 'until';
      readonly text: string;
      readonly body: readonly SequenceNode[];
    }
  | {
      readonly kind: 'par';
      readonly line: FlowLine;
      readonly lanes: readonly {
        readonly line: FlowLine;
        readonly name: string;
        readonly body: readonly SequenceNode[];
      }[];
    };

export interface MessageNode {
  readonly kind: 'message';
  readonly line: FlowLine;
  /** Full name of a part inside the context, '' for the context itself, `outside` for what is around it. */
  readonly from: string;
  readonly to: string;
  readonly message: string;
  readonly args: readonly { readonly name: string; readonly value: string }[];
  readonly bound: Bound;
}

export interface SequenceBranch {
  readonly line: FlowLine;
  readonly guard: string;
  readonly body: readonly SequenceNode[];
}

/** Times as written, with their unit; `of` names the mark they count from, '' the row before. */
export interface Bound {
  readonly mark: string;
  readonly within: string;
  readonly notBefore: string;
  readonly of: string;
}

export interface SequenceProblem {
  readonly line: string;
  readonly message: string;
}

export interface ReadSequence {
  readonly nodes: readonly SequenceNode[];
  readonly problems: readonly SequenceProblem[];
  /** Participants in the order in which they are named first. */
  readonly participants: readonly string[];
}

export const outside = 'outside';

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

export const holdsRows: ReadonlySet<RowKind> = new Set(['alt', 'else', 'opt', 'loop', 'par', 'lane']);

const noBound: Bound = { mark: '', within: '', notBefore: '', of: '' };

function readBound(text: string, say: (message: string) => void): { readonly rest: string; readonly bound: Bound } {
  const [rest, ...clauses] = text.split(';').map((x) => x.trim());
  let bound = noBound;
  for (const c of clauses) {
    if (c === '') continue;
    const mark = /^mark\s+([\p{L}_][\p{L}\p{N}_]*)$/u.exec(c);
    const within = /^(within|not before)\s+(.+?)(?:\s+(?:of|after)\s+([\p{L}_][\p{L}\p{N}_]*))?$/u.exec(c);
    if (mark) bound = { ...bound, mark: mark[1] };
    else if (within)
      bound = { ...bound, [within[1] === 'within' ? 'within' : 'notBefore']: within[2], of: within[3] ?? bound.of };
    else
      say(
        `"${c}" is not understood: a row can end with "mark name", "within 2 s", "within 2 s of name" or "not before 1 s of name"`,
      );
  }
  return { rest, bound };
}

/** `seated(angle = 2, ok = true)`. */
function readArguments(text: string): { name: string; value: string }[] {
  return text
    .split(',')
    .map((x) => x.trim())
    .filter(Boolean)
    .map((x) => {
      const [name, ...value] = x.split('=');
      return { name: name.trim(), value: value.join('=').trim() };
    });
}

export function readSequence(source: readonly FlowLine[]): ReadSequence {
  const problems: SequenceProblem[] = [];
  const lines = source.filter((l) => l.text.trim() !== '');
  const participants: string[] = [];
  const name = (p: string): string => {
    const clean = p.trim();
    if (!participants.includes(clean)) participants.push(clean);
    return clean;
  };
  const say = (line: FlowLine, message: string): void => void problems.push({ line: line.id, message });
  let at = 0;

  const block = (depth: number): SequenceNode[] => {
    const nodes: SequenceNode[] = [];
    while (at < lines.length && lines[at].depth >= depth) {
      const line = lines[at];
      if (line.depth > depth && nodes.length > 0)
        say(line, 'Nothing can stand inside the row above: this one belongs further left');
      const node = one(line);
      if (node) nodes.push(node);
    }
    return nodes;
  };
  const inside = (line: FlowLine): SequenceNode[] => {
    const found = at < lines.length && lines[at].depth > line.depth ? block(lines[at].depth) : [];
    if (found.length === 0) say(line, 'Nothing stands inside this frame');
    return found;
  };

  const one = (line: FlowLine): SequenceNode | undefined => {
    at++;
    const text = line.text.trim();
    const word = (): string => text.replace(/^\w+\s*/, '').trim();
    switch (rowKind(text)) {
      case 'empty':
        return undefined;
      case 'message': {
        const { rest, bound } = readBound(text, (m) => say(line, m));
        const match = /^(.+?)\s*->\s*(.+?)\s*:\s*([\p{L}_][\p{L}\p{N}_.]*)\s*(?:\(([^()]*)\))?$/u.exec(rest);
        if (!match) {
          say(line, 'A message is written as "outside -> ctrl: start" or "ctrl -> belt: advance(speed = 2)"');
          return undefined;
        }
        return {
          kind: 'message',
          line,
          from: name(match[1]),
          to: name(match[2]),
          message: match[3],
          args: readArguments(match[4] ?? ''),
          bound,
        };
      }
      case 'state': {
        const { rest, bound } = readBound(word(), (m) => say(line, m));
        const match = /^([^:]+):\s*(.+)$/.exec(rest);
        if (!match) {
          say(line, 'A state is written as "state ctrl: Turning.Fast"');
          return undefined;
        }
        return { kind: 'state', line, part: name(match[1]), state: match[2].trim(), bound };
      }
      case 'check': {
        const { rest, bound } = readBound(word(), (m) => say(line, m));
        return { kind: 'check', line, condition: rest, bound };
      }
      case 'wait':
        return { kind: 'wait', line, time: word() };
      case 'set': {
        const [target, ...value] = word().split('=');
        return { kind: 'set', line, target: target.trim(), value: value.join('=').trim() };
      }
      case 'alt': {
        const branches: SequenceBranch[] = [{ line, guard: word(), body: inside(line) }];
        if (word() === '') say(line, 'Which condition? "alt ctrl.count > 3"');
        while (at < lines.length && lines[at].depth === line.depth && rowKind(lines[at].text) === 'else') {
          const next = lines[at++];
          branches.push({ line: next, guard: next.text.trim().replace(/^else(\s+if)?\s*/i, ''), body: inside(next) });
        }
        return { kind: 'alt', word: 'alt', branches };
      }
      case 'opt':
        if (word() === '') say(line, 'Which condition? "opt ctrl.count > 3"');
        return { kind: 'alt', word: 'opt', branches: [{ line, guard: word(), body: inside(line) }] };
      case 'loop': {
        const rest = word();
        const times = /^(.+?)\s+times$/i.exec(rest) ?? /^(\d+)$/.exec(rest);
        const cond = /^(while|until)\s+(.+)$/i.exec(rest);
        if (!times && !cond) say(line, 'How often? "loop 3 times", "loop while ...", "loop until ..."');
        return {
          kind: 'loop',
          line,
          mode: times ? 'times' : ((cond?.[1].toLowerCase() ?? 'times') as 'while' | 'until'),
          text: times?.[1] ?? cond?.[2] ?? '1',
          body: inside(line),
        };
      }
      case 'par': {
        const lanes: { line: FlowLine; name: string; body: SequenceNode[] }[] = [];
        if (at < lines.length && lines[at].depth > line.depth) {
          const inner = lines[at].depth;
          while (at < lines.length && lines[at].depth >= inner) {
            const first = lines[at];
            if (rowKind(first.text) === 'lane') {
              at++;
              lanes.push({ line: first, name: first.text.trim().replace(/^lane\s*/i, ''), body: inside(first) });
            } else {
              const node = one(first);
              lanes.push({ line: first, name: '', body: node ? [node] : [] });
            }
          }
        }
        if (lanes.length < 2) say(line, 'At least two lanes stand inside "par"');
        return { kind: 'par', line, lanes };
      }
      case 'else':
        say(line, 'There is no "alt" before this');
        inside(line);
        return undefined;
      case 'lane':
        say(line, 'A lane stands inside "par"');
        inside(line);
        return undefined;
      case 'unread':
        say(line, 'This is no row of a sequence: messages are written as "outside -> ctrl: start"');
        return undefined;
    }
  };
  return { nodes: block(0), problems, participants };
}

/** Every node in reading order. */
export function visitSequence(nodes: readonly SequenceNode[], visit: (node: SequenceNode) => void): void {
  for (const n of nodes) {
    visit(n);
    if (n.kind === 'alt') n.branches.forEach((b) => visitSequence(b.body, visit));
    else if (n.kind === 'loop') visitSequence(n.body, visit);
    else if (n.kind === 'par') n.lanes.forEach((l) => visitSequence(l.body, visit));
  }
}

/** Seconds of a time as it is spoken, `200 ms`; undefined where it is none. */
export function secondsOf(text: string): number | undefined {
  const match = /^\s*([\d.]+(?:e[+-]?\d+)?)\s*'?\s*(ms|s|min|h|us|µs)?\s*'?\s*$/i.exec(text);
  if (!match) return undefined;
  const scale = { us: 1e-6, µs: 1e-6, ms: 1e-3, s: 1, min: 60, h: 3600 }[(match[2] ?? 's') as 's'] ?? 1;
  return Number(match[1]) * scale;
}
