import { sendsOf } from '../flatten/chart-sends';
import type { FlatChart, FlatSend } from '../flatten/flat-model';
import { call, each, give, set, turn, when, type Builder } from './builder';
import { and, minus, number, pair, plus, type StepExpr, type StepInstruction, type StepType } from './step-program';

/** Messages that are sent some time later: each with the steps that are left, in the order in which they were sent. */
export interface Later {
  /** Routine that counts a step down. */
  readonly count: number;
  /** Routine that takes out the first message to the part itself that is due: the number of its event, 0 for none. */
  readonly take: number;
  /** Routine that sends what is due to others. */
  readonly flush: number;
  send(
    send: FlatSend,
    steps: StepExpr,
    valueOf: (name: string, type: StepType) => StepExpr,
  ): readonly StepInstruction[];
  cancel(message: string): readonly StepInstruction[];
}

export interface LaterNeeds {
  readonly size: number;
  readonly lost: number;
  numberOf(message: string): number;
  /** Slots that take an argument of a message to the part itself. */
  targets(argument: string): readonly number[];
  /** Counter of a message that goes out, and slots of its arguments. */
  outgoing(message: string): number;
  outgoingArgument(message: string, argument: string): number | undefined;
}

const zero = number(0, 'i32');
const one = number(1, 'i32');

/** Every message that some text sends later; to the part itself where it is among the receivers. */
function laterIn(
  charts: readonly FlatChart[],
): readonly { readonly message: string; readonly isOwn: boolean; readonly args: readonly string[] }[] {
  const found = new Map<string, { message: string; isOwn: boolean; args: readonly string[] }>();
  for (const { message, receivers, args, after } of sendsOf(charts)) {
    if (!after) continue;
    const isOwn = receivers.includes(0);
    const known = found.get(keyOf(message, isOwn))?.args ?? [];
    found.set(keyOf(message, isOwn), { message, isOwn, args: [...new Set([...known, ...args.map((a) => a.name)])] });
  }
  return [...found.values()];
}
const keyOf = (message: string, isOwn: boolean): string => `${message} ${isOwn ? 'to itself' : 'out'}`;

