import { hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { parseExpressionText } from '../language/parse';
import type { Project, Setup } from '../project/project';
import { typeById, runsProduct } from '../project/project';
import { analyse } from '../analysis/analyse';
import { takesValues } from '../analysis/takes-values';
import { flatten, type FlattenResult, type Observation } from '../flatten/flatten';
import type { FlatModel } from '../flatten/flat-model';
import { withNotes, type CoveragePlan } from '../coverage/plan';
import { projectLibrary, readChanges } from '../flatten/from-project';
import type { Program } from '../program/program';
import type { MakeCompiled, PartInSteps } from '../stepcode/stage';
import { compile } from '../simulate/compile';
import type { SimulationOptions } from '../simulate/simulation';
import type { Finding, RequirementFinding } from '../verdicts/finding';
import type { MonitorSource } from '../verdicts/source';
import { checkLinks } from './check-links';
import { checkBehaviour } from './check-behaviour';
import { givenValues, prepareLoops, type PreparedLoops } from './loops';
import { prepareScript, type PreparedScript, type ScriptSource } from './script-driver';
import { prepareVectors, type PreparedVectors, type VectorSource } from './vector-driver';
import { checkParticipants, prepareSequences, sequencesOf, type PreparedSequence } from './sequence-driver';
import { isFixedChange, fixedProblems, readFixedValues, readSetupTexts, readSetupValues } from './assemble';
import type { ClassLibrary } from '../flatten/library';
import { standingOf } from './standing';
import {
  asSeen,
  serialProblems,
  stageProblems,
  unknownIn,
  unknownWith,
  wireProblems,
  heardNames,
  withHeard,
  withPulses,
  withoutObserverErrors,
  withSteps,
} from './with-steps';
import type { LoopTerm } from '../requirements/loop-terms';
import { constantFinding, monitorOf, watchedRequirements, type Watch } from './watch';

/** A requirement with what watches it; without a source where it cannot be watched. */
export interface WatchedRequirement {
  readonly id: string;
  readonly key: string;
  readonly source: MonitorSource | undefined;
  /** Decided without a run, by a signed observation. */
  readonly decided: Finding | undefined;
  readonly problem: string;
  /** Of the loops the run looks at, those it speaks of. */
  readonly loops: readonly number[];
  /** Why something it speaks of is not known in this run; empty where all is. */
  readonly unknown: string;
}

export interface Prepared {
  readonly model: FlatModel;
  readonly program: Program | undefined;
  readonly requirements: readonly WatchedRequirement[];
  readonly options: SimulationOptions;
  readonly problems: readonly Problem[];
  /** Names of what is recorded; undefined for everything. */
  readonly record: readonly string[] | undefined;
  /** Written sequences that drive the run. */
  readonly sequences: readonly PreparedSequence[];
  /** The script of a test case, which drives it too. */
  readonly script: PreparedScript | undefined;
  /** What a test case gives and expects over time. */
  readonly vectors: PreparedVectors | undefined;
  /** What there is to be come through, where that is counted. */
  readonly plan: CoveragePlan | undefined;
  /** Loops that requirements speak of. */
  readonly loops: PreparedLoops;
  /** Parts that go in steps; the program is that of the rest. */
  readonly steps: readonly PartInSteps[];
}

/** What a test case goes along with a run with. */
export interface TriedWith {
  readonly script?: ScriptSource | undefined;
  readonly vectors?: VectorSource | undefined;
  /** It is counted what the run comes through. */
  readonly isCounted?: boolean;
}

/** From a project and a setup to a program with its monitors. Problems carry their places; without a program nothing can run. */
export function prepareRun(
  project: Project,
  setup: Setup,
  rootId = setup.root || project.root,
  stops: readonly string[] = [],
  compiledSteps?: MakeCompiled,
  tried: TriedWith = {},
): Prepared {
  const { library, problems: textProblems } = projectLibrary(project);
  const root = typeById(project, rootId);
  const rootName = root?.name ?? '';
  const setupProblems: Problem[] = [];
  const watches = watchedAbout(project, rootId);
  const stopObservers = stops.flatMap((text, k): Observation[] => {
    const { value, problems } = parseExpressionText(text);
    return problems.length > 0 ? [] : [{ name: `$stop${k}`, expr: value, place: `requirement/stop/${k}`, stops: true }];
  });
  const sequences = sequencesOf(typeById(project, rootId), setup);
  const texts = readSetupTexts(setup);
  const observers = [
    ...watches.flatMap((w) => w.observers),
    ...stopObservers,
    ...texts.observers,
    ...sequences.flatMap((s) => s.observers),
    ...(tried.script?.observers ?? []),
    ...(tried.vectors?.observers ?? []),
  ];
  const place = `setup/${setup.id}`;
  const changed = readChanges(setup.changes, place);
  const { signals } = texts;
  setupProblems.push(...changed.problems, ...texts.problems);
  const terms = loopTermsOf(watches);
  const given = givenValues(terms);
  const plans = new Map<FlatModel, CoveragePlan>();
  const types = new Map(project.types.map((t) => [t.name, t]));
  const made = makeModel(setup, (changes) => {
    const found = flatten(library, rootName, { observers, signals, changes, given });
    if (!tried.isCounted) return found;
    const noted = withNotes(found.model, types);
    plans.set(noted.model, noted.plan);
    return { ...found, model: noted.model };
  });
  const { flat } = made;
  const model = withPulses(project, setup, withHeard(setup, flat.model));
  const values = readSetupValues(setup, flat);
  const {
    steps,
    compiled,
    problems: stageProblems,
  } = withSteps(project, setup, { ...made, model }, values, compiledSteps, tried.isCounted);
  setupProblems.push(
    ...values.problems,
    ...stageProblems,
    ...wireProblems(project, setup, model),
    ...serialProblems(project, setup, model),
  );
  const options: SimulationOptions = {
    stop: setup.stop,
    solver: setup.solver,
    relative: setup.relative,
    absolute: setup.absolute,
    step: setup.step,
    recordEvery: setup.recordEvery,
    values: new Map([...values.values, ...made.given]),
    stimulus: values.stimulus,
    startIn: values.startIn,
    ...(values.endWhen !== undefined && { endWhen: values.endWhen }),
    stopWhen: stops.flatMap((name, k) => {
      const found = flat.observed.get(`$stop${k}`);
      return found ? [{ variable: found.index, name }] : [];
    }),
  };
  if (compiled.program) setupProblems.push(...ignoredChanges(setup, compiled.program));
  const script = tried.script && prepareScript(tried.script, model, flat.observed, steps);
  if (script) setupProblems.push(...script.problems);
  const vectors = tried.vectors && prepareVectors(tried.vectors, model, flat.observed, steps);
  if (vectors) setupProblems.push(...vectors.problems);
  const watched = watches.map((w) => monitorOf(w, flat));
  const unknown = unknownWith(model, steps);
  const problems = [
    ...textProblems,
    ...compiled.problems,
    ...model.problems.filter((p) => p.place?.startsWith('requirement/')),
    ...watches.flatMap((w, k) => [...w.problems, ...watched[k].problems]),
    ...setupProblems,
    ...sequences.flatMap((s) => s.problems),
    ...(root ? checkParticipants(sequences, model, root) : []),
  ];
  const blocking =
    problems.some((p) => p.severity === 'error' && p.place?.includes('/sequence/')) ||
    hasErrors(textProblems) ||
    hasErrors(setupProblems) ||
    !compiled.program ||
    hasErrors(compiled.problems);
  return {
    // what is told is there to be seen
    record: values.record && [...values.record, ...heardNames(setup)],
    steps,
    sequences: prepareSequences(sequences, flat.observed),
    script: script?.script,
    vectors: vectors?.vectors,
    plan: plans.get(flat.model),
    loops: prepareLoops(terms, model, values.loopsWhen),
    model: asSeen(model, steps),
    program: blocking ? undefined : compiled.program,
    options,
    problems: [...new Set(problems)],
    requirements: watches.map(({ requirement, problems: unread }, k) => ({
      id: requirement.id,
      key: requirement.key,
      source: watched[k].source,
      decided: standingOf(requirement, undefined, undefined).finding,
      problem: (unread[0] ?? watched[k].problems[0])?.message ?? '',
      loops: watches[k].loops.map((t) => terms.findIndex((x) => x.name === t.name)),
      unknown: unknownIn(watches[k], flat, unknown),
    })),
  };
}

/** Changed values of what follows from the equations: there they are only where a search for it begins. */
const ignoredChanges = (setup: Setup, { solvable: { model, aliases, states } }: Program): Problem[] =>
  setup.changes.flatMap((c): Problem[] => {
    const index = model.indexOf.get(c.name);
    if (index === undefined || model.variables[index].kind !== 'continuous') return [];
    if (states.includes(aliases.get(index)?.index ?? index)) return [];
    const message = `${c.name} follows from the equations: the value it is given changes nothing`;
    return [{ ...problem('warning', 'not-settable', message), place: `setup/${setup.id}/change/${c.id}/name` }];
  });

/** What requirements say of loops, each once. */
const loopTermsOf = (watches: readonly Watch[]): LoopTerm[] => [
  ...new Map(watches.flatMap((w) => w.loops.map((t) => [t.name, t]))).values(),
];

/**
 * The model of a setup, and its program. Changed values of parameters are data of the run where they are numbers that decide nothing
 * about the model; otherwise the model is made with them.
 */
function makeModel(setup: Setup, make: (changes: ReturnType<typeof readChanges>['changes']) => FlattenResult) {
  const flat = make([]);
  const fixed = setup.changes.filter((c) => isFixedChange(flat, c.name));
  const given = readFixedValues(setup, flat);
  if (given) {
    const compiled = compile(withoutObserverErrors(flat.model));
    if (given.size === 0 || (compiled.program && takesValues(compiled.program.solvable, given)))
      return { flat, compiled, given };
  }
  const changedFlat = make(readChanges(fixed, `setup/${setup.id}`).changes);
  return {
    flat: changedFlat,
    compiled: compile(withoutObserverErrors(changedFlat.model)),
    given: new Map<number, number>(),
  };
}

/**
 * A prepared run with other values of parameters, of the same program; undefined where one of them has decided what the model is made
 * of, so that it has to be prepared with them.
 */
export function withValues(prepared: Prepared, given: ReadonlyMap<number, number>): Prepared | undefined {
  const { program, options } = prepared;
  if (!program || !takesValues(program.solvable, new Map([...options.values, ...given]))) return undefined;
  return { ...prepared, options: { ...options, values: new Map([...options.values, ...given]) } };
}

export interface ProductCheck {
  readonly problems: Problem[];
  /** Verdicts that need no run. */
  readonly constants: readonly RequirementFinding[];
}

/**
 * What is wrong with the product as designed, and with each setup's names; nothing is generated, so this is quick enough
 * to follow every edit.
 */
export function checkProduct(project: Project): ProductCheck {
  const { library, problems: textProblems } = projectLibrary(project);
  const watches = watchedAbout(project, project.root);
  const own = project.setups.filter((s) => runsProduct(project, s));
  const texts = own.map((s) => readSetupTexts(s, s.id));
  const flat = flatten(library, typeById(project, project.root)?.name ?? '', {
    observers: [...watches.flatMap((w) => w.observers), ...texts.flatMap((t) => t.observers)],
    checkedSignals: texts.flatMap((t) => t.signals),
    given: givenValues(loopTermsOf(watches)),
  });
  const { model } = flat;
  if (flat.unfinished) return { problems: [...textProblems, ...model.problems], constants: [] };
  const structural = withoutObserverErrors(model).problems.some(
    (p) => p.severity === 'error' && !p.code.startsWith('unit') && !p.place?.startsWith('setup/'),
  );
  const setupProblems = [
    ...own.flatMap((setup, k) => [
      ...texts[k].problems,
      ...readChanges(setup.changes, `setup/${setup.id}`).problems,
      ...readSetupValues(setup, flat, setup.id).problems,
      ...stageProblems(setup, model),
      ...wireProblems(project, setup, model),
      ...serialProblems(project, setup, model),
      ...fixedProblems(setup, flat),
    ]),
    ...project.setups.flatMap((setup) => (own.includes(setup) ? [] : checkSetup(project, library, setup))),
  ];
  const [product, others] = [judged(watches, flat), judgedElsewhere(project, library)];
  return {
    problems: [
      ...textProblems,
      ...model.problems,
      ...(structural ? [] : analyse(model).problems),
      ...checkBehaviour(project, library, model),
      ...checkLinks(project),
      ...product.problems,
      ...others.problems,
      ...setupProblems,
    ],
    constants: [...product.constants, ...others.constants],
  };
}

/** Requirements about the product, or about a part type that is run in its place. */
const watchedAbout = (project: Project, rootId: string): Watch[] =>
  watchedRequirements(project).filter(({ requirement }) => (requirement.about || project.root) === rootId);

type Judged = Pick<ProductCheck, 'problems' | 'constants'>;

/** What is wrong with requirements in the model of what they are about, and what its constants decide. */
function judged(watches: readonly Watch[], flat: FlattenResult): Judged {
  return {
    problems: watches.flatMap((w) => [...w.problems, ...monitorOf(w, flat).problems, ...unknownLoops(w, flat)]),
    constants: watches.flatMap((w) => {
      const finding = constantFinding(w, flat);
      return finding ? [{ id: w.requirement.id, key: w.requirement.key, ...finding }] : [];
    }),
  };
}

/** Of requirements about something else than the product; some setup has to run that, or its constants decide. */
function judgedElsewhere(project: Project, library: ClassLibrary): Judged {
  const abouts = new Set(project.requirements.map((r) => r.about));
  const found = [...abouts].flatMap((id): Judged[] => {
    if (id === '' || id === project.root) return [];
    const watches = watchedAbout(project, id);
    const told = (of: readonly Watch[], severity: 'error' | 'info', code: string, message: string): Problem[] =>
      of.map((w) => ({ ...problem(severity, code, message), place: `requirement/${w.requirement.id}/about` }));
    const root = typeById(project, id);
    if (!root) {
      const problems = told(watches, 'error', 'unknown-type', 'What this requirement is about is no longer there');
      return [{ problems, constants: [] }];
    }
    const flat = flatten(library, root.name, {
      observers: watches.flatMap((w) => w.observers),
      given: givenValues(loopTermsOf(watches)),
    });
    const { problems, constants } = judged(watches, flat);
    const open = project.setups.some((s) => s.root === id)
      ? []
      : watches.filter((w) => !constants.some((f) => f.id === w.requirement.id));
    return [
      {
        problems: [
          ...flat.model.problems.filter((p) => p.place?.startsWith('requirement/')),
          ...problems,
          ...told(open, 'info', 'never-run', `No setup runs ${root.name}: it is never judged`),
        ],
        constants,
      },
    ];
  });
  return { problems: found.flatMap((f) => f.problems), constants: found.flatMap((f) => f.constants) };
}

/** Loops are opened at quantities that there are. */
const unknownLoops = (watch: Watch, { model }: FlattenResult): Problem[] =>
  watch.loops.flatMap(({ from, to }) =>
    [from, ...(to === undefined ? [] : [to])].flatMap((name): Problem[] => {
      if (model.indexOf.has(name)) return [];
      const near = nearestName(name, model.indexOf.keys());
      return [
        {
          ...problem('error', 'unknown-name', `There is no quantity ${name}${near ? `; did you mean ${near}?` : ''}`),
          place: `requirement/${watch.requirement.id}/formula`,
        },
      ];
    }),
  );

/** A setup of another part type: that type is read for it. */
function checkSetup(project: Project, library: ClassLibrary, setup: Setup): Problem[] {
  const root = typeById(project, setup.root);
  if (!root)
    return [
      { ...problem('error', 'unknown-type', 'What this setup runs is no longer there'), place: `setup/${setup.id}` },
    ];
  const texts = readSetupTexts(setup);
  const flat = flatten(library, root.name, { observers: texts.observers, checkedSignals: texts.signals });
  return [
    ...texts.problems,
    ...readChanges(setup.changes, `setup/${setup.id}`).problems,
    ...flat.model.problems.filter((p) => p.place?.startsWith('setup/')),
    ...readSetupValues(setup, flat).problems,
    ...fixedProblems(setup, flat),
  ];
}

export { messageTarget } from './assemble';
