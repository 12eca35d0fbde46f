'use client';
import { Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import { itemOf } from '@/core/project/items';
import type { Link, PartType, Project, Quantity } from '@/core/project/project';
import { itemConflict, waysOf } from '@/core/run/check-links';
import { usersOf } from '@/core/editing/references';
import { fullName, problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { deleteWithImpact } from '@/ui/impact';
import { ItemField } from '@/ui/inside/item-field';
import { PartSettings, selectedPart } from '@/ui/inside/part-settings';
import { TraceLinks } from '@/ui/trace-links';
import { useMoment } from '@/ui/moment';
import { FieldRow } from '@/ui/field-row';

const types: readonly (readonly [Quantity['type'], string])[] = [
  ['Real', 'number'],
  ['Integer', 'whole number'],
  ['Boolean', 'yes or no'],
];

/** The selected quantity: its kind, who uses it, and deleting it. */
export function ProductDetails() {
  const { type, path, project } = useHere();
  const item = usePlace((s) => s.item);
  const { select } = usePlace.getState();
  const { edit } = useProject.getState();
  const moment = useMoment();
  const quantity = type?.quantities.find((q) => `quantity/${q.id}` === item);
  const problems = useProject((s) => s.problems);
  const users = useUsers(project, type, quantity);
  if (!type) return null;
  const part = selectedPart(type, item);
  if (part !== undefined) {
    const own = type.parts.find((p) => p.name === part);
    return (
      <>
        <PartSettings name={part} />
        {own && <TraceLinks address={`type/${type.id}/part/${own.id}`} what={part} />}
      </>
    );
  }
  const link = type.links.find((l) => `link/${l.id}` === item);
  if (link && project) return <LinkDetails project={project} type={type} link={link} />;
  const other = ['part', 'port'].map((k) => (item.startsWith(`${k}/`) ? `type/${type.id}/${item}` : '')).find(Boolean);
  if (!quantity) return <TypeDetails type={type} address={other ?? `type/${type.id}`} />;
  const list = `type/${type.id}/quantity`;
  const set = (changes: Partial<Quantity>, what: string) =>
    edit({ kind: 'update', list, id: quantity.id, changes }, `Change the ${what} of ${quantity.name}`);
  const address = `type/${type.id}/quantity/${quantity.id}`;
  const name = fullName(path, quantity.name);
  return (
    <>
      <div className="pane-head">
        <h2 className="mono">{name}</h2>
        <Button
          variant="bare"
          label={`Delete the quantity ${quantity.name}`}
          onClick={() =>
            deleteWithImpact(address, { kind: 'remove', list, id: quantity.id }, `Delete ${quantity.name}`, () =>
              select(''),
            )
          }
          data-testid="delete-quantity"
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>At cursor</label>
          <span className="mono">
            {moment.text(name) || '–'} {quantity.unit !== '1' && quantity.unit}
          </span>
        </div>
        <FieldRow label="Kind">
          <CellSelect
            value={quantity.type}
            label="Kind of quantity"
            options={types}
            onCommit={(kind) =>
              void set(
                {
                  type: kind as Quantity['type'],
                  value: kind === 'Boolean' ? 'false' : '0',
                  unit: kind === 'Boolean' ? '' : quantity.unit,
                  min: '',
                  max: '',
                  number: 'usual',
                },
                'kind',
              )
            }
          />
        </FieldRow>
        {problemsAt(problems, `type/${type.id}/quantity/${quantity.id}`).map((p) => (
          <div key={p.message} className="field-problem px-3">
            {p.message}
          </div>
        ))}
        <TraceLinks address={address} what={name} />
        <h3 className="section-title">Used by</h3>
        {users.length === 0 ? (
          <p className="px-3 quiet">Nothing uses it.</p>
        ) : (
          <ul className="list-unstyled px-3">
            {users.map((u) => (
              <li key={u}>{u}</li>
            ))}
          </ul>
        )}
      </div>
    </>
  );
}

/** A link: its ends, which way, and what it carries. */
function LinkDetails({
  project,
  type,
  link,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly link: Link;
}) {
  const problems = useProject((s) => s.problems);
  const address = `type/${type.id}/link/${link.id}`;
  const { forth, back } = waysOf(project, type, link);
  const item = itemOf(project, link);
  const misfit = itemConflict(project, type, link);
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">link </span>
          {item?.name ?? ''}
        </h2>
        <Button
          variant="bare"
          label="Delete the link"
          onClick={() =>
            deleteWithImpact(
              address,
              { kind: 'remove', list: `type/${type.id}/link`, id: link.id },
              'Delete a link',
              () => usePlace.getState().select(''),
            )
          }
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>{forth && back ? 'Between' : 'From'}</label>
          <span className="mono text-break">{forth ? link.from : link.to}</span>
        </div>
        <div className="field-row">
          <label>{forth && back ? 'and' : 'To'}</label>
          <span className="mono text-break">{forth ? link.to : link.from}</span>
        </div>
        <FieldRow label="Carries">
          <ItemField project={project} type={type} link={link} problem={misfit} />
        </FieldRow>
        {item && item.unit !== '' && (
          <div className="field-row">
            <label>measured in</label>
            <span className="mono">{item.unit}</span>
          </div>
        )}
        {problemsAt(problems, address)
          .filter((p) => p.message !== misfit)
          .map((p) => (
            <div key={p.message} className="field-problem px-3">
              {p.message}
            </div>
          ))}
        <TraceLinks address={address} what={`the link from ${link.from}`} />
      </div>
    </>
  );
}

function useUsers(project: Project | undefined, type: PartType | undefined, quantity: Quantity | undefined): string[] {
  return useMemo(
    () =>
      project && type && quantity ? usersOf(project, `type/${type.id}/quantity/${quantity.id}`, quantity.name) : [],
    [project, type, quantity],
  );
}

/** Links of the part type itself, or of the part, port or link chosen in it. */
function TypeDetails({ type, address }: { readonly type: PartType; readonly address: string }) {
  const name = [...type.parts, ...type.ports].find((x) => address.endsWith(`/${x.id}`))?.name ?? type.name;
  const problems = useProject((s) => s.problems);
  return (
    <>
      <div className="pane-head">
        <h2>
          {address === `type/${type.id}` && <span className="quiet">part type </span>}
          {name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        {address === `type/${type.id}` && (
          <FieldRow label="Steps every">
            <CellField
              value={type.software}
              label="Time between its steps as software"
              mono
              placeholder="it is no software"
              problem={problemsAt(problems, `${address}/software`)[0]?.message}
              onCommit={(software) =>
                useProject
                  .getState()
                  .edit(
                    { kind: 'update', list: 'type', id: type.id, changes: { software: software.trim() } },
                    software.trim() === '' ? `${type.name} is no software` : `Steps of ${type.name}`,
                  )
              }
            />
          </FieldRow>
        )}
        <TraceLinks address={address} what={name} />
        <p className="px-3 pt-2 quiet">Choose a quantity to see its kind, who uses it and its value at the cursor.</p>
      </div>
    </>
  );
}
