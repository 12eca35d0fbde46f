import type { FlowLine } from '../project/project';
import type { FlowNode } from './read-flow';

/** Where everything of a flow is drawn. Flows are nested sequences, so their layout follows from the inside out. */
export interface FlowLayout {
  readonly width: number;
  readonly height: number;
  readonly boxes: readonly FlowBox[];
  readonly arrows: readonly FlowArrow[];
}

export interface FlowBox {
  readonly kind: 'start' | 'end' | 'step' | 'wait' | 'call' | 'choice' | 'bar' | 'zone' | 'lane';
  readonly line: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  /** Small words above: who does it, or what kind of thing it is. */
  readonly head: string;
  readonly text: readonly string[];
  readonly tone: 'repeat' | 'abort' | '';
}

export interface FlowArrow {
  readonly points: readonly (readonly [number, number])[];
  readonly label: string;
  readonly line: string;
  readonly labelAt: readonly [number, number];
}

const card = 190,
  gapX = 28,
  gapY = 30,
  lineHeight = 17,
  pad = 9,
  headHeight = 15,
  zonePad = 14,
  zoneHead = 24;

/** Breaks text into lines of about so many letters. */
export function wrapText(text: string, letters = 27): string[] {
  const rows: string[] = [];
  for (const word of text.split(/\s+/)) {
    const last = rows.at(-1);
    if (last !== undefined && last.length + word.length + 1 <= letters) rows[rows.length - 1] = `${last} ${word}`;
    else rows.push(word);
  }
  return rows.slice(0, 6);
}

/** A piece laid out around x = 0, from y = 0 down; it is entered at its top and left at its bottom, in the middle. */
interface Piece {
  readonly left: number;
  readonly right: number;
  readonly height: number;
  place(x: number, y: number, out: Sink): void;
}

interface Sink {
  readonly boxes: FlowBox[];
  readonly arrows: FlowArrow[];
}

const box = (kind: FlowBox['kind'], line: FlowLine | undefined, head: string, text: string): Piece => {
  const rows = wrapText(text);
  const height = pad * 2 + (head ? headHeight : 0) + Math.max(1, rows.length) * lineHeight;
  return {
    left: card / 2,
    right: card / 2,
    height,
    place: (x, y, out) =>
      void out.boxes.push({
        kind,
        line: line?.id ?? '',
        x: x - card / 2,
        y,
        width: card,
        height,
        head,
        text: rows,
        tone: '',
      }),
  };
};

function sequence(pieces: readonly Piece[], lineOf: (k: number) => string): Piece {
  if (pieces.length === 0) return { left: 20, right: 20, height: 0, place: () => undefined };
  const height = pieces.reduce((sum, p) => sum + p.height, 0) + gapY * (pieces.length - 1);
  return {
    left: Math.max(...pieces.map((p) => p.left)),
    right: Math.max(...pieces.map((p) => p.right)),
    height,
    place(x, y, out) {
      let at = y;
      pieces.forEach((p, k) => {
        p.place(x, at, out);
        at += p.height;
        if (k < pieces.length - 1) {
          out.arrows.push({
            points: [
              [x, at],
              [x, at + gapY],
            ],
            label: '',
            line: lineOf(k + 1),
            labelAt: [x, at],
          });
          at += gapY;
        }
      });
    },
  };
}

/** Pieces side by side between a top and a bottom, each with a label where it begins. */
function beside(
  pieces: readonly Piece[],
  labels: readonly string[],
  lines: readonly string[],
  top: Piece,
  bar: 'choice' | 'bar',
): Piece {
  const widths = pieces.map((p, k) => Math.max(p.left + p.right, Math.min(card, labels[k].length * 6.2) + 8));
  const total = widths.reduce((a, b) => a + b, 0) + gapX * (pieces.length - 1);
  const drop = labels.some((l) => l !== '') ? gapY + 14 : gapY;
  const inner = Math.max(0, ...pieces.map((p) => p.height));
  const height = top.height + drop + inner + gapY + (bar === 'bar' ? 5 : 0);
  return {
    left: Math.max(total / 2, top.left),
    right: Math.max(total / 2, top.right),
    height,
    place(x, y, out) {
      top.place(x, y, out);
      const below = y + top.height;
      const bottom = y + height - (bar === 'bar' ? 5 : 0);
      let left = x - total / 2;
      pieces.forEach((p, k) => {
        const centre = left + widths[k] / 2 + (p.left - p.right) / 2;
        const points: (readonly [number, number])[] =
          bar === 'bar'
            ? [
                [centre, below],
                [centre, below + drop],
              ]
            : [
                [x, below],
                [x, below + 9],
                [centre, below + 9],
                [centre, below + drop],
              ];
        out.arrows.push({ points, label: labels[k], line: lines[k], labelAt: [centre, below + drop - 12] });
        p.place(centre, below + drop, out);
        const end = below + drop + p.height;
        out.arrows.push({
          points:
            bar === 'bar'
              ? [
                  [centre, end],
                  [centre, bottom],
                ]
              : [
                  [centre, end],
                  [centre, bottom - 9],
                  [x, bottom - 9],
                  [x, bottom],
                ],
          label: '',
          line: '',
          labelAt: [centre, end],
        });
        left += widths[k] + gapX;
      });
      if (bar === 'bar')
        for (const at of [below - 5, bottom])
          out.boxes.push({
            kind: 'bar',
            line: lines[0] ?? '',
            x: x - total / 2,
            y: at,
            width: total,
            height: 5,
            head: '',
            text: [],
            tone: '',
          });
    },
  };
}

