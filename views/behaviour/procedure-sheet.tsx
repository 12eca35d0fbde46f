'use client';
import { CircleStop, Play, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useState } from 'react';
import { extractBlock } from '@/core/flows/edit-flow';
import { layoutFlow } from '@/core/flows/layout';
import { readFlow, type FlowProblem } from '@/core/flows/read-flow';
import { derivedPicture } from '@/core/sequences/derived';
import { newProcedure, type PartType, type Procedure, type Project } from '@/core/project/project';
import { fullName } from '@/store/derived';
import { sendMessage, toggleBreakpoint } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useGaps } from '@/store/coverage-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { useMoment, type RunMoment } from '@/ui/moment';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { deleteWithImpact } from '@/ui/impact';
import { StepDrawing } from '@/ui/steps/step-drawing';
import type { StepHolder } from '@/ui/steps/step-holder';
import { StepLines } from '@/ui/steps/step-lines';
import { TraceLinks } from '@/ui/trace-links';
import { BehaviourPicker } from './behaviour-picker';
import { numberedName } from '@/ui/names';
import { SequenceTip, SequenceView } from './sequence-view';
import { addValue, ValuesTable } from './values-table';
import { FieldRow } from '@/ui/field-row';

const procedureForms: readonly (readonly [form: string, meaning: string])[] = [
  ['belt: send advance to toBelt', 'a step with who does it; what it says is carried out'],
  ['count := count + 1', 'sets a quantity; equations and relations follow'],
  ['gripper: holds the tube; takes tube; gives held tube', 'a step in words, with what it takes, uses and gives'],
  ['wait 0.5 s, wait until torque > 0.5, wait for seated(angle)', 'time, a condition, a message with its arguments'],
  ['if count > 3 / else if ... / else', 'a choice; its steps stand further right'],
  ['together / lane ...', 'ways that go on at the same time'],
  ['repeat 3 times, repeat while ..., repeat until ...', 'what stands inside happens again'],
  ['abort on guardOpened, abort when temperature > 90', 'a message or condition stops everything inside'],
  ['call fill(level = 3) into ok', 'another procedure, with values and its result'],
  ['start fill, await fill, stop fill', 'another procedure beside this one'],
];

/** Lines of a procedure that are active at a moment. */
function activeLines({ run, isIn }: RunMoment, name: string): ReadonlySet<string> {
  const chart = run?.model.charts.find((c) => c.name === name);
  // a step inside zones and lanes lights them as well
  return new Set(
    chart?.states.flatMap((path, k) => {
      const line = /\/line\/([^/]+)$/.exec(chart.places[k] ?? '')?.[1];
      return line !== undefined && isIn(name, path) ? [line] : [];
    }),
  );
}

