import { interpretedEnvironment } from './interpreted-environment';
import { interpretedHost, rememberValues } from './interpreted-host';
import { createChartMachine } from './chart-machine';
import type { ChartProgram, ChartRun, ChartRunOptions } from './chart-run-types';
import { createServices } from './chart-services';
import {
  runTexts,
  eventOf,
  newInterpretedChart,
  raise,
  evaluated,
  type InterpretedChart,
  type Sessions,
} from './interpreted-chart';

/** Runs a chart with the interpreter. What cannot be carried out becomes the message `error.execution`, as SCXML has it. */
export function createChartRun(
  { source, services }: ChartProgram,
  options: ChartRunOptions = {},
  sessions: Sessions = { count: 0, open: new Map() },
): ChartRun {
  const c = newInterpretedChart(source, options, sessions) as InterpretedChart;
  const hand: ChartRun['hand'] = (name, sent) => void c.soon.push(eventOf(name, sent));
  c.env = interpretedEnvironment(c);
  c.machine = createChartMachine(
    [
      {
        name: source.name,
        structure: c.structure,
        part: 0,
        defers: source.states.map((s) => s.defers),
        hasDo: source.states.some((s) => s.do.length > 0),
      },
    ],
    interpretedHost(c),
  );
  c.services = createServices(services, {
    env: c.env,
    run: (statements) => runTexts(c, statements),
    raise: (error) => raise(c, error),
    time: () => c.time,
    isEntered: (state) => c.entered.has(state),
    stateOf: (name) => c.stateAt.get(name),
    hand,
    start: (program, given) => createChartRun(program, given, sessions),
  });
  sessions.open.set(c.session, hand);
  return {
    structure: c.structure,
    get time() {
      return c.time;
    },
    get problem() {
      return c.problem;
    },
    active: () => c.machine.configuration(0).leaves.map((s) => c.structure.states[s].name),
    value: (name) => c.values.get(name),
    ended: () => c.machine.ended(0),
    start: () => start(c),
    send(name, data) {
      deliver(c);
      c.machine.post(eventOf(name, { data, type: 'external' }));
      look(c);
    },
    advance: (duration) => advance(c, duration),
    nextTime: () => nextTime(c),
    hand,
    deliver: () => deliver(c),
    result: () => c.results.get(''),
    finish() {
      c.services.endAll();
      for (const state of [...c.entered].sort((a, b) => b - a)) runTexts(c, source.states[state].exit);
      c.entered.clear();
      sessions.open.delete(c.session);
    },
  };
}

function start(c: InterpretedChart): void {
  const { source, values } = c;
  for (const v of source.values) values.set(v.name, undefined);
  for (const a of source.arguments) if (!values.has(a)) values.set(a, undefined);
  for (const v of source.values) {
    const given = c.options.values?.has(v.name);
    if (given) values.set(v.name, c.options.values!.get(v.name));
    else if (v.value) evaluated(c, v.value, undefined, (value) => void values.set(v.name, value));
  }
  // what the first entries change has changed
  rememberValues(c);
  c.machine.start();
  look(c);
}

function look(c: InterpretedChart): void {
  c.machine.run();
  if (c.machine.ended(0)) c.services.endAll();
  else c.services.begin();
}

const mostAtOnce = 10_000;

function deliver(c: InterpretedChart): void {
  look(c);
  for (let k = 0; k < mostAtOnce; k++) {
    if (c.soon.length === 0) c.services.deliver();
    if (c.soon.length === 0 || c.machine.ended(0)) return;
    c.machine.post(c.soon.shift()!);
    look(c);
  }
}

const nextTime = (c: InterpretedChart): number =>
  Math.min(c.machine.nextTime(), c.services.nextTime(), ...c.later.map((x) => x.due));

function advance(c: InterpretedChart, duration: number): void {
  const until = c.time + duration;
  deliver(c);
  while (c.problem === undefined) {
    const next = nextTime(c);
    if (!(next <= until)) break;
    c.time = next;
    c.services.advanceTo(next);
    const due = c.later.filter((x) => x.due <= next);
    c.later = c.later.filter((x) => x.due > next);
    for (const x of due) x.hand();
    deliver(c);
  }
  c.time = until;
  c.services.advanceTo(until);
}
