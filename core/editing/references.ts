import type { CallExpr, ClassDefinition, Element, Modification, RefExpr, SendNode } from '../language/ast';
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
import { findAt, readAddress, type Address } from '../project/address';
import { partType, type Chart, type PartType, type Procedure, type Project } from '../project/document';
import { documentTexts, type DocumentText } from '../project/texts';
import { isWithin } from './gone-with';

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

/** A text that is being read, with what has been found in it. */
interface Reading {
  readonly project: Project;
  readonly text: DocumentText;
  readonly names: Names;
  readonly locals: Locals;
  readonly found: Reference[];
}
/** A piece of a name, as the grammar of the language or of lines gives it. */
type Word = Pick<RefExpr['parts'][number], 'name' | 'span'>;

export function referencesIn(project: Project, text: DocumentText, names = createNames(project)): Reference[] {
  const reading: Reading = { project, text, names, locals: localsOf(project, text.place), found: [] };
  const scope = names.classOf(text.scope);
  if (text.kind === 'classes') classesOf(reading);
  else if (scope) readIn(reading, scope);
  return unrepeated(reading.found);
}

function readIn(reading: Reading, scope: ClassRef): void {
  const { text } = reading;
  switch (text.kind) {
    case 'expression':
      return visit(reading, parseExpressionText(text.text).value, scope);
    case 'statements':
      return visit(reading, parseStatementsText(text.text).value, scope);
    case 'physics':
      return body(reading, parsePhysicsText(text.text).value, scope);
    case 'relation':
      return visit(reading, parseRelationText(text.text).value, scope);
    case 'message':
      return namedMessages(reading);
    case 'procedure':
      return namedProcedure(reading, scope);
    case 'argument':
      return argumentOf(reading, scope);
    case 'state-path':
      return noteState(reading, scope, pathParts(text.text));
    case 'path':
    case 'chart-path':
    case 'message-path':
      return plainPath(reading, scope);
  }
}

function note({ text, found }: Reading, meaning: Meaning | undefined, span: Span): void {
  if (!meaning) return;
  const { kind, address, name, declaredIn } = meaning;
  found.push({ text, span, kind, address, name, ...(declaredIn !== undefined && { declaredIn }) });
}

const noteMessage = ({ text, found }: Reading, name: string, span: Span): void =>
  void found.push({ text, span, kind: 'message', address: '', name });

const noteLocal = (reading: Reading, address: Address, { name, span }: Word): void =>
  note(reading, { kind: 'value', address, name }, span);

function notePath(reading: Reading, ref: ClassRef, parts: readonly Word[]): void {
  const words = parts.map((p) => p.name);
  reading.names.path(ref, words).forEach((m, k) => note(reading, m, parts[k].span));
}

function noteState(reading: Reading, ref: ClassRef, parts: readonly Word[]): void {
  const words = parts.map((p) => p.name);
  reading.names.state(ref, words).forEach((m, k) => note(reading, m, parts[k].span));
}

const none: ReadonlySet<string> = new Set();

/** Everything mentioned in a piece of a syntax tree; names of iterators stand before all others inside their loop. */
function visit(reading: Reading, node: unknown, ref: ClassRef, shadowed: ReadonlySet<string> = none): void {
  if (Array.isArray(node)) return node.forEach((x) => visit(reading, x, ref, shadowed));
  if (node === null || typeof node !== 'object') return;
  const n = node as { kind?: string; iterators?: readonly { name: string }[]; callee?: string; args?: unknown[] };
  if (n.kind === 'ref') return visitName(reading, node as RefExpr, ref, shadowed);
  if (n.kind === 'call' && n.callee === 'in') {
    const [state] = n.args as { kind?: string; parts?: RefExpr['parts'] }[];
    if (state?.kind === 'ref' && state.parts) noteState(reading, ref, state.parts);
    return;
  }
  if (n.kind === 'call' && n.callee !== undefined) partTypeAsBlock(reading, node as CallExpr, ref);
  if (n.kind === 'send') {
    const send = node as SendNode;
    noteMessage(reading, send.message, send.messageSpan);
  }
  const inner = n.iterators ? new Set([...shadowed, ...n.iterators.map((i) => i.name)]) : shadowed;
  for (const value of Object.values(node)) if (typeof value === 'object') visit(reading, value, ref, inner);
}

/** A part type on a line, with what is given to it by name. */
function partTypeAsBlock(reading: Reading, { callee, calleeSpan, named }: CallExpr, ref: ClassRef): void {
  const { names } = reading;
  typeName(reading, callee, calleeSpan, ref);
  const type = names.typeNamed(ref, callee);
  const inside = type?.name === callee ? names.classOf(type.id) : undefined;
  if (!inside) return;
  for (const { name, span } of named)
    note(reading, names.member(inside, name), { start: span.start, end: span.start + name.length });
}

function visitName(reading: Reading, { parts, global }: RefExpr, ref: ClassRef, shadowed: ReadonlySet<string>): void {
  const { locals } = reading;
  parts.forEach((p) => visit(reading, p.subscripts, ref, shadowed));
  const [first] = parts;
  if (global || shadowed.has(first.name)) return;
  const own = locals.values.get(first.name);
  if (own !== undefined) noteLocal(reading, own, first);
  else if (!locals.others.has(first.name)) notePath(reading, ref, parts);
}

