import type { ClassDefinition, Element, Modification, RefExpr, SendNode } from '../language/ast';
import type { Span } from '../language/diagnostics';
import {
  parseExpressionText,
  parseFile,
  parsePhysicsText,
  parseRelationText,
  parseStatementsText,
} from '../language/parse';
import { findClass, nestedClasses, type ClassRef } from '../flatten/library';
import { createNames, type Meaning, type MeaningKind, type Names } from '../flatten/names';
import { findAt, isAtOrIn, readAddress, type Address } from '../project/address';
import { partType, type Chart, type PartType, type Procedure, type Project } from '../project/document';
import { documentTexts, type DocumentText } from '../project/texts';

/** One mention of something by its name in a text of the document. */
export interface Reference {
  readonly text: DocumentText;
  readonly span: Span;
  readonly kind: MeaningKind;
  /** Address of what is mentioned; messages belong to the whole project and have none. */
  readonly address: Address;
  readonly name: string;
  readonly declaredIn?: string;
}

/** Every mention of everything, or of what has a name, found by reading the texts; what means nothing is left out. */
export function references(project: Project, name = '', lists?: ReadonlySet<keyof Project>): Reference[] {
  const names = createNames(project);
  return documentTexts(project, lists).flatMap((text) =>
    text.text.includes(name) ? referencesIn(project, text, names) : [],
  );
}

/** Names of a text's own place that come before those of its part type. */
interface Locals {
  readonly values: ReadonlyMap<string, Address>;
  /** Arguments of messages, which belong to nothing. */
  readonly others: ReadonlySet<string>;
}
const noLocals: Locals = { values: new Map(), others: new Set() };

