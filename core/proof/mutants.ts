import { mutantPrefix } from '../coverage/report';
import type { Expr, Statement } from '../language/ast';
import type { Span } from '../language/diagnostics';
import { parseExpressionText, parseStatementsText } from '../language/parse';
import { walkExpression } from '../language/walk';
import type { Edit } from '../project/edit';
import { markOf } from '../project/equations';
import type { Chart, PartType, Project, Transition } from '../project/project';
import { documentTexts, type DocumentText } from '../project/texts';
import { isWhole, operandOf, wholeSpan } from './mutant-words';

/**
 * Small changes of behaviour, each of which a good suite of cases notices (mutation analysis: DeMillo, Lipton and Sayward 1978; of models: Offutt
 * and Black 2000). They are edits of the document like others, one at a time, in the words of the text they change.
 */

export type MutantKind =
  /** Another comparison, on its boundary or the other way round. */
  | 'comparison'
  /** Another number, another sign, the other truth. */
  | 'value'
  /** `and` for `or`, without one of its terms, without `not`. */
  | 'condition'
  /** Plus for minus, times for by. */
  | 'operation'
  /** A statement, a trigger, a guard, a line or a transition is gone. */
  | 'removal'
  /** Another one of two that can both be taken comes first. */
  | 'order';

export interface Mutant {
  /** The same as long as the element and what stands around the change are the same. */
  readonly key: string;
  readonly kind: MutantKind;
  readonly typeId: string;
  /** Address of the element, and its name where it has one. */
  readonly place: string;
  readonly name: string;
  /** What is there, and what would be in its place; empty for nothing. */
  readonly from: string;
  readonly to: string;
  /** The line or the text it stands in, with where. */
  readonly text: string;
  readonly span: Span | undefined;
  readonly edit: Edit;
}

interface Replacement {
  readonly kind: MutantKind;
  readonly span: Span;
  readonly to: string;
}

/** Texts that say how often or where something is done, not what. */
const isAside = (place: string): boolean => /\/(every|offset|period)$/.test(place);

/** All changes of the behaviour of some part types, in the order of the document. */
export function mutantsOf(project: Project, typeIds?: ReadonlySet<string>): readonly Mutant[] {
  const types = project.types.filter((t) => (!typeIds || typeIds.has(t.id)) && hasBehaviour(t));
  const chosen = new Set(types.map((t) => t.id));
  const constants = new Map(types.map((t) => [t.id, constantsOf(t)]));
  const texts = documentTexts(project, new Set<keyof Project>(['types'])).filter(({ place }) => {
    const [, typeId, list, id, field] = place.split('/');
    return (
      chosen.has(typeId) &&
      !isAside(place) &&
      (list === 'chart' ||
        list === 'procedure' ||
        list === 'signals' ||
        (list === 'quantity' && field === 'value' && constants.get(typeId)!.has(id)))
    );
  });
  const found = new Map<string, Mutant>();
  const take = (m: Omit<Mutant, 'key'>, which: string): void => {
    const key = `${mutantPrefix}${m.place}|${m.kind}|${which}`;
    if (!found.has(key)) found.set(key, { ...m, key });
  };
  for (const t of texts) {
    const whole = valueAt(project, t.keys);
    const { entry, rest } = entryAt(project, t);
    const seen = new Set<string>();
    const isMeasured = entry.value.type === 'Real' && rest[0] === 'value';
    for (const { kind, span, to } of replacements(t, whole, isMeasured)) {
      const next = `${whole.slice(0, span.start)}${to}${whole.slice(span.end)}`;
      if (next === whole || seen.has(next)) continue;
      seen.add(next);
      const from = whole.slice(span.start, span.end);
      const field = rest.join('/');
      take(
        {
          kind,
          typeId: project.types[t.keys[1] as number].id,
          place: `${entry.list}/${entry.id}`,
          name: typeof entry.value.name === 'string' ? entry.value.name : '',
          from: from.trim(),
          to: to.trim(),
          text: whole,
          span,
          edit: {
            kind: 'update',
            list: entry.list,
            id: entry.id,
            changes: { [rest[0]]: withAt(entry.value[rest[0]], rest.slice(1), next) },
          },
        },
        `${field}|${markOf(whole.slice(0, span.start))}|${from}|${to}`,
      );
    }
  }
  for (const type of types) for (const m of removals(type)) take(m, `${m.from}|${m.to}`);
  // of a type its behaviour before its numbers, and all of one element together
  const order = new Map(types.map((t, k) => [t.id, k]));
  const elements = new Map<string, number>();
  for (const m of found.values()) if (!elements.has(m.place)) elements.set(m.place, elements.size);
  const isNumber = (m: Mutant): number => Number(m.place.split('/')[2] === 'quantity');
  return [...found.values()].sort(
    (a, b) =>
      order.get(a.typeId)! - order.get(b.typeId)! ||
      isNumber(a) - isNumber(b) ||
      elements.get(a.place)! - elements.get(b.place)!,
  );
}

