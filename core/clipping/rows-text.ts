import Papa from 'papaparse';
import { projectVersion, type Project } from '../project/document';
import type { Address } from '../project/address';
import { complaint, entrySchema, type Entry } from '../project/field';
import { newQuantity, newRequirement } from '../project/project';
import { clippingFormat, listsIn, signalSheetAt, type Clipping, type Piece, type Refused } from './clipping';

/** Rows as spreadsheets hold them: cells parted by tabulators, each kind of row with its columns. */

interface Column {
  readonly head: string;
  write(entry: Entry): string;
  /** What a cell sets; a text says why it cannot. */
  read(cell: string): Readonly<Record<string, unknown>> | string;
}

const plain = (head: string, field: string): Column => ({
  head,
  write: (e) => String(e[field]),
  read: (cell) => ({ [field]: cell }),
});
const choice = (head: string, field: string, values: readonly string[], usual: string): Column => ({
  head,
  write: (e) => String(e[field]),
  read: (cell) => {
    const found = values.find((v) => v.toLowerCase() === cell.toLowerCase());
    if (cell === '') return { [field]: usual };
    return found === undefined ? `“${cell}” is none of ${values.join(', ')}` : { [field]: found };
  },
});
const listed = (head: string, field: string): Column => ({
  head,
  write: (e) => (e[field] as readonly string[]).join(', '),
  read: (cell) => ({
    [field]: cell
      .split(',')
      .map((x) => x.trim())
      .filter(Boolean),
  }),
});
const types = ['Real', 'Integer', 'Boolean'];

const limits: Column = {
  head: 'Limits',
  write: (e) => (e.min || e.max ? `${String(e.min)} .. ${String(e.max)}`.trim() : ''),
  read: (cell) => {
    if (cell === '') return {};
    const [min, max, ...more] = cell.split('..').map((x) => x.trim());
    return max === undefined || more.length > 0 ? `“${cell}” is no range such as 0 .. 10` : { min, max };
  },
};
const seconds: Column = {
  head: 'Time',
  write: (e) => String(e.time),
  read: (cell) => {
    const text = cell.replace(/\s*s$/, '');
    const time = Number(/^-?\d+,\d+$/.test(text) ? text.replace(',', '.') : text);
    return text.trim() === '' || !Number.isFinite(time) ? `“${cell}” is no time in seconds` : { time };
  },
};

interface RowKind {
  readonly columns: readonly Column[];
  readonly fresh: Readonly<Record<string, unknown>>;
  /** The word for one of them. */
  readonly word: string;
}
const without = <T extends { readonly id: string }>({ id: _, ...rest }: T): Omit<T, 'id'> => rest;

/** Kinds of rows, as their tables show them. */
export const rowKinds: Readonly<Record<string, RowKind>> = {
  quantity: {
    word: 'quantity',
    fresh: { ...without(newQuantity('', '')), role: 'parameter' },
    columns: [
      plain('Quantity', 'name'),
      choice('Role', 'role', ['constant', 'parameter', 'variable', 'input', 'output'], 'parameter'),
      plain('Value', 'value'),
      plain('Unit', 'unit'),
      limits,
      plain('Note', 'note'),
      choice('Type', 'type', types, 'Real'),
    ],
  },
  port: {
    word: 'port',
    fresh: { accepts: [], sends: [], note: '' },
    columns: [plain('Port', 'name'), listed('Accepts', 'accepts'), listed('Sends', 'sends'), plain('Note', 'note')],
  },
  link: { word: 'link', fresh: { carries: '' }, columns: [plain('From', 'from'), plain('To', 'to')] },
  item: {
    word: 'item',
    fresh: { unit: '', note: '' },
    columns: [plain('Item', 'name'), plain('Unit', 'unit'), plain('Note', 'note')],
  },
  value: {
    word: 'own quantity',
    fresh: { value: '0', unit: '' },
    columns: [
      plain('Name', 'name'),
      choice('Type', 'type', types, 'Real'),
      plain('Value', 'value'),
      plain('Unit', 'unit'),
    ],
  },
  relation: {
    word: 'relation',
    fresh: { note: '' },
    columns: [plain('Relation', 'text'), plain('Note', 'note')],
  },
  stimulus: {
    word: 'stimulus row',
    fresh: { value: '' },
    columns: [
      seconds,
      choice('What', 'kind', ['send', 'set', 'follow'], 'send'),
      plain('Target', 'target'),
      plain('Value', 'value'),
    ],
  },
  change: { word: 'changed value', fresh: {}, columns: [plain('Quantity', 'name'), plain('Value', 'value')] },
  glossary: { word: 'phrase', fresh: {}, columns: [plain('Phrase', 'phrase'), plain('Meaning', 'meaning')] },
  requirement: {
    word: 'requirement',
    fresh: without(newRequirement('', '')),
    columns: [plain('Id', 'key'), plain('Text', 'text'), plain('Formula', 'formula'), plain('Note', 'note')],
  },
};

