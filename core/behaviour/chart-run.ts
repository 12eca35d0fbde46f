import type { Statement } from '../language/ast';
import { createChartMachine, type ChartEvent, type ChartHost, type ChartMachine } from './chart-machine';
import { structureOf, type ChartSource } from './chart-source';
import type { ChartStructure } from './chart-structure';
import { evaluate, execute, ExecutionError, seconds, truth, type Environment, type Value } from './interpreter';

/** One chart on its own, in time that passes only when told to. */
export interface ChartRun {
  readonly structure: ChartStructure;
  readonly time: number;
  /** Names of the innermost active states, in document order. */
  active(): string[];
  value(name: string): Value;
  ended(): boolean;
  start(): void;
  send(name: string, data?: Value): void;
  /** Lets time pass, with everything that is due on the way. */
  advance(seconds: number): void;
  /** The next time at which something is due by itself. */
  nextTime(): number;
  /** Set where the chart does not come to rest. */
  readonly problem: string | undefined;
}

interface Sent {
  readonly data: Value;
  readonly type: 'internal' | 'external' | 'platform';
}

/** What SCXML calls the ways in; there is one, and nobody else is there to use it. */
const processors: Value = { 'http://www.w3.org/TR/scxml/#SCXMLEventProcessor': { location: '#_scxml_session' }, scxml: { location: '#_scxml_session' } };

