import { readFlow, type FlowNode } from '../flows/read-flow';
import type { Expr, Statement } from '../language/ast';
import { atPlace, type Problem } from '../language/diagnostics';
import { parseStatementsText } from '../language/parse';
import {
  abortsOnMessage,
  meansStatements,
  readCall,
  readControl,
  readRepeat,
  readStep,
  timeText,
  whole,
} from '../lines/flow-line';
import type { FlowLine } from '../project/project';
import { readMessage } from './chart-source';
import {
  beginWith,
  readExpression,
  finished,
  fresh,
  go,
  lineAt,
  nameOf,
  report,
  state,
  trigger,
  type ProcedureChart,
} from './procedure-chart';

/** The statements of a step, or none where it only says in words what is done. */
export function stepStatements(action: string): {
  readonly statements: readonly Statement[];
  readonly problems: readonly Problem[];
} {
  if (action === '') return { statements: [], problems: [] };
  const parsed = parseStatementsText(action);
  const meant = meansStatements(action);
  if (
    parsed.problems.length === 0 &&
    (meant || parsed.value.every((s) => s.kind === 'send' || s.kind === 'assign' || s.kind === 'cancel'))
  )
    return { statements: parsed.value, problems: [] };
  return meant ? { statements: parsed.value, problems: parsed.problems } : { statements: [], problems: [] };
}

/** Where steps stand: inside which state, before which one, with other names for some quantities, so many calls deep. */
export interface Spot {
  readonly parent: number;
  readonly next: number;
  /** Names of an inlined procedure that stand for other variables. */
  readonly names: ReadonlyMap<string, string>;
  readonly depth: number;
}

type Node<K extends FlowNode['kind']> = Extract<FlowNode, { kind: K }>;
const deepestCall = 12;

const renamed = <T>(node: T, { names }: Spot): T => (names.size === 0 ? node : renameRefs(node, names));

/** Steps one after the other, then what comes next; the state they begin with. */
export const sequence = (chart: ProcedureChart, nodes: readonly FlowNode[], at: Spot): number =>
  [...nodes].reverse().reduce((next, node) => one(chart, node, { ...at, next }), at.next);

/** Steps inside of a state, to its end. */
function fill(chart: ProcedureChart, nodes: readonly FlowNode[], parent: number, at: Spot): void {
  beginWith(chart, sequence(chart, nodes, { ...at, parent, next: finished(chart, parent) }));
}

function one(chart: ProcedureChart, node: FlowNode, at: Spot): number {
  switch (node.kind) {
    case 'step':
      return step(chart, node, at);
    case 'wait':
      return wait(chart, node, at);
    case 'call':
      return inlined(chart, node.line, node.name, at);
    case 'choice':
      return choice(chart, node, at);
    case 'parallel':
      return parallel(chart, node, at);
    case 'repeat':
      return repeated(chart, node, at);
    case 'abort':
      return abort(chart, node, at);
  }
}

function step(chart: ProcedureChart, node: Node<'step'>, at: Spot): number {
  const { action } = readStep(whole(node.text));
  const control = readControl(action);
  if (control) return controls(chart, node.line, control.word, control.procedure.text, at);
  const read = stepStatements(action.text);
  const place = lineAt(chart, node.line);
  chart.problems.push(...atPlace(place, read.problems));
  const name = nameOf(chart, node.line, action.text || node.text);
  const s = state(chart, name, at.parent, 'state', place, renamed(read.statements, at));
  go(chart, s, at.next, place);
  return s;
}

function wait(chart: ProcedureChart, { line, mode, text }: Node<'wait'>, at: Spot): number {
  const place = lineAt(chart, line);
  const name = nameOf(chart, line, `wait ${mode === 'time' ? '' : `${mode} `}${text}`);
  const s = state(chart, name, at.parent, 'state', place);
  if (mode === 'for') {
    const message = readMessage(text);
    if (!message)
      report(
        chart,
        line,
        'procedure',
        `"${text}" is not the name of a message; for a condition write "wait until ..."`,
      );
    message?.args.forEach((a) => chart.messageArguments.add(a));
    go(chart, s, at.next, place, { triggers: [trigger('message', undefined, message?.name ?? text)] });
    return s;
  }
  const value = text.trim() === '' ? undefined : readExpression(chart, mode === 'time' ? timeText(text) : text, line);
  go(chart, s, at.next, place, {
    triggers: value ? [trigger(mode === 'time' ? 'after' : 'when', renamed(value, at))] : [],
  });
  return s;
}

