import type { ComponentElement, Modification, ModificationArgument } from '../language/ast';
import { lex } from '../language/lexer';
import { parseExpressionText, parsePhysicsText } from '../language/parse';
import { printModification } from '../language/print';
import { connects } from './read-network';

/** Changes of a physics text that leave everything else in it as it was written: comments, order, blank lines. */

const componentsIn = (text: string): readonly ComponentElement[] =>
  parsePhysicsText(text).value.elements.flatMap((e) => (e.kind === 'component' ? [e] : []));
const declarationOf = (text: string, name: string): ComponentElement | undefined =>
  componentsIn(text).find((e) => e.name === name);

/** Just behind the semicolon that ends what ends at `at`. */
function behindSemicolon(text: string, at: number): number {
  const semicolon = lex(text).tokens.find((t) => t.text === ';' && t.kind === 'symbol' && t.start >= at);
  return semicolon?.end ?? at;
}

/** The end of the line, with a comment that stands behind on it. */
function lineEnd(text: string, at: number): number {
  const rest = /^[ \t]*(\/\/[^\n]*)?(?=\n|$)/.exec(text.slice(at));
  return rest ? at + rest[0].length : at;
}

const indentAt = (text: string, at: number): string =>
  /^[ \t]*/.exec(text.slice(text.lastIndexOf('\n', at - 1) + 1))![0];

/** Declares a part: behind the last declaration, or before the equations. */
export const declarePart = (text: string, typeName: string, name: string, changes = ''): string =>
  writeDeclaration(text, `${typeName} ${name}${changes ? `(${changes})` : ''};`);

/** The names a text declares. */
export const declaredNames = (text: string): string[] => componentsIn(text).map((e) => e.name);

/** What stands before and behind the name where a part is declared. */
export function declaredText(text: string, name: string): { readonly head: string; readonly tail: string } | undefined {
  const all = componentsIn(text);
  const element = all.find((e) => e.name === name);
  if (!element) return undefined;
  // several may share the name of their type
  const first = all.find((e) => e.typeSpan.start === element.typeSpan.start)!;
  return {
    head: text.slice(first.span.start, first.nameSpan.start).trim(),
    tail: text.slice(element.nameSpan.end, element.span.end).trim(),
  };
}

/** The ends of every connection that stands for itself, in no loop or condition. */
export const writtenConnects = (text: string): (readonly [string, string])[] =>
  connects(parsePhysicsText(text).value.equations, '').flatMap((c) =>
    c.within === ''
      ? [[text.slice(c.a.span.start, c.a.span.end), text.slice(c.b.span.start, c.b.span.end)] as const]
      : [],
  );

/** Writes a declaration behind the last one, or before the equations. */
export function writeDeclaration(text: string, line: string): string {
  const { elements } = parsePhysicsText(text).value;
  const last = elements.at(-1);
  if (last) {
    const at = lineEnd(text, behindSemicolon(text, last.span.end));
    return `${text.slice(0, at)}\n${indentAt(text, last.span.start)}${line}${text.slice(at)}`;
  }
  if (text.trim() === '') return `${line}\n`;
  const first = lex(text).tokens[0];
  const sectioned = first.kind === 'keyword' && ['equation', 'initial', 'algorithm'].includes(first.text);
  return sectioned ? `${text.slice(0, first.start)}${line}\n${text.slice(first.start)}` : `${line}\nequation\n${text}`;
}

/** Adds a link between two physical ports, behind the last equation. */
export function writeConnect(text: string, a: string, b: string): string {
  const line = `connect(${a}, ${b});`;
  const { equations, elements } = parsePhysicsText(text).value;
  // connects stay together where there are some
  const last =
    connects(
      equations.filter((e) => e.kind === 'connect'),
      '',
    ).at(-1) ?? equations.at(-1);
  if (last) {
    const at = lineEnd(text, behindSemicolon(text, last.span.end));
    return `${text.slice(0, at)}\n${indentAt(text, last.span.start)}${line}${text.slice(at)}`;
  }
  const section = lex(text).tokens.find(
    (t, k, all) => t.kind === 'keyword' && t.text === 'equation' && all[k - 1]?.text !== 'initial',
  );
  if (section) return `${text.slice(0, section.end)}\n  ${line}${text.slice(section.end)}`;
  const end = text === '' || text.endsWith('\n') ? '' : '\n';
  if (elements.length === 0 && text.trim() === '') return `equation\n  ${line}\n`;
  return `${text}${end}equation\n  ${line}\n`;
}

