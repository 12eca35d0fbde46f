import { readMessage } from '../behaviour/chart-source';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { call, createBuilder, Refusal, result, set, turn, when, type Builder } from './builder';
import { lowerChart, type LoweredChart } from './lower-charts';
import { givenBy, uses, type Given } from './lower-equations';
import { lowerExpression, stepType, type Names } from './lower-expression';
import { inFixedPoint } from './in-fixed';
import { withLateWork } from './late-work';
import { withLocals, withoutIdle } from './tidy';
import {
  and,
  not,
  number,
  minus,
  or,
  pair,
  plus,
  truth,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';

import { keeping } from './kept-messages';
import { createWork, ownPlace, queueSize, type Controller, type Work } from './step-work';

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
  for (const { name } of c.numbers.values()) {
    const kept = b.slots.some((s) => s.name === name && s.role !== 'local');
    const v = model.variables[model.indexOf.get(name) ?? -1];
    // a formula on the way is worked out where it is needed
    if (v && !kept)
      b.problems.push({
        ...problem(
          'warning',
          'number',
          `${name} is worked out where it is needed: there is no place where it is kept as a number of its own`,
        ),
        place: `${v.place}/number`,
      });
  }
  const init = b.routine({ name: 'init', from: '', note: 'Everything as it begins.', body: beginnings(b) });
  if (b.problems.some((p) => p.severity === 'error')) return { problems: b.problems };
  const whole = inFixedPoint({
    name: c.name,
    note: c.note,
    period: c.period,
    slots: b.slots,
    lists: b.lists,
    routines: b.routines,
    init,
    step: stepRoutine,
  });
  return {
    problems: b.problems,
    program: c.isWhole
      ? whole
      : withLateWork(
          withoutIdle(
            withLocals(
              whole,
              sheets.map((s) => s.routine),
            ),
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
  for (const e of model.initialEquations)
    refuse(
      new Refusal(
        `"${e.origin.text}" holds at the start only: that cannot be put into code, a start value can`,
        e.origin.place,
      ),
    );
  for (const v of model.variables)
    if (v.type === 'String' && v.kind !== 'constant' && v.kind !== 'parameter')
      refuse(new Refusal(`${v.name} is a text: there are none in code`, v.place));
}

/** One look at everything that waits, until nothing moves any more. */
function settling(w: Work, charts: readonly LoweredChart[]): { readonly dispatch: number; readonly settle: number } {
  const { b, queue } = w;
  const event = b.slot({ name: 'event', role: 'local', type: 'i32', list: w.events.list });
  const stepOf = (c: LoweredChart, e: StepExpr): StepExpr => ({ op: 'call', type: 'bool', routine: c.step, args: [e] });
  const kept = keeping(w, charts);
  const taken = b.slot({ name: 'taken', role: 'local', type: 'bool' });
  const dispatch = b.routine({
    name: 'dispatch',
    from: '',
    note: kept ? 'shows a message to every chart; what nobody takes may be kept' : 'shows a message to every chart',
    takes: [event],
    locals: kept ? [taken] : [],
    body: kept
      ? [
          set(taken, truth(false)),
          ...charts.flatMap((c) => when(stepOf(c, b.read(event)), [set(taken, truth(true)), call(kept.free)])),
          ...when(and(not(b.read(taken)), result(kept.keeps, 'bool', [b.read(event)])), [
            call(kept.keep, [b.read(event)]),
          ]),
        ]
      : charts.flatMap((c, k) => shownTo(w, k, event, [call(c.step, [b.read(event)])])),
  });
  const moved = b.slot({ name: 'moved', role: 'local', type: 'bool' });
  const turns = b.slot({ name: 'turns', role: 'local', type: 'i32' });
  const again = b.slot({ name: 'again', role: 'local', type: 'i32', list: w.events.list });
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
    locals: [moved, turns, ...(queue ? [message, place] : []), ...(kept || w.later ? [again] : [])],
    body: [
      set(turns, number(0, 'i32')),
      set(moved, truth(true)),
      turn(and(b.read(moved), pair('lt', b.read(turns), number(mostTurns, 'i32'))), [
        set(moved, truth(false)),
        ...charts.flatMap((c) =>
          when(stepOf(c, w.events.constant(0)), [set(moved, truth(true)), ...(kept ? [call(kept.free)] : [])]),
        ),
        ...w.moments.map((m) => set(m.flag, truth(false))),
        ...charts.flatMap((c) => c.again),
        ...next,
        ...(kept
          ? when(not(b.read(moved)), [
              set(again, result(kept.next, 'i32')),
              ...when(pair('ne', b.read(again), w.events.constant(0)), [
                call(dispatch, [b.read(again)]),
                set(moved, truth(true)),
              ]),
            ])
          : []),
        ...(w.later
          ? when(not(b.read(moved)), [
              set(again, result(w.later.take, 'i32')),
              ...when(pair('ne', b.read(again), w.events.constant(0)), [
                call(dispatch, [b.read(again)]),
                set(moved, truth(true)),
              ]),
            ])
          : []),
        set(turns, plus(b.read(turns), number(1, 'i32'))),
      ]),
    ],
  });
  return { dispatch, settle };
}

/** So many messages are told one by one. */
const few = 4;

/** A chart is shown what it waits for: nothing else could move it. */
function shownTo({ b, events }: Work, chart: number, event: number, body: readonly StepInstruction[]) {
  const { transitions } = b.model.charts[chart].structure;
  const heard = new Set(
    transitions.flatMap(({ triggers, from }) =>
      triggers.flatMap((g) =>
        g.kind === 'message' ? events.taking(g) : g.kind === 'done' ? [events.done(chart, from)] : [],
      ),
    ),
  );
  const others = b.lists[events.list].members.flatMap((m) => (m.value === 0 || heard.has(m.value) ? [] : [m.value]));
  const isOneOf = (some: Iterable<number>): StepExpr =>
    [...some].map((e) => pair('eq', b.read(event), events.constant(e))).reduce(or, truth(false));
  if (others.length === 0) return body;
  if (heard.size <= few) return when(isOneOf(heard), body);
  return others.length <= few ? when(not(isOneOf(others)), body) : body;
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
              const { name, type, unit, storage } = b.slots[w.slotOf.get(x)!];
              const more = storage && { storage };
              copies.set(x, (copy = b.slot({ name: `${name}.before`, role: 'local', type, unit, ...more })));
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
  if (w.later) body.push(call(w.later.count));
  for (const { flag, was, now, kind } of w.moments) {
    const isNew = kind === 'rises' ? and(now, not(b.read(was))) : pair('ne', now, b.read(was));
    body.push(set(flag, and(b.read(w.begun), isNew)), set(was, now));
  }
  const formerly = (): readonly StepInstruction[] =>
    [...w.before].map(([k, slot]) =>
      set(
        slot,
        b.piece('', b.slots[slot].start, () => names('').value(k)),
      ),
    );
  if (hasCharts || w.before.size > 0)
    body.push(
      ...when(not(b.read(w.begun)), [
        ...charts.flatMap((x) => x.begin),
        // what holds from the start does not rise
        ...formerly(),
        set(w.begun, truth(true)),
        ...(w.events.incoming.length > 0 ? [call(settle)] : []),
      ]),
    );
  for (const chart of charts) body.push(...chart.do);
  const take = hasCharts && events.incoming.length > 0 ? taking(w, dispatch, settle) : -1;
  // what it has sent itself earlier comes before what comes now
  if (w.later && take >= 0) body.push(call(settle));
  const inputOf = new Map<string, number>();
  for (const { name } of events.incoming)
    inputOf.set(
      name,
      b.slot({ name, role: 'input', type: 'i32', note: 'how often it has come since the step before', is: 'messages' }),
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
  if (w.later) body.push(call(w.later.flush));
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
  body.push(...formerly());
  model.variables.forEach((v, k) => {
    if (!v.isOutput || v.name.includes('.') || v.kind === 'parameter' || v.kind === 'constant' || v.type === 'String')
      return;
    const out = b.slot({
      name: v.name,
      role: 'output',
      type: stepType(v.type),
      unit: v.unit,
      note: v.note,
      from: ownPlace(v),
      ...w.kept(k),
    });
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
      turn(pair('gt', b.read(left), number(0, 'i32')), [
        call(dispatch, [b.read(event)]),
        call(settle),
        set(left, minus(b.read(left), number(1, 'i32'))),
      ]),
    ],
  });
}

/** Everything that is kept, as it begins; parameters first, as others may begin with them. */
function beginnings(b: Builder): readonly StepInstruction[] {
  const at = (role: Slot['role']): StepInstruction[] =>
    b.slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [set(k, s.start)] : []));
  return [...at('parameter'), ...at('part')];
}
