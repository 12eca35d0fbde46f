import type { Kept, Rows, RunningNode } from './track';
import type { TreeNode, TreeValue } from './source';

/** A number that follows the rows; asked once for each. */
export interface RunningValue {
  readonly kept: Kept;
  next(values: Float64Array): number;
}

type MakeNode = (node: TreeNode, rows: Rows, kept?: Kept) => RunningNode;

/** A condition that is asked once for each row. */
interface Condition {
  readonly kept: Kept;
  next(values: Float64Array): boolean;
}

const nothing: Kept = { parts: [] };

export function createValue(value: TreeValue, rows: Rows, makeNode: MakeNode, kept?: Kept): RunningValue {
  const make = (v: TreeValue, k: number): RunningValue => createValue(v, rows, makeNode, kept?.parts[k]);
  const when = (node: TreeNode, k: number): Condition => condition(node, rows, makeNode, kept?.parts[k]);
  const event = (node: TreeNode, k: number): Condition => events(node, rows, makeNode, kept?.parts[k]);
  switch (value.op) {
    case 'number':
      return { kept: nothing, next: () => value.value };
    case 'signal':
      return { kept: nothing, next: (values) => values[value.variable] * value.scale + value.offset };
    case 'abs':
    case 'negate': {
      const a = make(value.a, 0);
      return {
        kept: { parts: [a.kept] },
        next: value.op === 'abs' ? (v) => Math.abs(a.next(v)) : (v) => -a.next(v),
      };
    }
    case '+':
    case '-':
    case '*':
    case '/':
      return arithmetic(value.op, make(value.a, 0), make(value.b, 1));
    case 'count':
      return count(event(value.event, 0), value.window, rows, kept);
    case 'rate': {
      const total = count(event(value.event, 0), Infinity, rows, kept);
      const s = (kept?.parts[1]?.own ?? { start: undefined }) as { start: number | undefined };
      return {
        kept: { ...total.kept, parts: [...total.kept.parts, { own: s, parts: [] }] },
        next(v) {
          const now = rows.t(rows.end - 1);
          s.start ??= now;
          const n = total.next(v);
          return now > s.start ? n / (now - s.start) : 0;
        },
      };
    }
    case 'average':
    case 'rms':
      return mean(
        make(value.of, 0),
        value.op === 'rms',
        value.during && when(value.during, 1),
        value.window,
        rows,
        kept,
      );
    case 'highest':
    case 'lowest':
      return extreme(make(value.of, 0), value.op === 'highest' ? 1 : -1, value.window, rows, kept);
    case 'at': {
      const of = make(value.of, 0);
      const happens = value.event && event(value.event, 1);
      const s = (kept?.own ?? { held: undefined }) as { held: number | undefined };
      return {
        kept: { own: s, parts: [of.kept, happens?.kept ?? nothing] },
        next(v) {
          const x = of.next(v);
          if (s.held === undefined || happens?.next(v)) s.held = x;
          return s.held;
        },
      };
    }
    case 'duration': {
      const holds = when(value.of, 0);
      const s = (kept?.own ?? { since: undefined }) as { since: number | undefined };
      return {
        kept: { own: s, parts: [holds.kept] },
        next(v) {
          const now = rows.t(rows.end - 1);
          // at the moment it ends it has lasted until now
          const lasted = s.since === undefined ? 0 : now - s.since;
          if (holds.next(v)) s.since ??= now;
          else s.since = undefined;
          return s.since === undefined ? lasted : now - s.since;
        },
      };
    }
  }
}

function arithmetic(op: '+' | '-' | '*' | '/', a: RunningValue, b: RunningValue): RunningValue {
  const kept: Kept = { parts: [a.kept, b.kept] };
  switch (op) {
    case '+':
      return { kept, next: (v) => a.next(v) + b.next(v) };
    case '-':
      return { kept, next: (v) => a.next(v) - b.next(v) };
    case '*':
      return { kept, next: (v) => a.next(v) * b.next(v) };
    case '/':
      return { kept, next: (v) => a.next(v) / b.next(v) };
  }
}

/** The newest value of a condition that does not look ahead. */
function condition(node: TreeNode, rows: Rows, makeNode: MakeNode, kept: Kept | undefined): Condition {
  const running = makeNode(node, rows, kept);
  return {
    kept: running.kept,
    next(values) {
      running.advance(values);
      const holds = running.out.b(running.out.end - 1);
      running.out.trim(running.out.end - 1);
      return holds;
    },
  };
}

