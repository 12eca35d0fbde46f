'use client';
import { nanoid } from 'nanoid';
import type { ChartValue } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { freeName } from './free-name';

const kinds: readonly (readonly [ChartValue['type'], string])[] = [['Real', 'number'], ['Integer', 'whole'], ['Boolean', 'yes / no']];

/** Adds a quantity of its own to a chart or procedure. */
export function addValue(list: string, values: readonly ChartValue[], owner: string, first: Pick<ChartValue, 'name' | 'type'>): void {
  const entry: ChartValue = { id: `v-${nanoid(8)}`, ...first, name: freeName(values.map((v) => v.name), first.name), value: '0', unit: '' };
  useProject.getState().edit({ kind: 'insert', list, entry }, `Add the quantity ${entry.name} to ${owner}`);
}

/** The quantities of its own that a chart or procedure has. */
export function ValuesTable({ list, values, testId }: { readonly list: string; readonly values: readonly ChartValue[]; readonly testId: string }) {
  const { edit } = useProject.getState();
  if (values.length === 0) return null;
  return (
    <table className="table values-table" data-testid={testId}>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">Kind</th>
          <th scope="col">Starts at</th>
          <th scope="col">Unit</th>
          <th scope="col" aria-label="Delete" />
        </tr>
      </thead>
      <tbody>
        {values.map((v) => {
          const set = (changes: Partial<ChartValue>) => edit({ kind: 'update', list, id: v.id, changes }, `Change ${v.name}`);
          return (
            <tr key={v.id}>
              <td>
                <CellField value={v.name} label={`Name of ${v.name}`} mono onCommit={(name) => set({ name })} />
              </td>
              <td>
                <CellSelect value={v.type} label={`Kind of ${v.name}`} options={kinds} onCommit={(t) => set({ type: t as ChartValue['type'] })} />
              </td>
              <td>
                <CellField value={v.value} label={`Start value of ${v.name}`} mono onCommit={(value) => set({ value })} />
              </td>
              <td>
                <CellField value={v.unit} label={`Unit of ${v.name}`} mono onCommit={(unit) => set({ unit })} />
              </td>
              <DeleteCell what={v.name} onDelete={() => edit({ kind: 'remove', list, id: v.id }, `Delete ${v.name}`)} />
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
