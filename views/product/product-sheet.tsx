'use client';
import { Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import Dropdown from 'react-bootstrap/Dropdown';
import { newQuantity, newType, type PartType, type Project } from '@/core/project/project';
import { isInside } from '@/core/editing/references';
import { useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { beginRow } from '@/ui/editing/rows';
import { deleteWithImpact } from '@/ui/impact';
import { InsideSheet } from '@/ui/inside/inside-sheet';
import { allNames, freeName } from '@/ui/names';
import { MotionSheet } from './motion/lazy';
import { QuantityTable } from './quantity-table';
import { ItemTable, LinkTable, PartTable, PortTable } from './structure-tables';

/** A part type: its quantities, parts, ports and links. */
export function ProductSheet() {
  const { type, path, project } = useHere();
  if (!project || !type) {
    return (
      <div className="empty">
        <h3>No part type yet</h3>
        <p>Everything that can run is a part type. The product is one, and it is made of parts.</p>
      </div>
    );
  }
  return <TypeSheet key={type.id} project={project} type={type} path={path} />;
}

const sheetChoices = [
  ['', 'Tables'],
  ['inside', 'Inside'],
  ['motion', 'Motion'],
] as const;

function TypeSheet({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const { say, go } = usePlace.getState();
  const sheet = usePlace((s) => s.sheet);
  const list = `type/${type.id}`;
  const addQuantity = (): void => {
    const entry = newQuantity(`q-${nanoid(8)}`, freeName(allNames(type), 'x'));
    if (sheet !== '') go({ sheet: '' });
    beginRow(`${list}/quantity`, entry, 'Add a quantity');
  };
  const addPart = (typeId: string): void => {
    const target = project.types.find((t) => t.id === typeId);
    const name = freeName(
      allNames(type),
      (target?.name ?? 'part').replace(/^./, (c) => c.toLowerCase()),
    );
    const refused = edit(
      {
        kind: 'insert',
        list: `${list}/part`,
        entry: { id: `p-${nanoid(8)}`, name, type: typeId, changes: [], note: '', place: null },
      },
      `Add a part of type ${target?.name}`,
    );
    if (refused) say(refused.message);
  };
  const addNewType = (): void => {
    const made = newType(
      `t-${nanoid(8)}`,
      freeName(
        project.types.map((t) => t.name),
        'NewType',
      ),
    );
    const refused = edit(
      {
        kind: 'batch',
        label: 'Add a part type',
        edits: [
          { kind: 'insert', list: 'type', entry: made },
          {
            kind: 'insert',
            list: `${list}/part`,
            entry: {
              id: `p-${nanoid(8)}`,
              name: freeName(allNames(type), 'part'),
              type: made.id,
              changes: [],
              note: '',
              place: null,
            },
          },
        ],
      },
      'Add a part type',
    );
    if (refused) say(refused.message);
  };
  const removeType = (): void =>
    deleteWithImpact(`type/${type.id}`, { kind: 'remove', list: 'type', id: type.id }, `Delete ${type.name}`, () =>
      go({ part: '', type: '' }),
    );
  const canContain = (candidate: PartType): boolean =>
    candidate.id !== type.id && !isInside(project, type.id, candidate);
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 'none', display: 'flex', alignItems: 'baseline', gap: 6 }}>
          <span className="quiet" style={{ fontWeight: 400 }}>
            part type
          </span>
          <span style={{ width: type.name.length * 8.6 + 16 }}>
            <CellField
              value={type.name}
              label="Name of the part type"
              onCommit={(name) => edit({ kind: 'rename', list: 'type', id: type.id, name }, `Rename ${type.name}`)}
            />
          </span>
        </h2>
        <div style={{ flex: 1, minWidth: 0 }} className="quiet">
          <CellField
            value={type.note}
            label="Note"
            placeholder="what it is"
            onCommit={(note) =>
              edit({ kind: 'update', list: 'type', id: type.id, changes: { note } }, `Change the note of ${type.name}`)
            }
          />
        </div>
        <div className="btn-group" role="group" aria-label="Shown as">
          {sheetChoices.map(([name, text]) => (
            <Button
              key={name}
              variant={sheet === name ? 'primary' : 'plain'}
              aria-pressed={sheet === name}
              onClick={() => go({ sheet: name, item: '' })}
              data-testid={`show-${name || 'tables'}`}
            >
              {text}
            </Button>
          ))}
        </div>
        <Button onClick={addQuantity} data-testid="add-quantity" data-adds={`${list}/quantity`}>
          <Plus size={14} aria-hidden /> Quantity
        </Button>
        <Dropdown align="end">
          <Dropdown.Toggle as={Button} id="add-part">
            <Plus size={14} aria-hidden /> Part
          </Dropdown.Toggle>
          <Dropdown.Menu style={{ maxHeight: 320, overflow: 'auto' }}>
            {project.types.filter(canContain).map((t) => (
              <Dropdown.Item key={t.id} onClick={() => addPart(t.id)}>
                of type <span className="type-tag">{t.name}</span>
              </Dropdown.Item>
            ))}
            <Dropdown.Divider />
            <Dropdown.Item onClick={addNewType}>of a new type</Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
        {type.id !== project.root && (
          <Button variant="bare" label={`Delete the part type ${type.name}`} onClick={removeType}>
            <Trash2 size={14} aria-hidden />
          </Button>
        )}
      </div>
      {sheet === 'inside' ? (
        <InsideSheet key={type.id} project={project} type={type} path={path} />
      ) : sheet === 'motion' ? (
        <MotionSheet key={type.id} project={project} type={type} path={path} />
      ) : (
        <div className="pane-body">
          {type.parts.length > 0 && <PartTable project={project} type={type} path={path} />}
          {(type.quantities.length > 0 || type.parts.length === 0) && (
            <QuantityTable type={type} path={path} add={addQuantity} />
          )}
          {(type.links.length > 0 || type.parts.length > 1) && <LinkTable project={project} type={type} />}
          <PortTable type={type} />
          {type.id === project.root && (project.items.length > 0 || type.links.length > 0) && (
            <ItemTable project={project} />
          )}
        </div>
      )}
    </>
  );
}
