import { diffLines } from 'diff';
import type { SourceLine } from '@/core/stepcode/write-c';
import type { TraceElement } from '@/core/trace/elements';
import type { ChangedLines, Lines } from '@/ui/code-text';

/** An element of the model with the lines it has come to. */
export interface ElementLines {
  readonly element: TraceElement;
  readonly lines: readonly Lines[];
}

/** The element an address is of or in: a text of a state is the state's. */
export function elementAt(address: string, byAddress: ReadonlyMap<string, TraceElement>): TraceElement | undefined {
  for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) {
    const found = byAddress.get(at);
    if (found) return found;
  }
  return undefined;
}

/** Elements that lines of a file are of, in the order of the document. */
export function elementsOf(
  lines: readonly SourceLine[],
  file: SourceLine['file'],
  all: readonly TraceElement[],
  byAddress: ReadonlyMap<string, TraceElement>,
): readonly ElementLines[] {
  const found = new Map<TraceElement, Lines[]>();
  for (const line of lines) {
    const element = line.file === file ? elementAt(line.element, byAddress) : undefined;
    if (!element) continue;
    const known = found.get(element) ?? [];
    found.set(element, known);
    known.push({ from: line.from, to: line.to });
  }
  return all.flatMap((element) => {
    const own = found.get(element);
    return own ? [{ element, lines: joined(own) }] : [];
  });
}

/** In their order, those that touch or lie in each other as one. */
function joined(lines: readonly Lines[]): readonly Lines[] {
  const found: Lines[] = [];
  for (const l of [...lines].sort((a, b) => a.from - b.from)) {
    const last = found.at(-1);
    if (last && l.from <= last.to + 1) found[found.length - 1] = { from: last.from, to: Math.max(last.to, l.to) };
    else found.push(l);
  }
  return found;
}

/** The element a line is of: of those around it, the innermost. */
export function elementOfLine(
  line: number,
  lines: readonly SourceLine[],
  file: SourceLine['file'],
  byAddress: ReadonlyMap<string, TraceElement>,
): TraceElement | undefined {
  const around = lines
    .filter((l) => l.file === file && l.from <= line && line <= l.to)
    .sort((a, b) => a.to - a.from - (b.to - b.from));
  return around[0] && elementAt(around[0].element, byAddress);
}

/** Where a text is not as it was. */
export function changesSince(was: string, is: string): readonly ChangedLines[] {
  const found: ChangedLines[] = [];
  let line = 1;
  let gone = '';
  for (const { value, added, removed, count } of diffLines(was, is)) {
    if (removed) gone = value;
    else {
      if (added) found.push({ from: line, to: line + count - 1, was: gone });
      // what is gone is marked where it stood
      else if (gone !== '') found.push({ from: line, to: line, was: gone });
      gone = '';
      line += count;
    }
  }
  if (gone !== '') found.push({ from: Math.max(1, line - 1), to: Math.max(1, line - 1), was: gone });
  return found;
}