function choice(chart: ProcedureChart, { branches }: Node<'choice'>, at: Spot): number {
  const [first] = branches;
  const place = lineAt(chart, first.line);
  const s = state(chart, nameOf(chart, first.line, `if ${first.guard}`), at.parent, 'choice', place);
  for (const b of branches) {
    const entry = sequence(chart, b.body, at);
    const guard = b.guard === '' ? undefined : readExpression(chart, b.guard, b.line);
    go(chart, s, entry, lineAt(chart, b.line), {
      otherwise: b.guard === '',
      ...(guard && { guard: renamed(guard, at) }),
    });
  }
  if (!branches.some((b) => b.guard === '')) go(chart, s, at.next, place, { otherwise: true });
  return s;
}

function parallel(chart: ProcedureChart, { line, lanes }: Node<'parallel'>, at: Spot): number {
  const s = state(chart, nameOf(chart, line, 'together'), at.parent, 'parallel', lineAt(chart, line));
  lanes.forEach((lane, k) => {
    const name = nameOf(chart, lane.line, lane.name || `way ${k + 1}`);
    fill(chart, lane.body, state(chart, name, s, 'state', lineAt(chart, lane.line)), at);
  });
  go(chart, s, at.next, lineAt(chart, line), { triggers: [trigger('done')] });
  return s;
}

function abort(chart: ProcedureChart, { line, event, body }: Node<'abort'>, at: Spot): number {
  const place = lineAt(chart, line);
  const s = state(chart, nameOf(chart, line, `abort on ${event}`), at.parent, 'state', place);
  fill(chart, body, s, at);
  go(chart, s, at.next, place, { triggers: [trigger('done')] });
  const byMessage = abortsOnMessage(line.text) ? readMessage(event) : undefined;
  const value = byMessage ? undefined : readExpression(chart, event, line);
  if (byMessage) go(chart, s, at.next, place, { triggers: [trigger('message', undefined, byMessage.name)] });
  else if (value) go(chart, s, at.next, place, { triggers: [trigger('when', renamed(value, at))] });
  return s;
}

/** `start`, `stop` and `await` another procedure of the part. */
function controls(chart: ProcedureChart, line: FlowLine, word: string, name: string, at: Spot): number {
  if (!chart.all.some((p) => p.name === name)) report(chart, line, 'procedure', `There is no procedure ${name} here`);
  const told = word === 'await' ? [] : parseStatementsText(`send '${name}.${word}';`).value;
  const s = state(chart, nameOf(chart, line, `${word} ${name}`), at.parent, 'state', lineAt(chart, line), told);
  const over =
    word === 'await' ? readExpression(chart, `in(${name}.Finished) or in(${name}.Stopped)`, line) : undefined;
  go(chart, s, at.next, lineAt(chart, line), { triggers: over ? [trigger('when', over)] : [] });
  return s;
}

/** The steps of another procedure in place of a call, with quantities of its own. */
function inlined(chart: ProcedureChart, line: FlowLine, text: string, at: Spot): number {
  const wrong = (message: string): void => report(chart, line, 'procedure', message);
  const call = readCall(whole(text));
  const target = call && chart.all.find((p) => p.name === call.name.text);
  if (!call || !target) {
    wrong(`There is no procedure ${call?.name.text ?? text} here`);
    return at.next;
  }
  if (at.depth > deepestCall) {
    wrong(`${target.name} calls itself without end`);
    return at.next;
  }
  const own = new Map(target.values.map((v) => [v.name, fresh(chart, v.name, v.type, v.unit)]));
  const entry: Statement[] = target.values.flatMap((v): Statement[] => {
    const given = call.args.find((a) => a.name.text === v.name);
    const source = given ? given.value.text : v.value;
    const value = source.trim() === '' ? undefined : readExpression(chart, source, line);
    return value ? [assignment(own.get(v.name)!, given ? renamed(value, at) : value)] : [];
  });
  for (const a of call.args)
    if (!own.has(a.name.text))
      wrong(`${target.name} has no quantity ${a.name.text}${own.size ? `; it has ${[...own.keys()].join(', ')}` : ''}`);
  if (call.into !== undefined && target.result === '')
    wrong(`${target.name} has no result to put into ${call.into.text}`);
  const place = lineAt(chart, line);
  const s = state(chart, nameOf(chart, line, `call ${text}`), at.parent, 'state', place, entry);
  const { nodes } = readFlow({ id: target.id, lines: target.lines }, []);
  fill(chart, nodes, s, { ...at, names: own, depth: at.depth + 1 });
  const isWanted = call.into !== undefined && target.result !== '';
  const result = isWanted ? own.get(target.result) : undefined;
  if (isWanted && result === undefined) wrong(`${target.name} has no quantity ${target.result} for its result`);
  const back = result === undefined ? [] : parseStatementsText(`${call.into!.text} := ${result};`).value;
  go(chart, s, at.next, place, { triggers: [trigger('done')], effect: renamed(back, at) });
  return s;
}

