import type { Problem } from '../language/diagnostics';
import { jacobianPattern } from '../analysis/pattern';
import type { FlatExpr } from '../flatten/flat-expression';
import { tell } from '../flatten/flat-text';
import { BlockFailure } from '../program/newton';
import type { Machine, Program } from '../program/program';
import { createSimulatedCharts, type Clock } from './chart-host';
import { createBurstWatch } from './burst-watch';
import { createCrossingLocator } from './crossings';
import {
  blockProblem,
  chatterProblem,
  constraintProblem,
  notFiniteProblem,
  openLoopProblem,
  rootProblem,
  runProblem,
  stepProblem,
  unsettledProblem,
} from './failure';
import { patternOf } from './linear-solver';
import { createRunProfile } from './run-profile';
import type { KnownJacobian } from './state-jacobian';
import type { RunStatus, Simulation, SimulationOptions, Stimulus } from './simulation-types';
import { solverReport } from './solver-report';
import { createDomainWatch } from './domain-watch';
import { openLoops } from './open-loops';
import { createKinks } from './kinks';
import { createProjection } from './projection';
import { createStepper } from './solvers';
import { createTimetable } from './timetable';
import type { MessageArgument, MessageRecord, Observer, RowKind, TransitionRecord } from './observer';
import type { Stepper } from './stepper';

export type { MessageArgument, MessageRecord, Observer, RowKind, TransitionRecord };
export type { Driver, Outside, RunStatus, Simulation, SimulationOptions, Snapshot, Stimulus } from './simulation-types';

const maximumIterations = 200;
const maximumEventsAtOnce = 2000;

