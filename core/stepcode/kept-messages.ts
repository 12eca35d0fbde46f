import { readMessage } from '../behaviour/chart-source';
import { each, give, result, set, turn, when } from './builder';
import type { LoweredChart } from './lower-charts';
import { and, not, number, or, minus, pair, plus, truth, type StepExpr } from './step-program';

import { queueSize, type Work } from './step-work';

export interface Keeping {
  /** Whether a state that is active keeps a message. */
  readonly keeps: number;
  /** Puts one behind those that are kept. */
  readonly keep: number;
  /** Notes those that nobody keeps any longer. */
  readonly free: number;
  /** Takes the first of these out, with its arguments; 0 where there is none. */
  readonly next: number;
}

/** Messages that states keep for later: in the order in which they came, until no active state keeps them. */
export function keeping(w: Work, charts: readonly LoweredChart[]): Keeping | undefined {
  const { b, events } = w;
  const { model } = b;
  const kept = model.charts.flatMap((chart, c) =>
    chart.defers.flatMap((names, state) =>
      names.flatMap((n) => {
        const number = events.numberOf(n);
        return number > 0 ? [{ c, state, number }] : [];
      }),
    ),
  );
  if (kept.length === 0) return undefined;
  const zero = number(0, 'i32');
  const one = number(1, 'i32');
  const list = b.slot({ name: 'kept_events', role: 'part', type: 'i32', size: queueSize, list: events.list });
  const isFree = b.slot({ name: 'kept_free', role: 'part', type: 'bool', size: queueSize });
  const count = b.slot({ name: 'kept_count', role: 'part', type: 'i32' });
  // arguments of messages that may be kept, beside them
  const messages = new Set(kept.map((k) => k.number));
  const args = new Set<string>();
  for (const text of w.c.triggers) {
    const read = readMessage(text);
    if (read && messages.has(events.numberOf(read.name))) for (const a of read.args) args.add(a);
  }
  const beside = [...args].flatMap((a) =>
    model.charts.flatMap((chart) => {
      const index = chart.locals.get(a);
      const slot = index === undefined ? undefined : w.slotOf.get(index);
      if (slot === undefined) return [];
      const { type } = b.slots[slot];
      return [{ slot, list: b.slot({ name: `kept_${b.slots[slot].name}`, role: 'part', type, size: queueSize }) }];
    }),
  );
  const event = (): number => b.slot({ name: 'event', role: 'local', type: 'i32', list: events.list });
  const place = (): number => b.slot({ name: 'k', role: 'local', type: 'i32' });

  const asked = event();
  const keeps = b.routine({
    name: 'keeps',
    from: '',
    note: 'whether an active state keeps a message for later',
    takes: [asked],
    gives: 'bool',
    body: [
      {
        op: 'switch',
        on: b.read(asked),
        from: '',
        cases: [...messages].map((m) => ({
          values: [m],
          from: '',
          body: [
            give(
              kept
                .filter((k) => k.number === m)
                .reduce<StepExpr>((any, k) => or(any, isKeeping(w, charts[k.c], k.c, k.state)), truth(false)),
            ),
          ],
        })),
      },
      give(truth(false)),
    ],
  });
  const taken = event();
  const keep = b.routine({
    name: 'keep',
    from: '',
    note: 'keeps a message behind those that are kept',
    takes: [taken],
    body: when(
      pair('lt', b.read(count), number(queueSize, 'i32')),
      [
        set(list, b.read(taken), '', b.read(count)),
        set(isFree, truth(false), '', b.read(count)),
        ...beside.map((x) => set(x.list, b.read(x.slot), '', b.read(count))),
        set(count, plus(b.read(count), one)),
      ],
      [set(w.lost, pair('add', b.read(w.lost), one))],
    ),
  });
  const k = place();
  const free = b.routine({
    name: 'free',
    from: '',
    note: 'notes kept messages that no active state keeps any longer',
    locals: [k],
    body: [
      ...each(
        b,
        k,
        b.read(count),
        when(not(result(keeps, 'bool', [b.read(list, b.read(k))])), [set(isFree, truth(true), '', b.read(k))]),
      ),
    ],
  });
  const at = place();
  const found = event();
  const next = plus(b.read(at), one);
  const takeOut = b.routine({
    name: 'take kept',
    from: '',
    note: 'takes the first kept message that is free, with what it brought',
    locals: [at, found],
    gives: 'i32',
    body: [
      set(at, zero),
      set(found, events.constant(0)),
      turn(and(pair('lt', b.read(at), b.read(count)), not(b.read(isFree, b.read(at)))), [set(at, next)]),
      ...when(pair('lt', b.read(at), b.read(count)), [
        set(found, b.read(list, b.read(at))),
        ...beside.map((x) => set(x.slot, b.read(x.list, b.read(at)))),
        set(count, minus(b.read(count), one)),
        turn(pair('lt', b.read(at), b.read(count)), [
          ...[list, isFree, ...beside.map((x) => x.list)].map((s) => set(s, b.read(s, next), '', b.read(at))),
          set(at, next),
        ]),
      ]),
      give(b.read(found)),
    ],
  });
  return { keeps, keep, free, next: takeOut };
}

/** That a state is active in a chart that has not come to its end. */
const isKeeping = (w: Work, chart: LoweredChart, c: number, state: number): StepExpr =>
  chart.ended < 0 ? w.regions[c].isIn(state) : and(not(w.b.read(chart.ended)), w.regions[c].isIn(state));
