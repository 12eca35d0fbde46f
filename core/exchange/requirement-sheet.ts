import type { Severity } from '../language/diagnostics';
import { cellName, type Sheet } from '../formats/table';
import type { Attribute, RequirementSource } from '../project/project';

/** Which column of a sheet is what; -1 where there is none. */
export interface ColumnMap {
  /** Index of the row with the names of the columns; -1 where there is none. */
  readonly head: number;
  readonly id: number;
  readonly text: number;
  readonly parent: number;
  readonly kind: number;
  /** Columns kept as attributes. */
  readonly attributes: readonly number[];
}

/** A row that became a requirement. */
export interface ImportedRow {
  readonly key: string;
  readonly text: string;
  readonly kind: string;
  /** Key of the requirement above; empty where it stands on top. */
  readonly parent: string;
  readonly attributes: readonly Attribute[];
  readonly source: RequirementSource;
}

export interface RowProblem {
  readonly severity: Severity;
  /** Row of the file, counted from 1. */
  readonly row: number;
  readonly cell: string;
  readonly message: string;
}

export interface ReadRows {
  readonly rows: readonly ImportedRow[];
  readonly problems: readonly RowProblem[];
}

const guesses: Readonly<Record<'id' | 'text' | 'parent' | 'kind', RegExp>> = {
  id: /^(id|key|nr\.?|no\.?|number|req(uirement)?[\s._-]*(id|no|nr|number|key)|reqif\.foreignid|identifier|object identifier)$/i,
  text: /^(text|description|requirement( text)?|statement|shall|reqif\.text|object text|specification)$/i,
  parent: /^(parent([\s._-]*(id|key))?|above|belongs to|under)$/i,
  kind: /^(kind|type|category|class|object type)$/i,
};

/** A first idea of what the columns mean, from their names and from what stands in them. */
export function guessColumns(sheet: Sheet): ColumnMap {
  const first = sheet.rows.slice(0, 20);
  const match = (row: readonly string[], what: keyof typeof guesses): number =>
    row.findIndex((c, k) => guesses[what].test(c.trim()) && k !== sheet.foreign);
  const named = first.findIndex((row) => match(row, 'text') >= 0 || match(row, 'id') >= 0);
  const head = named >= 0 ? named : -1;
  const names = head >= 0 ? first[head] : [];
  const width = Math.max(0, ...first.map((r) => r.length));
  const body = sheet.rows.slice(head + 1, head + 60);
  const column = (k: number): string[] => body.map((r) => r[k] ?? '').filter((c) => c !== '');
  let text = match(names, 'text');
  if (text < 0) {
    const lengths = Array.from({ length: width }, (_, k) =>
      column(k).reduce((sum, c) => sum + c.length + (/\bshall\b/.test(c) ? 100 : 0), 0),
    );
    text = lengths.indexOf(Math.max(...lengths, 0));
  }
  let id = match(names, 'id');
  if (id < 0)
    id =
      Array.from({ length: width }, (_, k) => k).find(
        (k) =>
          k !== text &&
          k !== sheet.foreign &&
          column(k).length > 0 &&
          new Set(column(k)).size === column(k).length &&
          column(k).every((c) => /^[\w.-]{1,40}$/.test(c) && /\d/.test(c)),
      ) ?? -1;
  const [parent, kind] = [match(names, 'parent'), match(names, 'kind')];
  const taken = new Set([id, text, parent, kind, sheet.foreign]);
  return {
    head,
    id,
    text,
    parent,
    kind,
    attributes: Array.from({ length: width }, (_, k) => k).filter(
      (k) => !taken.has(k) && (names[k] ?? '') !== '' && !(kind >= 0 && names[k] === 'Object type'),
    ),
  };
}

/** Requirement kinds under the names sheets use for them. */
const kinds: readonly (readonly [pattern: RegExp, kind: string])[] = [
  [/^(heading|title|chapter|section|folder)$/i, 'heading'],
  [/^(info(rmation)?|note|comment|remark|text)$/i, 'information'],
  [/^(requirement|req|)$/i, 'requirement'],
];

const longest = 20_000;

