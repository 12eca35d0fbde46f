'use client';
import { Download, ImageDown, Printer, WandSparkles } from 'lucide-react';
import { useMemo, useState } from 'react';
import { nanoid } from 'nanoid';
import { extractBlock } from '@/core/flows/edit-flow';
import { newFlow, type Flow, type Project } from '@/core/project/project';
import { layoutFlow } from '@/core/flows/layout';
import { projectFlow } from '@/core/flows/read-flow';
import { lineForms } from '@/core/lines/flow-line';
import { flowSvg } from '@/core/flows/svg';
import { flowProposals } from '@/core/trace/requirements-of-flow';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { savePicture } from '@/ui/picture';
import { usePrintPicture } from '@/ui/printing';
import { DeriveDialog } from './derive-dialog';
import { StepDrawing } from '@/ui/steps/step-drawing';
import type { StepHolder } from '@/ui/steps/step-holder';
import { StepLines } from '@/ui/steps/step-lines';

/** A use flow: its lines to type, and the drawing that follows them; either changes both. */
export function FlowSheet({ project, flow }: { readonly project: Project; readonly flow: Flow }) {
  const { edit } = useProject.getState();
  const { say } = usePlace.getState();
  const [deriving, setDeriving] = useState(false);
  const read = projectFlow(project, flow);
  const layout = useMemo(
    () => layoutFlow(read.nodes, { start: flow.trigger, end: flow.postcondition }),
    [read, flow.trigger, flow.postcondition],
  );
  const open = useMemo(() => flowProposals(project, flow).length, [project, flow]);
  const makeOwn = (line: string, base: string, newLine: string): void => {
    const name = `${base[0].toUpperCase()}${base.slice(1)}`.slice(0, 60);
    const taken = new Set(project.flows.map((f) => f.name));
    let free = name;
    for (let k = 2; taken.has(free); k++) free = `${name} ${k}`;
    const id = `f-${nanoid(8)}`;
    const refused = edit(
      extractBlock(holder, line, newLine, free, (lines) => ({ ...newFlow(id, free), actor: flow.actor, lines })),
      'Make a flow of its own',
    );
    if (refused) say(refused.message);
    else usePlace.getState().go({ area: 'needs', sheet: `flow/${id}` });
  };
  const holder: StepHolder = {
    id: flow.id,
    lines: flow.lines,
    list: 'flow',
    address: `flow/${flow.id}`,
    forms: lineForms,
    hint: 'operator: does something',
    writing: 'Write a flow',
    ownWord: 'Own flow',
    makeOwn,
    empty: 'Each line on the left is a step, for example “operator: presses start”.',
  };
  usePrintPicture(() => flowSvg(layout, flow.name));
  const picture = (kind: 'svg' | 'png'): void =>
    void savePicture(flowSvg(layout, flow.name), flow.name, kind).catch((e: unknown) =>
      say(`The picture could not be made: ${String(e)}`),
    );
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 'none' }}>
          <span className="quiet" style={{ fontWeight: 400 }}>
            use flow{' '}
          </span>
          <span style={{ width: Math.max(80, flow.name.length * 8 + 16), display: 'inline-block' }}>
            <CellField
              value={flow.name}
              label="Name of the use flow"
              onCommit={(name) =>
                edit({ kind: 'update', list: 'flow', id: flow.id, changes: { name } }, `Rename ${flow.name}`)
              }
            />
          </span>
        </h2>
        <div className="quiet" style={{ flex: 1, minWidth: 0 }}>
          <CellField
            value={flow.goal}
            label="Goal"
            placeholder="what is reached with it"
            onCommit={(goal) =>
              edit({ kind: 'update', list: 'flow', id: flow.id, changes: { goal } }, `Change the goal of ${flow.name}`)
            }
          />
        </div>
        <Button
          onClick={() => (open > 0 ? setDeriving(true) : say('Every step and branch has a requirement', 'note'))}
          data-testid="derive-all"
        >
          <WandSparkles size={14} aria-hidden /> Derive requirements
        </Button>
        <Button variant="bare" label="Save the drawing as SVG" onClick={() => picture('svg')}>
          <Download size={14} aria-hidden />
        </Button>
        <Button variant="bare" label="Save the drawing as PNG" onClick={() => picture('png')}>
          <ImageDown size={14} aria-hidden />
        </Button>
        <Button variant="bare" label="Print the drawing" onClick={() => window.print()}>
          <Printer size={14} aria-hidden />
        </Button>
      </div>
      <div className="flow-sheet">
        <StepLines flow={holder} problems={read.problems} />
        <StepDrawing flow={holder} layout={layout} problems={read.problems} />
      </div>
      {deriving && <DeriveDialog project={project} flow={flow} close={() => setDeriving(false)} />}
    </>
  );
}
