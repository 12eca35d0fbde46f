/** Past values of one quantity, for `delay`: plain data. */
export interface Past {
  readonly times: number[];
  readonly values: number[];
  /** Points before this one are no longer needed. */
  from: number;
  /** The shortest and the longest delay asked for so far: steps must not be longer than the shortest. */
  shortest: number;
  longest: number;
}

export const newPast = (): Past => ({ times: [], values: [], from: 0, shortest: Infinity, longest: 0 });

/** The value at t - by: what was noted first for times before it, a polynomial through the six nearest points between others. */
export function readPast(past: Past, t: number, by: number): number {
  const { times, values, from } = past;
  if (by > 0 && by < past.shortest) past.shortest = by;
  if (by > past.longest) past.longest = by;
  const at = t - by;
  const n = times.length;
  if (n === 0) return 0;
  if (at <= times[from]) return values[from];
  if (at >= times[n - 1]) return values[n - 1];
  let low = from,
    high = n - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (times[middle] <= at) low = middle;
    else high = middle;
  }
  // a jump is kept as two points at one time: the polynomial stays on its side
  let first = low,
    last = high;
  for (let k = 0; k < 2; k++) {
    if (first > from && times[first - 1] < times[first]) first--;
    if (last + 1 < n && times[last + 1] > times[last]) last++;
  }
  let sum = 0;
  for (let i = first; i <= last; i++) {
    let term = values[i];
    for (let j = first; j <= last; j++) if (j !== i) term *= (at - times[j]) / (times[i] - times[j]);
    sum += term;
  }
  return sum;
}

/** Keeps a value for later. */
export function notePast(past: Past, t: number, value: number): void {
  const { times, values, longest } = past;
  const n = times.length;
  if (n > 0 && t < times[n - 1]) return;
  if (n > 0 && t === times[n - 1] && value === values[n - 1]) return;
  // a third point at the same time replaces the second
  if (n > 1 && t === times[n - 1] && t === times[n - 2]) values[n - 1] = value;
  else {
    times.push(t);
    values.push(value);
  }
  while (longest > 0 && past.from + 8 < times.length && times[past.from + 6] < t - 1.5 * longest) past.from++;
  if (past.from > 10_000) {
    times.splice(0, past.from);
    values.splice(0, past.from);
    past.from = 0;
  }
}
