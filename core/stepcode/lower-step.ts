import { readMessage } from '../behaviour/chart-source';
import { takesMessage } from '../behaviour/chart-structure';
import { doneName } from '../behaviour/chart-machine';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatModel, FlatStatement } from '../flatten/flat-model';
import type { Problem } from '../language/diagnostics';
import type { SolvableModel } from '../analysis/solvable-model';
import { call, createBuilder, Refusal, set, when, type Builder } from './builder';
import { lowerChart, prepareChart, type Events, type LoweredChart, type Surroundings } from './lower-charts';
import { constantOf, foldConstants, givenBy, isOwn, uses, type Given, type GivenEquations } from './lower-equations';
import { lowerExpression, stepType, type Names } from './lower-expression';
import type { Regions } from './regions';
import { createLibrary, tableRoutine } from './library';
import { withLocals, withoutIdle } from './tidy';
import {
  and,
  not,
  number,
  operandsOf,
  minus,
  pair,
  plus,
  truth,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';

/** A controller that is lowered: its own model, and what its messages are called. */
export interface Controller {
  readonly name: string;
  readonly note: string;
  readonly solvable: SolvableModel;
  /** Seconds. */
  readonly period: number;
  /** Messages that come in, in the order of its ports. */
  readonly accepts: readonly string[];
  /** Messages that may go out. */
  readonly sends: readonly string[];
  /** Triggers by message as they are written, such as `start(level)`. */
  readonly triggers: readonly string[];
  /** Everything in it can be read after a step, what only lies on the way included. */
  readonly isWhole?: boolean;
}

/** So many messages wait at most, and so many of one kind are looked at in one step. */
export const queueSize = 16;
/** As many transitions are taken in one step before it is given up, as by the simulator. */
const mostTurns = 2000;

export function lowerController(c: Controller): {
  readonly program?: StepProgram;
  readonly problems: readonly Problem[];
} {
  const { model } = c.solvable;
  const b = createBuilder(model, c.period);
  const refuse = (error: Refusal): void =>
    b.piece(error.place ?? '', undefined, () => {
      throw error;
    });
  checkParts(model, refuse);
  const equations = givenBy(c.solvable, c.period, refuse);
  const w = createWork(b, c, equations);
  const charts = model.charts.map((chart, k) => lowerChart(b, chart, k, w.regions[k], w.around));
  const settle = settling(w, charts);
  const sheets = rhythmRoutines(w);
  const stepRoutine = stepping(w, charts, settle, sheets);
  const init = b.routine({ name: 'init', from: '', note: 'Everything as it begins.', body: beginnings(b) });
  if (b.problems.some((p) => p.severity === 'error')) return { problems: b.problems };
  const whole: StepProgram = {
    name: c.name,
    note: c.note,
    period: c.period,
    slots: b.slots,
    lists: b.lists,
    routines: b.routines,
    init,
    step: stepRoutine,
  };
  return {
    problems: b.problems,
    program: c.isWhole
      ? whole
      : withoutIdle(
          withLocals(
            whole,
            sheets.map((s) => s.routine),
          ),
        ),
  };
}

function checkParts(model: FlatModel, refuse: (error: Refusal) => void): void {
  for (const chart of model.charts)
    if (chart.part !== 0)
      refuse(
        new Refusal(
          `${chart.name} belongs to a part inside: charts of parts inside cannot be put into code yet`,
          chart.place,
        ),
      );
  for (const a of model.actions)
    if (a.does.kind !== 'assert')
      refuse(
        new Refusal(
          'What is done when something happens (when) cannot be put into code yet: a chart can do it',
          a.origin.place,
        ),
      );
  for (const v of model.variables)
    if (v.type === 'String' && v.kind !== 'constant' && v.kind !== 'parameter')
      refuse(new Refusal(`${v.name} is a text: there are none in code`, v.place));
}

interface Work {
  readonly b: Builder;
  readonly c: Controller;
  readonly equations: GivenEquations;
  readonly regions: readonly Regions[];
  readonly around: Surroundings;
  readonly events: Events & { readonly incoming: readonly { readonly name: string; readonly id: number }[] };
  readonly slotOf: Map<number, number>;
  names(place: string): Names;
  /** Messages of its own that wait; undefined where there are none. */
  readonly queue: Queue | undefined;
  /** What has happened at one moment only. */
  readonly moments: { readonly flag: number; readonly was: number; readonly now: StepExpr; readonly kind: string }[];
  readonly begun: number;
  readonly lost: number;
  /** Counts of messages that go out. */
  readonly outgoing: Map<string, number>;
  /** Copies of quantities as they were before, by variable. */
  readonly before: Map<number, number>;
  readonly count: () => StepExpr;
  readonly hasCount: () => boolean;
}

interface Queue {
  readonly events: number;
  readonly first: number;
  readonly waiting: number;
  /** Arguments beside them, by the quantity that takes them. */
  readonly args: Map<string, { readonly slot: number; readonly targets: readonly number[] }>;
}

const eachStatement = (list: readonly FlatStatement[], visit: (s: FlatStatement) => void): void =>
  list.forEach((s) => {
    visit(s);
    if (s.kind === 'if') {
      s.branches.forEach((x) => eachStatement(x.body, visit));
      eachStatement(s.otherwise, visit);
    }
  });

function createWork(b: Builder, c: Controller, equations: GivenEquations): Work {
  const { model } = b;
  const slotOf = new Map<number, number>();
  const regions = model.charts.map((chart) => prepareChart(b, chart));
  const states = new Map<number, StepExpr>();
  model.charts.forEach((chart, k) =>
    chart.structure.states.forEach((s, j) => {
      if (s.kind !== 'history' && s.kind !== 'deepHistory' && s.kind !== 'start')
        states.set(chart.active[j], regions[k].isIn(j));
    }),
  );
  const fold = foldConstants(model);
  const startOf = (k: number, type: Slot['type']): StepExpr => {
    const { start, binding } = model.variables[k];
    const said = start ?? binding;
    if (!said)
      return type === 'bool' ? truth(false) : number(type === 'i32' && model.variables[k].literals ? 1 : 0, type);
    return lowerExpression(fold(said), type, names(model.variables[k].place));
  };
  const add = (k: number, role: Slot['role'], more: Partial<Slot> = {}): number => {
    const v = model.variables[k];
    const type = stepType(v.type);
    const slot = b.slot({ name: v.name, role, type, unit: v.unit, note: v.note, ...more });
    slotOf.set(k, slot);
    b.slots[slot] = { ...b.slots[slot], start: b.piece(v.place, b.slots[slot].start, () => startOf(k, type)) };
    return slot;
  };
  let counter = -1;
  const count = (): StepExpr => {
    if (counter < 0) counter = b.slot({ name: 'steps', role: 'part', type: 'i32', note: 'steps since the beginning' });
    return b.read(counter);
  };
  const library = createLibrary(b);
  const tables = new Map<string, number>();
  const open = new Set<number>();
  const before = new Map<number, number>();
  const large = new Map<number, number>();
  const names = (place: string): Names => ({
    typeOf: (k) => model.variables[k].type,
    value(k) {
      const known = slotOf.get(k);
      if (known !== undefined) return b.read(known);
      const state = states.get(k);
      if (state) return state;
      const v = model.variables[k];
      if (v.kind === 'parameter' || v.kind === 'constant') {
        const x = v.text === undefined ? constantOf(model, { op: 'var', index: k }) : undefined;
        if (x !== undefined) return lowerExpression({ op: 'const', value: x }, stepType(v.type), names(place));
        const folded = fold({ op: 'var', index: k });
        if (folded.op === 'var') throw new Refusal(`${v.name} has no value`, place);
        return lowerExpression(folded, stepType(v.type), names(place));
      }
      const given = equations.given.get(k);
      if (!given) throw new Refusal(`${v.name} follows from no formula of its own`, place);
      if (open.has(k)) throw new Refusal(`${v.name} depends on itself`, given.place);
      const routine = large.get(k);
      if (routine !== undefined) return { op: 'call', type: stepType(v.type), routine, args: [] };
      open.add(k);
      try {
        const value = lowerExpression(given.value, stepType(v.type), names(given.place));
        if (sizeOf(value) <= 12) return value;
        const made = b.routine({
          name: v.hidden ? `condition ${k}` : v.name,
          from: given.place,
          note: v.note,
          gives: value.type,
          body: [{ op: 'return', value, from: given.place }],
        });
        large.set(k, made);
        return { op: 'call', type: value.type, routine: made, args: [] };
      } finally {
        open.delete(k);
      }
    },
    before(k) {
      const own = before.get(k);
      if (own !== undefined) return b.read(own);
      const v = model.variables[k];
      const slot = b.slot({
        name: `${v.name}.before`,
        role: 'part',
        type: stepType(v.type),
        unit: v.unit,
        note: 'in the step before',
      });
      before.set(k, slot);
      b.slots[slot] = {
        ...b.slots[slot],
        start: b.piece(v.place, b.slots[slot].start, () => startOf(k, stepType(v.type))),
      };
      return b.read(slot);
    },
    time: () => pair('mul', { op: 'toReal', type: 'f32', a: count() }, number(c.period)),
    call: library,
    table(x, y, slope, at) {
      const key = JSON.stringify([x, y, slope]);
      const routine = tables.get(key) ?? tableRoutine(b, x, y, slope, tables.size + 1);
      tables.set(key, routine);
      return { op: 'call', type: 'f32', routine, args: [at] };
    },
    refuse(what) {
      throw new Refusal(`${what} cannot be put into code`, place);
    },
  });

  // --- what goes in and out, and what is kept
  model.variables.forEach((v, k) => {
    if (v.type === 'String' || v.ofShape) return;
    if (v.kind === 'external') add(k, 'input');
    else if (v.kind === 'parameter' && isOwn(model, k)) add(k, 'parameter');
    else if (v.kind === 'assigned' && !states.has(k)) add(k, 'part');
    else if ((equations.given.get(k)?.rhythm ?? -1) >= 0) add(k, 'part');
  });
  const made = eventsOf(b, c);
  const { events } = made;
  const begun = b.slot({ name: 'begun', role: 'part', type: 'bool', note: 'the first states have been entered' });
  const lost = b.slot({ name: 'lost', role: 'part', type: 'i32', note: 'messages that found no room' });
  const ownSends = new Map<string, readonly { readonly name: string; readonly value: FlatExpr }[]>();
  let ends = false;
  for (const chart of model.charts) {
    ends ||= chart.structure.states.some((s) => s.kind === 'final');
    for (const list of [...chart.entry, ...chart.do, ...chart.exit, ...chart.transitions.map((t) => t.effect)])
      eachStatement(list, (s) => {
        if (s.kind === 'send' && s.send.receivers.includes(0)) ownSends.set(s.send.message, s.send.args);
      });
  }
  const localsOf = (argument: string): number[] =>
    model.charts.flatMap((chart) => {
      const index = chart.locals.get(argument);
      return index === undefined ? [] : [index];
    });
  let queue: Queue | undefined;
  if (ownSends.size > 0 || ends) {
    const args: Queue['args'] = new Map();
    for (const [message, list] of ownSends)
      for (const a of list) {
        const [first] = localsOf(a.name);
        if (first === undefined) continue;
        args.set(`${message} ${a.name}`, {
          slot: b.slot({
            name: `waiting_${message}_${a.name}`,
            role: 'part',
            type: stepType(model.variables[first].type),
            size: queueSize,
          }),
          targets: localsOf(a.name),
        });
      }
    queue = {
      events: b.slot({ name: 'waiting_events', role: 'part', type: 'i32', size: queueSize, list: made.list }),
      first: b.slot({ name: 'waiting_first', role: 'part', type: 'i32' }),
      waiting: b.slot({ name: 'waiting_count', role: 'part', type: 'i32' }),
      args,
    };
  }
  const outgoing = new Map<string, number>();
  const outgoingArgs = new Map<string, number>();
  for (const message of c.sends)
    outgoing.set(
      message,
      b.slot({ name: message, role: 'output', type: 'i32', note: 'how often it is sent in this step' }),
    );
  const moments: Work['moments'] = [];
  const place = (q: Queue): StepExpr => ({
    op: 'fn',
    type: 'i32',
    name: 'remainder',
    args: [plus(b.read(q.first), b.read(q.waiting)), number(queueSize, 'i32')],
  });
  const post = (event: number, args: readonly StepInstruction[] = []): readonly StepInstruction[] => {
    const q = queue!;
    return when(
      pair('lt', b.read(q.waiting), number(queueSize, 'i32')),
      [
        ...args,
        set(q.events, events.constant(event), '', place(q)),
        set(q.waiting, plus(b.read(q.waiting), number(1, 'i32'))),
      ],
      [set(lost, pair('add', b.read(lost), number(1, 'i32')))],
    );
  };
  const around: Surroundings = {
    events,
    names,
    post,
    send(s, at) {
      const { send, origin } = s;
      if (send.after) return at.refuse('A message that is sent later');
      const valueOf = (value: FlatExpr, type: Slot['type']): StepExpr => lowerExpression(value, type, at);
      if (send.receivers.includes(0)) {
        if (!send.own) return at.refuse('A message that comes back to the part through a link');
        return post(
          events.numberOf(send.message),
          send.args.flatMap((a) => {
            const kept = queue!.args.get(`${send.message} ${a.name}`);
            return kept ? [set(kept.slot, valueOf(a.value, b.slots[kept.slot].type), origin.place, place(queue!))] : [];
          }),
        );
      }
      let slot = outgoing.get(send.message);
      if (slot === undefined)
        outgoing.set(
          send.message,
          (slot = b.slot({
            name: send.message,
            role: 'output',
            type: 'i32',
            note: 'how often it is sent in this step',
          })),
        );
      return [
        set(slot, plus(b.read(slot), number(1, 'i32')), origin.place),
        ...send.args.map((a) => {
          const name = `${send.message}_${a.name}`;
          const type = argumentType(model, a.value);
          let argument = outgoingArgs.get(name);
          if (argument === undefined) outgoingArgs.set(name, (argument = b.slot({ name, role: 'output', type })));
          return set(argument, valueOf(a.value, b.slots[argument].type), origin.place);
        }),
      ];
    },
    moment(condition, kind, at) {
      const type = condition.op === 'var' ? stepType(model.variables[condition.index].type) : 'bool';
      const now = lowerExpression(condition, type, names(at));
      const n = moments.length + 1;
      const was = b.slot({ name: `${kind}_${n}_before`, role: 'part', type });
      const flag = b.slot({ name: `${kind}_${n}`, role: 'part', type: 'bool' });
      moments.push({ flag, was, now, kind });
      return b.read(flag);
    },
  };
  return {
    b,
    c,
    equations,
    regions,
    around,
    events,
    slotOf,
    names,
    queue,
    moments,
    begun,
    lost,
    outgoing,
    before,
    count,
    hasCount: () => counter >= 0,
  };
}

const sizeOf = (e: StepExpr): number => operandsOf(e).reduce((n, x) => n + sizeOf(x), 1);

function argumentType(model: FlatModel, value: FlatExpr): Slot['type'] {
  if (value.op === 'var') return stepType(model.variables[value.index].type);
  return ['not', 'and', 'or', 'lt', 'le', 'gt', 'ge', 'eq', 'ne'].includes(value.op) ? 'bool' : 'f32';
}

/** Everything charts may wait for, by number. */
function eventsOf(b: Builder, c: Controller): { readonly events: Work['events']; readonly list: number } {
  const { charts } = b.model;
  const names: string[] = [...new Set(c.accepts)];
  for (const chart of charts)
    for (const list of [...chart.entry, ...chart.do, ...chart.exit, ...chart.transitions.map((t) => t.effect)])
      eachStatement(list, (s) => {
        if (s.kind === 'send' && s.send.receivers.includes(0) && !names.includes(s.send.message))
          names.push(s.send.message);
      });
  const done = new Map<string, number>();
  const labels = [...names];
  charts.forEach((chart, k) =>
    chart.structure.states.forEach((s, j) => {
      if (s.children.some((x) => chart.structure.states[x].kind === 'final') || s.kind === 'parallel')
        done.set(`${k} ${j}`, labels.push(`done_${s.name}`));
    }),
  );
  const list =
    b.lists.push({
      name: 'event',
      members: [{ name: 'None', value: 0, from: '' }, ...labels.map((name, k) => ({ name, value: k + 1, from: '' }))],
    }) - 1;
  const doneNames = [...done].map(([key, id]) => {
    const [k, j] = key.split(' ').map(Number);
    return { name: doneName(charts[k].structure, j), id };
  });
  return {
    list,
    events: {
      list,
      incoming: c.accepts.map((name) => ({ name, id: names.indexOf(name) + 1 })),
      taking: (trigger) => [
        ...names.flatMap((n, k) => (takesMessage(trigger, n) ? [k + 1] : [])),
        ...doneNames.flatMap(({ name, id }) => (takesMessage(trigger, name) ? [id] : [])),
      ],
      numberOf: (name) => names.indexOf(name) + 1,
      done: (chart, state) => done.get(`${chart} ${state}`) ?? 0,
      constant: (event) => number(event, 'i32', list),
    },
  };
}

/** One look at everything that waits, until nothing moves any more. */
function settling(w: Work, charts: readonly LoweredChart[]): { readonly dispatch: number; readonly settle: number } {
  const { b, queue } = w;
  const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.events.list });
  const stepOf = (c: LoweredChart, e: StepExpr): StepExpr => ({ op: 'call', type: 'bool', routine: c.step, args: [e] });
  const dispatch = b.routine({
    name: 'dispatch',
    from: '',
    note: 'shows a message to every chart',
    takes: [event],
    body: charts.map((c) => call(c.step, [b.read(event)])),
  });
  const moved = b.slot({ name: 'moved', role: 'local', type: 'bool' });
  const turns = b.slot({ name: 'turns', role: 'local', type: 'i32' });
  const message = b.slot({ name: 'message', role: 'local', type: 'i32', list: w.events.list });
  const place = b.slot({ name: 'place', role: 'local', type: 'i32' });
  const next: readonly StepInstruction[] = queue
    ? when(and(not(b.read(moved)), pair('gt', b.read(queue.waiting), number(0, 'i32'))), [
        set(place, b.read(queue.first)),
        set(message, b.read(queue.events, b.read(place))),
        ...[...queue.args].flatMap(([key, { slot, targets }]) =>
          when(
            pair('eq', b.read(message), w.events.constant(w.events.numberOf(key.split(' ')[0]))),
            targets.map((t) => set(w.slotOf.get(t)!, b.read(slot, b.read(place)))),
          ),
        ),
        set(queue.first, {
          op: 'fn',
          type: 'i32',
          name: 'remainder',
          args: [plus(b.read(place), number(1, 'i32')), number(queueSize, 'i32')],
        }),
        set(queue.waiting, minus(b.read(queue.waiting), number(1, 'i32'))),
        call(dispatch, [b.read(message)]),
        set(moved, truth(true)),
      ])
    : [];
  const settle = b.routine({
    name: 'settle',
    from: '',
    note: 'takes transitions until none can be taken any more',
    locals: [moved, turns, ...(queue ? [message, place] : [])],
    body: [
      set(turns, number(0, 'i32')),
      set(moved, truth(true)),
      {
        op: 'while',
        when: and(b.read(moved), pair('lt', b.read(turns), number(mostTurns, 'i32'))),
        from: '',
        body: [
          set(moved, truth(false)),
          ...charts.flatMap((c) => when(stepOf(c, w.events.constant(0)), [set(moved, truth(true))])),
          ...w.moments.map((m) => set(m.flag, truth(false))),
          ...charts.flatMap((c) => c.again),
          ...next,
          set(turns, plus(b.read(turns), number(1, 'i32'))),
        ],
      },
    ],
  });
  return { dispatch, settle };
}

