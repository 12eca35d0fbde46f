import { endOfInstant, isSameInstant } from './instant';
import {
  isActiveIn,
  noConfiguration,
  takesMessage,
  type ChartStructure,
  type Configuration,
  type TriggerNode,
} from './chart-structure';
import { isFinished, startChart, startChartIn, stepChart, type ChartStep, type StepAction } from './chart-step';

/**
 * Runs the charts of a model to completion, one message after the other. Between messages every chart may take what needs
 * none; what a part sends itself comes before what waits from outside (W3C SCXML, appendix D). Time, values and effects are
 * the host's: the simulator, the interpreter behind the command line, and the boards each bring their own.
 */
export interface MachineChart {
  readonly name: string;
  readonly structure: ChartStructure;
  readonly part: number;
  /** Messages each state keeps for later. */
  readonly defers: readonly (readonly string[])[];
  readonly hasDo: boolean;
}

export interface ChartHost {
  now(): number;
  guard(chart: number, transition: number): boolean;
  /** Of `when` whether it is true now, of `rises` and `changes` whether that has happened since the last look. */
  condition(chart: number, transition: number, trigger: number): boolean;
  /** Seconds of a time trigger. */
  delay(chart: number, transition: number, trigger: number): number;
  /** Seconds between the do texts of a chart. */
  period(chart: number): number;
  act(chart: number, action: StepAction | { readonly kind: 'do'; readonly index: number }): void;
  /** A message is about to be looked at. */
  begin(event: ChartEvent): void;
  /** Hands the arguments of a message to the chart that is about to look at it. */
  receive(chart: number, event: ChartEvent): void;
  took(chart: number, transition: number): void;
  /** A trigger of a transition is the first of them that there is. */
  triggered?(chart: number, transition: number, trigger: number): void;
  /** Lets everything else follow what an effect has changed; false where that failed. */
  settle(): boolean;
  /** Every chart has been asked once: what happened at one moment only is over. */
  looked(): void;
  handled(event: ChartEvent, outcome: 'taken' | 'kept' | 'lost'): void;
  /** Steps without end in one moment. */
  endless(chart: number, states: readonly string[]): void;
}

export interface ChartEvent {
  readonly name: string;
  /** Parts that receive it. */
  readonly receivers: readonly number[];
  /** -1: from outside. */
  readonly sender: number;
  readonly args: readonly { readonly name: string; readonly value: number }[];
  /** The chart whose state is finished, for events of its own. */
  readonly chart?: number;
  /** What the host attached to it. */
  readonly data?: unknown;
}

/** All that charts remember between two looks at them, as plain data. */
export interface ChartMachineState {
  readonly configurations: Configuration[];
  readonly ended: boolean[];
  /** Of each time trigger when it is due (NaN: not armed). */
  readonly due: Float64Array;
  /** Of `every`: its period, when it was armed and how often it has been due, so that it does not drift. */
  readonly periods: Float64Array;
  readonly armed: Float64Array;
  readonly turns: Float64Array;
  /** Of do texts: how often they were carried out, and how far apart. */
  readonly ticks: number[];
  readonly tickPeriods: number[];
  /** Messages that wait: of the charts' own, from outside, those kept by a state, and those that arrive later. */
  own: ChartEvent[];
  outer: ChartEvent[];
  kept: ChartEvent[];
  readonly later: { readonly due: number; readonly event: ChartEvent }[];
}

export interface ChartMachine {
  configuration(chart: number): Configuration;
  ended(chart: number): boolean;
  /** Enters the initial states, or the chosen ones. */
  start(chosen?: ReadonlyMap<number, readonly number[]>): void;
  /** Puts a message in the queue: `own` ahead of those from outside. */
  post(event: ChartEvent, own?: boolean): void;
  postLater(event: ChartEvent, due: number): void;
  cancel(sender: number, name: string): void;
  /** Handles everything that is due; false where something failed. */
  run(): boolean;
  /** The next time at which something of the charts is due, after now. */
  nextTime(): number;
  isDue(): boolean;
  readonly state: ChartMachineState;
}

const maximumAtOnce = 2000;

