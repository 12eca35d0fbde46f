'use client';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useMemo, useState } from 'react';
import Modal from 'react-bootstrap/Modal';
import { create } from 'zustand';
import { applyEdit, type Edit } from '@/core/editing/edits';
import { elementIndex } from '@/core/trace/elements';
import { impactOf, type ImpactNode } from '@/core/trace/impact';
import { goTo, selectedAddress } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from './button';

interface ImpactState {
  readonly address: string;
  /** Carries the deletion out for which the impact is shown. */
  readonly remove: (() => void) | undefined;
  show(address: string, remove?: () => void): void;
  close(): void;
}

export const useImpact = create<ImpactState>((set) => ({
  address: '',
  remove: undefined,
  show: (address, remove) => set({ address, remove }),
  close: () => set({ address: '', remove: undefined }),
}));

/** The impact of what is selected on the sheet. */
export function showImpact(): void {
  const { project } = useProject.getState();
  const address = project && selectedAddress(project);
  if (address) useImpact.getState().show(address);
  else usePlace.getState().say('Choose something first: its impact is what rests on it', 'note');
}

/**
 * Deletes what has this address: at once where nothing rests on it, after showing what does otherwise. What texts still
 * mention cannot be deleted, which is said before anything is shown.
 */
export function deleteWithImpact(address: string, removal: Edit, label: string, done?: () => void): void {
  const { project, edit } = useProject.getState();
  if (!project) return;
  const { say } = usePlace.getState();
  const refused = applyEdit(project, removal).refused;
  if (refused) return say(refused.message);
  const remove = (): void => {
    const why = edit(removal, label);
    if (why) say(why.message);
    else done?.();
  };
  const touched = impactOf(project, address, 1).downstream.filter((n) => n.how !== 'part of');
  if (touched.length === 0) remove();
  else useImpact.getState().show(address, remove);
}

/** Everything up and downstream of an element, as two trees; each line is a jump. */
export function ImpactDialog() {
  const { address, remove, close } = useImpact();
  const project = useProject((s) => s.project);
  const impact = useMemo(() => (project && address ? impactOf(project, address) : undefined), [project, address]);
  const element = project && address ? elementIndex(project).byAddress.get(address) : undefined;
  if (!impact || !element) return null;
  return (
    <Modal show onHide={close} size="lg" animation={false} aria-label="Impact" scrollable>
      <Modal.Header closeButton>
        <Modal.Title style={{ fontSize: 16 }}>
          {remove ? `Delete ${element.label}?` : `What ${element.label} touches`}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body data-testid="impact">
        {remove && (
          <p>
            {impact.count === 1 ? 'One thing is' : `${impact.count} things are`} tied to this {element.kind}. Deleting
            it can be undone.
          </p>
        )}
        <div className="impact-columns">
          <Tree title="What rests on it" nodes={impact.downstream} />
          <Tree title="What it rests on" nodes={impact.upstream} />
        </div>
      </Modal.Body>
      {remove && (
        <Modal.Footer>
          <Button onClick={close}>Keep it</Button>
          <Button
            variant="primary"
            data-testid="delete-anyway"
            onClick={() => {
              close();
              remove();
            }}
          >
            Delete it
          </Button>
        </Modal.Footer>
      )}
    </Modal>
  );
}

function Tree({ title, nodes }: { readonly title: string; readonly nodes: readonly ImpactNode[] }) {
  return (
    <section>
      <h3 className="section-title px-0">{title}</h3>
      {nodes.length === 0 ? <p className="quiet">Nothing.</p> : <Branch nodes={nodes} depth={0} />}
    </section>
  );
}

const shown = 60;

function Branch({ nodes, depth }: { readonly nodes: readonly ImpactNode[]; readonly depth: number }) {
  const [all, setAll] = useState(false);
  return (
    <ul className="impact-tree">
      {(all ? nodes : nodes.slice(0, shown)).map((n) => (
        <Leaf key={n.element.address} node={n} depth={depth} />
      ))}
      {!all && nodes.length > shown && (
        <li>
          <Button size="sm" onClick={() => setAll(true)}>
            {nodes.length - shown} more
          </Button>
        </li>
      )}
    </ul>
  );
}

function Leaf({ node, depth }: { readonly node: ImpactNode; readonly depth: number }) {
  const [open, setOpen] = useState(depth < 1);
  return (
    <li>
      <div className="d-flex align-items-baseline gap-1">
        <button
          type="button"
          className="btn btn-bare p-0"
          style={{ width: 16, visibility: node.children.length ? 'visible' : 'hidden' }}
          aria-label={open ? `Fold ${node.element.label}` : `Unfold ${node.element.label}`}
          onClick={() => setOpen(!open)}
        >
          {open ? <ChevronDown size={13} aria-hidden /> : <ChevronRight size={13} aria-hidden />}
        </button>
        <span className="quiet text-nowrap">{node.how}</span>
        <button
          type="button"
          className="btn btn-link p-0 text-start"
          style={{ fontSize: 'inherit', whiteSpace: 'normal' }}
          onClick={() => {
            useImpact.getState().close();
            goTo(node.element.address);
          }}
        >
          {node.element.label}
        </button>
        <span className="quiet text-nowrap" style={{ fontSize: '0.88em' }}>
          {node.element.kind}
        </span>
      </div>
      {open && node.children.length > 0 && <Branch nodes={node.children} depth={depth + 1} />}
    </li>
  );
}
