'use client';
import { ChevronDown } from 'lucide-react';
import { nanoid } from 'nanoid';
import { Dropdown } from 'react-bootstrap';
import { newChart, newProcedure, newSequence, newState, type PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { numberedName } from '@/ui/names';

/** A behaviour of a part type, as the address of its sheet. */
export interface BehaviourEntry {
  readonly sheet: string;
  readonly name: string;
  readonly kind: 'state chart' | 'procedure' | 'sequence';
}

const behavioursOf = (type: PartType): BehaviourEntry[] => [
  ...type.charts.map((c): BehaviourEntry => ({ sheet: `chart/${c.id}`, name: c.name, kind: 'state chart' })),
  ...type.procedures.map((p): BehaviourEntry => ({ sheet: `procedure/${p.id}`, name: p.name, kind: 'procedure' })),
  ...type.sequences.map((s): BehaviourEntry => ({ sheet: `sequence/${s.id}`, name: s.name, kind: 'sequence' })),
];

const taken = (type: PartType): string[] =>
  [...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].map((x) => x.name);

export function addChart(type: PartType): void {
  const first = { ...newState(`s-${nanoid(8)}`, 'Idle', null, 40, 40), initial: true };
  const name = taken(type).includes('mode') ? numberedName(taken(type), 'mode') : 'mode';
  const entry = { ...newChart(`c-${nanoid(8)}`, name), states: [first] };
  const refused = useProject
    .getState()
    .edit({ kind: 'insert', list: `type/${type.id}/chart`, entry }, `Give ${type.name} a state chart`);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ sheet: `chart/${entry.id}`, item: `state/${first.id}` });
}

/** Reads a chart from an SCXML file into a part type; what could not be read is told. */
export async function importChart(type: PartType, file: File): Promise<void> {
  const { readScxml } = await import('@/core/formats/scxml-read');
  const { value, problems } = readScxml(await file.text(), { name: file.name.replace(/\.[^.]*$/, '') });
  const { say, go } = usePlace.getState();
  if (!value) return say(`${file.name}: ${problems[0]?.message ?? 'it cannot be read'}`);
  const entry = {
    ...value.chart,
    id: `c-${nanoid(8)}`,
    name: taken(type).includes(value.chart.name) ? numberedName(taken(type), value.chart.name) : value.chart.name,
  };
  const refused = useProject
    .getState()
    .edit({ kind: 'insert', list: `type/${type.id}/chart`, entry }, `Read ${file.name}`);
  if (refused) return say(`${file.name}: ${refused.message}`);
  go({ sheet: `chart/${entry.id}`, item: '' });
  const more = problems.length > 3 ? ` and ${problems.length - 3} more` : '';
  say(
    problems.length > 0
      ? `${file.name}: ${problems
          .slice(0, 3)
          .map((p) => p.message)
          .join('. ')}${more}`
      : `${file.name}: ${entry.states.length} states, ${entry.transitions.length} transitions`,
    problems.length > 0 ? 'problem' : 'note',
  );
}

/** Lets somebody choose the file. */
function chooseChartFile(type: PartType): void {
  const input = document.createElement('input');
  input.type = 'file';
  input.accept = '.scxml,.xml';
  input.onchange = () => input.files?.[0] && void importChart(type, input.files[0]);
  input.click();
}

export function addProcedure(type: PartType): void {
  const entry = newProcedure(`d-${nanoid(8)}`, numberedName(taken(type), 'work'));
  const refused = useProject
    .getState()
    .edit({ kind: 'insert', list: `type/${type.id}/procedure`, entry }, `Give ${type.name} a procedure`);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ sheet: `procedure/${entry.id}`, item: '' });
}

export function addSequence(type: PartType): void {
  const entry = newSequence(
    `q-${nanoid(8)}`,
    numberedName(
      type.sequences.map((s) => s.name),
      'Sequence ',
    ),
  );
  const refused = useProject
    .getState()
    .edit({ kind: 'insert', list: `type/${type.id}/sequence`, entry }, `Give ${type.name} a sequence`);
  if (refused) usePlace.getState().say(refused.message);
  else usePlace.getState().go({ sheet: `sequence/${entry.id}`, item: '' });
}

/** Which behaviour of the part is on the sheet, and what else there is. */
export function BehaviourPicker({ type }: { readonly type: PartType }) {
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  const all = behavioursOf(type);
  const recorded = sheet === 'recorded';
  const here = recorded ? undefined : (all.find((b) => b.sheet === sheet) ?? all[0]);
  return (
    <Dropdown>
      <Dropdown.Toggle as="button" type="button" className="btn picker" data-testid="behaviour-picker">
        <span className="mono">{recorded ? 'what was said' : (here?.name ?? 'behaviour')}</span>{' '}
        <ChevronDown size={13} aria-hidden />
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {all.map((b) => (
          <Dropdown.Item key={b.sheet} active={b === here} onClick={() => go({ sheet: b.sheet, item: '' })}>
            <span className="mono">{b.name}</span> <span className="quiet ms-2">{b.kind}</span>
          </Dropdown.Item>
        ))}
        <Dropdown.Item active={recorded} onClick={() => go({ sheet: 'recorded', item: '' })}>
          What was said <span className="quiet ms-2">in the last run, by all parts</span>
        </Dropdown.Item>
        <Dropdown.Divider />
        <Dropdown.Item onClick={() => addChart(type)}>New state chart</Dropdown.Item>
        <Dropdown.Item onClick={() => chooseChartFile(type)}>State chart from an SCXML file …</Dropdown.Item>
        <Dropdown.Item onClick={() => addProcedure(type)}>New procedure</Dropdown.Item>
        <Dropdown.Item onClick={() => addSequence(type)}>New sequence</Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}
