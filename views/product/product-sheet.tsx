'use client';
import { ArrowRight, Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import type { Edit } from '@/core/project/edits';
import { newQuantity, newType, type PartType, type Project, type Quantity } from '@/core/project/project';
import { usersOf } from '@/core/project/references';
import { commonUnits } from '@/core/language/units';
import { fullName, problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { showValue } from '@/ui/value-now';

const roles: readonly (readonly [Quantity['role'], string])[] = [['parameter', 'parameter'], ['constant', 'constant'], ['variable', 'variable'], ['input', 'input'], ['output', 'output']];
const types: readonly (readonly [Quantity['type'], string])[] = [['Real', 'number'], ['Integer', 'whole number'], ['Boolean', 'yes or no']];

const freeName = (taken: readonly string[], base: string): string => {
  for (let k = 1; ; k++) {
    const name = k === 1 ? base : `${base}${k}`;
    if (!taken.includes(name)) return name;
  }
};
const allNames = (t: PartType): string[] => [...t.quantities, ...t.parts, ...t.ports, ...t.charts].map((x) => x.name);

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

function TypeSheet({ project, type, path }: { readonly project: Project; readonly type: PartType; readonly path: string | undefined }) {
  const { edit } = useProject.getState();
  const { say, go, select } = usePlace.getState();
  const list = `types/${type.id}`;
  const addQuantity = (): void => {
    const entry = newQuantity(`q-${nanoid(8)}`, freeName(allNames(type), 'x'));
    edit({ kind: 'insert', list: `${list}/quantities`, entry }, 'Add a quantity');
    select(`quantity/${entry.id}`);
  };
  const addPart = (typeId: string): void => {
    const target = project.types.find((t) => t.id === typeId);
    const name = freeName(allNames(type), (target?.name ?? 'part').replace(/^./, (c) => c.toLowerCase()));
    const refused = edit({ kind: 'insert', list: `${list}/parts`, entry: { id: `p-${nanoid(8)}`, name, type: typeId, changes: [], note: '' } }, `Add a part of type ${target?.name}`);
    if (refused) say(refused.message);
  };
  const addNewType = (): void => {
    const made = newType(`t-${nanoid(8)}`, freeName(project.types.map((t) => t.name), 'NewType'));
    const refused = edit({
      kind: 'batch', label: 'Add a part type',
      edits: [{ kind: 'insert', list: 'types', entry: made }, { kind: 'insert', list: `${list}/parts`, entry: { id: `p-${nanoid(8)}`, name: freeName(allNames(type), 'part'), type: made.id, changes: [], note: '' } }],
    }, 'Add a part type');
    if (refused) say(refused.message);
  };
  const removeType = (): void => {
    const refused = edit({ kind: 'remove', list: 'types', id: type.id }, `Delete ${type.name}`);
    if (refused) say(refused.message);
    else go({ part: '', type: '' });
  };
  const canContain = (candidate: PartType): boolean => candidate.id !== type.id && !reaches(project, candidate, type.id);
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 'none', display: 'flex', alignItems: 'baseline', gap: 6 }}>
          <span className="quiet" style={{ fontWeight: 400 }}>
            part type
          </span>
          <span style={{ width: type.name.length * 8.6 + 16 }}>
            <CellField value={type.name} label="Name of the part type" onCommit={(name) => edit({ kind: 'rename', list: 'types', id: type.id, name }, `Rename ${type.name}`)} />
          </span>
        </h2>
        <div style={{ flex: 1, minWidth: 0 }} className="quiet">
          <CellField value={type.note} label="Note" placeholder="what it is" onCommit={(note) => edit({ kind: 'update', list: 'types', id: type.id, changes: { note } }, `Change the note of ${type.name}`)} />
        </div>
        <Button onClick={addQuantity} data-testid="add-quantity">
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
      <div className="pane-body">
        {type.parts.length > 0 && <PartTable project={project} type={type} path={path} />}
        {(type.quantities.length > 0 || type.parts.length === 0) && <QuantityTable type={type} path={path} add={addQuantity} />}
        {(type.links.length > 0 || type.parts.length > 1) && <LinkTable project={project} type={type} />}
        <PortTable type={type} />
      </div>
    </>
  );
}

