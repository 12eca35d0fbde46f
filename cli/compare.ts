import { compareRecordings } from '../core/studies/compare';
import { readMeasured } from '../core/studies/measured';
import { complain, print, readBytes } from './output';

export interface CompareArguments {
  readonly tolerance?: number;
  readonly absolute?: number;
  readonly within?: number;
  readonly shift?: number;
  readonly json?: boolean;
}

/** `zelvar compare`: 0 the recordings are the same within tolerance, 1 they differ, 2 they could not be compared. */
export function compare(first: string, second: string, options: CompareArguments): number {
  const read = [first, second].map((file) => {
    const bytes = readBytes(file);
    const found = bytes && readMeasured(bytes, file);
    if (found?.problem) complain(`zelvar: ${found.problem.message}`);
    for (const r of found?.value?.remarks ?? []) complain(`zelvar: ${file}: ${r}`);
    return found?.value;
  });
  const [a, b] = read;
  if (!a || !b) return 2;
  const tolerance = {
    relative: options.tolerance ?? 1e-6,
    absolute: options.absolute ?? 1e-12,
    time: options.within ?? 0,
    shift: options.shift ?? 0,
  };
  const c = compareRecordings(a, b, tolerance);
  if (c.columns.length === 0) {
    complain(
      `zelvar: ${c.span || `they have no column in common: ${first} has ${a.columns.map((x) => x.name).join(', ')}; ${second} has ${b.columns.map((x) => x.name).join(', ')}`}`,
    );
    return 2;
  }
  if (options.json)
    print(
      JSON.stringify(
        {
          same: c.same,
          tolerance,
          from: c.from,
          to: c.to,
          first: c.first ?? null,
          span: c.span,
          columns: c.columns.map((x) => ({ ...x, first: x.first ?? null })),
          onlyInFirst: c.onlyInFirst,
          onlyInSecond: c.onlyInSecond,
        },
        null,
        1,
      ),
    );
  else {
    for (const x of c.columns.filter((y) => !y.same))
      print(
        x.problem !== ''
          ? `${x.name}: ${x.problem}`
          : `${x.name} differs from ${x.first!.time} s on: ${x.first!.a} and ${x.first!.b}${typeof x.first!.a === 'string' ? '' : `; at most by ${Number(x.difference.toPrecision(4))}${x.unit ? ` ${x.unit}` : ''}, at ${x.at} s`}`,
      );
    if (c.span !== '') print(c.span);
    for (const [file, names] of [
      [first, c.onlyInFirst],
      [second, c.onlyInSecond],
    ] as const)
      if (names.length > 0) print(`only in ${file}: ${names.join(', ')}`);
    const n = c.columns.length;
    print(
      c.same
        ? `the same: ${n} column${n === 1 ? '' : 's'} from ${c.from} to ${c.to} s, within ${tolerance.relative} of the largest value`
        : `${c.columns.filter((y) => !y.same).length} of ${n} columns differ`,
    );
  }
  return c.same ? 0 : 1;
}
