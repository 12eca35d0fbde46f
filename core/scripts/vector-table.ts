import { parseExpressionText } from '../language/parse';
import { hasErrors, problem, type Problem } from '../language/diagnostics';
import type { Expr } from '../language/ast';
import type { TestCase, Vector } from '../project/project';

/**
 * The table of a test case: what is given at its moments, and what is expected then. What a row gives has worked by the time its expectations
 * are looked at, steps of software that are due then included. An empty cell gives nothing new, and expects nothing.
 */
export interface VectorTable {
  readonly columns: readonly VectorColumn[];
  /** By time. */
  readonly rows: readonly VectorRow[];
  /** With addresses. */
  readonly problems: readonly Problem[];
}
export interface VectorColumn extends Vector {
  readonly place: string;
  /** Of what is expected. */
  readonly expr: Expr | undefined;
}
export interface VectorRow {
  readonly time: number;
  readonly cells: readonly VectorCell[];
}
export interface VectorCell {
  /** Number of its row, and of its column. */
  readonly row: number;
  readonly column: number;
  readonly text: string;
  readonly place: string;
}

export function readVectors(of: Pick<TestCase, 'id' | 'vectors' | 'rows'>): VectorTable {
  const problems: Problem[] = [];
  const wrong = (place: string, message: string, severity: Problem['severity'] = 'error'): void =>
    void problems.push({ ...problem(severity, 'vector', message), place });
  const at = `case/${of.id}`;
  const columns = of.vectors.map((v): VectorColumn => {
    const place = `${at}/vector/${v.id}/target`;
    if (v.way !== 'expect') return { ...v, place, expr: undefined };
    const { value, problems: found } = parseExpressionText(v.target);
    problems.push(...found.map((p) => ({ ...p, place })));
    return { ...v, place, expr: hasErrors(found) ? undefined : value };
  });
  const number = new Map(of.vectors.map((v, k) => [v.id, k]));
  let before = -Infinity;
  let lost = 0;
  const rows = of.rows.map(({ time, cells }, row): VectorRow => {
    const place = `${at}/rows/${row}`;
    if (time < before) wrong(`${place}/time`, `Row ${row + 1} is at ${time} s, after one at ${before} s: times go up`);
    if (time === before) wrong(`${place}/time`, `Two rows are at ${time} s: one of them says it all`);
    before = time;
    const given = new Map<number, VectorCell>();
    cells.forEach(({ column, value }, k) => {
      const n = number.get(column);
      if (n === undefined) {
        if (value.trim() !== '') lost++;
        return;
      }
      if (given.has(n)) wrong(`${place}/cells/${k}`, `Row ${row + 1} has two values of ${columns[n].target}`);
      if (value.trim() !== '') given.set(n, { row, column: n, text: value.trim(), place: `${place}/cells/${k}/value` });
    });
    return { time, cells: [...given.values()] };
  });
  if (lost > 0)
    wrong(
      `${at}/rows`,
      `${lost === 1 ? 'A value is' : `${lost} values are`} of no column that is there: nobody gives or expects ${lost === 1 ? 'it' : 'them'}`,
      'warning',
    );
  for (const [k, c] of columns.entries())
    if (!rows.some((r) => r.cells.some((x) => x.column === k)))
      wrong(
        c.place,
        `${c.target} has no value in any row: nothing is ${c.way === 'expect' ? 'expected of it' : 'given to it'}`,
        'warning',
      );
  return { columns, rows, problems };
}

/** What a cell of a message says: how often it is sent, and what it brings. */
export function readSent(
  text: string,
): { readonly times: number; readonly args: readonly { readonly name: string; readonly value: number }[] } | string {
  if (/^(x|yes|true)$/i.test(text)) return { times: 1, args: [] };
  if (/^(no|false|0)$/i.test(text)) return { times: 0, args: [] };
  if (/^[1-9]\d{0,2}$/.test(text)) return { times: Number(text), args: [] };
  const args = text.split(',').map((piece) => {
    const [, name, value] = /^\s*([\p{L}_][\p{L}\p{N}_]*)\s*=\s*(\S+)\s*$/u.exec(piece) ?? [];
    const number = value === 'true' ? 1 : value === 'false' ? 0 : Number(value);
    return name === undefined || Number.isNaN(number) ? undefined : { name, value: number };
  });
  if (args.every((a) => a !== undefined)) return { times: 1, args };
  return `${text} does not say how often it is sent: x for once, a number, or what it brings, such as level = 3`;
}
