'use client';
import { commonUnits } from '@/core/language/units';
import { Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import type { ChartValue } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { numberedName } from '@/ui/names';

const kinds: readonly (readonly [ChartValue['type'], string])[] = [
  ['Real', 'number'],
  ['Integer', 'whole number'],
  ['Boolean', 'yes / no'],
];

/** Adds a quantity of its own to a chart or procedure. */
export function addValue(
  list: string,
  values: readonly ChartValue[],
  owner: string,
  first: Pick<ChartValue, 'name' | 'type'>,
): void {
  const entry: ChartValue = {
    id: `v-${nanoid(8)}`,
    ...first,
    name: numberedName(
      values.map((v) => v.name),
      first.name,
    ),
    value: '0',
    unit: '',
  };
  useProject.getState().edit({ kind: 'insert', list, entry }, `Add the quantity ${entry.name} to ${owner}`);
}

/** The quantities of its own that a chart or procedure has. */
export function ValuesTable({
  list,
  values,
  testId,
}: {
  readonly list: string;
  readonly values: readonly ChartValue[];
  readonly testId: string;
}) {
  const { edit } = useProject.getState();
  if (values.length === 0) return null;
  return (
    <ul className="own-values" data-testid={testId}>
      {values.map((v) => {
        const set = (changes: Partial<ChartValue>) =>
          edit({ kind: 'update', list, id: v.id, changes }, `Change ${v.name}`);
        return (
          <li key={v.id}>
            <div>
              <CellField
                value={v.name}
                label={`Name of ${v.name}`}
                mono
                onCommit={(name) => edit({ kind: 'rename', list, id: v.id, name }, `Rename ${v.name}`)}
              />
            </div>
            <CellSelect
              value={v.type}
              label={`Kind of ${v.name}`}
              options={kinds}
              onCommit={(t) => set({ type: t as ChartValue['type'] })}
            />
            <Button
              variant="bare"
              label={`Delete ${v.name}`}
              onClick={() => edit({ kind: 'remove', list, id: v.id }, `Delete ${v.name}`)}
            >
              <Trash2 size={13} aria-hidden />
            </Button>
            <span className="quiet">starts at</span>
            <div>
              <CellField value={v.value} label={`Start value of ${v.name}`} mono onCommit={(value) => set({ value })} />
            </div>
            <div>
              <CellField
                value={v.unit}
                label={`Unit of ${v.name}`}
                mono
                list={commonUnits}
                placeholder="unit"
                onCommit={(unit) => set({ unit })}
              />
            </div>
          </li>
        );
      })}
    </ul>
  );
}
