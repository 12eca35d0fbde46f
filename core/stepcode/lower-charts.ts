import { isWithin, type ChartStructure, type TriggerNode } from '../behaviour/chart-structure';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatChart, FlatStatement } from '../flatten/flat-model';
import { call, give, Refusal, result, set, when, type Builder } from './builder';
import { lowerExpression, stepsIn, type Names } from './lower-expression';
import { namesOfRegion, regionsOf, type Region, type Regions } from './regions';
import { and, not, number, or, pair, truth, type StepExpr, type StepInstruction } from './step-program';

/**
 * Charts as routines. A chart without lanes takes its transition in the routine of the state it leaves; with lanes the routines of states
 * pick one for each lane, and all that were picked are left, done and entered together, in the order of docs/state-charts.md.
 */

/** Messages and ends that charts wait for, by number from 1. */
export interface Events {
  /** Numbers of all that a trigger by message takes. */
  taking(trigger: TriggerNode): readonly number[];
  numberOf(name: string): number;
  done(chart: number, state: number): number;
  constant(event: number): StepExpr;
  /** Their names. */
  readonly list: number;
}

/** What charts ask of what is around them. */
export interface Surroundings {
  readonly events: Events;
  names(place: string): Names;
  /** Something is sent. */
  send(statement: Extract<FlatStatement, { kind: 'send' }>, names: Names): readonly StepInstruction[];
  /** What has not been sent yet is taken back. */
  cancel(message: string): readonly StepInstruction[];
  /** A message of its own waits to be looked at. */
  post(event: number): readonly StepInstruction[];
  /** That something has just risen or changed. */
  moment(condition: FlatExpr, kind: 'rises' | 'changes', place: string): StepExpr;
}

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

interface Clock {
  readonly slot: number;
  readonly kind: TriggerNode['kind'];
  readonly delay: FlatExpr | undefined;
  readonly place: string;
}

