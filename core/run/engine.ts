import { applyPatches, enablePatches } from 'immer';
import { problem, type Problem } from '../language/diagnostics';
import { emptyProject, newChange, newSetup, typeById, type Project } from '../project/project';
import { ownerOf } from '../flatten/flat-model';
import { boardsOf } from '../boards/board';
import { pinsOf } from '../boards/board-image';
import { fromBuilt, nothingBuilt, type BuiltSteps } from '../boards/built-steps';
import type { HostBuild } from '../boards/host-build';
import { readBack } from '../stepcode/read-back/read-back';
import { sourcesOf } from '../stepcode/write-sources';
import { runSetups } from './batch';
import { checkProject } from './check';
import { exampleOf } from './example';
import { prepareRun, type Prepared } from './prepare';
import { basisOf, type RunBasis } from './basis';
import type { Engine, RunModel, RunShape, RunUpdate, StartOptions } from './protocol';
import { createRun, isRunnable, type Run } from './run';
import { createSession, type Session } from './session';
import { followsFromSteps } from './assemble';
import { triedRun, type TriedRun } from './tried';
import { createTimeline, stimulusOf } from './timeline';
import { typeStructure, unitIn } from './type-structure';

enablePatches();

/** What is run: a setup, or what a test case makes of one. */
function askedRun(
  project: Project,
  setupId: string,
  tried: StartOptions['tried'],
): Pick<TriedRun, 'project' | 'setup' | 'tried'> | Problem {
  if (tried) {
    const of = project.cases.find((c) => c.id === tried.id);
    return of ? triedRun(project, of, tried.stage) : problem('error', 'no-case', 'This test case is no longer there');
  }
  const setup = project.setups.find((x) => x.id === setupId);
  return setup ? { project, setup, tried: {} } : problem('error', 'no-setup', 'This setup is no longer there');
}

/** As data that can be posted: texts of origins are made when they are read. */
const plainStructure = (s: ReturnType<typeof typeStructure>): ReturnType<typeof typeStructure> =>
  JSON.parse(JSON.stringify(s)) as ReturnType<typeof typeStructure>;

/**
 * `first`: runs are numbered from here, so that no two engines give one number. `pack` prepares an update for its way to the listener,
 * for instance by marking arrays for transfer. `also` looks at what the engine knows nothing of, such as studies. `goStep` asks the machine
 * that compiled a program for a step of it.
 */
export function createEngine(
  pack: (update: RunUpdate) => RunUpdate = (u) => u,
  first = 0,
  also: (project: Project) => readonly Problem[] = () => [],
  goStep?: (build: HostBuild, question: Uint8Array) => Uint8Array,
): Engine {
  const compiledOf = (built: BuiltSteps = nothingBuilt) => fromBuilt(built, goStep);
  let session: Session | undefined;
  /** What the session at hand runs. */
  let sessionOf: Prepared | undefined;
  let project: Project = emptyProject('none', 'None');
  let version = -1;
  let count = first;
  /** The number of the batch that may go on. */
  let batch = 0;
  let basisNow: RunBasis | undefined;
  /** Puts a session in the place of the one there was. */
  const goOn = (next: Session, prepared: Prepared, basis: RunBasis | undefined): RunModel => {
    session?.drop();
    session = next;
    sessionOf = prepared;
    basisNow = basis;
    next.begin();
    return { ...runModel(next.id, prepared, next.timeline.run), ...(basis && { basis }) };
  };

  return {
    open(document, number) {
      project = document;
      version = number;
    },
    follow(change, from, to) {
      if (from !== version) return false;
      project = applyPatches(project, change as Parameters<typeof applyPatches>[1]);
      version = to;
      return true;
    },
    check() {
      const found = checkProject(project);
      return { ...found, problems: [...found.problems, ...also(project)], version };
    },
    example: (formula) => exampleOf(formula),
    shapes(typeId) {
      const setup = newSetup('look', 'Look');
      const prepared = prepareRun({ ...project, requirements: [], setups: [setup] }, { ...setup, root: typeId });
      if (!isRunnable(prepared)) return [];
      const run = createRun(prepared);
      run.simulation.advance(0);
      return shapesOf(prepared, run);
    },
    unitOf: (typeId, path) => unitIn(project, typeId, path),
    code(typeId) {
      const type = typeById(project, typeId);
      const { value, problems } = type ? sourcesOf(project, type) : { problems: [] };
      return {
        period: value?.program.period ?? 0,
        files: [...(value?.files ?? [])],
        unit: [...(value?.unit ?? [])],
        lines: value?.map ?? [],
        pins: value && type ? boardsOf(project).map((b) => [b.id, pinsOf(type, value.program, b)] as const) : [],
        numbers: value?.numbers ?? [],
        problems,
      };
    },
    readBack(typeId, edited) {
      const type = typeById(project, typeId);
      return type ? readBack(project, type, edited) : { proposals: [], complaints: [] };
    },
    structure: (typeId) => plainStructure(typeStructure(project, typeId)),
    start(setupId, options, listen) {
      const asked = askedRun(project, setupId, options.tried);
      if ('message' in asked) return { model: undefined, problems: [asked] };
      const { setup } = asked;
      const extra = Object.entries(options.changes ?? {}).map(([name, value], k) =>
        newChange(`given-${k}`, name, value),
      );
      const changed = {
        ...setup,
        changes: [...setup.changes.filter((c) => !extra.some((e) => e.name === c.name)), ...extra],
      };
      const prepared = prepareRun(
        asked.project,
        changed,
        undefined,
        options.conditions,
        compiledOf(options.built),
        asked.tried,
      );
      if (!isRunnable(prepared)) return { model: undefined, problems: prepared.problems };
      const lost = (options.actions ?? []).filter((a) => !stimulusOf(prepared, a));
      if (lost.length > 0)
        return {
          model: undefined,
          problems: lost.map((a) =>
            problem('error', 'unknown-name', `${prepared.model.name} has no ${a.target}, which was used by hand`),
          ),
        };
      const stops = new Set(options.breakpoints ?? []);
      const timeline = createTimeline(prepared, options.actions ?? [], stops);
      const model = goOn(
        createSession(timeline, {
          id: ++count,
          listen: (update) => listen(pack(update)),
          screen: setup.screen,
          pace: setup.screen ? options.pace : 0,
          paused: options.paused ?? false,
          stop: setup.stop,
        }),
        prepared,
        basisOf(asked.project, setup),
      );
      return { model, problems: prepared.problems };
    },
    branch(run, time, changes, { pace }, listen) {
      if (session?.id !== run || !sessionOf) return undefined;
      const prepared = sessionOf;
      if (changes.some((c) => !stimulusOf(prepared, c))) return undefined;
      return goOn(
        createSession(session.timeline.branch(time, changes), {
          id: ++count,
          listen: (update) => listen(pack(update)),
          screen: true,
          pace,
          paused: false,
          stop: sessionOf.options.stop,
        }),
        sessionOf,
        basisNow,
      );
    },
    pause: () => session?.pause(),
    resume: () => session?.resume(),
    step: () => session?.step(),
    back: (run) => (session?.id === run ? session.back() : false),
    setPace: (pace) => session?.setPace(pace),
    cancel: () => session?.cancel(),
    set: (path, value) => session?.set(path, value) ?? false,
    send: (path, args = {}) => session?.send(path, args) ?? false,
    runAll(ids, built, tell) {
      batch++;
      const mine = batch;
      return runSetups(
        project,
        ids,
        tell,
        () => new Promise((resolve) => setTimeout(() => resolve(batch === mine), 0)),
        compiledOf(built),
      );
    },
    cancelAll: () => void batch++,
    breakAt: (places) => session?.timeline.run.simulation.breakAt(new Set(places)),
  };
}

