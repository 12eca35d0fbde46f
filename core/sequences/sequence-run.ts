import type { ReadSequence, SequenceNode } from './read-sequence';
import { secondsOf } from '../lines/sequence-row';
import { outside } from './read-sequence';

/**
 * A written sequence while it is run: places in the tree of its rows that wait for something. Messages from outside are
 * sent when a place reaches them, all others are awaited. A message that comes before its turn counts as out of order and
 * does not come again; one that comes after its bound is too late.
 */
export type RowStatus =
  'open' | 'sent' | 'seen' | 'out of order' | 'too late' | 'too early' | 'other values' | 'not seen' | 'skipped';

export interface RowResult {
  readonly line: string;
  readonly status: RowStatus;
  /** When it happened last. */
  readonly time: number | undefined;
  /** How often it has happened, in loops. */
  readonly times: number;
  readonly detail: string;
}

export interface SequenceReport {
  readonly rows: readonly RowResult[];
  /** All rows that had to happen have happened, in order and in time. */
  readonly verdict: 'running' | 'passed' | 'failed';
  readonly why: string;
}

export interface SeenMessage {
  readonly time: number;
  readonly message: string;
  /** Full names of parts, `outside` for what is around the product. */
  readonly from: string;
  readonly to: readonly string[];
  readonly args: readonly { readonly name: string; readonly value: number }[];
}

/** What the sequence asks of the run it watches. */
export interface SequenceWorld {
  /** Value of a condition, guard or number of rounds, as written; undefined where it cannot be told. */
  value(text: string): number | undefined;
  isIn(part: string, state: string): boolean;
}

export interface Send {
  readonly kind: 'send' | 'set';
  readonly line: string;
  /** Receiver, or the quantity that is set. */
  readonly part: string;
  readonly message: string;
  readonly args: readonly { readonly name: string; readonly value: number }[];
  readonly value: number;
}

export interface SequenceRun {
  /** Goes on as far as possible at a time; returns what is to be sent now. */
  step(time: number, world: SequenceWorld): Send[];
  /** A message has been handled; frames before the rows it may belong to are gone through first. */
  message(m: SeenMessage, world: SequenceWorld): void;
  /** The next time at which a wait or bound is over. */
  nextTime(): number;
  report(ended: boolean): SequenceReport;
}

/** A place in the sequence: what is left to do there, innermost first. */
interface Thread {
  id: number;
  /** Frames from the outside in. */
  readonly frames: Frame[];
  /** Time from which a wait or bound counts. */
  since: number;
  waitUntil: number | undefined;
  /** Lanes still going on below this place. */
  children: Thread[];
}
type Frame = {
  readonly nodes: readonly SequenceNode[];
  at: number;
  loop?: { readonly node: Extract<SequenceNode, { kind: 'loop' }>; round: number };
};

const valueOf = (text: string): number => (text === 'true' ? 1 : text === 'false' ? 0 : Number(text));

const mostRounds = 100_000;

