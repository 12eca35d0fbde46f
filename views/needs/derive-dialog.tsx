'use client';
import { nanoid } from 'nanoid';
import { useState } from 'react';
import Modal from 'react-bootstrap/Modal';
import type { Flow, Project } from '@/core/project/project';
import { flowProposals, takeProposals } from '@/core/trace/requirements-of-flow';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';

/** Requirements proposed for the lines of a flow, to be polished before they are taken. */
export function DeriveDialog({
  project,
  flow,
  line,
  close,
}: {
  readonly project: Project;
  readonly flow: Flow;
  readonly line?: string;
  readonly close: () => void;
}) {
  const first = () => flowProposals(project, flow, line).map((p) => ({ ...p, taken: true }));
  const [rows, setRows] = useState(first);
  const chosen = rows.filter((r) => r.taken);
  const set = (k: number, change: Partial<(typeof rows)[number]>): void =>
    setRows(rows.map((r, j) => (j === k ? { ...r, ...change } : r)));
  const take = (): void => {
    const refused = useProject.getState().edit(
      takeProposals(project, flow, chosen, (prefix) => `${prefix}-${nanoid(10)}`),
      `Derive ${chosen.length} requirements`,
    );
    if (refused) return usePlace.getState().say(refused.message);
    usePlace
      .getState()
      .say(`${chosen.length} requirement${chosen.length === 1 ? '' : 's'} derived, each linked to its step`, 'note');
    close();
  };
  return (
    <Modal show onHide={close} size="lg" scrollable animation={false} aria-label="Derive requirements">
      <Modal.Header closeButton>
        <Modal.Title style={{ fontSize: 16 }}>Requirements for {flow.name}</Modal.Title>
      </Modal.Header>
      <Modal.Body data-testid="derive">
        {rows.length === 0 && <p className="quiet">There is nothing to propose for this line.</p>}
        {rows.map((r, k) => (
          <div key={r.line.id} className="derive-row">
            <input
              type="checkbox"
              checked={r.taken}
              aria-label={`Take the requirement for: ${r.line.text}`}
              onChange={() => set(k, { taken: !r.taken })}
            />
            <div>
              <div className="quiet">{r.line.text}</div>
              <textarea
                className="form-control form-control-sm"
                rows={2}
                value={r.text}
                aria-label={`Requirement for: ${r.line.text}`}
                onChange={(e) => set(k, { text: e.target.value })}
              />
            </div>
          </div>
        ))}
      </Modal.Body>
      <Modal.Footer>
        <Button onClick={close}>Leave it</Button>
        <Button variant="primary" disabled={chosen.length === 0} onClick={take} data-testid="take-derived">
          Take {chosen.length} requirement{chosen.length === 1 ? '' : 's'}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
