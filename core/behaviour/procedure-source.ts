import { readFlow, type FlowNode } from '../flows/read-flow';
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
import type { Expr, Statement } from '../language/ast';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { parseExpressionText, parseStatementsText } from '../language/parse';
import type { FlowLine, Procedure } from '../project/project';
import {
  readMessage,
  type ChartSource,
  type StateSource,
  type TransitionSource,
  type TriggerSource,
  type ValueSource,
} from './chart-source';

/**
 * Procedures are run as state charts: every step is a state, the token of a procedure is its active state, and a split is a
 * state whose lanes are active together. So one set of rules (docs/state-charts.md) holds for both, and whatever watches
 * charts watches procedures. Around the steps stand four states: Waiting, Running, Finished, Stopped.
 */

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

const deepestCall = 12;

/** Reads the lines of a procedure as a chart that runs them. */
export function readProcedure(
  procedure: Procedure,
  all: readonly Procedure[],
  place: string,
  problems: Problem[],
): ChartSource {
  const states: StateSource[] = [];
  const transitions: TransitionSource[] = [];
  const values: ValueSource[] = [];
  const messageArguments = new Set<string>();
  const report = (line: FlowLine, code: string, message: string): void =>
    void problems.push({ ...problem('error', code, message), place: `${place}/line/${line.id}` });
  const expression = (text: string, line: FlowLine): Expr | undefined => {
    const parsed = parseExpressionText(text);
    problems.push(...atPlace(`${place}/line/${line.id}`, parsed.problems));
    return parsed.problems.length > 0 ? undefined : parsed.value;
  };
  const numberOf = new Map(procedure.lines.map((l, k) => [l.id, k + 1]));
  const taken = new Set<string>();
  const nameOf = (line: FlowLine, what: string): string => {
    const words = what
      .replace(/[^\p{L}\p{N}:=<>+*() -]/gu, ' ')
      .replace(/\s+/g, ' ')
      .trim();
    const base = `${numberOf.get(line.id) ?? ''} ${words.length > 26 ? `${words.slice(0, 25)}…` : words}`.trim();
    let name = base;
    for (let k = 2; taken.has(name); k++) name = `${base} (${k})`;
    taken.add(name);
    return name;
  };
  const state = (
    name: string,
    parent: number,
    kind: StateSource['kind'],
    at: string,
    entry: readonly Statement[] = [],
  ): number => states.push({ name, parent, kind, initial: false, entry, do: [], exit: [], defers: [], place: at }) - 1;
  const go = (from: number, to: number, at: string, more: Partial<TransitionSource> = {}): void =>
    void transitions.push({
      from,
      targets: [to],
      internal: false,
      triggers: [],
      otherwise: false,
      effect: [],
      place: at,
      via: [],
      ...more,
    });
  const trigger = (kind: TriggerSource['kind'], value?: Expr, message = ''): TriggerSource => ({
    kind,
    message,
    ...(value && { value }),
  });
  const lineAt = (line: FlowLine): string => `${place}/line/${line.id}`;
  const fresh = (base: string, type: ValueSource['type'], unit = ''): string => {
    let name = base;
    for (let k = 2; values.some((v) => v.name === name); k++) name = `${base}${k}`;
    values.push({ name, type, unit, place });
    return name;
  };
  for (const v of procedure.values) {
    const at = `${place}/value/${v.id}`;
    const parsed = v.value.trim() === '' ? undefined : parseExpressionText(v.value);
    if (parsed) problems.push(...atPlace(at, parsed.problems));
    values.push({
      name: v.name,
      type: v.type,
      unit: v.unit,
      place: at,
      ...(parsed && parsed.problems.length === 0 && { value: parsed.value }),
    });
  }

  /** Names of an inlined procedure that stand for other variables. */
  type Renames = ReadonlyMap<string, string>;
  const renamed = <T>(node: T, names: Renames): T => (names.size === 0 ? node : renameRefs(node, names));

  /** Steps one after the other, then `next`; the state they begin with. */
  const sequence = (nodes: readonly FlowNode[], parent: number, next: number, names: Renames, depth: number): number =>
    [...nodes].reverse().reduce((after, node) => one(node, parent, after, names, depth), next);

  const finished = (parent: number): number =>
    state(nameOf({ id: '', depth: 0, text: '' }, 'end'), parent, 'final', place);

  const one = (node: FlowNode, parent: number, next: number, names: Renames, depth: number): number => {
    switch (node.kind) {
      case 'step': {
        const step = readStep(whole(node.text));
        const control = readControl(step.action);
        if (control) return controls(node.line, control.word, control.procedure.text, parent, next);
        const read = stepStatements(step.action.text);
        problems.push(...atPlace(lineAt(node.line), read.problems));
        const s = state(
          nameOf(node.line, step.action.text || node.text),
          parent,
          'state',
          lineAt(node.line),
          renamed(read.statements, names),
        );
        go(s, next, lineAt(node.line));
        return s;
      }
      case 'wait': {
        const s = state(
          nameOf(node.line, `wait ${node.mode === 'time' ? '' : `${node.mode} `}${node.text}`),
          parent,
          'state',
          lineAt(node.line),
        );
        if (node.mode === 'for') {
          const message = readMessage(node.text);
          if (!message)
            report(
              node.line,
              'procedure',
              `"${node.text}" is not the name of a message; for a condition write "wait until ..."`,
            );
          message?.args.forEach((a) => messageArguments.add(a));
          go(s, next, lineAt(node.line), { triggers: [trigger('message', undefined, message?.name ?? node.text)] });
          return s;
        }
        const value =
          node.text.trim() === ''
            ? undefined
            : expression(node.mode === 'time' ? timeText(node.text) : node.text, node.line);
        go(s, next, lineAt(node.line), {
          triggers: value ? [trigger(node.mode === 'time' ? 'after' : 'when', renamed(value, names))] : [],
        });
        return s;
      }
      case 'call':
        return inlined(node.line, node.name, parent, next, names, depth);
      case 'choice': {
        const [first] = node.branches;
        const s = state(nameOf(first.line, `if ${first.guard}`), parent, 'choice', lineAt(first.line));
        node.branches.forEach((b) => {
          const entry = sequence(b.body, parent, next, names, depth);
          const guard = b.guard === '' ? undefined : expression(b.guard, b.line);
          go(s, entry, lineAt(b.line), { otherwise: b.guard === '', ...(guard && { guard: renamed(guard, names) }) });
        });
        if (!node.branches.some((b) => b.guard === '')) go(s, next, lineAt(first.line), { otherwise: true });
        return s;
      }
      case 'parallel': {
        const s = state(nameOf(node.line, 'together'), parent, 'parallel', lineAt(node.line));
        node.lanes.forEach((lane, k) => {
          const region = state(nameOf(lane.line, lane.name || `way ${k + 1}`), s, 'state', lineAt(lane.line));
          const entry = sequence(lane.body, region, finished(region), names, depth);
          states[entry] = { ...states[entry], initial: true };
        });
        go(s, next, lineAt(node.line), { triggers: [trigger('done')] });
        return s;
      }
      case 'repeat':
        return repeated(node, parent, next, names, depth);
      case 'abort': {
        const s = state(nameOf(node.line, `abort on ${node.event}`), parent, 'state', lineAt(node.line));
        const entry = sequence(node.body, s, finished(s), names, depth);
        states[entry] = { ...states[entry], initial: true };
        go(s, next, lineAt(node.line), { triggers: [trigger('done')] });
        const byMessage = abortsOnMessage(node.line.text) ? readMessage(node.event) : undefined;
        if (byMessage) go(s, next, lineAt(node.line), { triggers: [trigger('message', undefined, byMessage.name)] });
        else {
          const value = expression(node.event, node.line);
          if (value) go(s, next, lineAt(node.line), { triggers: [trigger('when', renamed(value, names))] });
        }
        return s;
      }
    }
  };

  /** `start`, `stop` and `await` another procedure of the part. */
  const controls = (line: FlowLine, word: string, name: string, parent: number, next: number): number => {
    if (!all.some((p) => p.name === name)) report(line, 'procedure', `There is no procedure ${name} here`);
    const s = state(
      nameOf(line, `${word} ${name}`),
      parent,
      'state',
      lineAt(line),
      word === 'await' ? [] : parseStatementsText(`send '${name}.${word}';`).value,
    );
    const over = word === 'await' ? expression(`in(${name}.Finished) or in(${name}.Stopped)`, line) : undefined;
    go(s, next, lineAt(line), { triggers: over ? [trigger('when', over)] : [] });
    return s;
  };

  /** The steps of another procedure in place of a call, with quantities of its own. */
  const inlined = (
    line: FlowLine,
    text: string,
    parent: number,
    next: number,
    names: Renames,
    depth: number,
  ): number => {
    const call = readCall(whole(text));
    const target = call && all.find((p) => p.name === call.name.text);
    if (!call || !target) {
      report(line, 'procedure', `There is no procedure ${call?.name.text ?? text} here`);
      return next;
    }
    if (depth > deepestCall) {
      report(line, 'procedure', `${target.name} calls itself without end`);
      return next;
    }
    const own = new Map(target.values.map((v) => [v.name, fresh(v.name, v.type, v.unit)]));
    const entry: Statement[] = target.values.flatMap((v): Statement[] => {
      const given = call.args.find((a) => a.name.text === v.name);
      const source = given ? given.value.text : v.value;
      const value = source.trim() === '' ? undefined : expression(source, line);
      return value ? [assign(own.get(v.name)!, given ? renamed(value, names) : value)] : [];
    });
    for (const a of call.args)
      if (!own.has(a.name.text))
        report(
          line,
          'procedure',
          `${target.name} has no quantity ${a.name.text}${own.size ? `; it has ${[...own.keys()].join(', ')}` : ''}`,
        );
    if (call.into !== undefined && target.result === '')
      report(line, 'procedure', `${target.name} has no result to put into ${call.into.text}`);
    const s = state(nameOf(line, `call ${text}`), parent, 'state', lineAt(line), entry);
    const body = readFlow({ id: target.id, lines: target.lines }, []);
    const first = sequence(body.nodes, s, finished(s), own, depth + 1);
    states[first] = { ...states[first], initial: true };
    const result = call.into !== undefined && target.result !== '' ? own.get(target.result) : undefined;
    if (call.into !== undefined && target.result !== '' && result === undefined)
      report(line, 'procedure', `${target.name} has no quantity ${target.result} for its result`);
    const back = result === undefined ? [] : parseStatementsText(`${call.into!.text} := ${result};`).value;
    go(s, next, lineAt(line), { triggers: [trigger('done')], effect: renamed(back, names) });
    return s;
  };

  const repeated = (
    node: Extract<FlowNode, { kind: 'repeat' }>,
    parent: number,
    next: number,
    names: Renames,
    depth: number,
  ): number => {
    const { line } = node;
    const repeat = readRepeat(whole(node.text));
    const head = state(nameOf(line, `repeat ${node.text}`), parent, 'choice', lineAt(line));
    if (repeat?.mode === 'times') {
      const limit = expression(repeat.what.text, line);
      const counter = fresh('round', 'Integer');
      const count = state(
        nameOf(line, 'next round'),
        parent,
        'state',
        lineAt(line),
        parseStatementsText(`${counter} := ${counter} + 1;`).value,
      );
      const body = sequence(node.body, parent, count, names, depth);
      go(count, head, lineAt(line));
      const more = limit && {
        kind: 'binary' as const,
        op: '<' as const,
        left: reference(counter),
        right: renamed(limit, names),
        span: limit.span,
      };
      go(head, body, lineAt(line), more ? { guard: more } : {});
      go(head, next, lineAt(line), { otherwise: true });
      const begin = state(
        nameOf(line, 'first round'),
        parent,
        'state',
        lineAt(line),
        parseStatementsText(`${counter} := 0;`).value,
      );
      go(begin, head, lineAt(line));
      return begin;
    }
    if (!repeat) {
      report(line, 'procedure', 'How often? "repeat 3 times", "repeat while ...", "repeat until ..."');
      return next;
    }
    const value = expression(repeat.what.text, line);
    const body = sequence(node.body, parent, head, names, depth);
    const isUntil = repeat.mode === 'until';
    go(head, isUntil ? next : body, lineAt(line), value ? { guard: renamed(value, names) } : {});
    go(head, isUntil ? body : next, lineAt(line), { otherwise: true });
    return isUntil ? body : head;
  };

  const waiting = state('Waiting', -1, 'state', place);
  const running = state('Running', -1, 'state', place);
  const over = state('Finished', -1, 'state', place);
  const stopped = state('Stopped', -1, 'state', place);
  ['Waiting', 'Running', 'Finished', 'Stopped'].forEach((n) => taken.add(n));
  states[procedure.main ? running : waiting] = { ...states[procedure.main ? running : waiting], initial: true };
  const read = readFlow(
    { id: procedure.id, lines: procedure.lines },
    all.map((p) => ({ id: p.id, name: p.name, lines: p.lines })),
  );
  // calls are checked here, with their arguments
  for (const p of read.problems)
    if (!/^There is no flow|comes back to this flow/.test(p.message))
      problems.push({ ...problem('error', 'procedure', p.message), place: `${place}/line/${p.line}` });
  const first = sequence(read.nodes, running, finished(running), new Map(), 0);
  states[first] = { ...states[first], initial: true };
  for (const s of [waiting, over, stopped])
    go(s, running, place, { triggers: [trigger('message', undefined, `${procedure.name}.start`)] });
  go(running, over, place, { triggers: [trigger('done')] });
  go(running, stopped, place, { triggers: [trigger('message', undefined, `${procedure.name}.stop`)] });
  // a number given when a quantity of the procedure starts is given again with every start
  const reset = procedure.values.flatMap((v): Statement[] => {
    const parsed = v.value.trim() === '' ? undefined : parseExpressionText(v.value);
    return parsed && parsed.problems.length === 0 ? [assign(v.name, parsed.value)] : [];
  });
  states[running] = { ...states[running], entry: reset };
  return {
    name: procedure.name,
    place,
    values,
    states,
    transitions: [...transitions.filter((t) => !t.otherwise), ...transitions.filter((t) => t.otherwise)],
    arguments: [...messageArguments],
    isProcedure: true,
  };
}

const span = { start: 0, end: 0 };
const reference = (name: string): Extract<Expr, { kind: 'ref' }> => ({
  kind: 'ref',
  global: false,
  parts: [{ name, subscripts: [], span }],
  span,
});
const assign = (name: string, value: Expr): Statement => ({ kind: 'assign', target: reference(name), value, span });

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
