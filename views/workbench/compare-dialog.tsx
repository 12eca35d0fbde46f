'use client';
import { useEffect, useMemo, useState } from 'react';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { create } from 'zustand';
import { differences, type Difference } from '@/core/project/differences';
import type { Project } from '@/core/project/project';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { listProjects, loadProject, type ProjectEntry } from '@/store/storage';
import { Button } from '@/ui/button';
import { openFromList } from './files';

const useCompare = create<{ readonly open: boolean }>(() => ({ open: false }));

/** Opens the comparison of the project at hand with another kept one. */
export const compareWithKept = (): void => useCompare.setState({ open: true });

const most = 400;
const words: Readonly<Record<Difference['kind'], string>> = {
  'only here': 'only here',
  'only there': 'only in the other',
  changed: 'changed',
  order: 'another order',
};

/** What the project at hand and another kept one do not have in common, element by element. */
export function CompareDialog() {
  const open = useCompare((s) => s.open);
  const project = useProject((s) => s.project);
  return open && project ? <Comparison project={project} close={() => useCompare.setState({ open: false })} /> : null;
}

function Comparison({ project, close }: { readonly project: Project; readonly close: () => void }) {
  const [kept, setKept] = useState<readonly ProjectEntry[]>([]);
  const [chosen, setChosen] = useState('');
  const [other, setOther] = useState<Project>();
  const [why, setWhy] = useState('');
  useEffect(() => {
    listProjects()
      .then((all) => {
        const others = all.filter((p) => p.id !== project.id);
        setKept(others);
        // the version it came from is called by the beginning of its id
        const likely = others.find((p) => project.id.startsWith(`${p.id}-`) || p.id.startsWith(`${project.id}-`));
        setChosen((c) => c || (likely ?? others[0])?.id || '');
      })
      .catch(() => setWhy('The storage of the browser does not answer'));
  }, [project.id]);
  useEffect(() => {
    if (chosen === '') return;
    let gone = false;
    loadProject(chosen).then(
      (read) => {
        if (gone) return;
        setOther(read?.kind === 'opened' ? read.project : undefined);
        setWhy(read?.kind === 'refused' ? read.why : '');
      },
      () => setWhy('The storage of the browser does not answer'),
    );
    return () => void (gone = true);
  }, [chosen]);
  const found = useMemo(() => (other ? differences(project, other) : undefined), [project, other]);
  return (
    <Modal show onHide={close} size="xl" animation={false} aria-label="Compare projects" scrollable>
      <Modal.Header closeButton>
        <Modal.Title style={{ fontSize: 16 }}>{project.name} beside another version</Modal.Title>
      </Modal.Header>
      <Modal.Body data-testid="compare">
        {kept.length === 0 ? (
          <p className="quiet">{why || 'No other project is kept in this browser. A file can be imported first.'}</p>
        ) : (
          <Form.Select
            size="sm"
            className="mb-3"
            value={chosen}
            aria-label="The other version"
            onChange={(e) => setChosen(e.target.value)}
          >
            {kept.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name} · changed{' '}
                {new Date(p.changed).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium' })}
              </option>
            ))}
          </Form.Select>
        )}
        {kept.length > 0 && why !== '' && <p role="alert">{why}</p>}
        {found?.length === 0 && <p>Nothing: both say the same, element for element.</p>}
        {found && found.length > 0 && <Differences found={found} close={close} />}
      </Modal.Body>
      <Modal.Footer>
        {other && (
          <Button
            onClick={() => {
              close();
              void openFromList(other.id, other.name);
            }}
          >
            Go on with the other
          </Button>
        )}
        <Button variant="primary" onClick={close}>
          Go on with this one
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

function Differences({ found, close }: { readonly found: readonly Difference[]; readonly close: () => void }) {
  return (
    <table className="table compare">
      <thead>
        <tr>
          <th>What</th>
          <th>Here</th>
          <th>In the other</th>
        </tr>
      </thead>
      <tbody>
        {found.slice(0, most).flatMap((d) => {
          const name = (
            <>
              {d.kind === 'only there' || d.address === '' ? (
                d.what
              ) : (
                <button
                  type="button"
                  className="btn btn-link p-0 text-start"
                  onClick={() => {
                    close();
                    goTo(d.address);
                  }}
                >
                  {d.what}
                </button>
              )}
            </>
          );
          if (d.fields.length === 0)
            return [
              <tr key={`${d.kind} ${d.address} ${d.what}`}>
                <td>{name}</td>
                <td>{d.kind === 'only there' ? <span className="quiet">—</span> : words[d.kind]}</td>
                <td>{d.kind === 'only there' ? words[d.kind] : <span className="quiet">—</span>}</td>
              </tr>,
            ];
          return d.fields.map((f, k) => (
            <tr key={`${d.address} ${f.field}`}>
              <td>
                {k === 0 && name} <span className="quiet">{f.field}</span>
              </td>
              <td className="said">{f.here || <span className="quiet">nothing</span>}</td>
              <td className="said">{f.there || <span className="quiet">nothing</span>}</td>
            </tr>
          ));
        })}
      </tbody>
      {found.length > most && (
        <tfoot>
          <tr>
            <td colSpan={3} className="quiet">
              and {found.length - most} more
            </td>
          </tr>
        </tfoot>
      )}
    </table>
  );
}
