'use client';
import { ChevronDown } from 'lucide-react';
import { nanoid } from 'nanoid';
import { Dropdown } from 'react-bootstrap';
import type { PartType } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { addChart, addProcedure, addSequence } from '@/ui/editing/make';
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

/** Which behaviour of the part is on the sheet, and what else there is. */
export function BehaviourPicker({ type }: { readonly type: PartType }) {
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  const { project } = useProject.getState();
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
        <Dropdown.Item onClick={() => project && addChart(project, type)}>New state chart</Dropdown.Item>
        <Dropdown.Item onClick={() => chooseChartFile(type)}>State chart from an SCXML file …</Dropdown.Item>
        <Dropdown.Item onClick={() => project && addProcedure(project, type)}>New procedure</Dropdown.Item>
        <Dropdown.Item onClick={() => project && addSequence(project, type)}>New sequence</Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}