/** Runs a chart with the interpreter. What cannot be carried out becomes the message `error.execution`, as SCXML has it. */
export function createChartRun(source: ChartSource): ChartRun {
  const structure = structureOf(source);
  const values = new Map<string, Value>();
  /** A state counts as active while its entry and exit texts run. */
  const entered = new Set<number>();
  const stateAt = new Map(structure.states.map((s, k) => [s.name, k]));
  let time = 0;
  let problem: string | undefined;
  let event: Value = undefined;

  const fixed: Readonly<Record<string, () => Value>> = {
    event: () => event, time: () => time, _name: () => source.name, _sessionid: () => 'session', _ioprocessors: () => processors,
  };
  const env: Environment = {
    has: (name) => values.has(name) || name in fixed,
    get: (name) => (values.has(name) ? values.get(name) : fixed[name]?.()),
    set(name, value) {
      if (name in fixed) throw new ExecutionError(`${name} cannot be changed`);
      values.set(name, value);
    },
    declare: (name, value) => void (values.has(name) || values.set(name, value)),
    isActive: (name) => stateAt.has(name) && entered.has(stateAt.get(name)!),
    send(node, args, after) {
      if (node.receiver) throw new ExecutionError(`There is no ${node.receiver.parts[0].name} here`);
      const data: Value = 'content' in args ? args.content : Object.keys(args).length > 0 ? args : undefined;
      const sent = eventOf(node.message, data, after === undefined ? 'internal' : 'external');
      if (after === undefined) machine.post(sent, true);
      else if (after > 0) machine.postLater(sent, time + after);
      else soon.push(sent);
    },
    cancel: (message) => machine.cancel(0, message),
  };
  const eventOf = (name: string, data: Value, type: Sent['type']): ChartEvent => ({ name, receivers: [0], sender: 0, args: [], data: { data, type } satisfies Sent });
  const raise = (error: unknown): void => {
    if (!(error instanceof ExecutionError)) throw error;
    machine.post(eventOf('error.execution', error.message, 'platform'), true);
  };
  const run = (statements: readonly Statement[]): void => {
    try {
      execute(statements, env);
    } catch (error) {
      raise(error);
    }
  };
  const condition = (e: Parameters<typeof evaluate>[0]): boolean => {
    try {
      return truth(evaluate(e, env));
    } catch (error) {
      raise(error);
      return false;
    }
  };
  const was = new Map<string, Value>();
  const amount = (t: number, k: number): number => {
    const { value } = source.transitions[t].triggers[k];
    try {
      return value ? seconds(evaluate(value, env)) : 0;
    } catch (error) {
      raise(error);
      return NaN;
    }
  };
  const host: ChartHost = {
    now: () => time,
    guard(_, t) {
      const { guard } = source.transitions[t];
      return guard === undefined || condition(guard);
    },
    condition(_, t, k) {
      const { kind, value } = source.transitions[t].triggers[k];
      if (!value) return false;
      if (kind === 'when') return condition(value);
      const key = `${t}/${k}`;
      let now: Value;
      try {
        now = evaluate(value, env);
      } catch (error) {
        raise(error);
        return false;
      }
      return kind === 'rises' ? truth(now) && was.has(key) && !truth(was.get(key)) : was.has(key) && was.get(key) !== now;
    },
    delay: (_, t, k) => amount(t, k),
    period: () => (source.period ? seconds(evaluate(source.period, env)) : Infinity),
    act(_, action) {
      const state = source.states[action.index];
      if (action.kind === 'enter') {
        entered.add(action.index);
        run(state.entry);
      } else if (action.kind === 'exit') {
        run(state.exit);
        entered.delete(action.index);
      } else if (action.kind === 'during') run(state.during);
      else run(source.transitions[action.index].effect);
    },
    begin(e) {
      const sent = e.data as Sent | undefined;
      event = { name: e.name, data: sent?.data, type: sent?.type ?? 'internal', sendid: undefined, origin: undefined, origintype: undefined, invokeid: undefined };
    },
    receive(_, e) {
      const data = (e.data as Sent | undefined)?.data;
      if (data === null || typeof data !== 'object' || Array.isArray(data)) return;
      for (const name of source.arguments) if (name in data) values.set(name, (data as { [name: string]: Value })[name]);
    },
    took: () => undefined,
    settle: () => problem === undefined,
    looked() {
      source.transitions.forEach((t, j) => t.triggers.forEach((g, k) => {
        if ((g.kind !== 'rises' && g.kind !== 'changes') || !g.value) return;
        try {
          was.set(`${j}/${k}`, evaluate(g.value, env));
        } catch (error) {
          if (!(error instanceof ExecutionError)) throw error;
        }
      }));
    },
    handled: () => undefined,
    endless: (_, states) => void (problem = `It never comes to rest: ${states.join(' -> ')}`),
  };
  const machine: ChartMachine = createChartMachine([{ name: source.name, structure, part: 0, defers: source.states.map((s) => s.defers), hasDuring: source.states.some((s) => s.during.length > 0) }], host);

  /** Sent to itself from outside: handed over when it has come to rest and somebody looks again. */
  const soon: ChartEvent[] = [];
  const deliver = (): void => {
    machine.run();
    for (let k = 0; soon.length > 0 && k < 10_000; k++) {
      machine.post(soon.shift()!);
      machine.run();
    }
  };

  return {
    structure,
    get time() { return time; },
    get problem() { return problem; },
    active: () => machine.configuration(0).leaves.map((s) => structure.states[s].name),
    value: (name) => values.get(name),
    ended: () => machine.ended(0),
    start() {
      for (const v of source.values) values.set(v.name, undefined);
      for (const a of source.arguments) if (!values.has(a)) values.set(a, undefined);
      for (const v of source.values) {
        if (!v.value) continue;
        try {
          values.set(v.name, evaluate(v.value, env));
        } catch (error) {
          raise(error);
        }
      }
      machine.start();
      machine.run();
    },
    send(name, data) {
      deliver();
      machine.post(eventOf(name, data, 'external'));
      machine.run();
    },
    advance(amountOfTime) {
      const until = time + amountOfTime;
      deliver();
      while (problem === undefined) {
        const next = machine.nextTime();
        if (!(next <= until)) break;
        time = next;
        machine.run();
        deliver();
      }
      time = until;
    },
    nextTime: () => machine.nextTime(),
  };
}