/** What each rhythm works out, in the order of its data. */
function rhythmRoutines(w: Work): readonly { readonly rhythm: number; readonly routine: number }[] {
  const { b, equations } = w;
  const all = [...equations.given.values()];
  return equations.rhythms
    .map((r, n) => ({ r, n, own: all.filter((g) => g.rhythm === n) }))
    .filter(({ own }) => own.length > 0)
    .sort((x, y) => y.r.every - x.r.every)
    .map(({ r, n, own }) => {
      const order = ordered(w, own);
      const position = new Map(order.map((g, k) => [g.variable, k]));
      // what it was before is still there as long as it has not been worked out again
      const copies = new Map<number, number>();
      const body = order.flatMap((g, k): readonly StepInstruction[] => {
        const outer = w.names(g.place);
        const names: Names = {
          ...outer,
          before(x) {
            const at = position.get(x);
            if (at !== undefined && at >= k) return b.read(w.slotOf.get(x)!);
            if (at === undefined) return outer.before(x);
            let copy = copies.get(x);
            if (copy === undefined) {
              const { name, type, unit } = b.slots[w.slotOf.get(x)!];
              copies.set(x, (copy = b.slot({ name: `${name}.before`, role: 'local', type, unit })));
            }
            return b.read(copy);
          },
        };
        const slot = w.slotOf.get(g.variable)!;
        return b.piece(g.place, [], () => [set(slot, lowerExpression(g.value, b.slots[slot].type, names), g.place)]);
      });
      return {
        rhythm: n,
        routine: b.routine({
          name: `update ${r.name}`,
          from: r.place,
          note: r.every === 1 ? 'worked out in every step' : `worked out in every ${r.every} steps`,
          locals: [...copies.values()],
          body: [...[...copies].map(([x, copy]) => set(copy, b.read(w.slotOf.get(x)!))), ...body],
        }),
      };
    });
}