/** A time trigger and its place among all of them. */
interface Clock {
  readonly slot: number;
  readonly transition: number;
  readonly trigger: number;
  readonly kind: TriggerNode['kind'];
}

/** What does not change while charts run. */
interface Layout {
  readonly charts: readonly MachineChart[];
  /** By chart and state: the clocks that it arms. */
  readonly clocksOf: readonly (readonly (readonly Clock[])[])[];
  /** Kinds of all clocks, and by chart, transition and trigger the place of its clock, -1 for none. */
  readonly kinds: readonly TriggerNode['kind'][];
  readonly slotAt: readonly (readonly (readonly number[])[])[];
  readonly defersAnything: readonly boolean[];
  /** Some trigger looks at what happens at one moment only. */
  readonly hasMoments: boolean;
}

function layoutOf(charts: readonly MachineChart[]): Layout {
  const kinds: TriggerNode['kind'][] = [];
  const clocksOf = charts.map(({ structure }) => structure.states.map((): Clock[] => []));
  const slotAt = charts.map(({ structure }, c) =>
    structure.transitions.map((t, transition) =>
      t.triggers.map(({ kind }, trigger) => {
        if (kind !== 'after' && kind !== 'at' && kind !== 'every') return -1;
        clocksOf[c][t.from].push({ slot: kinds.length, transition, trigger, kind });
        return kinds.push(kind) - 1;
      }),
    ),
  );
  return {
    charts,
    clocksOf,
    kinds,
    slotAt,
    defersAnything: charts.map((c) => c.defers.some((d) => d.length > 0)),
    hasMoments: charts.some(({ structure }) =>
      structure.transitions.some((t) =>
        t.triggers.some((g) => g.kind === 'rises' || g.kind === 'changes' || g.kind === 'every'),
      ),
    ),
  };
}

const newState = ({ charts, kinds }: Layout): ChartMachineState => ({
  configurations: charts.map(() => noConfiguration),
  ended: charts.map(() => false),
  due: new Float64Array(kinds.length).fill(NaN),
  periods: new Float64Array(kinds.length),
  armed: new Float64Array(kinds.length),
  turns: new Float64Array(kinds.length),
  ticks: charts.map(() => 0),
  tickPeriods: charts.map(() => Infinity),
  own: [],
  outer: [],
  kept: [],
  later: [],
});

/** Charts at work: what they are, who computes for them, and what they remember. */
interface Work {
  readonly layout: Layout;
  readonly host: ChartHost;
  readonly state: ChartMachineState;
}

/** With the state of another machine of the same charts it goes on from there. */
export function createChartMachine(
  charts: readonly MachineChart[],
  host: ChartHost,
  saved?: ChartMachineState,
): ChartMachine {
  const layout = layoutOf(charts);
  const state = saved ?? newState(layout);
  const work: Work = { layout, host, state };
  return {
    state,
    configuration: (c) => state.configurations[c],
    ended: (c) => state.ended[c],
    start: (chosen) => start(work, chosen),
    post: (event, own = false) => void (own ? state.own : state.outer).push(event),
    postLater(event, due) {
      const at = state.later.findIndex((x) => x.due > due);
      state.later.splice(at < 0 ? state.later.length : at, 0, { due, event });
    },
    cancel(sender, name) {
      for (let k = state.later.length - 1; k >= 0; k--) {
        const { event } = state.later[k];
        if (event.sender === sender && event.name === name) state.later.splice(k, 1);
      }
    },
    run: () => run(work),
    nextTime: () => nextTime(work),
    isDue: () => isDue(work),
  };
}

function matches(work: Work, c: number, t: number, event: ChartEvent | undefined): boolean {
  const { layout, host } = work;
  const { triggers } = layout.charts[c].structure.transitions[t];
  if (triggers.length === 0) return event === undefined;
  for (let k = 0; k < triggers.length; k++)
    if (isThere(work, c, t, k, event)) {
      host.triggered?.(c, t, k);
      return true;
    }
  return false;
}