interface Work {
  readonly b: Builder;
  readonly around: Surroundings;
  readonly chart: FlatChart;
  readonly number: number;
  readonly s: ChartStructure;
  readonly regions: Regions;
  /** By transition and trigger. */
  readonly clocks: readonly (readonly (Clock | undefined)[])[];
  /** What a place of return leads to: a value of its region. */
  readonly memory: ReadonlyMap<number, number>;
  readonly leaving: Map<number, number>;
  readonly entering: Map<number, number>;
  readonly starting: Map<number, number>;
  /** Slot that says that the chart has come to its end; -1 where it cannot. */
  readonly ended: number;
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

const placeOf = (w: Work, state: number): string => w.b.model.variables[w.chart.active[state]].place;
const slotOf = (w: Work, r: Region): StepExpr => w.b.read(r.slot);

// --- texts

function statements(w: Work, list: readonly FlatStatement[], place: string): readonly StepInstruction[] {
  const names = w.around.names(place);
  return w.b.piece(place, [], () =>
    list.flatMap((x): readonly StepInstruction[] => {
      switch (x.kind) {
        case 'assign': {
          const to = names.value(x.target);
          if (to.op !== 'slot') return names.refuse(`${w.b.model.variables[x.target].name}, which is set here,`);
          return [set(to.slot, lowerExpression(x.value, to.type, names), x.origin.place)];
        }
        case 'send':
          return w.around.send(x, names);
        case 'cancel':
          return w.around.cancel(x.message);
        case 'if':
          return [
            {
              op: 'if',
              from: place,
              branches: x.branches.map((branch) => ({
                when: lowerExpression(branch.condition, 'bool', names),
                body: statements(w, branch.body, place),
              })),
              otherwise: statements(w, x.otherwise, place),
            },
          ];
      }
    }),
  );
}

const effectOf = (w: Work, t: number): readonly StepInstruction[] =>
  statements(w, w.chart.transitions[t].effect, `${w.chart.transitions[t].origin.place}/effect`);

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

function steps(w: Work, delay: FlatExpr | undefined, place: string): StepExpr {
  if (!delay) throw new Refusal('How long is not said', place);
  return stepsIn(delay, w.b.period, w.around.names(place));
}

// --- entering

/** A state alone: it is active, its text is done, its clocks begin. */
function enterAlone(w: Work, state: number): readonly StepInstruction[] {
  const known = w.entering.get(state);
  if (known !== undefined) return [call(known, [], placeOf(w, state))];
  const r = w.regions.of(state);
  const { transitions, outgoing } = w.s;
  const own = [
    set(r.slot, w.regions.constant(state), placeOf(w, state)),
    ...statements(w, w.chart.entry[state], `${placeOf(w, state)}/entry`),
    ...outgoing[state].flatMap((t) =>
      transitions[t].triggers.flatMap((_, j) => {
        const clock = w.clocks[t][j];
        return clock
          ? [
              set(
                clock.slot,
                w.b.piece(clock.place, number(0, 'i32'), () => armed(w, clock)),
                clock.place,
              ),
            ]
          : [];
      }),
    ),
  ];
  if (own.length === 1) return own;
  const routine = w.b.routine({
    name: `${w.chart.name} enter ${w.s.states[state].name}`,
    from: placeOf(w, state),
    note: `enters ${w.s.states[state].path}`,
    body: own,
  });
  w.entering.set(state, routine);
  return [call(routine, [], placeOf(w, state))];
}

function armed(w: Work, { kind, delay, place }: Clock): StepExpr {
  const n = steps(w, delay, place);
  if (kind !== 'at') return n;
  throw new Refusal(
    'A trigger at a time of the run cannot be put into code: count the time in a state with after',
    place,
  );
}

/** What is told when an end has been reached. */
function ends(w: Work, state: number): readonly StepInstruction[] {
  const { s, around } = w;
  const { kind, parent } = s.states[state];
  if (kind !== 'final') return [];
  if (parent < 0) return [set(w.ended, truth(true), placeOf(w, state))];
  const outer = s.states[parent].parent;
  return [
    ...around.post(around.events.done(w.number, parent)),
    ...(outer >= 0 && s.states[outer].kind === 'parallel'
      ? when(finished(w, outer), around.post(around.events.done(w.number, outer)))
      : []),
  ];
}

function finished(w: Work, state: number): StepExpr {
  const { states } = w.s;
  const isIn = w.regions.isIn;
  return states[state].kind === 'parallel'
    ? states[state].children.reduce<StepExpr>((all, c) => and(all, and(isIn(c), finished(w, c))), truth(true))
    : states[state].children
        .filter((c) => states[c].kind === 'final')
        .reduce<StepExpr>((any, c) => or(any, isIn(c)), truth(false));
}

/** A state with all that begins inside it. */
function start(w: Work, state: number): readonly StepInstruction[] {
  const { children } = w.s.states[state];
  if (children.length === 0) return [...enterAlone(w, state), ...ends(w, state)];
  const known = w.starting.get(state);
  if (known !== undefined) return [call(known, [], placeOf(w, state))];
  const body = [...enterAlone(w, state), ...inside(w, state, [])];
  const routine = w.b.routine({
    name: `${w.chart.name} start ${w.s.states[state].name}`,
    from: placeOf(w, state),
    note: `enters ${w.s.states[state].path} and what begins in it`,
    body,
  });
  w.starting.set(state, routine);
  return [call(routine, [], placeOf(w, state))];
}

/** What is entered inside a state that has just been: towards these targets, by default where there are none. */
function inside(w: Work, state: number, targets: readonly number[]): readonly StepInstruction[] {
  const { states } = w.s;
  const node = states[state];
  const within = targets.filter((t) => t !== state && isWithin(w.s, t, state));
  if (node.kind === 'parallel')
    return node.children.flatMap((lane) => {
      const own = within.filter((t) => isWithin(w.s, t, lane));
      return own.length > 0 && !own.every((t) => t === lane)
        ? [...enterAlone(w, lane), ...inside(w, lane, own)]
        : start(w, lane);
    });
  if (node.children.length === 0) return [];
  if (within.length === 0)
    return [
      ...(node.initialTransition >= 0 ? effectOf(w, node.initialTransition) : []),
      ...enterAll(w, state, node.initial),
    ];
  return enterAll(w, state, within);
}

/** From just inside `around` down to the targets, and on by default. */
function enterAll(w: Work, around: number, targets: readonly number[]): readonly StepInstruction[] {
  const { states } = w.s;
  const [first] = targets;
  if (first === undefined) return [];
  const { kind, parent } = states[first];
  if (targets.length === 1 && (kind === 'history' || kind === 'deepHistory') && parent === around)
    return back(w, first);
  // the child through which all of them are reached
  let child = first;
  while (states[child].parent !== around) {
    child = states[child].parent;
    if (child < 0) throw new Refusal('This way leads out of where it is entered', placeOf(w, first));
  }
  const own = targets.filter((t) => isWithin(w.s, t, child));
  if (own.length < targets.length)
    throw new Refusal('This way leads to states that cannot be active together', placeOf(w, first));
  if (own.every((t) => t === child)) return start(w, child);
  return [...enterAlone(w, child), ...inside(w, child, own)];
}

/** Where it was left, or as the place itself says where nothing has been. */
function back(w: Work, history: number): readonly StepInstruction[] {
  const { s, regions } = w;
  const { parent, kind } = s.states[history];
  const slot = w.memory.get(history)!;
  const [t] = s.outgoing[history];
  const first =
    t !== undefined
      ? [...effectOf(w, t), ...enterAll(w, parent, s.transitions[t].targets)]
      : enterAll(w, parent, parent < 0 ? s.initial : s.states[parent].initial);
  const isRemembered = (k: number): boolean =>
    kind === 'history'
      ? s.states[k].parent === parent
      : s.states[k].children.length === 0 && (parent < 0 || isWithin(s, k, parent));
  const r = parent < 0 ? regions.all[0] : regions.of(parent);
  return [
    {
      op: 'switch',
      on: w.b.read(slot),
      from: placeOf(w, history),
      cases: [
        { values: [0], body: first, from: placeOf(w, history) },
        ...r.states.filter(isRemembered).map((k) => ({
          values: [regions.valueOf(k)],
          from: placeOf(w, k),
          body: enterAll(w, parent, [k]),
        })),
      ],
    },
  ];
}

// --- leaving

/** Leaves what is active in a region until only `to` is, the number of a state of it; 0 for none. */
function leave(w: Work, r: Region): number {
  const known = w.leaving.get(r.root);
  if (known !== undefined) return known;
  const { b, s, regions } = w;
  const to = b.slot({ name: 'to', role: 'local', type: 'i32', list: r.list });
  const cases = r.states.map((state) => {
    const node = s.states[state];
    const lanes = node.kind === 'parallel' ? [...regions.lanesOf(state)].reverse() : [];
    const outer = r.root === state || node.parent < 0 ? number(0, 'i32', r.list) : regions.constant(node.parent);
    return {
      values: [regions.valueOf(state)],
      from: placeOf(w, state),
      body: [
        ...lanes.map((lane) => call(leave(w, lane), [number(0, 'i32', lane.list)], placeOf(w, state))),
        ...statements(w, w.chart.exit[state], `${placeOf(w, state)}/exit`),
        set(r.slot, outer, placeOf(w, state)),
      ],
    };
  });
  const name = r.root < 0 ? `${w.chart.name} leave` : `${w.chart.name} leave ${s.states[r.root].name}`;
  const routine = b.routine({
    name,
    from: r.root < 0 ? w.chart.place : placeOf(w, r.root),
    note: 'leaves states from the inside out until only this one is active',
    takes: [to],
    body: [
      ...remembering(w, r, b.read(to)),
      {
        op: 'while',
        when: pair('ne', slotOf(w, r), b.read(to)),
        from: w.chart.place,
        body: [{ op: 'switch', on: slotOf(w, r), cases, from: w.chart.place }],
      },
    ],
  });
  w.leaving.set(r.root, routine);
  return routine;
}

/** Places of return note what is active in what they lie in, where that is about to be left. */
function remembering(w: Work, r: Region, to: StepExpr): readonly StepInstruction[] {
  const { s, regions } = w;
  return [...w.memory].flatMap(([h, slot]) => {
    const { parent, kind } = s.states[h];
    if (parent < 0 || regions.of(parent) !== r) return [];
    const members = r.states.filter((k) => isWithin(s, k, parent));
    const stays = and(pair('ge', to, regions.constant(parent)), pair('le', to, regions.constant(members.at(-1)!)));
    const note =
      kind === 'deepHistory'
        ? [set(slot, slotOf(w, r), placeOf(w, h))]
        : s.states[parent].children.flatMap((c) =>
            when(regions.isIn(c), [set(slot, regions.constant(c), placeOf(w, h))]),
          );
    return when(and(regions.isIn(parent), not(stays)), note, [], placeOf(w, h));
  });
}

/** Leaves all that is active inside a state. */
function leaveInside(w: Work, domain: number): readonly StepInstruction[] {
  const { s, regions } = w;
  if (domain < 0) return [call(leave(w, regions.all[0]), [number(0, 'i32', regions.all[0].list)])];
  if (s.states[domain].kind === 'parallel')
    return [...regions.lanesOf(domain)].reverse().map((lane) => call(leave(w, lane), [number(0, 'i32', lane.list)]));
  return [call(leave(w, regions.of(domain)), [regions.constant(domain)])];
}

// --- transitions

/** Targets as far as they decide what is left: a place of return stands for something in its state. */
function domainOf(w: Work, t: number): number {
  const { states, transitions } = w.s;
  const { from, targets, internal } = transitions[t];
  const isPlace = (x: number): boolean => states[x].kind === 'history' || states[x].kind === 'deepHistory';
  // what it leads to lies inside the state of the place: as a child of it that is not the state itself
  const holds = (outer: number): boolean =>
    targets.every((x) =>
      isPlace(x) ? outer < 0 || isWithin(w.s, states[x].parent, outer) : x !== outer && isWithin(w.s, x, outer),
    );
  const source = states[from];
  if (internal && source.kind === 'state' && source.children.length > 0 && holds(from)) return from;
  for (let s = source.parent; s >= 0; s = states[s].parent) {
    if (
      states[s].kind === 'parallel' &&
      !(states[from].parent === s && targets.every((x) => isWithin(w.s, isPlace(x) ? states[x].parent : x, from)))
    )
      continue;
    if (holds(s)) return s;
  }
  return -1;
}

function condition(w: Work, t: number, event: StepExpr): StepExpr {
  const { s, chart, around, b } = w;
  const { triggers } = s.transitions[t];
  const flat = chart.transitions[t];
  const { place } = flat.origin;
  const none = pair('eq', event, around.events.constant(0));
  const texts = (k: number): string => `${place}/triggers/${k}/on`;
  const asked = triggers.map((g, k): StepExpr => {
    const own = flat.triggers[k];
    const of = (): FlatExpr =>
      own.condition === undefined ? around.names(texts(k)).refuse('This trigger') : { op: 'var', index: own.condition };
    switch (g.kind) {
      case 'message':
        return around.events
          .taking(g)
          .reduce<StepExpr>((any, e) => or(any, pair('eq', event, around.events.constant(e))), truth(false));
      case 'done':
        return pair('eq', event, around.events.constant(around.events.done(w.number, s.transitions[t].from)));
      case 'after':
      case 'every':
      case 'at':
        return and(none, pair('eq', b.read(w.clocks[t][k]!.slot), number(0, 'i32')));
      case 'when':
        return and(
          none,
          b.piece(texts(k), truth(false), () => lowerExpression(of(), 'bool', around.names(texts(k)))),
        );
      case 'rises':
      case 'changes': {
        const { kind } = g;
        return and(
          none,
          b.piece(texts(k), truth(false), () => around.moment(of(), kind, texts(k))),
        );
      }
    }
  });
  const any = triggers.length === 0 ? none : asked.reduce(or);
  const { guard } = flat;
  return guard
    ? and(
        any,
        b.piece(`${place}/guard`, truth(false), () => lowerExpression(guard, 'bool', around.names(`${place}/guard`))),
      )
    : any;
}

const entering = (w: Work, t: number): readonly StepInstruction[] => {
  const { place } = w.chart.transitions[t].origin;
  const { targets } = w.s.transitions[t];
  return w.b.piece(place, [], () => {
    if (targets.length === 0) return [];
    const domain = domainOf(w, t);
    return domain >= 0 && w.s.states[domain].kind === 'parallel'
      ? inside(w, domain, targets)
      : enterAll(w, domain, targets);
  });
};

const leavingOf = (w: Work, t: number): readonly StepInstruction[] =>
  w.s.transitions[t].targets.length === 0 ? [] : leaveInside(w, domainOf(w, t));

const unlessEnded = (w: Work): readonly StepInstruction[] =>
  w.ended < 0 ? [] : when(w.b.read(w.ended), [give(truth(false))]);

/** States from the inside out that have somewhere to go. */
function chain(w: Work, state: number, until: number): number[] {
  const found: number[] = [];
  for (let s = state; s !== until && s >= 0; s = w.s.states[s].parent) if (w.s.outgoing[s].length > 0) found.push(s);
  return found;
}

function stepOfStates(w: Work): number {
  const { b, s, regions } = w;
  const [top] = regions.all;
  const from = new Map<number, number>();
  const isSource = (state: number): boolean => top.states.includes(state) && s.outgoing[state].length > 0;
  for (const state of top.states.filter(isSource)) {
    const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.around.events.list });
    const body = s.outgoing[state].flatMap((t) =>
      when(
        condition(w, t, b.read(event)),
        [...leavingOf(w, t), ...effectOf(w, t), ...entering(w, t), give(truth(true))],
        [],
        w.chart.transitions[t].origin.place,
      ),
    );
    from.set(
      state,
      b.routine({
        name: `${w.chart.name} from ${s.states[state].name}`,
        from: placeOf(w, state),
        note: `transitions of ${s.states[state].path}`,
        takes: [event],
        gives: 'bool',
        body: [...body, give(truth(false))],
      }),
    );
  }
  const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.around.events.list });
  const moved = b.slot({ name: 'moved', role: 'local', type: 'bool' });
  const isLeaf = (state: number): boolean => s.states[state].children.length === 0;
  const cases = top.states.filter(isLeaf).flatMap((state) => {
    const ways = chain(w, state, -1);
    const tries = ways.map((x, k): StepInstruction => {
      const one = set(moved, result(from.get(x)!, 'bool', [b.read(event)]), placeOf(w, x));
      return k === 0 ? one : when(not(b.read(moved)), [one])[0];
    });
    return ways.length === 0 ? [] : [{ values: [regions.valueOf(state)], body: tries, from: placeOf(w, state) }];
  });
  return b.routine({
    name: `${w.chart.name} step`,
    from: w.chart.place,
    note: 'one transition, if there is one that can be taken',
    takes: [event],
    locals: [moved],
    gives: 'bool',
    body: [
      ...unlessEnded(w),
      set(moved, truth(false)),
      { op: 'switch', on: slotOf(w, top), cases, from: w.chart.place },
      give(b.read(moved)),
    ],
  });
}

