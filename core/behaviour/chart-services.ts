import type { Statement } from '../language/ast';
import type { ChartProgram, ChartRun, ChartRunOptions, Sent, Service } from './chart-run-types';
import { evaluate, ExecutionError, type Environment } from './interpreter';

interface Running {
  readonly id: string;
  readonly state: number;
  readonly service: Service;
  readonly run: ChartRun;
}

export interface Services {
  /** Starts what belongs to states that have been entered, in document order. */
  begin(): void;
  /** Ends what belongs to a state that is left. */
  leave(state: number): void;
  /** A message is about to be looked at: `finalize` of its sender, and a copy for those that hear everything. */
  hear(name: string, sent: Sent): void;
  /** Lets them handle what waits for them; tells of those that have ended. */
  deliver(): void;
  advanceTo(time: number): void;
  nextTime(): number;
  /** The way to a running one. */
  receiver(id: string): ((name: string, sent: Sent) => void) | undefined;
  endAll(): void;
}

const kinds = new Set(['scxml', 'http://www.w3.org/TR/scxml', 'http://www.w3.org/TR/scxml/']);

/** What the services of a chart ask of it. */
export interface ServiceHost {
  readonly env: Environment;
  readonly time: () => number;
  isEntered(state: number): boolean;
  stateOf(name: string): number | undefined;
  /** Puts a message among those from outside. */
  hand(name: string, sent: Sent): void;
  run(statements: readonly Statement[]): void;
  raise(error: unknown): void;
  start(program: ChartProgram, options: ChartRunOptions): ChartRun;
}

export function createServices(services: readonly Service[], host: ServiceHost): Services {
  let running: Running[] = [];
  /** Services whose state has been entered and that have been started, ended ones included. */
  const begun = new Set<Service>();
  let count = 0;

  const open = (service: Service, state: number): void => {
    const { env } = host;
    const way = service.way && evaluate(service.way, env);
    if (way !== undefined && !kinds.has(String(way)))
      throw new ExecutionError(`There is no service of the kind ${String(way)}`);
    const id = service.id ?? `${service.state}.service${++count}`;
    if (service.id === undefined && service.idPlace !== undefined) env.set(service.idPlace, id);
    const values = new Map(service.values.map((x) => [x.name, evaluate(x.value, env)]));
    const program = service.open(env);
    if (!program) throw new ExecutionError(`The chart of the service of ${service.state} cannot be found`);
    const run = host.start(program, {
      values,
      time: host.time(),
      parent: {
        id,
        hand: (name, sent) =>
          running.some((r) => r.run === run) && host.hand(name, { ...sent, invokeid: id, origin: `#_${id}` }),
      },
    });
    running.push({ id, state, service, run });
    run.start();
  };

  const end = (r: Running): void => {
    running = running.filter((x) => x !== r);
    r.run.finish();
  };

  return {
    begin() {
      for (const service of services) {
        const state = host.stateOf(service.state);
        if (state === undefined || begun.has(service) || !host.isEntered(state)) continue;
        begun.add(service);
        try {
          open(service, state);
        } catch (error) {
          host.raise(error);
        }
      }
    },
    leave(state) {
      for (const service of services) if (host.stateOf(service.state) === state) begun.delete(service);
      for (const r of running.filter((x) => x.state === state)) end(r);
    },
    hear(name, sent) {
      for (const r of running) {
        if (sent.invokeid === r.id) host.run(r.service.finalize);
        if (r.service.forwards && sent.type === 'external') r.run.hand(name, sent);
      }
    },
    deliver() {
      for (const r of [...running]) {
        r.run.deliver();
        if (!r.run.ended()) continue;
        // what it says on its way out still arrives
        r.run.finish();
        running = running.filter((x) => x !== r);
        host.hand(`done.invoke.${r.id}`, { data: r.run.result(), type: 'external', invokeid: r.id });
      }
    },
    advanceTo(time) {
      for (const r of running) if (r.run.time < time) r.run.advance(time - r.run.time);
    },
    nextTime: () => Math.min(Infinity, ...running.map((r) => r.run.nextTime())),
    receiver: (id) => {
      const found = running.find((r) => r.id === id);
      return found && ((name, sent) => found.run.hand(name, sent));
    },
    endAll() {
      for (const r of [...running]) end(r);
    },
  };
}
