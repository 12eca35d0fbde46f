import { nearestName } from '../language/nearest';
import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { startChart } from '../behaviour/chart-step';
import { sendsOf } from '../flatten/chart-sends';
import { one } from '../flatten/flat-expression';
import type { FlatChart, FlatEquation, FlatModel } from '../flatten/flat-model';
import type { Project, Setup } from '../project/project';
import { createRun, isRunnable, prepareRun, type RequirementFinding, type Run } from '../run';
import type { Runnable, RunOptions } from '../run/run';
import { compile } from '../simulate/compile';
import type { Driver, MessageRecord, Outside } from '../simulate/simulation';
import { stepProgramOf } from './controller';
import type { Slot, StepProgram } from './step-program';
import { createStep, type RunningStep } from './write-js';

/**
 * Runs in which a part is not simulated: it goes in steps, reads its inputs at them, and holds its outputs in between. Everything else is
 * the run it was. `sampled`: with the numbers of the simulator; `code`: with those of a chip.
 */
export type Stage = 'designed' | 'sampled' | 'code';
export const stages: readonly Stage[] = ['designed', 'sampled', 'code'];

/** By full name of the part. */
export type StagesOfParts = ReadonlyMap<string, Stage>;

export interface StagedRun {
  readonly run: Run;
  readonly prepared: Runnable;
  readonly parts: readonly StagedPart[];
}

/** A part that goes in steps, and what came in and out at each. */
export interface StagedPart {
  readonly name: string;
  readonly stage: Stage;
  readonly program: StepProgram;
  /** Inputs of every step, in the order of the input slots of the program. */
  readonly inputs: readonly Float64Array[];
  /** What came out and what was kept after every step, by slot, where that was asked for. */
  readonly shown: readonly number[];
  readonly results: readonly Float64Array[];
  /** Parameters and what is kept, by slot, as they begin in the run. */
  readonly begins: ReadonlyMap<number, number>;
  /** Whether a parameter has been given another value during the run. */
  isChanged(): boolean;
}

export interface StagedOptions extends Pick<RunOptions, 'record'> {
  /** What comes out of every step is kept, to be compared with other ways to go them. */
  readonly isKept?: boolean;
}

export function stagedRun(
  project: Project,
  setup: Setup,
  chosen: StagesOfParts,
  { record, isKept = false }: StagedOptions = {},
): { readonly value?: StagedRun; readonly problems: readonly Problem[] } {
  const prepared = prepareRun(project, setup);
  if (!isRunnable(prepared)) return { problems: prepared.problems.filter((p) => p.severity === 'error') };
  const wrong = (message: string): { problems: readonly Problem[] } => ({
    problems: [problem('error', 'stage', message)],
  });
  const staged: Stepped[] = [];
  let { model } = prepared;
  for (const [name, stage] of chosen) {
    const number = prepared.model.parts.findIndex((p) => p.name === name);
    if (number < 0) {
      const own = new Set(project.types.map((t) => t.name));
      const parts = prepared.model.parts.flatMap((p) => (p.name !== '' && own.has(p.typeName) ? [p.name] : []));
      const near = nearestName(name, parts);
      return wrong(`There is no part ${name}${near ? `; did you mean ${near}?` : `; there are ${parts.join(', ')}`}`);
    }
    if (stage === 'designed') continue;
    const type = project.types.find((t) => t.name === prepared.model.parts[number].typeName);
    if (!type) return wrong(`${name} is of the library: only part types of the project go in steps`);
    const { program, problems } = stepProgramOf(project, type, undefined, { isWhole: true });
    if (!program) return { problems };
    const unlike = unlikeIn(prepared, name, number);
    if (unlike !== undefined) return wrong(unlike);
    staged.push(stepped(prepared.model, name, number, stage, program, isKept));
    model = withoutPart(model, name, number);
  }
  const made = staged.length > 0 ? compile(model) : { program: prepared.program, problems: [] };
  if (!made.program) return { problems: made.problems.filter((p) => p.severity === 'error') };
  if (hasErrors(made.problems)) return { problems: made.problems };
  const ready: Runnable = { ...prepared, program: made.program };
  const run = createRun(ready, { record, drivers: staged.map((s) => s.driver) });
  return {
    problems: [],
    value: {
      prepared: ready,
      run: staged.length > 0 ? { ...run, findings: () => withoutLoops(ready, run.findings()) } : run,
      parts: staged.map((s) => s.part),
    },
  };
}

/** What a requirement says of loops cannot be seen where a part of them is not simulated. */
const withoutLoops = ({ requirements }: Runnable, findings: RequirementFinding[]): RequirementFinding[] =>
  findings.map((f, k) =>
    requirements[k].loops.length === 0
      ? f
      : {
          ...f,
          verdict: 'undecided',
          margin: undefined,
          unit: '',
          worstAt: undefined,
          failsSince: undefined,
          lane: [],
          reason: 'Loops are looked at only where every part runs as designed',
        },
  );

