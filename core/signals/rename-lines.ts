import type { Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { walkExpression } from '../language/walk';
import { readSignalLine } from '../lines/signal-line';
import { declaredNames } from '../network/edit-physics';
import type { PartType } from '../project/document';

/** Names everything in a part type has, that of its signal lines included. */
export const namesTaken = (type: PartType): ReadonlySet<string> =>
  new Set([
    ...[...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].map((x) => x.name),
    ...declaredNames(type.physics),
    ...type.signals.flatMap((s) =>
      s.lines.flatMap((l) => {
        const line = readSignalLine(l.text);
        return line.kind === 'block' ? [line.name.text] : [];
      }),
    ),
  ]);

/** A line with other names in it, all at once: what one becomes may be the name of another. More than a name or number stands in brackets. */
export function renameInLine(text: string, becomes: ReadonlyMap<string, string>): string {
  const line = readSignalLine(text);
  if (line.kind !== 'block') return text;
  const parsed = parseExpressionText(' '.repeat(line.formula.start) + line.formula.text);
  const found: { readonly span: Span; readonly by: string }[] = [];
  if (parsed.problems.every((p) => p.severity !== 'error')) {
    const own = new Set<string>();
    walkExpression(parsed.value, (x) => {
      if (x.kind === 'comprehension') for (const i of x.iterators) own.add(i.name);
      if (x.kind !== 'ref' || own.has(x.parts[0].name)) return;
      const whole = becomes.get(x.parts.map((p) => p.name).join('.'));
      const first = x.parts.length > 1 && whole === undefined ? becomes.get(x.parts[0].name) : undefined;
      if (whole !== undefined) {
        const isPlain = /^[\p{L}_\d][\p{L}\p{N}_.]*$/u.test(whole) || parsed.value === x;
        found.push({ span: x.span, by: isPlain ? whole : `(${whole})` });
      } else if (first !== undefined) found.push({ span: x.parts[0].span, by: first });
    });
  }
  const name = becomes.get(line.name.text);
  if (name !== undefined) found.push({ span: line.name, by: name });
  return found
    .sort((a, b) => b.span.start - a.span.start)
    .reduce((t, { span, by }) => t.slice(0, span.start) + by + t.slice(span.end), text);
}

/** Lines that come to a part type, each with a name that is free there; lines among them that use a name follow it. */
export function withFreeNames(texts: readonly string[], taken: ReadonlySet<string>): readonly string[] {
  const becomes = new Map<string, string>();
  const known = new Set(taken);
  for (const text of texts) {
    const line = readSignalLine(text);
    if (line.kind !== 'block' || becomes.has(line.name.text)) continue;
    const was = line.name.text;
    let name = was;
    const [, stem, number] = /^(.*?)(\d*)$/.exec(was)!;
    for (let k = number === '' ? 2 : Number(number) + 1; known.has(name); k++) name = `${stem}${k}`;
    known.add(name);
    if (name !== was) becomes.set(was, name);
  }
  return becomes.size === 0 ? texts : texts.map((t) => renameInLine(t, becomes));
}
