'use client';
import { nanoid } from 'nanoid';
import Papa from 'papaparse';
import { FileInput, Plus, Trash2 } from 'lucide-react';
import { useState, type ClipboardEvent } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { newVector, type TestCase, type Vector } from '@/core/project/project';
import { vectorsOfSheet, type SheetProblem } from '@/core/scripts/vectors-of-sheet';
import { readTable } from '@/store/exchange';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { FileButton } from '@/ui/file-button';
import type { KnownName } from '@/ui/formula-editor';

const ways: readonly (readonly [Vector['way'], string])[] = [
  ['set', 'set'],
  ['send', 'send'],
  ['expect', 'expect'],
];

/** Whether only true and false are expected of a column: they come or do not, within a time. */
function isTruth({ rows }: TestCase, { id }: Vector): boolean {
  const values = rows.flatMap((r) => r.cells.flatMap((c) => (c.column === id ? [c.value] : [])));
  return values.length > 0 && values.every((x) => x === 'true' || x === 'false');
}

/** What is given over time, and what is expected then: a row is a moment. */
export function VectorGrid({
  of,
  names,
  problems,
}: {
  readonly of: TestCase;
  readonly names: readonly KnownName[];
  readonly problems: readonly Problem[];
}) {
  const { edit } = useProject.getState();
  const [refused, setRefused] = useState<{ readonly file: string; readonly problems: readonly SheetProblem[] }>();
  const at = `case/${of.id}`;
  const setRows = (rows: TestCase['rows'], what: string): Problem | undefined =>
    edit({ kind: 'update', list: 'case', id: of.id, changes: { rows } }, `${what} of ${of.name}`);
  const problemOf = (place: string): string | undefined => problems.find((p) => p.place === `${at}/${place}`)?.message;
  const addColumn = (): void => {
    const entry = newVector(`v-${nanoid(8)}`, 'expect', '');
    const quantity = names.find((n) => n.kind === 'quantity');
    edit(
      { kind: 'insert', list: `${at}/vector`, entry: { ...entry, target: quantity?.name ?? 'time' } },
      'Add a column',
    );
  };
  const put = (v: Vector, changes: Partial<Vector>): Problem | undefined =>
    edit({ kind: 'update', list: `${at}/vector`, id: v.id, changes }, `Change a column of ${of.name}`);
  const withCell = (row: TestCase['rows'][number], column: string, value: string): TestCase['rows'][number] => ({
    ...row,
    cells: [
      ...row.cells.filter((c) => c.column !== column),
      ...(value.trim() === '' ? [] : [{ column, value: value.trim() }]),
    ],
  });
  /** Rows of a spreadsheet, from a cell on: the first column is time where it begins there. */
  const paste = (e: ClipboardEvent, row: number, column: number): void => {
    const text = e.clipboardData.getData('text/plain');
    if (!/[\t\n]/.test(text.trim())) return;
    e.preventDefault();
    const table = Papa.parse<string[]>(text.replace(/\n+$/, ''), { delimiter: text.includes('\t') ? '\t' : '' }).data;
    const rows = [...of.rows];
    for (const [k, cells] of table.entries()) {
      const n = row + k;
      let next = rows[n] ?? { time: (rows[n - 1]?.time ?? -0.1) + 0.1, cells: [] };
      for (const [j, value] of cells.entries()) {
        const c = column + j;
        if (c === -1) {
          const time = Number(value.trim().replace(',', '.'));
          if (!Number.isFinite(time) || value.trim() === '') {
            usePlace
              .getState()
              .say(`${value.trim() || 'An empty cell'} in row ${k + 1} is no time in s: nothing was pasted`);
            return;
          }
          next = { ...next, time };
        } else if (of.vectors[c]) next = withCell(next, of.vectors[c].id, value);
      }
      rows[n] = next;
    }
    const refused = setRows(rows, 'Paste rows into the table');
    if (refused) usePlace.getState().say(refused.message);
  };
  /** The first sheet of a file in place of the table, or nothing of it. */
  const takeFile = async (file: File): Promise<void> => {
    const { value, remarks } = await readTable(file);
    const errors = remarks.filter((r) => r.severity === 'error').map((r) => ({ cell: '', message: r.message }));
    const read = value?.sheets[0] && vectorsOfSheet(value.sheets[0], of.vectors, () => `v-${nanoid(8)}`);
    const problems = [...errors, ...(read?.problems ?? [])];
    if (!read?.vectors || problems.length > 0) {
      setRefused({
        file: file.name,
        problems: problems.length > 0 ? problems : [{ cell: '', message: 'There is no sheet in it' }],
      });
      return;
    }
    const { vectors, rows } = read;
    const wrong = edit(
      {
        kind: 'batch',
        label: `Take the table of ${of.name} from ${file.name}`,
        edits: [
          { kind: 'update', list: 'case', id: of.id, changes: { rows: [] } },
          ...of.vectors.map((v) => ({ kind: 'remove' as const, list: `${at}/vector`, id: v.id })),
          ...vectors.map((entry) => ({ kind: 'insert' as const, list: `${at}/vector`, entry })),
          { kind: 'update', list: 'case', id: of.id, changes: { rows } },
        ],
      },
      `Take the table of ${of.name} from ${file.name}`,
    );
    setRefused(wrong && { file: file.name, problems: [{ cell: '', message: wrong.message }] });
  };
  const removeColumn = (v: Vector): void =>
    void edit(
      {
        kind: 'batch',
        label: `Delete a column of ${of.name}`,
        edits: [
          {
            kind: 'update',
            list: 'case',
            id: of.id,
            changes: { rows: of.rows.map((r) => ({ ...r, cells: r.cells.filter((c) => c.column !== v.id) })) },
          },
          { kind: 'remove', list: `${at}/vector`, id: v.id },
        ],
      },
      `Delete a column of ${of.name}`,
    );
  const tolerance = (v: Vector, field: 'absolute' | 'relative' | 'late', label: string) => (
    <label className="proof-tolerance">
      <span className="quiet">{label}</span>
      <CellField
        value={String(v[field])}
        label={`${label} for ${v.target}`}
        mono
        onCommit={(text) =>
          text.trim() !== '' && Number(text) >= 0
            ? put(v, { [field]: Number(text) })
            : { severity: 'error', code: 'number', message: 'A number of 0 or more' }
        }
      />
    </label>
  );
  return (
    <>
      <h3 className="section-title">
        Table
        <span className="d-flex gap-1">
          <FileButton
            size="sm"
            label="File of a table"
            accept=".csv,.tsv,.txt,.xlsx"
            title="In place of the table: heads such as time [ms], set speed [rpm], send start, expect torque ± 2 %"
            onFile={(file) => void takeFile(file)}
          >
            <FileInput size={13} aria-hidden /> From a file
          </FileButton>
          <Button size="sm" onClick={addColumn} data-testid="add-column">
            <Plus size={13} aria-hidden /> Column
          </Button>
          {of.vectors.length > 0 && (
            <Button
              size="sm"
              data-testid="add-row"
              onClick={() =>
                void setRows(
                  [...of.rows, { time: Number(((of.rows.at(-1)?.time ?? -0.1) + 0.1).toPrecision(9)), cells: [] }],
                  'Add a row to the table',
                )
              }
            >
              <Plus size={13} aria-hidden /> Row
            </Button>
          )}
        </span>
      </h3>
      {refused && (
        <div className="px-3 mb-2" role="alert" data-testid="table-refused">
          <p className="bad mb-1">
            Nothing was taken from {refused.file}:{' '}
            <button type="button" className="btn btn-link p-0" onClick={() => setRefused(undefined)}>
              close
            </button>
          </p>
          <ul className="mb-0 ps-3">
            {refused.problems.slice(0, 12).map((p) => (
              <li key={`${p.cell}${p.message}`}>
                {p.cell !== '' && <span className="quiet">{p.cell} </span>}
                {p.message}
              </li>
            ))}
            {refused.problems.length > 12 && <li className="quiet">and {refused.problems.length - 12} more</li>}
          </ul>
        </div>
      )}
      {of.vectors.length === 0 ? (
        <p className="px-3 quiet mb-1">
          Nothing is given or expected over time. Columns take rows of a spreadsheet; a file brings its own.
        </p>
      ) : (
        <div className="proof-grid px-3">
          <table className="table" data-testid="vectors" data-enter="through">
            <thead>
              <tr>
                <th scope="col">time, s</th>
                {of.vectors.map((v) => (
                  <th key={v.id} scope="col" className={v.way === 'expect' ? 'expected' : undefined}>
                    <div className="d-flex">
                      <CellSelect
                        value={v.way}
                        label={`What column ${v.target} is`}
                        options={ways}
                        onCommit={(way) => put(v, { way: way as Vector['way'] })}
                      />
                      <Button variant="bare" label={`Delete the column ${v.target}`} onClick={() => removeColumn(v)}>
                        <Trash2 size={12} aria-hidden />
                      </Button>
                    </div>
                    <CellField
                      value={v.target}
                      label="What is given or expected"
                      mono
                      names={() => names}
                      problem={problemOf(`vector/${v.id}/target`)}
                      onCommit={(target) => put(v, { target: target.trim() })}
                    />
                    {v.way === 'expect' && (
                      <div className="proof-tolerances">
                        {!isTruth(of, v) && (
                          <>
                            {tolerance(v, 'absolute', '±')}
                            {tolerance(v, 'relative', '± share')}
                          </>
                        )}
                        {tolerance(v, 'late', '± s')}
                      </div>
                    )}
                  </th>
                ))}
                <th aria-label="Delete" />
              </tr>
            </thead>
            <tbody>
              {of.rows.map((row, k) => (
                <tr key={k}>
                  <td onPaste={(e) => paste(e, k, -1)}>
                    <CellField
                      value={String(row.time)}
                      label={`Time of row ${k + 1}`}
                      mono
                      problem={problemOf(`rows/${k}/time`)}
                      onCommit={(text) =>
                        text.trim() !== '' && Number(text) >= 0
                          ? setRows(
                              of.rows.map((r, n) => (n === k ? { ...r, time: Number(text) } : r)),
                              'Change a time',
                            )
                          : { severity: 'error', code: 'number', message: 'A time in seconds' }
                      }
                    />
                  </td>
                  {of.vectors.map((v, c) => {
                    const j = row.cells.findIndex((x) => x.column === v.id);
                    return (
                      <td key={v.id} onPaste={(e) => paste(e, k, c)}>
                        <CellField
                          value={j < 0 ? '' : row.cells[j].value}
                          label={`${v.target} in row ${k + 1}`}
                          mono
                          problem={
                            j < 0
                              ? undefined
                              : (problemOf(`rows/${k}/cells/${j}/value`) ?? problemOf(`rows/${k}/cells/${j}`))
                          }
                          onCommit={(text) =>
                            setRows(
                              of.rows.map((r, n) => (n === k ? withCell(r, v.id, text) : r)),
                              'Change a cell',
                            )
                          }
                        />
                      </td>
                    );
                  })}
                  <td style={{ width: 30 }}>
                    <Button
                      variant="bare"
                      label={`Delete row ${k + 1}`}
                      onClick={() =>
                        void setRows(
                          of.rows.filter((_, n) => n !== k),
                          'Delete a row',
                        )
                      }
                    >
                      <Trash2 size={12} aria-hidden />
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