/** By what each needs; what reads the value before goes ahead of what sets it, where that can be. */
function ordered(w: Work, own: readonly Given[]): readonly Given[] {
  const { given } = w.equations;
  const at = new Map(own.map((g, k) => [g.variable, k]));
  const reach = (g: Given, op: 'var' | 'pre'): Set<number> => {
    const found = new Set<number>();
    const seen = new Set<number>();
    const visit = (value: FlatExpr): void => {
      for (const k of uses(value, op)) if (at.has(k)) found.add(at.get(k)!);
      for (const k of uses(value, 'var')) {
        const inner = given.get(k);
        if (!inner || at.has(k) || inner.rhythm >= 0 || seen.has(k)) continue;
        seen.add(k);
        visit(inner.value);
      }
    };
    visit(g.value);
    return found;
  };
  const needs = own.map((g) => reach(g, 'var'));
  const reads = own.map((g) => reach(g, 'pre'));
  const left = new Set(own.keys());
  const order: Given[] = [];
  while (left.size > 0) {
    const ready = [...left].filter((k) => [...needs[k]].every((n) => !left.has(n)));
    const next = ready.find((k) => [...left].every((o) => o === k || !reads[o].has(k))) ?? ready[0];
    if (next === undefined) {
      const names = [...left].map((k) => w.b.model.variables[own[k].variable].name);
      w.b.piece(own[[...left][0]].place, undefined, () => {
        throw new Refusal(`${names.join(', ')} depend on each other: a delayBy in between makes a step of it`);
      });
      return order;
    }
    left.delete(next);
    order.push(own[next]);
  }
  return order;
}

