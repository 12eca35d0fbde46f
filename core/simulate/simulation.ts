import type { Problem } from '../language/diagnostics';
import { initialStates, stepChart } from '../behaviour/chart-step';
import type { FlatSend } from '../flatten/flat-model';
import { BlockFailure } from '../program/newton';
import type { Machine, Program } from '../program/program';
import { blockProblem, chatterProblem, notFiniteProblem, runProblem, stepProblem, unsettledProblem } from './failure';
import { createStepper, type SolverName } from './solvers';
import type { StepCounts, Stepper } from './stepper';

export interface SimulationOptions {
  readonly stop: number;
  readonly solver: SolverName;
  readonly relative: number;
  readonly absolute: number;
  /** Step of fixed-step methods, in seconds. */
  readonly step: number;
  /** Distance of recorded rows, in seconds. */
  readonly recordEvery: number;
  /** Values given to constants and parameters, and start values of everything else, by variable number. */
  readonly values: ReadonlyMap<number, number>;
  readonly stimulus: readonly Stimulus[];
}

/** Something done from outside at a given time. */
export type Stimulus =
  | { readonly time: number; readonly kind: 'set'; readonly variable: number; readonly value: number }
  | { readonly time: number; readonly kind: 'send'; readonly part: number; readonly message: string; readonly args: readonly MessageArgument[] };

export interface MessageArgument {
  readonly name: string;
  readonly value: number;
}

/** One message on its way: superdense time, sender (-1: from outside) and receivers. */
export interface MessageRecord {
  readonly time: number;
  readonly step: number;
  readonly message: string;
  readonly sender: number;
  readonly receivers: readonly number[];
  readonly args: readonly MessageArgument[];
  /** Whether a chart took a transition for it. */
  readonly taken: boolean;
}

export interface TransitionRecord {
  readonly time: number;
  readonly step: number;
  readonly chart: number;
  readonly transition: number;
}

/** `sample` rows lie on the recording grid (and at both ends), `step` rows where the integrator happened to stop. */
export type RowKind = 'sample' | 'step' | 'before-event' | 'after-event';

/** Told of everything that happens, in order. */
export interface Observer {
  /** Values of all variables at a time; `event` rows come in pairs, before and after. */
  row(time: number, values: Float64Array, kind: RowKind): void;
  message(record: MessageRecord): void;
  transition(record: TransitionRecord): void;
}

export type RunStatus = 'ready' | 'running' | 'finished' | 'failed';

export interface Simulation {
  readonly time: number;
  readonly status: RunStatus;
  readonly problem: Problem | undefined;
  readonly counts: StepCounts & { events: number };
  readonly machine: Machine;
  /** Runs until the time is reached, or past the next event. Safe to call again and again. */
  advance(until: number, stopAtEvent?: boolean, keepGoing?: () => boolean): void;
  /** Gives a quantity a value now: an input, a parameter, or a quantity that charts set. */
  set(variable: number, value: number): void;
  send(part: number, message: string, args?: readonly MessageArgument[]): void;
  snapshot(): Snapshot;
  restore(snapshot: Snapshot): void;
}

export interface Snapshot {
  readonly time: number;
  readonly step: number;
  readonly status: RunStatus;
  readonly memory: readonly Float64Array[];
  readonly method: readonly number[];
  readonly due: Float64Array;
  readonly sampleIndex: readonly number[];
  readonly nextRow: number;
  readonly stimulusAt: number;
  readonly overrides: readonly (readonly [number, number])[];
}

const maximumIterations = 200;
const maximumEventsAtOnce = 2000;
/** Events within a ten-thousand-millionth of the run that count as endless. */
const maximumBurst = 50;

