import type { Expr, Statement } from '../language/ast';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { parseExpressionText, parseStatementsText } from '../language/parse';
import { soundNesting } from '../project/nesting';
import type { Chart, Trigger } from '../project/project';
import { withoutJunctions, type Way } from './junctions';
import { chartStructure, type ChartStructure, type NodeKind, type TriggerNodeKind } from './chart-structure';

/** A state chart with its texts parsed, names not yet resolved. Charts and procedures both come to this. */
export interface ChartSource {
  readonly name: string;
  readonly place: string;
  /** Seconds between the do texts. */
  readonly period?: Expr;
  readonly values: readonly ValueSource[];
  readonly states: readonly ChartStateSource[];
  readonly transitions: readonly TransitionSource[];
  /** Arguments of messages that its texts can read. */
  readonly arguments: readonly string[];
  /** A procedure: it waits to be started and starts anew each time. */
  readonly isProcedure?: boolean;
}

export interface ValueSource {
  readonly name: string;
  readonly type: 'Real' | 'Integer' | 'Boolean';
  readonly unit: string;
  readonly value?: Expr;
  readonly place: string;
}

export interface ChartStateSource {
  readonly name: string;
  /** Index of the enclosing state, -1 at the top. */
  readonly parent: number;
  readonly kind: NodeKind;
  readonly initial: boolean;
  readonly entry: readonly Statement[];
  readonly do: readonly Statement[];
  readonly exit: readonly Statement[];
  readonly defers: readonly string[];
  readonly place: string;
}

export interface TransitionSource extends Way {
  readonly internal: boolean;
  readonly triggers: readonly TriggerSource[];
  /** It goes another round of a loop of a procedure, or on behind it. */
  readonly loop?: LoopWay;
}

export interface LoopWay {
  readonly isAgain: boolean;
  /** Rounds before the loop is asked for the first time. */
  readonly first: number;
}

export interface TriggerSource {
  readonly kind: TriggerNodeKind;
  readonly message: string;
  readonly args?: readonly string[];
  readonly value?: Expr;
}

export const structureOf = (source: ChartSource): ChartStructure =>
  chartStructure(
    source.states,
    source.transitions.map((t) => ({
      from: t.from,
      targets: t.targets,
      internal: t.internal,
      triggers: t.triggers.map(({ kind, message, args = [] }) => ({ kind, message, ...(args.length > 0 && { args }) })),
    })),
  );

const needs: Record<Trigger['kind'], string> = {
  message: 'the name of a message',
  after: "a time, such as 0.1 's'",
  at: "a time of the run, such as 2 's'",
  every: "a time, such as 0.5 's'",
  when: 'a condition',
  rises: 'a condition',
  changes: 'a quantity',
  done: '',
};

/** `start(level, speed)`: a message and the arguments it reads. */
export function readMessage(text: string): { name: string; args: string[] } | undefined {
  const match = /^\s*([\p{L}_*][\p{L}\p{N}_.*]*)\s*(?:\(([^()]*)\))?\s*$/u.exec(text);
  if (!match) return undefined;
  const args = (match[2] ?? '')
    .split(',')
    .map((x) => x.trim())
    .filter(Boolean);
  return args.every((x) => /^[\p{L}_][\p{L}\p{N}_]*$/u.test(x)) ? { name: match[1], args } : undefined;
}

