import type { Severity } from '../language/diagnostics';

/** A file of tables as texts, whatever it was: what requirement sheets are read from. */
export interface Workbook {
  readonly sheets: readonly Sheet[];
  /** Relations between rows that some formats have, by the identifiers in the column `foreign`. */
  readonly relations: readonly SheetRelation[];
}

export interface Sheet {
  readonly name: string;
  readonly rows: readonly (readonly string[])[];
  /** Number of the first row in the file, counted from 1. */
  readonly firstRow: number;
  /** Column of identifiers given by another tool; -1 where there is none. */
  readonly foreign: number;
}

export interface SheetRelation {
  readonly from: string;
  readonly to: string;
  readonly type: string;
}

/** Something about a cell or a row that was read otherwise than it stands there, or not at all. */
export interface Remark {
  readonly severity: Severity;
  readonly sheet: string;
  /** Counted from 1; 0: the whole file. */
  readonly row: number;
  readonly column: number;
  readonly message: string;
}

export interface ReadTable {
  readonly value: Workbook | undefined;
  readonly remarks: readonly Remark[];
}

export const remark = (severity: Severity, message: string, sheet = '', row = 0, column = 0): Remark => ({
  severity,
  sheet,
  row,
  column,
  message,
});

/** 1 is A, 27 is AA. */
export function columnName(column: number): string {
  let name = '';
  for (let k = column; k > 0; k = Math.floor((k - 1) / 26)) name = String.fromCharCode(65 + ((k - 1) % 26)) + name;
  return name;
}

export const cellName = (row: number, column: number): string => `${columnName(column)}${row}`;

export const mostRows = 200_000;