function zone(line: FlowLine, head: string, text: string, tone: FlowBox['tone'], inner: Piece): Piece {
  const wide = Math.max(inner.left + inner.right, text.length * 6.4 + head.length * 6 + 20);
  const side = Math.max(inner.left, inner.right, wide / 2) + zonePad;
  const height = inner.height + zoneHead + zonePad * 2;
  return {
    left: side,
    right: side,
    height,
    place(x, y, out) {
      out.boxes.unshift({
        kind: 'zone',
        line: line.id,
        x: x - side,
        y,
        width: side * 2,
        height,
        head,
        text: [text],
        tone,
      });
      inner.place(x, y + zoneHead + zonePad, out);
    },
  };
}

const nothing: Piece = { left: 20, right: 20, height: 0, place: () => undefined };

function pieceOf(node: FlowNode): Piece {
  switch (node.kind) {
    case 'step':
      return box('step', node.line, node.actor, node.text);
    case 'wait':
      return box('wait', node.line, node.mode === 'time' ? 'wait' : `wait ${node.mode}`, node.text);
    case 'call':
      return box('call', node.line, 'call', node.name);
    case 'repeat':
      return zone(node.line, 'repeat', node.text, 'repeat', sequenceOf(node.body));
    case 'abort':
      return zone(node.line, 'abort on', node.event, 'abort', sequenceOf(node.body));
    case 'parallel': {
      const bar: Piece = { left: 40, right: 40, height: 5, place: () => undefined };
      return beside(
        node.lanes.map((l) => sequenceOf(l.body)),
        node.lanes.map((l) => l.name),
        node.lanes.map((l) => l.line.id),
        bar,
        'bar',
      );
    }
    case 'choice': {
      const labels = node.branches.map((b) => b.guard || 'else');
      const hasElse = node.branches.some((b) => b.guard === '');
      const pieces = node.branches.map((b) => sequenceOf(b.body));
      const lines = node.branches.map((b) => b.line.id);
      if (!hasElse) {
        pieces.push(nothing);
        labels.push('else');
        lines.push(node.branches[0].line.id);
      }
      const question: Piece = {
        left: 16,
        right: 16,
        height: 20,
        place: (x, y, out) =>
          void out.boxes.push({
            kind: 'choice',
            line: node.branches[0].line.id,
            x: x - 16,
            y,
            width: 32,
            height: 20,
            head: '',
            text: ['?'],
            tone: '',
          }),
      };
      return beside(pieces, labels, lines, question, 'choice');
    }
  }
}

function firstLine(node: FlowNode): string {
  return node.kind === 'choice' ? node.branches[0].line.id : node.line.id;
}

const sequenceOf = (nodes: readonly FlowNode[]): Piece => sequence(nodes.map(pieceOf), (k) => firstLine(nodes[k]));

const margin = 16;

export function layoutFlow(
  nodes: readonly FlowNode[],
  words: { readonly start: string; readonly end: string },
): FlowLayout {
  const cap = (kind: 'start' | 'end', text: string): Piece =>
    text
      ? box(kind, undefined, kind === 'start' ? 'begins when' : 'reached', text)
      : {
          left: 8,
          right: 8,
          height: 16,
          place: (x, y, out) =>
            void out.boxes.push({ kind, line: '', x: x - 8, y, width: 16, height: 16, head: '', text: [], tone: '' }),
        };
  const whole = sequence([cap('start', words.start), ...nodes.map(pieceOf), cap('end', words.end)], (k) =>
    k >= 1 && k <= nodes.length ? firstLine(nodes[k - 1]) : '',
  );
  const out: Sink = { boxes: [], arrows: [] };
  whole.place(whole.left + margin, margin, out);
  // outer zones lie under inner ones
  const zones = out.boxes.filter((b) => b.kind === 'zone').sort((a, b) => b.width * b.height - a.width * a.height);
  return {
    width: whole.left + whole.right + 2 * margin,
    height: whole.height + 2 * margin,
    boxes: [...zones, ...out.boxes.filter((b) => b.kind !== 'zone')],
    arrows: out.arrows,
  };
}