/** States around a region, from the inside out. */
function outside(w: Work, r: Region): readonly number[] {
  const found: number[] = [];
  for (let x = r.root < 0 ? -1 : w.s.states[r.root].parent; x >= 0; x = w.s.states[x].parent) found.push(x);
  return found;
}

/** Transitions are numbered from 1 here; 0 is none. */
function stepOfLanes(w: Work): number {
  const { b, s, regions } = w;
  const picks = new Map<number, number>();
  s.states.forEach((node, state) => {
    const real = node.kind !== 'history' && node.kind !== 'deepHistory' && node.kind !== 'start';
    if (!real || s.outgoing[state].length === 0) return;
    const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.around.events.list });
    const body = s.outgoing[state].flatMap((t) =>
      when(condition(w, t, b.read(event)), [give(number(t + 1, 'i32'))], [], w.chart.transitions[t].origin.place),
    );
    picks.set(
      state,
      b.routine({
        name: `${w.chart.name} from ${node.name}`,
        from: placeOf(w, state),
        note: `the transition of ${node.path} that can be taken`,
        takes: [event],
        gives: 'i32',
        body: [...body, give(number(0, 'i32'))],
      }),
    );
  });
  const byNumber = (
    name: string,
    note: string,
    bodyOf: (t: number) => readonly StepInstruction[],
  ): number | undefined => {
    const t = b.slot({ name: 'taken', role: 'local', type: 'i32' });
    const cases = s.transitions.flatMap((x, k) => {
      const { kind } = s.states[x.from];
      if (kind === 'history' || kind === 'deepHistory' || kind === 'start') return [];
      const body = bodyOf(k);
      return body.length === 0 ? [] : [{ values: [k + 1], body, from: w.chart.transitions[k].origin.place }];
    });
    if (cases.length === 0) return undefined;
    return b.routine({
      name: `${w.chart.name} ${name}`,
      from: w.chart.place,
      note,
      takes: [t],
      body: [{ op: 'switch', on: b.read(t), cases, from: w.chart.place }],
    });
  };
  const leaves = byNumber('leave for', 'what a transition leaves', (t) => leavingOf(w, t));
  const effects = byNumber('effect of', 'what a transition does', (t) => effectOf(w, t));
  const enters = byNumber('enter for', 'what a transition enters', (t) => entering(w, t));

  const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.around.events.list });
  const real = (x: number): boolean => picks.has(x);
  // where something can be chosen: in the region, or around it
  const offers = regions.all.map((r) => r.states.some(real) || outside(w, r).some(real));
  const taken = regions.all.map((r, k) =>
    offers[k] ? b.slot({ name: r.root < 0 ? 'top' : `of ${s.states[r.root].name}`, role: 'local', type: 'i32' }) : -1,
  );
  const chosen = taken.filter((t) => t >= 0);
  const seen = new Map<number, number>();
  const body: StepInstruction[] = [...unlessEnded(w)];
  for (const t of chosen) body.push(set(t, number(0, 'i32')));
  s.states.forEach((x, k) => {
    if (x.kind === 'parallel' && [k, ...outside(w, regions.of(k))].some(real)) {
      seen.set(k, b.slot({ name: `seen ${x.name}`, role: 'local', type: 'bool' }));
      body.push(set(seen.get(k)!, truth(false)));
    }
  });
  const tries = (k: number, states: readonly number[], isFirst: boolean): readonly StepInstruction[] =>
    states.filter(real).flatMap((x, i) => {
      const one = set(taken[k], result(picks.get(x)!, 'i32', [b.read(event)]), placeOf(w, x));
      return isFirst && i === 0 ? [one] : when(pair('eq', b.read(taken[k]), number(0, 'i32')), [one]);
    });
  regions.all.forEach((r, k) => {
    if (!offers[k]) return;
    const leaf = r.states.filter((x) => s.states[x].kind !== 'parallel' && s.states[x].children.length === 0);
    const cases = leaf.flatMap((x) => {
      const own = tries(k, chain(w, x, r.root < 0 ? -1 : s.states[r.root].parent), true);
      return own.length === 0 ? [] : [{ values: [regions.valueOf(x)], body: own, from: placeOf(w, x) }];
    });
    if (cases.length > 0) body.push({ op: 'switch', on: slotOf(w, r), cases, from: w.chart.place });
    // the first lane that has nothing to offer asks what is around it
    let around: readonly StepInstruction[] = [];
    const outer = outside(w, r);
    const levels = outer.map((x, i) => ({ x, i })).filter(({ x }) => s.states[x].kind === 'parallel');
    for (const { x, i } of [...levels].reverse()) {
      const flag = seen.get(x);
      if (flag === undefined) continue;
      const next = levels.find((l) => l.i > i)?.i ?? outer.length;
      const asked = tries(k, outer.slice(i, next), true);
      const isHere = pair('eq', b.read(taken[k]), number(0, 'i32'));
      around = when(and(isHere, not(b.read(flag))), [set(flag, truth(true)), ...asked, ...around]);
    }
    // a lane that holds lanes itself is no innermost state: these ask
    const holding = r.states.filter((x) => s.states[x].kind === 'parallel');
    const isLeaf = holding.reduce<StepExpr>(
      (all, x) => and(all, pair('ne', slotOf(w, r), regions.constant(x))),
      truth(true),
    );
    const isActive = r.root < 0 ? truth(true) : pair('ne', slotOf(w, r), number(0, 'i32', r.list));
    body.push(...when(and(isActive, isLeaf), around));
  });
  body.push(...conflicts(w, chosen));
  const each = (routine: number | undefined, order: readonly number[]): StepInstruction[] =>
    routine === undefined
      ? []
      : order.flatMap((t) => when(pair('ne', b.read(t), number(0, 'i32')), [call(routine, [b.read(t)])]));
  body.push(...each(leaves, [...chosen].reverse()), ...each(effects, chosen), ...each(enters, chosen));
  const any = chosen.reduce<StepExpr>((all, t) => or(all, pair('ne', b.read(t), number(0, 'i32'))), truth(false));
  return b.routine({
    name: `${w.chart.name} step`,
    from: w.chart.place,
    note: 'one transition in each lane that has one that can be taken',
    takes: [event],
    locals: [...chosen, ...seen.values()],
    gives: 'bool',
    body: [...body, give(any)],
  });
}