export function createSimulation(program: Program, options: SimulationOptions, observer: Observer): Simulation {
  const { solvable } = program;
  const { model, states } = solvable;
  const machine = program.createMachine();
  const { v, pre, m, live, z, s, flags } = machine.memory;
  const n = states.length;
  const y = new Float64Array(n);
  const hasModes = program.modes.length > 0;
  const longest = hasModes ? Math.max(options.stop / 100, options.recordEvery) : Infinity;
  const nominal = Float64Array.from(states, () => 1);
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
  const stepper: Stepper = createStepper(options, n, program.tornBlocks.length > 0 ? derivatives : machine.derivatives, { relative: options.relative, absolute: options.absolute, nominal }, n === 0 ? options.recordEvery : longest, program.tornBlocks.length > 0 ? undefined : machine.flatStep);
  const discrete = model.variables.flatMap((x, k) => (x.kind === 'discrete' || x.kind === 'assigned' || x.kind === 'external' ? [k] : []));
  const overrides = new Map(options.values);
  const stimulus = [...options.stimulus].sort((a, b) => a.time - b.time);
  const charts = model.charts.map((chart, k) => {
    const before = model.charts.slice(0, k);
    const effectBase = before.reduce((sum, c) => sum + 2 * c.structure.states.length + c.structure.transitions.length, 0);
    const transitionBase = before.reduce((sum, c) => sum + c.structure.transitions.length, 0);
    return { chart, effectBase, transitionBase, isActive: (state: number): boolean => v[chart.active[state]] !== 0 };
  });
  const due = new Float64Array(charts.reduce((sum, c) => sum + c.chart.transitions.length, 0)).fill(NaN);
  const assertionWarned = new Set<number>();
  const queue: { message: string; sender: number; receivers: readonly number[]; args: readonly MessageArgument[] }[] = [];
  const samples: { start: number; interval: number; index: number }[] = [];

  let time = 0, superdense = 0, status: RunStatus = 'ready', failure: Problem | undefined;
  let nextRow = 0, stimulusAt = 0, events = 0, eventsHere = 0, lastEventTime = NaN, ended = false;

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
      fail(blockProblem(program, error, time, v));
      return undefined;
    }
  };

  const checkFinite = (): void => {
    const p = notFiniteProblem(program, time, machine.memory);
    if (p) fail(p);
  };

  const send = (to: FlatSend, values: number[]): void => {
    queue.push({ message: to.message, sender: to.sender, receivers: to.receivers, args: to.args.map((a, k) => ({ name: a.name, value: values[k] })) });
  };

  /** Evaluates the equations at this instant until conditions, discrete values and restarts have settled. */
  const settleEquations = (initial: boolean): boolean => {
    for (let iteration = 0; iteration < maximumIterations; iteration++) {
      if (initial) machine.initial(time);
      else machine.event(time);
      let changed = false;
      if (hasModes) {
        machine.conditions(time);
        for (let k = 0; k < m.length; k++) {
          if (m[k] !== live[k]) {
            m[k] = live[k];
            changed = true;
          }
        }
      }
      const restarts: [number, number][] = [];
      model.actions.forEach((action, k) => {
        const fires = (initial && action.atInitial && iteration === 0) || (!initial && action.conditions.some((c) => v[c] !== 0 && pre[c] === 0));
        if (!fires) return;
        const values = machine.action(k, time);
        if (action.does.kind === 'reinit') restarts.push([action.does.state, values[0]]);
        else if (action.does.kind === 'send') send(action.does.send, values);
        else ended = true;
      });
      for (const k of discrete) {
        if (pre[k] !== v[k]) {
          pre[k] = v[k];
          changed = true;
        }
      }
      for (const [state, value] of restarts) {
        v[state] = pre[state] = value;
        changed = true;
      }
      if (!changed) return true;
    }
    fail(unsettledProblem(program, time, 'The equations do not settle: conditions keep switching each other', []));
    return false;
  };

  /** Takes one microstep of one chart. */
  const stepOne = (k: number, message: string | undefined): boolean => {
    const { chart, effectBase, transitionBase, isActive } = charts[k];
    const { structure } = chart;
    const enabled = (t: number): boolean => {
      const node = structure.transitions[t];
      switch (node.trigger) {
        case 'message':
          if (message === undefined || node.message !== message) return false;
          break;
        case 'when':
          if (message !== undefined) return false;
          if (v[chart.transitions[t].condition ?? -1] !== 1) return false;
          break;
        case 'after':
          if (message !== undefined || !(due[transitionBase + t] <= time)) return false;
          break;
        case 'completion':
          if (message !== undefined) return false;
      }
      return machine.guard(transitionBase + t, time);
    };
    const step = stepChart(structure, isActive, enabled);
    if (!step) return false;
    const count = structure.states.length;
    const run = (effect: number): void => machine.effect(effectBase + effect, time, send);
    for (const state of step.exited) {
      run(count + state);
      v[chart.active[state]] = 0;
      structure.transitions.forEach((t, j) => t.from === state && (due[transitionBase + j] = NaN));
    }
    for (const t of step.taken) {
      superdense++;
      observer.transition({ time, step: superdense, chart: k, transition: t });
      run(2 * count + t);
    }
    enterStates(k, step.entered);
    return true;
  };

  const enterStates = (k: number, entered: readonly number[]): void => {
    const { chart, effectBase, transitionBase } = charts[k];
    for (const state of entered) {
      v[chart.active[state]] = 1;
      chart.structure.transitions.forEach((t, j) => {
        if (t.from === state && t.trigger === 'after') due[transitionBase + j] = time + Math.max(0, machine.delay(transitionBase + j, time));
      });
      machine.effect(effectBase + state, time, send);
    }
  };

  /** Runs charts to completion, one message after the other (W3C SCXML, appendix D, without its external queue). */
  const runCharts = (): boolean => {
    const recent: { chart: number; states: string }[] = [];
    const note = (k: number): boolean => {
      const { chart, isActive } = charts[k];
      recent.push({ chart: k, states: chart.structure.states.flatMap((x, j) => (x.children.length === 0 && isActive(j) ? [x.path] : [])).join(' + ') });
      if (recent.length < maximumEventsAtOnce) return true;
      const loop = [...new Set(recent.slice(-12).map((r) => r.states))];
      fail(unsettledProblem(program, time, `The state chart ${chart.name} never settles: it keeps going through ${loop.join(' -> ')}`, [chart.place]));
      return false;
    };
    for (;;) {
      let moved = false;
      for (let k = 0; k < charts.length; k++) {
        if (stepOne(k, undefined)) {
          if (!note(k)) return false;
          moved = true;
          if (!settleEquations(false)) return false;
        }
      }
      if (moved) continue;
      const next = queue.shift();
      if (!next) return true;
      superdense++;
      const at = superdense;
      let taken = false;
      for (let k = 0; k < charts.length; k++) {
        if (!next.receivers.includes(charts[k].chart.part)) continue;
        if (stepOne(k, next.message)) {
          taken = true;
          if (!note(k)) return false;
        }
      }
      observer.message({ time, step: at, message: next.message, sender: next.sender, receivers: next.receivers, args: next.args, taken });
      if (recent.length + superdense > 10 * maximumEventsAtOnce && queue.length > maximumEventsAtOnce) {
        fail(unsettledProblem(program, time, `Messages keep causing messages: ${next.message} was sent ${queue.filter((q) => q.message === next.message).length} times in one moment`, []));
        return false;
      }
      if (taken && !settleEquations(false)) return false;
    }
  };

  /** Everything that happens at one instant. `v` holds the values from before it. */
  const handleEvent = (change?: () => void): void => {
    if (time === lastEventTime) {
      if (++eventsHere > maximumEventsAtOnce) {
        fail(chatterProblem(program, time, machine.memory));
        return;
      }
    } else {
      lastEventTime = time;
      eventsHere = 0;
      superdense = 0;
    }
    events++;
    observer.row(time, v, 'before-event');
    pre.set(v);
    change?.();
    guarded(() => {
      if (!settleEquations(false) || !runCharts()) return;
      if (s.some((x) => x !== 0)) {
        s.fill(0);
        if (!settleEquations(false)) return;
      }
      if (ended) flags[1] = 1;
    });
    restart();
    if (status === 'failed') return;
    checkAssertions();
    observer.row(time, v, 'after-event');
    noteChatter();
  };

  let burstStart = 0, burstCount = 0;
  /** Events that pile up without the time moving on noticeably. */
  const noteChatter = (): void => {
    if (time - burstStart > 1e-10 * Math.max(1, options.stop)) {
      burstStart = time;
      burstCount = 0;
    } else if (++burstCount > maximumBurst) fail(chatterProblem(program, time, machine.memory));
  };

  const checkAssertions = (): void => {
    model.assertions.forEach((a, k) => {
      if (status === 'failed' || machine.assertion(k, time)) return;
      if (a.warning) assertionWarned.add(k);
      else fail(runProblem('assertion', `${a.message} (assert in ${a.origin.part || model.name})`, time, a.origin));
    });
  };

  const restart = (): void => {
    for (let k = 0; k < n; k++) y[k] = v[states[k]];
    stepper.reset(time, y);
  };

  const loadStates = (values: Float64Array): void => {
    for (let k = 0; k < n; k++) v[states[k]] = values[k];
  };

  /** All values at a time inside the step just taken. */
  const valuesAt = (t: number): void => {
    stepper.interpolate(t, y);
    loadStates(y);
    machine.outputs(t);
  };

  const start = (): void => {
    status = 'running';
    machine.parameters(overrides);
    machine.starts();
    overrides.forEach((value, k) => (v[k] = value));
    samples.length = 0;
    for (let k = 0; k < program.sampleCount; k++) samples.push({ ...machine.sampleTimes(k), index: 0 });
    const bad = samples.find((x) => !(x.interval > 0));
    if (bad) return fail(runProblem('sample', `A sample interval must be positive, but it is ${bad.interval}`, 0));
    charts.forEach(({ chart }) => initialStates(chart.structure).forEach((state) => (v[chart.active[state]] = 1)));
    pre.set(v);
    flags[0] = 1;
    guarded(() => {
      if (!settleEquations(true)) return;
      flags[0] = 0;
      charts.forEach(({ chart }, k) => enterStates(k, initialStates(chart.structure)));
      if (settleEquations(false)) runCharts();
    });
    flags[0] = 0;
    if (status === 'running') checkFinite();
    if (status !== 'running') return;
    restart();
    checkAssertions();
    observer.row(time, v, 'sample');
    nextRow = 1;
    applyOutside();
  };

  const nextSample = (): number => samples.reduce((t, x) => Math.min(t, x.start + x.index * x.interval), Infinity);

  /** The next instant at which something is known to happen. */
  const nextTimeEvent = (): number => {
    let t = Math.min(options.stop, nextSample(), stimulus[stimulusAt]?.time ?? Infinity);
    for (let k = 0; k < due.length; k++) if (due[k] > time && due[k] < t) t = due[k];
    return t;
  };

  const atTimeEvent = (): boolean => {
    if (nextSample() <= time || (stimulus[stimulusAt]?.time ?? Infinity) <= time) return true;
    for (let k = 0; k < due.length; k++) if (due[k] === time) return true;
    return false;
  };

  const apply = (x: Stimulus): void => {
    if (x.kind === 'send') queue.push({ message: x.message, sender: -1, receivers: [x.part], args: x.args });
    else assign(x.variable, x.value);
  };

  const assign = (variable: number, value: number): void => {
    const { kind } = model.variables[variable];
    v[variable] = value;
    if (kind === 'parameter' || kind === 'constant') {
      overrides.set(variable, value);
      machine.parameters(overrides);
    }
  };

  /** Samples and stimulus that are due now. */
  const applyOutside = (): void => {
    if (!atTimeEvent()) return;
    handleEvent(() => {
      samples.forEach((x, k) => {
        if (x.start + x.index * x.interval > time) return;
        s[k] = 1;
        x.index++;
      });
      while (stimulusAt < stimulus.length && stimulus[stimulusAt].time <= time) apply(stimulus[stimulusAt++]);
    });
  };

  const recordUpTo = (end: number): void => {
    for (let t = nextRow * options.recordEvery; t <= end; t = ++nextRow * options.recordEvery) {
      if (t <= time) continue;
      if (t >= end - 1e-12 * Math.max(1, Math.abs(end))) {
        // the row at the end of the step is recorded there
        break;
      }
      valuesAt(t);
      observer.row(t, v, 'sample');
    }
  };

  const finishIfDue = (): void => {
    if (status !== 'running') return;
    if (ended || time >= options.stop) status = 'finished';
  };

  /** One step of the integrator with everything that follows; true where an event was handled. */
  const stepOnce = (): boolean => {
    const limit = nextTimeEvent();
    const from = time;
    stageFailure = undefined;
    const ok = limit > time ? stepper.step(limit) : true;
    if (!ok) {
      if (stageFailure) fail(blockProblem(program, stageFailure, time, v));
      else if (burstCount > 3) fail(chatterProblem(program, time, machine.memory));
      if (hasFailed()) return false;
      checkFinite();
      if (!hasFailed()) fail(stepProblem(program, time, machine.memory, options.solver));
      return false;
    }
    const reached = stepper.t;
    const crossing = hasModes ? guarded(() => locate(from, reached)) : undefined;
    if (hasFailed()) return false;
    const end = crossing ?? reached;
    guarded(() => recordUpTo(end));
    guarded(() => valuesAt(end));
    if (hasFailed()) return false;
    time = end;
    if (!Number.isFinite(sumOf(v))) {
      checkFinite();
      if (hasFailed()) return false;
    }
    const onRow = Math.abs(nextRow * options.recordEvery - time) <= 1e-12 * Math.max(1, time);
    if (onRow) nextRow++;
    if (crossing !== undefined || atTimeEvent()) {
      if (crossing !== undefined && !atTimeEvent()) handleEvent();
      else applyOutside();
      finishIfDue();
      return true;
    }
    observer.row(time, v, onRow || time >= options.stop ? 'sample' : 'step');
    checkAssertions();
    finishIfDue();
    return false;
  };

  const changed = (): boolean => {
    for (let k = 0; k < m.length; k++) if (m[k] !== live[k]) return true;
    return false;
  };
  const look = (t: number): boolean => {
    valuesAt(t);
    machine.conditions(t);
    return changed();
  };

  const before = new Float64Array(program.modes.length);
  const middle = new Float64Array(program.modes.length);

  /**
   * The first time in (from, to] at which a condition has changed, by bisection with secant steps on the dense output.
   * Points inside the step are looked at too, where a parabola through three of them says a condition may change and come back.
   */
  const locate = (from: number, to: number): number | undefined => {
    if (to <= from) return undefined;
    const parts = 4;
    let left = from;
    let right: number | undefined;
    for (let j = 1; j <= parts; j++) {
      const t = j === parts ? to : from + ((to - from) * j) / parts;
      if (look(t)) {
        right = t;
        break;
      }
      if (j >= 2) {
        const turn = turningPoint(t - (2 * (to - from)) / parts, t);
        if (turn !== undefined && look(turn)) {
          right = turn;
          break;
        }
      }
      before.set(middle);
      middle.set(z);
      left = t;
    }
    if (right === undefined) return undefined;
    if (left >= right) left = from;
    return narrow(left, right);
  };

  /** Where a parabola through the last three looks has its turning point closest to a change. */
  const turningPoint = (from: number, to: number): number | undefined => {
    for (let k = 0; k < z.length; k++) {
      const [a, b, c] = [before[k], middle[k], z[k]];
      if (!(a * b > 0 && b * c > 0)) continue;
      if (Math.abs(b) > Math.abs(a) || Math.abs(b) > Math.abs(c)) continue;
      const curvature = a - 2 * b + c;
      if (curvature === 0) continue;
      const at = (a - c) / (2 * curvature);
      const value = b - ((a - c) ** 2) / (8 * curvature);
      if (value * b < 0.05 * b * b && Math.abs(at) < 1) return (from + to) / 2 + (at * (to - from)) / 2;
    }
    return undefined;
  };

  const narrow = (leftStart: number, rightStart: number): number => {
    let left = leftStart, right = rightStart;
    look(left);
    const zLeft = Float64Array.from(z);
    look(right);
    let k = m.findIndex((x, j) => x !== live[j]);
    let zr = z[k], zl = zLeft[k], side = 0;
    for (let iteration = 0; iteration < 100; iteration++) {
      const width = right - left;
      if (width <= 4 * Number.EPSILON * Math.max(Math.abs(right), 1e-3)) break;
      // Illinois variant of the secant rule (Dowell and Jarratt 1971), bisection where it does not apply
      let t = left + width / 2;
      if (iteration % 4 !== 3 && zl * zr < 0) {
        const guess = right - (zr * width) / (zr - zl);
        const margin = Math.max(width * 1e-3, 2 * Number.EPSILON * Math.abs(right));
        t = Math.min(right - margin, Math.max(left + margin, guess));
        if (!(t > left && t < right)) t = left + width / 2;
      }
      if (look(t)) {
        right = t;
        const first = m.findIndex((x, j) => x !== live[j]);
        if (first !== k) {
          k = first;
          zl = zLeft[k];
        }
        zr = z[k];
        if (side === 1) zl /= 2;
        side = 1;
      } else {
        left = t;
        zLeft.set(z);
        zl = z[k];
        if (side === -1) zr /= 2;
        side = -1;
      }
    }
    return right;
  };

  return {
    get time() { return time; },
    get status() { return status; },
    get problem() { return failure; },
    get counts() { return { ...stepper.counts, events }; },
    machine,
    advance(until, stopAtEvent = false, keepGoing = () => true) {
      if (status === 'ready') start();
      finishIfDue();
      while (status === 'running' && time < until && keepGoing()) {
        if (stepOnce() && stopAtEvent) return;
      }
    },
    set(variable, value) {
      if (status === 'ready') start();
      if (status === 'running') handleEvent(() => assign(variable, value));
    },
    send(part, message, args = []) {
      if (status === 'ready') start();
      if (status === 'running') handleEvent(() => queue.push({ message, sender: -1, receivers: [part], args }));
    },
    snapshot() {
      // the method starts anew here in this run too, so that the restored run takes the same steps
      if (status === 'ready') start();
      restart();
      return {
        time, step: superdense, status, method: stepper.save(), memory: [v, pre, machine.memory.d, m, s, flags].map((a) => Float64Array.from(a)), due: Float64Array.from(due),
        sampleIndex: samples.map((x) => x.index), nextRow, stimulusAt, overrides: [...overrides],
      };
    },
    restore(snapshot) {
      if (status === 'ready') start();
      ({ time, status, nextRow, stimulusAt } = snapshot);
      superdense = snapshot.step;
      [v, pre, machine.memory.d, m, s, flags].forEach((a, k) => a.set(snapshot.memory[k]));
      due.set(snapshot.due);
      stepper.load(snapshot.method);
      samples.forEach((x, k) => (x.index = snapshot.sampleIndex[k]));
      overrides.clear();
      snapshot.overrides.forEach(([k, value]) => overrides.set(k, value));
      failure = undefined;
      queue.length = 0;
      lastEventTime = NaN;
      ended = flags[1] === 1;
      restart();
    },
  };
}

function sumOf(x: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < x.length; k++) sum += x[k];
  return sum;
}
