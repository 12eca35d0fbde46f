import { takesMessage } from '../behaviour/chart-structure';
import { atPlace, hasErrors, problem, type Problem } from '../language/diagnostics';
import { nearestName } from '../language/nearest';
import { parseExpressionText } from '../language/parse';
import type { Project, Setup } from '../project/project';
import { typeById } from '../project/project';
import { analyse } from '../analysis/analyse';
import { flatten, type FlattenResult, type Observer } from '../flatten/flatten';
import type { FlatModel } from '../flatten/flat-model';
import { projectLibrary, readChanges } from '../flatten/from-project';
import type { Program } from '../program/program';
import { compile } from '../simulate/compile';
import type { SimulationOptions, Stimulus } from '../simulate/simulation';
import type { Finding, RequirementFinding } from '../verdicts/finding';
import type { MonitorSource } from '../verdicts/source';
import { recordable } from '../simulate/recording';
import { checkLinks } from './check-links';
import { checkBehaviour } from './check-behaviour';
import { checkParticipants, prepareSequences, sequencesOf, type PreparedSequence } from './sequence-driver';
import { readSetValue } from './set-value';
import { standingOf } from './standing';
import { constantFinding, monitorOf, watchedRequirements } from './watch';

/** A requirement with what watches it; without a source where it cannot be watched. */
export interface WatchedRequirement {
  readonly id: string;
  readonly key: string;
  readonly source: MonitorSource | undefined;
  /** Decided without a run, by a signed observation. */
  readonly decided: Finding | undefined;
  readonly problem: string;
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
}