/** Changed values: their names are looked up in what is changed, their values where they stand. */
function modification(
  reading: Reading,
  m: Modification | undefined,
  target: ClassRef | undefined,
  ref: ClassRef,
): void {
  if (!m) return;
  if (m.value) visit(reading, m.value, ref);
  for (const a of m.args) {
    let inside = target;
    let at = a.pathSpan?.start ?? a.span.start;
    for (const name of a.path) {
      const meaning = inside && reading.names.member(inside, name);
      note(reading, meaning, { start: at, end: at + name.length });
      inside = meaning?.inside;
      at += name.length + 1;
    }
    if (a.redeclare) element(reading, a.redeclare, ref);
    modification(reading, a.modification, inside, ref);
  }
}

function typeName(reading: Reading, name: string, span: Span, ref: ClassRef): void {
  const type = reading.names.typeNamed(ref, name);
  if (type?.name === name) note(reading, { kind: 'type', address: `type/${type.id}`, name }, span);
}

function element(reading: Reading, e: Element, ref: ClassRef): void {
  const { names } = reading;
  if (e.kind === 'class') {
    const inner = nestedClasses(ref).get(e.name);
    return classBody(reading, e, inner?.definition === e ? inner : { ...ref, definition: e, parent: ref });
  }
  if (e.kind === 'import') return;
  if (e.kind === 'extends') {
    typeName(reading, e.base, e.baseSpan, ref);
    return modification(reading, e.modification, findClass(names.library, ref, e.base, 0, true), ref);
  }
  typeName(reading, e.typeName, e.typeSpan, ref);
  note(reading, names.member(ref, e.name), e.nameSpan);
  visit(reading, e.dimensions, ref);
  visit(reading, e.condition, ref);
  modification(reading, e.modification, findClass(names.library, ref, e.typeName), ref);
}

type Body = Pick<ClassDefinition, 'elements' | 'equations' | 'initialEquations' | 'algorithms' | 'initialAlgorithms'>;

function body(reading: Reading, c: Body, ref: ClassRef): void {
  // several parts of one declaration share the name of their type
  c.elements.forEach((e) => element(reading, e, ref));
  for (const part of [c.equations, c.initialEquations, c.algorithms, c.initialAlgorithms]) visit(reading, part, ref);
}

function classBody(reading: Reading, c: ClassDefinition, ref: ClassRef): void {
  if (!c.short) return body(reading, c, ref);
  const outer = ref.parent ?? ref;
  typeName(reading, c.short.base, c.short.baseSpan, outer);
  const base = findClass(reading.names.library, ref.parent, c.short.base);
  modification(reading, c.short.modification, base, outer);
}

/** The classes of a shared text. */
function classesOf(reading: Reading): void {
  const { text, names } = reading;
  for (const c of parseFile(text.text).value) {
    const ref = names.library.top.get(c.name);
    if (ref && ref.place === text.place.replace(/\/text$/, '')) classBody(reading, c, ref);
  }
}

/** A trigger names the message and then the arguments it reads. */
function namedMessages(reading: Reading): void {
  for (const m of reading.text.text.matchAll(/^\s*([\p{L}_][\p{L}\p{N}_]*)/gu))
    noteMessage(reading, m[1], { start: m[0].length - m[1].length, end: m[0].length });
}

function namedProcedure(reading: Reading, scope: ClassRef): void {
  const [part] = pathParts(reading.text.text);
  const meaning = part && reading.names.member(scope, part.name);
  if (meaning?.kind === 'procedure') note(reading, meaning, part.span);
}

/** `name of procedure`, as the grammar of lines writes it. */
function argumentOf(reading: Reading, scope: ClassRef): void {
  const [part, , procedure] = pathParts(reading.text.text);
  const called = procedure && reading.names.member(scope, procedure.name);
  const holder = called && (findAt(reading.project, called.address)?.chain.at(-1) as Procedure | undefined);
  const value = holder?.values?.find((v) => v.name === part.name);
  if (value) noteLocal(reading, `${called!.address}/value/${value.id}`, part);
}

/** A path of a field; that of a message ends with its name. */
function plainPath(reading: Reading, scope: ClassRef): void {
  const parts = pathParts(reading.text.text);
  if (reading.text.kind === 'message-path') {
    const last = parts.pop();
    if (last) noteMessage(reading, last.name, last.span);
  }
  const own = parts.length === 1 ? reading.locals.values.get(parts[0].name) : undefined;
  if (own !== undefined) noteLocal(reading, own, parts[0]);
  else notePath(reading, scope, parts);
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

/** The names of a plain path, indices left out; none where a text is something else. */
export const namesInPath = (path: string): readonly string[] =>
  /^[\p{L}_][\p{L}\p{N}_]*(\[[^\]]*\])?(\.[\p{L}_][\p{L}\p{N}_]*(\[[^\]]*\])?)*$/u.test(path.trim())
    ? pathParts(path).map((p) => p.name)
    : [];

/** Who mentions something, outside of itself or of what goes with it, as words for a message. */
export function usersOf(
  project: Project,
  address: Address,
  name: string,
  gone: ReadonlySet<Address> = new Set([address]),
): string[] {
  const found = references(project, name).filter(
    (r) => r.address === address && r.name === name && !isWithin(r.text.place, gone),
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