const hasBehaviour = (t: PartType): boolean => t.charts.length > 0 || t.procedures.length > 0 || t.signals.length > 0;

/** Numbers that a type gives to itself. */
const constantsOf = (t: PartType): ReadonlySet<string> =>
  new Set(t.quantities.flatMap((q) => (q.role === 'parameter' || q.role === 'constant' ? [q.id] : [])));

function valueAt(project: Project, keys: readonly (string | number)[]): string {
  let at: unknown = project;
  for (const k of keys) at = (at as Readonly<Record<string | number, unknown>>)[k];
  return at as string;
}

interface EntryAt {
  readonly list: string;
  readonly id: string;
  readonly value: Readonly<Record<string, unknown>>;
}

/** The innermost entry that holds a text, and the way from it to the text. */
function entryAt(
  project: Project,
  { place, keys }: DocumentText,
): { entry: EntryAt; rest: readonly (string | number)[] } {
  const words = place.split('/');
  let at: unknown = project;
  let entry: EntryAt | undefined;
  let n = 0;
  for (; n + 1 < keys.length; n += 2) {
    const next = (at as Readonly<Record<string, readonly Readonly<Record<string, unknown>>[]>>)[keys[n]]?.[
      keys[n + 1] as number
    ];
    if (next?.id === undefined || next.id !== words[n + 1]) break;
    entry = { list: words.slice(0, n + 1).join('/'), id: next.id as string, value: next };
    at = next;
  }
  return { entry: entry!, rest: keys.slice(n) };
}

function withAt(value: unknown, keys: readonly (string | number)[], text: string): unknown {
  if (keys.length === 0) return text;
  const [first, ...rest] = keys;
  if (Array.isArray(value)) return value.map((x: unknown, k) => (k === first ? withAt(x, rest, text) : x));
  const of = value as Readonly<Record<string, unknown>>;
  return { ...of, [first]: withAt(of[first], rest, text) };
}

/** `isMeasured`: a number in it is no count. */
function replacements({ kind, text }: DocumentText, whole: string, isMeasured: boolean): readonly Replacement[] {
  const found: Replacement[] = [];
  if (kind === 'expression') {
    const { value, problems } = parseExpressionText(text);
    if (problems.length === 0) inExpression(value, whole, found, isMeasured);
  } else if (kind === 'statements') {
    const { value, problems } = parseStatementsText(text);
    if (problems.length === 0) for (const s of value) inStatement(s, whole, found);
  }
  return found;
}

const boundary: Readonly<Record<string, string>> = { '<': '<=', '<=': '<', '>': '>=', '>=': '>' };
const opposite: Readonly<Record<string, string>> = {
  '<': '>=',
  '<=': '>',
  '>': '<=',
  '>=': '<',
  '==': '<>',
  '<>': '==',
};
const operations: Readonly<Record<string, string>> = { '+': '-', '-': '+', '*': '/', '/': '*' };

function inExpression(e: Expr, whole: string, found: Replacement[], isMeasured = false): void {
  const said = ({ start, end }: Span): string => whole.slice(start, end);
  /** What stands for a whole operation has to stay together, and its brackets go with it. */
  const only = (x: Expr, kind: MutantKind, kept: Expr): void =>
    void found.push({ kind, span: wholeSpan(whole, x), to: `(${said(wholeSpan(whole, kept))})` });
  walkExpression(e, (x) => {
    if (x.kind === 'number') {
      const text = said(x.span);
      const [, digits, unit] = /^([\d.]+(?:[eE][+-]?\d+)?)(.*)$/s.exec(text) ?? [];
      if (digits === undefined) return;
      const more =
        x.value === 0 || (!isMeasured && isWhole(digits) && unit.trim() === '') ? x.value + 1 : x.value * 1.1;
      found.push({ kind: 'value', span: x.span, to: `${Number(more.toPrecision(12))}${unit}` });
    } else if (x.kind === 'boolean') found.push({ kind: 'value', span: x.span, to: String(!x.value) });
    else if (x.kind === 'unary' && x.op !== '+') only(x, x.op === 'not' ? 'condition' : 'value', x.operand);
    else if (x.kind === 'binary') {
      const at = operandOf(whole, x);
      if (!at) return;
      if (x.op in opposite) {
        if (x.op in boundary) found.push({ kind: 'comparison', span: at, to: boundary[x.op] });
        found.push({ kind: 'comparison', span: at, to: opposite[x.op] });
      } else if (x.op === 'and' || x.op === 'or') {
        found.push({ kind: 'condition', span: at, to: x.op === 'and' ? 'or' : 'and' });
        for (const kept of [x.left, x.right]) only(x, 'condition', kept);
      } else if (x.op in operations) found.push({ kind: 'operation', span: at, to: operations[x.op] });
    }
  });
}

