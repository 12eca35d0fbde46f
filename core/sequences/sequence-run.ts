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
  readonly state: SequenceState;
  /** Goes on as far as possible at a time; returns what is to be sent now. */
  step(time: number, world: SequenceWorld): Send[];
  /** A message has been handled; frames before the rows it may belong to are gone through first. */
  message(m: SeenMessage, world: SequenceWorld): void;
  /** The next time at which a wait or bound is over. */
  nextTime(): number;
  report(ended: boolean): SequenceReport;
}

/** A place in the sequence: what is left to do there. */
interface Thread {
  /** Frames from the outside in. */
  readonly frames: Frame[];
  /** Time from which a wait or bound counts. */
  since: number;
  waitUntil: number | undefined;
  /** Lanes still going on below this place. */
  children: Thread[];
}

/** A list of rows that is gone through. */
interface Frame {
  /** Its number among all lists of the sequence. */
  readonly list: number;
  at: number;
  /** The round of a loop, whose row is the one that the frame outside is at; undefined elsewhere. */
  round: number | undefined;
}

interface Result {
  readonly status: RowStatus;
  readonly time: number | undefined;
  readonly times: number;
  readonly detail: string;
}

/** All that a sequence remembers while it is run, as plain data. */
export interface SequenceState {
  readonly results: Map<string, Result>;
  /** Times of marked rows. */
  readonly marks: Map<string, number>;
  /** Messages that came before their rows. */
  readonly early: Map<string, SeenMessage[]>;
  /** What is to be sent, found out while a message was looked at. */
  readonly pending: Send[];
  clock: number;
  readonly root: Thread;
}

const newThread = (list: number, since: number): Thread => ({
  frames: [{ list, at: 0, round: undefined }],
  since,
  waitUntil: undefined,
  children: [],
});

const newState = (): SequenceState => ({
  results: new Map(),
  marks: new Map(),
  early: new Map(),
  pending: [],
  clock: 0,
  root: newThread(0, 0),
});

/** A sequence with what it remembers. */
interface Work {
  readonly nodes: readonly SequenceNode[];
  /** All lists of rows, the outermost first. */
  readonly lists: readonly (readonly SequenceNode[])[];
  readonly numbers: ReadonlyMap<readonly SequenceNode[], number>;
  readonly state: SequenceState;
}

function listsOf(nodes: readonly SequenceNode[]): (readonly SequenceNode[])[] {
  const inside = nodes.flatMap((n): (readonly SequenceNode[])[] =>
    n.kind === 'alt'
      ? n.branches.map((b) => b.body)
      : n.kind === 'loop'
        ? [n.body]
        : n.kind === 'par'
          ? n.lanes.map((l) => l.body)
          : [],
  );
  return [nodes, ...inside.flatMap(listsOf)];
}

/** With what another run of the same sequence remembers, it goes on from there. */
export function createSequenceRun(read: ReadSequence, state: SequenceState = newState()): SequenceRun {
  const lists = listsOf(read.nodes);
  const work: Work = { nodes: read.nodes, lists, numbers: new Map(lists.map((l, k) => [l, k])), state };
  return {
    state,
    step(time, world) {
      state.clock = time;
      const sends = state.pending.splice(0, state.pending.length);
      go(work, state.root, time, world, sends);
      return sends;
    },
    message: (m, world) => take(work, m, world),
    nextTime: () => nextTime(work),
    report: (ended) => report(work, ended),
  };
}

const valueOf = (text: string): number => (text === 'true' ? 1 : text === 'false' ? 0 : Number(text));

const mostRounds = 100_000;

const lineOf = (n: SequenceNode): string => (n.kind === 'alt' ? n.branches[0].line.id : n.line.id);

function note({ state }: Work, n: SequenceNode, status: RowStatus, time: number, detail = ''): void {
  const known = state.results.get(lineOf(n));
  // what went wrong once stays visible, whatever happens in later rounds
  const kept = known && isWrong(known.status) && !isWrong(status) ? known : undefined;
  state.results.set(lineOf(n), {
    status: kept?.status ?? status,
    time,
    times: (known?.times ?? 0) + 1,
    detail: kept?.detail ?? detail,
  });
}