export function referencesIn(project: Project, text: DocumentText, names = createNames(project)): Reference[] {
  const found: Reference[] = [];
  const scope = names.classOf(text.scope);
  const locals = localsOf(project, text.place);
  const push = (meaning: Meaning | undefined, span: Span): void => {
    if (!meaning) return;
    const { kind, address, name, declaredIn } = meaning;
    found.push({ text, span, kind, address, name, ...(declaredIn !== undefined && { declaredIn }) });
  };
  const pushPath = (ref: ClassRef, parts: readonly { readonly name: string; readonly span: Span }[]): void =>
    names
      .path(
        ref,
        parts.map((p) => p.name),
      )
      .forEach((m, k) => push(m, parts[k].span));
  const pushState = (ref: ClassRef, parts: readonly { readonly name: string; readonly span: Span }[]): void =>
    names
      .state(
        ref,
        parts.map((p) => p.name),
      )
      .forEach((m, k) => push(m, parts[k].span));
  const message = (name: string, span: Span): void =>
    void found.push({ text, span, kind: 'message', address: '', name });

  const visit = (node: unknown, ref: ClassRef, shadowed: ReadonlySet<string>): void => {
    if (Array.isArray(node)) return node.forEach((x) => visit(x, ref, shadowed));
    if (node === null || typeof node !== 'object') return;
    const n = node as { kind?: string; iterators?: readonly { name: string }[]; callee?: string; args?: unknown[] };
    if (n.kind === 'ref') {
      const { parts, global } = node as RefExpr;
      parts.forEach((p) => visit(p.subscripts, ref, shadowed));
      if (global || shadowed.has(parts[0].name)) return;
      const own = locals.values.get(parts[0].name);
      if (own !== undefined) push({ kind: 'value', address: own, name: parts[0].name }, parts[0].span);
      else if (!locals.others.has(parts[0].name)) pushPath(ref, parts);
      return;
    }
    if (n.kind === 'call' && n.callee === 'in') {
      const arg = (n.args as { kind?: string; parts?: RefExpr['parts'] }[])[0];
      if (arg?.kind === 'ref' && arg.parts) pushState(ref, arg.parts);
      return;
    }
    if (n.kind === 'send') {
      const send = node as SendNode;
      message(send.message, send.messageSpan);
    }
    const inner = n.iterators ? new Set([...shadowed, ...n.iterators.map((i) => i.name)]) : shadowed;
    for (const value of Object.values(node)) if (typeof value === 'object') visit(value, ref, inner);
  };
  const none: ReadonlySet<string> = new Set();

  /** Changed values: their names are looked up in what is changed, their values where they stand. */
  const modification = (m: Modification | undefined, target: ClassRef | undefined, ref: ClassRef): void => {
    if (!m) return;
    if (m.value) visit(m.value, ref, none);
    for (const a of m.args) {
      let inside = target;
      let at = a.pathSpan?.start ?? a.span.start;
      for (const name of a.path) {
        const meaning = inside && names.member(inside, name);
        push(meaning, { start: at, end: at + name.length });
        inside = meaning?.inside;
        at += name.length + 1;
      }
      if (a.redeclare) element(a.redeclare, ref);
      modification(a.modification, inside, ref);
    }
  };
  const typeName = (name: string, span: Span, ref: ClassRef): void => {
    const type = names.typeNamed(ref, name);
    if (type?.name === name) push({ kind: 'type', address: `type/${type.id}`, name }, span);
  };
  const element = (e: Element, ref: ClassRef): void => {
    if (e.kind === 'class') {
      const inner = nestedClasses(ref).get(e.name);
      return classBody(e, inner?.definition === e ? inner : { ...ref, definition: e, parent: ref });
    }
    if (e.kind === 'import') return;
    if (e.kind === 'extends') {
      typeName(e.base, e.baseSpan, ref);
      return modification(e.modification, findClass(names.library, ref, e.base, 0, true), ref);
    }
    typeName(e.typeName, e.typeSpan, ref);
    push(names.member(ref, e.name), e.nameSpan);
    visit(e.dimensions, ref, none);
    visit(e.condition, ref, none);
    modification(e.modification, findClass(names.library, ref, e.typeName), ref);
  };
  type Body = Pick<ClassDefinition, 'elements' | 'equations' | 'initialEquations' | 'algorithms' | 'initialAlgorithms'>;
  const body = (c: Body, ref: ClassRef): void => {
    // several parts of one declaration share the name of their type
    c.elements.forEach((e) => element(e, ref));
    for (const part of [c.equations, c.initialEquations, c.algorithms, c.initialAlgorithms]) visit(part, ref, none);
  };
  const classBody = (c: ClassDefinition, ref: ClassRef): void => {
    if (!c.short) return body(c, ref);
    typeName(c.short.base, c.short.baseSpan, ref.parent ?? ref);
    modification(c.short.modification, findClass(names.library, ref.parent, c.short.base), ref.parent ?? ref);
  };

  if (text.kind === 'classes') {
    for (const c of parseFile(text.text).value) {
      const ref = names.library.top.get(c.name);
      if (ref && ref.place === text.place.replace(/\/text$/, '')) classBody(c, ref);
    }
    return unrepeated(found);
  }
  if (!scope) return found;
  switch (text.kind) {
    case 'expression':
      visit(parseExpressionText(text.text).value, scope, none);
      break;
    case 'statements':
      visit(parseStatementsText(text.text).value, scope, none);
      break;
    case 'physics':
      body(parsePhysicsText(text.text).value, scope);
      break;
    case 'relation':
      visit(parseRelationText(text.text).value, scope, none);
      break;
    case 'message':
      // a trigger names the message and then the arguments it reads
      for (const m of text.text.matchAll(/^\s*([\p{L}_][\p{L}\p{N}_]*)/gu))
        message(m[1], { start: m[0].length - m[1].length, end: m[0].length });
      break;
    case 'procedure': {
      const [part] = pathParts(text.text);
      const meaning = part && names.member(scope, part.name);
      if (meaning?.kind === 'procedure') push(meaning, part.span);
      break;
    }
    case 'argument': {
      // `name of procedure`, as the grammar of lines writes it
      const [part, , procedure] = pathParts(text.text);
      const called = procedure && names.member(scope, procedure.name);
      const holder = called && (findAt(project, called.address)?.chain.at(-1) as Procedure | undefined);
      const value = holder?.values?.find((v) => v.name === part.name);
      if (value) push({ kind: 'value', address: `${called!.address}/value/${value.id}`, name: value.name }, part.span);
      break;
    }
    case 'state-path':
      pushState(scope, pathParts(text.text));
      break;
    case 'path':
    case 'chart-path':
    case 'message-path': {
      const parts = pathParts(text.text);
      if (text.kind === 'message-path') {
        const last = parts.pop();
        if (last) message(last.name, last.span);
      }
      const own = parts.length === 1 ? locals.values.get(parts[0].name) : undefined;
      if (own !== undefined) push({ kind: 'value', address: own, name: parts[0].name }, parts[0].span);
      else pushPath(scope, parts);
    }
  }
  return unrepeated(found);
}