function isThere(
  { layout, host, state }: Work,
  c: number,
  t: number,
  k: number,
  event: ChartEvent | undefined,
): boolean {
  const { structure } = layout.charts[c];
  const { triggers, from } = structure.transitions[t];
  const g = triggers[k];
  switch (g.kind) {
    case 'message':
      return event !== undefined && takesMessage(g, event.name);
    case 'done':
      return event !== undefined && event.chart === c && event.name === doneName(structure, from);
    case 'after':
    case 'at':
    case 'every':
      return event === undefined && state.due[layout.slotAt[c][t][k]] <= endOfInstant(host.now());
    default:
      return event === undefined && host.condition(c, t, k);
  }
}

/** Runs the actions of a step. Entering arms the clocks of a state, leaving disarms them. */
function carryOut(work: Work, c: number, { actions, next, done, ended }: ChartStep): void {
  const { layout, host, state } = work;
  const { structure, part } = layout.charts[c];
  for (let k = 0; k < actions.length; k++) {
    const action = actions[k];
    if (action.kind === 'enter') {
      host.act(c, action);
      const clocks = layout.clocksOf[c][action.index];
      for (let i = 0; i < clocks.length; i++) arm(work, c, clocks[i]);
    } else if (action.kind === 'exit') {
      host.act(c, action);
      const clocks = layout.clocksOf[c][action.index];
      for (let i = 0; i < clocks.length; i++) state.due[clocks[i].slot] = NaN;
    } else {
      host.took(c, action.index);
      host.act(c, action);
    }
  }
  state.configurations[c] = next;
  for (const s of done)
    state.own.push({ name: doneName(structure, s), receivers: [part], sender: part, args: [], chart: c });
  if (ended) state.ended[c] = true;
  if (state.kept.length > 0) recall(work);
}

function arm({ host, state }: Work, c: number, { slot, transition, trigger, kind }: Clock): void {
  const amount = host.delay(c, transition, trigger);
  const now = host.now();
  if (kind === 'at') state.due[slot] = amount >= now ? amount : NaN;
  else if (kind === 'after') state.due[slot] = now + Math.max(0, amount);
  else {
    state.periods[slot] = amount;
    state.armed[slot] = now;
    state.turns[slot] = 1;
    state.due[slot] = amount > 0 ? now + amount : NaN;
  }
}

/** One step of a chart; false where it takes none. */
function step(work: Work, c: number, event: ChartEvent | undefined): boolean {
  const { layout, host, state } = work;
  if (state.ended[c]) return false;
  const found = stepChart(
    layout.charts[c].structure,
    state.configurations[c],
    (t) => matches(work, c, t, event) && host.guard(c, t),
  );
  if (!found) return false;
  carryOut(work, c, found);
  return true;
}

function start(work: Work, chosen: ReadonlyMap<number, readonly number[]> | undefined): void {
  const { layout, host, state } = work;
  layout.charts.forEach(({ structure, hasDo }, c) => {
    if (hasDo) {
      state.tickPeriods[c] = Math.max(1e-9, host.period(c));
      state.ticks[c] = 1;
    }
    const states = chosen?.get(c);
    carryOut(work, c, states ? startChartIn(structure, states) : startChart(structure));
  });
}

/** Whether an active state keeps a message for later. */
function keeps({ layout, state }: Work, c: number, name: string): boolean {
  if (!layout.defersAnything[c] || state.ended[c]) return false;
  const { structure, defers } = layout.charts[c];
  return state.configurations[c].leaves.some((leaf) => {
    for (let s = leaf; s >= 0; s = structure.states[s].parent) if (defers[s].includes(name)) return true;
    return false;
  });
}

/** Kept messages that nobody keeps any longer come before all others from outside. */
function recall(work: Work): void {
  const { layout, state } = work;
  const free = state.kept.filter(
    (e) => !layout.charts.some((x, c) => e.receivers.includes(x.part) && keeps(work, c, e.name)),
  );
  if (free.length === 0) return;
  state.kept = state.kept.filter((e) => !free.includes(e));
  state.outer = [...free, ...state.outer];
}

/** Shows a message to the charts of its receivers; whether one of them took it. */
function dispatch(work: Work, event: ChartEvent): boolean {
  const { layout, host, state } = work;
  let taken = false,
    keep = false;
  host.begin(event);
  for (let c = 0; c < layout.charts.length; c++) {
    if (event.chart !== undefined ? event.chart !== c : !event.receivers.includes(layout.charts[c].part)) continue;
    host.receive(c, event);
    if (step(work, c, event)) taken = true;
    else keep ||= keeps(work, c, event.name);
  }
  if (!taken && keep) state.kept.push(event);
  host.handled(event, taken ? 'taken' : keep ? 'kept' : 'lost');
  return taken;
}

