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

export interface MachineSnapshot {
  readonly configurations: readonly Configuration[];
  readonly ended: readonly boolean[];
  /** Of each time trigger when it is due, its period, when it was armed and how often it has been due. */
  readonly clocks: readonly Float64Array[];
  readonly ticks: readonly number[];
  readonly tickPeriods: readonly number[];
  readonly later: readonly (readonly [number, ChartEvent])[];
  readonly kept: readonly ChartEvent[];
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
  /** Whether a trigger could take part now, for questions after the fact. */
  save(): MachineSnapshot;
  load(snapshot: MachineSnapshot): void;
}

const maximumAtOnce = 2000;

export function createChartMachine(charts: readonly MachineChart[], host: ChartHost): ChartMachine {
  const configurations: Configuration[] = charts.map(() => noConfiguration);
  const ended = charts.map(() => false);
  // one slot per time trigger, grouped by the state that arms it
  const timed = charts.map(({ structure }) =>
    structure.states.map((): { slot: number; transition: number; trigger: number; kind: TriggerNode['kind'] }[] => []),
  );
  const slots: { chart: number; from: number; transition: number; trigger: number; kind: TriggerNode['kind'] }[] = [];
  charts.forEach(({ structure }, c) =>
    structure.transitions.forEach((t, transition) =>
      t.triggers.forEach((g, trigger) => {
        if (g.kind !== 'after' && g.kind !== 'at' && g.kind !== 'every') return;
        timed[c][t.from].push({ slot: slots.length, transition, trigger, kind: g.kind });
        slots.push({ chart: c, from: t.from, transition, trigger, kind: g.kind });
      }),
    ),
  );
  const slotOf = new Map(slots.map((s, k) => [`${s.chart}/${s.transition}/${s.trigger}`, k]));
  const slotAt = charts.map(({ structure }, c) =>
    structure.transitions.map((t, j) => t.triggers.map((_, i) => slotOf.get(`${c}/${j}/${i}`) ?? -1)),
  );
  const due = new Float64Array(slots.length).fill(NaN);
  // of `every`: its period, when it was armed and how often it has been due, so that it does not drift
  const periods = new Float64Array(slots.length);
  const armed = new Float64Array(slots.length);
  const turns = new Float64Array(slots.length);
  const ticks = charts.map(() => 0);
  const tickPeriods = charts.map(() => Infinity);
  let own: ChartEvent[] = [];
  let outer: ChartEvent[] = [];
  let outerAt = 0;
  let kept: ChartEvent[] = [];
  const later: { due: number; event: ChartEvent }[] = [];
  const defersAnything = charts.map((c) => c.defers.some((d) => d.length > 0));
  const hasMoments = charts.some(({ structure }) =>
    structure.transitions.some((t) =>
      t.triggers.some((g) => g.kind === 'rises' || g.kind === 'changes' || g.kind === 'every'),
    ),
  );

  const matches = (c: number, t: number, event: ChartEvent | undefined): boolean => {
    const { triggers, from } = charts[c].structure.transitions[t];
    if (triggers.length === 0) return event === undefined;
    for (let k = 0; k < triggers.length; k++) {
      const g = triggers[k];
      switch (g.kind) {
        case 'message':
          if (event !== undefined && takesMessage(g, event.name)) return true;
          break;
        case 'done':
          if (event !== undefined && event.chart === c && event.name === doneName(charts[c].structure, from))
            return true;
          break;
        case 'after':
        case 'at':
        case 'every':
          if (event === undefined && due[slotAt[c][t][k]] <= host.now()) return true;
          break;
        default:
          if (event === undefined && host.condition(c, t, k)) return true;
      }
    }
    return false;
  };

  /** Runs the actions of a step. Entering arms the clocks of a state, leaving disarms them. */
  const carryOut = (c: number, step: ChartStep): void => {
    const { actions } = step;
    for (let k = 0; k < actions.length; k++) {
      const action = actions[k];
      if (action.kind === 'enter') {
        host.act(c, action);
        const clocks = timed[c][action.index];
        for (let i = 0; i < clocks.length; i++) arm(c, clocks[i]);
      } else if (action.kind === 'exit') {
        host.act(c, action);
        const clocks = timed[c][action.index];
        for (let i = 0; i < clocks.length; i++) due[clocks[i].slot] = NaN;
      } else {
        host.took(c, action.index);
        host.act(c, action);
      }
    }
    configurations[c] = step.next;
    for (const s of step.done)
      own.push({
        name: doneName(charts[c].structure, s),
        receivers: [charts[c].part],
        sender: charts[c].part,
        args: [],
        chart: c,
      });
    if (step.ended) ended[c] = true;
    if (kept.length > 0) recall();
  };

  const arm = (
    c: number,
    clock: { slot: number; transition: number; trigger: number; kind: TriggerNode['kind'] },
  ): void => {
    const amount = host.delay(c, clock.transition, clock.trigger);
    const now = host.now();
    if (clock.kind === 'at') due[clock.slot] = amount >= now ? amount : NaN;
    else if (clock.kind === 'after') due[clock.slot] = now + Math.max(0, amount);
    else {
      periods[clock.slot] = amount;
      armed[clock.slot] = now;
      turns[clock.slot] = 1;
      due[clock.slot] = amount > 0 ? now + amount : NaN;
    }
  };

  const step = (c: number, event: ChartEvent | undefined): boolean => {
    if (ended[c]) return false;
    const found = stepChart(charts[c].structure, configurations[c], (t) => matches(c, t, event) && host.guard(c, t));
    if (!found) return false;
    carryOut(c, found);
    return true;
  };

  const isKept = (c: number, name: string): boolean => {
    if (!defersAnything[c] || ended[c]) return false;
    const { structure, defers } = charts[c];
    return configurations[c].leaves.some((leaf) => {
      for (let s = leaf; s >= 0; s = structure.states[s].parent) if (defers[s].includes(name)) return true;
      return false;
    });
  };

  /** Kept messages that nobody keeps any longer come before all others from outside. */
  const recall = (): void => {
    const free = kept.filter((e) => !charts.some((x, c) => e.receivers.includes(x.part) && isKept(c, e.name)));
    if (free.length === 0) return;
    kept = kept.filter((e) => !free.includes(e));
    outer = [...free, ...outer.slice(outerAt)];
    outerAt = 0;
  };

  const dispatch = (event: ChartEvent): boolean => {
    let taken = false,
      keep = false;
    host.begin(event);
    for (let c = 0; c < charts.length; c++) {
      if (event.chart !== undefined ? event.chart !== c : !event.receivers.includes(charts[c].part)) continue;
      host.receive(c, event);
      if (step(c, event)) taken = true;
      else keep ||= isKept(c, event.name);
    }
    if (!taken && keep) kept.push(event);
    host.handled(event, taken ? 'taken' : keep ? 'kept' : 'lost');
    return taken;
  };

  const next = (): ChartEvent | undefined => {
    if (own.length > 0) return own.shift();
    if (outerAt < outer.length) return outer[outerAt++];
    outer = [];
    outerAt = 0;
    return undefined;
  };

  const nowDue = (): void => {
    const now = host.now();
    for (let k = 0; k < later.length;) {
      if (later[k].due <= now) outer.push(later.splice(k, 1)[0].event);
      else k++;
    }
    charts.forEach((chart, c) => {
      if (!chart.hasDo || ended[c] || ticks[c] * tickPeriods[c] > now) return;
      ticks[c] = Math.floor(now / tickPeriods[c] + 1e-9) + 1;
      const { states } = chart.structure;
      states.forEach(
        (_, s) => isActiveIn(chart.structure, configurations[c], s) && host.act(c, { kind: 'do', index: s }),
      );
    });
  };

  const moments = (): void => {
    const now = host.now();
    for (let k = 0; k < slots.length; k++) {
      if (slots[k].kind !== 'every') continue;
      while (due[k] <= now) due[k] = armed[k] + ++turns[k] * periods[k];
    }
    host.looked();
  };

  return {
    configuration: (c) => configurations[c],
    ended: (c) => ended[c],
    start(chosen) {
      charts.forEach((chart, c) => {
        if (chart.hasDo) {
          tickPeriods[c] = Math.max(1e-9, host.period(c));
          ticks[c] = 1;
        }
        const states = chosen?.get(c);
        carryOut(c, states ? startChartIn(chart.structure, states) : startChart(chart.structure));
      });
    },
    post(event, first = false) {
      (first ? own : outer).push(event);
    },
    postLater(event, time) {
      const at = later.findIndex((x) => x.due > time);
      later.splice(at < 0 ? later.length : at, 0, { due: time, event });
    },
    cancel(sender, name) {
      for (let k = later.length - 1; k >= 0; k--)
        if (later[k].event.sender === sender && later[k].event.name === name) later.splice(k, 1);
    },
    run() {
      nowDue();
      const recent = charts.map((): string[] => []);
      const counts = charts.map(() => 0);
      const tooMany = (c: number): boolean => {
        if (++counts[c] < maximumAtOnce - 12) return false;
        recent[c].push(leafNames(charts[c].structure, configurations[c]));
        if (counts[c] < maximumAtOnce) return false;
        host.endless(c, [...new Set(recent[c])]);
        return true;
      };
      let handled = 0;
      for (;;) {
        let moved = false;
        for (let c = 0; c < charts.length; c++) {
          if (!step(c, undefined)) continue;
          moved = true;
          if (tooMany(c) || !host.settle()) return false;
        }
        if (hasMoments) moments();
        if (moved) continue;
        const event = next();
        if (!event) return true;
        if (!dispatch(event)) continue;
        if (++handled > 50 * maximumAtOnce) {
          host.endless(-1, [event.name]);
          return false;
        }
        if (!host.settle()) return false;
      }
    },
    nextTime() {
      const now = host.now();
      let t = Infinity;
      for (let k = 0; k < due.length; k++) if (due[k] > now && due[k] < t) t = due[k];
      if (later.length > 0 && later[0].due > now) t = Math.min(t, later[0].due);
      charts.forEach((chart, c) => {
        if (chart.hasDo && !ended[c]) t = Math.min(t, ticks[c] * tickPeriods[c]);
      });
      return t;
    },
    isDue() {
      const now = host.now();
      for (let k = 0; k < due.length; k++) if (due[k] === now) return true;
      return (
        later.some((x) => x.due <= now) ||
        charts.some((chart, c) => chart.hasDo && !ended[c] && ticks[c] * tickPeriods[c] <= now)
      );
    },
    save: () => ({
      configurations: [...configurations],
      ended: [...ended],
      clocks: [due, periods, armed, turns].map((x) => Float64Array.from(x)),
      ticks: [...ticks],
      tickPeriods: [...tickPeriods],
      later: later.map((x) => [x.due, x.event] as const),
      kept: [...kept],
    }),
    load(saved) {
      saved.configurations.forEach((x, c) => (configurations[c] = x));
      saved.ended.forEach((x, c) => (ended[c] = x));
      [due, periods, armed, turns].forEach((x, k) => x.set(saved.clocks[k]));
      saved.ticks.forEach((x, c) => (ticks[c] = x));
      saved.tickPeriods.forEach((x, c) => (tickPeriods[c] = x));
      later.splice(0, later.length, ...saved.later.map(([time, event]) => ({ due: time, event })));
      kept = [...saved.kept];
      own = [];
      outer = [];
      outerAt = 0;
    },
  };
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
