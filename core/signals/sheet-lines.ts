import type { Expr } from '../language/ast';
import { atPlace, problem, type Problem, type Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import type { Piece } from '../lines/piece';
import { readSignalLine } from '../lines/signal-line';
import type { Address } from '../project/address';
import type { PartType, SignalLine, SignalSheet } from '../project/document';

/** The lines of a sheet as they were read. */

/** A line that gives a name to a formula, read. */
export interface BlockLine {
  readonly name: string;
  readonly piece: Piece;
  readonly expr: Expr;
  readonly place: Address;
  readonly sheet: SignalSheet;
}

export const at = (line: BlockLine, code: string, message: string, span: Span = line.piece): Problem => ({
  ...problem('error', code, message, { start: span.start, end: span.end }),
  place: `${line.place}/text`,
});

interface ReadLine {
  readonly name: Piece | undefined;
  readonly expr: Expr | undefined;
  readonly problems: readonly Problem[];
}
/** A line is read once: an edit leaves most of them as they are. */
const read = new WeakMap<SignalLine, ReadLine>();

function readOne(l: SignalLine): ReadLine {
  const known = read.get(l);
  if (known) return known;
  const line = readSignalLine(l.text);
  let found: ReadLine = { name: undefined, expr: undefined, problems: [] };
  if (line.kind === 'unread') {
    const { start, end } = line.at;
    found = { ...found, problems: [problem('error', 'signal-line', line.message, { start, end })] };
  } else if (line.kind === 'block') {
    // blanks in front keep every place of the formula that of the line
    const parsed = parseExpressionText(' '.repeat(line.formula.start) + line.formula.text);
    const isWrong = parsed.problems.some((p) => p.severity === 'error');
    found = { name: line.name, expr: isWrong ? undefined : parsed.value, problems: parsed.problems };
  }
  read.set(l, found);
  return found;
}

export function readLines(type: PartType, sheet: SignalSheet, problems: Problem[]): BlockLine[] {
  return sheet.lines.flatMap((l): BlockLine[] => {
    const place = `type/${type.id}/signals/${sheet.id}/line/${l.id}`;
    const { name, expr, problems: wrong } = readOne(l);
    problems.push(...atPlace(`${place}/text`, wrong));
    return name && expr ? [{ name: name.text, piece: name, expr, place, sheet }] : [];
  });
}
