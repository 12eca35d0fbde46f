import {
  afterWord,
  elseGuard,
  readBound,
  readMessageRow,
  readSetRow,
  readStateRow,
  rowKind,
  type Bound,
} from '../lines/sequence-row';
import { readRepeat } from '../lines/flow-line';
import { whole, type Piece } from '../lines/piece';
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
    const word = (): string => afterWord(line.text).text;
    const bounded = (row: Piece): { readonly rest: Piece; readonly bound: Bound } => {
      const { rest, bound, unread } = readBound(row);
      for (const c of unread)
        say(
          line,
          `"${c}" is not understood: a row can end with "mark name", "within 2 s", "within 2 s of name" or "not before 1 s of name"`,
        );
      return { rest, bound };
    };
    switch (rowKind(line.text)) {
      case 'empty':
        return undefined;
      case 'message': {
        const { rest, bound } = bounded(whole(line.text));
        const row = readMessageRow(rest);
        if (!row) {
          say(line, 'A message is written as "outside -> ctrl: start" or "ctrl -> belt: advance(speed = 2)"');
          return undefined;
        }
        return {
          kind: 'message',
          line,
          from: name(row.from.text),
          to: name(row.to.text),
          message: row.message.text,
          args: row.args.map((a) => ({ name: a.name.text, value: a.value.text })),
          bound,
        };
      }
      case 'state': {
        const { rest, bound } = bounded(afterWord(line.text));
        const row = readStateRow(rest);
        if (!row) {
          say(line, 'A state is written as "state ctrl: Turning.Fast"');
          return undefined;
        }
        return { kind: 'state', line, part: name(row.part.text), state: row.state.text, bound };
      }
      case 'check': {
        const { rest, bound } = bounded(afterWord(line.text));
        return { kind: 'check', line, condition: rest.text, bound };
      }
      case 'wait':
        return { kind: 'wait', line, time: word() };
      case 'set': {
        const { target, value } = readSetRow(afterWord(line.text));
        return { kind: 'set', line, target: target.text, value: value.text };
      }
      case 'alt': {
        const branches: SequenceBranch[] = [{ line, guard: word(), body: inside(line) }];
        if (word() === '') say(line, 'Which condition? "alt ctrl.count > 3"');
        while (at < lines.length && lines[at].depth === line.depth && rowKind(lines[at].text) === 'else') {
          const next = lines[at++];
          branches.push({ line: next, guard: elseGuard(next.text).text, body: inside(next) });
        }
        return { kind: 'alt', word: 'alt', branches };
      }
      case 'opt':
        if (word() === '') say(line, 'Which condition? "opt ctrl.count > 3"');
        return { kind: 'alt', word: 'opt', branches: [{ line, guard: word(), body: inside(line) }] };
      case 'loop': {
        const repeat = readRepeat(afterWord(line.text));
        if (!repeat) say(line, 'How often? "loop 3 times", "loop while ...", "loop until ..."');
        return {
          kind: 'loop',
          line,
          mode: repeat?.mode ?? 'times',
          text: repeat?.what.text ?? '1',
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
              lanes.push({ line: first, name: afterWord(first.text).text, body: inside(first) });
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
