import type { Project, Requirement } from '../project/project';
import { elementIndex, elementKinds, type ElementKind, type TraceElement } from './elements';
import { linkIndex, type CheckedLink } from './links';

/** Requirements by elements. */
export interface Matrix {
  readonly rows: readonly Requirement[];
  readonly columns: readonly TraceElement[];
  cell(row: number, column: number): CheckedLink | undefined;
  /** The cells of a row that have a link. */
  linked(row: number): readonly (readonly [column: number, link: CheckedLink])[];
  /** Whether a row or a column has no link at all. */
  isRowEmpty(row: number): boolean;
  isColumnEmpty(column: number): boolean;
}

export interface MatrixFilter {
  /** Words that must occur in id or text. */
  readonly requirements: string;
  readonly elements: string;
  readonly kinds: readonly ElementKind[];
  /** Only what is linked to something, only what is not, or all. */
  readonly show: 'linked' | 'gaps' | 'all';
}

const matches = (text: string, words: readonly string[]): boolean => words.every((w) => text.includes(w));
const wordsOf = (text: string): string[] => text.toLowerCase().split(/\s+/).filter(Boolean);

export function traceMatrix(project: Project, filter: MatrixFilter): Matrix {
  const { all } = elementIndex(project);
  const links = linkIndex(project);
  const kinds = new Set(filter.kinds);
  const [rw, ew] = [wordsOf(filter.requirements), wordsOf(filter.elements)];
  const shows = (linked: boolean): boolean => filter.show === 'all' || (filter.show === 'linked') === linked;
  const elements = all.filter(
    (e) => kinds.has(e.kind) && e.kind !== 'requirement' && matches(e.label.toLowerCase(), ew),
  );
  const linkedElement = (e: TraceElement): boolean => links.ofElement.has(e.address);
  const columns = (
    filter.show === 'gaps' ? elements : elements.filter((e) => filter.show === 'all' || linkedElement(e))
  ).sort((a, b) => elementKinds.indexOf(a.kind) - elementKinds.indexOf(b.kind));
  const rows = project.requirements.filter(
    (r) =>
      matches(`${r.key} ${r.text}`.toLowerCase(), rw) &&
      (filter.show !== 'gaps' || shows(links.ofRequirement.has(r.id))),
  );
  const columnOf = new Map(columns.map((e, k) => [e.address, k]));
  const cells = rows.map((r) => {
    const found = new Map<number, CheckedLink>();
    for (const l of links.ofRequirement.get(r.id) ?? []) {
      const k = columnOf.get(l.link.element);
      if (k !== undefined) found.set(k, l);
    }
    return found;
  });
  return {
    rows,
    columns,
    cell: (row, column) => cells[row]?.get(column),
    linked: (row) => [...(cells[row] ?? [])],
    isRowEmpty: (row) => !links.ofRequirement.has(rows[row].id),
    isColumnEmpty: (column) => !linkedElement(columns[column]),
  };
}

/** The matrix as rows of texts, for CSV and XLSX: x linked, ? to look at again. */
export function matrixRows(m: Matrix): string[][] {
  const head = ['Requirement', 'Text', ...m.columns.map((c) => `${c.kind}: ${c.label}`), 'Links'];
  return [
    head,
    ...m.rows.map((r, i) => {
      const cells = m.columns.map((_, j) => {
        const l = m.cell(i, j);
        return l ? (l.state === 'suspect' ? '?' : 'x') : '';
      });
      return [r.key, r.text, ...cells, String(cells.filter(Boolean).length)];
    }),
  ];
}
