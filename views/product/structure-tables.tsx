'use client';
import { ArrowRight, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import { commonUnits } from '@/core/language/units';
import { linksWith, removeItemEdit } from '@/core/project/items';
import type { Item, PartType, Project } from '@/core/project/project';
import { itemConflict } from '@/core/run/check-links';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { DraggableName } from '@/ui/draggable-name';
import { EditableRow, RowHandle, handleColumn, handleHead } from '@/ui/editing/row-handle';
import { beginRow } from '@/ui/editing/rows';
import { deleteWithImpact } from '@/ui/impact';
import { ItemField } from '@/ui/inside/item-field';
import { LinkableRow } from '@/ui/linkable';
import type { Suggestion } from '@/ui/suggestions';
import { useMoment } from '@/ui/moment';
import { allNames, freeName, readChangeList, tryEdit } from '@/ui/names';

/** The parts inside a part type. */
export function PartTable({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const go = usePlace((s) => s.go);
  const moment = useMoment();
  const { run } = moment;
  const list = `type/${type.id}/part`;
  // names are cut last
  const nameWidth = Math.min(220, 26 + 8 * Math.max(...type.parts.map((p) => p.name.length)));
  return (
    <>
      <h3 className="section-title">Parts</h3>
      <table className="table" data-testid="parts" data-rows={list}>
        <colgroup>
          {handleColumn}
          <col style={{ width: nameWidth }} />
          <col style={{ width: '15%' }} />
          <col style={{ width: '21%' }} />
          <col />
          <col style={{ width: 40 }} />
        </colgroup>
        <thead>
          <tr>
            {handleHead}
            <th scope="col">Part</th>
            <th scope="col">of type</th>
            <th scope="col">Changed values</th>
            <th scope="col">Outputs at the cursor</th>
            <th scope="col" aria-label="Delete" />
          </tr>
        </thead>
        <tbody>
          {type.parts.map((p) => {
            const inner = project.types.find((t) => t.id === p.type);
            const name = fullName(path, p.name);
            const outputs = inner?.quantities.filter((q) => q.role === 'output').slice(0, 3) ?? [];
            const charts = inner?.charts ?? [];
            return (
              <LinkableRow key={p.id} address={`type/${type.id}/part/${p.id}`}>
                <RowHandle address={`${list}/${p.id}`} what={p.name} />
                <td style={{ minWidth: nameWidth }}>
                  <CellField
                    value={p.name}
                    label={`Name of part ${p.name}`}
                    mono
                    onCommit={(next) =>
                      edit({ kind: 'rename', list, id: p.id, name: next }, `Rename ${p.name} to ${next}`)
                    }
                  />
                </td>
                <td>
                  <button
                    type="button"
                    className="btn btn-link p-0 type-tag"
                    style={{ fontSize: 'inherit' }}
                    onClick={() => go({ area: 'product', part: name, type: '' })}
                  >
                    {inner?.name ?? 'missing'}
                  </button>
                </td>
                <td>
                  <CellField
                    value={p.changes.map((c) => `${c.name} = ${c.value}`).join(', ')}
                    label={`Changed values of ${p.name}`}
                    mono
                    names={() => ownNames(p.type)}
                    placeholder="name = value, …"
                    onCommit={(text) =>
                      edit(
                        { kind: 'update', list, id: p.id, changes: { changes: readChangeList(text, p.changes) } },
                        `Change values of ${p.name}`,
                      )
                    }
                  />
                </td>
                <td className="mono" style={{ fontSize: '0.88em' }}>
                  {charts.map((c) => (
                    <DraggableName key={c.id} name={`${name}.${c.name}`} from="parts">
                      <span className="me-3">{(run && moment.text(`${name}.${c.name}`)) || c.name}</span>
                    </DraggableName>
                  ))}
                  {outputs.map((q) => (
                    <DraggableName key={q.id} name={`${name}.${q.name}`} from="parts">
                      <span className="me-3 text-nowrap">
                        <span className="quiet">{q.name} </span>
                        {moment.text(`${name}.${q.name}`)} {q.unit !== '1' && q.unit}
                      </span>
                    </DraggableName>
                  ))}
                </td>
                <DeleteCell
                  what={`the part ${p.name}`}
                  onDelete={() =>
                    deleteWithImpact(
                      `type/${type.id}/part/${p.id}`,
                      { kind: 'remove', list, id: p.id },
                      `Delete ${p.name}`,
                    )
                  }
                />
              </LinkableRow>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

/** What can be changed of a part, when somebody asks. */
const ownNames = (typeId: string): readonly Suggestion[] =>
  useProject
    .getState()
    .project?.types.find((t) => t.id === typeId)
    ?.quantities.filter((q) => q.role !== 'input')
    .map((q) => ({ name: q.name, detail: [q.role, q.unit === '1' ? '' : q.unit].filter(Boolean).join(' · ') })) ?? [];

/** What goes from which part to which. */
export function LinkTable({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  const list = `type/${type.id}/link`;
  const ends = useMemo(() => {
    const own = [...type.quantities.filter((q) => q.role === 'input' || q.role === 'output'), ...type.ports].map(
      (x) => x.name,
    );
    const inner = type.parts.flatMap((p) => {
      const t = project.types.find((x) => x.id === p.type);
      return t
        ? [...t.quantities.filter((q) => q.role === 'input' || q.role === 'output'), ...t.ports].map(
            (x) => `${p.name}.${x.name}`,
          )
        : [];
    });
    return [...own, ...inner];
  }, [project, type]);
  const add = (): void =>
    beginRow(list, { id: `l-${nanoid(8)}`, from: ends[0] ?? 'from', to: ends[1] ?? 'to', carries: '' }, 'Add a link');
  return (
    <>
      <h3 className="section-title">
        Links: what goes from where to where
        <Button size="sm" onClick={add} data-adds={list}>
          <Plus size={13} aria-hidden /> Link
        </Button>
      </h3>
      <table className="table" data-testid="links" data-rows={list} data-enter="through">
        <colgroup>
          {handleColumn}
          <col style={{ width: '28%' }} />
          <col style={{ width: 24 }} />
          <col style={{ width: '28%' }} />
          <col />
          <col style={{ width: 40 }} />
        </colgroup>
        <thead>
          <tr>
            {handleHead}
            <th scope="col">From</th>
            <th scope="col" aria-label="to" />
            <th scope="col">To</th>
            <th scope="col">Carries</th>
            <th scope="col" aria-label="Delete" />
          </tr>
        </thead>
        <tbody>
          {type.links.map((l) => {
            const problem = problemsAt(problems, `type/${type.id}/link/${l.id}`)[0]?.message;
            const misfit = itemConflict(project, type, l);
            const field = (key: 'from' | 'to', label: string) => (
              <CellField
                value={l[key]}
                label={`${label} of the link from ${l.from}`}
                mono
                list={ends}
                {...(key === 'from' && problem && problem !== misfit && { problem })}
                onCommit={(text) => edit({ kind: 'update', list, id: l.id, changes: { [key]: text } }, 'Change a link')}
              />
            );
            return (
              <LinkableRow key={l.id} address={`type/${type.id}/link/${l.id}`}>
                <RowHandle address={`${list}/${l.id}`} what={`the link from ${l.from}`} />
                <td>{field('from', 'Start')}</td>
                <td className="px-0 quiet">
                  <ArrowRight size={13} aria-hidden />
                </td>
                <td>{field('to', 'End')}</td>
                <td>
                  <ItemField project={project} type={type} link={l} problem={misfit} />
                </td>
                <DeleteCell
                  what={`the link from ${l.from} to ${l.to}`}
                  onDelete={() => tryEdit({ kind: 'remove', list, id: l.id }, 'Delete a link')}
                />
              </LinkableRow>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

/** What links carry: the kinds of things that go through the product. */
export function ItemTable({ project }: { readonly project: Project }) {
  const { edit } = useProject.getState();
  const add = (): void =>
    beginRow(
      'item',
      {
        id: `i-${nanoid(8)}`,
        name: freeName(
          project.items.map((i) => i.name),
          'item',
        ),
        unit: '',
        note: '',
      },
      'Add an item',
    );
  return (
    <>
      <h3 className="section-title">
        Items: what links carry
        <Button size="sm" onClick={add} data-adds="item">
          <Plus size={13} aria-hidden /> Item
        </Button>
      </h3>
      {project.items.length > 0 && (
        <table className="table" data-testid="items" data-rows="item">
          <colgroup>
            {handleColumn}
            <col style={{ width: '28%' }} />
            <col style={{ width: '16%' }} />
            <col style={{ width: '28%' }} />
            <col />
            <col style={{ width: 40 }} />
          </colgroup>
          <thead>
            <tr>
              <th scope="col">Item</th>
              <th scope="col" title="Unit of what can be measured; empty for things and messages">
                Unit
              </th>
              <th scope="col">Carried</th>
              <th scope="col">Note</th>
              <th scope="col" aria-label="Delete" />
            </tr>
          </thead>
          <tbody>
            {project.items.map((i) => {
              const links = linksWith(project, i);
              const set = (changes: Partial<Item>) =>
                edit({ kind: 'update', list: 'item', id: i.id, changes }, `Change the item ${i.name}`);
              const ways = links.map(({ link: l }) => `${l.from} to ${l.to}`).join(', ');
              return (
                <EditableRow key={i.id} address={`item/${i.id}`}>
                  <RowHandle address={`item/${i.id}`} what={`the item ${i.name}`} />
                  <td>
                    <CellField value={i.name} label={`Name of the item ${i.name}`} onCommit={(name) => set({ name })} />
                  </td>
                  <td>
                    <CellField
                      value={i.unit}
                      label={`Unit of the item ${i.name}`}
                      mono
                      list={commonUnits}
                      placeholder="none"
                      onCommit={(unit) => set({ unit })}
                    />
                  </td>
                  <td className="text-truncate quiet" title={ways}>
                    {ways || 'by no link yet'}
                  </td>
                  <td>
                    <CellField value={i.note} label={`Note of the item ${i.name}`} onCommit={(note) => set({ note })} />
                  </td>
                  <DeleteCell
                    what={`the item ${i.name}`}
                    onDelete={() => tryEdit(removeItemEdit(project, i), `Delete the item ${i.name}`)}
                  />
                </EditableRow>
              );
            })}
          </tbody>
        </table>
      )}
    </>
  );
}

/** Where messages enter and leave. */
export function PortTable({ type }: { readonly type: PartType }) {
  const { edit } = useProject.getState();
  const list = `type/${type.id}/port`;
  const add = (): void =>
    beginRow(
      list,
      { id: `o-${nanoid(8)}`, name: freeName(allNames(type), 'events'), accepts: [], sends: [], note: '' },
      'Add a message port',
    );
  return (
    <>
      <h3 className="section-title">
        Message ports
        <Button size="sm" onClick={add} data-adds={list}>
          <Plus size={13} aria-hidden /> Port
        </Button>
      </h3>
      {type.ports.length > 0 && (
        <table className="table" data-testid="ports" data-rows={list}>
          <colgroup>
            {handleColumn}
            <col style={{ width: '19%' }} />
            <col style={{ width: '30%' }} />
            <col style={{ width: '30%' }} />
            <col />
            <col style={{ width: 40 }} />
          </colgroup>
          <thead>
            <tr>
              {handleHead}
              <th scope="col">Port</th>
              <th scope="col" title="Messages it takes, parted by commas; * for any">
                Accepts
              </th>
              <th scope="col" title="Messages it gives, parted by commas; * for any">
                Sends
              </th>
              <th scope="col">Note</th>
              <th scope="col" aria-label="Delete" />
            </tr>
          </thead>
          <tbody>
            {type.ports.map((p) => (
              <LinkableRow key={p.id} address={`type/${type.id}/port/${p.id}`}>
                <RowHandle address={`${list}/${p.id}`} what={p.name} />
                <td>
                  <CellField
                    value={p.name}
                    label={`Name of port ${p.name}`}
                    mono
                    onCommit={(name) => edit({ kind: 'rename', list, id: p.id, name }, `Rename ${p.name}`)}
                  />
                </td>
                {(['accepts', 'sends'] as const).map((way) => (
                  <td key={way}>
                    <CellField
                      value={p[way].join(', ')}
                      label={`What ${p.name} ${way}`}
                      mono
                      placeholder="nothing"
                      onCommit={(text) =>
                        edit(
                          {
                            kind: 'update',
                            list,
                            id: p.id,
                            changes: {
                              [way]: text
                                .split(',')
                                .map((m) => m.trim())
                                .filter(Boolean),
                            },
                          },
                          `Change what ${p.name} ${way}`,
                        )
                      }
                    />
                  </td>
                ))}
                <td>
                  <CellField
                    value={p.note}
                    label={`Note of ${p.name}`}
                    onCommit={(note) =>
                      edit({ kind: 'update', list, id: p.id, changes: { note } }, `Change the note of ${p.name}`)
                    }
                  />
                </td>
                <DeleteCell
                  what={`the port ${p.name}`}
                  onDelete={() => tryEdit({ kind: 'remove', list, id: p.id }, `Delete ${p.name}`)}
                />
              </LinkableRow>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