const rowOf = ({ lists }: Work, frame: Frame): SequenceNode | undefined => lists[frame.list][frame.at];

function current(work: Work, t: Thread): SequenceNode | undefined {
  const frame = t.frames.at(-1);
  return frame && rowOf(work, frame);
}

const enter = (work: Work, t: Thread, body: readonly SequenceNode[], round?: number): void =>
  void t.frames.push({ list: work.numbers.get(body)!, at: 0, round });

/** Goes past the row at hand, out of finished frames and around loops. */
function advance(work: Work, t: Thread, world: SequenceWorld | undefined): void {
  t.frames[t.frames.length - 1].at++;
  settleFrames(work, t, world);
}

function settleFrames(work: Work, t: Thread, world: SequenceWorld | undefined): void {
  while (t.frames.length > 0) {
    const frame = t.frames[t.frames.length - 1];
    const rows = work.lists[frame.list];
    if (frame.at < rows.length) return;
    if (frame.round !== undefined && world === undefined) return;
    if (frame.round !== undefined && goesOn(work, t, frame, world!) && rows.length > 0) {
      frame.at = 0;
      continue;
    }
    t.frames.pop();
    if (t.frames.length > 0) t.frames[t.frames.length - 1].at++;
  }
}

/** Whether a loop takes another round. */
function goesOn(work: Work, t: Thread, frame: Frame, world: SequenceWorld): boolean {
  const node = rowOf(work, t.frames[t.frames.length - 2]);
  frame.round = (frame.round ?? 0) + 1;
  if (frame.round > mostRounds || node?.kind !== 'loop') return false;
  const value = world.value(node.text) ?? 0;
  if (node.mode === 'times') return frame.round < value;
  return node.mode === 'while' ? value !== 0 : value === 0;
}

function bounds({ state }: Work, t: Thread, n: SequenceNode): { latest: number; earliest: number } {
  if (n.kind !== 'message' && n.kind !== 'state' && n.kind !== 'check')
    return { latest: Infinity, earliest: -Infinity };
  const base = n.bound.of === '' ? t.since : (state.marks.get(n.bound.of) ?? NaN);
  const within = n.bound.within === '' ? undefined : secondsOf(n.bound.within);
  const notBefore = n.bound.notBefore === '' ? undefined : secondsOf(n.bound.notBefore);
  return {
    latest: within === undefined || Number.isNaN(base) ? Infinity : base + within,
    earliest: notBefore === undefined || Number.isNaN(base) ? -Infinity : base + notBefore,
  };
}

/** A row has happened: with its time it is judged, and the place goes on. */
function happened(
  work: Work,
  t: Thread,
  n: SequenceNode,
  time: number,
  world: SequenceWorld | undefined,
  base: RowStatus,
  detail = '',
): void {
  const { latest, earliest } = bounds(work, t, n);
  const slack = 1e-9 * Math.max(1, time);
  const seconds = (x: number): number => Number(x.toPrecision(4));
  if (base !== 'seen' && base !== 'sent') note(work, n, base, time, detail);
  else if (time > latest + slack) note(work, n, 'too late', time, `${seconds(time - latest)} s after its bound`);
  else if (time < earliest - slack) note(work, n, 'too early', time, `${seconds(earliest - time)} s before its time`);
  else note(work, n, base, time, detail);
  if ('bound' in n && n.bound.mark !== '') work.state.marks.set(n.bound.mark, time);
  t.since = time;
  t.waitUntil = undefined;
  advance(work, t, world);
}

const matches = (n: SequenceNode, m: SeenMessage): boolean =>
  n.kind === 'message' &&
  n.message === m.message &&
  n.from === m.from &&
  (n.to === outside ? true : m.to.includes(n.to));

function argumentsDiffer(n: SequenceNode, m: SeenMessage): string {
  if (n.kind !== 'message') return '';
  return n.args
    .flatMap((a) => {
      const wanted = valueOf(a.value);
      const got = m.args.find((x) => x.name === a.name)?.value;
      if (got === undefined) return [`no ${a.name}`];
      return Number.isNaN(wanted) || Math.abs(got - wanted) <= 1e-6 * Math.max(1, Math.abs(wanted))
        ? []
        : [`${a.name} = ${Number(got.toPrecision(6))}`];
    })
    .join(', ');
}

