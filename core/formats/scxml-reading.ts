import type { Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { printExpression, printName } from '../language/print';
import { walkExpression } from '../language/walk';
import type { Chart, ChartState, ChartValue, Transition } from '../project/project';
import { readEcmascriptExpression, stateName } from './ecmascript';
import { childrenOf, textOf, type XmlElement } from './xml';

/** State charts of the W3C standard SCXML (2015), with the plain part of ECMAScript or our own language in their texts. */
export interface ScxmlFile {
  readonly chart: Chart;
  /** Identifiers of the file by name of the state. */
  readonly ids: ReadonlyMap<string, string>;
  /** Charts that states keep running beside this one; parts have no such thing, charts on their own do. */
  readonly services: readonly ScxmlService[];
}

/** An `invoke`, its texts in our language. */
export interface ScxmlService {
  readonly state: string;
  readonly id?: string;
  readonly idPlace?: string;
  readonly way?: string;
  readonly forwards: boolean;
  readonly values: readonly { readonly name: string; readonly value: string }[];
  readonly finalize: string;
  /** The chart itself, or the formula that says where or what it is. */
  readonly chart: ScxmlFile | { readonly formula: string; readonly isPath: boolean } | undefined;
}

export type FileReader = (path: string) => string | undefined;

/** A chart while it is read: what has been found, and what the texts of the file mean. */
export interface Reading {
  readonly root: XmlElement;
  /** The texts are in our language, not in ECMAScript. */
  readonly own: boolean;
  /** The file asks for the ids of its sendings, so they are kept. */
  readonly idsAreRead: boolean;
  readonly options: { readonly name?: string; readonly file?: FileReader };
  readonly problems: Problem[];
  readonly states: ChartState[];
  readonly transitions: Transition[];
  readonly values: ChartValue[];
  readonly services: ScxmlService[];
  /** Names of states by their id in the file, and these ids by element. */
  readonly names: Map<string, string>;
  readonly idOf: Map<XmlElement, string>;
  readonly dataNames: Set<string>;
  /** Messages by the id of their sending, or by the place that holds it. */
  readonly sendIds: Map<string, string>;
  /** With late binding, values of a state come about when it is entered first. */
  readonly late: Map<XmlElement, string[]>;
  /** Things without a name of their own, so far. */
  count: number;
  /** Reads a chart in this one, or in another file. */
  inner(root: XmlElement): ScxmlFile;
  other(text: string): ScxmlFile | undefined;
}

/** Whether an expression says a value without asking for others. */
function isPlainData(e: Expr): boolean {
  let plain = true;
  walkExpression(e, (x) => void (x.kind === 'ref' && (plain = false)));
  return plain;
}

export const skip = (r: Reading, what: string, place = ''): void =>
  void r.problems.push({ ...problem('warning', 'not-supported', `${what} is left out`), ...(place && { place }) });
export function unread(r: Reading, text: string): string {
  r.problems.push(
    problem(
      'error',
      'not-supported',
      `"${text.trim()}" cannot be said in our language; it is kept as it is, to be changed by hand`,
    ),
  );
  return text.trim();
}

export function formulaText(r: Reading, text: string): string {
  if (r.own) return text.trim();
  const e = readEcmascriptExpression(text);
  return e ? printExpression(e) : unread(r, text);
}

export const message = (text: string): string => text.replace(/[^\p{L}\p{N}_.]/gu, '_');
export function messageName(text: string): string {
  const name = message(text);
  return name.includes('.') ? `'${name}'` : printName(name);
}

export function duration(r: Reading, text: string): string {
  const match = /^\s*([\d.]+)\s*(ms|s|m|h|d)\s*$/.exec(text);
  if (!match) return unread(r, text);
  return `${Number(match[1])} '${match[2] === 'm' ? 'min' : match[2]}'`;
}

/** A string written out, of an attribute that holds an expression. */
export function literal(r: Reading, text: string | undefined): string | undefined {
  const e = text === undefined ? undefined : r.own ? parseExpressionText(text).value : readEcmascriptExpression(text);
  return e?.kind === 'string' ? e.value : undefined;
}

export function place(r: Reading, text: string): string {
  if (r.own) return text.trim();
  const e = readEcmascriptExpression(text);
  return e?.kind === 'ref' ? printExpression(e) : unread(r, text);
}

/** What stands between tags: a formula where it reads as one, otherwise a text. */
export function content(r: Reading, text: string): string {
  if (r.own && text.trim() !== '') return text.trim();
  const e = r.own ? undefined : readEcmascriptExpression(text);
  return e && isPlainData(e) ? printExpression(e) : JSON.stringify(text.trim().replace(/\s+/g, ' '));
}

/** What stands in the `content` of an element, as a formula. */
export function bodyOf(r: Reading, e: XmlElement): string | undefined {
  const [c] = childrenOf(e, 'content');
  return c && (c.attributes.expr !== undefined ? formulaText(r, c.attributes.expr) : content(r, textOf(c)));
}

export const parameters = (r: Reading, a: XmlElement): string[] =>
  childrenOf(a, 'param').map(
    (p) =>
      `${printName(p.attributes.name ?? '')} = ${p.attributes.expr !== undefined ? formulaText(r, p.attributes.expr) : place(r, p.attributes.location ?? '')}`,
  );

/** Scripts may declare names of their own. */
export function declare(r: Reading, name: string): void {
  if (r.dataNames.has(name)) return;
  r.dataNames.add(name);
  r.values.push({ id: `v-${r.values.length + 1}`, name: stateName(name), type: 'Real', value: '', unit: '' });
}
