'use client';
import { Plus } from 'lucide-react';
import { useCallback } from 'react';
import { commonUnits } from '@/core/language/units';
import type { PartType, Quantity } from '@/core/project/project';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { RowHandle, handleColumn, handleHead, isOfHandle } from '@/ui/editing/row-handle';
import { namesIn } from '@/ui/known-names';
import { LinkableRow, LinkCount } from '@/ui/linkable';
import { useMoment } from '@/ui/moment';
import { limitsText, readLimits } from '@/ui/limits-text';

const roles: readonly (readonly [Quantity['role'], string])[] = [
  ['parameter', 'parameter'],
  ['constant', 'constant'],
  ['variable', 'variable'],
  ['input', 'input'],
  ['output', 'output'],
];

/** The quantities of a part type, with their values at the cursor. */
export function QuantityTable({
  type,
  path,
  add,
}: {
  readonly type: PartType;
  readonly path: string | undefined;
  readonly add: () => void;
}) {
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const moment = useMoment();
  const { run } = moment;
  const item = usePlace((s) => s.item);
  const select = usePlace((s) => s.select);
  const list = `type/${type.id}/quantity`;
  const names = useCallback(() => {
    const { project } = useProject.getState();
    const now = project?.types.find((t) => t.id === type.id);
    return project && now ? namesIn(project, now) : [];
  }, [type.id]);
  if (type.quantities.length === 0) {
    return (
      <div className="empty" data-rows={list}>
        <h3>Quantities of {type.name}</h3>
        <p>
          A quantity is a named value with a unit: what is given, what changes, what goes in and out. Equations, state
          charts and requirements use it by its name.
        </p>
        <Button variant="primary" onClick={add}>
          <Plus size={14} aria-hidden /> Add a quantity
        </Button>
      </div>
    );
  }
  return (
    <table className="table" style={{ tableLayout: 'fixed' }} data-testid="quantities" data-rows={list}>
      <colgroup>
        {handleColumn}
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
          {handleHead}
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
          const valueProblem = found.find(
            (p) => p.code !== 'unknown-unit' && p.code !== 'limit' && p.severity === 'error',
          )?.message;
          const set = (changes: Partial<Quantity>, what: string) =>
            edit({ kind: 'update', list, id: q.id, changes }, `Change the ${what} of ${q.name}`);
          const chosen = item === `quantity/${q.id}`;
          const name = fullName(path, q.name);
          return (
            <LinkableRow
              address={`type/${type.id}/quantity/${q.id}`}
              key={q.id}
              onFocus={(e) => !chosen && !isOfHandle(e) && select(`quantity/${q.id}`)}
              style={chosen ? { background: 'var(--accent-soft)' } : undefined}
              data-quantity={q.name}
            >
              <RowHandle address={`${list}/${q.id}`} what={q.name} />
              <td>
                <CellField
                  value={q.name}
                  label={`Name of ${q.name}`}
                  mono
                  onCommit={(next) =>
                    edit({ kind: 'rename', list, id: q.id, name: next }, `Rename ${q.name} to ${next}`)
                  }
                />
                <LinkCount address={`type/${type.id}/quantity/${q.id}`} />
              </td>
              <td>
                <CellSelect
                  value={q.role}
                  label={`Role of ${q.name}`}
                  options={roles}
                  onCommit={(role) => set({ role: role as Quantity['role'] }, 'role')}
                />
              </td>
              <td>
                <CellField
                  value={q.value}
                  label={`Value of ${q.name}`}
                  mono
                  names={names}
                  problem={valueProblem}
                  onCommit={(value) => set({ value }, 'value')}
                />
              </td>
              <td>
                {q.type === 'Real' && (
                  <CellField
                    value={q.unit}
                    label={`Unit of ${q.name}`}
                    mono
                    list={commonUnits}
                    placeholder="any"
                    problem={unitProblem}
                    onCommit={(unit) => set({ unit }, 'unit')}
                  />
                )}
              </td>
              <td>
                {q.type !== 'Boolean' && (
                  <CellField
                    value={limitsText(q)}
                    label={`Limits of ${q.name}`}
                    mono
                    placeholder="none"
                    problem={limitProblem}
                    onCommit={(text) => {
                      const read = readLimits(text);
                      return 'message' in read ? read : set(read, 'limits');
                    }}
                  />
                )}
              </td>
              <td>
                <CellField value={q.note} label={`Note of ${q.name}`} onCommit={(note) => set({ note }, 'note')} />
              </td>
              <td className="text-end mono text-nowrap">
                {run && path !== undefined ? (
                  <DraggableName name={name} from="quantities" address={`type/${type.id}/quantity/${q.id}`}>
                    {moment.text(name) || '–'}
                  </DraggableName>
                ) : (
                  <DraggableName name={name} from="quantities" address={`type/${type.id}/quantity/${q.id}`}>
                    <span className="quiet">–</span>
                  </DraggableName>
                )}
              </td>
            </LinkableRow>
          );
        })}
      </tbody>
    </table>
  );
}
