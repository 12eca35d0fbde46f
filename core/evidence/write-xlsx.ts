import { readXlsxSheets, writeXlsxSheets, type SheetToWrite } from '../formats/sheet-xlsx';
import type { Evidence } from './evidence';
import { tablesOf } from './tables';

/** The sheet with the data that the others were written from, out of sight. */
export const dataSheet = 'data';
/** Letters in a cell of it; a workbook has room for 32767. */
const most = 30_000;

/** Evidence as a workbook: a sheet per table. */
export const writeXlsx = async (e: Evidence): Promise<Uint8Array> => await writeXlsxSheets(sheetsOf(e));

export const sheetsOf = (e: Evidence): readonly SheetToWrite[] => [
  ...tablesOf(e).map((t) => ({
    name: t.title,
    rows: [t.head, ...t.rows.map((r) => r.cells.map((c) => shortened(c.text)))],
    widths: t.widths,
  })),
  { name: dataSheet, rows: [['SHA-256', e.sha256], ...pieces(JSON.stringify(e))], widths: [12, 80], isHidden: true },
];

/** What is longer than a cell has room for stands whole in the data. */
const shortened = (text: string): string => (text.length > most ? `${text.slice(0, most)}…` : text);

/** As base 64: a reader may take spaces away at the ends of a cell. */
function pieces(text: string): string[][] {
  let binary = '';
  for (const byte of new TextEncoder().encode(text)) binary += String.fromCharCode(byte);
  const whole = btoa(binary);
  const found: string[][] = [];
  for (let k = 0; k < whole.length; k += most) found.push([String(found.length + 1), whole.slice(k, k + most)]);
  return found;
}

export interface ReadWorkbook {
  /** The data it was written from; undefined where there is none. */
  readonly data: string | undefined;
  /** Texts of the sheets in sight. */
  readonly sheets: readonly { readonly name: string; readonly rows: readonly (readonly string[])[] }[];
  readonly problem: string;
}

export async function readWorkbook(bytes: Uint8Array): Promise<ReadWorkbook> {
  const { value, remarks } = await readXlsxSheets(bytes);
  if (!value) return { data: undefined, sheets: [], problem: remarks[0]?.message ?? 'It cannot be read' };
  const hidden = value.sheets.find((s) => s.name === dataSheet);
  const sheets = value.sheets.filter((s) => s !== hidden).map(({ name, rows }) => ({ name, rows }));
  return { data: hidden && textOf(hidden.rows.slice(1).map((r) => r[1] ?? '')), sheets, problem: '' };
}

function textOf(cells: readonly string[]): string {
  try {
    const binary = atob(cells.join(''));
    return new TextDecoder().decode(Uint8Array.from(binary, (c) => c.charCodeAt(0)));
  } catch {
    return '';
  }
}
