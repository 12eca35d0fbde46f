import Papa from 'papaparse';
import { mostRows, remark, type ReadTable, type Remark } from './table';
import { decodeText } from './text-encoding';

/** Comma, semicolon, tabulator or bar separated text of any common encoding. */
export function readCsvSheet(bytes: Uint8Array, name: string): ReadTable {
  if (bytes.length === 0) return { value: undefined, remarks: [remark('error', 'The file is empty')] };
  const { text, encoding, certain } = decodeText(bytes);
  const remarks: Remark[] = [];
  if (!certain)
    remarks.push(
      remark(
        'warning',
        `The file does not say how its letters are stored; it was read as ${encoding}. Look at letters such as ä, °, Ω`,
        name,
      ),
    );
  const unprintable = [...text.slice(0, 4000)].filter((c) => c === '\u0000' || c === '\ufffd').length;
  if (unprintable > 20) return { value: undefined, remarks: [remark('error', 'This is not a text file')] };
  // a line "sep=;" says what separates the cells
  const separator = /^\ufeff?sep=(.)\r?\n/.exec(text);
  const body = separator ? text.slice(separator[0].length) : text.replace(/^\ufeff/, '');
  const parsed = Papa.parse<string[]>(body, {
    delimiter: separator?.[1] ?? guessDelimiter(body),
    skipEmptyLines: false,
    preview: mostRows + 1,
  });
  for (const e of parsed.errors.slice(0, 50)) {
    if (e.code === 'UndetectableDelimiter') continue;
    remarks.push(
      remark(
        'warning',
        e.code === 'MissingQuotes'
          ? 'A quotation mark is not closed: everything after it was read as one cell'
          : e.message,
        name,
        (e.row ?? 0) + 1,
      ),
    );
  }
  let rows = parsed.data.map((r) => r.map((c) => c.trim()));
  if (rows.length > mostRows) {
    remarks.push(remark('error', `Only the first ${mostRows} rows were read`, name, mostRows + 1));
    rows = rows.slice(0, mostRows);
  }
  while (rows.length > 0 && rows.at(-1)!.every((c) => c === '')) rows.pop();
  return { value: { sheets: [{ name, rows, firstRow: separator ? 2 : 1, foreign: -1 }], relations: [] }, remarks };
}

/** What occurs most often outside quotation marks in the first lines. */
function guessDelimiter(text: string): string {
  const plain = text.slice(0, 20_000).replace(/"[^"]*"/g, '');
  const counts = [',', ';', '\t', '|'].map((d) => {
    const lines = plain
      .split(/\r?\n/)
      .filter((l) => l.trim() !== '')
      .slice(0, 20);
    // what every line has counts more than what one text has often
    return {
      d,
      score: lines.filter((l) => l.includes(d)).length * 100 + Math.min(99, (lines[0] ?? '').split(d).length),
    };
  });
  return counts.reduce((a, b) => (b.score > a.score ? b : a)).d;
}

/** Texts that a spreadsheet would take for formulas are marked as texts. */
const guard = (cell: string): string => (/^[=+@\t\r]/.test(cell) || /^-[^\d]/.test(cell) ? `'${cell}` : cell);

export const writeCsvSheet = (rows: readonly (readonly string[])[]): string =>
  Papa.unparse(
    rows.map((r) => r.map(guard)),
    { newline: '\r\n' },
  ) + '\r\n';