/** Turns rows into requirements. What can be imported is; everything else is told by its row and cell. */
export function readRows(sheet: Sheet, map: ColumnMap, file: string): ReadRows {
  const problems: RowProblem[] = [];
  const say = (severity: Severity, index: number, column: number, message: string): void => {
    const row = index + sheet.firstRow;
    problems.push({ severity, row, cell: column >= 0 && sheet.firstRow > 0 ? cellName(row, column + 1) : '', message });
  };
  const names = map.head >= 0 ? sheet.rows[map.head] : [];
  const attributeName = (k: number): string => names[k]?.trim() || `Column ${k + 1}`;
  const given = new Set<string>();
  const byForeign = new Map<string, string>();
  if (map.id >= 0)
    for (let k = map.head + 1; k < sheet.rows.length; k++) given.add((sheet.rows[k][map.id] ?? '').trim());
  const first = new Map<string, number>();
  const rows: (ImportedRow & { readonly index: number })[] = [];
  let counter = 0;
  for (let k = map.head + 1; k < sheet.rows.length; k++) {
    const cells = sheet.rows[k];
    const cell = (column: number): string => (column >= 0 ? (cells[column] ?? '').trim() : '');
    if (cells.every((c) => c.trim() === '')) continue;
    let key = cell(map.id);
    let text = cell(map.text);
    if (key === '' && text === '') {
      say('info', k, -1, 'Neither an id nor a text: left out');
      continue;
    }
    if (key === '') {
      do key = `NEW-${String(++counter).padStart(3, '0')}`;
      while (given.has(key) || first.has(key));
      if (map.id >= 0) say('warning', k, map.id, `No id: it becomes ${key}`);
    }
    if (key.length > 80) {
      say('warning', k, map.id, 'The id is longer than 80 characters: left out');
      continue;
    }
    const earlier = first.get(key);
    if (earlier !== undefined) {
      say('error', k, map.id, `The id ${key} is in row ${earlier + sheet.firstRow} already: left out`);
      continue;
    }
    first.set(key, k);
    if (text === '') say('warning', k, map.text, `${key} has no text`);
    if (text.length > longest) {
      say('warning', k, map.text, `The text of ${key} was cut at ${longest} characters`);
      text = text.slice(0, longest);
    }
    const foreign = cell(sheet.foreign);
    if (foreign !== '') byForeign.set(foreign, key);
    const rawKind = cell(map.kind);
    const kind = kinds.find(([pattern]) => pattern.test(rawKind))?.[1] ?? rawKind.slice(0, 80);
    const row = sheet.firstRow > 0 ? k + sheet.firstRow : 0;
    rows.push({
      index: k,
      key,
      text,
      kind,
      parent: cell(map.parent),
      attributes: map.attributes.flatMap((a) =>
        cell(a) === '' ? [] : [{ name: attributeName(a), value: cell(a).slice(0, longest) }],
      ),
      source: {
        file,
        sheet: sheet.name,
        row,
        cell: row > 0 && map.text >= 0 ? cellName(row, map.text + 1) : '',
        foreign,
      },
    });
  }
  const sound = withSoundParents(rows, byForeign, (index, message) => say('warning', index, map.parent, message));
  return { rows: sound, problems: problems.sort((a, b) => a.row - b.row) };
}

/** Parents that are in the sheet and lead to no circle. */
function withSoundParents(
  rows: readonly (ImportedRow & { readonly index: number })[],
  byForeign: ReadonlyMap<string, string>,
  say: (index: number, message: string) => void,
): ImportedRow[] {
  const keys = new Set(rows.map((r) => r.key));
  const above = new Map<string, string>();
  for (const r of rows) {
    if (r.parent === '') continue;
    const key = keys.has(r.parent) ? r.parent : byForeign.get(r.parent);
    if (key === undefined)
      say(r.index, `${r.key} belongs under ${r.parent}, which is not in the sheet: it stands on top`);
    else above.set(r.key, key);
  }
  for (const r of rows) {
    const path = [r.key];
    for (let at = above.get(r.key); at !== undefined; at = above.get(at)) {
      if (at === r.key) {
        say(r.index, `${[...path, r.key].slice(0, 6).join(' under ')}: a circle; ${r.key} stands on top`);
        above.delete(r.key);
        break;
      }
      path.push(at);
      if (path.length > 500) break;
    }
  }
  return rows.map(({ index: _, ...r }) => ({ ...r, parent: above.get(r.key) ?? '' }));
}
