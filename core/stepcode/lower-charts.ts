import { isWithin } from '../behaviour/chart-structure';
import type { FlatChart } from '../flatten/flat-model';
import { Refusal, set, when, type Builder } from './builder';
import { namesOfRegion, regionsOf, type Regions } from './regions';
import { number, pair, type StepInstruction } from './step-program';

import { enterAll } from './chart-moves';
import { stepOfLanes, stepOfStates } from './chart-transitions';
import { effectOf, placeOf, statements, steps, type Clock, type Surroundings, type Work } from './chart-work';

/**
 * Charts as routines. A chart without lanes takes its transition in the routine of the state it leaves; with lanes the routines of states
 * pick one for each lane, and all that were picked are left, done and entered together, in the order of docs/state-charts.md.
 */

export interface LoweredChart {
  /** Enters its first states. */
  readonly begin: readonly StepInstruction[];
  /** Routine that takes the number of an event, 0 for none, and tells whether it took a step. */
  readonly step: number;
  /** Done every period, before anything else. */
  readonly do: readonly StepInstruction[];
  /** Steps that are left until triggers of time are due. */
  readonly clocks: readonly number[];
  /** Done after every chart has looked: what is due again and again begins anew. */
  readonly again: readonly StepInstruction[];
  /** Slot that says that it has come to its end; -1 where it cannot. */
  readonly ended: number;
  readonly regions: Regions;
}

/** Slots of the regions, so that other pieces can read them before the charts are lowered. */
export function prepareChart(b: Builder, chart: FlatChart): Regions {
  const regions = regionsOf(chart.structure);
  const { states } = chart.structure;
  const addressOf = (state: number): string => b.model.variables[chart.active[state]].place;
  for (const r of regions.all) {
    const name = r.root < 0 ? chart.name : `${chart.name}_${states[r.root].name}`;
    r.list = b.lists.push(namesOfRegion(chart.structure, r, name, addressOf)) - 1;
    r.slot = b.slot({ name, role: 'part', type: 'i32', list: r.list, start: number(0, 'i32', r.list), is: 'region' });
  }
  return regions;
}

export function lowerChart(
  b: Builder,
  chart: FlatChart,
  c: number,
  regions: Regions,
  around: Surroundings,
): LoweredChart {
  const s = chart.structure;
  const clocks = s.transitions.map((t, k) =>
    t.triggers.map((g, j): Clock | undefined => {
      if (g.kind !== 'after' && g.kind !== 'at' && g.kind !== 'every') return undefined;
      const { delay } = chart.transitions[k].triggers[j];
      const name = `${chart.name}_${g.kind}_${s.states[t.from].name}${t.triggers.length > 1 || s.outgoing[t.from].length > 1 ? k + 1 : ''}`;
      const slot = b.slot({ name, role: 'part', type: 'i32', start: number(-1, 'i32'), note: 'steps that are left' });
      return { slot, kind: g.kind, delay, place: chart.transitions[k].origin.place };
    }),
  );
  const memory = new Map<number, number>();
  s.states.forEach((h, k) => {
    if (h.kind !== 'history' && h.kind !== 'deepHistory') return;
    const place = b.model.variables[chart.active[k]].place;
    b.piece(place, undefined, () => {
      if (h.parent >= 0 && s.states[h.parent].kind === 'parallel')
        throw new Refusal('A way back to lanes cannot be put into code yet', place);
      const inside = s.states.some(
        (x, j) => x.kind === 'parallel' && j !== h.parent && (h.parent < 0 || isWithin(s, j, h.parent)),
      );
      if (h.kind === 'deepHistory' && inside)
        throw new Refusal('A way back to all levels with lanes inside cannot be put into code yet', place);
    });
    memory.set(
      k,
      b.slot({
        name: `${chart.name}_${h.name}`,
        role: 'part',
        type: 'i32',
        list: (h.parent < 0 ? regions.all[0] : regions.of(h.parent)).list,
        note: 'where it was left',
      }),
    );
  });
  const canEnd = s.states.some((x) => x.kind === 'final' && x.parent < 0);
  const w: Work = {
    b,
    around,
    chart,
    number: c,
    s,
    regions,
    clocks,
    memory,
    leaving: new Map(),
    entering: new Map(),
    starting: new Map(),
    ended: canEnd ? b.slot({ name: `${chart.name}_ended`, role: 'part', type: 'bool' }) : -1,
  };
  const begin = [...(s.initialTransition >= 0 ? effectOf(w, s.initialTransition) : []), ...enterAll(w, -1, s.initial)];
  const step = s.states.some((x) => x.kind === 'parallel') ? stepOfLanes(w) : stepOfStates(w);
  const periodic = chart.do.some((d) => d.length > 0) ? doTexts(w) : undefined;
  const all = clocks.flat().filter((x) => x !== undefined);
  const again = all.flatMap((x) =>
    x.kind === 'every'
      ? when(pair('eq', b.read(x.slot), number(0, 'i32')), [
          set(
            x.slot,
            b.piece(x.place, number(0, 'i32'), () => steps(w, x.delay, x.place)),
            x.place,
          ),
        ])
      : [],
  );
  return {
    begin: periodic ? [...begin, periodic.begin] : begin,
    step,
    do: periodic?.body ?? [],
    clocks: [...all.map((x) => x.slot), ...(periodic ? [periodic.left] : [])],
    again,
    ended: w.ended,
    regions,
  };
}

/** Texts of states that are done while they are active: the first time one period after the start. */
function doTexts(w: Work): {
  readonly left: number;
  readonly begin: StepInstruction;
  readonly body: readonly StepInstruction[];
} {
  const { b, chart, s, regions } = w;
  const place = `${chart.place}/period`;
  const left = b.slot({
    name: `${chart.name}_do`,
    role: 'part',
    type: 'i32',
    start: number(-1, 'i32'),
    note: 'steps until the next while texts',
  });
  const again = set(
    left,
    b.piece(place, number(1, 'i32'), () => steps(w, chart.period, place)),
    chart.place,
  );
  const texts = s.states.flatMap((_, k) =>
    chart.do[k].length === 0
      ? []
      : when(regions.isIn(k), statements(w, chart.do[k], `${placeOf(w, k)}/do`), [], placeOf(w, k)),
  );
  return {
    left,
    begin: again,
    body: when(pair('eq', b.read(left), number(0, 'i32')), [...texts, again], [], chart.place),
  };
}
