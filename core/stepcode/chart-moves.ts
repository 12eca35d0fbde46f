import { isWithin } from '../behaviour/chart-structure';
import { call, Refusal, set, turn, when } from './builder';
import { type Region } from './regions';
import { and, not, number, or, pair, truth, type StepExpr, type StepInstruction } from './step-program';

import { effectOf, noted, placeOf, slotOf, statements, steps, type Clock, type Work } from './chart-work';

/** What is entered and what is left, in the order of docs/state-charts.md. */

// --- entering

/** A state alone: it is active, its text is done, its clocks begin. */
export function enterAlone(w: Work, state: number): readonly StepInstruction[] {
  const known = w.entering.get(state);
  if (known !== undefined) return [call(known, [], placeOf(w, state))];
  const r = w.regions.of(state);
  const { transitions, outgoing } = w.s;
  const own = [
    ...noted(w.chart.points?.entered[state], placeOf(w, state)),
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

export function armed(w: Work, { kind, delay, place }: Clock): StepExpr {
  const n = steps(w, delay, place);
  if (kind !== 'at') return n;
  throw new Refusal(
    'A trigger at a time of the run cannot be put into code: count the time in a state with after',
    place,
  );
}

/** What is told when an end has been reached. */
export function ends(w: Work, state: number): readonly StepInstruction[] {
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

export function finished(w: Work, state: number): StepExpr {
  const { states } = w.s;
  const isIn = w.regions.isIn;
  return states[state].kind === 'parallel'
    ? states[state].children.reduce<StepExpr>((all, c) => and(all, and(isIn(c), finished(w, c))), truth(true))
    : states[state].children
        .filter((c) => states[c].kind === 'final')
        .reduce<StepExpr>((any, c) => or(any, isIn(c)), truth(false));
}

/** A state with all that begins inside it. */
export function start(w: Work, state: number): readonly StepInstruction[] {
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
export function inside(w: Work, state: number, targets: readonly number[]): readonly StepInstruction[] {
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
export function enterAll(w: Work, around: number, targets: readonly number[]): readonly StepInstruction[] {
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
export function back(w: Work, history: number): readonly StepInstruction[] {
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
export function leave(w: Work, r: Region): number {
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
        ...noted(w.chart.points?.left[state], placeOf(w, state)),
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
      turn(
        pair('ne', slotOf(w, r), b.read(to)),
        [{ op: 'switch', on: slotOf(w, r), cases, from: w.chart.place }],
        w.chart.place,
      ),
    ],
  });
  w.leaving.set(r.root, routine);
  return routine;
}

/** Places of return note what is active in what they lie in, where that is about to be left. */
export function remembering(w: Work, r: Region, to: StepExpr): readonly StepInstruction[] {
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
export function leaveInside(w: Work, domain: number): readonly StepInstruction[] {
  const { s, regions } = w;
  if (domain < 0) return [call(leave(w, regions.all[0]), [number(0, 'i32', regions.all[0].list)])];
  if (s.states[domain].kind === 'parallel')
    return [...regions.lanesOf(domain)].reverse().map((lane) => call(leave(w, lane), [number(0, 'i32', lane.list)]));
  return [call(leave(w, regions.of(domain)), [regions.constant(domain)])];
}
