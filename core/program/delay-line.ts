/** Past values of one quantity, for `delay`. */
export interface DelayLine {
  /** The value at t - by: what was noted first for times before it, a polynomial through the six nearest points between others. */
  read(t: number, by: number): number;
  note(t: number, value: number): void;
  /** The shortest delay asked for so far: steps must not be longer. */
  readonly shortest: number;
  save(): number[];
  load(saved: readonly number[]): void;
}

export function createDelayLine(): DelayLine {
  const times: number[] = [],
    values: number[] = [];
  let shortest = Infinity,
    longest = 0,
    from = 0;
  return {
    get shortest() {
      return shortest;
    },
    read(t, by) {
      if (by > 0 && by < shortest) shortest = by;
      if (by > longest) longest = by;
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
    },
    note(t, value) {
      const n = times.length;
      if (n > 0 && t < times[n - 1]) return;
      if (n > 0 && t === times[n - 1] && value === values[n - 1]) return;
      // a third point at the same time replaces the second
      if (n > 1 && t === times[n - 1] && t === times[n - 2]) values[n - 1] = value;
      else {
        times.push(t);
        values.push(value);
      }
      while (longest > 0 && from + 8 < times.length && times[from + 6] < t - 1.5 * longest) from++;
      if (from > 10_000) {
        times.splice(0, from);
        values.splice(0, from);
        from = 0;
      }
    },
    save: () => [shortest, longest, from, ...times, ...values],
    load(saved) {
      [shortest, longest, from] = saved;
      const n = (saved.length - 3) / 2;
      times.splice(0, times.length, ...saved.slice(3, 3 + n));
      values.splice(0, values.length, ...saved.slice(3 + n));
    },
  };
}