function stepping(
  w: Work,
  charts: readonly LoweredChart[],
  { dispatch, settle }: ReturnType<typeof settling>,
  sheets: readonly { readonly rhythm: number; readonly routine: number }[],
): number {
  const { b, c, events, slotOf, names } = w;
  const { model } = b;
  const hasCharts = charts.length > 0;
  const zero = number(0, 'i32');
  const one = number(1, 'i32');
  const body: StepInstruction[] = [];
  for (const slot of w.outgoing.values()) body.push(set(slot, zero));
  for (const chart of charts)
    for (const clock of chart.clocks)
      body.push(...when(pair('gt', b.read(clock), zero), [set(clock, minus(b.read(clock), one))]));
  for (const { flag, was, now, kind } of w.moments) {
    const isNew = kind === 'rises' ? and(now, not(b.read(was))) : pair('ne', now, b.read(was));
    body.push(set(flag, and(b.read(w.begun), isNew)), set(was, now));
  }
  if (hasCharts)
    body.push(
      ...when(not(b.read(w.begun)), [
        ...charts.flatMap((x) => x.begin),
        set(w.begun, truth(true)),
        ...(w.events.incoming.length > 0 ? [call(settle)] : []),
      ]),
    );
  for (const chart of charts) body.push(...chart.do);
  const take = hasCharts && events.incoming.length > 0 ? taking(w, dispatch, settle) : -1;
  const inputOf = new Map<string, number>();
  for (const { name } of events.incoming)
    inputOf.set(
      name,
      b.slot({ name, role: 'input', type: 'i32', note: 'how often it has come since the step before' }),
    );
  for (const { name, id } of take < 0 ? [] : events.incoming) {
    const args = new Set(
      c.triggers.flatMap((t) => {
        const read = readMessage(t);
        return read?.name === name ? read.args : [];
      }),
    );
    const targets = [...args].flatMap((a) => {
      const own = model.charts.flatMap((chart) => chart.locals.get(a) ?? []);
      if (own.length === 0) return [];
      const { type, unit } = b.slots[slotOf.get(own[0])!];
      const slot = b.slot({ name: `${name}_${a}`, role: 'input', type, unit });
      return own.map((k) => set(slotOf.get(k)!, b.read(slot)));
    });
    if (targets.length === 0) {
      body.push(call(take, [b.read(inputOf.get(name)!), events.constant(id)]));
      continue;
    }
    body.push(
      ...when(pair('gt', b.read(inputOf.get(name)!), zero), [
        ...targets,
        call(take, [b.read(inputOf.get(name)!), events.constant(id)]),
      ]),
    );
  }
  if (hasCharts) body.push(call(settle));
  for (const { rhythm, routine } of sheets) {
    const { every, first, name } = w.equations.rhythms[rhythm];
    if (every === 1 && first === 0) {
      body.push(call(routine));
      continue;
    }
    const left = b.slot({
      name: `${name}.left`,
      role: 'part',
      type: 'i32',
      start: number(first, 'i32'),
      note: 'steps until it is worked out again',
    });
    body.push(
      ...when(pair('eq', b.read(left), zero), [call(routine), set(left, number(every, 'i32'))]),
      set(left, minus(b.read(left), one)),
    );
  }
  if (c.isWhole)
    for (const { variable, rhythm } of w.equations.given.values()) {
      const { name, hidden, type, unit } = model.variables[variable];
      if (rhythm >= 0 || hidden) continue;
      const slot = b.slot({ name, role: 'part', type: stepType(type), unit });
      body.push(
        set(
          slot,
          b.piece('', b.slots[slot].start, () => names('').value(variable)),
        ),
      );
    }
  for (const [k, slot] of w.before)
    body.push(
      set(
        slot,
        b.piece('', b.slots[slot].start, () => names('').value(k)),
      ),
    );
  model.variables.forEach((v, k) => {
    if (!v.isOutput || v.name.includes('.') || v.kind === 'parameter' || v.kind === 'constant' || v.type === 'String')
      return;
    const out = b.slot({ name: v.name, role: 'output', type: stepType(v.type), unit: v.unit, note: v.note });
    body.push(
      set(
        out,
        b.piece(v.place, b.slots[out].start, () => names(v.place).value(k)),
        v.place,
      ),
    );
  });
  // the last count there is stays
  if (w.hasCount())
    body.push(
      ...when(pair('lt', w.count(), number(2147483647, 'i32')), [
        set((w.count() as { slot: number }).slot, plus(w.count(), one)),
      ]),
    );
  return b.routine({ name: 'step', from: '', note: 'One step.', body });
}