/** What a setup does to a part that a part in steps would not follow. */
function unlikeIn({ model, options }: Runnable, name: string, number: number): string | undefined {
  const begun = [...(options.startIn?.keys() ?? [])].find((c) => model.charts[c].part === number);
  if (begun !== undefined)
    return `The setup says where ${model.charts[begun].name} starts: a part in steps begins at its beginning`;
  const set = options.stimulus.find(
    (s) =>
      s.kind === 'set' &&
      model.variables[s.variable].name.startsWith(`${name}.`) &&
      !['parameter', 'external'].includes(model.variables[s.variable].kind),
  );
  if (set?.kind === 'set')
    return `The setup sets ${model.variables[set.variable].name}, which follows from the steps of ${name}`;
  return undefined;
}

/** The model with the inside of a part taken out: what followed from it is set from outside, and held. */
function withoutPart(model: FlatModel, name: string, number: number): FlatModel {
  const within = (part: string): boolean => part === name || part.startsWith(`${name}.`);
  const isInput = (k: number): boolean => {
    const { name: full, isInput: comesIn } = model.variables[k];
    return comesIn && !full.slice(name.length + 1).includes('.');
  };
  const isHeld = model.variables.map(
    (v, k) => v.name.startsWith(`${name}.`) && (v.kind === 'continuous' || v.kind === 'discrete') && !isInput(k),
  );
  const begun = begunStates(model, number);
  // inputs of blocks inside are given by the part around them
  const isInside = ({ left, origin }: FlatEquation): boolean =>
    within(origin.part) ||
    (left.op === 'var' && isHeld[left.index] && model.variables[left.index].name.slice(name.length + 1).includes('.'));
  return {
    ...model,
    variables: model.variables.map((v, k) =>
      isHeld[k] ? { ...v, kind: 'assigned' as const } : begun.has(k) ? { ...v, start: one } : v,
    ),
    equations: model.equations.filter((e) => !isInside(e)),
    initialEquations: model.initialEquations.filter((e) => !isInside(e)),
    actions: model.actions.filter((a) => !within(a.origin.part)),
    assertions: model.assertions.filter((a) => !within(a.origin.part)),
    charts: model.charts.filter((c) => c.part !== number),
  };
}

/** States that charts of a part begin in are active from the start. */
function begunStates(model: FlatModel, number: number): ReadonlySet<number> {
  const found = new Set<number>();
  for (const { part, structure, active } of model.charts)
    for (const leaf of part === number ? startChart(structure).next.leaves : [])
      for (let s = leaf; s >= 0; s = structure.states[s].parent) found.add(active[s]);
  return found;
}

interface Stepped {
  readonly driver: Driver;
  readonly part: StagedPart;
}

