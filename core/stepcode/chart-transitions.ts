import { isWithin } from '../behaviour/chart-structure';
import type { FlatExpr } from '../flatten/flat-expression';
import { call, give, result, set, when } from './builder';
import { lowerExpression } from './lower-expression';
import { type Region } from './regions';
import { and, not, number, or, pair, truth, type StepExpr, type StepInstruction } from './step-program';

import { enterAll, inside, leaveInside } from './chart-moves';
import { effectOf, placeOf, slotOf, type Work } from './chart-work';

/** Which transition is taken, and what it does. */

// --- transitions

/** Targets as far as they decide what is left: a place of return stands for something in its state. */
export function domainOf(w: Work, t: number): number {
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

export function condition(w: Work, t: number, event: StepExpr): StepExpr {
  const { s, chart, around, b } = w;
  const { triggers } = s.transitions[t];
  const flat = chart.transitions[t];
  const { place } = flat.origin;
  const none = pair('eq', event, around.events.constant(0));
  const texts = (k: number): string => `${place}/triggers/${k}/on`;
  const asked = triggers.map((g, k): StepExpr => {
    const own = flat.triggers[k];
    const of = (): FlatExpr =>
      own.asked && g.kind === 'when'
        ? own.asked
        : own.condition === undefined
          ? around.names(texts(k)).refuse('This trigger')
          : { op: 'var', index: own.condition };
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
          b.piece(texts(k), truth(false), () => {
            const names = around.names(texts(k));
            const a = around.moment(of(), kind, texts(k));
            if (own.asked?.op !== 'noted' || a.op === 'const') return a;
            const conditions = own.asked.conditions.map((x) => lowerExpression(x, 'bool', names));
            return { op: 'noted', type: 'bool', decision: own.asked.decision, a, conditions };
          }),
        );
      }
    }
  });
  // the first of several that is there
  const seen = (e: StepExpr, point: number | undefined): StepExpr =>
    point === undefined || point < 0 || e.op === 'const'
      ? e
      : and(e, { op: 'noted', type: 'bool', decision: -1 - point, a: truth(true), conditions: [] });
  const any = triggers.length === 0 ? none : asked.map((e, k) => seen(e, chart.points?.triggered[t]?.[k])).reduce(or);
  const { guard } = flat;
  return guard
    ? and(
        any,
        b.piece(`${place}/guard`, truth(false), () => lowerExpression(guard, 'bool', around.names(`${place}/guard`))),
      )
    : any;
}

export const entering = (w: Work, t: number): readonly StepInstruction[] => {
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

export const leavingOf = (w: Work, t: number): readonly StepInstruction[] =>
  w.s.transitions[t].targets.length === 0 ? [] : leaveInside(w, domainOf(w, t));

export const unlessEnded = (w: Work): readonly StepInstruction[] =>
  w.ended < 0 ? [] : when(w.b.read(w.ended), [give(truth(false))]);

/** States from the inside out that have somewhere to go. */
export function chain(w: Work, state: number, until: number): number[] {
  const found: number[] = [];
  for (let s = state; s !== until && s >= 0; s = w.s.states[s].parent) if (w.s.outgoing[s].length > 0) found.push(s);
  return found;
}

export function stepOfStates(w: Work): number {
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
export function outside(w: Work, r: Region): readonly number[] {
  const found: number[] = [];
  for (let x = r.root < 0 ? -1 : w.s.states[r.root].parent; x >= 0; x = w.s.states[x].parent) found.push(x);
  return found;
}

/** Transitions are numbered from 1 here; 0 is none. */
export function stepOfLanes(w: Work): number {
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
export function conflicts(w: Work, taken: readonly number[]): readonly StepInstruction[] {
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