/** A message that has come several times is looked at as often, each time to the end. */
function taking({ b, lost, events }: Work, dispatch: number, settle: number): number {
  const count = b.slot({ name: 'count', role: 'local', type: 'i32' });
  const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: events.list });
  const left = b.slot({ name: 'left', role: 'local', type: 'i32' });
  const most = number(queueSize, 'i32');
  return b.routine({
    name: 'take',
    from: '',
    note: 'a message that has come so often is looked at as often',
    takes: [count, event],
    locals: [left],
    body: [
      set(left, b.read(count)),
      ...when(pair('gt', b.read(left), most), [
        set(lost, pair('add', b.read(lost), minus(b.read(left), most))),
        set(left, most),
      ]),
      {
        op: 'while',
        when: pair('gt', b.read(left), number(0, 'i32')),
        from: '',
        body: [call(dispatch, [b.read(event)]), call(settle), set(left, minus(b.read(left), number(1, 'i32')))],
      },
    ],
  });
}

/** Everything that is kept, as it begins; parameters first, as others may begin with them. */
function beginnings(b: Builder): readonly StepInstruction[] {
  const at = (role: Slot['role']): StepInstruction[] =>
    b.slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [set(k, s.start)] : []));
  return [...at('parameter'), ...at('part')];
}
