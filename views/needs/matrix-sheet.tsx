'use client';
import { FileDown } from 'lucide-react';
import { useCallback, useDeferredValue, useMemo, useState } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { writeCsvSheet } from '@/core/formats/sheet-csv';
import type { Project } from '@/core/project/project';
import { elementKinds, type ElementKind } from '@/core/trace/elements';
import { matrixRows, traceMatrix, type MatrixFilter } from '@/core/trace/matrix';
import { link, unlink } from '@/store/trace';
import { Button } from '@/ui/button';
import { download, fileName } from '@/ui/download';
import { exportSheet } from './exports';
import { MatrixGrid } from './matrix-grid';

const kindsShown: readonly ElementKind[] = elementKinds.filter((k) => k !== 'requirement' && k !== 'phrase');

/** Requirements by elements: a click on a cell makes or removes a link; what is linked to nothing is marked. */
export function MatrixSheet({ project }: { readonly project: Project }) {
  const [requirements, setRequirements] = useState('');
  const [elements, setElements] = useState('');
  const [kinds, setKinds] = useState<readonly ElementKind[]>(kindsShown);
  const [show, setShow] = useState<MatrixFilter['show']>('linked');
  const [spot, setSpot] = useState<readonly [row: number, column: number]>([0, 0]);
  const [rw, ew] = [useDeferredValue(requirements), useDeferredValue(elements)];
  const matrix = useMemo(
    () => traceMatrix(project, { requirements: rw, elements: ew, kinds, show }),
    [project, rw, ew, kinds, show],
  );
  const toggle = useCallback(
    (row: number, column: number): void => {
      const [r, e] = [matrix.rows[row], matrix.columns[column]];
      if (!r || !e) return;
      const there = matrix.cell(row, column);
      if (there) unlink([there], `Remove the link of ${r.key} to ${e.label}`);
      else link([r.id], [e.address], `Link ${r.key} to ${e.label}`);
    },
    [matrix],
  );
  const name = `${fileName(project.name)}-matrix`;
  const chosen =
    matrix.rows[spot[0]] && matrix.columns[spot[1]]
      ? `${matrix.rows[spot[0]].key} – ${matrix.columns[spot[1]].label}`
      : '';
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: '1 0 auto' }}>Trace matrix</h2>
        <input
          className="form-control form-control-sm"
          style={{ flex: '0 1 150px', minWidth: 90 }}
          placeholder="Requirements"
          aria-label="Filter requirements"
          value={requirements}
          onChange={(e) => setRequirements(e.target.value)}
        />
        <input
          className="form-control form-control-sm"
          style={{ flex: '0 1 150px', minWidth: 90 }}
          placeholder="Elements"
          aria-label="Filter elements"
          value={elements}
          onChange={(e) => setElements(e.target.value)}
        />
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Show"
          value={show}
          onChange={(e) => setShow(e.target.value as MatrixFilter['show'])}
        >
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
                <input
                  type="checkbox"
                  checked={kinds.includes(k)}
                  onChange={() =>
                    setKinds(
                      kinds.includes(k)
                        ? kinds.filter((x) => x !== k)
                        : kindsShown.filter((x) => x === k || kinds.includes(x)),
                    )
                  }
                />{' '}
                {k}
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
            <Dropdown.Item
              onClick={() =>
                download(`${name}.csv`, 'text/csv;charset=utf-8', `\ufeff${writeCsvSheet(matrixRows(matrix))}`)
              }
            >
              as CSV
            </Dropdown.Item>
            <Dropdown.Item
              onClick={() => void exportSheet(name, { name: 'Matrix', rows: matrixRows(matrix), widths: [14, 60] })}
            >
              as XLSX workbook
            </Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
      </div>
      <div className="sub-bar quiet" aria-live="polite">
        {matrix.rows.length} requirements by {matrix.columns.length} elements. <span>{chosen}</span>
      </div>
      {matrix.rows.length === 0 || matrix.columns.length === 0 ? (
        <div className="empty">
          <h3>{project.traces.length === 0 ? 'Nothing is linked yet' : 'Nothing matches'}</h3>
          <p>
            {project.traces.length === 0
              ? 'Show all elements here and click a cell to say that an element serves a requirement; or drag one onto the other on any sheet.'
              : 'Take another filter.'}
          </p>
          {show === 'linked' && <Button onClick={() => setShow('all')}>Show all elements</Button>}
        </div>
      ) : (
        <MatrixGrid matrix={matrix} spot={spot} setSpot={setSpot} toggle={toggle} />
      )}
    </>
  );
}
