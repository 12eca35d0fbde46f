import { problem, type Problem } from '../language/diagnostics';
import type { FlatModel } from '../flatten/flat-model';
import type { Observation, ObservedValue } from '../flatten/flatten';
import { readSent, readVectors, type VectorTable } from '../scripts/vector-table';
import { createVectorRun, type ExpectedValue, type VectorReport, type VectorState } from '../scripts/vector-run';
import type { Driver, Outside } from '../simulate/simulation';
import type { TestCase } from '../project/project';
import type { PartInSteps } from '../stepcode/stage';
import { messageTarget, settable, unheardMessage } from './assemble';
import { insideOf } from './inside';
import { readSetValue } from './set-value';

/** The table of a test case as it is read: what it expects is watched. */
export interface VectorSource {
  readonly table: VectorTable;
  /** The part in which its names are looked up; empty for the whole. */
  readonly inside: string;
  readonly observers: readonly Observation[];
}

/** The same in a model. */
export interface PreparedVectors {
  /** What is done from outside when. */
  readonly given: readonly { readonly time: number; readonly actions: readonly Outside[] }[];
  readonly expected: readonly ExpectedValue[];
  /** By column: where its value is; -1 where none is. */
  readonly variables: readonly number[];
  /** By column: its unit. */
  readonly units: readonly string[];
  readonly columns: readonly { readonly target: string }[];
}

export function vectorSource(of: Pick<TestCase, 'id' | 'vectors' | 'rows'>, inside = ''): VectorSource | undefined {
  if (of.vectors.length === 0 && of.rows.length === 0) return undefined;
  const table = readVectors(of);
  return {
    table,
    inside,
    observers: table.columns.flatMap(({ expr, place }, k) =>
      expr ? [{ place, name: `$vector ${k}`, expr: insideOf(expr, inside) }] : [],
    ),
  };
}

export function prepareVectors(
  { table, inside }: VectorSource,
  model: FlatModel,
  observed: ReadonlyMap<string, ObservedValue>,
  steps: readonly PartInSteps[],
): { readonly vectors: PreparedVectors; readonly problems: readonly Problem[] } {
  const problems: Problem[] = [...table.problems];
  const places = new Set(table.columns.map((c) => c.place));
  for (const p of model.problems) if (p.place !== undefined && places.has(p.place)) problems.push(p);
  const wrong = (place: string, message: string, code = 'vector'): void =>
    void problems.push({ ...problem('error', code, message), place });
  const within = (target: string): string => (inside === '' ? target : `${inside}.${target}`);
  const targets = table.columns.map(
    (c, k): { variable: number; message?: ReturnType<typeof messageTarget>; unit: string } => {
      const none = { variable: -1, unit: '' };
      if (c.way === 'set') {
        const variable = settable(model, within(c.target), steps);
        if (typeof variable === 'number') return { variable, unit: '' };
        wrong(c.place, variable.message, variable.code);
        return none;
      }
      if (c.way === 'send') {
        const message = messageTarget(model, within(c.target));
        const unheard = message && unheardMessage(model, message.part, message.message);
        if (!message) wrong(c.place, `${c.target} does not name a part and a message, such as ctrl.start`);
        else if (unheard) wrong(c.place, unheard);
        return { ...none, message };
      }
      const found = observed.get(`$vector ${k}`);
      if (found) return { variable: found.index, unit: found.unitName ?? '' };
      if (c.expr && !model.problems.some((p) => p.place === c.place)) wrong(c.place, `${c.target} has no value`);
      return none;
    },
  );
  const expected: ExpectedValue[] = [];
  const given = table.rows.map(({ time, cells }) => ({
    time,
    actions: cells.flatMap(({ row, column, text, place }): Outside[] => {
      const { way, target, absolute, relative, late } = table.columns[column];
      const { variable, message } = targets[column];
      if (way === 'send') {
        const sent = readSent(text);
        if (typeof sent === 'string') wrong(place, sent);
        if (typeof sent === 'string' || !message) return [];
        return Array.from({ length: sent.times }, () => ({ kind: 'send', ...message, args: sent.args }));
      }
      if (variable < 0) return [];
      // problems speak of what was written
      const { value, problems: found } = readSetValue(text, { ...model.variables[variable], name: target });
      for (const p of found) wrong(place, p.message, p.code);
      if (value === undefined) return [];
      if (way === 'set') return [{ kind: 'set', variable, value }];
      const isExact = model.variables[variable].type !== 'Real';
      expected.push({ row, column, time, value, within: isExact ? 0 : absolute + relative * Math.abs(value), late });
      return [];
    }),
  }));
  return {
    vectors: {
      given: given.filter((g) => g.actions.length > 0),
      expected,
      variables: targets.map((t) => t.variable),
      units: targets.map((t) => t.unit),
      columns: table.columns,
    },
    problems,
  };
}

/** All it remembers, as plain data. */
export interface VectorsState {
  /** Rows that have been given. */
  given: number;
  readonly values: VectorState;
}

export interface VectorDrivers {
  readonly state: VectorsState;
  /** Gives what the rows say. */
  readonly giver: Driver;
  /** Looks at what comes of it, once nobody has anything more to do at a moment. */
  readonly watcher: Driver;
  isOver(): boolean;
  report(ended: boolean): VectorReport;
}

export function createVectorDrivers(
  { given, expected, variables }: PreparedVectors,
  saved?: VectorsState,
): VectorDrivers {
  const run = createVectorRun(expected, saved?.values);
  const state: VectorsState = { given: saved?.given ?? 0, values: run.state };
  const isDue = (time: number): boolean => {
    const next = given[state.given]?.time ?? Infinity;
    return time >= next - 1e-9 * Math.max(1, Math.abs(next));
  };
  return {
    state,
    giver: {
      nextTime: () => given[state.given]?.time ?? Infinity,
      look: (time) => (isDue(time) ? given[state.given++].actions : []),
    },
    watcher: {
      nextTime: run.nextTime,
      look(time, values) {
        run.look(time, (column) => values[variables[column]]);
        return [];
      },
    },
    isOver: () => state.given === given.length && run.isOver(),
    report: run.report,
  };
}
