import type { CallExpr, Expr, RefExpr } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { partsOf, walkExpression } from '../language/walk';
import { readSignalLine } from '../lines/signal-line';
import type { PartType, Place, SignalLine, SignalSheet } from '../project/document';
import { argumentTexts } from './call-text';
import { signalBlocks, type BlockArgument, type SignalBlock } from './catalogue';
import { blockOfType } from './block-of-type';
import { partOnLine } from './several-outputs';
import type { SheetSurroundings } from './surroundings';

/** A signal sheet as its drawing shows it: lines as cards, names that are used as wires, what comes from and goes to elsewhere as tags. */
export interface SheetPicture {
  readonly cards: readonly SheetCard[];
  readonly notes: readonly SheetNote[];
  readonly wires: readonly SheetWire[];
  readonly tags: readonly SheetTag[];
}

/** Where wires come into a card: an argument of its block, or a name in its formula. */
export interface CardInput {
  readonly key: string;
  /** What is given there; '' where nothing is. */
  readonly text: string;
  readonly span: Span | undefined;
  /** Nothing feeds it. */
  readonly isFree: boolean;
}

export interface SheetCard {
  /** Id of the line. */
  readonly id: string;
  readonly text: string;
  readonly place: Place | null;
  readonly name: string;
  readonly formula: string;
  /** Why it is no line yet. */
  readonly unread: string | undefined;
  readonly expr: Expr | undefined;
  /** The block its formula begins with. */
  readonly block: SignalBlock | undefined;
  /** A part type that is used as a block. */
  readonly typeId: string | undefined;
  readonly inputs: readonly CardInput[];
  /** Names of what comes out of it: its own, or `f.low` and `f.high` of a part type with several outputs. */
  readonly outputs: readonly string[];
}

export interface SheetNote {
  readonly id: string;
  readonly text: string;
  readonly line: SignalLine;
}

export interface SheetWire {
  readonly id: string;
  /** The name that is used; a dotted path for what comes from elsewhere. */
  readonly name: string;
  /** Id of the line it comes from; undefined where it comes from a tag. */
  readonly from: string | undefined;
  /** Id of the line it goes to, and where it comes in; undefined where it goes to a tag. */
  readonly to: { readonly line: string; readonly key: string } | undefined;
  /** What it brings comes out of the card at later moments only. */
  readonly isLater?: true;
}

export interface SheetTag {
  readonly name: string;
  readonly side: 'in' | 'out';
  /** What it is: an input, something another sheet gives, a state. */
  readonly what: 'input' | 'output' | 'variable' | 'sheet' | 'part' | 'state';
  /** Sheet that gives it. */
  readonly sheet?: string;
}

/** What a name in a formula is to a sheet. */
type NameKind = 'line' | 'outside' | 'fixed' | 'free';

export interface SheetNames {
  kindOf(path: readonly string[]): NameKind;
  readonly lines: ReadonlyMap<string, string>;
}

interface ReadCard {
  readonly name: string;
  readonly formula: string;
  readonly unread: string | undefined;
  readonly expr: Expr | undefined;
}
const read = new WeakMap<SignalLine, ReadCard | 'note' | 'empty'>();

function readCard(l: SignalLine): ReadCard | 'note' | 'empty' {
  let known = read.get(l);
  if (known !== undefined) return known;
  const line = readSignalLine(l.text);
  if (line.kind === 'note') known = 'note';
  else if (line.kind === 'empty') known = 'empty';
  else if (line.kind === 'unread') known = { name: '', formula: l.text.trim(), unread: line.message, expr: undefined };
  else {
    const parsed = parseExpressionText(' '.repeat(line.formula.start) + line.formula.text);
    const wrong = parsed.problems.find((p) => p.severity === 'error');
    known = {
      name: line.name.text,
      formula: line.formula.text,
      unread: wrong?.message,
      expr: wrong ? undefined : parsed.value,
    };
  }
  read.set(l, known);
  return known;
}

/** The block a call names, in the form that the sheet has. */
export function blockOfCall(
  e: Expr | undefined,
  sheet: Pick<SignalSheet, 'every'>,
  around: SheetSurroundings,
): { readonly block: SignalBlock; readonly type: PartType | undefined } | undefined {
  if (e?.kind !== 'call') return undefined;
  const { continuous, sampled } = signalBlocks();
  const [first, second] = sheet.every.trim() === '' ? [continuous, sampled] : [sampled, continuous];
  const known = first.get(e.callee) ?? second.get(e.callee);
  if (known) return { block: known, type: undefined };
  const type = around.partType(e.callee);
  const output = type?.quantities.find((q) => q.role === 'output');
  return type && output && { block: blockOfType(type, output), type };
}