/** Whether a condition has come to hold with the newest row. */
function events(node: TreeNode, rows: Rows, makeNode: MakeNode, kept: Kept | undefined): Condition {
  const holds = condition(node, rows, makeNode, kept?.parts[0]);
  const s = (kept?.own ?? { before: false }) as { before: boolean };
  return {
    kept: { own: s, parts: [holds.kept] },
    next(values) {
      const now = holds.next(values);
      const happens = now && !s.before;
      s.before = now;
      return happens;
    },
  };
}

interface CountState {
  /** Moments in the window, from `head` on. */
  readonly times: number[];
  head: number;
  total: number;
}

function count(happens: Condition, window: number, rows: Rows, kept: Kept | undefined): RunningValue {
  const s = (kept?.own ?? { times: [], head: 0, total: 0 }) as CountState;
  const { times } = s;
  return {
    kept: { own: s, parts: [happens.kept] },
    next(v) {
      const now = rows.t(rows.end - 1);
      if (happens.next(v)) {
        s.total++;
        if (window !== Infinity) times.push(now);
      }
      if (window === Infinity) return s.total;
      while (s.head < times.length && times[s.head] <= now - window) s.head++;
      return times.length - s.head;
    },
  };
}

interface MeanState {
  /** The integral so far, and the time it was taken over. */
  area: number;
  length: number;
  lastX: number;
  lastT: number | undefined;
  was: boolean;
  /** The integral up to the rows of the window, from `head` on. */
  readonly areas: { readonly t: number; readonly area: number; readonly x: number }[];
  head: number;
}

/** Mean of a signal that is a straight line between rows, of all time or of a moving window, or of the time a condition holds. */
function mean(
  of: RunningValue,
  squared: boolean,
  during: Condition | undefined,
  window: number,
  rows: Rows,
  kept: Kept | undefined,
): RunningValue {
  const fresh: MeanState = { area: 0, length: 0, lastX: 0, lastT: undefined, was: true, areas: [], head: 0 };
  const s = (kept?.own ?? fresh) as MeanState;
  const { areas } = s;
  const piece = (a: number, b: number, dt: number): number =>
    squared ? ((a * a + a * b + b * b) / 3) * dt : ((a + b) / 2) * dt;
  const result = (sum: number, over: number, x: number): number => {
    const value = over > 0 ? sum / over : squared ? x * x : x;
    return squared ? Math.sqrt(Math.max(0, value)) : value;
  };
  return {
    kept: { own: s, parts: [of.kept, during?.kept ?? nothing] },
    next(v) {
      const now = rows.t(rows.end - 1);
      const x = of.next(v);
      if (s.lastT !== undefined && now > s.lastT && s.was) {
        s.area += piece(s.lastX, x, now - s.lastT);
        s.length += now - s.lastT;
      }
      s.was = during ? during.next(v) : true;
      s.lastX = x;
      s.lastT = now;
      if (window === Infinity) return result(s.area, s.length, x);
      areas.push({ t: now, area: s.area, x });
      const begin = now - window;
      while (s.head + 1 < areas.length && areas[s.head + 1].t <= begin) s.head++;
      if (s.head > 2048) {
        areas.splice(0, s.head);
        s.head = 0;
      }
      const first = areas[s.head];
      const next = areas[s.head + 1];
      if (begin <= first.t || !next) return result(s.area - first.area, now - first.t, x);
      const middle = first.x + ((next.x - first.x) * (begin - first.t)) / (next.t - first.t);
      return result(s.area - first.area - piece(first.x, middle, begin - first.t), window, x);
    },
  };
}

interface ExtremeState {
  /** Rows in the window of which none after them is more extreme, from `head` on. */
  readonly candidates: { readonly t: number; readonly x: number }[];
  head: number;
}

function extreme(of: RunningValue, sign: 1 | -1, window: number, rows: Rows, kept: Kept | undefined): RunningValue {
  const s = (kept?.own ?? { candidates: [], head: 0 }) as ExtremeState;
  const { candidates } = s;
  return {
    kept: { own: s, parts: [of.kept] },
    next(v) {
      const now = rows.t(rows.end - 1);
      const x = sign * of.next(v);
      while (candidates.length > s.head && candidates[candidates.length - 1].x <= x) candidates.pop();
      if (window === Infinity) {
        if (candidates.length === 0) candidates.push({ t: now, x });
        return sign * candidates[0].x;
      }
      candidates.push({ t: now, x });
      while (candidates[s.head].t < now - window) s.head++;
      if (s.head > 2048) {
        candidates.splice(0, s.head);
        s.head = 0;
      }
      return sign * candidates[s.head].x;
    },
  };
}
