'use client';
import { ArrowLeft, FileUp } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useRef, useState, type DragEvent } from 'react';
import { Progress } from '@/ui/progress';
import { compareSheet, takeOver, type Difference } from '@/core/exchange/compare';
import { guessColumns, readRows, type ColumnMap } from '@/core/exchange/requirement-sheet';
import { linkPairsEdit } from '@/core/trace/links';
import { columnName, type Remark, type Sheet, type Workbook } from '@/core/formats/table';
import { endExchange, readTable } from '@/store/exchange';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { VirtualRows } from '@/ui/virtual-rows';

interface Opened {
  readonly file: string;
  readonly book: Workbook;
  readonly remarks: readonly Remark[];
}

type Step =
  | { readonly at: 'choose' }
  | { readonly at: 'reading'; readonly file: string; readonly share: number }
  | { readonly at: 'columns' | 'compare'; readonly opened: Opened };

const mostBytes = 100_000_000;

/** Brings a requirement sheet in: which columns mean what, what is wrong with which row, and what differs from the project. */
export function ImportSheet() {
  const project = useProject((s) => s.project);
  const [step, setStep] = useState<Step>({ at: 'choose' });
  const [refused, setRefused] = useState<readonly string[]>([]);
  const [sheetIndex, setSheetIndex] = useState(0);
  const [map, setMap] = useState<ColumnMap>();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const { go } = usePlace.getState();
  const token = useRef(0);
  if (!project) return null;

  const read = async (file: File): Promise<void> => {
    setRefused([]);
    if (file.size > mostBytes) return setRefused([`${file.name} is larger than 100 MB`]);
    const mine = ++token.current;
    setStep({ at: 'reading', file: file.name, share: 35 });
    const { value, remarks } = await readTable(file);
    if (mine !== token.current) return;
    if (!value || value.sheets.length === 0) {
      setRefused(
        remarks.length > 0
          ? remarks.map((r) => (r.row > 0 ? `Line ${r.row}: ${r.message}` : r.message))
          : ['There is nothing in this file'],
      );
      return setStep({ at: 'choose' });
    }
    const fullest = value.sheets.reduce((best, s, k) => (s.rows.length > value.sheets[best].rows.length ? k : best), 0);
    setSheetIndex(fullest);
    setMap(guessColumns(value.sheets[fullest]));
    setStep({ at: 'columns', opened: { file: file.name, book: value, remarks } });
  };
  const drop = (e: DragEvent): void => {
    e.preventDefault();
    setOver(false);
    const [file] = e.dataTransfer.files;
    if (file) void read(file);
  };
  return (
    <>
      <div className="pane-head">
        <Button variant="bare" label="Back to the requirements" onClick={() => go({ area: 'needs', sheet: '' })}>
          <ArrowLeft size={14} aria-hidden />
        </Button>
        <h2>Import requirements{step.at === 'columns' || step.at === 'compare' ? ` from ${step.opened.file}` : ''}</h2>
        <ol className="steps" aria-label="Steps">
          {(['choose', 'columns', 'compare'] as const).map((s, k) => (
            <li key={s} aria-current={step.at === s || (s === 'choose' && step.at === 'reading') ? 'step' : undefined}>
              {k + 1} {['File', 'Columns', 'Compare'][k]}
            </li>
          ))}
        </ol>
      </div>
      {step.at === 'choose' && (
        <div
          className={`pane-body import-drop${over ? ' drop-over' : ''}`}
          onDragOver={(e) => {
            e.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={drop}
        >
          <div className="empty">
            <h3>A requirement sheet from elsewhere</h3>
            <p>
              CSV in any common encoding, an XLSX workbook, or ReqIF. Nothing in the project changes before you have
              seen what would. Drop the file here, or choose it.
            </p>
            <Button variant="primary" onClick={() => input.current?.click()}>
              <FileUp size={14} aria-hidden /> Choose a file
            </Button>
            {refused.map((text) => (
              <p key={text} className="field-problem mt-3" role="alert">
                {text}
              </p>
            ))}
          </div>
          <input
            ref={input}
            type="file"
            hidden
            accept=".csv,.tsv,.txt,.xlsx,.reqif,.xml"
            aria-label="Requirement sheet to import"
            data-testid="import-file"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void read(file);
              e.target.value = '';
            }}
          />
        </div>
      )}
      {step.at === 'reading' && (
        <div className="pane-body p-4" role="status">
          <p>Reading {step.file} …</p>
          <Progress now={step.share} label={`Reading ${step.file}`} />
          <Button
            className="mt-3"
            onClick={() => {
              token.current++;
              endExchange();
              setStep({ at: 'choose' });
            }}
          >
            Stop reading
          </Button>
        </div>
      )}
      {step.at === 'columns' && map && (
        <ColumnStep
          opened={step.opened}
          sheetIndex={sheetIndex}
          map={map}
          setMap={setMap}
          next={() => setStep({ at: 'compare', opened: step.opened })}
          chooseSheet={(k) => {
            setSheetIndex(k);
            setMap(guessColumns(step.opened.book.sheets[k]));
          }}
        />
      )}
      {step.at === 'compare' && map && (
        <CompareStep
          opened={step.opened}
          sheet={step.opened.book.sheets[sheetIndex]}
          map={map}
          back={() => setStep({ at: 'columns', opened: step.opened })}
        />
      )}
    </>
  );
}