/** Reads the texts of a chart of the document. */
export function readChart(written: Chart, place: string, problems: Problem[]): ChartSource {
  const { chart, loose } = soundNesting(written);
  for (const { state, why } of loose)
    problems.push({ ...problem('error', 'nesting', why), place: `${place}/state/${state.id}` });
  const index = new Map(chart.states.map((s, k) => [s.id, k]));
  const args = new Set<string>();
  const statements = (text: string, at: string): readonly Statement[] => {
    if (text.trim() === '') return [];
    const parsed = parseStatementsText(text);
    problems.push(...atPlace(at, parsed.problems));
    return parsed.value;
  };
  const expression = (text: string, at: string): Expr | undefined => {
    if (text.trim() === '') return undefined;
    const parsed = parseExpressionText(text);
    problems.push(...atPlace(at, parsed.problems));
    return parsed.value;
  };
  const report = (at: string, code: string, message: string): void =>
    void problems.push({ ...problem('error', code, message), place: at });

  const trigger = (g: Trigger, at: string): TriggerSource | undefined => {
    if (g.kind === 'done') return { kind: 'done', message: '' };
    if (g.on.trim() === '') {
      report(at, 'trigger', `This trigger needs ${needs[g.kind]}`);
      return undefined;
    }
    if (g.kind === 'message') {
      const read = readMessage(g.on);
      if (!read) {
        report(
          at,
          'trigger',
          `"${g.on}" is not the name of a message; arguments stand in brackets, such as start(level)`,
        );
        return undefined;
      }
      read.args.forEach((a) => args.add(a));
      return { kind: 'message', message: read.name, args: read.args };
    }
    const value = expression(g.on, at);
    return value && { kind: g.kind, message: '', value };
  };

  const transitions = chart.transitions.flatMap((t): TransitionSource[] => {
    const at = `${place}/transition/${t.id}`;
    const from = index.get(t.from);
    const targets = [t.to, ...t.also].filter(Boolean).map((id) => index.get(id));
    if (from === undefined || targets.some((x) => x === undefined)) {
      report(at, 'transition', 'This transition has lost one of its states');
      return [];
    }
    const triggers = t.triggers.map((g, k) => trigger(g, `${at}/triggers/${k}/on`));
    if (triggers.length > 0 && triggers.every((x) => x === undefined)) return [];
    const otherwise = t.guard.trim() === 'else';
    const guard = otherwise ? undefined : expression(t.guard, `${at}/guard`);
    return [
      {
        from,
        targets: targets as number[],
        internal: t.internal,
        triggers: triggers.filter((x) => x !== undefined),
        ...(guard && { guard }),
        otherwise,
        effect: statements(t.effect, `${at}/effect`),
        place: at,
        via: [],
      },
    ];
  });
  const isJunction = (k: number): boolean => chart.states[k].kind === 'junction';
  // states that can be active, and the numbers they have once junctions are gone
  const lasting = chart.states.map((s, k) => ({ s, k })).filter(({ s }) => s.kind !== 'junction');
  const numberOf = new Map(lasting.map(({ k }, n) => [k, n]));
  const straight = withoutJunctions(
    {
      transitions,
      isJunction,
      isBeginning: (k) => chart.states[k].kind === 'start',
      nameOf: (k) => chart.states[k].name,
    },
    (at, p) => problems.push({ ...p, place: at }),
  ).map((t) => ({ ...t, from: numberOf.get(t.from)!, targets: t.targets.map((x) => numberOf.get(x)!) }));
  const period = expression(chart.period, `${place}/period`);
  if (!period && chart.states.some((s) => s.do.trim() !== ''))
    report(
      place,
      'period',
      `The do texts of ${chart.name} need to know how often they are run: give the chart a period, such as 10 'ms'`,
    );
  return {
    name: chart.name,
    place,
    ...(period && { period }),
    arguments: [...args],
    values: chart.values.map((v) => {
      const at = `${place}/value/${v.id}`;
      const value = expression(v.value, at);
      return { name: v.name, type: v.type, unit: v.unit, ...(value && { value }), place: at };
    }),
    states: lasting.map(({ s }) => {
      const at = `${place}/state/${s.id}`;
      return {
        name: s.name,
        parent: s.parent === null ? -1 : (numberOf.get(index.get(s.parent) ?? -1) ?? -1),
        kind: s.kind as NodeKind,
        initial: s.initial,
        place: at,
        entry: statements(s.entry, `${at}/entry`),
        do: statements(s.do, `${at}/do`),
        exit: statements(s.exit, `${at}/exit`),
        defers: s.defers
          .split(',')
          .map((x) => x.trim())
          .filter(Boolean),
      };
    }),
    // what is written `else` is tried after all others of its state
    transitions: [...straight.filter((t) => !t.otherwise), ...straight.filter((t) => t.otherwise)],
  };
}