const leaves = (t: Thread): Thread[] => (t.children.length > 0 ? t.children.flatMap(leaves) : [t]);

/** Whether a message is still to come at a place or after it. */
function comesLater(work: Work, t: Thread, m: SeenMessage): SequenceNode | undefined {
  const look = (nodes: readonly SequenceNode[]): SequenceNode | undefined => {
    for (const n of nodes) {
      if (matches(n, m) && n.kind === 'message' && n.from !== outside) return n;
      const inside = listsOf([n]).slice(1);
      for (const list of inside) {
        const found = look(list);
        if (found) return found;
      }
    }
    return undefined;
  };
  for (let k = t.frames.length - 1; k >= 0; k--) {
    const { list, at } = t.frames[k];
    const found = look(work.lists[list].slice(at + 1));
    if (found) return found;
  }
  return undefined;
}

/** Goes on from a place as far as possible at a time. */
function go(work: Work, t: Thread, time: number, world: SequenceWorld, sends: Send[]): void {
  for (let steps = 0; steps < 10_000; steps++) {
    if (t.children.length > 0) {
      for (const c of t.children) go(work, c, time, world, sends);
      if (t.children.some((c) => c.children.length > 0 || c.frames.length > 0)) return;
      t.since = Math.max(t.since, ...t.children.map((c) => c.since));
      t.children = [];
      advance(work, t, world);
      continue;
    }
    settleFrames(work, t, world);
    const n = current(work, t);
    if (!n || !passes(work, t, n, time, world, sends)) return;
  }
}

/** One row at its place: true where the place goes on at once, false where it waits. */
function passes(work: Work, t: Thread, n: SequenceNode, time: number, world: SequenceWorld, sends: Send[]): boolean {
  switch (n.kind) {
    case 'message': {
      const waiting = work.state.early.get(lineOf(n))?.shift();
      if (waiting) {
        note(work, n, 'out of order', waiting.time, 'It came before the rows above it');
        t.since = time;
        advance(work, t, world);
        return true;
      }
      if (n.from !== outside) return false;
      const args = n.args.map((a) => ({ name: a.name, value: valueOf(a.value) }));
      sends.push({ kind: 'send', value: 0, line: n.line.id, part: n.to, message: n.message, args });
      happened(work, t, n, time, world, 'sent');
      // what it sends has its effect before the next row is looked at
      return false;
    }
    case 'state':
      if (!world.isIn(n.part, n.state)) return false;
      happened(work, t, n, time, world, 'seen');
      return true;
    case 'check': {
      const value = world.value(n.condition);
      if (value === undefined || value === 0) return false;
      happened(work, t, n, time, world, 'seen');
      return true;
    }
    case 'set':
      sends.push({ kind: 'set', line: n.line.id, part: n.target, message: '', args: [], value: valueOf(n.value) });
      note(work, n, 'sent', time);
      t.since = time;
      advance(work, t, world);
      return false;
    case 'wait':
      t.waitUntil ??= time + (secondsOf(n.time) ?? world.value(n.time) ?? 0);
      if (time < t.waitUntil - 1e-12 * Math.max(1, time)) return false;
      note(work, n, 'seen', t.waitUntil);
      t.since = time;
      t.waitUntil = undefined;
      advance(work, t, world);
      return true;
    case 'alt': {
      const branch = n.branches.find((b) => b.guard === '' || (world.value(b.guard) ?? 0) !== 0);
      note(work, n, branch ? 'seen' : 'skipped', time, branch ? branch.guard || 'else' : '');
      if (branch && branch.body.length > 0) enter(work, t, branch.body);
      else advance(work, t, world);
      return true;
    }
    case 'loop': {
      const value = world.value(n.text) ?? 0;
      const enters = n.body.length > 0 && (n.mode === 'times' ? value >= 1 : n.mode === 'while' ? value !== 0 : true);
      note(work, n, enters ? 'seen' : 'skipped', time);
      if (enters) enter(work, t, n.body, 0);
      else advance(work, t, world);
      return true;
    }
    case 'par':
      t.children = n.lanes.map((l) => newThread(work.numbers.get(l.body)!, t.since));
      note(work, n, 'seen', time);
      return true;
  }
}

