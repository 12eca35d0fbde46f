import { applyPatches, enablePatches } from 'immer';
import { emptyProject, newChange, newSetup, type Project } from '../project/project';
import type { Recording } from '../simulate/recording';
import { ownerOf } from '../flatten/flat-model';
import { runSetups } from './batch';
import { checkProject } from './check';
import { exampleOf } from './example';
import { messageTarget, prepareRun, type Prepared } from './prepare';
import type { Engine, OutsideAction, RunModel, RunShape, RunUpdate } from './protocol';
import { createRun, isRunnable, type Run } from './run';
import { typeStructure, unitIn } from './type-structure';

enablePatches();

/** How long it computes between looks at what has been said to it, and how often it tells: with and without somebody watching. */
const pacing = { shown: { slice: 24, update: 50 }, unseen: { slice: 120, update: 250 } };
/** Made anew each time, as what is handed over is gone here. */
const nothingNew = (): Recording => ({
  rows: 0,
  time: new Float64Array(0),
  columns: [],
  messages: [],
  transitions: [],
});

interface Session {
  readonly id: number;
  readonly prepared: Prepared;
  readonly run: Run;
  readonly listen: (update: RunUpdate) => void;
  /** Rows are handed over while it goes on; otherwise once it rests. */
  readonly screen: boolean;
  pace: number;
  paused: boolean;
  cancelled: boolean;
  /** Clock and product time from which the pace counts. */
  clockBase: number;
  timeBase: number;
  lastUpdate: number;
  computing: number;
  stoppedAt: string | undefined;
  actions: OutsideAction[];
}

/** As data that can be posted: texts of origins are made when they are read. */
const plainStructure = (s: ReturnType<typeof typeStructure>): ReturnType<typeof typeStructure> =>
  JSON.parse(JSON.stringify(s)) as ReturnType<typeof typeStructure>;

