import type { Element, RefExpr, SendNode } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parseExpressionText, parsePhysicsText, parseRelationText, parseStatementsText } from '../language/parse';
import type { PartType, Project } from './document';
import { typeById } from './project';
import type { Address } from './address';
import { documentTexts, type DocumentText } from './texts';

export type ElementKind = 'quantity' | 'part' | 'port' | 'state' | 'chart' | 'procedure' | 'message';

/** One mention of an element of a part type in a text of the document. */
export interface Reference {
  readonly text: DocumentText;
  readonly span: Span;
  readonly kind: ElementKind;
  /** Part type the element belongs to; messages belong to the whole project. */
  readonly type: string;
  readonly name: string;
  /** State id for states. */
  readonly id?: string;
}

/** Every mention of every element, or of those with a name, found by reading the texts; what resolves to nothing is left out. */
export function references(project: Project, name = ''): Reference[] {
  return documentTexts(project).flatMap((text) => (text.text.includes(name) ? referencesIn(project, text) : []));
}

export function referencesIn(project: Project, text: DocumentText): Reference[] {
  const found: Reference[] = [];
  const visitNode = (node: unknown, shadowed: ReadonlySet<string>): void => {
    if (Array.isArray(node)) return node.forEach((x) => visitNode(x, shadowed));
    if (node === null || typeof node !== 'object') return;
    const n = node as { kind?: string; iterators?: readonly { name: string }[]; callee?: string; args?: unknown[] };
    if (n.kind === 'ref') {
      const ref = node as RefExpr;
      ref.parts.forEach((p) => p.subscripts.forEach((s) => visitNode(s, shadowed)));
      if (!ref.global && !(ref.parts.length === 1 && shadowed.has(ref.parts[0].name)))
        resolvePath(project, text, ref.parts, found);
      return;
    }
    if (n.kind === 'call' && n.callee === 'in') {
      const arg = (n.args as { kind?: string; parts?: RefExpr['parts'] }[])[0];
      if (arg?.kind === 'ref' && arg.parts) resolveState(project, text, arg.parts, found);
      return;
    }
    if (n.kind === 'send') {
      const send = node as SendNode;
      found.push({ text, span: send.messageSpan, kind: 'message', type: '', name: send.message });
    }
    const inner = n.iterators ? new Set([...shadowed, ...n.iterators.map((i) => i.name)]) : shadowed;
    for (const value of Object.values(node)) if (typeof value === 'object') visitNode(value, inner);
  };
  const none = new Set<string>();
  switch (text.kind) {
    case 'expression':
      visitNode(parseExpressionText(text.text).value, none);
      break;
    case 'statements':
      visitNode(parseStatementsText(text.text).value, none);
      break;
    case 'physics':
      visitNode(parsePhysicsText(text.text).value, none);
      break;
    case 'relation':
      visitNode(parseRelationText(text.text).value, none);
      break;
    case 'message':
      // a trigger names the message and then the arguments it reads
      found.push(
        ...[...text.text.matchAll(/^\s*([\p{L}_][\p{L}\p{N}_]*)/gu)].map((m): Reference => ({
          text,
          span: { start: m[0].length - m[1].length, end: m[0].length },
          kind: 'message',
          type: '',
          name: m[1],
        })),
      );
      break;
    case 'state-path':
      resolveState(project, text, pathParts(text.text), found);
      break;
    case 'path':
    case 'chart-path':
    case 'message-path': {
      const parts = pathParts(text.text);
      if (text.kind === 'message-path') {
        const last = parts.pop();
        if (last) found.push({ text, span: last.span, kind: 'message', type: '', name: last.name });
      }
      resolvePath(project, text, parts, found);
    }
  }
  return found;
}

/** The names of a plain path with their spans. */
function pathParts(path: string): { name: string; span: Span }[] {
  const parts: { name: string; span: Span }[] = [];
  for (const match of path.matchAll(/([\p{L}_][\p{L}\p{N}_]*)(\[[^\]]*\])?/gu)) {
    parts.push({ name: match[1], span: { start: match.index, end: match.index + match[1].length } });
  }
  return parts;
}

