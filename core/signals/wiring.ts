import type { CallExpr, Expr } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';
import { walkExpression } from '../language/walk';
import { argumentTexts } from './call-text';
import type { SignalBlock } from './catalogue';
import { argumentsOf, namesUsed, type SheetCard, type SheetNames } from './sheet-picture';

/** What drawing wires does to the text of lines. Texts keep what their author wrote, blanks included, wherever nothing of it changes. */

/** One way in which a wire can come into a card. */
export interface WireOffer {
  /** Where, and what becomes of what stands there. */
  readonly label: string;
  /** The line as it is then. */
  readonly text: string;
}

const replaced = (text: string, { start, end }: Span, by: string): string =>
  text.slice(0, start) + by + text.slice(end);

const isTruth = (e: Expr): boolean =>
  e.kind === 'boolean' ||
  (e.kind === 'binary' && /^(and|or|[<>=]+)$/.test(e.op)) ||
  (e.kind === 'unary' && e.op === 'not');

/** How a wire can come to a formula that is there already, each with what the formula is then. */
function combined(formula: string, from: string): readonly WireOffer[] {
  const { value, problems } = parseExpressionText(formula);
  if (problems.length > 0) return [];
  const instead = { label: `in place of ${formula}`, text: from };
  if (value.kind === 'number' || value.kind === 'ref') return [instead];
  const inBrackets = (when: boolean): string => (when ? `(${formula})` : formula);
  if (isTruth(value))
    return [
      {
        label: `and ${from}`,
        text: `${inBrackets(value.kind === 'binary' && value.op === 'or')} and ${from}`,
      },
      { label: `or ${from}`, text: `${formula} or ${from}` },
      instead,
    ];
  const isSum = value.kind === 'binary' && (value.op === '+' || value.op === '-');
  const sum = inBrackets(value.kind === 'if');
  return [
    { label: `+ ${from}`, text: `${sum} + ${from}` },
    { label: `- ${from}`, text: `${sum} - ${from}` },
    { label: `* ${from}`, text: `${inBrackets(value.kind === 'if' || isSum || value.kind === 'unary')}*${from}` },
    instead,
  ];
}

/** Replaces a name everywhere in a formula; more than a name stands in brackets. */
export function replaceName(text: string, e: Expr, name: string, by: string): string {
  const isPlain = /^[\p{L}_][\p{L}\p{N}_.]*$|^\d+(\.\d+)?$/u.test(by);
  const spans: Span[] = [];
  walkExpression(e, (x) => {
    if (x.kind === 'ref' && x.parts.map((p) => p.name).join('.') === name) spans.push(x.span);
  });
  const whole = e.kind === 'ref' ? by : undefined;
  return [...spans]
    .sort((a, b) => b.start - a.start)
    .reduce((t, s) => replaced(t, s, whole ?? (isPlain ? by : `(${by})`)), text);
}

/** The text of a line with another list of arguments in its call. */
function withArguments(
  text: string,
  e: CallExpr,
  block: SignalBlock,
  given: ReadonlyMap<string, { readonly text: string; readonly isNamed: boolean }>,
): string {
  const list: string[] = [];
  let isNamed = false;
  for (const [k, takes] of block.takes.entries()) {
    const one = given.get(takes.name);
    if (!one) {
      isNamed = true;
      continue;
    }
    // behind a gap arguments have names
    if (one.isNamed || list.length !== k) isNamed = true;
    list.push(isNamed ? `${takes.name} = ${one.text}` : one.text);
  }
  return replaced(text, e.span, `${e.callee}(${list.join(', ')})`);
}

function textsOf(text: string, e: CallExpr, block: SignalBlock): Map<string, { text: string; isNamed: boolean }> {
  const given = new Map<string, { text: string; isNamed: boolean }>();
  argumentTexts(text, e).forEach(({ name, value }, k) => {
    const own = name ?? block.takes[k]?.name;
    if (own !== undefined) given.set(own, { text: value.text, isNamed: name !== undefined });
  });
  return given;
}

/** Gives an argument of a card's block a text; '' takes it away. */
export function setArgument(card: SheetCard, name: string, to: string): string {
  const { block, expr, text } = card;
  if (expr?.kind !== 'call' || !block) return text;
  const given = textsOf(text, expr, block);
  const known = given.get(name);
  const place = block.takes.findIndex((t) => t.name === name);
  const before = block.takes.slice(0, place);
  if (to === '') given.delete(name);
  else
    given.set(name, {
      text: to,
      // without a name it stands behind others without one
      isNamed:
        known?.isNamed ??
        (block.takes[place]?.hasDefault || !before.every((t) => given.get(t.name)?.isNamed === false)),
    });
  return withArguments(text, expr, block, given);
}

/** What a parameter or input of a card's block is set to; '' where it is left as it is. */
export function argumentText(card: SheetCard, name: string): string {
  const { block, expr, text } = card;
  if (expr?.kind !== 'call' || !block) return '';
  return textsOf(text, expr, block).get(name)?.text ?? '';
}

const isSingle = (text: string): boolean => /^[\p{L}_][\p{L}\p{N}_.]*$|^[\d.]+(e[+-]?\d+)?$/iu.test(text.trim());

/** How a wire can come to what takes a list: as one of it, or as the list itself. */
function inList(before: string, from: string): readonly WireOffer[] {
  const inside = /^\{\s*(.*?)\s*\}$/s.exec(before.trim())?.[1];
  const alone = [
    { label: `{${from}}`, text: `{${from}}` },
    { label: `${from}, a list`, text: from },
  ];
  return inside ? [{ label: `one more: ${from}`, text: `{${inside}, ${from}}` }, ...alone] : alone;
}