/** A procedure: lines and drawing, or the sequence they come to between the parts. */
export function ProcedureSheet({
  project,
  type,
  procedure,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly procedure: Procedure;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const { say, go, select } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const [asSequence, setAsSequence] = useState(false);
  const allProblems = useProject((s) => s.problems);
  const stops = useRuns((s) => s.breakpoints);
  const moment = useMoment();
  const { run } = moment;
  const list = `type/${type.id}/procedure`;
  const address = `type/${type.id}/procedure/${procedure.id}`;
  const name = fullName(path, procedure.name);
  const read = useMemo(
    () =>
      readFlow(
        { id: procedure.id, lines: procedure.lines },
        type.procedures.map((p) => ({ id: p.id, name: p.name, lines: p.lines })),
      ),
    [procedure.id, procedure.lines, type.procedures],
  );
  const layout = useMemo(() => layoutFlow(read.nodes, { start: '', end: '' }), [read]);
  const problems = useMemo(
    () =>
      allProblems
        .filter((p) => p.place?.startsWith(`${address}/line/`))
        .map((p): FlowProblem => ({ line: p.place!.slice(address.length + 6).split('/')[0], message: p.message })),
    [allProblems, address],
  );
  const picture = useMemo(
    () => (asSequence ? derivedPicture(project, type, procedure) : undefined),
    [asSequence, project, type, procedure],
  );
  const makeOwn = (line: string, base: string, newLine: string): void => {
    const taken = [...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].map(
      (x) => x.name,
    );
    const words = base
      .replace(/[^\p{L}\p{N}]+/gu, ' ')
      .trim()
      .split(' ')
      .slice(0, 3);
    const plain = words.map((w, k) => (k === 0 ? w.toLowerCase() : w[0].toUpperCase() + w.slice(1))).join('') || 'part';
    const free =
      /^\d/.test(plain) || taken.includes(plain) ? numberedName(taken, /^\d/.test(plain) ? 'part' : plain) : plain;
    const id = `d-${nanoid(8)}`;
    const refused = edit(
      extractBlock(holder, line, newLine, free, (lines) => ({ ...newProcedure(id, free), lines })),
      'Make a procedure of its own',
    );
    if (refused) say(refused.message);
    else go({ sheet: `procedure/${id}` });
  };
  const marks = useGaps();
  const gaps = useMemo(
    () =>
      new Map(
        procedure.lines.flatMap((l) => {
          const word = marks.get(`${address}/line/${l.id}`);
          return word === undefined ? [] : [[l.id, { text: word, tone: 'open' as const }] as const];
        }),
      ),
    [marks, procedure.lines, address],
  );
  const active = useMemo(
    () => (path === undefined ? new Set<string>() : activeLines(moment, name)),
    [moment, name, path],
  );
  const stopped = useMemo(() => new Set([...stops].filter((s) => s.startsWith(address))), [stops, address]);
  const holder: StepHolder = {
    id: procedure.id,
    lines: procedure.lines,
    list,
    address,
    forms: procedureForms,
    hint: 'count := 0',
    writing: `Write ${procedure.name}`,
    ownWord: 'Own procedure',
    makeOwn,
    active,
    said: gaps,
    stops: stopped,
    empty: 'Each line on the left is a step, for example “send start to belt”, “wait 0.5 s” or “repeat 3 times”.',
  };
  const stateNow = path !== undefined ? moment.leaves(name)?.[0]?.split('.')[0] : undefined;
  const chosen = item.startsWith('line/') ? `${address}/${item}` : undefined;
  return (
    <>
      <div className="pane-head">
        <BehaviourPicker type={type} />
        <DraggableName name={name} from="chart">
          <span className="quiet">procedure</span>
        </DraggableName>
        {stateNow && (
          <span className="text-nowrap" data-testid="procedure-state">
            <span className={stateNow === 'Running' ? 'lit-dot d-inline-block me-1' : ''} />
            {stateNow.toLowerCase()}
          </span>
        )}
        <span style={{ flex: 1 }} />
        {chosen && (
          <Button onClick={() => toggleBreakpoint(chosen)} aria-pressed={stops.has(chosen)}>
            <CircleStop size={14} aria-hidden /> {stops.has(chosen) ? 'No longer stop here' : 'Stop here'}
          </Button>
        )}
        {path !== undefined && (
          <Button
            onClick={() => void sendMessage(`${path ? `${path}.` : ''}${procedure.name}.start`)}
            title="Starts it in the run that is going on"
            disabled={run?.status !== 'running' && run?.status !== 'paused'}
          >
            <Play size={14} aria-hidden /> Start it
          </Button>
        )}
        <div className="btn-group" role="group" aria-label="Shown as">
          <Button
            variant={asSequence ? 'plain' : 'primary'}
            aria-pressed={!asSequence}
            onClick={() => setAsSequence(false)}
          >
            Steps
          </Button>
          <Button
            variant={asSequence ? 'primary' : 'plain'}
            aria-pressed={asSequence}
            onClick={() => setAsSequence(true)}
            data-testid="as-sequence"
          >
            Between parts
          </Button>
        </div>
      </div>
      <div className="flow-sheet">
        <StepLines flow={holder} problems={problems} />
        {picture ? (
          <div className="sequence-side" style={{ display: 'flex', flexDirection: 'column', minHeight: 0 }}>
            <SequenceTip />
            <SequenceView
              picture={picture}
              selected=""
              choose={(row) => select(`line/${row.id.split('/')[0]}`)}
              empty="When steps say who does them (“belt: brings a tube; gives tube”), what goes between the parts is drawn here."
            />
          </div>
        ) : (
          <StepDrawing flow={holder} layout={layout} problems={problems} />
        )}
      </div>
    </>
  );
}

/** The procedure itself: its name, whether it starts with its part, its quantities and result. */
export function ProcedureDetails({ type, procedure }: { readonly type: PartType; readonly procedure: Procedure }) {
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const list = `type/${type.id}/procedure`;
  const values = `${list}/${procedure.id}/value`;
  const place = `type/${type.id}/procedure/${procedure.id}`;
  const set = (changes: Partial<Procedure>, what: string) =>
    edit({ kind: 'update', list, id: procedure.id, changes }, what);
  const add = (): void => addValue(values, procedure.values, procedure.name, { name: 'value', type: 'Real' });
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">procedure</span> {procedure.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <FieldRow label="Name">
          <CellField
            value={procedure.name}
            label="Name of the procedure"
            mono
            onCommit={(name) =>
              edit({ kind: 'rename', list, id: procedure.id, name }, `Rename ${procedure.name} to ${name}`)
            }
          />
        </FieldRow>
        <label className="px-3 py-1 d-flex gap-2 align-items-center">
          <input
            type="checkbox"
            className="form-check-input mt-0"
            checked={procedure.main}
            onChange={(e) => set({ main: e.target.checked }, `Change when ${procedure.name} starts`)}
          />
          starts with its part
        </label>
        <p className="quiet px-3 mb-1">
          Charts and procedures of the part start it with start({procedure.name}), end it with stop({procedure.name}),
          and see it as in({procedure.name}.Running).
        </p>
        <div className="px-3 py-1">
          <label className="quiet d-block">Note</label>
          <CellField
            value={procedure.note}
            label="Note of the procedure"
            multiline
            placeholder="what it is for"
            onCommit={(note) => set({ note }, `Change the note of ${procedure.name}`)}
          />
        </div>
        <h3 className="section-title">Quantities of its own</h3>
        {procedure.values.length === 0 && (
          <p className="quiet px-3">None. A call can give them values: call {procedure.name}(level = 3).</p>
        )}
        <ValuesTable list={values} values={procedure.values} testId="procedure-values" />
        {procedure.values.length > 0 && (
          <FieldRow label="Result">
            <CellSelect
              value={procedure.result}
              label="Result of the procedure"
              options={[['', 'none'], ...procedure.values.map((v) => [v.name, v.name] as const)]}
              onCommit={(result) => set({ result }, `Change the result of ${procedure.name}`)}
            />
          </FieldRow>
        )}
        <div className="px-3 py-2 d-flex gap-2">
          <Button size="sm" onClick={add}>
            <Plus size={13} aria-hidden /> Quantity
          </Button>
          <Button
            size="sm"
            onClick={() =>
              deleteWithImpact(
                place,
                { kind: 'remove', list, id: procedure.id },
                `Delete the procedure ${procedure.name}`,
                () => usePlace.getState().go({ sheet: '' }),
              )
            }
          >
            Delete the procedure
          </Button>
        </div>
        <TraceLinks address={item.startsWith('line/') ? `${place}/${item}` : place} what={procedure.name} />
      </div>
    </>
  );
}