function resolvePath(
  project: Project,
  text: DocumentText,
  parts: readonly { name: string; span: Span }[],
  found: Reference[],
): void {
  let type = typeById(project, text.scope);
  for (const { name, span } of parts) {
    if (!type) return;
    const owner = type.id;
    const part = type.parts.find((p) => p.name === name);
    if (part) {
      found.push({ text, span, kind: 'part', type: owner, name });
      type = typeById(project, part.type);
      continue;
    }
    if (type.quantities.some((q) => q.name === name)) found.push({ text, span, kind: 'quantity', type: owner, name });
    else if (type.ports.some((p) => p.name === name)) found.push({ text, span, kind: 'port', type: owner, name });
    else if (type.charts.some((c) => c.name === name)) found.push({ text, span, kind: 'chart', type: owner, name });
    return;
  }
}

function resolveState(
  project: Project,
  text: DocumentText,
  parts: readonly { name: string; span: Span }[],
  found: Reference[],
): void {
  let type = typeById(project, text.scope);
  let k = 0;
  for (; k < parts.length - 1 && type; k++) {
    const part: { name: string; type: string } | undefined = type.parts.find((p) => p.name === parts[k].name);
    if (!part) break;
    found.push({ text, span: parts[k].span, kind: 'part', type: type.id, name: part.name });
    type = typeById(project, part.type);
  }
  if (!type) return;
  const named = type.charts.find((c) => c.name === parts[k].name && k < parts.length - 1);
  if (named) found.push({ text, span: parts[k++].span, kind: 'chart', type: type.id, name: named.name });
  const charts = named ? [named] : type.charts;
  for (const chart of charts) {
    for (; k < parts.length; k++) {
      const state = chart.states.find((s) => s.name === parts[k].name);
      if (!state) break;
      found.push({ text, span: parts[k].span, kind: 'state', type: type.id, name: state.name, id: state.id });
    }
    if (k >= parts.length) return;
  }
}

/** Who mentions an element, as words for a message. */
export function usersOf(
  project: Project,
  kind: ElementKind,
  type: string,
  name: string,
  counts: (place: Address) => boolean = () => true,
): string[] {
  const all = references(project, name).filter(
    (r) => r.kind === kind && r.name === name && (kind === 'message' || r.type === type) && counts(r.text.place),
  );
  return [...new Set(all.map((r) => r.text.label))];
}

/** Where the physics texts of a project name a part type, as that of a declared part or as a base. */
export function typeMentions(
  project: Project,
  name: string,
): { readonly typeIndex: number; readonly owner: string; readonly span: Span }[] {
  return project.types.flatMap((type, typeIndex) => {
    if (!type.physics.includes(name)) return [];
    const find = (elements: readonly Element[]): Span[] =>
      elements.flatMap((e): Span[] => {
        if (e.kind === 'class') return find(e.elements);
        if (e.kind === 'component') return e.typeName === name ? [e.typeSpan] : [];
        const at = e.kind === 'extends' && e.base === name ? type.physics.indexOf(name, e.span.start) : -1;
        return at < 0 ? [] : [{ start: at, end: at + name.length }];
      });
    // several parts of one declaration share the name of their type
    const spans = new Map(find(parsePhysicsText(type.physics).value.elements).map((s) => [s.start, s]));
    return [...spans.values()].map((span) => ({ typeIndex, owner: type.name, span }));
  });
}

const declared = new WeakMap<PartType, readonly { readonly name: string; readonly typeName: string }[]>();

/** Single parts that a physics text declares, by the names of their types. */
export function declaredParts(type: PartType): readonly { readonly name: string; readonly typeName: string }[] {
  let known = declared.get(type);
  if (!known) {
    const { elements } = parsePhysicsText(type.physics).value;
    known = elements.flatMap((e) =>
      e.kind === 'component' && e.dimensions.length === 0 ? [{ name: e.name, typeName: e.typeName }] : [],
    );
    declared.set(type, known);
  }
  return known;
}

/** Whether a part type is inside another, at any depth: then the other cannot be put into it. */
export function isInside(project: Project, inner: string, outer: PartType, depth = 0): boolean {
  const own = [
    ...outer.parts.map((p) => p.type),
    ...declaredParts(outer).flatMap((d) => project.types.find((t) => t.name === d.typeName)?.id ?? []),
  ];
  return (
    depth < 30 &&
    own.some((id) => {
      const type = typeById(project, id);
      return id === inner || (type !== undefined && isInside(project, inner, type, depth + 1));
    })
  );
}
