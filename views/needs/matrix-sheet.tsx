'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { FileDown } from 'lucide-react';
import { useDeferredValue, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { writeCsvSheet } from '@/core/formats/sheet-csv';
import type { Project } from '@/core/project/project';
import { elementKinds, type ElementKind } from '@/core/trace/elements';
import { matrixRows, traceMatrix, type MatrixFilter } from '@/core/trace/matrix';
import { goTo } from '@/store/locate';
import { link, unlink } from '@/store/trace';
import { Button } from '@/ui/button';
import { download, fileName } from '@/ui/download';
import { exportSheet } from './exports';

const rowHeight = 26, columnWidth = 30, headHeight = 150, keyWidth = 250;
const kindsShown: readonly ElementKind[] = elementKinds.filter((k) => k !== 'requirement' && k !== 'phrase');

/** Requirements by elements: a click on a cell makes or removes a link; what is linked to nothing is marked. */
export function MatrixSheet({ project }: { readonly project: Project }) {
  const [requirements, setRequirements] = useState('');
  const [elements, setElements] = useState('');
  const [kinds, setKinds] = useState<readonly ElementKind[]>(kindsShown);
  const [show, setShow] = useState<MatrixFilter['show']>('linked');
  const [spot, setSpot] = useState<readonly [row: number, column: number]>([0, 0]);
  const box = useRef<HTMLDivElement>(null);
  const [rw, ew] = [useDeferredValue(requirements), useDeferredValue(elements)];
  const matrix = useMemo(() => traceMatrix(project, { requirements: rw, elements: ew, kinds, show }), [project, rw, ew, kinds, show]);
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({ count: matrix.rows.length, getScrollElement: () => box.current, estimateSize: () => rowHeight, overscan: 6, paddingStart: headHeight });
  const columns = useVirtualizer({ horizontal: true, count: matrix.columns.length, getScrollElement: () => box.current, estimateSize: () => columnWidth, overscan: 6, paddingStart: keyWidth });
  const toggle = (row: number, column: number): void => {
    const [r, e] = [matrix.rows[row], matrix.columns[column]];
    if (!r || !e) return;
    const there = matrix.cell(row, column);
    if (there) unlink([there], `Remove the link of ${r.key} to ${e.label}`);
    else link([r.id], [e.address], `Link ${r.key} to ${e.label}`);
  };
  const keys = (e: KeyboardEvent): void => {
    const step: Readonly<Record<string, readonly [number, number]>> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    const by = step[e.key];
    if (by) {
      e.preventDefault();
      const next = [Math.max(0, Math.min(matrix.rows.length - 1, spot[0] + by[0])), Math.max(0, Math.min(matrix.columns.length - 1, spot[1] + by[1]))] as const;
      setSpot(next);
      rows.scrollToIndex(next[0]);
      columns.scrollToIndex(next[1]);
    } else if (e.key === 'Enter' || e.key === ' ') {
      e.preventDefault();
      e.stopPropagation();
      toggle(...spot);
    }
  };
  const name = `${fileName(project.name)}-matrix`;
  const total = { width: columns.getTotalSize(), height: rows.getTotalSize() };
  const chosen = matrix.rows[spot[0]] && matrix.columns[spot[1]] ? `${matrix.rows[spot[0]].key} – ${matrix.columns[spot[1]].label}` : '';
  return (
    <>
      <div className="pane-head">
        <h2>Trace matrix</h2>
        <input className="form-control form-control-sm" style={{ width: 150 }} placeholder="Requirements" aria-label="Filter requirements" value={requirements} onChange={(e) => setRequirements(e.target.value)} />
        <input className="form-control form-control-sm" style={{ width: 150 }} placeholder="Elements" aria-label="Filter elements" value={elements} onChange={(e) => setElements(e.target.value)} />
        <select className="form-select form-select-sm w-auto" aria-label="Show" value={show} onChange={(e) => setShow(e.target.value as MatrixFilter['show'])}>
          <option value="linked">linked elements</option>
          <option value="all">all elements</option>
          <option value="gaps">requirements without a link</option>
        </select>
        <Dropdown align="end" autoClose="outside">
          <Dropdown.Toggle as={Button} id="matrix-kinds">
            {kinds.length === kindsShown.length ? 'all kinds' : `${kinds.length} kind${kinds.length === 1 ? '' : 's'}`}
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {kindsShown.map((k) => (
              <label key={k} className="dropdown-item">
                <input type="checkbox" checked={kinds.includes(k)} onChange={() => setKinds(kinds.includes(k) ? kinds.filter((x) => x !== k) : kindsShown.filter((x) => x === k || kinds.includes(x)))} /> {k}
              </label>
            ))}
            <Dropdown.Divider />
            <Dropdown.Item onClick={() => setKinds(kindsShown)}>all</Dropdown.Item>
            <Dropdown.Item onClick={() => setKinds([])}>none</Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
        <Dropdown align="end">
          <Dropdown.Toggle as={Button} id="export-matrix">
            <FileDown size={14} aria-hidden /> Export
          </Dropdown.Toggle>
          <Dropdown.Menu>
            <Dropdown.Item onClick={() => download(`${name}.csv`, 'text/csv;charset=utf-8', `\ufeff${writeCsvSheet(matrixRows(matrix))}`)}>as CSV</Dropdown.Item>
            <Dropdown.Item onClick={() => void exportSheet(name, { name: 'Matrix', rows: matrixRows(matrix), widths: [14, 60] })}>as XLSX workbook</Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
      </div>
      <div className="sub-bar quiet" aria-live="polite">
        {matrix.rows.length} requirements by {matrix.columns.length} elements. <span>{chosen}</span>
      </div>
      {matrix.rows.length === 0 || matrix.columns.length === 0 ? (
        <div className="empty">
          <h3>{project.traces.length === 0 ? 'Nothing is linked yet' : 'Nothing matches'}</h3>
          <p>{project.traces.length === 0 ? 'Show all elements here and click a cell to say that an element serves a requirement; or drag one onto the other on any sheet.' : 'Take another filter.'}</p>
          {show === 'linked' && <Button onClick={() => setShow('all')}>Show all elements</Button>}
        </div>
      ) : (
        <div ref={box} className="matrix-scroll" tabIndex={0} role="grid" aria-label="Trace matrix" aria-rowcount={matrix.rows.length} aria-colcount={matrix.columns.length} onKeyDown={keys} data-testid="matrix">
          <div style={{ width: total.width + 40, height: total.height, position: 'relative' }}>
            <div className="matrix-head" style={{ height: headHeight, width: total.width + 40 }}>
              <div className="matrix-corner" style={{ width: keyWidth }} />
              {columns.getVirtualItems().map((c) => {
                const e = matrix.columns[c.index];
                return (
                  <button key={c.key} type="button" className={`matrix-column${matrix.isColumnEmpty(c.index) ? ' gap' : ''}${spot[1] === c.index ? ' here' : ''}`} style={{ left: c.start, width: columnWidth }} title={`${e.kind}: ${e.label}`} onClick={() => goTo(e.address)} tabIndex={-1}>
                    <span>{e.label}</span>
                  </button>
                );
              })}
            </div>
            {rows.getVirtualItems().map((v) => {
              const r = matrix.rows[v.index];
              return (
                <div key={v.key} className={`matrix-row${spot[0] === v.index ? ' here' : ''}`} role="row" style={{ top: v.start, height: rowHeight, width: total.width + 40 }}>
                  <button type="button" className={`matrix-key${matrix.isRowEmpty(v.index) ? ' gap' : ''}`} style={{ width: keyWidth }} title={r.text} onClick={() => goTo(`requirement/${r.id}`)} tabIndex={-1}>
                    <strong>{r.key}</strong> <span className="quiet">{matrix.isRowEmpty(v.index) ? 'no link: ' : ''}{r.text}</span>
                  </button>
                  {columns.getVirtualItems().map((c) => {
                    const there = matrix.cell(v.index, c.index);
                    return (
                      <div
                        key={c.key} role="gridcell" className={`matrix-cell ${there?.state ?? ''}${spot[0] === v.index && spot[1] === c.index ? ' spot' : ''}`} style={{ left: c.start, width: columnWidth, height: rowHeight }} title={`${r.key} – ${matrix.columns[c.index].label}${there?.why ? `: ${there.why}` : ''}`}
                        data-cell={`${r.key}|${matrix.columns[c.index].label}`} onClick={() => { setSpot([v.index, c.index]); toggle(v.index, c.index); }}
                      >
                        {there ? (there.state === 'suspect' ? '?' : '×') : ''}
                      </div>
                    );
                  })}
                </div>
              );
            })}
          </div>
        </div>
      )}
    </>
  );
}