export function createSimulation(program: Program, options: SimulationOptions, observer: Observer): Simulation {
  const { solvable } = program;
  const { model, states } = solvable;
  const machine = program.createMachine();
  const { v, pre, m, live, s, flags } = machine.memory;
  const n = states.length;
  const y = new Float64Array(n);
  const hasModes = program.modes.length > 0;
  const longest = hasModes ? Math.max(options.stop / 100, options.recordEvery) : Infinity;
  const nominal = Float64Array.from(states, (k) => nominalOf(model.variables[k].nominal));
  const projection = createProjection(program, machine, nominal);
  let stageFailure: BlockFailure | undefined;
  /** A stage the equations cannot be solved for makes the step too long, not the run wrong. */
  const derivatives: Machine['derivatives'] = (t, state, dy) => {
    try {
      machine.derivatives(t, state, dy);
    } catch (error) {
      if (!(error instanceof BlockFailure)) throw error;
      stageFailure = error;
      dy.fill(NaN);
    }
  };
  const stepper: Stepper = createStepper(
    options,
    n,
    program.tornBlocks.length > 0 ? derivatives : machine.derivatives,
    { relative: options.relative, absolute: options.absolute, nominal },
    n === 0 ? options.recordEvery : longest,
    program.tornBlocks.length > 0 ? undefined : machine.flatStep,
    () => knownJacobian(program, machine),
  );
  const discrete = model.variables.flatMap((x, k) =>
    x.kind === 'discrete' || x.kind === 'assigned' || x.kind === 'external' ? [k] : [],
  );
  const overrides = new Map(options.values);
  const timetable = createTimetable(options.stimulus);
  const kinks = createKinks(program, v);
  const warnings = new Map<number, Problem>();
  let open: readonly Problem[] = [];

  const profile = createRunProfile(program.modes.length);
  const clock: Clock = { time: 0, step: 0 };
  let status: RunStatus = 'ready',
    failure: Problem | undefined,
    ending: Problem | undefined;
  let nextRow = 0,
    events = 0,
    eventsHere = 0,
    lastEventTime = NaN,
    ended = false,
    restarted = false;

  const { driver } = options;
  const stopWhen = options.stopWhen ?? [];
  const stopWas: boolean[] = stopWhen.map(() => false);

  const hasFailed = (): boolean => status === 'failed';
  const fail = (p: Problem): void => {
    status = 'failed';
    failure = p;
  };

  /** Runs code that evaluates equations, turning its failures into problems with a place. */
  const guarded = <T>(work: () => T): T | undefined => {
    try {
      return work();
    } catch (error) {
      if (!(error instanceof BlockFailure)) throw error;
      fail(blockProblem(program, error, clock.time, v));
      return undefined;
    }
  };

  const domains = createDomainWatch(program, machine, options);
  const checkDomains = (t = clock.time): void => {
    const k = domains.check(t);
    if (k !== undefined) fail(rootProblem(program, t, machine.memory, k));
  };

  const checkFinite = (): void => {
    const p = notFiniteProblem(program, clock.time, machine.memory);
    if (p) fail(p);
  };

  const charts = createSimulatedCharts(program, machine, clock, observer, {
    settle: () => settleEquations(false),
    endless: (message, place) => fail(unsettledProblem(program, clock.time, message, place ? [place] : [])),
  });

  /** Evaluates the equations at this instant until conditions, discrete values and restarts have settled. */
  const settleEquations = (initial: boolean): boolean => {
    const restarts: [number, number][] = [];
    for (let iteration = 0; iteration < maximumIterations; iteration++) {
      if (initial) machine.initial(clock.time);
      else machine.event(clock.time);
      let changed = false;
      if (hasModes) {
        machine.conditions(clock.time);
        for (let k = 0; k < m.length; k++) {
          if (m[k] !== live[k]) {
            m[k] = live[k];
            changed = true;
          }
        }
      }
      model.actions.forEach((action, k) => {
        const fires =
          (initial && action.atInitial && iteration === 0) ||
          (!initial && action.conditions.some((c) => v[c] !== 0 && pre[c] === 0));
        if (!fires) return;
        const values = machine.action(k, clock.time);
        if (action.does.kind === 'reinit') restarts.push([action.does.state, values[0]]);
        else if (action.does.kind === 'send') charts.send(action.does.send, values);
        else {
          ended = true;
          ending = {
            ...runProblem(
              'ended',
              `Ended itself: ${tell(action.does.message, v, clock.time) || 'terminate'}`,
              clock.time,
              action.origin,
            ),
            severity: 'info',
          };
        }
      });
      if (!initial) charts.noteMoments();
      // at the start, values before it are the start values until the conditions have settled; the event iteration goes on from there
      if (initial && changed) continue;
      for (const k of discrete) {
        if (pre[k] !== v[k]) {
          pre[k] = v[k];
          changed ||= !initial;
        }
      }
      for (const [state, value] of restarts) {
        v[state] = pre[state] = value;
        changed = restarted = true;
      }
      if (restarts.length > 0) keepConstraints(new Set(restarts.map(([state]) => state)));
      restarts.length = 0;
      if (!changed) return true;
    }
    fail(
      unsettledProblem(program, clock.time, 'The equations do not settle: conditions keep switching each other', []),
    );
    return false;
  };

  /** Everything that happens at one instant. `v` holds the values from before it. */
  const handleEvent = (change?: () => void): void => {
    if (clock.time === lastEventTime) {
      if (++eventsHere > maximumEventsAtOnce) {
        fail(chatterProblem(program, clock.time, machine.memory));
        return;
      }
    } else {
      lastEventTime = clock.time;
      eventsHere = 0;
      clock.step = 0;
    }
    events++;
    observer.row(clock.time, v, 'before-event');
    pre.set(v);
    restarted = false;
    change?.();
    guarded(() => {
      if (!settleEquations(false) || !charts.machine.run()) return;
      if (s.some((x) => x !== 0)) {
        s.fill(0);
        if (!settleEquations(false)) return;
      }
      if (ended) flags[1] = 1;
    });
    restart();
    if (status === 'failed') return;
    machine.note(clock.time);
    checkAssertions();
    observer.row(clock.time, v, 'after-event');
    if (bursts.noteEvent(clock.time, restarted)) fail(chatterProblem(program, clock.time, machine.memory));
    stopWhen.forEach((x, k) => {
      if (v[x.variable] !== 0 && !stopWas[k]) charts.hit(x.name);
      stopWas[k] = v[x.variable] !== 0;
    });
    if (options.endWhen !== undefined && v[options.endWhen] !== 0) ended = true;
    drive();
  };

  let driving = false;
  /** Lets the driver answer to what has happened, until it has nothing more to say. */
  const drive = (): void => {
    if (!driver || driving || status !== 'running') return;
    driving = true;
    for (let k = 0; k < maximumEventsAtOnce && !hasFailed(); k++) {
      const sends = driver.look(clock.time, v);
      if (sends.length === 0) break;
      handleEvent(() =>
        sends.forEach((x) =>
          x.kind === 'send' ? charts.post(x.part, x.message, x.args) : assign(x.variable, x.value),
        ),
      );
    }
    driving = false;
  };

  const bursts = createBurstWatch(machine.memory, program.modes.length, options.stop);

  /** Looked at wherever values are told: at the ends of steps, at events, and on the rows between. */
  const checkAssertions = (t = clock.time): void => {
    model.assertions.forEach((a, k) => {
      if (status === 'failed' || warnings.has(k) || machine.assertion(k, t)) return;
      if (a.warning)
        warnings.set(k, {
          ...runProblem(
            'assertion',
            `${tell(a.message, v, t)}${a.origin.part ? ` in ${a.origin.part}` : ''}`,
            t,
            a.origin,
          ),
          severity: 'warning',
        });
      else
        fail(
          runProblem('assertion', `${tell(a.message, v, t)} (assert in ${a.origin.part || model.name})`, t, a.origin),
        );
    });
  };

  /** Puts the states back onto the constraints of the model. */
  const keepConstraints = (held?: ReadonlySet<number>): void => {
    if (!projection || hasFailed()) return;
    if (projection.project(clock.time, held)) return;
    fail(constraintProblem(program, clock.time, machine.memory, 0));
  };

  const restart = (): void => {
    for (let k = 0; k < n; k++) y[k] = v[states[k]];
    stepper.reset(clock.time, y);
  };

  const loadStates = (values: Float64Array): void => {
    for (let k = 0; k < n; k++) v[states[k]] = values[k];
  };

  /** All values at a clock.time inside the step just taken. */
  const valuesAt = (t: number): void => {
    stepper.interpolate(t, y);
    loadStates(y);
    machine.outputs(t);
  };

  const refuseStructural = (k: number): void =>
    fail(
      runProblem(
        'structural',
        `${model.variables[k].name} decides which terms the equations have: change it in the model, not during a run`,
        clock.time,
      ),
    );

  const start = (): void => {
    status = 'running';
    const decided = [...overrides.keys()].find((k) => program.solvable.evaluated.has(k));
    if (decided !== undefined) return refuseStructural(decided);
    machine.parameters(overrides);
    machine.starts();
    overrides.forEach((value, k) => {
      const alias = program.solvable.aliases.get(k);
      v[alias?.index ?? k] = alias?.sign === -1 ? -value : value;
    });
    const bad = timetable.begin(Array.from({ length: program.sampleCount }, (_, k) => machine.sampleTimes(k)));
    if (bad !== undefined) return fail(runProblem('sample', `A sample interval must be positive, but it is ${bad}`, 0));
    charts.markInitial(options.startIn ?? new Map());
    pre.set(v);
    flags[0] = 1;
    guarded(() => {
      if (projection) {
        machine.initial(clock.time);
        const open = projection.begin(
          clock.time,
          new Set(states.filter((k) => model.variables[k].fixed || overrides.has(k))),
        );
        if (open !== undefined) return fail(constraintProblem(program, clock.time, machine.memory, open));
      }
      if (!settleEquations(true)) return;
      flags[0] = 0;
      charts.machine.start(options.startIn);
      if (settleEquations(false)) charts.machine.run();
    });
    flags[0] = 0;
    if (status === 'running') checkFinite();
    if (status === 'running') checkDomains();
    if (status !== 'running') return;
    open = openLoops(program, machine, clock.time).map((k) => openLoopProblem(program, k, clock.time, v));
    if (machine.past.length > 0) {
      machine.note(clock.time);
      guarded(() => settleEquations(false));
    }
    restart();
    checkAssertions();
    stopWhen.forEach((x, k) => (stopWas[k] = v[x.variable] !== 0));
    observer.row(clock.time, v, 'sample');
    nextRow = 1;
    applyOutside();
    drive();
  };

  /** The next instant at which something is known to happen. */
  const nextTimeEvent = (): number =>
    Math.min(options.stop, timetable.next(), charts.machine.nextTime(), driver?.nextTime() ?? Infinity);

  const atTimeEvent = (): boolean =>
    timetable.next() <= clock.time || charts.machine.isDue() || (driver?.nextTime() ?? Infinity) <= clock.time;

  const apply = (x: Stimulus): void => {
    if (x.kind === 'send') charts.post(x.part, x.message, x.args);
    else assign(x.variable, x.value);
  };

  const assign = (variable: number, value: number): void => {
    const { kind } = model.variables[variable];
    v[variable] = value;
    if (program.solvable.evaluated.has(variable)) return refuseStructural(variable);
    if (kind === 'parameter' || kind === 'constant') {
      overrides.set(variable, value);
      machine.parameters(overrides);
    }
  };

  /** Samples and stimulus that are due now. */
  const applyOutside = (): void => {
    if (!atTimeEvent()) return;
    handleEvent(() => {
      const due = timetable.take(clock.time);
      for (const k of due.samples) s[k] = 1;
      due.stimulus.forEach(apply);
    });
  };

  /** Keeps what is delayed, as densely as its polynomials need. */
  const notePast = (from: number, end: number): void => {
    if (machine.past.length === 0) return;
    const points = 12;
    for (let k = 1; k <= points; k++) {
      const t = k === points ? end : from + ((end - from) * k) / points;
      valuesAt(t);
      machine.note(t);
    }
  };

  const recordUpTo = (end: number): void => {
    for (let t = nextRow * options.recordEvery; t <= end; t = ++nextRow * options.recordEvery) {
      if (t <= clock.time) continue;
      if (t >= end - 1e-12 * Math.max(1, Math.abs(end))) {
        // the row at the end of the step is recorded there
        break;
      }
      valuesAt(t);
      checkDomains(t);
      if (!hasFailed()) {
        observer.row(t, v, 'sample');
        checkAssertions(t);
      }
      if (hasFailed()) {
        clock.time = t;
        return;
      }
    }
  };

  const finishIfDue = (): void => {
    if (status !== 'running') return;
    if (ended || clock.time >= options.stop) status = 'finished';
  };

  /** One step of the integrator with everything that follows; true where an event was handled. */
  const stepOnce = (): boolean => {
    // steps end where a table of time turns, and a delayed value has to lie in the past
    const limit = Math.min(
      nextTimeEvent(),
      kinks.next(clock.time),
      clock.time + machine.past.reduce((least, p) => Math.min(least, p.shortest / 2), Infinity),
    );
    const from = clock.time;
    stageFailure = undefined;
    profile.start();
    const ok = limit > clock.time ? stepper.step(limit) : true;
    if (!ok) {
      if (stageFailure) fail(blockProblem(program, stageFailure, clock.time, v));
      else if (bursts.isBurst) fail(chatterProblem(program, clock.time, machine.memory));
      if (hasFailed()) return false;
      checkFinite();
      if (!hasFailed()) fail(stepProblem(program, clock.time, machine.memory, options.solver));
      return false;
    }
    const reached = stepper.t;
    if (projection) {
      loadStates(stepper.y);
      const kept = guarded(() => projection.project(reached));
      if (kept === false) fail(constraintProblem(program, reached, machine.memory, 0));
      if (hasFailed()) return false;
      let moved = false;
      for (let k = 0; k < n; k++) {
        y[k] = v[states[k]];
        moved ||= y[k] !== stepper.y[k];
      }
      if (moved) stepper.adjust(y);
    }
    profile.lap('steps');
    const crossing = hasModes ? guarded(() => firstCrossing(from, reached)) : undefined;
    if (hasFailed()) return false;
    profile.lap('looking');
    const end = crossing ?? reached;
    guarded(() => recordUpTo(end));
    if (hasFailed()) return false;
    guarded(() => notePast(from, end));
    guarded(() => valuesAt(end));
    if (hasFailed()) return false;
    clock.time = end;
    const through = bursts.goesThrough(end);
    if (through !== undefined) {
      fail(chatterProblem(program, through, machine.memory));
      return false;
    }
    if (!Number.isFinite(sumOf(v))) {
      checkFinite();
      if (hasFailed()) return false;
    }
    checkDomains();
    if (hasFailed()) return false;
    const onRow = Math.abs(nextRow * options.recordEvery - clock.time) <= 1e-12 * Math.max(1, clock.time);
    if (onRow) nextRow++;
    if (crossing !== undefined || atTimeEvent()) {
      profile.lap('rows');
      if (crossing !== undefined) noteSwitches();
      if (crossing !== undefined && !atTimeEvent()) handleEvent();
      else applyOutside();
      profile.lap('events');
      finishIfDue();
      return true;
    }
    observer.row(clock.time, v, onRow || clock.time >= options.stop ? 'sample' : 'step');
    checkAssertions();
    profile.lap('rows');
    finishIfDue();
    return false;
  };

  const noteSwitches = (): void => {
    machine.conditions(clock.time);
    for (let k = 0; k < m.length; k++) if (m[k] !== live[k]) profile.switches[k]++;
  };

  const locator = createCrossingLocator(program, machine.memory, valuesAt, (t) => machine.conditions(t));

  /**
   * The first change of a condition that the product itself depends on. Conditions that only requirements look at are brought
   * up to date on the way, each with a row before and after; the integrator goes on as if nothing had happened.
   */
  const firstCrossing = (from: number, reached: number): number | undefined => {
    for (let start = from, k = 0; ; k++) {
      const t = locator.locate(start, reached);
      if (t === undefined || k > maximumEventsAtOnce || !onlyWatched(t)) return t;
      recordUpTo(t);
      valuesAt(t);
      observer.row(t, v, 'before-event');
      pre.set(v);
      machine.event(t);
      for (const j of discrete) pre[j] = v[j];
      observer.row(t, v, 'after-event');
      if (t >= reached) return undefined;
      start = t;
    }
  };

  const onlyWatched = (t: number): boolean => {
    if (program.watchedModes.size === 0) return false;
    valuesAt(t);
    machine.conditions(t);
    for (let k = 0; k < m.length; k++) if (m[k] !== live[k] && !program.watchedModes.has(k)) return false;
    return true;
  };

  return {
    get time() {
      return clock.time;
    },
    get status() {
      return status;
    },
    get problem() {
      return failure;
    },
    get warnings() {
      return [...open, ...warnings.values(), ...(ending ? [ending] : [])];
    },
    get counts() {
      return { ...stepper.counts, events };
    },
    machine,
    report: () => solverReport(program, options, stepper, events, profile),
    advance(until, stopAtEvent = false, keepGoing = () => true) {
      if (status === 'ready') start();
      finishIfDue();
      while (status === 'running' && clock.time < until && keepGoing()) {
        if (stepOnce() && (stopAtEvent || charts.isHit())) return;
      }
    },
    set(variable, value) {
      if (status === 'ready') start();
      if (status === 'running') handleEvent(() => assign(variable, value));
    },
    send(part, message, args = []) {
      if (status === 'ready') start();
      if (status === 'running') handleEvent(() => charts.post(part, message, args));
    },
    breakAt: charts.breakAt,
    takeBreak: charts.takeHit,
    snapshot() {
      // the method starts anew here in this run too, so that the restored run takes the same steps
      if (status === 'ready') start();
      restart();
      return {
        time: clock.time,
        step: clock.step,
        status,
        method: stepper.save(),
        memory: [v, pre, machine.memory.d, m, s, flags].map((a) => Float64Array.from(a)),
        charts: charts.machine.save(),
        ...timetable.save(),
        nextRow,
        overrides: [...overrides],
        past: machine.past.map((p) => p.save()),
        bursts: bursts.save(),
        events,
        eventsHere,
        lastEventTime,
        ending,
        warnings: [...warnings],
        open,
        counts: { ...stepper.counts },
      };
    },
    restore(snapshot) {
      if (status === 'ready') start();
      ({ status, nextRow } = snapshot);
      clock.time = snapshot.time;
      clock.step = snapshot.step;
      [v, pre, machine.memory.d, m, s, flags].forEach((a, k) => a.set(snapshot.memory[k]));
      charts.machine.load(snapshot.charts);
      stepper.load(snapshot.method);
      timetable.load(snapshot);
      machine.past.forEach((p, k) => p.load(snapshot.past[k]));
      overrides.clear();
      snapshot.overrides.forEach(([k, value]) => overrides.set(k, value));
      failure = undefined;
      ({ events, eventsHere, lastEventTime, ending, open } = snapshot);
      ended = flags[1] === 1;
      warnings.clear();
      snapshot.warnings.forEach(([k, p]) => warnings.set(k, p));
      bursts.load(snapshot.bursts);
      Object.assign(stepper.counts, snapshot.counts);
      stopWhen.forEach((x, k) => (stopWas[k] = v[x.variable] !== 0));
      charts.takeHit();
      machine.conditions(clock.time);
      restart();
    },
  };
}

/** The Jacobian as far as it is known: written out, or only where it can differ from zero. */
function knownJacobian(program: Program, machine: Machine): KnownJacobian {
  if (!machine.jacobian) {
    const pattern = jacobianPattern(program.solvable);
    return { pattern };
  }
  return { write: machine.jacobian, ...(program.jacobianRows && { pattern: patternOf(program.jacobianRows) }) };
}

/** The size a state is of, where its declaration says so with a number. */
const nominalOf = (e: FlatExpr | undefined): number => (e?.op === 'const' && e.value !== 0 ? Math.abs(e.value) : 1);

function sumOf(x: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < x.length; k++) sum += x[k];
  return sum;
}
