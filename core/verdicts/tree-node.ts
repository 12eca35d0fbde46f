import { Rows, NodeTrack, type Kept, type Open, type RunningNode } from './track';
import type { TreeNode } from './source';
import { createValue, type RunningValue } from './tree-value';

const infinite = (holds: boolean): number => (holds ? Infinity : -Infinity);

/** An operator; with what another one of the same formula has kept it goes on from there. */
export function createNode(node: TreeNode, rows: Rows, kept?: Kept): RunningNode {
  const part = (a: TreeNode, k: number): RunningNode => createNode(a, rows, kept?.parts[k]);
  switch (node.op) {
    case 'state': {
      const out = new NodeTrack(kept?.out);
      return {
        kept: { out, parts: [] },
        out,
        tail: () => [],
        advance(values) {
          const holds = values[node.variable] !== 0;
          out.push(holds, node.margin >= 0 ? values[node.margin] * node.scale : infinite(holds));
        },
      };
    }
    case 'compare':
      return compare(
        node,
        createValue(node.left, rows, createNode, kept?.parts[0]),
        createValue(node.right, rows, createNode, kept?.parts[1]),
        kept,
      );
    case 'not': {
      const a = part(node.a, 0);
      return mapped(
        a,
        kept,
        undefined,
        (i) => [!a.out.b(i), -a.out.m(i)],
        (x) => (x === 2 ? 2 : x === 1 ? 0 : 1),
      );
    }
    case 'rising':
    case 'falling': {
      const a = part(node.a, 0);
      const wanted = node.op === 'rising';
      const s = (kept?.own ?? { before: !wanted }) as { before: boolean };
      return mapped(
        a,
        kept,
        s,
        (i) => {
          const now = a.out.b(i);
          const happens = now === wanted && s.before !== wanted && (i > 0 || wanted);
          s.before = now;
          return [happens, infinite(happens)];
        },
        (x) => x,
      );
    }
    case 'after': {
      const a = part(node.a, 0);
      const s = (kept?.own ?? { before: false, last: undefined }) as { before: boolean; last: number | undefined };
      return mapped(
        a,
        kept,
        s,
        (i) => {
          const now = a.out.b(i);
          if (now && !s.before) s.last = rows.t(i);
          s.before = now;
          const holds = s.last !== undefined && rows.t(i) >= s.last + node.seconds * (1 - 1e-12);
          return [holds, infinite(holds)];
        },
        (x) => x,
      );
    }
    case 'and':
    case 'or':
    case 'implies':
      return joined(node.op, part(node.a, 0), part(node.b, 1), kept);
    case 'always':
    case 'eventually':
      return window(part(node.a, 0), rows, node.from, node.to, node.op === 'always', kept);
    case 'until':
      return until(part(node.a, 0), part(node.b, 1), rows, node.to, kept);
  }
}

function mapped(
  a: RunningNode,
  kept: Kept | undefined,
  own: unknown,
  map: (i: number) => [boolean, number],
  open: (x: Open) => Open,
): RunningNode {
  const out = new NodeTrack(kept?.out);
  return {
    kept: { own, out, parts: [a.kept] },
    out,
    advance(values) {
      a.advance(values);
      for (let i = out.end; i < a.out.end; i++) out.push(...map(i));
      a.out.trim(out.end);
    },
    tail: () => a.tail().map(open),
  };
}

function compare(
  node: Extract<TreeNode, { op: 'compare' }>,
  left: RunningValue,
  right: RunningValue,
  kept: Kept | undefined,
): RunningNode {
  const out = new NodeTrack(kept?.out);
  const sign = node.relation.startsWith('<') && node.relation !== '<>' ? 1 : -1;
  const equality = node.relation === '==' || node.relation === '<>';
  return {
    kept: { out, parts: [left.kept, right.kept] },
    out,
    tail: () => [],
    advance(values) {
      const [l, r] = [left.next(values), right.next(values)];
      // sums of many terms meet a limit they should just reach
      const slack = node.counts ? 0 : 1e-12 * Math.max(Math.abs(l), Math.abs(r));
      const difference = sign * (r - l);
      const holds =
        node.relation === '=='
          ? Math.abs(difference) <= slack
          : node.relation === '<>'
            ? Math.abs(difference) > slack
            : node.relation.length === 2
              ? difference >= -slack
              : difference > slack;
      out.push(holds, equality ? infinite(holds) : difference);
    },
  };
}