/** What was copied as rows for a spreadsheet, with their heads; undefined where it is something else. */
export function rowsText(c: Clipping): string | undefined {
  const kind = c.pieces[0]?.kind;
  const rows = rowKinds[kind];
  if (kind === 'line')
    return c.pieces.map(({ entry }) => '\t'.repeat(Number(entry.depth ?? 0)) + String(entry.text)).join('\n');
  if (!rows || c.declared.length > 0 || c.pieces.some((p) => p.kind !== kind)) return undefined;
  return Papa.unparse(
    [rows.columns.map((x) => x.head), ...c.pieces.map((p) => rows.columns.map((x) => x.write(p.entry)))],
    { delimiter: '\t', newline: '\n' },
  );
}

/** Whether a text has rows or columns. */
export const isTable = (text: string): boolean => /[\t\n]/.test(text.replace(/\r/g, '').trim());

/**
 * Rows of a spreadsheet as what a table holds: in the order of its columns, or as a first row of heads says. Anything that is not understood refuses all
 * of them, with its row and column.
 */
export function readRows(project: Project, text: string, owner: Address, kind: string): Clipping | Refused {
  const description = listsIn(project, owner)?.lists.get(kind)?.description;
  if (kind === 'line' && description) return readLines(project, text, owner);
  const rows = rowKinds[kind];
  if (!rows || !description) return { refused: 'Rows of a spreadsheet have no place here' };
  const parsed = Papa.parse<string[]>(text.replace(/\r\n?/g, '\n'), { delimiter: '\t', skipEmptyLines: 'greedy' });
  if (parsed.errors.length > 0)
    return { refused: `Row ${(parsed.errors[0].row ?? 0) + 1} cannot be read: ${parsed.errors[0].message}` };
  const cells = parsed.data.map((row) => row.map((cell) => cell.trim()));
  const isHead = (cell: string, c: Column): boolean => c.head.toLowerCase() === cell.toLowerCase();
  const first = cells[0]?.filter((cell) => cell !== '') ?? [];
  const named = first.length > 0 && first.every((cell) => rows.columns.some((c) => isHead(cell, c)));
  const columns = named ? cells[0].map((cell) => rows.columns.find((c) => isHead(cell, c))) : rows.columns;
  const body = named ? cells.slice(1) : cells;
  const heads = rows.columns.map((c) => c.head).join(', ');
  if (body.length === 0) return { refused: 'There are no rows to paste' };
  const pieces: Piece[] = [];
  for (const [k, row] of body.entries()) {
    const where = `Row ${k + (named ? 2 : 1)}`;
    let entry: Record<string, unknown> = { ...rows.fresh, id: `row-${k + 1}` };
    for (const [i, cell] of row.entries()) {
      const column = columns[i];
      if (!column) {
        if (cell === '') continue;
        return {
          refused: `${where} has more cells than a ${rows.word} has columns, which are ${heads}. Nothing was pasted`,
        };
      }
      const value = column.read(cell);
      if (typeof value === 'string') return { refused: `${where}, ${column.head}: ${value}. Nothing was pasted` };
      entry = { ...entry, ...value };
    }
    for (const column of rows.columns) {
      // columns that are not there have what is usual; one that cannot be left out is told
      if (columns.slice(0, row.length).includes(column)) continue;
      const value = column.read('');
      if (typeof value === 'string') return { refused: `${where} has no ${column.head}. Nothing was pasted` };
      entry = { ...value, ...entry };
    }
    if (kind === 'requirement' && entry.key === '') entry.key = 'REQ-01';
    const wrong = complaint(entrySchema(description), entry, description.word);
    if (wrong !== undefined) return { refused: `${where}: ${wrong}. The columns are ${heads}. Nothing was pasted` };
    pieces.push({ kind, entry: entry as Entry });
  }
  return clippingOf(project, owner, pieces);
}

const clippingOf = (project: Project, owner: Address, pieces: readonly Piece[]): Clipping => ({
  format: clippingFormat,
  version: projectVersion,
  project: '',
  owner,
  within: listsIn(project, owner)!.chain.map((e) => e.name ?? ''),
  pieces,
  declared: [],
  connects: [],
  types: [],
  libraries: [],
});

/** Lines of a flow, a procedure or a sequence: a tabulator or two blanks for each step further in. */
function readLines(project: Project, text: string, owner: Address): Clipping | Refused {
  const lines = text.split(/\r\n?|\n/).filter((l) => l.trim() !== '');
  const long = lines.findIndex((l) => l.trim().length > 2000);
  if (lines.length === 0) return { refused: 'There are no lines to paste' };
  if (long >= 0) return { refused: `Line ${long + 1} is longer than 2000 characters. Nothing was pasted` };
  let deepest = 0;
  const pieces = lines.map((line, k): Piece => {
    const indent = /^[\t ]*/.exec(line)![0];
    const steps = [...indent].filter((c) => c === '\t').length + Math.floor(indent.replace(/\t/g, '').length / 2);
    deepest = Math.min(steps, k === 0 ? steps : deepest + 1, 40);
    const own = { id: `row-${k + 1}`, text: line.trim() };
    const isSheet = signalSheetAt.test(owner);
    return { kind: 'line', entry: isSheet ? { ...own, place: null, size: null } : { ...own, depth: deepest } };
  });
  return clippingOf(project, owner, pieces);
}