function ColumnStep({
  opened,
  sheetIndex,
  chooseSheet,
  map,
  setMap,
  next,
}: {
  readonly opened: Opened;
  readonly sheetIndex: number;
  readonly chooseSheet: (k: number) => void;
  readonly map: ColumnMap;
  readonly setMap: (m: ColumnMap) => void;
  readonly next: () => void;
}) {
  const sheet = opened.book.sheets[sheetIndex];
  const width = useMemo(() => sheet.rows.slice(0, 2000).reduce((w, r) => Math.max(w, r.length), 0), [sheet]);
  const columns = Array.from({ length: width }, (_, k) => k);
  const read = useMemo(() => readRows(sheet, map, opened.file), [sheet, map, opened.file]);
  const problems = useMemo(
    () => [
      ...opened.remarks
        .filter((r) => r.sheet === '' || r.sheet === sheet.name)
        .map((r) => ({
          severity: r.severity,
          row: r.row,
          cell: r.column > 0 ? `${columnName(r.column)}${r.row}` : '',
          message: r.message,
        })),
      ...read.problems,
    ],
    [opened.remarks, sheet.name, read],
  );
  const roleOf = (k: number): string =>
    map.id === k
      ? 'id'
      : map.text === k
        ? 'text'
        : map.parent === k
          ? 'parent'
          : map.kind === k
            ? 'kind'
            : map.attributes.includes(k)
              ? 'attribute'
              : k === sheet.foreign
                ? 'foreign'
                : 'none';
  const setRole = (k: number, role: string): void => {
    const cleared = {
      ...map,
      id: map.id === k ? -1 : map.id,
      text: map.text === k ? -1 : map.text,
      parent: map.parent === k ? -1 : map.parent,
      kind: map.kind === k ? -1 : map.kind,
      attributes: map.attributes.filter((a) => a !== k),
    };
    setMap(
      role === 'attribute'
        ? { ...cleared, attributes: [...cleared.attributes, k].sort((a, b) => a - b) }
        : role === 'none'
          ? cleared
          : { ...cleared, [role]: k },
    );
  };
  const problemRows = useMemo(
    () => new Set(problems.filter((p) => p.severity !== 'info').map((p) => p.row)),
    [problems],
  );
  return (
    <>
      <div className="sub-bar">
        {opened.book.sheets.length > 1 && (
          <label>
            Sheet{' '}
            <select
              className="form-select form-select-sm d-inline-block w-auto"
              value={sheetIndex}
              onChange={(e) => chooseSheet(Number(e.target.value))}
              aria-label="Sheet of the file"
            >
              {opened.book.sheets.map((s, k) => (
                <option key={s.name} value={k}>
                  {s.name} ({s.rows.length} rows)
                </option>
              ))}
            </select>
          </label>
        )}
        <label>
          Names of columns in row{' '}
          <input
            className="form-control form-control-sm d-inline-block"
            style={{ width: 64 }}
            type="number"
            min={0}
            max={sheet.rows.length}
            value={map.head + 1}
            aria-label="Row with the names of the columns; 0 where there is none"
            onChange={(e) =>
              setMap({ ...map, head: Math.max(-1, Math.min(sheet.rows.length - 1, Number(e.target.value) - 1)) })
            }
          />
        </label>
        <span className="spacer" />
        <span data-testid="import-count">
          {read.rows.length} requirement{read.rows.length === 1 ? '' : 's'}, {problems.length} remark
          {problems.length === 1 ? '' : 's'}
        </span>
        <Button variant="primary" onClick={next} disabled={read.rows.length === 0 || map.text < 0}>
          Compare with the project
        </Button>
      </div>
      <div className="import-columns">
        <div className="import-preview" data-testid="import-preview">
          <table className="table">
            <thead>
              <tr>
                <th className="quiet" />
                {columns.map((k) => (
                  <th key={k}>
                    <select
                      className="form-select form-select-sm"
                      aria-label={`Meaning of column ${columnName(k + 1)}`}
                      value={roleOf(k)}
                      disabled={k === sheet.foreign}
                      onChange={(e) => setRole(k, e.target.value)}
                    >
                      {k === sheet.foreign && <option value="foreign">identifier</option>}
                      {[
                        ['id', 'id'],
                        ['text', 'text'],
                        ['parent', 'parent'],
                        ['kind', 'kind'],
                        ['attribute', 'keep'],
                        ['none', 'leave out'],
                      ].map(([value, text]) => (
                        <option key={value} value={value}>
                          {text}
                        </option>
                      ))}
                    </select>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {sheet.rows.slice(0, 120).map((row, k) => (
                <tr key={k} className={k === map.head ? 'names-row' : k < map.head ? 'quiet' : undefined}>
                  <td className="quiet mono text-end">
                    {problemRows.has(k + sheet.firstRow) && (
                      <span className="now-ink" title="See the remarks">
                        !{' '}
                      </span>
                    )}
                    {k + Math.max(1, sheet.firstRow)}
                  </td>
                  {columns.map((c) => (
                    <td key={c} className={roleOf(c) === 'none' ? 'quiet' : undefined}>
                      <div className="clamp">{row[c] ?? ''}</div>
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
          {sheet.rows.length > 120 && <p className="px-3 quiet">and {sheet.rows.length - 120} more rows</p>}
        </div>
        <aside className="outline" aria-label="Remarks">
          <h3 className="section-title">Remarks</h3>
          {problems.length === 0 ? (
            <p className="px-3 quiet">Every row can be imported as it stands.</p>
          ) : (
            <VirtualRows items={problems} estimate={40} className="remarks" testId="import-remarks">
              {(p) => (
                <div className={`remark ${p.severity}`}>
                  <span className="mono">{p.cell || (p.row > 0 ? `row ${p.row}` : 'file')}</span>
                  <span>{p.message}</span>
                </div>
              )}
            </VirtualRows>
          )}
        </aside>
      </div>
    </>
  );
}

const kindWords: Readonly<Record<Difference['kind'], string>> = {
  added: 'added',
  changed: 'changed',
  moved: 'moved',
  removed: 'removed',
};

function CompareStep({
  opened,
  sheet,
  map,
  back,
}: {
  readonly opened: Opened;
  readonly sheet: Sheet;
  readonly map: ColumnMap;
  readonly back: () => void;
}) {
  const project = useProject((s) => s.project)!;
  const { go, say } = usePlace.getState();
  const comparison = useMemo(
    () => compareSheet(project, readRows(sheet, map, opened.file).rows, opened.file),
    [project, sheet, map, opened.file],
  );
  const { differences } = comparison;
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [only, setOnly] = useState<Difference['kind'] | 'all'>('all');
  const shown = useMemo(() => differences.filter((d) => only === 'all' || d.kind === only), [differences, only]);
  const chosen = differences.filter((d) => !left.has(d.id));
  const count = (kind: Difference['kind']): number => differences.filter((d) => d.kind === kind).length;
  const toggle = (id: string): void =>
    setLeft((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  const take = (some: readonly Difference[]): boolean => {
    const refused = useProject.getState().edit(
      takeOver(project, comparison, new Set(some.map((d) => d.id)), () => `r-${nanoid(10)}`),
      `Import ${some.length} differences from ${opened.file}`,
    );
    if (refused) say(refused.message);
    else linkRelations(opened.book);
    return !refused;
  };
  const touched = new Set(
    chosen.flatMap((d) => (d.kind === 'changed' && d.fields.some((f) => f.field === 'text') ? [d.requirement.id] : [])),
  );
  const suspects = project.traces.filter((t) => touched.has(t.requirement)).length;
  return (
    <>
      <div className="sub-bar">
        <Button variant="bare" onClick={back}>
          <ArrowLeft size={14} aria-hidden /> Columns
        </Button>
        {(['all', 'added', 'changed', 'moved', 'removed'] as const).map((kind) => (
          <Button
            key={kind}
            size="sm"
            variant={only === kind ? 'primary' : 'plain'}
            onClick={() => setOnly(kind)}
            data-testid={`only-${kind}`}
          >
            {kind === 'all' ? `${differences.length} differences` : `${count(kind)} ${kindWords[kind]}`}
          </Button>
        ))}
        <span className="quiet">{comparison.same} the same</span>
        <span className="spacer" />
        {suspects > 0 && (
          <span className="now-ink">
            {suspects} trace link{suspects === 1 ? '' : 's'} will have to be looked at
          </span>
        )}
        <Button
          variant="primary"
          disabled={chosen.length === 0}
          onClick={() => take(chosen) && go({ area: 'needs', sheet: '' })}
          data-testid="take-over"
        >
          Take over {chosen.length === differences.length ? 'all' : chosen.length}
        </Button>
      </div>
      {differences.length === 0 ? (
        <div className="empty">
          <h3>Nothing differs</h3>
          <p>The project has every row of {opened.file} just as it stands there.</p>
          <Button onClick={() => go({ area: 'needs', sheet: '' })}>Back to the requirements</Button>
        </div>
      ) : (
        <VirtualRows items={shown} estimate={62} className="pane-body differences" testId="differences">
          {(d) => (
            <div className={`difference ${d.kind}`} data-difference={d.kind}>
              <input
                type="checkbox"
                aria-label={`Take over: ${d.kind} ${d.kind === 'removed' ? d.requirement.key : d.row.key}`}
                checked={!left.has(d.id)}
                onChange={() => toggle(d.id)}
              />
              <span className="kind">{kindWords[d.kind]}</span>
              <strong>{d.kind === 'removed' ? d.requirement.key : d.row.key}</strong>
              <div>
                <DifferenceText d={d} />
              </div>
              <Button size="sm" onClick={() => take([d])}>
                Take over this
              </Button>
            </div>
          )}
        </VirtualRows>
      )}
    </>
  );
}

function DifferenceText({ d }: { readonly d: Difference }) {
  switch (d.kind) {
    case 'added':
      return (
        <>
          {d.row.text || <span className="quiet">no text</span>}
          {d.returns && (
            <span className="now-ink d-block">
              This id was deleted here before: it comes back as the same requirement
            </span>
          )}
        </>
      );
    case 'removed':
      return (
        <>
          <del>{d.requirement.text}</del>
          <span className="quiet d-block">not in the file any more; its links would go with it</span>
        </>
      );
    case 'moved':
      return (
        <>
          from {d.from} to {d.to}
        </>
      );
    case 'changed':
      return (
        <>
          {d.fields.map((f) => (
            <div key={f.field}>
              <span className="quiet">{f.field}: </span>
              {f.before ? <del>{f.before}</del> : <span className="quiet">empty</span>} <span aria-hidden>→</span>{' '}
              <ins>{f.after || 'empty'}</ins>
            </div>
          ))}
        </>
      );
  }
}

/** Relations between objects of the file become trace links between their requirements. */
function linkRelations(book: Workbook): void {
  const { project } = useProject.getState();
  if (!project || book.relations.length === 0) return;
  const byForeign = new Map(
    project.requirements.flatMap((r) => (r.source?.foreign ? [[r.source.foreign, r.id] as const] : [])),
  );
  const pairs = book.relations.flatMap(({ from, to }) => {
    const [a, b] = [byForeign.get(from), byForeign.get(to)];
    return a && b ? [[a, `requirement/${b}`] as const] : [];
  });
  const edit = linkPairsEdit(project, pairs, () => `v-${nanoid(10)}`);
  if (edit) useProject.getState().edit(edit, `Take over ${pairs.length} relations`);
}