/** The whole picture of one sheet of a part type. */
export function sheetPicture(type: PartType, sheet: SignalSheet, around: SheetSurroundings): SheetPicture {
  const names = namesOn(type, sheet, around);
  const cards: SheetCard[] = [];
  const notes: SheetNote[] = [];
  const wires: SheetWire[] = [];
  const outside = new Map<string, SheetTag>();
  const given = new Map<string, string>();
  for (const line of sheet.lines) {
    const own = readCard(line);
    if (own === 'note') notes.push({ id: line.id, text: line.text.trim().replace(/^\/\/ ?/, ''), line });
    if (typeof own === 'string') continue;
    const found = blockOfCall(own.expr, sheet, around);
    const inputs = own.expr ? inputsOf(own.expr, found?.block, names, line.text) : [];
    if (own.name !== '' && !given.has(own.name)) given.set(own.name, line.id);
    cards.push({
      id: line.id,
      text: line.text,
      place: line.place,
      ...own,
      block: found?.block,
      typeId: found?.type?.id,
      inputs: inputs.map(({ key, text, span, isFree }) => ({ key, text, span, isFree })),
      outputs: outputsOf(own.name, own.expr, around),
    });
    const atOnce = own.expr ? namesAtOnce(own.expr, sheet, around) : new Set();
    for (const input of inputs)
      for (const name of input.names) {
        const from = names.lines.get(name);
        if (from === undefined && !outside.has(name)) outside.set(name, tagOf(type, sheet, name));
        wires.push({
          id: `${line.id}|${input.key}|${name}`,
          name,
          from,
          to: { line: line.id, key: input.key },
          ...(!atOnce.has(name) && { isLater: true }),
        });
      }
  }
  const elsewhere = new Set(type.signals.flatMap((s) => (s === sheet ? [] : s.lines.map((l) => nameOfLine(l) ?? ''))));
  const tags: SheetTag[] = [...outside.values()];
  for (const q of type.quantities) {
    if (q.role === 'input' && !outside.has(q.name)) tags.push({ name: q.name, side: 'in', what: 'input' });
    if (q.role !== 'output') continue;
    const line = given.get(q.name);
    if (!elsewhere.has(q.name)) tags.push({ name: q.name, side: 'out', what: 'output' });
    if (line !== undefined) wires.push({ id: `out|${q.name}`, name: q.name, from: line, to: undefined });
  }
  return { cards, notes, wires, tags };
}

function outputsOf(name: string, e: Expr | undefined, around: SheetSurroundings): readonly string[] {
  if (name === '') return [];
  const several = partOnLine(e, around);
  return several ? several.outputs.map((q) => `${name}.${q.name}`) : [name];
}

/** The name a line gives; undefined for notes and what is no line. */
export function nameOfLine(l: SignalLine): string | undefined {
  const own = readCard(l);
  return typeof own === 'string' || own.name === '' ? undefined : own.name;
}

/** What the names are that can stand in formulas of a sheet. */
export function namesOn(type: PartType, sheet: SignalSheet, around: SheetSurroundings): SheetNames {
  const own = new Map<string, string>();
  const others = new Set<string>();
  for (const s of type.signals)
    for (const l of s.lines) {
      const name = nameOfLine(l);
      if (name === undefined) continue;
      if (s.id !== sheet.id) others.add(name);
      else if (!own.has(name)) own.set(name, l.id);
      const card = readCard(l);
      if (typeof card === 'string') continue;
      for (const output of outputsOf(name, card.expr, around))
        if (s.id !== sheet.id) others.add(output);
        else if (!own.has(output)) own.set(output, l.id);
    }
  const roles = new Map(type.quantities.map((q) => [q.name, q.role]));
  const found = new Map<string, NameKind>();
  const look = (path: readonly string[]): NameKind => {
    const [first] = path;
    const whole = path.join('.');
    if (own.has(whole)) return 'line';
    if (others.has(whole)) return 'outside';
    if (path.length === 1) {
      const role = roles.get(first);
      if (role) return role === 'parameter' || role === 'constant' ? 'fixed' : 'outside';
      if (first === 'time') return 'fixed';
    }
    if (around.typeOf(path) !== undefined) return around.isFixed(path) ? 'fixed' : 'outside';
    if (around.isTaken(first)) return 'outside';
    return path.length === 1 ? 'free' : 'fixed';
  };
  return {
    lines: own,
    kindOf(path) {
      const key = path.join('.');
      let kind = found.get(key);
      if (!kind) found.set(key, (kind = look(path)));
      return kind;
    },
  };
}

export const pathOf = (e: RefExpr): readonly string[] => e.parts.map((p) => p.name);

/** Names in a formula that a wire could bring, in their order; what iterates inside it is none. */
export function namesUsed(e: Expr, names: SheetNames): readonly { readonly name: string; readonly ref: RefExpr }[] {
  const used: { name: string; ref: RefExpr }[] = [];
  const own = new Set<string>();
  walkExpression(e, (x) => {
    if (x.kind === 'comprehension') for (const i of x.iterators) own.add(i.name);
    if (x.kind !== 'ref' || own.has(x.parts[0].name)) return;
    if (names.kindOf(pathOf(x)) !== 'fixed') used.push({ name: pathOf(x).join('.'), ref: x });
  });
  return used;
}