function joined(op: 'and' | 'or' | 'implies', a: RunningNode, b: RunningNode, kept: Kept | undefined): RunningNode {
  const out = new NodeTrack(kept?.out);
  const open = (x: Open, y: Open): Open => {
    const first: Open = op === 'implies' ? (x === 2 ? 2 : x === 1 ? 0 : 1) : x;
    if (op === 'and') return first === 0 || y === 0 ? 0 : first === 2 || y === 2 ? 2 : 1;
    return first === 1 || y === 1 ? 1 : first === 2 || y === 2 ? 2 : 0;
  };
  return {
    kept: { out, parts: [a.kept, b.kept] },
    out,
    advance(values) {
      a.advance(values);
      b.advance(values);
      const end = Math.min(a.out.end, b.out.end);
      for (let i = out.end; i < end; i++) {
        const [x, y] = [a.out.b(i), b.out.b(i)];
        if (op === 'and') out.push(x && y, Math.min(a.out.m(i), b.out.m(i)));
        else if (op === 'or') out.push(x || y, Math.max(a.out.m(i), b.out.m(i)));
        // where the condition does not hold there is nothing to be near to
        else out.push(!x || y, x ? b.out.m(i) : Infinity, x);
      }
      a.out.trim(out.end);
      b.out.trim(out.end);
    },
    tail() {
      const [x, y] = [known(a, out.end), known(b, out.end)];
      return x.map((value, k) => open(value, y[k]));
    },
  };
}

/** What an operator says from row `from` to the newest, by now. */
function known(a: RunningNode, from: number): Open[] {
  const all: Open[] = [];
  for (let i = from; i < a.out.end; i++) all.push(a.out.b(i) ? 1 : 0);
  return [...all, ...a.tail()];
}

/** Rows in the moving window of which none after them has a greater margin; what has been looked at, and where the window begins. */
interface WindowState {
  readonly greatest: number[];
  head: number;
  scan: number;
  left: number;
  lastTrue: number;
}

/**
 * Holds at some (or, negated twice, every) moment of [t + from, t + to]. The greatest margin in the moving window costs
 * amortised constant time per row (Lemire 2006; Donze, Ferrere and Maler 2013). Between rows a condition keeps its
 * value and a margin is a straight line; conditions of the model change at rows only, so no moment is missed.
 */