/** Of two that would leave a common state the one of the inner state wins, then that of the first lane. */
function conflicts(w: Work, taken: readonly number[]): readonly StepInstruction[] {
  const { b, s } = w;
  const list = s.transitions.map((t, k) => ({
    k,
    from: t.from,
    domain: t.targets.length === 0 ? undefined : domainOf(w, k),
  }));
  const real = list.filter(({ from }) => !['history', 'deepHistory', 'start'].includes(s.states[from].kind));
  const clash = (x: (typeof list)[number], y: (typeof list)[number]): boolean =>
    x.domain !== undefined &&
    y.domain !== undefined &&
    // of one region only one can be chosen
    w.regions.of(x.from) !== w.regions.of(y.from) &&
    (isWithin(s, x.domain, y.domain) || isWithin(s, y.domain, x.domain));
  const isInner = (x: (typeof list)[number], y: (typeof list)[number]): boolean =>
    x.from !== y.from && isWithin(s, x.from, y.from);
  const table = (
    name: string,
    note: string,
    holds: (x: (typeof list)[number], y: (typeof list)[number]) => boolean,
  ): number | undefined => {
    const [x, y] = ['one', 'other'].map((n) => b.slot({ name: n, role: 'local', type: 'i32' }));
    const cases = real.flatMap((a) => {
      const rivals = real.filter((o) => o.k !== a.k && holds(a, o));
      const anyOf = rivals.reduce<StepExpr>(
        (any, o) => or(any, pair('eq', b.read(y), number(o.k + 1, 'i32'))),
        truth(false),
      );
      return rivals.length === 0 ? [] : [{ values: [a.k + 1], body: [give(anyOf)], from: '' }];
    });
    if (cases.length === 0) return undefined;
    return b.routine({
      name: `${w.chart.name} ${name}`,
      from: w.chart.place,
      note,
      takes: [x, y],
      gives: 'bool',
      body: [{ op: 'switch', on: b.read(x), cases, from: w.chart.place }, give(truth(false))],
    });
  };
  const rivals = table('rival', 'two transitions that would leave the same', clash);
  if (rivals === undefined) return [];
  const inner = table(
    'inner',
    'a transition of a state inside that of another',
    (x, y) => clash(x, y) && isInner(x, y),
  );
  const zero = number(0, 'i32');
  return taken.flatMap((t, i) => {
    const others = taken.slice(0, i);
    const against = (o: number): StepExpr => result(rivals, 'bool', [b.read(t), b.read(o)]);
    const wins = (o: number): StepExpr =>
      inner === undefined ? truth(false) : result(inner, 'bool', [b.read(t), b.read(o)]);
    return [
      ...others.flatMap((o) => when(and(against(o), not(wins(o))), [set(t, zero)])),
      ...others.flatMap((o) => when(against(o), [set(o, zero)])),
    ];
  });
}
