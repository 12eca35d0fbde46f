'use client';
import { ChevronDown } from 'lucide-react';
import { nanoid } from 'nanoid';
import { Dropdown } from 'react-bootstrap';
import { newChart, newState, type PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { freeName } from './chart-sheet';

/** A behaviour of a part type, as the address of its sheet. */
export interface BehaviourEntry {
  readonly sheet: string;
  readonly name: string;
  readonly kind: 'state chart' | 'procedure' | 'sequence';
}

export const behavioursOf = (type: PartType): BehaviourEntry[] => [
  ...type.charts.map((c): BehaviourEntry => ({ sheet: `chart/${c.id}`, name: c.name, kind: 'state chart' })),
];

const taken = (type: PartType): string[] => [...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].map((x) => x.name);

export function addChart(type: PartType): void {
  const first = { ...newState(`s-${nanoid(8)}`, 'Idle', null, 40, 40), initial: true };
  const name = taken(type).includes('mode') ? freeName(taken(type), 'mode') : 'mode';
  const entry = { ...newChart(`c-${nanoid(8)}`, name), states: [first] };
  const refused = useProject.getState().edit({ kind: 'insert', list: `types/${type.id}/charts`, entry }, `Give ${type.name} a state chart`);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ sheet: `chart/${entry.id}`, item: `state/${first.id}` });
}

/** Which behaviour of the part is on the sheet, and what else there is. */
export function BehaviourPicker({ type }: { readonly type: PartType }) {
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  const all = behavioursOf(type);
  const here = all.find((b) => b.sheet === sheet) ?? all[0];
  return (
    <Dropdown>
      <Dropdown.Toggle as="button" type="button" className="btn picker" data-testid="behaviour-picker">
        <span className="mono">{here?.name ?? 'behaviour'}</span> <ChevronDown size={13} aria-hidden />
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {all.map((b) => (
          <Dropdown.Item key={b.sheet} active={b === here} onClick={() => go({ sheet: b.sheet, item: '' })}>
            <span className="mono">{b.name}</span> <span className="quiet ms-2">{b.kind}</span>
          </Dropdown.Item>
        ))}
        <Dropdown.Divider />
        <Dropdown.Item onClick={() => addChart(type)}>New state chart</Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}
