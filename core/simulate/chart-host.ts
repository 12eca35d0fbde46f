import { startChart } from '../behaviour/chart-step';
import { createChartMachine, type ChartEvent, type ChartHost, type ChartMachine } from '../behaviour/chart-machine';
import type { FlatModel, FlatSend } from '../flatten/flat-model';
import type { Machine } from '../program/machine';
import type { Program } from '../program/program';
import type { MessageArgument, Observer } from './observer';
import type { SimulationState } from './simulation-state';

export interface SimulatedCharts {
  readonly machine: ChartMachine;
  /** Marks the states active that the charts start in, before their entry texts are run. */
  markInitial(chosen: ReadonlyMap<number, readonly number[]>): void;
  /** Told before `pre` follows: which conditions of triggers rise or change now. */
  noteMoments(): void;
  send(to: FlatSend, values: readonly number[], after?: number): void;
  post(part: number, message: string, args: readonly MessageArgument[], sender?: number): void;
  /** The run has come to where it should stop; the first place counts. */
  hit(place: string): void;
}

/** Number of triggers over all charts of a model. */
export const triggerCount = (model: FlatModel): number =>
  model.charts.reduce((n, c) => c.transitions.reduce((m, t) => m + t.triggers.length, n), 0);

/** The charts of a model with generated code as their host. */
export function createSimulatedCharts(
  program: Program,
  machine: Machine,
  state: SimulationState,
  observer: Observer,
  calls: { settle(): boolean; endless(message: string, place: string): void },
): SimulatedCharts {
  const { model } = program.solvable;
  const { v, pre } = state.memory;
  const { clock, happened } = state;
  const { notes } = observer;
  let effectBase = 0,
    transitionBase = 0,
    triggerBase = 0;
  const bases = model.charts.map((chart) => {
    const base = {
      effect: effectBase,
      transition: transitionBase,
      trigger: chart.transitions.map((t) => (triggerBase += t.triggers.length) - t.triggers.length),
      states: chart.structure.states.length,
    };
    effectBase += 3 * chart.structure.states.length + chart.transitions.length;
    transitionBase += chart.transitions.length;
    return base;
  });
  const moments = model.charts.flatMap((chart, c) =>
    chart.transitions.flatMap((t, j) =>
      t.triggers.flatMap((g, i) => {
        const { kind } = chart.structure.transitions[j].triggers[i];
        return (kind === 'rises' || kind === 'changes') && g.condition !== undefined
          ? [{ variable: g.condition, rises: kind === 'rises', number: bases[c].trigger[j] + i }]
          : [];
      }),
    ),
  );
  const statePlaces = model.charts.map((c) => c.active.map((index) => model.variables[index].place));
  const came = (point: number | undefined): void => {
    if (point !== undefined && point >= 0) notes?.came(point);
  };
  const hit = (place: string): void => void (state.hit ??= place);
  /** When the message at hand was begun with. */
  let at = 0;

  const send: SimulatedCharts['send'] = (to, values, after) => {
    const event: ChartEvent = {
      name: to.message,
      sender: to.sender,
      receivers: to.receivers,
      args: to.args.map((a, k) => ({ name: a.name, value: values[k] })),
      data: clock.time,
    };
    if (after !== undefined && after > 0) charts.postLater(event, clock.time + after);
    else charts.post(event, to.own && after === undefined);
  };
  const cancel = (what: { readonly sender: number; readonly message: string }): void =>
    charts.cancel(what.sender, what.message);

  const host: ChartHost = {
    now: () => clock.time,
    guard: (c, t) => machine.guard(bases[c].transition + t, clock.time),
    condition(c, t, k) {
      const { kind } = model.charts[c].structure.transitions[t].triggers[k];
      if (notes) machine.asked(bases[c].trigger[t] + k, clock.time);
      if (kind !== 'when') return happened[bases[c].trigger[t] + k] === 1;
      return v[model.charts[c].transitions[t].triggers[k].condition ?? -1] === 1;
    },
    delay: (c, t, k) => machine.delay(bases[c].trigger[t] + k, clock.time),
    period: (c) => machine.period(c, clock.time),
    act(c, action) {
      const chart = model.charts[c];
      const { effect, states } = bases[c];
      if (action.kind === 'enter') {
        came(chart.points?.entered[action.index]);
        v[chart.active[action.index]] = 1;
        if (state.breakpoints.size > 0 && state.breakpoints.has(statePlaces[c][action.index]))
          hit(statePlaces[c][action.index]);
        machine.effect(effect + action.index, clock.time, send, cancel);
      } else if (action.kind === 'exit') {
        came(chart.points?.left[action.index]);
        machine.effect(effect + 2 * states + action.index, clock.time, send, cancel);
        v[chart.active[action.index]] = 0;
      } else
        machine.effect(effect + (action.kind === 'do' ? states : 3 * states) + action.index, clock.time, send, cancel);
    },
    begin() {
      at = ++clock.step;
    },
    receive(c, event) {
      const { locals } = model.charts[c];
      for (const a of event.args) {
        const index = locals.get(a.name);
        if (index !== undefined) v[index] = a.value;
      }
    },
    triggered: (c, t, k) => came(model.charts[c].points?.triggered[t][k]),
    took(chart, transition) {
      came(model.charts[chart].points?.took[transition]);
      clock.step++;
      const { origin, via } = model.charts[chart].transitions[transition];
      if (state.breakpoints.size > 0) {
        const passed = [origin.place, ...via].find((place) => state.breakpoints.has(place));
        if (passed !== undefined) hit(passed);
      }
      observer.transition({ time: clock.time, step: clock.step, chart, transition });
    },
    settle: calls.settle,
    looked: () => void happened.fill(0),
    handled(event, outcome) {
      if (event.chart !== undefined) return;
      observer.message({
        time: clock.time,
        step: at,
        sent: typeof event.data === 'number' ? event.data : clock.time,
        message: event.name,
        sender: event.sender,
        receivers: event.receivers,
        args: event.args,
        taken: outcome === 'taken',
        kept: outcome === 'kept',
      });
    },
    endless(c, states) {
      if (c < 0)
        calls.endless(`Messages keep causing messages: ${states[0]} is sent again and again in one moment`, '');
      else
        calls.endless(
          `The state chart ${model.charts[c].name} never settles: it keeps going through ${states.join(' -> ')}`,
          model.charts[c].place,
        );
    },
  };
  const charts = createChartMachine(
    model.charts.map((c) => ({
      name: c.name,
      structure: c.structure,
      part: c.part,
      defers: c.defers,
      hasDo: c.do.some((d) => d.length > 0),
    })),
    host,
    state.charts,
  );
  state.charts = charts.state;

  return {
    machine: charts,
    send,
    markInitial(chosen) {
      model.charts.forEach((chart, c) => {
        const wanted = chosen.get(c);
        for (const leaf of wanted ?? startChart(chart.structure).next.leaves)
          for (let s = leaf; s >= 0; s = chart.structure.states[s].parent) v[chart.active[s]] = 1;
      });
    },
    noteMoments() {
      for (const m of moments)
        if (pre[m.variable] !== v[m.variable] && (!m.rises || v[m.variable] !== 0)) happened[m.number] = 1;
    },
    post: (part, message, args, sender = -1) =>
      charts.post({ name: message, sender, receivers: [part], args, data: clock.time }),
    hit,
  };
}
