import { sendsOf } from '../flatten/chart-sends';
import { laterMessages, type Later } from './later-messages';
import { stepsIn } from './lower-expression';
import { takesMessage } from '../behaviour/chart-structure';
import { doneName } from '../behaviour/chart-machine';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import type { SolvableModel } from '../analysis/solvable-model';
import { Refusal, set, when, type Builder } from './builder';
import type { Quantity } from '../project/project';
import { storageOf } from './number-kinds';
import { prepareChart } from './lower-charts';
import type { Events, Surroundings } from './chart-work';
import { constantOf, foldConstants, isOwn, type GivenEquations } from './lower-equations';
import { lowerExpression, stepType, type Names } from './lower-expression';
import type { Regions } from './regions';
import { createLibrary, tableRoutine } from './library';
import { number, operandsOf, pair, plus, truth, type Slot, type StepExpr, type StepInstruction } from './step-program';

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
  /** How quantities of its own are kept, by name, where that is not as usual. */
  readonly numbers: ReadonlyMap<string, Quantity>;
  /** Everything in it can be read after a step, what only lies on the way included. */
  readonly isWhole?: boolean;
}

/** So many messages wait at most, and so many of one kind are looked at in one step. */
export const queueSize = 16;
/** What is put together for one controller. */
export interface Work {
  readonly b: Builder;
  readonly c: Controller;
  readonly equations: GivenEquations;
  readonly regions: readonly Regions[];
  readonly around: Surroundings;
  readonly events: Events & { readonly incoming: readonly { readonly name: string; readonly id: number }[] };
  readonly slotOf: Map<number, number>;
  names(place: string): Names;
  /** How a variable is kept, where that is not as usual. */
  kept(variable: number): Pick<Slot, 'storage'>;
  /** Messages of its own that wait; undefined where there are none. */
  readonly queue: Queue | undefined;
  readonly later: Later | undefined;
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

export interface Queue {
  readonly events: number;
  readonly first: number;
  readonly waiting: number;
  /** Arguments beside them, by the quantity that takes them. */
  readonly args: Map<string, { readonly slot: number; readonly targets: readonly number[] }>;
}

/** What a condition of a chart is called in code: after its transition, so that it is called so whatever else there is. */
function namesOfConditions({ charts }: FlatModel): ReadonlyMap<number, string> {
  const found = new Map<number, string>();
  for (const { name, structure, transitions } of charts)
    transitions.forEach(({ triggers }, t) => {
      const { from, targets } = structure.transitions[t];
      const target = targets[0] ?? from;
      for (const { condition } of triggers)
        if (condition !== undefined)
          found.set(condition, `${name} from ${structure.states[from].name} to ${structure.states[target].name} when`);
    });
  return found;
}

export function createWork(b: Builder, c: Controller, equations: GivenEquations): Work {
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
  const conditions = namesOfConditions(model);
  const fold = foldConstants(model);
  const startOf = (k: number, type: Slot['type']): StepExpr => {
    const { start, binding } = model.variables[k];
    const said = start ?? binding;
    if (!said)
      return type === 'bool' ? truth(false) : number(type === 'i32' && model.variables[k].literals ? 1 : 0, type);
    return lowerExpression(fold(said), type, names(model.variables[k].place));
  };
  const kept = (k: number): Pick<Slot, 'storage'> => {
    const v = model.variables[k];
    const quantity = c.numbers.get(v.name);
    if (!quantity) return {};
    const place = `${v.place}/number`;
    return b.piece<Pick<Slot, 'storage'>>(place, {}, () => {
      const [min, max] = [v.min, v.max].map((limit) => limit && constantOf(model, limit));
      const storage = storageOf(quantity, min, max);
      if (typeof storage === 'string') throw new Refusal(storage, place);
      return { storage };
    });
  };
  const add = (k: number, role: Slot['role'], more: Partial<Slot> = {}): number => {
    const v = model.variables[k];
    const type = stepType(v.type);
    const slot = b.slot({
      name: v.name,
      role,
      type,
      unit: v.unit,
      note: v.note,
      from: ownPlace(v),
      ...kept(k),
      ...more,
    });
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
      if (k === model.parts[0].software?.stepTime || k === model.parts[0].software?.overruns)
        throw new Refusal(
          `${model.variables[k].name} is measured on a board: the steps themselves cannot read it`,
          place,
        );
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
          name: v.hidden ? (conditions.get(k) ?? 'condition') : v.name,
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
        ...kept(k),
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
  const sends = sendsOf(model.charts);
  const ownSends = new Map<string, Set<string>>();
  for (const { message, receivers, args } of sends) {
    if (!receivers.includes(0)) continue;
    const known = ownSends.get(message) ?? new Set();
    for (const a of args) known.add(a.name);
    ownSends.set(message, known);
  }
  const ends = model.charts.some((c) => c.structure.states.some((s) => s.kind === 'final'));
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
        const [first] = localsOf(a);
        if (first === undefined) continue;
        args.set(`${message} ${a}`, {
          slot: b.slot({
            name: `waiting_${message}_${a}`,
            role: 'part',
            type: stepType(model.variables[first].type),
            size: queueSize,
          }),
          targets: localsOf(a),
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
      b.slot({ name: message, role: 'output', type: 'i32', note: 'how often it is sent in this step', is: 'messages' }),
    );
  const counterOf = (message: string): number => {
    const known = outgoing.get(message);
    if (known !== undefined) return known;
    const slot = b.slot({
      name: message,
      role: 'output',
      type: 'i32',
      note: 'how often it is sent in this step',
      is: 'messages',
    });
    outgoing.set(message, slot);
    return slot;
  };
  // one type for what several texts send: a real number where one of them sends such
  const sentTypes = new Map<string, Slot['type']>();
  for (const { message, receivers, args } of sends)
    for (const a of receivers.includes(0) ? [] : args) {
      const name = `${message}_${a.name}`;
      const [known, type] = [sentTypes.get(name), argumentType(model, a.value)];
      sentTypes.set(name, known === undefined || known === type ? type : 'f32');
    }
  for (const [name, type] of sentTypes) outgoingArgs.set(name, b.slot({ name, role: 'output', type }));
  const later = laterMessages(b, model.charts, {
    size: queueSize,
    lost,
    numberOf: (message) => events.numberOf(message),
    targets: (argument) => localsOf(argument).map((k) => slotOf.get(k)!),
    outgoing: counterOf,
    outgoingArgument: (message, argument) => outgoingArgs.get(`${message}_${argument}`),
  });
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
    cancel: (message) => later?.cancel(message) ?? [],
    send(s, at) {
      const { send, origin } = s;
      const valueOf = (value: FlatExpr, type: Slot['type']): StepExpr => lowerExpression(value, type, at);
      if (send.after) {
        const argument = (name: string): FlatExpr => send.args.find((a) => a.name === name)!.value;
        return later!.send(send, stepsIn(send.after, c.period, at), (name, type) => valueOf(argument(name), type));
      }
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
      const slot = counterOf(send.message);
      return [
        set(slot, plus(b.read(slot), number(1, 'i32')), origin.place),
        ...send.args.map((a) => {
          const name = `${send.message}_${a.name}`;
          const argument = outgoingArgs.get(name)!;
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
    kept,
    queue,
    later,
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
  for (const { message, receivers } of sendsOf(charts))
    if (receivers.includes(0) && !names.includes(message)) names.push(message);
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

/** Where a variable of the part type itself is said; what blocks of the library keep is said nowhere in the document. */
export const ownPlace = ({ place }: FlatModel['variables'][number]): string => (place.startsWith('type/') ? place : '');