function stepped(
  model: FlatModel,
  name: string,
  number: number,
  stage: Stage,
  program: StepProgram,
  isKept: boolean,
): Stepped {
  const run = createStep(program, { double: stage === 'sampled' });
  const { slots, period } = program;
  const of = (role: Slot['role']): readonly number[] =>
    slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [k] : []));
  const variableOf = (slot: number): number | undefined => model.indexOf.get(`${name}.${slots[slot].name}`);
  const inputs = of('input');
  const charts = model.charts.filter((c) => c.part === number);
  // counters of messages, not their arguments
  const messagesIn = inputs.filter((k) => slots[k].is === 'messages');
  // what is kept, then what goes out
  const shown = [...of('part'), ...of('output')].flatMap((slot) => {
    const variable = variableOf(slot);
    return variable === undefined ? [] : [{ slot, variable }];
  });
  const sends = sentBy(charts, number);
  const states = charts.map((c) => activity(model, program, c));
  const came = new Map<string, number>();
  const begins = new Map<number, number>();
  const now = new Map<number, number>();
  let isChanged = false;
  const history: Float64Array[] = [];
  const results: Float64Array[] = [];
  const single = [...of('output'), ...of('part')];
  let next = 0;

  const own = [...of('parameter'), ...of('part')].flatMap((slot) => {
    // what it was in the step before begins like itself
    const variable = variableOf(slot) ?? model.indexOf.get(`${name}.${slots[slot].name.replace(/\.before$/, '')}`);
    return variable === undefined ? [] : [{ slot, variable }];
  });
  const begin = (values: Float64Array): void => {
    run.init();
    for (const { slot, variable } of own) {
      run.write(slot, values[variable]);
      begins.set(slot, values[variable]);
    }
  };
  const given = own.filter(({ slot }) => slots[slot].role === 'parameter');
  const comesFrom = inputs.map((slot) => ({ input: slots[slot].name, variable: variableOf(slot) }));
  const outputOf = new Map(of('output').map((slot) => [slots[slot].name, slot]));
  const leaving = [...sends].flatMap(([message, { receivers, args }]) => {
    const counter = outputOf.get(message);
    const given = args.flatMap((a) => {
      const slot = outputOf.get(`${message}_${a}`);
      return slot === undefined ? [] : [{ name: a, slot }];
    });
    return counter === undefined ? [] : [{ message, receivers, counter, given }];
  });
  const step = (values: Float64Array): readonly Outside[] => {
    // arguments stand under the name of their message, and keep the last value
    const row = Float64Array.from(comesFrom, ({ input, variable }) =>
      variable === undefined ? (came.get(input) ?? 0) : values[variable],
    );
    inputs.forEach((slot, k) => run.write(slot, row[k]));
    for (const { slot, variable } of given) {
      if (Object.is(values[variable], now.get(slot))) continue;
      isChanged ||= now.has(slot);
      now.set(slot, values[variable]);
      run.write(slot, values[variable]);
    }
    history.push(row);
    for (const slot of messagesIn) came.delete(slots[slot].name);
    run.step();
    if (isKept) results.push(Float64Array.from(single, (slot) => run.read(slot)));
    return [...changes(run, values), ...messages(run)];
  };
  const changes = (r: RunningStep, values: Float64Array): readonly Outside[] => [
    ...shown.flatMap(({ slot, variable }): Outside[] => {
      const value = r.read(slot);
      return Object.is(values[variable], value) ? [] : [{ kind: 'set', variable, value }];
    }),
    ...states.flatMap((s) => s(r, values)),
  ];
  const messages = (r: RunningStep): readonly Outside[] =>
    leaving.flatMap(({ message, receivers, counter, given }): Outside[] => {
      const count = r.read(counter);
      if (count === 0) return [];
      const args = given.map(({ name: a, slot }) => ({ name: a, value: r.read(slot) }));
      return Array.from({ length: count }, () =>
        receivers.map((part): Outside => ({ kind: 'send', part, message, args, sender: number })),
      ).flat();
    });
  return {
    part: { name, stage, program, inputs: history, shown: single, results, begins, isChanged: () => isChanged },
    driver: {
      nextTime: () => next * period,
      look(time, values) {
        // by less than a step: times are multiples of the period
        if (time < (next - 1e-6) * period) return [];
        if (next === 0) begin(values);
        next++;
        return step(values);
      },
      message(record: MessageRecord) {
        if (!record.receivers.includes(number)) return;
        came.set(record.message, (came.get(record.message) ?? 0) + 1);
        for (const a of record.args) came.set(`${record.message}_${a.name}`, a.value);
      },
    },
  };
}

/** Who hears what a part sends, and with which arguments. */
function sentBy(
  charts: readonly FlatChart[],
  number: number,
): ReadonlyMap<string, { readonly receivers: readonly number[]; readonly args: readonly string[] }> {
  const found = new Map<string, { receivers: Set<number>; args: Set<string> }>();
  for (const send of sendsOf(charts)) {
    const known = found.get(send.message) ?? { receivers: new Set(), args: new Set() };
    send.receivers.filter((r) => r !== number).forEach((r) => known.receivers.add(r));
    send.args.forEach((a) => known.args.add(a.name));
    found.set(send.message, known);
  }
  return new Map([...found].map(([m, { receivers, args }]) => [m, { receivers: [...receivers], args: [...args] }]));
}

/** Tells which states have become active or not, from the numbers of the regions. */
function activity(
  model: FlatModel,
  { slots, lists }: StepProgram,
  chart: FlatChart,
): (run: RunningStep, values: Float64Array) => readonly Outside[] {
  const { states } = chart.structure;
  const stateAt = new Map(chart.active.map((index, k) => [model.variables[index].place, k]));
  const regions = slots.flatMap((s, slot) => {
    if (s.is !== 'region') return [];
    const { members } = lists[s.list];
    return members.some((m) => stateAt.has(m.from))
      ? [{ slot, members: new Map(members.map((m) => [m.value, m.from])) }]
      : [];
  });
  return (run, values) => {
    const active = new Set<number>();
    for (const { slot, members } of regions) {
      const state = stateAt.get(members.get(run.read(slot)) ?? '');
      for (let s = state ?? -1; s >= 0; s = states[s].parent) active.add(s);
    }
    return chart.active.flatMap((variable, k): Outside[] => {
      const value = Number(active.has(k));
      return values[variable] === value ? [] : [{ kind: 'set', variable, value }];
    });
  };
}