/** From a project and a setup to a program with its monitors. Problems carry their places; without a program nothing can run. */
export function prepareRun(
  project: Project,
  setup: Setup,
  rootId = setup.root || project.root,
  stops: readonly string[] = [],
): Prepared {
  const { library, problems: textProblems } = projectLibrary(project);
  const root = typeById(project, rootId);
  const rootName = root?.name ?? '';
  const setupProblems: Problem[] = [];
  // requirements are about the product; another part type on its own is run without them
  const watches = rootId === project.root ? watchedRequirements(project) : [];
  const stopObservers = stops.flatMap((text, k): Observer[] => {
    const { value, problems } = parseExpressionText(text);
    return problems.length > 0 ? [] : [{ name: `$stop${k}`, expr: value, place: `requirement/stop/${k}`, stops: true }];
  });
  const sequences = sequencesOf(typeById(project, rootId), setup);
  const endText = setup.endWhen.trim() === '' ? undefined : parseExpressionText(setup.endWhen);
  const signals = setup.stimulus.flatMap((row) => {
    if (row.kind !== 'follow') return [];
    const parsed = parseExpressionText(row.value);
    setupProblems.push(...atPlace(`setup/${setup.id}/stimulus/${row.id}`, parsed.problems));
    return parsed.problems.length > 0
      ? []
      : [{ target: row.target, expr: parsed.value, place: `setup/${setup.id}/stimulus/${row.id}` }];
  });
  const observers = [
    ...watches.flatMap((w) => w.observers),
    ...stopObservers,
    ...(endText && endText.problems.length === 0
      ? [{ name: '$end', expr: endText.value, place: `setup/${setup.id}/endWhen`, stops: true }]
      : []),
    ...sequences.flatMap((s) => s.observers),
  ];
  const place = `setup/${setup.id}`;
  const changed = readChanges(setup.changes, place);
  let flat = flatten(library, rootName, { observers, signals });
  setupProblems.push(...changed.problems, ...(endText ? atPlace(`setup/${setup.id}/endWhen`, endText.problems) : []));
  const startValues = new Map<number, number>();
  if (setup.changes.length > 0) {
    const fixed = setup.changes.filter((c) => isFixed(flat, c.name));
    if (fixed.length > 0)
      flat = flatten(library, rootName, {
        observers,
        signals,
        changes: readChanges(fixed, place).modification,
        changesPlace: place,
      });
    setup.changes.forEach((c) => {
      if (fixed.includes(c)) return;
      const index = flat.model.indexOf.get(c.name);
      if (index === undefined) setupProblems.push(unknownPath(flat.model, c.name, `${place}/change/${c.id}/name`));
      else {
        const read = readSetValue(c.value, flat.model.variables[index]);
        setupProblems.push(...atPlace(`${place}/change/${c.id}/value`, read.problems));
        if (read.value !== undefined) startValues.set(index, read.value);
      }
    });
  }
  const { model } = flat;
  const record = readRecord(setup, model, setupProblems);
  const compiled = compile(withoutObserverErrors(model));
  const stimulus = readStimulus(setup, model, setupProblems);
  const options: SimulationOptions = {
    stop: setup.stop,
    solver: setup.solver,
    relative: setup.relative,
    absolute: setup.absolute,
    step: setup.step,
    recordEvery: setup.recordEvery,
    values: startValues,
    stimulus,
    startIn: readStartIn(setup, model, setupProblems),
    ...(flat.observed.has('$end') && { endWhen: flat.observed.get('$end')!.index }),
    stopWhen: stops.flatMap((name, k) => {
      const found = flat.observed.get(`$stop${k}`);
      return found ? [{ variable: found.index, name }] : [];
    }),
  };
  const watched = watches.map((w) => monitorOf(w, flat));
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
    record,
    sequences: prepareSequences(sequences, flat.observed),
    model,
    program: blocking ? undefined : compiled.program,
    options,
    problems: [...new Set(problems)],
    requirements: watches.map(({ requirement, problems: unread }, k) => ({
      id: requirement.id,
      key: requirement.key,
      source: watched[k].source,
      decided: standingOf(requirement, undefined, undefined).finding,
      problem: (unread[0] ?? watched[k].problems[0])?.message ?? '',
    })),
  };
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
  const watches = watchedRequirements(project);
  const flat = flatten(library, typeById(project, project.root)?.name ?? '', {
    observers: watches.flatMap((w) => w.observers),
  });
  const { model } = flat;
  const structural = withoutObserverErrors(model).problems.some(
    (p) => p.severity === 'error' && !p.code.startsWith('unit'),
  );
  const setupProblems = project.setups.flatMap((setup) => {
    const place = `setup/${setup.id}`;
    const found: Problem[] = [...readChanges(setup.changes, place).problems];
    setup.changes.forEach((c) => {
      if (!model.indexOf.has(c.name) && !hasElements(model, c.name))
        found.push(unknownPath(model, c.name, `${place}/change/${c.id}/name`));
    });
    // a setup of another part type is checked when it is run
    readStimulus(setup, model, found);
    readStartIn(setup, model, found);
    return setup.root && setup.root !== project.root ? [] : found;
  });
  const constants = watches.flatMap((w) => {
    const finding = constantFinding(w, flat);
    return finding ? [{ id: w.requirement.id, key: w.requirement.key, ...finding }] : [];
  });
  const requirementProblems = watches.flatMap((w) => [...w.problems, ...monitorOf(w, flat).problems]);
  return {
    problems: [
      ...textProblems,
      ...model.problems,
      ...(structural ? [] : analyse(model).problems),
      ...checkBehaviour(project, library, model),
      ...checkLinks(project),
      ...requirementProblems,
      ...setupProblems,
    ],
    constants,
  };
}

const hasElements = (model: FlatModel, name: string): boolean =>
  [...model.indexOf.keys()].some((n) => n.startsWith(`${name}[`));

/** A requirement that cannot be read does not keep the product from running. */
const withoutObserverErrors = (model: FlatModel): FlatModel => ({
  ...model,
  problems: model.problems.filter((p) => !p.place?.startsWith('requirement/')),
});

const isFixed = (flat: FlattenResult, name: string): boolean => {
  const index = flat.model.indexOf.get(name);
  const kind = index === undefined ? undefined : flat.model.variables[index].kind;
  return kind === 'parameter' || kind === 'constant' || (kind === undefined && hasElements(flat.model, name));
};

function unknownPath(model: FlatModel, name: string, place: string): Problem {
  const near = nearestName(name, model.indexOf.keys());
  return {
    ...problem('error', 'unknown-name', `${model.name} has no ${name}${near ? `; did you mean ${near}?` : ''}`),
    place,
  };
}

