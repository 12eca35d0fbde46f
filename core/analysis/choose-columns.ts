/** By so much less a variable weighs that was asked not to be a state, whatever it is written for. */
const ratherGoes = 9;
/** From this weight on a variable stays a state where there is another choice. */
const keepsItsState = 8;

/** A row of a system of equations whose coefficients may be no numbers. */
export interface ColumnRow {
  readonly coefficients: ReadonlyMap<number, number | undefined>;
  /** The variable the equation gives, as written: `x = ...`. */
  readonly own: number | undefined;
}

/**
 * A column for each row, so that the chosen columns form a regular matrix whatever the values are. First equations give the
 * variable they are written for, as long as none comes to rest on itself that way; then rows of numbers are eliminated; then
 * any column with a number will do that closes no circle. Undefined for the others.
 */
export function chooseColumns(rows: readonly ColumnRow[], weight: (x: number) => number): (number | undefined)[] {
  const chosen: (number | undefined)[] = rows.map(() => undefined);
  const rowOf = new Map<number, number>();
  const holding = new Map<number, number[]>();
  rows.forEach((r, k) => r.coefficients.forEach((_, x) => holding.get(x)?.push(k) ?? holding.set(x, [k])));
  const isNumber = (r: ColumnRow): boolean => [...r.coefficients.values()].every((c) => c !== undefined);
  const hasNumber = (k: number, x: number): boolean => {
    const c = rows[k].coefficients.get(x);
    const largest = Math.max(...[...rows[k].coefficients.values()].map((y) => Math.abs(y ?? 0)));
    return c !== undefined && Math.abs(c) > 1e-9 * largest;
  };
  /** Whether a row rests, through the rows that give its variables, on one that holds a column. */
  const closesCircle = (k: number, x: number): boolean => {
    const targets = new Set((holding.get(x) ?? []).filter((j) => j !== k && chosen[j] !== undefined));
    if (targets.size === 0) return false;
    const seen = new Set<number>([k]);
    const open = [k];
    for (let row = open.pop(); row !== undefined; row = open.pop()) {
      for (const y of rows[row].coefficients.keys()) {
        const by = rowOf.get(y);
        if (by === undefined || seen.has(by)) continue;
        if (targets.has(by)) return true;
        seen.add(by);
        open.push(by);
      }
    }
    return false;
  };
  const take = (k: number, x: number): void => {
    chosen[k] = x;
    rowOf.set(x, k);
  };
  rows.forEach((r, k) => {
    if (
      r.own !== undefined &&
      !rowOf.has(r.own) &&
      weight(r.own) < keepsItsState &&
      ![...r.coefficients.keys()].some((x) => hasNumber(k, x) && weight(x) < weight(r.own!) - ratherGoes) &&
      hasNumber(k, r.own) &&
      !closesCircle(k, r.own)
    )
      take(k, r.own);
  });

  const pivots: { readonly column: number; readonly row: Map<number, number> }[] = [];
  const eliminate = (k: number): Map<number, number> => {
    const reduced = new Map(rows[k].coefficients as ReadonlyMap<number, number>);
    for (const p of pivots) {
      const c = reduced.get(p.column);
      if (c === undefined || c === 0) continue;
      const factor = c / p.row.get(p.column)!;
      for (const [x, v] of p.row) reduced.set(x, (reduced.get(x) ?? 0) - factor * v);
      reduced.delete(p.column);
    }
    return reduced;
  };
  const numeric = [...rows.keys()].filter((k) => isNumber(rows[k]));
  for (const k of numeric)
    if (chosen[k] !== undefined) {
      const reduced = eliminate(k);
      if (Math.abs(reduced.get(chosen[k]!) ?? 0) > 1e-12) pivots.push({ column: chosen[k]!, row: reduced });
    }
  for (const k of numeric) {
    if (chosen[k] !== undefined) continue;
    const reduced = eliminate(k);
    const largest = Math.max(0, ...[...reduced.values()].map(Math.abs));
    let found: number | undefined;
    for (const [x, c] of reduced) {
      if (
        Math.abs(c) <= 1e-9 * largest ||
        rowOf.has(x) ||
        (holding.get(x) ?? []).some((j) => chosen[j] !== undefined && !isNumber(rows[j]))
      )
        continue;
      if (found === undefined || weight(x) < weight(found)) found = x;
    }
    if (found === undefined) continue;
    take(k, found);
    pivots.push({ column: found, row: reduced });
  }
  for (let changed = true; changed;) {
    changed = false;
    rows.forEach((r, k) => {
      if (chosen[k] !== undefined) return;
      const options = [...r.coefficients.keys()]
        .filter((x) => !rowOf.has(x) && hasNumber(k, x))
        .sort((x, y) => weight(x) - weight(y));
      const column = options.find((x) => !closesCircle(k, x));
      if (column === undefined) return;
      take(k, column);
      changed = true;
    });
  }
  return chosen;
}