export function laterMessages(b: Builder, charts: readonly FlatChart[], needs: LaterNeeds): Later | undefined {
  const all = laterIn(charts);
  if (all.length === 0) return undefined;
  const { size } = needs;
  const list =
    b.lists.push({
      name: 'later',
      members: [
        { name: 'None', value: 0, from: '' },
        ...all.map((x, k) => ({ name: `${x.message}${x.isOwn ? '_itself' : ''}`, value: k + 1, from: '' })),
      ],
    }) - 1;
  const kindOf = (message: string, isOwn: boolean): number =>
    all.findIndex((x) => x.message === message && x.isOwn === isOwn) + 1;
  const kind = b.slot({ name: 'later_messages', role: 'part', type: 'i32', size, list });
  const left = b.slot({ name: 'later_left', role: 'part', type: 'i32', size });
  const count = b.slot({ name: 'later_count', role: 'part', type: 'i32' });
  const args = all.flatMap((x, k) =>
    x.args.flatMap((name) => {
      const targets = x.isOwn
        ? needs.targets(name)
        : [needs.outgoingArgument(x.message, name)].filter((s) => s !== undefined);
      if (targets.length === 0) return [];
      const { type } = b.slots[targets[0]];
      const slot = b.slot({ name: `later_${x.message}_${name}`, role: 'part', type, size });
      return [{ kind: k + 1, name, slot, targets }];
    }),
  );
  const local = (name: string, of = -1): number => b.slot({ name, role: 'local', type: 'i32', list: of });
  const constant = (k: number): StepExpr => number(k, 'i32', list);
  const isDue = (k: number): StepExpr => pair('eq', b.read(left, b.read(k)), zero);

  const from = local('k');
  const drop = b.routine({
    name: 'drop later',
    from: '',
    note: 'takes one out of the messages that are sent later',
    takes: [from],
    body: [
      set(count, minus(b.read(count), one)),
      turn(pair('lt', b.read(from), b.read(count)), [
        ...[kind, left, ...args.map((a) => a.slot)].map((s) =>
          set(s, b.read(s, plus(b.read(from), one)), '', b.read(from)),
        ),
        set(from, plus(b.read(from), one)),
      ]),
    ],
  });
  const c = local('k');
  const counting = b.routine({
    name: 'count later',
    from: '',
    note: 'one step less until they are sent',
    locals: [c],
    body: [
      ...each(
        b,
        c,
        b.read(count),
        when(pair('gt', b.read(left, b.read(c)), zero), [
          set(left, minus(b.read(left, b.read(c)), one), '', b.read(c)),
        ]),
      ),
    ],
  });
  const t = local('k');
  const own = all.flatMap((x, k) => (x.isOwn ? [k + 1] : []));
  const brought = (k: number, at: number): StepInstruction[] =>
    args.flatMap((a) => (a.kind === k ? a.targets.map((target) => set(target, b.read(a.slot, b.read(at)))) : []));
  const take = b.routine({
    name: 'take later',
    from: '',
    note: 'the first message to itself that is due, with what it brings',
    locals: [t],
    gives: 'i32',
    body: [
      ...each(
        b,
        t,
        b.read(count),
        own.flatMap((k) =>
          when(and(isDue(t), pair('eq', b.read(kind, b.read(t)), constant(k))), [
            ...brought(k, t),
            call(drop, [b.read(t)]),
            give(number(needs.numberOf(all[k - 1].message), 'i32')),
          ]),
        ),
      ),
      give(zero),
    ],
  });
  const f = local('k');
  const flush = b.routine({
    name: 'send later',
    from: '',
    note: 'sends what is due',
    locals: [f],
    body: [
      set(f, zero),
      turn(pair('lt', b.read(f), b.read(count)), [
        ...when(
          isDue(f),
          all.flatMap((x, k) =>
            x.isOwn
              ? []
              : when(pair('eq', b.read(kind, b.read(f)), constant(k + 1)), [
                  set(needs.outgoing(x.message), plus(b.read(needs.outgoing(x.message)), one)),
                  ...brought(k + 1, f),
                  // it is gone: the one behind it stands here now
                  set(kind, constant(0), '', b.read(f)),
                ]),
          ),
        ),
        ...when(
          pair('eq', b.read(kind, b.read(f)), constant(0)),
          [call(drop, [b.read(f)])],
          [set(f, plus(b.read(f), one))],
        ),
      ]),
    ],
  });
  const wanted = local('message', list);
  const d = local('k');
  const dropping = b.routine({
    name: 'cancel later',
    from: '',
    note: 'takes back what has not been sent yet',
    takes: [wanted],
    locals: [d],
    body: [
      set(d, zero),
      turn(pair('lt', b.read(d), b.read(count)), [
        ...when(
          pair('eq', b.read(kind, b.read(d)), b.read(wanted)),
          [call(drop, [b.read(d)])],
          [set(d, plus(b.read(d), one))],
        ),
      ]),
    ],
  });
  return {
    count: counting,
    take,
    flush,
    send: (send, steps, valueOf) => {
      const k = kindOf(send.message, send.receivers.includes(0));
      return when(
        pair('lt', b.read(count), number(size, 'i32')),
        [
          set(kind, constant(k), '', b.read(count)),
          set(left, steps, '', b.read(count)),
          ...args.flatMap((a) =>
            a.kind === k ? [set(a.slot, valueOf(a.name, b.slots[a.slot].type), '', b.read(count))] : [],
          ),
          set(count, plus(b.read(count), one)),
        ],
        [set(needs.lost, pair('add', b.read(needs.lost), one))],
      );
    },
    cancel: (message) =>
      [kindOf(message, true), kindOf(message, false)].flatMap((k) => (k > 0 ? [call(dropping, [constant(k)])] : [])),
  };
}