function inStatement(s: Statement, whole: string, found: Replacement[]): void {
  const inside = (body: readonly Statement[]): void => body.forEach((x) => inStatement(x, whole, found));
  const gone = (span: Span): void => {
    const semicolon = /^\s*;/.exec(whole.slice(span.end))?.[0].length ?? 0;
    found.push({ kind: 'removal', span: { start: span.start, end: span.end + semicolon }, to: '' });
  };
  switch (s.kind) {
    case 'assign':
      gone(s.span);
      return inExpression(s.value, whole, found);
    case 'send':
      gone(s.span);
      for (const a of s.args) inExpression(a.value, whole, found);
      if (s.after) inExpression(s.after, whole, found);
      return;
    case 'cancel':
    case 'call':
      return gone(s.span);
    case 'if':
      for (const b of s.branches) {
        inExpression(b.condition, whole, found);
        inside(b.body);
      }
      return inside(s.otherwise);
    case 'when':
      for (const b of s.branches) {
        inExpression(b.condition, whole, found);
        inside(b.body);
      }
      return;
    case 'for':
      return inside(s.body);
    case 'while':
      inExpression(s.condition, whole, found);
      return inside(s.body);
  }
}

/** What is there once, and could be missing, or come later than what it comes before. */
function* removals(type: PartType): Generator<Omit<Mutant, 'key'>> {
  const of = { typeId: type.id, span: undefined, name: '' };
  for (const chart of type.charts) {
    const list = `type/${type.id}/chart/${chart.id}/transition`;
    for (const [k, t] of chart.transitions.entries()) {
      const place = `${list}/${t.id}`;
      const text = transitionText(chart, t);
      const update = (changes: Partial<Transition>): Edit => ({ kind: 'update', list, id: t.id, changes });
      yield { ...of, kind: 'removal', place, text, from: text, to: '', edit: { kind: 'remove', list, id: t.id } };
      if (t.guard.trim() !== '')
        yield { ...of, kind: 'removal', place, text, from: `[${t.guard.trim()}]`, to: '', edit: update({ guard: '' }) };
      if (t.triggers.length > 1)
        for (const [n, g] of t.triggers.entries())
          yield {
            ...of,
            kind: 'removal',
            place,
            text,
            from: `${g.kind} ${g.on}`.trim(),
            to: '',
            edit: update({ triggers: t.triggers.filter((_, j) => j !== n) }),
          };
      const later = chart.transitions.findIndex((x, j) => j > k && x.from === t.from);
      const next = chart.transitions[later];
      if (next && canBothBe(t, next))
        yield {
          ...of,
          kind: 'order',
          place,
          text,
          from: text,
          to: `${transitionText(chart, next)} first`,
          edit: { kind: 'move', list, id: t.id, index: later },
        };
    }
  }
  for (const procedure of type.procedures) {
    const list = `type/${type.id}/procedure/${procedure.id}/line`;
    for (const [k, line] of procedure.lines.entries()) {
      const next = procedure.lines[k + 1];
      if (line.text.trim() === '' || (next && next.depth > line.depth)) continue;
      const place = `${list}/${line.id}`;
      yield {
        ...of,
        kind: 'removal',
        place,
        text: line.text,
        from: line.text,
        to: '',
        edit: { kind: 'remove', list, id: line.id },
      };
    }
  }
}

/** Two ways out of one state that one thing can set off: which comes first decides. */
const canBothBe = (a: Transition, b: Transition): boolean =>
  a.triggers.length === 0 || b.triggers.length === 0
    ? a.triggers.length === b.triggers.length
    : a.triggers.some((g) => b.triggers.some((h) => g.kind === h.kind && g.on.trim() === h.on.trim()));

const transitionText = (chart: Chart, t: Transition): string => {
  const name = (id: string): string => chart.states.find((s) => s.id === id)?.name ?? '';
  return t.to === '' ? `in ${name(t.from)}` : `${name(t.from) || 'start'} to ${name(t.to) || 'a junction'}`;
};
