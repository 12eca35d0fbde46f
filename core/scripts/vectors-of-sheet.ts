import { readCellNumber, readColumnHead } from '../formats/column-head';
import { cellName, type Sheet } from '../formats/table';
import { newVector, type TestCase, type Vector } from '../project/project';

/** What is not understood of a sheet, at its cell. */
export interface SheetProblem {
  readonly cell: string;
  readonly message: string;
}

export type SheetVectors =
  | {
      readonly vectors: readonly Vector[];
      readonly rows: TestCase['rows'];
      readonly problems?: undefined;
    }
  | { readonly vectors?: undefined; readonly rows?: undefined; readonly problems: readonly SheetProblem[] };

/** s */
const timeUnits: Readonly<Record<string, number>> = { '': 1, s: 1, ms: 1e-3, us: 1e-6, µs: 1e-6, min: 60 };

/**
 * The table of a test case out of a sheet: a head, then a row for each moment. Heads are `time [s]`, and for the others what they are and of what:
 * `set speed [rpm]`, `send start`, `expect torque ± 0.1 ± 2 % ± 0.01 s`; one that the case has already needs its name alone. All of it is understood,
 * or nothing is taken.
 */
export function vectorsOfSheet(sheet: Sheet, known: readonly Vector[], newId: () => string): SheetVectors {
  const problems: SheetProblem[] = [];
  const headAt = sheet.rows.findIndex((r) => r.some((c) => c.trim() !== ''));
  const at = (row: number, column: number): string => cellName(row + sheet.firstRow, column + 1);
  const wrong = (row: number, column: number, message: string): void =>
    void problems.push({ cell: at(row, column), message });
  if (headAt < 0) return { problems: [{ cell: at(0, 0), message: 'The sheet is empty' }] };
  const head = sheet.rows[headAt];
  const body = sheet.rows.slice(headAt + 1);
  const time = readColumnHead(head[0] ?? '');
  const scale = timeUnits[time.unit];
  if (!/^(time|t)$/i.test(time.name)) wrong(headAt, 0, 'The first column is time: its head is "time" or "time [ms]"');
  else if (scale === undefined)
    wrong(headAt, 0, `${time.unit} is no unit of time that is known here: s, ms, us or min`);

  const columns: { readonly vector: Vector; readonly unit: string; readonly column: number }[] = [];
  const width = Math.max(head.length, ...body.map((r) => r.length));
  for (let column = 1; column < width; column++) {
    const text = (head[column] ?? '').trim();
    if (text === '') {
      if (body.some((r) => (r[column] ?? '').trim() !== '')) wrong(headAt, column, 'The column has values and no head');
      continue;
    }
    const read = readHead(text, known, newId);
    if (typeof read === 'string') wrong(headAt, column, read);
    else if (columns.some((c) => c.vector.way === read.vector.way && c.vector.target === read.vector.target))
      wrong(headAt, column, `${read.vector.target} is there twice`);
    else columns.push({ ...read, column });
  }
  if (columns.length === 0 && problems.length === 0)
    wrong(headAt, 0, 'Nothing is given or expected: there is time alone');

  const hasPoints = body.some((r) => r.some((c) => /^[-+]?\d*\.\d+$/.test(c.trim())));
  const rows: TestCase['rows'][number][] = [];
  let before = -Infinity;
  for (const [k, cells] of body.entries()) {
    if (cells.every((c) => c.trim() === '')) continue;
    const row = headAt + 1 + k;
    // 1,234 may be a thousand and more
    for (const [column, c] of cells.entries())
      if (hasPoints && /^[-+]?\d+,\d+$/.test(c.trim()))
        wrong(row, column, `${c.trim()} has a comma where other numbers of the sheet have a point`);
    const moment = rounded(readCellNumber(cells[0] ?? '') * (scale ?? 1));
    if (!(moment >= 0) || !Number.isFinite(moment))
      wrong(row, 0, (cells[0] ?? '').trim() === '' ? 'The row has no time' : `${cells[0]} is no time from 0 on`);
    else if (moment <= before) wrong(row, 0, `${moment} s comes after ${before} s: times go up`);
    else before = moment;
    rows.push({
      time: moment,
      cells: columns.flatMap(({ vector, unit, column }) => {
        const text = (cells[column] ?? '').trim();
        if (text === '') return [];
        const value = readValue(text, unit);
        if (value === undefined) wrong(row, column, `${text} is no number: the column is in ${unit}`);
        return [{ column: vector.id, value: value ?? text }];
      }),
    });
  }
  if (rows.length === 0 && problems.length === 0) wrong(headAt, 0, 'There is a head, and no row below it');
  return problems.length > 0 ? { problems } : { vectors: columns.map((c) => c.vector), rows };
}

/** Times that were scaled have no more digits than they were written with. */
const rounded = (x: number): number => Number(x.toPrecision(12));

function readValue(text: string, unit: string): string | undefined {
  const number = readCellNumber(text);
  if (!Number.isNaN(number)) return unit === '' ? String(number) : `${number} '${unit}'`;
  if (unit !== '') return undefined;
  // as spreadsheets write truths
  return /^(true|false)$/i.test(text) ? text.toLowerCase() : text;
}

/** A column by its head, or why it is none. */
function readHead(
  text: string,
  known: readonly Vector[],
  newId: () => string,
): { readonly vector: Vector; readonly unit: string } | string {
  const [what, ...tolerances] = text.split('±').map((x) => x.trim());
  const [, way, rest] = /^(set|send|expect)\s+(.+)$/is.exec(what) ?? [];
  const { name, unit } = readColumnHead(rest ?? what);
  const same = known.filter((v) => v.target === name && (way === undefined || v.way === way.toLowerCase()));
  if (way === undefined && same.length !== 1)
    return same.length > 1
      ? `${name} is more than one column of this case: say which, such as "expect ${name}"`
      : `It is not said what ${name} is: "set ${name}", "send ${name}" or "expect ${name}"`;
  const [own] = same;
  const vector = own ?? newVector(newId(), way!.toLowerCase() as Vector['way'], name);
  if (vector.way === 'send' && unit !== '') return `${name} is sent: it has no unit`;
  if (tolerances.length === 0) return { vector, unit };
  if (vector.way !== 'expect')
    return `Only what is expected has a tolerance: ${name} is ${vector.way === 'set' ? 'set' : 'sent'}`;
  let found: Vector = { ...vector, absolute: 0, relative: 0, late: 0 };
  for (const t of tolerances) {
    const [, digits, sign] = /^([-+\d.,eE]+)\s*(%|s|)$/.exec(t) ?? [];
    const number = readCellNumber(digits ?? '');
    if (!(number >= 0)) return `± ${t} is no tolerance: a number, one with %, or one with s`;
    if (sign === '' && unit !== '')
      return `± ${t} may be meant in ${unit} or in the unit of ${name}: write it with %, or leave the unit out`;
    found =
      sign === '%'
        ? { ...found, relative: rounded(number / 100) }
        : sign === 's'
          ? { ...found, late: number }
          : { ...found, absolute: number };
  }
  return { vector: found, unit };
}
