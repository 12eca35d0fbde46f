import ExcelJS from 'exceljs';
import { unzipSync } from 'fflate';
import { mostRows, remark, type ReadTable, type Remark, type Sheet } from './table';

const mostBytes = 400_000_000;
/** Remarks per kind and sheet after which only their number is told. */
const mostRemarks = 20;

/** Every sheet of an Office Open XML workbook as texts, with what was not plain text told by its cell. */
export async function readXlsxSheets(bytes: Uint8Array): Promise<ReadTable> {
  const refuse = (message: string): ReadTable => ({ value: undefined, remarks: [remark('error', message)] });
  if (bytes.length === 0) return refuse('The file is empty');
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b)
    return refuse('This is not an XLSX workbook; older workbooks can be saved as XLSX or CSV');
  let size = 0;
  try {
    unzipSync(bytes, {
      filter: (f) => {
        size += f.originalSize;
        return false;
      },
    });
  } catch {
    return refuse('The workbook is damaged or was cut short');
  }
  if (size > mostBytes) return refuse('The workbook unpacks to more than 400 MB and was not opened');
  const book = new ExcelJS.Workbook();
  try {
    await book.xlsx.load(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer, {
      ignoreNodes: ['dataValidations', 'conditionalFormatting', 'drawing', 'picture'],
    });
  } catch {
    return refuse('The workbook cannot be read: it is damaged, encrypted or no workbook');
  }
  const remarks: Remark[] = [];
  const sheets = book.worksheets.map((sheet): Sheet => readSheet(sheet, remarks));
  if (sheets.length === 0) return refuse('There is no sheet in this workbook');
  return { value: { sheets, relations: [] }, remarks };
}

function readSheet(sheet: ExcelJS.Worksheet, remarks: Remark[]): Sheet {
  const counts = new Map<string, number>();
  const note = (row: number, column: number, kind: string, message: string): void => {
    const n = (counts.get(kind) ?? 0) + 1;
    counts.set(kind, n);
    if (n <= mostRemarks) remarks.push(remark('info', message, sheet.name, row, column));
  };
  const rows: string[][] = [];
  const last = Math.min(sheet.rowCount, mostRows);
  for (let r = 1; r <= last; r++) {
    const row = sheet.findRow(r);
    const cells: string[] = [];
    row?.eachCell({ includeEmpty: false }, (cell, c) => {
      while (cells.length < c - 1) cells.push('');
      cells[c - 1] = readCell(cell, r, c, note);
    });
    rows.push(cells);
  }
  while (rows.length > 0 && rows.at(-1)!.every((c) => c === '')) rows.pop();
  if (sheet.rowCount > mostRows)
    remarks.push(remark('error', `Only the first ${mostRows} rows were read`, sheet.name, mostRows + 1));
  for (const [kind, n] of counts)
    if (n > mostRemarks) remarks.push(remark('info', `${n - mostRemarks} more cells: ${kind}`, sheet.name));
  return { name: sheet.name, rows, firstRow: 1, foreign: -1 };
}

function readCell(
  cell: ExcelJS.Cell,
  r: number,
  c: number,
  note: (row: number, column: number, kind: string, message: string) => void,
): string {
  if (cell.isMerged && cell.master.address !== cell.address) {
    note(r, c, 'merged', `Part of the merged cell ${cell.master.address}: its text counts there only`);
    return '';
  }
  const plain = (value: ExcelJS.CellValue): string => {
    if (value === null || value === undefined) return '';
    if (typeof value === 'string') return value.trim();
    if (typeof value === 'number' || typeof value === 'boolean') return String(value);
    if (value instanceof Date) {
      note(r, c, 'date', 'A date, read as its day: an id such as 3-4 may have been turned into one by the spreadsheet');
      return Number.isNaN(value.getTime()) ? '' : value.toISOString().slice(0, 10);
    }
    if ('richText' in value)
      return value.richText
        .map((t) => t.text)
        .join('')
        .trim();
    if ('error' in value) {
      note(r, c, 'error', `The cell shows the error ${String(value.error)}`);
      return '';
    }
    if ('formula' in value || 'sharedFormula' in value) {
      note(r, c, 'formula', 'A formula: its last result was read');
      return plain((value as ExcelJS.CellFormulaValue).result as ExcelJS.CellValue);
    }
    if ('hyperlink' in value)
      return typeof value.text === 'string' ? value.text.trim() : plain(value.text as ExcelJS.CellValue);
    return '';
  };
  return plain(cell.value);
}

export interface SheetToWrite {
  readonly name: string;
  readonly rows: readonly (readonly string[])[];
  /** Widths of columns in letters. */
  readonly widths: readonly number[];
  readonly isHidden?: boolean;
}

/** Sheets of texts with a head row that stays in sight. All cells are texts, so that no id turns into a date. */
export async function writeXlsxSheets(sheets: readonly SheetToWrite[]): Promise<Uint8Array> {
  const book = new ExcelJS.Workbook();
  book.creator = 'Zelvar';
  book.created = book.modified = new Date(Date.UTC(2026, 0, 1));
  for (const { name, rows, widths, isHidden = false } of sheets) {
    const sheet = book.addWorksheet(name.replace(/[[\]*?:/\\]/g, ' ').slice(0, 31), {
      views: [{ state: 'frozen', ySplit: 1 }],
      state: isHidden ? 'hidden' : 'visible',
    });
    sheet.columns = (rows[0] ?? []).map((_, k) => ({
      width: widths[k] ?? 18,
      style: { alignment: { wrapText: true, vertical: 'top' }, numFmt: '@' },
    }));
    for (const row of rows) sheet.addRow([...row]);
    sheet.getRow(1).font = { bold: true };
  }
  return new Uint8Array((await book.xlsx.writeBuffer()) as ArrayBuffer);
}
