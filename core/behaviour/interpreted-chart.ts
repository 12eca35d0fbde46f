import type { Expr, Statement } from '../language/ast';
import type { ChartEvent, ChartMachine } from './chart-machine';
import type { ChartRun, ChartRunOptions, Sent } from './chart-run-types';
import type { Services } from './chart-services';
import { structureOf, type ChartSource } from './chart-source';
import type { ChartStructure } from './chart-structure';
import { evaluate, execute, ExecutionError, truth, type Environment, type RunValue } from './interpreter';

/** Charts that can reach each other by address. */
export interface Sessions {
  count: number;
  readonly open: Map<string, ChartRun['hand']>;
}

/** A message that another chart gets after some time. */
interface Later {
  readonly due: number;
  readonly id: string | undefined;
  hand(): void;
}

/** What a chart that the interpreter runs remembers, beside its configuration in the machine. */
export interface InterpretedChart {
  readonly source: ChartSource;
  readonly structure: ChartStructure;
  readonly options: ChartRunOptions;
  readonly sessions: Sessions;
  /** Its name among the charts that can reach each other, and its address there. */
  readonly session: string;
  readonly address: string;
  readonly values: Map<string, RunValue>;
  readonly stateAt: ReadonlyMap<string, number>;
  /** A state counts as active while its entry and exit texts run. */
  readonly entered: Set<number>;
  /** The state whose entry text runs, and what final states of each state have handed over. */
  entering: number;
  readonly results: Map<string, RunValue>;
  /** Messages by the id under which they were sent. */
  readonly sentAs: Map<string, string>;
  /** What triggers by a change of value last saw. */
  readonly was: Map<string, RunValue>;
  time: number;
  problem: string | undefined;
  event: RunValue;
  /** To other charts, after some time. */
  later: Later[];
  /** Sent to itself from outside: handed over when it has come to rest and somebody looks again. */
  readonly soon: ChartEvent[];
  env: Environment;
  machine: ChartMachine;
  services: Services;
}

/** The environment, the machine and the services ask the chart in their turn, and are added to it. */
export function newInterpretedChart(
  source: ChartSource,
  options: ChartRunOptions,
  sessions: Sessions,
): Omit<InterpretedChart, 'env' | 'machine' | 'services'> {
  const session = `session${++sessions.count}`;
  const structure = structureOf(source);
  return {
    source,
    structure,
    options,
    sessions,
    session,
    address: `#_scxml_${session}`,
    values: new Map(),
    stateAt: new Map(structure.states.map((s, k) => [s.name, k])),
    entered: new Set(),
    entering: -1,
    results: new Map(),
    sentAs: new Map(),
    was: new Map(),
    time: options.time ?? 0,
    problem: undefined,
    event: undefined,
    later: [],
    soon: [],
  };
}

export const eventOf = (name: string, sent: Sent): ChartEvent => ({
  name,
  receivers: [0],
  sender: 0,
  args: [],
  data: sent,
});

/** What cannot be carried out becomes a message, as SCXML has it. */
export function raise(c: InterpretedChart, error: unknown): void {
  if (!(error instanceof ExecutionError)) throw error;
  c.machine.post(eventOf('error.execution', { data: error.message, type: 'platform' }), true);
}

function attempt<T>(c: InterpretedChart, work: () => T, otherwise: T): T {
  try {
    return work();
  } catch (error) {
    raise(c, error);
    return otherwise;
  }
}

export const runTexts = (c: InterpretedChart, statements: readonly Statement[]): void =>
  attempt(c, () => execute(statements, c.env), undefined);
export const evaluated = <T>(c: InterpretedChart, e: Expr, otherwise: T, read: (value: RunValue) => T): T =>
  attempt(c, () => read(evaluate(e, c.env)), otherwise);
export const holds = (c: InterpretedChart, e: Expr): boolean => evaluated(c, e, false, truth);