const unrepeated = (found: readonly Reference[]): Reference[] => {
  const seen = new Set<string>();
  return found.filter((r) => {
    const key = `${r.span.start} ${r.address} ${r.name}`;
    return !seen.has(key) && seen.add(key);
  });
};

/** Quantities of the chart or procedure a text stands in, and arguments its messages bring. */
function localsOf(project: Project, place: Address): Locals {
  if (!place.startsWith('type/')) return noLocals;
  const [type, holder] = readAddress(place)?.steps ?? [];
  if (
    type?.description !== partType ||
    (holder?.description.kind !== 'chart' && holder?.description.kind !== 'procedure')
  )
    return noLocals;
  const owner = project.types.find((t) => t.id === type.id);
  const own = (owner?.[holder.key as 'charts' | 'procedures'] as readonly (Chart | Procedure)[] | undefined)?.find(
    (x) => x.id === holder.id,
  );
  if (!own) return noLocals;
  const at = `type/${type.id}/${holder.description.kind}/${own.id}`;
  const messages =
    'transitions' in own
      ? own.transitions.flatMap((t) => t.triggers.filter((g) => g.kind === 'message').map((g) => g.on))
      : own.lines.map((l) => /^\s*wait\s+for\s+(.+)$/.exec(l.text)?.[1] ?? '');
  return {
    values: new Map(own.values.map((v) => [v.name, `${at}/value/${v.id}`])),
    others: new Set(messages.flatMap((m) => pathParts(/\((.*)\)/.exec(m)?.[1] ?? '').map((p) => p.name))),
  };
}

/** The names of a plain path with their spans. */
function pathParts(path: string): { name: string; span: Span }[] {
  const parts: { name: string; span: Span }[] = [];
  for (const match of path.matchAll(/([\p{L}_][\p{L}\p{N}_]*)(\[[^\]]*\])?/gu)) {
    parts.push({ name: match[1], span: { start: match.index, end: match.index + match[1].length } });
  }
  return parts;
}

/** Who mentions something, outside of itself, as words for a message. */
export function usersOf(project: Project, address: Address, name: string): string[] {
  const found = references(project, name).filter(
    (r) => r.address === address && r.name === name && !isAtOrIn(r.text.place, address),
  );
  return [...new Set(found.map((r) => r.text.label))];
}

/** Whether a part type is inside another, at any depth: then the other cannot be put into it. */
export function isInside(project: Project, inner: string, outer: PartType): boolean {
  const names = createNames(project);
  const seen = new Set<string>();
  const within = (type: PartType): boolean => {
    if (seen.has(type.id)) return false;
    seen.add(type.id);
    return typedPartsOf(names, type).some((p) => p.type.id === inner || within(p.type));
  };
  return within(outer);
}

export interface TypedPart {
  readonly name: string;
  readonly type: PartType;
  /** One of several under one name. */
  readonly isArray: boolean;
}

/** The parts of a type that are of part types, those its texts declare and those it inherits included. */
export function typedPartsOf(names: Names, type: PartType): TypedPart[] {
  const ref = names.classOf(type.id);
  if (!ref) return [];
  return names.lineage(ref).flatMap((one) =>
    one.definition.elements.flatMap((e): TypedPart[] => {
      const inner = e.kind === 'component' ? names.typeNamed(one, e.typeName) : undefined;
      return e.kind === 'component' && inner ? [{ name: e.name, type: inner, isArray: e.dimensions.length > 0 }] : [];
    }),
  );
}