function shapesOf(prepared: Prepared, run: Run): RunShape[] {
  const { v } = run.simulation.machine.memory;
  const values = new Map(
    prepared.model.parts.flatMap((p) => (p.shape ? [[p.name, {} as Record<string, number>] as const] : [])),
  );
  prepared.model.variables.forEach((x, k) => {
    if (!x.ofShape) return;
    const owner = ownerOf(x.name);
    const own = values.get(owner);
    if (own) own[owner === '' ? x.name : x.name.slice(owner.length + 1)] = v[k];
  });
  return prepared.model.parts.flatMap((p) =>
    p.shape ? [{ part: p.name, kind: p.shape, values: values.get(p.name)! }] : [],
  );
}

function runModel(id: number, prepared: Prepared, run: Run): RunModel {
  const { model, program } = prepared;
  const { v } = run.simulation.machine.memory;
  const visible = model.variables.map((x, k) => ({ x, k })).filter(({ x }) => !x.hidden && x.type !== 'String');
  return {
    run: id,
    parameters: Object.fromEntries(
      visible.filter(({ x }) => x.kind === 'parameter' || x.kind === 'constant').map(({ x, k }) => [x.name, v[k]]),
    ),
    parts: model.parts.map((p) => p.name),
    partTypes: model.parts.map((p) => p.typeName),
    charts: model.charts.map((c) => ({
      name: c.name,
      place: c.place,
      part: model.parts[c.part]?.name ?? '',
      states: c.structure.states.map((s) => s.path),
      places: c.active.map((v) => model.variables[v].place),
      transitions: c.transitions.map((t) => t.origin.place),
      via: c.transitions.map((t) => t.via),
      targets: c.structure.transitions.map((t) => (t.targets.length > 0 ? c.structure.states[t.targets[0]].path : '')),
      isProcedure: c.isProcedure,
    })),
    units: Object.fromEntries(visible.map(({ x }) => [x.name, x.unit])),
    shapes: shapesOf(prepared, run),
    stages: prepared.steps.map(({ name, stage, board, program: { period } }) => ({
      part: name,
      stage,
      board,
      period,
    })),
    settable: visible
      .filter(
        ({ x, k }) =>
          ((x.kind === 'external' || x.kind === 'assigned') && !followsFromSteps(prepared, k)) ||
          (x.kind === 'parameter' && !x.isFinal && !program?.solvable.decided.has(k)),
      )
      .map(({ x }) => x.name),
  };
}
