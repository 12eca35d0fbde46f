import type { Statement } from '../language/ast';
import type { ChartProgram, ChartRun, RunOptions, Sent } from './chart-run-types';
import { createServices } from './chart-services';
import { createChartMachine, type ChartEvent, type ChartHost, type ChartMachine } from './chart-machine';
import { structureOf } from './chart-source';
import { evaluate, execute, ExecutionError, seconds, truth, type Environment, type Value } from './interpreter';

/** Charts that can reach each other by address. */
interface Sessions {
  count: number;
  readonly open: Map<string, ChartRun['hand']>;
}

/** What SCXML calls the ways in; there is one. */
const processor = 'http://www.w3.org/TR/scxml/#SCXMLEventProcessor';

/** Runs a chart with the interpreter. What cannot be carried out becomes the message `error.execution`, as SCXML has it. */
export function createChartRun(
  { source, services: known }: ChartProgram,
  options: RunOptions = {},
  sessions: Sessions = { count: 0, open: new Map() },
): ChartRun {
  const session = `session${++sessions.count}`;
  const address = `#_scxml_${session}`;
  const processors: Value = { [processor]: { location: address }, scxml: { location: address } };
  const structure = structureOf(source);
  const values = new Map<string, Value>();
  /** A state counts as active while its entry and exit texts run. */
  const entered = new Set<number>();
  const stateAt = new Map(structure.states.map((s, k) => [s.name, k]));
  let time = options.time ?? 0;
  let problem: string | undefined;
  let event: Value = undefined;
  /** The state whose entry text runs, and what final states of each state have handed over. */
  let entering = -1;
  const results = new Map<string, Value>();
  const sentAs = new Map<string, string>();

  const fixed: Readonly<Record<string, () => Value>> = {
    event: () => event,
    time: () => time,
    _name: () => source.name,
    _sessionid: () => session,
    _ioprocessors: () => processors,
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
      if (after === undefined) machine.post(eventOf(node.message, { data, type: 'internal' }), true);
      else handOver(node.message, data, after);
    },
    dispatch({ event: name, receiver: to, way, id, data, after = 0 }) {
      if (way !== undefined && way !== processor && way !== `${processor}/` && way !== 'scxml')
        throw new ExecutionError(`Messages cannot be sent by way of ${String(way)}`);
      const sendid = id === undefined ? undefined : String(id);
      if (sendid !== undefined) sentAs.set(sendid, name);
      if (to === '#_internal')
        machine.post(eventOf(name, { data, type: 'internal', ...(sendid !== undefined && { sendid }) }), true);
      else if (to === undefined || to === address) handOver(name, data, after, sendid);
      else if (typeof to !== 'string' || !to.startsWith('#_'))
        throw new ExecutionError(`${String(to)} is nobody a message can be sent to`);
      else if (after > 0) later.push({ due: time + after, id: sendid, hand: () => toOther(to, name, data, sendid) });
      else toOther(to, name, data, sendid);
    },
    withdraw: (id) => withdraw(id),
    result(value) {
      const { parent } = source.states[entering] ?? { parent: -1 };
      results.set(parent >= 0 ? `done.state.${source.states[parent].name}` : '', value);
    },
    cancel: (message) => withdraw(message),
  };
  const eventOf = (name: string, sent: Sent): ChartEvent => ({ name, receivers: [0], sender: 0, args: [], data: sent });
  /** A message to itself that waits its turn among those from outside. */
  const handOver = (name: string, data: Value, after: number, sendid?: string): void => {
    const sent = eventOf(name, { data, type: 'external', origin: address, ...(sendid !== undefined && { sendid }) });
    if (after > 0) machine.postLater(sent, time + after);
    else soon.push(sent);
  };
  /** To other charts, after some time. */
  let later: { readonly due: number; readonly id: string | undefined; hand(): void }[] = [];
  const withdraw = (id: string): void => {
    machine.cancel(0, sentAs.get(id) ?? id);
    later = later.filter((x) => x.id !== id);
  };
  const receiver = (to: string): ChartRun['hand'] | undefined => {
    if (to === '#_parent') return options.parent?.hand;
    return sessions.open.get(to.replace(/^#_scxml_/, '')) ?? services.receiver(to.replace(/^#_/, ''));
  };
  const toOther = (to: string, name: string, data: Value, sendid: string | undefined): void => {
    const named = sendid !== undefined && { sendid };
    const other = receiver(to);
    if (other) other(name, { data, type: 'external', origin: address, ...named });
    else
      machine.post(
        eventOf('error.communication', { data: `Nobody is there at ${to}`, type: 'platform', ...named }),
        true,
      );
  };
  const raise = (error: unknown): void => {
    if (!(error instanceof ExecutionError)) throw error;
    machine.post(eventOf('error.execution', { data: error.message, type: 'platform' }), true);
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
      return kind === 'rises'
        ? truth(now) && was.has(key) && !truth(was.get(key))
        : was.has(key) && was.get(key) !== now;
    },
    delay: (_, t, k) => amount(t, k),
    period: () => (source.period ? seconds(evaluate(source.period, env)) : Infinity),
    act(_, action) {
      const state = source.states[action.index];
      if (action.kind === 'enter') {
        entered.add(action.index);
        entering = action.index;
        run(state.entry);
      } else if (action.kind === 'exit') {
        run(state.exit);
        entered.delete(action.index);
        services.leave(action.index);
      } else if (action.kind === 'do') run(state.do);
      else run(source.transitions[action.index].effect);
    },
    begin(e) {
      const sent = e.data as Sent | undefined;
      const data = sent ? sent.data : results.get(e.name);
      if (!sent) results.delete(e.name);
      event = {
        name: e.name,
        data,
        type: sent?.type ?? 'internal',
        sendid: sent?.sendid,
        origin: sent?.origin,
        origintype: sent?.origin === undefined ? undefined : processor,
        invokeid: sent?.invokeid,
      };
      if (sent) services.hear(e.name, sent);
    },
    receive(_, e) {
      const data = (e.data as Sent | undefined)?.data;
      if (data === null || typeof data !== 'object' || Array.isArray(data)) return;
      for (const name of source.arguments)
        if (name in data) values.set(name, (data as { [name: string]: Value })[name]);
    },
    took: () => undefined,
    settle: () => problem === undefined,
    looked() {
      source.transitions.forEach((t, j) =>
        t.triggers.forEach((g, k) => {
          if ((g.kind !== 'rises' && g.kind !== 'changes') || !g.value) return;
          try {
            was.set(`${j}/${k}`, evaluate(g.value, env));
          } catch (error) {
            if (!(error instanceof ExecutionError)) throw error;
          }
        }),
      );
    },
    handled: () => undefined,
    endless: (_, states) => void (problem = `It never comes to rest: ${states.join(' -> ')}`),
  };
  const machine: ChartMachine = createChartMachine(
    [
      {
        name: source.name,
        structure,
        part: 0,
        defers: source.states.map((s) => s.defers),
        hasDo: source.states.some((s) => s.do.length > 0),
      },
    ],
    host,
  );

  /** Sent to itself from outside: handed over when it has come to rest and somebody looks again. */
  const soon: ChartEvent[] = [];
  const look = (): void => {
    machine.run();
    if (machine.ended(0)) services.endAll();
    else services.begin();
  };
  const deliver = (): void => {
    look();
    for (let k = 0; k < 10_000; k++) {
      if (soon.length === 0) services.deliver();
      if (soon.length === 0 || machine.ended(0)) return;
      machine.post(soon.shift()!);
      look();
    }
  };
  const nextTime = (): number => Math.min(machine.nextTime(), services.nextTime(), ...later.map((x) => x.due));
  const services = createServices(known, {
    env,
    run,
    raise,
    time: () => time,
    isEntered: (state) => entered.has(state),
    stateOf: (name) => stateAt.get(name),
    hand: (name, sent) => void soon.push(eventOf(name, sent)),
    start: (program, given) => createChartRun(program, given, sessions),
  });
  sessions.open.set(session, (name, sent) => void soon.push(eventOf(name, sent)));

  return {
    structure,
    get time() {
      return time;
    },
    get problem() {
      return problem;
    },
    active: () => machine.configuration(0).leaves.map((s) => structure.states[s].name),
    value: (name) => values.get(name),
    ended: () => machine.ended(0),
    start() {
      for (const v of source.values) values.set(v.name, undefined);
      for (const a of source.arguments) if (!values.has(a)) values.set(a, undefined);
      for (const v of source.values) {
        const given = options.values?.has(v.name);
        if (given) values.set(v.name, options.values!.get(v.name));
        if (given || !v.value) continue;
        try {
          values.set(v.name, evaluate(v.value, env));
        } catch (error) {
          raise(error);
        }
      }
      machine.start();
      look();
    },
    send(name, data) {
      deliver();
      machine.post(eventOf(name, { data, type: 'external' }));
      look();
    },
    advance(amountOfTime) {
      const until = time + amountOfTime;
      deliver();
      while (problem === undefined) {
        const next = nextTime();
        if (!(next <= until)) break;
        time = next;
        services.advanceTo(time);
        const due = later.filter((x) => x.due <= time);
        later = later.filter((x) => x.due > time);
        for (const x of due) x.hand();
        deliver();
      }
      time = until;
      services.advanceTo(until);
    },
    nextTime,
    hand: (name, sent) => void soon.push(eventOf(name, sent)),
    deliver,
    result: () => results.get(''),
    finish() {
      services.endAll();
      for (const state of [...entered].sort((a, b) => b - a)) run(source.states[state].exit);
      entered.clear();
      sessions.open.delete(session);
    },
  };
}
