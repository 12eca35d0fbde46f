import Papa from 'papaparse';
import { problem, type Problem } from '../language/diagnostics';
import { wordOf } from '../simulate/configurations';
import type { Recording, RecordingColumn } from '../simulate/recording';

/** Recordings as CSV: first column `time`, units in square brackets after a space, Booleans as words, states as names. */
export function writeRecordingCsv(recording: Recording): string {
  const quote = (text: string): string => (/[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text);
  const heads = recording.columns.map((c) => quote(c.unit ? `${c.name} [${c.unit}]` : c.name));
  const lines = [['time', ...heads].join(',')];
  const cell = (c: RecordingColumn, r: number): string => {
    const value = c.values[r];
    if (c.kind === 'boolean') return value ? 'true' : 'false';
    if (c.kind === 'literal' || c.kind === 'states') return quote(wordOf(c, value));
    return String(value);
  };
  for (let r = 0; r < recording.rows; r++) {
    let line = String(recording.time[r]);
    for (const c of recording.columns) line += `,${cell(c, r)}`;
    lines.push(line);
  }
  return lines.join('\n') + '\n';
}

/** Reads a recording back. Cells that are not numbers become the names of a column of literals. */
export function readRecordingCsv(text: string): { value: Recording | undefined; problems: Problem[] } {
  const problems: Problem[] = [];
  const at = (row: number, column: number, message: string): void =>
    void problems.push(problem('error', 'csv', `Line ${row}, column ${column}: ${message}`));
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  for (const e of parsed.errors.slice(0, 5)) if (e.code !== 'UndetectableDelimiter') at((e.row ?? 0) + 1, 1, e.message);
  const [head, ...body] = parsed.data;
  if (
    !head ||
    head[0]
      ?.trim()
      .toLowerCase()
      .replace(/ \[s\]$/, '') !== 'time'
  ) {
    problems.push(problem('error', 'csv', 'This is not a recording: its first column is not named "time"'));
    return { value: undefined, problems };
  }
  const seen = new Set<string>();
  const names = head.slice(1).map((h, k) => {
    const match = /^(.*?)(?: \[([^\]]*)\])?$/.exec(h.trim())!;
    const name = match[2] === undefined || !h.includes(' [') ? h.trim() : match[1];
    if (seen.has(name)) at(1, k + 2, `the column ${name} is there twice`);
    seen.add(name);
    return { name, unit: h.includes(' [') ? (match[2] ?? '') : '' };
  });
  const rows: string[][] = [];
  let last = -Infinity;
  body.forEach((line, k) => {
    const t = Number(line[0]);
    if (line[0].trim() === '' || !Number.isFinite(t))
      return at(k + 2, 1, `"${line[0]}" is not a time; this line is left out`);
    if (t < last) return at(k + 2, 1, `the time ${t} is earlier than the one before; this line is left out`);
    if (line.length !== head.length) at(k + 2, line.length, `${line.length} cells instead of ${head.length}`);
    last = t;
    rows.push(line);
  });
  const time = Float64Array.from(rows, (r) => Number(r[0]));
  const columns = names.map(({ name, unit }, k): RecordingColumn => {
    const cells = rows.map((r) => (r[k + 1] ?? '').trim());
    if (cells.length > 0 && cells.every((c) => c === 'true' || c === 'false')) {
      return {
        name,
        unit,
        kind: 'boolean',
        literals: [],
        values: Float64Array.from(cells, (c) => (c === 'true' ? 1 : 0)),
      };
    }
    const numeric = cells.filter((c) => c !== '' && Number.isFinite(Number(c))).length;
    if (numeric * 2 >= cells.length) {
      cells.forEach((c, r) => (c === '' || !Number.isFinite(Number(c))) && at(r + 2, k + 2, `"${c}" is not a number`));
      return {
        name,
        unit,
        kind: 'real',
        literals: [],
        values: Float64Array.from(cells, (c) => (c === '' ? NaN : Number(c))),
      };
    }
    const numbers = new Map<string, number>();
    for (const c of cells) if (!numbers.has(c)) numbers.set(c, numbers.size);
    return {
      name,
      unit,
      kind: 'literal',
      literals: [...numbers.keys()],
      values: Float64Array.from(cells, (c) => numbers.get(c)!),
    };
  });
  return { value: { rows: rows.length, time, columns, messages: [], transitions: [] }, problems };
}