export function createSequenceRun(read: ReadSequence): SequenceRun {
  const results = new Map<string, { status: RowStatus; time: number | undefined; times: number; detail: string }>();
  const marks = new Map<string, number>();
  const early = new Map<string, SeenMessage[]>();
  /** What is to be sent, found out while a message was looked at. */
  const pending: Send[] = [];
  let count = 0;
  let clock = 0;
  const thread = (nodes: readonly SequenceNode[], since: number): Thread => ({
    id: count++,
    frames: [{ nodes, at: 0 }],
    since,
    waitUntil: undefined,
    children: [],
  });
  const root = thread(read.nodes, 0);
  const lineOf = (n: SequenceNode): string => (n.kind === 'alt' ? n.branches[0].line.id : n.line.id);
  const note = (n: SequenceNode, status: RowStatus, time: number, detail = ''): void => {
    const known = results.get(lineOf(n));
    // what went wrong once stays visible, whatever happens in later rounds
    const kept = known && isWrong(known.status) && !isWrong(status) ? known : undefined;
    results.set(lineOf(n), {
      status: kept?.status ?? status,
      time,
      times: (known?.times ?? 0) + 1,
      detail: kept?.detail ?? detail,
    });
  };

  const current = (t: Thread): SequenceNode | undefined => {
    const frame = t.frames[t.frames.length - 1];
    return frame?.nodes[frame.at];
  };
  /** Goes past the node at hand, out of finished frames and around loops. */
  const advance = (t: Thread, world: SequenceWorld | undefined): void => {
    t.frames[t.frames.length - 1].at++;
    settleFrames(t, world);
  };
  const settleFrames = (t: Thread, world: SequenceWorld | undefined): void => {
    while (t.frames.length > 0) {
      const frame = t.frames[t.frames.length - 1];
      if (frame.at < frame.nodes.length) return;
      if (frame.loop && world === undefined) return;
      if (frame.loop && goesOn(frame.loop, world!) && frame.nodes.length > 0) {
        frame.at = 0;
        continue;
      }
      t.frames.pop();
      if (t.frames.length > 0) t.frames[t.frames.length - 1].at++;
    }
  };
  const goesOn = (loop: NonNullable<Frame['loop']>, world: SequenceWorld): boolean => {
    loop.round++;
    if (loop.round > mostRounds) return false;
    const value = world.value(loop.node.text) ?? 0;
    if (loop.node.mode === 'times') return loop.round < value;
    return loop.node.mode === 'while' ? value !== 0 : value === 0;
  };

  const from = (t: Thread, of: string): number => (of === '' ? t.since : (marks.get(of) ?? NaN));
  const bounds = (t: Thread, n: SequenceNode): { latest: number; earliest: number } => {
    if (n.kind !== 'message' && n.kind !== 'state' && n.kind !== 'check')
      return { latest: Infinity, earliest: -Infinity };
    const base = from(t, n.bound.of);
    const within = n.bound.within === '' ? undefined : secondsOf(n.bound.within);
    const notBefore = n.bound.notBefore === '' ? undefined : secondsOf(n.bound.notBefore);
    return {
      latest: within === undefined || Number.isNaN(base) ? Infinity : base + within,
      earliest: notBefore === undefined || Number.isNaN(base) ? -Infinity : base + notBefore,
    };
  };
  /** A row has happened: with its time it is judged, and the place goes on. */
  const happened = (
    t: Thread,
    n: SequenceNode,
    time: number,
    world: SequenceWorld | undefined,
    base: RowStatus,
    detail = '',
  ): void => {
    const { latest, earliest } = bounds(t, n);
    const slack = 1e-9 * Math.max(1, time);
    if (base !== 'seen' && base !== 'sent') note(n, base, time, detail);
    else if (time > latest + slack)
      note(n, 'too late', time, `${Number((time - latest).toPrecision(4))} s after its bound`);
    else if (time < earliest - slack)
      note(n, 'too early', time, `${Number((earliest - time).toPrecision(4))} s before its time`);
    else note(n, base, time, detail);
    if ('bound' in n && n.bound.mark !== '') marks.set(n.bound.mark, time);
    t.since = time;
    t.waitUntil = undefined;
    advance(t, world);
  };

  const matches = (n: SequenceNode, m: SeenMessage): boolean =>
    n.kind === 'message' &&
    n.message === m.message &&
    n.from === m.from &&
    (n.to === outside ? true : m.to.includes(n.to));
  const argumentsDiffer = (n: SequenceNode, m: SeenMessage): string => {
    if (n.kind !== 'message') return '';
    return n.args
      .flatMap((a) => {
        const wanted = a.value === 'true' ? 1 : a.value === 'false' ? 0 : Number(a.value);
        const got = m.args.find((x) => x.name === a.name)?.value;
        if (got === undefined) return [`no ${a.name}`];
        return Number.isNaN(wanted) || Math.abs(got - wanted) <= 1e-6 * Math.max(1, Math.abs(wanted))
          ? []
          : [`${a.name} = ${Number(got.toPrecision(6))}`];
      })
      .join(', ');
  };

  const leaves = (t: Thread): Thread[] => (t.children.length > 0 ? t.children.flatMap(leaves) : [t]);

  /** Whether a message is still to come at a place or after it. */
  const comesLater = (t: Thread, m: SeenMessage): SequenceNode | undefined => {
    let found: SequenceNode | undefined;
    const look = (nodes: readonly SequenceNode[]): void => {
      for (const n of nodes) {
        if (found) return;
        if (matches(n, m) && n.kind === 'message' && n.from !== outside) found = n;
        else if (n.kind === 'alt') n.branches.forEach((b) => look(b.body));
        else if (n.kind === 'loop') look(n.body);
        else if (n.kind === 'par') n.lanes.forEach((l) => look(l.body));
      }
    };
    for (let k = t.frames.length - 1; k >= 0 && !found; k--) look(t.frames[k].nodes.slice(t.frames[k].at + 1));
    return found;
  };

  const go = (t: Thread, time: number, world: SequenceWorld, sends: Send[]): void => {
    for (let steps = 0; steps < 10_000; steps++) {
      if (t.children.length > 0) {
        for (const c of t.children) go(c, time, world, sends);
        if (t.children.some((c) => c.children.length > 0 || current(c) !== undefined || c.frames.length > 0)) return;
        t.since = Math.max(t.since, ...t.children.map((c) => c.since));
        t.children = [];
        advance(t, world);
        continue;
      }
      settleFrames(t, world);
      const n = current(t);
      if (!n) return;
      switch (n.kind) {
        case 'message': {
          const waiting = early.get(lineOf(n))?.shift();
          if (waiting) {
            note(n, 'out of order', waiting.time, 'It came before the rows above it');
            t.since = time;
            advance(t, world);
            continue;
          }
          if (n.from !== outside) return;
          sends.push({
            kind: 'send',
            value: 0,
            line: n.line.id,
            part: n.to,
            message: n.message,
            args: n.args.map((a) => ({ name: a.name, value: valueOf(a.value) })),
          });
          happened(t, n, time, world, 'sent');
          // what it sends has its effect before the next row is looked at
          return;
        }
        case 'state':
          if (!world.isIn(n.part, n.state)) return;
          happened(t, n, time, world, 'seen');
          continue;
        case 'check': {
          const value = world.value(n.condition);
          if (value === undefined || value === 0) return;
          happened(t, n, time, world, 'seen');
          continue;
        }
        case 'set':
          sends.push({ kind: 'set', line: n.line.id, part: n.target, message: '', args: [], value: valueOf(n.value) });
          note(n, 'sent', time);
          t.since = time;
          advance(t, world);
          return;
        case 'wait': {
          t.waitUntil ??= time + (secondsOf(n.time) ?? world.value(n.time) ?? 0);
          if (time < t.waitUntil - 1e-12 * Math.max(1, time)) return;
          note(n, 'seen', t.waitUntil);
          t.since = time;
          t.waitUntil = undefined;
          advance(t, world);
          continue;
        }
        case 'alt': {
          const branch = n.branches.find((b) => b.guard === '' || (world.value(b.guard) ?? 0) !== 0);
          note(n, branch ? 'seen' : 'skipped', time, branch ? branch.guard || 'else' : '');
          if (branch && branch.body.length > 0) t.frames.push({ nodes: branch.body, at: 0 });
          else advance(t, world);
          continue;
        }
        case 'loop': {
          const value = world.value(n.text) ?? 0;
          const enters =
            n.body.length > 0 && (n.mode === 'times' ? value >= 1 : n.mode === 'while' ? value !== 0 : true);
          note(n, enters ? 'seen' : 'skipped', time);
          if (enters) t.frames.push({ nodes: n.body, at: 0, loop: { node: n, round: 0 } });
          else advance(t, world);
          continue;
        }
        case 'par':
          t.children = n.lanes.map((l) => thread(l.body, t.since));
          note(n, 'seen', time);
          continue;
      }
    }
  };

  return {
    step(time, world) {
      clock = time;
      const sends = pending.splice(0, pending.length);
      go(root, time, world, sends);
      return sends;
    },
    message(m, world) {
      clock = m.time;
      go(root, m.time, world, pending);
      const places = leaves(root);
      const at = places.find((t) => {
        const n = current(t);
        return n !== undefined && n.kind === 'message' && n.from !== outside && matches(n, m);
      });
      if (at) {
        const n = current(at)!;
        const different = argumentsDiffer(n, m);
        happened(at, n, m.time, undefined, different ? 'other values' : 'seen', different);
        return;
      }
      if (m.from === outside) return;
      for (const t of [...places, ...(places.includes(root) ? [] : [root])]) {
        const later = comesLater(t, m);
        if (!later) continue;
        // a row of a later round is not early while this round still waits for the same
        const list = early.get(lineOf(later)) ?? [];
        if (list.length > 0) return;
        early.set(lineOf(later), [...list, m]);
        return;
      }
    },
    nextTime() {
      let next = Infinity;
      for (const t of leaves(root)) {
        const n = current(t);
        if (!n) continue;
        if (t.waitUntil !== undefined && t.waitUntil > clock) next = Math.min(next, t.waitUntil);
        const { latest } = bounds(t, n);
        if (latest > clock) next = Math.min(next, latest);
      }
      return next;
    },
    report(ended) {
      const rows: RowResult[] = [];
      const add = (id: string, otherwise: RowStatus): void => {
        const known = results.get(id);
        rows.push(
          known ? { line: id, ...known } : { line: id, status: otherwise, time: undefined, times: 0, detail: '' },
        );
      };
      const late = new Set<string>();
      for (const t of leaves(root)) {
        const n = current(t);
        if (n && clock > bounds(t, n).latest + 1e-9) late.add(lineOf(n));
      }
      const reached = new Set<string>();
      const walk = (nodes: readonly SequenceNode[], skipped: boolean): void => {
        for (const n of nodes) {
          const id = lineOf(n);
          add(id, skipped ? 'skipped' : late.has(id) ? 'too late' : ended ? 'not seen' : 'open');
          const result = results.get(id);
          if (n.kind === 'alt')
            n.branches.forEach((b, k) => {
              if (k > 0) rows.push({ line: b.line.id, status: 'seen', time: undefined, times: 0, detail: '' });
              walk(
                b.body,
                skipped ||
                  (result !== undefined && (result.status === 'skipped' || result.detail !== (b.guard || 'else'))),
              );
            });
          else if (n.kind === 'loop') walk(n.body, skipped || result?.status === 'skipped');
          else if (n.kind === 'par') n.lanes.forEach((l) => walk(l.body, skipped));
          reached.add(id);
        }
      };
      walk(read.nodes, false);
      const wrong = rows.filter((r) => isWrong(r.status));
      const over = leaves(root).every((t) => current(t) === undefined) && root.frames.length === 0;
      const verdict = wrong.length > 0 ? 'failed' : over ? 'passed' : ended ? 'failed' : 'running';
      return {
        rows,
        verdict,
        why:
          wrong.length > 0
            ? `${wrong.length} row${wrong.length === 1 ? '' : 's'} not as written`
            : over
              ? 'every row as written'
              : ended
                ? 'it did not come to its end'
                : '',
      };
    },
  };
}

export const isWrong = (status: RowStatus): boolean =>
  ['out of order', 'too late', 'too early', 'other values', 'not seen'].includes(status);