function window(
  a: RunningNode,
  rows: Rows,
  from: number,
  to: number,
  every: boolean,
  kept: Kept | undefined,
): RunningNode {
  const out = new NodeTrack(kept?.out);
  const flip = every ? -1 : 1;
  const b = (i: number): boolean => a.out.b(i) !== every;
  const m = (i: number): number => flip * a.out.m(i);
  const s = (kept?.own ?? { greatest: [], head: 0, scan: 0, left: 0, lastTrue: -1 }) as WindowState;
  const { greatest } = s;
  const between = (i: number, j: number, t: number): number => {
    const [t0, t1] = [rows.t(i), rows.t(j)];
    const [m0, m1] = [m(i), m(j)];
    if (!(t1 > t0) || !Number.isFinite(m0) || !Number.isFinite(m1)) return m0;
    return m0 + ((m1 - m0) * (t - t0)) / (t1 - t0);
  };
  // "within T" counts the last moment in, "throughout T" does not: what lasts exactly T has lasted
  const end = (i: number): number =>
    every ? Math.max(rows.t(i), (rows.t(i) + to) * (1 - 1e-12)) : (rows.t(i) + to) * (1 + 1e-13);
  const covers = (i: number, j: number, limit: number): boolean =>
    rows.t(j) <= rows.t(i) + from || (every && to > 0 ? rows.t(j) < limit : rows.t(j) <= limit);
  return {
    kept: { own: s, out, parts: [a.kept] },
    out,
    advance(values) {
      a.advance(values);
      for (let i = out.end; i < a.out.end; i++) {
        const limit = end(i);
        s.scan = Math.max(s.scan, i);
        for (; s.scan < a.out.end && covers(i, s.scan, limit); s.scan++) {
          if (b(s.scan)) s.lastTrue = s.scan;
          while (greatest.length > s.head && m(greatest[greatest.length - 1]) <= m(s.scan)) greatest.pop();
          greatest.push(s.scan);
        }
        s.left = Math.max(s.left, i);
        const begin = rows.t(i) + from;
        while (from > 0 && s.left + 1 < s.scan && rows.t(s.left + 1) <= begin) s.left++;
        if (from === 0) s.left = i;
        const decided = to === Infinity ? s.lastTrue >= s.left : s.scan < a.out.end;
        if (!decided) break;
        while (s.head < greatest.length && greatest[s.head] < s.left) s.head++;
        let best = s.head < greatest.length ? m(greatest[s.head]) : -Infinity;
        if (from > 0 && rows.t(s.left) < begin) {
          if (greatest[s.head] === s.left) best = s.head + 1 < greatest.length ? m(greatest[s.head + 1]) : -Infinity;
          if (s.left + 1 < a.out.end) best = Math.max(best, between(s.left, s.left + 1, begin));
        }
        if (to !== Infinity && s.scan > s.left && s.scan < a.out.end)
          best = Math.max(best, between(s.scan - 1, s.scan, rows.t(i) + to));
        const holds = s.lastTrue >= s.left;
        out.push(holds !== every, flip * best);
        if (s.head > 1024) {
          greatest.splice(0, s.head);
          s.head = 0;
        }
      }
      a.out.trim(out.end);
    },
    tail() {
      const first = out.end;
      const values = known(a, first).map((x): Open => (x === 2 || !every ? x : x === 1 ? 0 : 1));
      const n = values.length;
      if (n === 0) return [];
      const newest = rows.t(first + n - 1);
      const result = new Array<Open>(n);
      let yes = Infinity,
        maybe = Infinity;
      const nextYes = new Array<number>(n),
        nextMaybe = new Array<number>(n);
      for (let k = n - 1; k >= 0; k--) {
        if (values[k] === 1) yes = k;
        if (values[k] === 2) maybe = k;
        nextYes[k] = yes;
        nextMaybe[k] = maybe;
      }
      let begin = 0;
      for (let k = 0; k < n; k++) {
        const limit = end(first + k);
        begin = Math.max(begin, k);
        while (from > 0 && begin + 1 < n && rows.t(first + begin + 1) <= rows.t(first + k) + from) begin++;
        const inside = (at: number): boolean => at < n && covers(first + k, first + at, limit);
        // the value at the beginning of the span is known once there is a row after it
        const hasBegun = from === 0 || newest > rows.t(first + k) + from;
        // "from now on always" is taken to hold as long as nothing speaks against it
        const open: Open = to === Infinity && every ? 0 : 2;
        result[k] = !hasBegun
          ? open
          : inside(nextYes[begin])
            ? 1
            : limit >= newest
              ? open
              : inside(nextMaybe[begin])
                ? 2
                : 0;
      }
      return result.map((x): Open => (x === 2 || !every ? x : x === 1 ? 0 : 1));
    },
  };
}

/** b comes to hold within the time, and a holds up to then. */
function until(a: RunningNode, b: RunningNode, rows: Rows, to: number, kept: Kept | undefined): RunningNode {
  const out = new NodeTrack(kept?.out);
  const s = (kept?.own ?? { stop: 0 }) as { stop: number };
  return {
    kept: { own: s, out, parts: [a.kept, b.kept] },
    out,
    advance(values) {
      a.advance(values);
      b.advance(values);
      const end = Math.min(a.out.end, b.out.end);
      for (let i = out.end; i < end; i++) {
        s.stop = Math.max(s.stop, i);
        while (s.stop < end && !b.out.b(s.stop) && a.out.b(s.stop)) s.stop++;
        const limit = (rows.t(i) + to) * (1 + 1e-13);
        const late = s.stop < end ? rows.t(s.stop) > limit : end > 0 && rows.t(end - 1) > limit;
        if (s.stop >= end && !late) break;
        let kept = Infinity,
          best = -Infinity;
        for (let j = i; j <= s.stop && j < end && rows.t(j) <= limit; j++) {
          best = Math.max(best, Math.min(kept, b.out.m(j)));
          kept = Math.min(kept, a.out.m(j));
        }
        out.push(!late && b.out.b(s.stop), best);
      }
      a.out.trim(out.end);
      b.out.trim(out.end);
    },
    tail() {
      const [x, y] = [known(a, out.end), known(b, out.end)];
      const n = x.length;
      const newest = n > 0 ? rows.t(out.end + n - 1) : 0;
      return x.map((_, k) => {
        const limit = (rows.t(out.end + k) + to) * (1 + 1e-13);
        for (let j = k; j < n && rows.t(out.end + j) <= limit; j++) {
          if (y[j] === 1) return 1;
          if (y[j] === 2 || x[j] === 2) return 2;
          if (x[j] === 0) return 0;
        }
        return limit >= newest ? 2 : 0;
      });
    },
  };
}
