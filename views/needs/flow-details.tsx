'use client';
import { Trash2, WandSparkles } from 'lucide-react';
import { useState } from 'react';
import type { Flow } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { DeriveDialog } from './derive-dialog';

const fields: readonly (readonly [
  keyof Flow & ('actor' | 'trigger' | 'precondition' | 'postcondition'),
  string,
  string,
])[] = [
  ['actor', 'Who', 'operator'],
  ['trigger', 'Begins when', 'the operator wants ...'],
  ['precondition', 'Before', 'what holds already'],
  ['postcondition', 'Reached', 'what holds afterwards'],
];

/** The flow at hand and its selected step: who, when, and the requirements of both. */
export function FlowDetails() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  const item = usePlace((s) => s.item);
  const { edit } = useProject.getState();
  const { go } = usePlace.getState();
  const [deriving, setDeriving] = useState(false);
  const flow = project?.flows.find((f) => `flow/${f.id}` === sheet);
  if (!project || !flow) return null;
  const line = flow.lines.find((l) => `line/${l.id}` === item);
  const remove = (): void =>
    deleteWithImpact(
      `flow/${flow.id}`,
      { kind: 'remove', list: 'flow', id: flow.id },
      `Delete the use flow ${flow.name}`,
      () => go({ area: 'needs' }),
    );
  return (
    <>
      <div className="pane-head">
        <h2>{line ? line.text || 'empty line' : flow.name}</h2>
        {!line && (
          <Button variant="bare" label={`Delete the use flow ${flow.name}`} onClick={remove}>
            <Trash2 size={14} aria-hidden />
          </Button>
        )}
      </div>
      <div className="pane-body">
        {line && (
          <>
            <div className="px-3 pt-2">
              <Button size="sm" onClick={() => setDeriving(true)} data-testid="derive-one">
                <WandSparkles size={13} aria-hidden /> Derive a requirement
              </Button>
            </div>
            <TraceLinks address={`flow/${flow.id}/line/${line.id}`} what={line.text} />
          </>
        )}
        <h3 className="section-title">Flow</h3>
        {fields.map(([key, label, placeholder]) => (
          <div className="field-row" key={key}>
            <label>{label}</label>
            <CellField
              value={flow[key]}
              label={label}
              multiline
              placeholder={placeholder}
              onCommit={(text) =>
                edit({ kind: 'update', list: 'flow', id: flow.id, changes: { [key]: text } }, `Change ${flow.name}`)
              }
            />
          </div>
        ))}
        {!line && <TraceLinks address={`flow/${flow.id}`} what={flow.name} />}
      </div>
      {deriving && line && (
        <DeriveDialog project={project} flow={flow} line={line.id} close={() => setDeriving(false)} />
      )}
    </>
  );
}
