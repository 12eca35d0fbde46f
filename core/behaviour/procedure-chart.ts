import type { Expr, Statement } from '../language/ast';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import type { FlowLine, Procedure } from '../project/project';
import type { ChartStateSource, TransitionSource, TriggerSource, ValueSource } from './chart-source';

/** The chart of a procedure in the making. */
export interface ProcedureChart {
  /** Procedures of the same part, which it can call. */
  readonly all: readonly Procedure[];
  readonly place: string;
  readonly problems: Problem[];
  readonly states: ChartStateSource[];
  readonly transitions: TransitionSource[];
  readonly values: ValueSource[];
  /** Names that messages bring along. */
  readonly messageArguments: Set<string>;
  /** Numbers of lines by their id, and names of states so far. */
  readonly numberOf: ReadonlyMap<string, number>;
  readonly taken: Set<string>;
}

export const newProcedureChart = (
  procedure: Procedure,
  all: readonly Procedure[],
  place: string,
  problems: Problem[],
): ProcedureChart => ({
  all,
  place,
  problems,
  states: [],
  transitions: [],
  values: [],
  messageArguments: new Set(),
  numberOf: new Map(procedure.lines.map((l, k) => [l.id, k + 1])),
  taken: new Set(),
});

export const report = (chart: ProcedureChart, line: FlowLine, code: string, message: string): void =>
  void chart.problems.push({ ...problem('error', code, message), place: `${chart.place}/line/${line.id}` });
export function readExpression(chart: ProcedureChart, text: string, line: FlowLine): Expr | undefined {
  const parsed = parseExpressionText(text);
  chart.problems.push(...atPlace(`${chart.place}/line/${line.id}`, parsed.problems));
  return parsed.problems.length > 0 ? undefined : parsed.value;
}

export function nameOf(chart: ProcedureChart, line: FlowLine, what: string): string {
  const words = what
    .replace(/[^\p{L}\p{N}:=<>+*() -]/gu, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  const base = `${chart.numberOf.get(line.id) ?? ''} ${words.length > 26 ? `${words.slice(0, 25)}…` : words}`.trim();
  let name = base;
  for (let k = 2; chart.taken.has(name); k++) name = `${base} (${k})`;
  chart.taken.add(name);
  return name;
}

export const state = (
  chart: ProcedureChart,
  name: string,
  parent: number,
  kind: ChartStateSource['kind'],
  at: string,
  entry: readonly Statement[] = [],
): number =>
  chart.states.push({ name, parent, kind, initial: false, entry, do: [], exit: [], defers: [], place: at }) - 1;
export const finished = (chart: ProcedureChart, parent: number): number =>
  state(chart, nameOf(chart, { id: '', depth: 0, text: '' }, 'end'), parent, 'final', chart.place);

export const go = (
  chart: ProcedureChart,
  from: number,
  to: number,
  at: string,
  more: Partial<TransitionSource> = {},
): void =>
  void chart.transitions.push({
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
export const trigger = (kind: TriggerSource['kind'], value?: Expr, message = ''): TriggerSource => ({
  kind,
  message,
  ...(value && { value }),
});
export const lineAt = (chart: ProcedureChart, line: FlowLine): string => `${chart.place}/line/${line.id}`;
export function fresh(chart: ProcedureChart, base: string, type: ValueSource['type'], unit = ''): string {
  let name = base;
  for (let k = 2; chart.values.some((v) => v.name === name); k++) name = `${base}${k}`;
  chart.values.push({ name, type, unit, place: chart.place });
  return name;
}

/** A state is begun with when what it stands in is entered. */
export const beginWith = (chart: ProcedureChart, s: number): void =>
  void (chart.states[s] = { ...chart.states[s], initial: true });