/** Names a setup records; undefined for everything. */
function readRecord(setup: Setup, model: FlatModel, problems: Problem[]): readonly string[] | undefined {
  if (setup.record.length === 0) return undefined;
  const known = recordable(model);
  return setup.record.flatMap((name, k) => {
    const found = known.filter((x) => x === name || x.startsWith(`${name}.`) || x.startsWith(`${name}[`));
    if (found.length === 0)
      problems.push({
        ...problem('error', 'unknown-name', `${model.name} has no ${name} to record`),
        place: `setup/${setup.id}/record/${k}`,
      });
    return found;
  });
}

/** Charts and the states they start in, from full names. */
function readStartIn(setup: Setup, model: FlatModel, problems: Problem[]): Map<number, number[]> {
  const chosen = new Map<number, number[]>();
  setup.startIn.forEach((name, k) => {
    const c = model.charts.findIndex((x) => name.startsWith(`${x.name}.`));
    const wanted = c < 0 ? '' : name.slice(model.charts[c].name.length + 1);
    const state =
      c < 0
        ? -1
        : model.charts[c].structure.states.findIndex((s) => s.path === wanted || s.path.endsWith(`.${wanted}`));
    if (state < 0)
      problems.push({
        ...problem('error', 'unknown-state', `${model.name} has no state ${name}; it is written like ctrl.mode.Ready`),
        place: `setup/${setup.id}/startIn/${k}`,
      });
    else chosen.set(c, [...(chosen.get(c) ?? []), state]);
  });
  return chosen;
}

function readStimulus(setup: Setup, model: FlatModel, problems: Problem[]): Stimulus[] {
  return setup.stimulus.flatMap((row): Stimulus[] => {
    const place = `setup/${setup.id}/stimulus/${row.id}`;
    if (row.kind === 'follow') return [];
    if (row.kind === 'set') {
      const index = model.indexOf.get(row.target);
      if (index === undefined) {
        problems.push(unknownPath(model, row.target, place));
        return [];
      }
      const { kind } = model.variables[index];
      if (kind === 'continuous' || kind === 'discrete') {
        problems.push({
          ...problem(
            'error',
            'not-settable',
            `${row.target} follows from the equations and cannot be set; inputs and parameters can`,
          ),
          place,
        });
        return [];
      }
      const read = readSetValue(row.value, model.variables[index]);
      problems.push(...atPlace(`${place}/value`, read.problems));
      return read.value === undefined ? [] : [{ time: row.time, kind: 'set', variable: index, value: read.value }];
    }
    const target = messageTarget(model, row.target);
    if (!target) {
      problems.push({
        ...problem('error', 'unknown-part', `${row.target} does not name a part and a message, such as ctrl.start`),
        place,
      });
      return [];
    }
    const unheard = unheardMessage(model, target.part, target.message);
    if (unheard) problems.push({ ...problem('warning', 'unheard', unheard), place });
    return [{ time: row.time, kind: 'send', part: target.part, message: target.message, args: [] }];
  });
}

/** Says that nothing in a part waits for a message, and what may have been meant. */
function unheardMessage(model: FlatModel, part: number, message: string): string | undefined {
  const heard = model.charts
    .filter((c) => c.part === part)
    .flatMap((c) => c.structure.transitions.flatMap((t) => t.triggers.filter((g) => g.kind === 'message')));
  if (heard.some((g) => takesMessage(g, message)) || message.includes('.')) return undefined;
  const near = nearestName(
    message,
    heard.map((g) => g.message),
  );
  return `Nothing in ${model.parts[part].name || model.name} waits for ${message}${near ? `; did you mean ${near}?` : ''}`;
}

/** `ctrl.start`: the part and the message. A lone name is a message to the root. */
export function messageTarget(model: FlatModel, path: string): { part: number; message: string } | undefined {
  const dot = path.lastIndexOf('.');
  const partName = dot < 0 ? '' : path.slice(0, dot);
  const part = model.parts.findIndex((p) => p.name === partName);
  if (part >= 0) return { part, message: path.slice(dot + 1) };
  // a procedure is started by a message of two words
  const control = /^(?:(.*)\.)?([^.]+\.(?:start|stop))$/.exec(path);
  const owner = control ? model.parts.findIndex((p) => p.name === (control[1] ?? '')) : -1;
  return control &&
    owner >= 0 &&
    model.charts.some((c) => c.part === owner && c.isProcedure && c.name.split('.').at(-1) === control[2].split('.')[0])
    ? { part: owner, message: control[2] }
    : undefined;
}
