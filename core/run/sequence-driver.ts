import type { FlatModel } from '../flatten/flat-model';
import type { Observation as WatchedValue, ObservedValue } from '../flatten/flatten';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import type { PartType, Setup } from '../project/project';
import { outside, readSequence, visitSequence, type ReadSequence } from '../sequences/read-sequence';
import {
  createSequenceRun,
  type SequenceReport,
  type SequenceRun,
  type SequenceState,
  type SequenceWorld,
} from '../sequences/sequence-run';
import type { Driver, MessageRecord, Outside } from '../simulate/simulation';
import { settable } from './assemble';

/** Written sequences that drive and judge a run. */
export interface PreparedSequence {
  readonly id: string;
  readonly name: string;
  readonly read: ReadSequence;
  /** Variable of each condition, by its text. */
  readonly conditions: ReadonlyMap<string, number>;
}

export interface SequenceSource {
  readonly id: string;
  readonly name: string;
  readonly read: ReadSequence;
  readonly observers: readonly WatchedValue[];
  readonly problems: readonly Problem[];
}

/** The sequences a setup names, with their conditions as values to be watched. */
export function sequencesOf(type: PartType | undefined, setup: Setup): SequenceSource[] {
  if (!type) return [];
  return setup.sequences.flatMap((id): SequenceSource[] => {
    const sequence = type.sequences.find((s) => s.id === id);
    if (!sequence) return [];
    const place = `type/${type.id}/sequence/${id}`;
    const read = readSequence(sequence.lines);
    const problems: Problem[] = read.problems.map((p) => ({
      ...problem('error', 'sequence', p.message),
      place: `${place}/line/${p.line}`,
    }));
    const observers = new Map<string, WatchedValue>();
    const add = (text: string, line: string): void => {
      if (text === '' || observers.has(text)) return;
      const parsed = parseExpressionText(text);
      problems.push(...atPlace(`${place}/line/${line}`, parsed.problems));
      if (parsed.problems.length === 0)
        observers.set(text, {
          name: `$sequence ${id} ${text}`,
          expr: parsed.value,
          place: `${place}/line/${line}`,
          stops: true,
        });
    };
    visitSequence(read.nodes, (n) => {
      if (n.kind === 'check') add(n.condition, n.line.id);
      else if (n.kind === 'alt') n.branches.forEach((b) => add(b.guard, b.line.id));
      else if (n.kind === 'loop') add(n.text, n.line.id);
    });
    return [{ id, name: sequence.name, read, observers: [...observers.values()], problems }];
  });
}

export function prepareSequences(
  sources: readonly SequenceSource[],
  observed: ReadonlyMap<string, ObservedValue>,
): PreparedSequence[] {
  return sources.map(({ id, name, read, observers }) => ({
    id,
    name,
    read,
    conditions: new Map(
      observers.flatMap((o) => {
        const found = observed.get(o.name);
        return found ? [[o.name.slice(`$sequence ${id} `.length), found.index] as const] : [];
      }),
    ),
  }));
}

/** Participants a model does not have: their rows could never happen. */
export function checkParticipants(sources: readonly SequenceSource[], model: FlatModel, type: PartType): Problem[] {
  const known = new Set([outside, model.name, ...model.parts.map((p) => p.name)]);
  return sources.flatMap((s) => {
    const found: Problem[] = [];
    visitSequence(s.read.nodes, (n) => {
      if (n.kind === 'set') {
        const variable = settable(model, n.target);
        if (typeof variable !== 'number')
          found.push({ ...variable, place: `type/${type.id}/sequence/${s.id}/line/${n.line.id}` });
        return;
      }
      const named = n.kind === 'message' ? [n.from, n.to] : n.kind === 'state' ? [n.part] : [];
      for (const p of named)
        if (!known.has(p))
          found.push({
            ...problem(
              'error',
              'unknown-part',
              `There is no part ${p} in ${model.name}; participants are parts, or outside`,
            ),
            place: `type/${type.id}/sequence/${s.id}/line/${'line' in n ? n.line.id : ''}`,
          });
    });
    return found;
  });
}

export interface SequenceDriver extends Driver {
  /** What all sequences remember. */
  readonly state: readonly SequenceState[];
  message(record: MessageRecord, values: Float64Array): void;
  reports(ended: boolean): { readonly id: string; readonly name: string; readonly report: SequenceReport }[];
}

export function createSequenceDriver(
  prepared: readonly PreparedSequence[],
  model: FlatModel,
  saved?: readonly SequenceState[],
): SequenceDriver {
  const runs: SequenceRun[] = prepared.map((p, k) => createSequenceRun(p.read, saved?.[k]));
  const partIndex = new Map(model.parts.map((p, k) => [p.name, k]));
  const nameOf = (index: number): string => (index < 0 ? outside : model.parts[index].name || model.name);
  const find = (name: string): number => partIndex.get(name === model.name ? '' : name) ?? -1;
  const states = new Map<string, readonly number[]>();
  /** Variables of the states of a part that a name stands for. */
  const stateVariables = (part: string, state: string): readonly number[] => {
    const key = `${part}|${state}`;
    let found = states.get(key);
    if (!found) {
      const index = find(part);
      found = model.charts
        .filter((c) => c.part === index)
        .flatMap((c) => {
          const own = c.name.split('.').at(-1)!;
          const wanted = state.startsWith(`${own}.`) ? state.slice(own.length + 1) : state;
          return c.structure.states.flatMap((s, k) =>
            s.path === wanted || s.path.endsWith(`.${wanted}`) ? [c.active[k]] : [],
          );
        });
      states.set(key, found);
    }
    return found;
  };
  const world = (k: number, values: Float64Array): SequenceWorld => ({
    value: (text) => {
      const index = prepared[k].conditions.get(text);
      return index === undefined ? (Number.isFinite(Number(text)) ? Number(text) : undefined) : values[index];
    },
    isIn: (part, state) => stateVariables(part, state).some((v) => values[v] !== 0),
  });
  return {
    state: runs.map((r) => r.state),
    nextTime: () => Math.min(Infinity, ...runs.map((r) => r.nextTime())),
    look(time, values) {
      return runs.flatMap((run, k) =>
        run.step(time, world(k, values)).flatMap((s): Outside[] => {
          if (s.kind === 'set') {
            const variable = model.indexOf.get(s.part);
            return variable === undefined ? [] : [{ kind: 'set', variable, value: s.value }];
          }
          return find(s.part) < 0 ? [] : [{ kind: 'send', part: find(s.part), message: s.message, args: s.args }];
        }),
      );
    },
    message(record, values) {
      if (record.message.includes('.')) return;
      const seen = {
        time: record.time,
        message: record.message,
        from: nameOf(record.sender),
        to: record.receivers.map(nameOf),
        args: record.args,
      };
      runs.forEach((r, k) => r.message(seen, world(k, values)));
    },
    reports: (ended) => prepared.map((p, k) => ({ id: p.id, name: p.name, report: runs[k].report(ended) })),
  };
}