function repeated(chart: ProcedureChart, { line, text, body }: Node<'repeat'>, at: Spot): number {
  const place = lineAt(chart, line);
  const repeat = readRepeat(whole(text));
  const head = state(chart, nameOf(chart, line, `repeat ${text}`), at.parent, 'choice', place);
  if (!repeat) {
    report(chart, line, 'procedure', 'How often? "repeat 3 times", "repeat while ...", "repeat until ..."');
    return at.next;
  }
  if (repeat.mode === 'times') return counted(chart, line, repeat.what.text, head, body, at);
  const value = readExpression(chart, repeat.what.text, line);
  const first = sequence(chart, body, { ...at, next: head });
  const isUntil = repeat.mode === 'until';
  const loop = (isAgain: boolean) => ({ isAgain, first: isUntil ? 1 : 0 });
  const guard = value ? { guard: renamed(value, at) } : {};
  go(chart, head, isUntil ? at.next : first, place, { ...guard, loop: loop(!isUntil) });
  go(chart, head, isUntil ? first : at.next, place, { otherwise: true, loop: loop(isUntil) });
  return isUntil ? first : head;
}

/** Rounds are counted in a quantity of the procedure. */
function counted(
  chart: ProcedureChart,
  line: FlowLine,
  times: string,
  head: number,
  body: readonly FlowNode[],
  at: Spot,
): number {
  const place = lineAt(chart, line);
  const limit = readExpression(chart, times, line);
  const counter = fresh(chart, 'round', 'Integer');
  const counting = (name: string, value: string): number =>
    state(
      chart,
      nameOf(chart, line, name),
      at.parent,
      'state',
      place,
      parseStatementsText(`${counter} := ${value};`).value,
    );
  const count = counting('next round', `${counter} + 1`);
  const first = sequence(chart, body, { ...at, next: count });
  go(chart, count, head, place);
  const more = limit && {
    kind: 'binary' as const,
    op: '<' as const,
    left: reference(counter),
    right: renamed(limit, at),
    span: limit.span,
  };
  go(chart, head, first, place, { ...(more && { guard: more }), loop: { isAgain: true, first: 0 } });
  go(chart, head, at.next, place, { otherwise: true, loop: { isAgain: false, first: 0 } });
  const begin = counting('first round', '0');
  go(chart, begin, head, place);
  return begin;
}

const span = { start: 0, end: 0 };
const reference = (name: string): Extract<Expr, { kind: 'ref' }> => ({
  kind: 'ref',
  global: false,
  parts: [{ name, subscripts: [], span }],
  span,
});
export const assignment = (name: string, value: Expr): Statement => ({
  kind: 'assign',
  target: reference(name),
  value,
  span,
});

/** Replaces first names of references. */
function renameRefs<T>(node: T, names: ReadonlyMap<string, string>): T {
  if (Array.isArray(node)) return node.map((n) => renameRefs(n, names)) as T;
  if (node === null || typeof node !== 'object') return node;
  const n = node as { kind?: string; parts?: readonly { name: string }[] };
  const copy = Object.fromEntries(
    Object.entries(node).map(([k, v]) => [k, typeof v === 'object' ? renameRefs(v as unknown, names) : v]),
  ) as Record<string, unknown>;
  if (n.kind === 'ref' && n.parts) {
    const [first, ...rest] = copy.parts as readonly { name: string }[];
    copy.parts = [{ ...first, name: names.get(first.name) ?? first.name }, ...rest];
  }
  return copy as T;
}
