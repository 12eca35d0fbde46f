import type { Rows, Running } from './track';
import type { TreeNode, TreeValue } from './source';

/** A number that follows the rows; asked once for each. */
export interface RunningValue {
  next(values: Float64Array): number;
}

type MakeNode = (node: TreeNode, rows: Rows) => Running;

export function createValue(value: TreeValue, rows: Rows, makeNode: MakeNode): RunningValue {
  const make = (v: TreeValue): RunningValue => createValue(v, rows, makeNode);
  switch (value.op) {
    case 'number':
      return { next: () => value.value };
    case 'signal':
      return { next: (values) => values[value.variable] * value.scale + value.offset };
    case 'abs':
    case 'negate': {
      const a = make(value.a);
      return { next: value.op === 'abs' ? (v) => Math.abs(a.next(v)) : (v) => -a.next(v) };
    }
    case '+':
    case '-':
    case '*':
    case '/': {
      const [a, b] = [make(value.a), make(value.b)];
      switch (value.op) {
        case '+':
          return { next: (v) => a.next(v) + b.next(v) };
        case '-':
          return { next: (v) => a.next(v) - b.next(v) };
        case '*':
          return { next: (v) => a.next(v) * b.next(v) };
        case '/':
          return { next: (v) => a.next(v) / b.next(v) };
      }
      break;
    }
    case 'count':
      return count(events(value.event, rows, makeNode), value.window, rows);
    case 'rate': {
      const total = count(events(value.event, rows, makeNode), Infinity, rows);
      let start: number | undefined;
      return {
        next(v) {
          const now = rows.t(rows.end - 1);
          start ??= now;
          const n = total.next(v);
          return now > start ? n / (now - start) : 0;
        },
      };
    }
    case 'average':
    case 'rms':
      return mean(
        make(value.of),
        value.op === 'rms',
        value.during && condition(value.during, rows, makeNode),
        value.window,
        rows,
      );
    case 'highest':
    case 'lowest':
      return extreme(make(value.of), value.op === 'highest' ? 1 : -1, value.window, rows);
    case 'at': {
      const of = make(value.of);
      const happens = value.event && events(value.event, rows, makeNode);
      let held: number | undefined;
      return {
        next(v) {
          const x = of.next(v);
          if (held === undefined || happens?.(v)) held = x;
          return held;
        },
      };
    }
    case 'duration': {
      const holds = condition(value.of, rows, makeNode);
      let since: number | undefined;
      return {
        next(v) {
          const now = rows.t(rows.end - 1);
          // at the moment it ends it has lasted until now
          const lasted = since === undefined ? 0 : now - since;
          if (holds(v)) since ??= now;
          else since = undefined;
          return since === undefined ? lasted : now - since;
        },
      };
    }
  }
}

/** The newest value of a condition that does not look ahead. */
function condition(node: TreeNode, rows: Rows, makeNode: MakeNode): (values: Float64Array) => boolean {
  const running = makeNode(node, rows);
  return (values) => {
    running.advance(values);
    const holds = running.out.b(running.out.end - 1);
    running.out.trim(running.out.end - 1);
    return holds;
  };
}

/** Whether a condition has come to hold with the newest row. */
function events(node: TreeNode, rows: Rows, makeNode: MakeNode): (values: Float64Array) => boolean {
  const holds = condition(node, rows, makeNode);
  let before = false;
  return (values) => {
    const now = holds(values);
    const happens = now && !before;
    before = now;
    return happens;
  };
}

function count(happens: (values: Float64Array) => boolean, window: number, rows: Rows): RunningValue {
  const times: number[] = [];
  let total = 0,
    head = 0;
  return {
    next(v) {
      const now = rows.t(rows.end - 1);
      if (happens(v)) {
        total++;
        if (window !== Infinity) times.push(now);
      }
      if (window === Infinity) return total;
      while (head < times.length && times[head] <= now - window) head++;
      return times.length - head;
    },
  };
}

/** Mean of a signal that is a straight line between rows, of all time or of a moving window, or of the time a condition holds. */
function mean(
  of: RunningValue,
  squared: boolean,
  during: ((values: Float64Array) => boolean) | undefined,
  window: number,
  rows: Rows,
): RunningValue {
  let area = 0,
    length = 0,
    lastX = 0,
    lastT: number | undefined,
    was = true;
  const areas: { t: number; area: number; x: number }[] = [];
  const piece = (a: number, b: number, dt: number): number =>
    squared ? ((a * a + a * b + b * b) / 3) * dt : ((a + b) / 2) * dt;
  let head = 0;
  const result = (sum: number, over: number, x: number): number => {
    const value = over > 0 ? sum / over : squared ? x * x : x;
    return squared ? Math.sqrt(Math.max(0, value)) : value;
  };
  return {
    next(v) {
      const now = rows.t(rows.end - 1);
      const x = of.next(v);
      if (lastT !== undefined && now > lastT && was) {
        area += piece(lastX, x, now - lastT);
        length += now - lastT;
      }
      was = during ? during(v) : true;
      lastX = x;
      lastT = now;
      if (window === Infinity) return result(area, length, x);
      areas.push({ t: now, area, x });
      const begin = now - window;
      while (head + 1 < areas.length && areas[head + 1].t <= begin) head++;
      if (head > 2048) {
        areas.splice(0, head);
        head = 0;
      }
      const first = areas[head];
      const next = areas[head + 1];
      if (begin <= first.t || !next) return result(area - first.area, now - first.t, x);
      const middle = first.x + ((next.x - first.x) * (begin - first.t)) / (next.t - first.t);
      return result(area - first.area - piece(first.x, middle, begin - first.t), window, x);
    },
  };
}

function extreme(of: RunningValue, sign: 1 | -1, window: number, rows: Rows): RunningValue {
  const kept: { t: number; x: number }[] = [];
  let head = 0;
  return {
    next(v) {
      const now = rows.t(rows.end - 1);
      const x = sign * of.next(v);
      while (kept.length > head && kept[kept.length - 1].x <= x) kept.pop();
      if (window === Infinity) {
        if (kept.length === 0) kept.push({ t: now, x });
        return sign * kept[0].x;
      }
      kept.push({ t: now, x });
      while (kept[head].t < now - window) head++;
      if (head > 2048) {
        kept.splice(0, head);
        head = 0;
      }
      return sign * kept[head].x;
    },
  };
}
