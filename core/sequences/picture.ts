import { outside, readSequence, visitSequence, type ReadSequence, type SequenceNode } from './read-sequence';
import type { RowResult } from './sequence-run';
import type { FlowLine } from '../project/project';

/** A sequence as it is drawn: one view for recorded, written and derived ones. */
export interface SequencePicture {
  readonly participants: readonly Participant[];
  readonly rows: readonly PictureRow[];
}

export interface Participant {
  /** Full name of a part, `outside`, or whatever else rows name. */
  readonly id: string;
  readonly label: string;
  readonly typeName: string;
}

export type PictureRow =
  | {
      readonly kind: 'message';
      readonly id: string;
      readonly from: string;
      readonly to: string;
      readonly text: string;
      readonly time: number | undefined;
      /** `lost`: nobody waited for it; `kept`: for later; `item`: something handed over; `available`: there, but it starts nothing. */
      readonly tone: 'plain' | 'lost' | 'kept' | 'item' | 'available';
      readonly depth: number;
      readonly status?: RowResult;
      readonly bound?: string;
    }
  | {
      readonly kind: 'state' | 'does' | 'start';
      readonly id: string;
      readonly part: string;
      readonly text: string;
      readonly time: number | undefined;
      readonly depth: number;
      readonly status?: RowResult;
      readonly bound?: string;
    }
  | {
      readonly kind: 'frame';
      readonly id: string;
      readonly word: string;
      readonly text: string;
      readonly depth: number;
      readonly status?: RowResult;
      readonly time: undefined;
    }
  | {
      readonly kind: 'branch' | 'end';
      readonly id: string;
      readonly text: string;
      readonly depth: number;
      readonly time: undefined;
      readonly status?: RowResult;
    };

export interface NamedPart {
  readonly path: string;
  readonly typeName: string;
}

export const participantsOf = (names: readonly string[], parts: readonly NamedPart[], product: string): Participant[] =>
  names.map((id) => {
    const part = parts.find((p) => p.path === id);
    return { id, label: id === outside ? 'outside' : id === '' ? product : id, typeName: part?.typeName ?? '' };
  });

/** A written sequence, with what its last run said of each row. */
export function writtenPicture(
  lines: readonly FlowLine[],
  parts: readonly NamedPart[],
  product: string,
  results: readonly RowResult[] = [],
  read: ReadSequence = readSequence(lines),
): SequencePicture {
  const statusOf = new Map(results.map((r) => [r.line, r]));
  const rows: PictureRow[] = [];
  const status = (id: string): { status: RowResult; time: number | undefined } | { time: undefined } => {
    const found = statusOf.get(id);
    return found ? { status: found, time: found.time } : { time: undefined };
  };
  const bound = (n: Extract<SequenceNode, { kind: 'message' | 'state' | 'check' }>): string =>
    [
      n.bound.mark && `mark ${n.bound.mark}`,
      n.bound.within && `within ${n.bound.within}${n.bound.of ? ` of ${n.bound.of}` : ''}`,
      n.bound.notBefore && `not before ${n.bound.notBefore}${n.bound.of ? ` of ${n.bound.of}` : ''}`,
    ]
      .filter(Boolean)
      .join('; ');
  const frame = (id: string, word: string, text: string, depth: number): void =>
    void rows.push({ kind: 'frame', id, word, text, depth, ...status(id), time: undefined });
  const walk = (nodes: readonly SequenceNode[], depth: number): void => {
    for (const n of nodes) {
      switch (n.kind) {
        case 'message':
          rows.push({
            kind: 'message',
            id: n.line.id,
            from: n.from,
            to: n.to,
            text: `${n.message}${n.args.length ? `(${n.args.map((a) => `${a.name} = ${a.value}`).join(', ')})` : ''}`,
            tone: 'plain',
            depth,
            bound: bound(n),
            ...status(n.line.id),
          });
          break;
        case 'state':
          rows.push({
            kind: 'state',
            id: n.line.id,
            part: n.part,
            text: n.state,
            depth,
            bound: bound(n),
            ...status(n.line.id),
          });
          break;
        case 'check':
          rows.push({
            kind: 'does',
            id: n.line.id,
            part: '',
            text: `check ${n.condition}`,
            depth,
            bound: bound(n),
            ...status(n.line.id),
          });
          break;
        case 'set':
          rows.push({
            kind: 'does',
            id: n.line.id,
            part: n.target.includes('.') ? n.target.replace(/\.[^.]*$/, '') : '',
            text: `${n.target} = ${n.value}`,
            depth,
            ...status(n.line.id),
          });
          break;
        case 'wait':
          rows.push({ kind: 'does', id: n.line.id, part: '', text: `wait ${n.time}`, depth, ...status(n.line.id) });
          break;
        case 'alt':
          n.branches.forEach((b, k) => {
            if (k === 0) frame(b.line.id, n.word, b.guard, depth);
            else rows.push({ kind: 'branch', id: b.line.id, text: b.guard || 'else', depth, time: undefined });
            walk(b.body, depth + 1);
          });
          rows.push({ kind: 'end', id: `${n.branches[0].line.id} end`, text: '', depth, time: undefined });
          break;
        case 'loop':
          frame(
            n.line.id,
            'loop',
            `${n.mode === 'times' ? '' : `${n.mode} `}${n.text}${n.mode === 'times' ? ' times' : ''}`,
            depth,
          );
          walk(n.body, depth + 1);
          rows.push({ kind: 'end', id: `${n.line.id} end`, text: '', depth, time: undefined });
          break;
        case 'par':
          n.lanes.forEach((l, k) => {
            if (k === 0) frame(n.line.id, 'par', l.name, depth);
            else rows.push({ kind: 'branch', id: l.line.id, text: l.name, depth, time: undefined });
            walk(l.body, depth + 1);
          });
          rows.push({ kind: 'end', id: `${n.line.id} end`, text: '', depth, time: undefined });
      }
    }
  };
  walk(read.nodes, 0);
  const set: string[] = [];
  visitSequence(
    read.nodes,
    (n) => n.kind === 'set' && n.target.includes('.') && set.push(n.target.replace(/\.[^.]*$/, '')),
  );
  const named = [...new Set([...read.participants, ...set])];
  return { participants: participantsOf(named, parts, product), rows };
}
