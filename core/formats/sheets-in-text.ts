import { fromProjectDefinition } from '../flatten/from-project';
import type { ClassDefinition, Expr, Modification } from '../language/ast';
import { printComponent, printEquation } from '../language/print';
import { newSignalSheet, type PartType, type Project, type SignalLine, type SignalSheet } from '../project/project';
import { samplingMethods } from '../project/document';

/**
 * Signal sheets in a file of classes: what their lines come to, as declarations and equations between two comments, and the lines themselves
 * in the annotation of the class. Who reads only equations has the model; who reads the annotation has the sheet back, where nobody has
 * changed the equations meanwhile.
 */
const first = '// signal sheets';
const last = '// end of signal sheets';
const quoted = (text: string): string => `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;

export interface SheetsAsText {
  /** Sections of the class. */
  readonly body: string;
  /** Arguments of the annotation `__Zelvar`. */
  readonly annotation: string;
}

export function sheetsAsText(project: Project, type: PartType): SheetsAsText {
  const { elements, equations } = fromProjectDefinition(project, type);
  const section = (word: string, rows: readonly string[]): string =>
    rows.length === 0 ? '' : `${word}\n${rows.map((r) => r.replace(/^/gm, '  ')).join('\n')}\n`;
  const body = [
    `${first}\n`,
    section('public', elements.filter((e) => !e.protected).map(printComponent)),
    section(
      'protected',
      elements.filter((e) => e.protected).map((e) => printComponent({ ...e, protected: false })),
    ),
    section('equation', equations.map(printEquation)),
    last,
  ].join('');
  const sheets = type.signals.map((s) => {
    const rows = s.lines.map((l) =>
      quoted(
        `${l.place ? `${l.place.x} ${l.place.y}` : ''}${l.size ? ` ${l.size.width} ${l.size.height}` : ''}|${l.text}`,
      ),
    );
    return `{${[s.name, s.note, s.every, s.offset, s.method].map(quoted).join(', ')}${rows.length > 0 ? `, ${rows.join(', ')}` : ''}}`;
  });
  const args = sheets.map((s, k) => `sheet${k + 1} = ${s}`).join(', ');
  return { body, annotation: `signals(mark = ${quoted(markOf(body))}, ${args})` };
}

/** A short mark of a text, blanks left out (Fowler, Noll and Vo). */
function markOf(text: string): string {
  let hash = 0x811c9dc5;
  for (const c of text.replace(/\s+/g, '')) hash = Math.imul(hash ^ c.codePointAt(0)!, 0x01000193);
  return (hash >>> 0).toString(36);
}

export interface SheetsFromText {
  readonly sheets: readonly SignalSheet[];
  /** The body without what the sheets come to. */
  readonly body: string;
  /** Why there are no sheets though the file has some. */
  readonly remark: string | undefined;
}

/** The sheets a class brings back. */
export function sheetsFromText(c: ClassDefinition, body: string, makeId: () => string): SheetsFromText {
  const signals = argumentIn(argumentIn(c.annotation, '__Zelvar'), 'signals');
  if (!signals) return { sheets: [], body, remark: undefined };
  const [from, to] = [body.indexOf(first), body.indexOf(last)];
  const region = from >= 0 && to > from ? body.slice(from, to + last.length) : '';
  const mark = argumentIn(signals, 'mark')?.value;
  if (region === '' || mark?.kind !== 'string' || mark.value !== markOf(region))
    return {
      sheets: [],
      body,
      remark: `The equations of the signal sheets of ${c.name} were changed elsewhere: they are kept as equations, without the sheets`,
    };
  const sheets = signals.args.flatMap((a): SignalSheet[] => {
    const texts = a.path[0].startsWith('sheet') ? textsIn(a.modification.value) : undefined;
    if (!texts || texts.length < 5) return [];
    const [name, note, every, offset, method, ...rows] = texts;
    return [
      {
        ...newSignalSheet(`g-${makeId()}`, name),
        note,
        every,
        offset,
        method: samplingMethods.find((m) => m === method) ?? 'hold',
        lines: rows.map((row) => lineOf(row, makeId)),
      },
    ];
  });
  return { sheets, body: withoutAnnotation(body.slice(0, from) + body.slice(to + last.length)), remark: undefined };
}

function lineOf(row: string, makeId: () => string): SignalLine {
  const bar = row.indexOf('|');
  const [x, y, width, height] = row.slice(0, bar).split(' ').filter(Boolean).map(Number);
  return {
    id: `z-${makeId()}`,
    text: row.slice(bar + 1),
    place: x !== undefined && y !== undefined ? { x, y } : null,
    size: width !== undefined && height !== undefined ? { width, height } : null,
  };
}

const argumentIn = (m: Modification | undefined, name: string): Modification | undefined =>
  m?.args.find((a) => a.path.length === 1 && a.path[0] === name)?.modification;

function textsIn(e: Expr | undefined): string[] | undefined {
  if (e?.kind !== 'array') return undefined;
  const texts = e.elements.flatMap((x) => (x.kind === 'string' ? [x.value] : []));
  return texts.length === e.elements.length ? texts : undefined;
}

/** The annotation that stands for the sheets, and nothing else of it. */
function withoutAnnotation(body: string): string {
  const at = body.indexOf('signals(mark = ');
  if (at < 0) return body;
  let [depth, quote, end] = [0, false, body.length];
  for (let k = body.indexOf('(', at); k < body.length; k++) {
    const c = body[k];
    if (quote && c === '\\') k++;
    else if (c === '"') quote = !quote;
    else if (!quote && c === '(') depth++;
    else if (!quote && c === ')' && --depth === 0) {
      end = k + 1;
      break;
    }
  }
  return (body.slice(0, at) + body.slice(end)).replace(/annotation\s*\(\s*__Zelvar\s*\(\s*\)\s*\)\s*;\s*/, '');
}
