'use client';
import { ReactFlowProvider } from '@xyflow/react';
import { Plus } from 'lucide-react';
import { useHere } from '@/store/derived';
import { soundNesting } from '@/core/project/nesting';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';
import { addChart, addProcedure, addSequence } from '@/ui/editing/make';
import { ChartDetails } from './chart-details';
import { ChartSheet } from './chart-sheet';
import { ProcedureDetails, ProcedureSheet } from './procedure-sheet';
import { RecordedSheet } from './recorded-sheet';
import { SequenceDetails, SequenceSheet } from './sequence-sheet';
import { StateDetails } from './state-details';
import { TransitionDetails } from './transition-details';

/** What a part does: the chart, procedure or sequence that is chosen. */
export function BehaviourSheet() {
  const { type, path, project } = useHere();
  const sheet = usePlace((s) => s.sheet);
  if (!type || !project) return null;
  const [kind, id] = sheet.split('/');
  const procedure =
    type.procedures.find((p) => p.id === id) ??
    (sheet === '' && type.charts.length === 0 ? type.procedures[0] : undefined);
  const sequence = type.sequences.find((s) => s.id === id);
  if (kind === 'recorded') return <RecordedSheet project={project} type={type} />;
  if (procedure)
    return <ProcedureSheet key={procedure.id} project={project} type={type} procedure={procedure} path={path} />;
  if (sequence) return <SequenceSheet key={sequence.id} project={project} type={type} sequence={sequence} />;
  const written = (kind === 'chart' ? type.charts.find((c) => c.id === id) : undefined) ?? type.charts[0];
  const chart = written && soundNesting(written).chart;
  if (!chart) {
    return (
      <div className="empty">
        <h3>{type.name} does nothing of its own yet</h3>
        <p>
          A state chart says which modes a part has and what takes it from one to the other: a message, a time, or
          something becoming true. A procedure is steps in order, with waits, choices and repeats. A sequence says who
          tells whom what, and is run as a test.
        </p>
        <div className="d-flex gap-2 flex-wrap">
          <Button variant="primary" onClick={() => addChart(project, type)}>
            <Plus size={14} aria-hidden /> Add a state chart
          </Button>
          <Button onClick={() => addProcedure(project, type)}>
            <Plus size={14} aria-hidden /> Add a procedure
          </Button>
          <Button onClick={() => addSequence(project, type)}>
            <Plus size={14} aria-hidden /> Add a sequence
          </Button>
          <Button onClick={() => usePlace.getState().go({ sheet: 'recorded' })}>What was said in the last run</Button>
        </div>
      </div>
    );
  }
  return (
    <ReactFlowProvider key={chart.id}>
      <ChartSheet type={type} chart={chart} path={path} />
    </ReactFlowProvider>
  );
}

export function BehaviourDetails() {
  const { type, path, project } = useHere();
  const item = usePlace((s) => s.item);
  const sheet = usePlace((s) => s.sheet);
  const [sheetKind, sheetId] = sheet.split('/');
  const procedure =
    type?.procedures.find((p) => p.id === sheetId) ??
    (sheet === '' && type?.charts.length === 0 ? type.procedures[0] : undefined);
  const sequence = type?.sequences.find((s) => s.id === sheetId);
  if (type && procedure) return <ProcedureDetails key={procedure.id} type={type} procedure={procedure} />;
  if (type && sequence) return <SequenceDetails key={sequence.id} type={type} sequence={sequence} />;
  if (sheetKind === 'recorded')
    return (
      <div className="empty">
        <p>
          Each row is a message or a state entered. Choose a row to bring the cursor to its time; the arrow keys go from
          row to row. A broken line was heard by nobody who waited for it.
        </p>
      </div>
    );
  const written = (sheetKind === 'chart' ? type?.charts.find((c) => c.id === sheetId) : undefined) ?? type?.charts[0];
  const chart = written && soundNesting(written).chart;
  if (!type || !chart || !project) return <div className="empty">What is selected on the sheet is edited here.</div>;
  const [kind, id] = item.split('/');
  const state = kind === 'state' ? chart.states.find((s) => s.id === id) : undefined;
  const transition = kind === 'transition' ? chart.transitions.find((t) => t.id === id) : undefined;
  if (state) return <StateDetails key={state.id} type={type} chart={chart} state={state} path={path} />;
  if (transition)
    return <TransitionDetails key={transition.id} type={type} chart={chart} transition={transition} path={path} />;
  return <ChartDetails type={type} chart={chart} />;
}