/** A message has been handled: the first place that waits for it takes it; where it comes before its turn, that is noted. */
function take(work: Work, m: SeenMessage, world: SequenceWorld): void {
  const { state } = work;
  state.clock = m.time;
  go(work, state.root, m.time, world, state.pending);
  const places = leaves(state.root);
  for (const t of places) {
    const n = current(work, t);
    if (n?.kind !== 'message' || n.from === outside || !matches(n, m)) continue;
    const different = argumentsDiffer(n, m);
    return happened(work, t, n, m.time, undefined, different ? 'other values' : 'seen', different);
  }
  if (m.from === outside) return;
  for (const t of [...places, ...(places.includes(state.root) ? [] : [state.root])]) {
    const later = comesLater(work, t, m);
    if (!later) continue;
    // a row of a later round is not early while this round still waits for the same
    const list = state.early.get(lineOf(later)) ?? [];
    if (list.length === 0) state.early.set(lineOf(later), [m]);
    return;
  }
}

function nextTime(work: Work): number {
  const { clock, root } = work.state;
  let next = Infinity;
  for (const t of leaves(root)) {
    const n = current(work, t);
    if (!n) continue;
    if (t.waitUntil !== undefined && t.waitUntil > clock) next = Math.min(next, t.waitUntil);
    const { latest } = bounds(work, t, n);
    if (latest > clock) next = Math.min(next, latest);
  }
  return next;
}

function report(work: Work, ended: boolean): SequenceReport {
  const { results, clock, root } = work.state;
  const late = new Set<string>();
  for (const t of leaves(root)) {
    const n = current(work, t);
    if (n && clock > bounds(work, t, n).latest + 1e-9) late.add(lineOf(n));
  }
  const rows = rowsOf(work.nodes, false, results, (id) => (late.has(id) ? 'too late' : ended ? 'not seen' : 'open'));
  const wrong = rows.filter((r) => isWrong(r.status)).length;
  const over = leaves(root).every((t) => current(work, t) === undefined) && root.frames.length === 0;
  return {
    rows,
    verdict: wrong > 0 ? 'failed' : over ? 'passed' : ended ? 'failed' : 'running',
    why:
      wrong > 0
        ? `${wrong} row${wrong === 1 ? '' : 's'} not as written`
        : over
          ? 'every row as written'
          : ended
            ? 'it did not come to its end'
            : '',
  };
}

/** What is told of each row, with the rows inside it; `otherwise` says what those without a result are. */
function rowsOf(
  nodes: readonly SequenceNode[],
  skipped: boolean,
  results: ReadonlyMap<string, Result>,
  otherwise: (line: string) => RowStatus,
): RowResult[] {
  const inside = (body: readonly SequenceNode[], without: boolean): RowResult[] =>
    rowsOf(body, skipped || without, results, otherwise);
  const nothing = (line: string, status: RowStatus): RowResult => ({
    line,
    status,
    time: undefined,
    times: 0,
    detail: '',
  });
  return nodes.flatMap((n): RowResult[] => {
    const line = lineOf(n);
    const result = results.get(line);
    const own = result ? { line, ...result } : nothing(line, skipped ? 'skipped' : otherwise(line));
    switch (n.kind) {
      case 'alt':
        return [
          own,
          ...n.branches.flatMap((b, k) => [
            ...(k > 0 ? [nothing(b.line.id, 'seen')] : []),
            ...inside(
              b.body,
              result !== undefined && (result.status === 'skipped' || result.detail !== (b.guard || 'else')),
            ),
          ]),
        ];
      case 'loop':
        return [own, ...inside(n.body, result?.status === 'skipped')];
      case 'par':
        return [own, ...n.lanes.flatMap((l) => inside(l.body, false))];
      default:
        return [own];
    }
  });
}

export const isWrong = (status: RowStatus): boolean =>
  ['out of order', 'too late', 'too early', 'other values', 'not seen'].includes(status);