interface FullInput extends CardInput {
  readonly names: readonly string[];
}

/** Arguments of a call by the names of what its block takes. */
export function argumentsOf(
  e: CallExpr,
  block: SignalBlock,
): ReadonlyMap<string, { readonly value: Expr; readonly isNamed: boolean }> {
  const given = new Map<string, { value: Expr; isNamed: boolean }>();
  e.args.forEach((value, k) => block.takes[k] && given.set(block.takes[k].name, { value, isNamed: false }));
  for (const n of e.named) given.set(n.name, { value: n.value, isNamed: true });
  return given;
}

function inputsOf(e: Expr, block: SignalBlock | undefined, names: SheetNames, text: string): FullInput[] {
  const wired = (x: Expr): string[] => [
    ...new Set(namesUsed(x, names).flatMap(({ name, ref }) => (names.kindOf(pathOf(ref)) === 'free' ? [] : [name]))),
  ];
  if (e.kind === 'call' && block) {
    const given = argumentsOf(e, block);
    const pieces = argumentTexts(text, e);
    return block.takes.flatMap((takes: BlockArgument): FullInput[] => {
      const value = given.get(takes.name)?.value;
      if (takes.isParameter) return [];
      if (!value)
        return takes.hasDefault ? [] : [{ key: takes.name, text: '', span: undefined, isFree: true, names: [] }];
      const used = namesUsed(value, names);
      if (used.length === 0 && block.isFunction) return [];
      const isFree = used.some(({ ref }) => names.kindOf(pathOf(ref)) === 'free');
      const piece = pieces.find((p, k) => (p.name ?? block.takes[k]?.name) === takes.name)?.value;
      return [{ key: takes.name, text: piece?.text ?? '', span: piece ?? value.span, isFree, names: wired(value) }];
    });
  }
  const byName = new Map<string, FullInput>();
  for (const { name, ref } of namesUsed(e, names)) {
    if (byName.has(name)) continue;
    const isFree = names.kindOf(pathOf(ref)) === 'free';
    byName.set(name, { key: name, text: name, span: ref.span, isFree, names: isFree ? [] : [name] });
  }
  return [...byName.values()];
}

function tagOf(type: PartType, sheet: SignalSheet, name: string): SheetTag {
  const role = type.quantities.find((q) => q.name === name)?.role;
  const giver = type.signals.find(
    (s) => s !== sheet && s.lines.some((l) => [name, name.split('.')[0]].includes(nameOfLine(l) ?? '')),
  );
  const isState = type.charts.some((c) => c.name === name.split('.')[0]);
  return {
    name,
    side: 'in',
    what: giver ? 'sheet' : role === 'input' ? 'input' : isState ? 'state' : name.includes('.') ? 'part' : 'variable',
    ...(giver && { sheet: giver.id }),
  };
}

/** Names whose value at a moment goes into that of a formula at the same moment: what a block with memory takes comes out of it later. */
function namesAtOnce(
  e: Expr,
  sheet: Pick<SignalSheet, 'every'>,
  around: SheetSurroundings,
  found = new Set<string>(),
): ReadonlySet<string> {
  const block = blockOfCall(e, sheet, around)?.block;
  if (block && !block.isFunction && !passing.has(block.name)) return found;
  if (e.kind === 'ref') found.add(pathOf(e).join('.'));
  for (const x of partsOf(e)) namesAtOnce(x, sheet, around, found);
  return found;
}

/** Lines that need each other at the same moment, in order round the circle. */
export function circlesIn(picture: SheetPicture): readonly (readonly string[])[] {
  const after = new Map<string, string[]>();
  for (const { from, to, isLater } of picture.wires)
    if (from !== undefined && to && !isLater) after.set(from, [...(after.get(from) ?? []), to.line]);
  const circles: string[][] = [];
  const state = new Map<string, 'open' | 'done'>();
  const way: string[] = [];
  const visit = (id: string): void => {
    state.set(id, 'open');
    way.push(id);
    for (const next of after.get(id) ?? []) {
      if (state.get(next) === 'open') circles.push(way.slice(way.indexOf(next)));
      else if (!state.has(next)) visit(next);
    }
    way.pop();
    state.set(id, 'done');
  };
  for (const c of picture.cards) if (!state.has(c.id)) visit(c.id);
  return circles;
}
/** Blocks with memory of which a part passes through at once. */
const passing: ReadonlySet<string> = new Set([
  'pi',
  'pid',
  'leadLag',
  'highPass',
  'notch',
  'derivative',
  'stateFeedback',
  'fir',
  'movingAverage',
  'median',
  'difference',
  'decimate',
  'transferZ',
]);