/** `pack` prepares an update for its way to the listener, for instance by marking arrays for transfer. */
export function createEngine(pack: (update: RunUpdate) => RunUpdate = (u) => u): Engine {
  let session: Session | undefined;
  let project: Project = emptyProject('none', 'None');
  let version = -1;
  let count = 0;
  /** The number of the batch that may go on. */
  let batch = 0;

  const tell = (s: Session): void => {
    const { simulation } = s.run;
    s.lastUpdate = performance.now();
    const status = s.cancelled
      ? 'cancelled'
      : simulation.status === 'running' && s.paused
        ? 'paused'
        : simulation.status;
    const unseen = !s.screen && status === 'running';
    s.listen(
      pack({
        run: s.id,
        status,
        time: simulation.time,
        chunk: unseen ? nothingNew() : s.run.recorder.takeNew(),
        findings: unseen ? [] : s.run.findings(),
        problem: simulation.problem,
        warnings: simulation.warnings,
        counts: simulation.counts,
        solver: simulation.status === 'running' ? undefined : simulation.report(),
        seconds: s.computing / 1000,
        stoppedAt: s.stoppedAt,
        actions: s.actions,
        sequences: s.run.sequences(),
      }),
    );
    s.actions = [];
  };

  const rebase = (s: Session): void => {
    s.clockBase = performance.now();
    s.timeBase = s.run.simulation.time;
  };

  const noteStop = (s: Session): void => {
    const place = s.run.simulation.takeBreak();
    if (place === undefined) return;
    s.paused = true;
    s.stoppedAt = place;
  };

  /** Works for a slice of time, then lets messages in. */
  const work = (s: Session): void => {
    if (session !== s || s.paused || s.cancelled) return;
    const { simulation } = s.run;
    const started = performance.now();
    const target = s.pace > 0 ? s.timeBase + ((started - s.clockBase) / 1000) * s.pace : Infinity;
    const { slice, update } = s.screen ? pacing.shown : pacing.unseen;
    const end = started + slice;
    let looks = 0;
    simulation.advance(target, false, () => ++looks % 16 !== 0 || performance.now() < end);
    noteStop(s);
    const now = performance.now();
    s.computing += now - started;
    if (now - s.lastUpdate >= update || simulation.status !== 'running' || s.paused) tell(s);
    if (simulation.status === 'running' && !s.paused) setTimeout(() => work(s), s.pace > 0 ? 8 : 0);
  };

  const act = (change: (s: Session) => void): void => {
    // nothing can be done to a run that is over
    if (!session || session.cancelled || session.run.simulation.status !== 'running') return;
    change(session);
    tell(session);
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
    check: () => ({ ...checkProject(project), version }),
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
    structure: (typeId) => plainStructure(typeStructure(project, typeId)),
    start(setupId, options, listen) {
      if (session) session.cancelled = true;
      const setup = project.setups.find((x) => x.id === setupId);
      if (!setup)
        return {
          model: undefined,
          problems: [{ severity: 'error', code: 'no-setup', message: 'This setup is no longer there' }],
        };
      const extra = Object.entries(options.changes ?? {}).map(([name, value], k) =>
        newChange(`given-${k}`, name, value),
      );
      const again = (options.actions ?? []).map((a, k) => ({
        id: `again-${k}`,
        time: a.time,
        kind: a.kind,
        target: a.target,
        value: String(a.value),
      }));
      const changed = {
        ...setup,
        changes: [...setup.changes.filter((c) => !extra.some((e) => e.name === c.name)), ...extra],
        stimulus: [...setup.stimulus, ...again],
      };
      const prepared = prepareRun(project, changed, undefined, options.conditions);
      if (!isRunnable(prepared)) return { model: undefined, problems: prepared.problems };
      const run = createRun(prepared, undefined, true);
      count++;
      const s: Session = {
        id: count,
        prepared,
        run,
        listen,
        screen: setup.screen,
        pace: setup.screen ? options.pace : 0,
        paused: options.paused ?? false,
        cancelled: false,
        clockBase: 0,
        timeBase: 0,
        lastUpdate: 0,
        computing: 0,
        stoppedAt: undefined,
        actions: [...(options.actions ?? [])],
      };
      session = s;
      run.simulation.breakAt(new Set(options.breakpoints ?? []));
      run.simulation.advance(0);
      noteStop(s);
      rebase(s);
      setTimeout(() => (s.paused ? tell(s) : work(s)), 0);
      return { model: runModel(count, prepared, run), problems: prepared.problems };
    },
    pause: () => act((s) => (s.paused = true)),
    resume() {
      const s = session;
      if (!s || s.cancelled || s.run.simulation.status !== 'running') return;
      s.paused = false;
      s.stoppedAt = undefined;
      rebase(s);
      work(s);
    },
    step: () =>
      act((s) => {
        s.paused = true;
        s.run.simulation.advance(Infinity, true);
        s.stoppedAt = s.run.simulation.takeBreak();
      }),
    setPace: (pace) =>
      act((s) => {
        s.pace = pace;
        rebase(s);
      }),
    cancel: () =>
      act((s) => {
        s.cancelled = true;
      }),
    set(path, value) {
      const index = session?.prepared.model.indexOf.get(path);
      if (index === undefined) return false;
      act((s) => {
        s.actions.push({ time: s.run.simulation.time, kind: 'set', target: path, value });
        s.run.simulation.set(index, value);
      });
      return true;
    },
    send(path, args = {}) {
      const target = session && messageTarget(session.prepared.model, path);
      if (!target) return false;
      act((s) => {
        s.actions.push({ time: s.run.simulation.time, kind: 'send', target: path, value: 0 });
        s.run.simulation.send(
          target.part,
          target.message,
          Object.entries(args).map(([name, value]) => ({ name, value })),
        );
        noteStop(s);
      });
      return true;
    },
    runAll(ids, tell) {
      batch++;
      const mine = batch;
      return runSetups(
        project,
        ids,
        tell,
        () => new Promise((resolve) => setTimeout(() => resolve(batch === mine), 0)),
      );
    },
    cancelAll: () => void batch++,
    breakAt: (places) => session?.run.simulation.breakAt(new Set(places)),
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
  const { model } = prepared;
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
    settable: visible
      .filter(({ x }) => x.kind === 'external' || x.kind === 'parameter' || x.kind === 'assigned')
      .map(({ x }) => x.name),
  };
}
