import { problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { areWithin, messageTarget, settable, unheardMessage } from '../run/assemble';
import type { MakeCompiled } from '../stepcode/stage';
import { prepareRun, withValues, type Prepared } from '../run/prepare';
import { createRun, isRunnable, type RequirementFinding } from '../run/run';
import { readSetValue } from '../run/set-value';
import type { Stimulus } from '../simulate/simulation';
import { valuesAtStart, whyKept } from '../simulate/start-values';
import { newRequirement, type Project, type Setup } from '../project/project';

/**
 * Many runs of one setup with other values. The model is analysed and generated once: a change of a parameter's number is data of the run;
 * only a value that decides what there is makes another program, which is kept as well.
 */
export interface RunnerQuestion {
  readonly project: Project;
  readonly setup: Setup;
  /** Names of what takes other values. */
  readonly over: readonly string[];
  /** Formulas whose value at the end of each run is told. */
  readonly aims: readonly string[];
}

/** A message more at a moment, or a quantity that is set then. */
export interface SentMessage {
  readonly target: string;
  readonly time: number;
  /** What the quantity is set to; without it a message is meant. */
  readonly value?: string;
}

export interface RunAsked {
  /** In the order of `over`, each in the unit of its quantity. */
  readonly values: readonly number[];
  readonly messages?: readonly SentMessage[];
}

export interface RunOutcome {
  readonly status: 'finished' | 'failed';
  /** Why it could not run, or stopped; of a run that finished, that a value is outside its limits. */
  readonly problem: string;
  readonly findings: readonly RequirementFinding[];
  /** By aims; undefined where the formula had no value. */
  readonly aims: readonly (number | undefined)[];
  /** Time at which it ended, and what it took. */
  readonly time: number;
  readonly seconds: number;
}

export interface Runner {
  readonly requirements: readonly { readonly id: string; readonly key: string }[];
  /** Units of the values and of the aims. */
  readonly units: readonly string[];
  readonly aimUnits: readonly string[];
  /** Values as they are without any change; undefined where none is known before a run. */
  readonly nominal: readonly (number | undefined)[];
  readonly isWhole: readonly boolean[];
  /** Why a message, or what is to be set, cannot be. */
  refusalOf(m: SentMessage): string | undefined;
  run(asked: RunAsked): RunOutcome;
}

const aimKey = (k: number): string => `$aim${k}`;
/** How many programs with other structures are kept. */
const mostPrograms = 24;

export function createRunner(
  question: RunnerQuestion,
  compiledSteps?: MakeCompiled,
): {
  readonly value: Runner | undefined;
  readonly problems: readonly Problem[];
} {
  const { setup, over, aims } = question;
  /** `place`: `over/0`, `aim/1` by what it is about. */
  const refuse = (code: string, message: string, place = ''): { value: undefined; problems: readonly Problem[] } => ({
    value: undefined,
    problems: [{ ...problem('error', code, message), ...(place !== '' && { place }) }],
  });
  const project = withAims(question);
  const root = setup.root || project.root;
  const base = prepareRun(project, setup, root, undefined, compiledSteps);
  const errors = base.problems.filter((p) => p.severity === 'error');
  const aimProblem = base.problems.find((p) => p.place?.startsWith(`requirement/${aimKey(0).slice(0, -1)}`));
  if (aimProblem) {
    const k = Number(/\$aim(\d+)/.exec(aimProblem.place!)![1]);
    return refuse('aim', `${aims[k]}: ${aimProblem.message}`, `aim/${k}`);
  }
  if (!isRunnable(base)) return { value: undefined, problems: errors };
  const { model } = base;
  const variables = over.map((name) => model.indexOf.get(name));
  for (const [k, name] of over.entries()) {
    const index = variables[k];
    const at = `over/${k}`;
    if (index === undefined) {
      const near = nearestName(name, model.indexOf.keys());
      return refuse('unknown-name', `${model.name} has no ${name}${near ? `; did you mean ${near}?` : ''}`, at);
    }
    const v = model.variables[index];
    const kept = whyKept(base.program, base.options, index);
    if (kept !== undefined) return refuse('kept', kept, at);
    if (v.type === 'String') return refuse('no-number', `${name} is a text: it cannot be varied`, at);
    if (v.isFinal === true) return refuse('final', `${name} is final: it cannot have another value`, at);
    if (over.indexOf(name) !== k) return refuse('twice', `${name} is varied twice`, at);
  }
  const aimsAt = aims.map((_, k) => base.requirements.findIndex((r) => r.key === aimKey(k)));
  const unseen = aimsAt.findIndex((k) => k < 0 || base.requirements[k].source === undefined);
  if (unseen >= 0)
    return refuse(
      'aim',
      `${aims[unseen]}: ${base.requirements[aimsAt[unseen]]?.problem || 'this is no number that a run has'}`,
      `aim/${unseen}`,
    );
  const programs = new Map<string, Prepared>();
  /** Prepared with these values as part of the model: for what decides what there is. */
  const made = (values: readonly number[]): Prepared => {
    const key = values.join();
    let known = programs.get(key);
    if (!known) {
      const changes = over.map((name, k) => ({ id: `study-${k}`, name, value: textOf(values[k], k) }));
      known = prepareRun(
        project,
        { ...setup, changes: [...setup.changes.filter((c) => !over.includes(c.name)), ...changes] },
        root,
        undefined,
        compiledSteps,
      );
      if (programs.size >= mostPrograms) programs.delete(programs.keys().next().value!);
      programs.set(key, known);
    }
    return known;
  };
  const textOf = (x: number, k: number): string => {
    const v = model.variables[variables[k]!];
    return v.type === 'Boolean' ? String(x !== 0) : v.literals && v.literals.length > 0 ? v.literals[x - 1] : String(x);
  };
  const prepare = (values: readonly number[]): Prepared | string => {
    const given = new Map<number, number>();
    const starts = new Map<number, number>();
    for (const [k, x] of values.entries()) {
      const v = model.variables[variables[k]!];
      if (!Number.isFinite(x)) return `${over[k]} = ${x} is no number`;
      if (v.type === 'Integer' && !Number.isInteger(x)) return `${over[k]} takes whole numbers: ${x} is none`;
      const read = readSetValue(textOf(x, k), v);
      if (read.value === undefined) return `${over[k]} = ${x}: ${read.problems[0]?.message ?? 'this does not fit'}`;
      (v.kind === 'parameter' || v.kind === 'constant' ? given : starts).set(variables[k]!, read.value);
    }
    const all = new Map([...base.options.values, ...starts]);
    const started: Prepared = { ...base, options: { ...base.options, values: all } };
    const fits = areWithin(model, new Map([...all, ...given]));
    const same = fits ? (given.size === 0 ? started : withValues(started, given)) : undefined;
    if (same) return same;
    const other = made(values);
    const wrong = other.problems.find((p) => p.severity === 'error');
    return other.program === undefined ? (wrong?.message ?? 'It cannot run with these values') : other;
  };
  const failed = (why: string): RunOutcome => ({
    status: 'failed',
    problem: why,
    findings: [],
    aims: aims.map(() => undefined),
    time: 0,
    seconds: 0,
  });
  const isAim = (key: string): boolean => key.startsWith('$aim');
  const run = ({ values, messages = [] }: RunAsked): RunOutcome => {
    const prepared = prepare(values);
    if (typeof prepared === 'string') return failed(prepared);
    if (!isRunnable(prepared)) return failed('It cannot run with these values');
    const stimulus = [...prepared.options.stimulus];
    for (const m of messages) {
      const one = stimulusOf(prepared, m);
      if (typeof one === 'string') return failed(one);
      stimulus.push(one);
    }
    const begin = performance.now();
    const { simulation, findings } = createRun(
      { ...prepared, options: { ...prepared.options, stimulus } },
      { record: [] },
    );
    simulation.advance(Infinity);
    const found = findings();
    const isOver = simulation.status === 'finished';
    return {
      status: isOver ? 'finished' : 'failed',
      // what leaves its limits is run, and told
      problem: simulation.problem?.message ?? prepared.problems.find((p) => p.code === 'limit')?.message ?? '',
      // when each held is kept of no run of many: it would be most of what is handed over
      findings: found.flatMap((f) => (isAim(f.key) ? [] : [{ ...f, lane: [] }])),
      aims: aimsAt.map((k) => (isOver ? found[k].margin : undefined)),
      time: simulation.time,
      seconds: (performance.now() - begin) / 1000,
    };
  };
  const indices = variables.map((k) => k!);
  const nominal = valuesAtStart(base.program, base.options, indices);
  return {
    problems: base.problems,
    value: {
      requirements: base.requirements.filter((r) => !isAim(r.key)).map(({ id, key }) => ({ id, key })),
      units: indices.map((k) => model.variables[k].unit),
      aimUnits: aimsAt.map((k) => unitOfSource(base, k)),
      nominal: indices.map((_, k) => nominal?.[k]),
      refusalOf: (m) => {
        const one = stimulusOf(base, m);
        return typeof one === 'string' ? one : undefined;
      },
      isWhole: indices.map((k) => model.variables[k].type !== 'Real'),
      run,
    },
  };
}

/** What happens at a moment, or why it cannot. */
export function stimulusOf(
  prepared: Pick<Prepared, 'model' | 'steps'>,
  { target, time, value }: SentMessage,
): Stimulus | string {
  const { model } = prepared;
  const index = model.indexOf.get(target);
  if (value === undefined) {
    const to = messageTarget(model, target);
    if (!to) return `${target} does not name a part and a message, such as ctrl.start`;
    const unheard = unheardMessage(model, to.part, to.message);
    if (unheard) return index === undefined ? unheard : `${target} is a quantity: say what it is set to, ${target}=...`;
    return { time, kind: 'send', part: to.part, message: to.message, args: [] };
  }
  const variable = settable(model, target, prepared.steps);
  if (typeof variable !== 'number') return variable.message;
  const read = readSetValue(value, model.variables[variable]);
  return read.value === undefined
    ? `${target} = ${value}: ${read.problems[0]?.message ?? 'this does not fit'}`
    : { time, kind: 'set', variable, value: read.value };
}

/** The project with its aims as requirements, whose margins at the end are the values of the formulas. */
function withAims({ project, setup, aims }: RunnerQuestion): Project {
  const root = setup.root || project.root;
  const added = aims.map((formula, k) => ({
    ...newRequirement(aimKey(k), aimKey(k), formula),
    formula: `atEnd((${formula}) >= 0)`,
  }));
  const own = project.requirements.flatMap((r) => ((r.about || project.root) === root ? [{ ...r, about: root }] : []));
  return aims.length === 0 ? project : { ...project, root, requirements: [...own, ...added] };
}

function unitOfSource(prepared: Prepared, k: number): string {
  const source = prepared.requirements[k].source;
  return source && 'unit' in source ? source.unit : '';
}