/** A wire that is led to an input of a card. */
export function wireInto(card: SheetCard, key: string, from: string): readonly WireOffer[] {
  const { expr, block, text } = card;
  if (!expr) return [];
  const input = card.inputs.find((i) => i.key === key);
  if (block && expr.kind === 'call') {
    const before = argumentText(card, key);
    if (block.takes.find((t) => t.name === key)?.isArray === true)
      return inList(before, from).map((o) => ({ ...o, text: setArgument(card, key, o.text) }));
    if (input?.isFree && before !== '') return [{ label: key, text: freed(card, key, from) }];
    if (before === '' || isSingle(before)) return [{ label: key, text: setArgument(card, key, from) }];
    return combined(before, from).map((o) => ({ ...o, text: setArgument(card, key, o.text) }));
  }
  if (!input || input.key === from) return [];
  return [{ label: `in place of ${input.key}`, text: replaceName(text, expr, input.key, from) }];
}

/** The first name in an argument that nothing gives becomes the wire. */
function freed(card: SheetCard, key: string, from: string): string {
  const value = card.expr?.kind === 'call' && card.block && argumentsOf(card.expr, card.block).get(key)?.value;
  if (!value) return card.text;
  let span: Span | undefined;
  walkExpression(value, (x) => {
    if (!span && x.kind === 'ref' && x.parts.length === 1 && !card.inputs.some((i) => i.key === x.parts[0].name))
      span = x.span;
  });
  return span ? replaced(card.text, span, from) : card.text;
}

/** A wire that is led anywhere onto a card: to what is free of it, or added to its formula. */
export function wireOnto(card: SheetCard, from: string): readonly WireOffer[] {
  const { expr, block, text } = card;
  if (!expr) return [];
  if (block && expr.kind === 'call') {
    const given = argumentsOf(expr, block);
    const free = block.takes.filter(
      (t) => !t.isParameter && (!given.has(t.name) || card.inputs.some((i) => i.key === t.name && i.isFree)),
    );
    const others = block.takes.filter(
      (t) => !t.isParameter && !free.includes(t) && given.get(t.name)?.value.kind !== 'array',
    );
    const to = free.some((t) => !t.hasDefault) ? free.filter((t) => !t.hasDefault) : free;
    const list = to.length > 0 ? to : others;
    return list.flatMap((t) =>
      wireInto(card, t.name, from).map((o) => (o.label === t.name ? o : { ...o, label: `${t.name}: ${o.label}` })),
    );
  }
  const free = card.inputs.filter((i) => i.isFree);
  if (free.length > 0) return free.map((i) => ({ label: i.key, text: replaceName(text, expr, i.key, from) }));
  const before = text.slice(0, text.trimEnd().length - card.formula.length);
  return combined(card.formula, from).map((o) => ({ ...o, text: before + o.text }));
}

/** A name that nothing in a formula or on the sheet has: something that still has to be fed. */
export function freeName(names: SheetNames, expr: Expr | undefined): string {
  const own = new Set<string>();
  if (expr) walkExpression(expr, (x) => x.kind === 'ref' && own.add(x.parts[0].name));
  for (let k = 1; ; k++) {
    const name = `in${k}`;
    if (!own.has(name) && names.kindOf([name]) === 'free') return name;
  }
}

/** A wire taken away from where it comes in: a sum without it, an argument that nothing feeds, or else a name that nothing gives. */
export function unwire(card: SheetCard, key: string, name: string, names: SheetNames): string {
  const { expr, block, text } = card;
  if (!expr) return text;
  const value = block && expr.kind === 'call' ? argumentsOf(expr, block).get(key)?.value : expr;
  if (!value) return text;
  if (value !== expr && value.kind === 'ref' && !value.parts.some((p) => p.subscripts.length > 0))
    return setArgument(card, key, '');
  const shorter = withoutTerm(value, name);
  if (shorter && !namesUsed(shorter, names).some((u) => u.name === name))
    return value === expr
      ? text.slice(0, text.indexOf('=') + 1) + ` ${printExpression(shorter)}`
      : setArgument(card, key, printExpression(shorter));
  const other = freeName(names, expr);
  const spans: Span[] = namesUsed(value, names).flatMap((u) => (u.name === name ? [u.ref.span] : []));
  return [...spans].sort((a, b) => b.start - a.start).reduce((t, s) => replaced(t, s, other), text);
}

/** A sum without the term that is a name, alone or with a factor; undefined where there is none. */
function withoutTerm(e: Expr, name: string): Expr | undefined {
  if (e.kind !== 'binary' || (e.op !== '+' && e.op !== '-')) return undefined;
  const isIt = (x: Expr): boolean => x.kind === 'ref' && x.parts.map((p) => p.name).join('.') === name;
  if (isIt(e.right)) return e.left;
  if (isIt(e.left)) return e.op === '+' ? e.right : { kind: 'unary', op: '-', operand: e.right, span: e.right.span };
  const left = withoutTerm(e.left, name);
  if (left) return { ...e, left };
  const right = e.op === '+' ? withoutTerm(e.right, name) : undefined;
  return right && { ...e, right };
}

/** The wire that comes in somewhere replaced by another one: an end of it was moved, or something was put in between. */
export function rewire(card: SheetCard, key: string, name: string, to: string): string {
  const { expr, block, text } = card;
  if (!expr) return text;
  const value = block && expr.kind === 'call' ? argumentsOf(expr, block).get(key)?.value : expr;
  return value ? replaceName(text, value, name, to) : text;
}