function reaches(project: Project, from: PartType, id: string, depth = 0): boolean {
  return depth < 30 && from.parts.some((p) => p.type === id || reaches(project, project.types.find((t) => t.id === p.type) ?? from, id, depth + 1));
}

/** Runs an edit and says why it was refused, where there is no field to say it at. */
const tryEdit = (edit: Edit, label: string): void => {
  const refused = useProject.getState().edit(edit, label);
  if (refused) usePlace.getState().say(refused.message);
};

function QuantityTable({ type, path, add }: { readonly type: PartType; readonly path: string | undefined; readonly add: () => void }) {
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  useRuns((s) => s.version);
  const item = usePlace((s) => s.item);
  const select = usePlace((s) => s.select);
  const list = `types/${type.id}/quantities`;
  if (type.quantities.length === 0) {
    return (
      <div className="empty">
        <h3>Quantities of {type.name}</h3>
        <p>A quantity is a named value with a unit: what is given, what changes, what goes in and out. Equations, state charts and requirements use it by its name.</p>
        <Button variant="primary" onClick={add}>
          <Plus size={14} aria-hidden /> Add a quantity
        </Button>
      </div>
    );
  }
  return (
    <table className="table" style={{ tableLayout: 'fixed' }} data-testid="quantities">
      <colgroup>
        <col style={{ width: '20%' }} />
        <col style={{ width: 98 }} />
        <col style={{ width: 92 }} />
        <col style={{ width: 96 }} />
        <col style={{ width: 78 }} />
        <col />
        <col style={{ width: 84 }} />
      </colgroup>
      <thead>
        <tr>
          <th scope="col">Quantity</th>
          <th scope="col">Role</th>
          <th scope="col">Value, start</th>
          <th scope="col">Unit</th>
          <th scope="col">Limits</th>
          <th scope="col">Note</th>
          <th scope="col" className="text-end">
            At cursor
          </th>
        </tr>
      </thead>
      <tbody>
        {type.quantities.map((q) => {
          const found = problemsAt(problems, `type/${type.id}/quantity/${q.id}`);
          const unitProblem = found.find((p) => p.code === 'unknown-unit')?.message;
          const limitProblem = found.find((p) => p.code === 'limit')?.message;
          const valueProblem = found.find((p) => p.code !== 'unknown-unit' && p.code !== 'limit' && p.severity === 'error')?.message;
          const set = (changes: Partial<Quantity>, what: string) => edit({ kind: 'update', list, id: q.id, changes }, `Change the ${what} of ${q.name}`);
          const chosen = item === `quantity/${q.id}`;
          const name = fullName(path, q.name);
          return (
            <tr key={q.id} onFocus={() => !chosen && select(`quantity/${q.id}`)} style={chosen ? { background: 'var(--accent-soft)' } : undefined} data-quantity={q.name}>
              <td>
                <CellField value={q.name} label={`Name of ${q.name}`} mono onCommit={(next) => edit({ kind: 'rename', list, id: q.id, name: next }, `Rename ${q.name} to ${next}`)} />
              </td>
              <td>
                <CellSelect value={q.role} label={`Role of ${q.name}`} options={roles} onCommit={(role) => set({ role: role as Quantity['role'] }, 'role')} />
              </td>
              <td>
                <CellField value={q.value} label={`Value of ${q.name}`} mono {...(valueProblem && { problem: valueProblem })} onCommit={(value) => set({ value }, 'value')} />
              </td>
              <td>
                {q.type === 'Real' && <CellField value={q.unit} label={`Unit of ${q.name}`} mono list={commonUnits} placeholder="any" {...(unitProblem && { problem: unitProblem })} onCommit={(unit) => set({ unit }, 'unit')} />}
              </td>
              <td>
                {q.type !== 'Boolean' && (
                  <CellField
                    value={q.min || q.max ? `${q.min} .. ${q.max}`.trim() : ''} label={`Limits of ${q.name}`} mono placeholder="none" {...(limitProblem && { problem: limitProblem })}
                    onCommit={(text) => {
                      const [min, max, ...rest] = text.split('..').map((x) => x.trim());
                      return rest.length > 0 || (text.trim() !== '' && max === undefined) ? { severity: 'error', code: 'limits', message: 'Limits read like 0 .. 10, 0 .. or .. 10' } : set({ min: min ?? '', max: max ?? '' }, 'limits');
                    }}
                  />
                )}
              </td>
              <td>
                <CellField value={q.note} label={`Note of ${q.name}`} onCommit={(note) => set({ note }, 'note')} />
              </td>
              <td className="text-end mono text-nowrap">
                {run && path !== undefined ? (
                  <DraggableName name={name} from="quantities">
                    {showValue(run, name, cursor) || '–'}
                  </DraggableName>
                ) : (
                  <DraggableName name={name} from="quantities">
                    <span className="quiet">–</span>
                  </DraggableName>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function PartTable({ project, type, path }: { readonly project: Project; readonly type: PartType; readonly path: string | undefined }) {
  const { edit } = useProject.getState();
  const go = usePlace((s) => s.go);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  useRuns((s) => s.version);
  const list = `types/${type.id}/parts`;
  return (
    <>
      <h3 className="section-title">Parts</h3>
      <table className="table" data-testid="parts">
        <colgroup>
          <col style={{ width: '16%' }} />
          <col style={{ width: '17%' }} />
          <col style={{ width: '24%' }} />
          <col />
          <col style={{ width: 40 }} />
        </colgroup>
        <thead>
          <tr>
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
              <tr key={p.id}>
                <td>
                  <CellField value={p.name} label={`Name of part ${p.name}`} mono onCommit={(next) => edit({ kind: 'rename', list, id: p.id, name: next }, `Rename ${p.name} to ${next}`)} />
                </td>
                <td>
                  <button type="button" className="btn btn-link p-0 type-tag" style={{ fontSize: 'inherit' }} onClick={() => go({ area: 'product', part: name, type: '' })}>
                    {inner?.name ?? 'missing'}
                  </button>
                </td>
                <td>
                  <CellField
                    value={p.changes.map((c) => `${c.name} = ${c.value}`).join(', ')} label={`Changed values of ${p.name}`} mono placeholder="name = value, …"
                    onCommit={(text) => edit({ kind: 'update', list, id: p.id, changes: { changes: readChangeList(text) } }, `Change values of ${p.name}`)}
                  />
                </td>
                <td className="mono" style={{ fontSize: '0.88em' }}>
                  {charts.map((c) => (
                    <DraggableName key={c.id} name={`${name}.${c.name}`} from="parts">
                      <span className="me-3">{(run && showValue(run, `${name}.${c.name}`, cursor)) || c.name}</span>
                    </DraggableName>
                  ))}
                  {outputs.map((q) => (
                    <DraggableName key={q.id} name={`${name}.${q.name}`} from="parts">
                      <span className="me-3 text-nowrap">
                        <span className="quiet">{q.name} </span>
                        {showValue(run, `${name}.${q.name}`, cursor)} {q.unit !== '1' && q.unit}
                      </span>
                    </DraggableName>
                  ))}
                </td>
                <td>
                  <Button variant="bare" label={`Delete the part ${p.name}`} onClick={() => tryEdit({ kind: 'remove', list, id: p.id }, `Delete ${p.name}`)}>
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

/** `a = 1, b = f(2, 3)`: commas inside brackets belong to the value. */
export function readChangeList(text: string): { name: string; value: string }[] {
  const rows: string[] = [];
  let depth = 0;
  let row = '';
  for (const c of text) {
    if (c === '(' || c === '{' || c === '[') depth++;
    if (c === ')' || c === '}' || c === ']') depth--;
    if (c === ',' && depth === 0) {
      rows.push(row);
      row = '';
    } else row += c;
  }
  rows.push(row);
  return rows.filter((r) => r.trim() !== '').map((r) => {
    const at = r.indexOf('=');
    return at < 0 ? { name: r.trim(), value: '' } : { name: r.slice(0, at).trim(), value: r.slice(at + 1).trim() };
  });
}

function LinkTable({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  const list = `types/${type.id}/links`;
  const ends = useMemo(() => {
    const own = [...type.quantities.filter((q) => q.role === 'input' || q.role === 'output'), ...type.ports].map((x) => x.name);
    const inner = type.parts.flatMap((p) => {
      const t = project.types.find((x) => x.id === p.type);
      return t ? [...t.quantities.filter((q) => q.role === 'input' || q.role === 'output'), ...t.ports].map((x) => `${p.name}.${x.name}`) : [];
    });
    return [...own, ...inner];
  }, [project, type]);
  const add = (): void => tryEdit({ kind: 'insert', list, entry: { id: `l-${nanoid(8)}`, from: ends[0] ?? 'from', to: ends[1] ?? 'to', carries: '' } }, 'Add a link');
  return (
    <>
      <h3 className="section-title">
        Links: what goes from where to where
        <Button size="sm" onClick={add}>
          <Plus size={13} aria-hidden /> Link
        </Button>
      </h3>
      <table className="table" data-testid="links">
        <colgroup>
          <col style={{ width: '28%' }} />
          <col style={{ width: 24 }} />
          <col style={{ width: '28%' }} />
          <col />
          <col style={{ width: 40 }} />
        </colgroup>
        <thead>
          <tr>
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
            const field = (key: 'from' | 'to' | 'carries', label: string) => (
              <CellField
                value={l[key]} label={`${label} of the link from ${l.from}`} mono={key !== 'carries'} {...(key !== 'carries' && { list: ends })} {...(key === 'from' && problem && { problem })}
                onCommit={(text) => edit({ kind: 'update', list, id: l.id, changes: { [key]: text } }, 'Change a link')}
              />
            );
            return (
              <tr key={l.id}>
                <td>{field('from', 'Start')}</td>
                <td className="px-0 quiet">
                  <ArrowRight size={13} aria-hidden />
                </td>
                <td>{field('to', 'End')}</td>
                <td>{field('carries', 'Item')}</td>
                <td>
                  <Button variant="bare" label={`Delete the link from ${l.from} to ${l.to}`} onClick={() => tryEdit({ kind: 'remove', list, id: l.id }, 'Delete a link')}>
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

function PortTable({ type }: { readonly type: PartType }) {
  const { edit } = useProject.getState();
  const list = `types/${type.id}/ports`;
  const add = (): void => tryEdit({ kind: 'insert', list, entry: { id: `o-${nanoid(8)}`, name: freeName(allNames(type), 'events'), direction: 'out', messages: [], note: '' } }, 'Add a message port');
  return (
    <>
      <h3 className="section-title">
        Message ports
        <Button size="sm" onClick={add}>
          <Plus size={13} aria-hidden /> Port
        </Button>
      </h3>
      {type.ports.length > 0 && (
        <table className="table">
          <colgroup>
            <col style={{ width: '19%' }} />
            <col style={{ width: 94 }} />
            <col style={{ width: '36%' }} />
            <col />
            <col style={{ width: 40 }} />
          </colgroup>
          <thead>
            <tr>
              <th scope="col">Port</th>
              <th scope="col">Way</th>
              <th scope="col">Messages</th>
              <th scope="col">Note</th>
              <th scope="col" aria-label="Delete" />
            </tr>
          </thead>
          <tbody>
            {type.ports.map((p) => (
              <tr key={p.id}>
                <td>
                  <CellField value={p.name} label={`Name of port ${p.name}`} mono onCommit={(name) => edit({ kind: 'rename', list, id: p.id, name }, `Rename ${p.name}`)} />
                </td>
                <td>
                  <CellSelect value={p.direction} label={`Way of port ${p.name}`} options={[['in', 'receives'], ['out', 'sends']]} onCommit={(direction) => tryEdit({ kind: 'update', list, id: p.id, changes: { direction } }, 'Turn a port')} />
                </td>
                <td>
                  <CellField value={p.messages.join(', ')} label={`Messages of ${p.name}`} mono placeholder="any" onCommit={(text) => edit({ kind: 'update', list, id: p.id, changes: { messages: text.split(',').map((m) => m.trim()).filter(Boolean) } }, `Change the messages of ${p.name}`)} />
                </td>
                <td>
                  <CellField value={p.note} label={`Note of ${p.name}`} onCommit={(note) => edit({ kind: 'update', list, id: p.id, changes: { note } }, `Change the note of ${p.name}`)} />
                </td>
                <td>
                  <Button variant="bare" label={`Delete the port ${p.name}`} onClick={() => tryEdit({ kind: 'remove', list, id: p.id }, `Delete ${p.name}`)}>
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

/** The selected quantity: its kind, who uses it, and deleting it. */
export function ProductDetails() {
  const { type, path, project } = useHere();
  const item = usePlace((s) => s.item);
  const { select } = usePlace.getState();
  const { edit } = useProject.getState();
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  useRuns((s) => s.version);
  const quantity = type?.quantities.find((q) => `quantity/${q.id}` === item);
  const problems = useProject((s) => s.problems);
  const users = useUsers(project, type, quantity);
  if (!type || !quantity) return <div className="empty">Choose a quantity to see its kind, who uses it and its value at the cursor.</div>;
  const list = `types/${type.id}/quantities`;
  const set = (changes: Partial<Quantity>, what: string) => edit({ kind: 'update', list, id: quantity.id, changes }, `Change the ${what} of ${quantity.name}`);
  const remove = (): void => {
    const refused = edit({ kind: 'remove', list, id: quantity.id }, `Delete ${quantity.name}`);
    if (refused) usePlace.getState().say(refused.message);
    else select('');
  };
  const name = fullName(path, quantity.name);
  return (
    <>
      <div className="pane-head">
        <h2 className="mono">{name}</h2>
        <Button variant="bare" label={`Delete the quantity ${quantity.name}`} onClick={remove} data-testid="delete-quantity">
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>At cursor</label>
          <span className="mono">
            {showValue(run, name, cursor) || '–'} {quantity.unit !== '1' && quantity.unit}
          </span>
        </div>
        <div className="field-row">
          <label>Kind</label>
          <div>
            <CellSelect value={quantity.type} label="Kind of quantity" options={types} onCommit={(kind) => void set({ type: kind as Quantity['type'], value: kind === 'Boolean' ? 'false' : '0', unit: kind === 'Boolean' ? '' : quantity.unit, min: '', max: '' }, 'kind')} />
          </div>
        </div>
        {problemsAt(problems, `type/${type.id}/quantity/${quantity.id}`).map((p) => (
          <div key={p.message} className="field-problem px-3">
            {p.message}
          </div>
        ))}
        <h3 className="section-title">Used by</h3>
        {users.length === 0 ? <p className="px-3 quiet">Nothing uses it.</p> : (
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

function useUsers(project: Project | undefined, type: PartType | undefined, quantity: Quantity | undefined): string[] {
  return useMemo(() => (project && type && quantity ? usersOf(project, 'quantity', type.id, quantity.name) : []), [project, type, quantity]);
}