/** Takes a piece of text out; a line that is empty then goes too. */
function cut(text: string, start: number, end: number): string {
  const from = text.lastIndexOf('\n', start - 1) + 1;
  const stop = text.indexOf('\n', end);
  const to = stop < 0 ? text.length : stop + 1;
  if (text.slice(from, start).trim() === '' && text.slice(end, to).trim() === '')
    return text.slice(0, from) + text.slice(to);
  return text.slice(0, start) + text.slice(end).replace(/^[ \t]+/, start > from ? '' : '$&');
}

export function eraseConnect(text: string, a: string, b: string): string {
  const squeeze = (s: string): string => s.replace(/\s+/g, '');
  const found = connects(parsePhysicsText(text).value.equations, '').find(
    (c) =>
      squeeze(text.slice(c.a.span.start, c.a.span.end)) === squeeze(a) &&
      squeeze(text.slice(c.b.span.start, c.b.span.end)) === squeeze(b),
  );
  return found ? cut(text, found.span.start, behindSemicolon(text, found.span.end)) : text;
}

/** Takes a part out with its links; equations that mention it stay and are told as problems. */
export function erasePart(text: string, name: string): string {
  let next = text;
  for (;;) {
    const link = connects(parsePhysicsText(next).value.equations, '').find(
      (c) => c.a.parts[0].name === name || c.b.parts[0].name === name,
    );
    if (!link) break;
    const shorter = cut(next, link.span.start, behindSemicolon(next, link.span.end));
    if (shorter === next) break;
    next = shorter;
  }
  return eraseDeclaration(next, name);
}

/** Takes a declaration out; the rest of the text stays as it is. */
export function eraseDeclaration(next: string, name: string): string {
  const all = componentsIn(next);
  const element = all.find((e) => e.name === name);
  if (!element) return next;
  const together = all.filter((e) => e.typeSpan.start === element.typeSpan.start);
  if (together.length === 1) return cut(next, element.span.start, behindSemicolon(next, element.span.end));
  const k = together.indexOf(element);
  return k > 0
    ? next.slice(0, together[k - 1].span.end) + next.slice(element.span.end)
    : next.slice(0, element.nameSpan.start) + next.slice(together[1].nameSpan.start);
}

/** Where the changed values of a declaration stand: from behind its name and size to their end. */
function modificationSpan(text: string, e: ComponentElement): { start: number; end: number } {
  const tokens = lex(text).tokens;
  let k = tokens.findIndex((t) => t.start >= e.nameSpan.end);
  const skip = (open: string, close: string): void => {
    if (tokens[k]?.text !== open) return;
    for (let depth = 0; k < tokens.length; k++) {
      if (tokens[k].text === open) depth++;
      else if (tokens[k].text === close && --depth === 0) break;
    }
    k++;
  };
  skip('[', ']');
  const start = k > 0 && tokens[k - 1].end >= e.nameSpan.end ? tokens[k - 1].end : e.nameSpan.end;
  skip('(', ')');
  const end = e.modification.value?.span.end ?? (tokens[k - 1].end > start ? tokens[k - 1].end : start);
  return { start, end };
}

/** Changes a value of a declared part, `R` or `i.start`; an empty text takes the change back. */
export function changeValue(text: string, part: string, path: string, value: string): string {
  const element = declarationOf(text, part);
  if (!element) return text;
  const span = modificationSpan(text, element);
  const changed = withValue(element.modification, path.split('.'), value);
  return text.slice(0, span.start) + printModification(changed) + text.slice(span.end);
}

function withValue(m: Modification, path: readonly string[], value: string): Modification {
  const [first, ...rest] = path;
  const own = m.args.find((a) => a.path.length === 1 && a.path[0] === first && !a.redeclare);
  const inner = own?.modification ?? { args: [] };
  const parsed = value.trim() === '' ? undefined : parseExpressionText(value).value;
  const next: Modification =
    rest.length > 0 ? withValue(inner, rest, value) : { args: inner.args, ...(parsed && { value: parsed }) };
  const keep = next.value !== undefined || next.args.length > 0;
  const argument: ModificationArgument = {
    path: [first],
    each: own?.each ?? false,
    final: own?.final ?? false,
    span: own?.span ?? { start: 0, end: 0 },
    modification: next,
  };
  const args = own
    ? m.args.flatMap((a) => (a === own ? (keep ? [argument] : []) : [a]))
    : keep
      ? [...m.args, argument]
      : m.args;
  return { ...m, args };
}

/** The changed value of a declared part; empty where it has its default. */
export function valueIn(text: string, part: string, path: string): string {
  let m: Modification | undefined = declarationOf(text, part)?.modification;
  for (const name of path.split('.')) m = m?.args.find((a) => a.path.length === 1 && a.path[0] === name)?.modification;
  return m?.value ? text.slice(m.value.span.start, m.value.span.end) : '';
}