/** What is due by the clock: messages that arrive now, and do texts. */
function nowDue({ layout, host, state }: Work): void {
  const now = host.now();
  const end = endOfInstant(now);
  for (let k = 0; k < state.later.length;) {
    if (state.later[k].due <= end) state.outer.push(state.later.splice(k, 1)[0].event);
    else k++;
  }
  layout.charts.forEach(({ structure, hasDo }, c) => {
    const period = state.tickPeriods[c];
    if (!hasDo || state.ended[c] || state.ticks[c] * period > end) return;
    state.ticks[c] = Math.floor(now / period + 1e-9) + 1;
    structure.states.forEach(
      (_, s) => isActiveIn(structure, state.configurations[c], s) && host.act(c, { kind: 'do', index: s }),
    );
  });
}

/** Every chart has looked: what happened at this moment only is over. */
function passMoments({ layout, host, state }: Work): void {
  const end = endOfInstant(host.now());
  for (let k = 0; k < layout.kinds.length; k++) {
    if (layout.kinds[k] !== 'every') continue;
    while (state.due[k] <= end) state.due[k] = state.armed[k] + ++state.turns[k] * state.periods[k];
  }
  host.looked();
}

function run(work: Work): boolean {
  const { layout, host, state } = work;
  const { charts } = layout;
  nowDue(work);
  const recent = charts.map((): string[] => []);
  const counts = charts.map(() => 0);
  const tooMany = (c: number): boolean => {
    if (++counts[c] < maximumAtOnce - 12) return false;
    recent[c].push(leafNames(charts[c].structure, state.configurations[c]));
    if (counts[c] < maximumAtOnce) return false;
    host.endless(c, [...new Set(recent[c])]);
    return true;
  };
  let handled = 0;
  for (;;) {
    let moved = false;
    for (let c = 0; c < charts.length; c++) {
      if (!step(work, c, undefined)) continue;
      moved = true;
      if (tooMany(c) || !host.settle()) return false;
    }
    if (layout.hasMoments) passMoments(work);
    if (moved) continue;
    const event = state.own.shift() ?? state.outer.shift();
    if (!event) return true;
    if (!dispatch(work, event)) continue;
    if (++handled > 50 * maximumAtOnce) {
      host.endless(-1, [event.name]);
      return false;
    }
    if (!host.settle()) return false;
  }
}

function nextTime({ layout, host, state }: Work): number {
  const end = endOfInstant(host.now());
  const { due, later } = state;
  let t = Infinity;
  for (let k = 0; k < due.length; k++) if (due[k] > end && due[k] < t) t = due[k];
  if (later.length > 0 && later[0].due > end) t = Math.min(t, later[0].due);
  layout.charts.forEach(({ hasDo }, c) => {
    if (hasDo && !state.ended[c]) t = Math.min(t, state.ticks[c] * state.tickPeriods[c]);
  });
  return t;
}

function isDue({ layout, host, state }: Work): boolean {
  const now = host.now();
  for (let k = 0; k < state.due.length; k++) if (isSameInstant(state.due[k], now)) return true;
  const end = endOfInstant(now);
  return (
    state.later.some((x) => x.due <= end) ||
    layout.charts.some(({ hasDo }, c) => hasDo && !state.ended[c] && state.ticks[c] * state.tickPeriods[c] <= end)
  );
}

const names = new WeakMap<ChartStructure, Map<number, string>>();

/** The event that says a state is finished. */
export function doneName(chart: ChartStructure, state: number): string {
  let known = names.get(chart);
  if (!known) names.set(chart, (known = new Map()));
  let name = known.get(state);
  if (name === undefined) known.set(state, (name = `done.state.${chart.states[state].name}`));
  return name;
}

export const leafNames = (chart: ChartStructure, configuration: Configuration): string =>
  configuration.leaves.map((s) => chart.states[s].path).join(' + ');

export { isFinished };
