'use client';
import { ReactFlowProvider } from '@xyflow/react';
import { Plus } from 'lucide-react';
import { useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';
import { addChart } from './behaviour-picker';
import { ChartDetails } from './chart-details';
import { ChartSheet } from './chart-sheet';
import { StateDetails } from './state-details';
import { TransitionDetails } from './transition-details';

/** What a part does: the chart, procedure or sequence that is chosen. */
export function BehaviourSheet() {
  const { type, path } = useHere();
  const sheet = usePlace((s) => s.sheet);
  if (!type) return null;
  const [kind, id] = sheet.split('/');
  const chart = (kind === 'chart' ? type.charts.find((c) => c.id === id) : undefined) ?? type.charts[0];
  if (!chart) {
    return (
      <div className="empty">
        <h3>{type.name} has no state chart</h3>
        <p>A state chart says which modes a part has and what takes it from one to the other: a message, a time, or something becoming true. States can hold states.</p>
        <Button variant="primary" onClick={() => addChart(type)}>
          <Plus size={14} aria-hidden /> Add a state chart
        </Button>
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
  const chart = (sheetKind === 'chart' ? type?.charts.find((c) => c.id === sheetId) : undefined) ?? type?.charts[0];
  if (!type || !chart || !project) return <div className="empty">What is selected on the sheet is edited here.</div>;
  const [kind, id] = item.split('/');
  const state = kind === 'state' ? chart.states.find((s) => s.id === id) : undefined;
  const transition = kind === 'transition' ? chart.transitions.find((t) => t.id === id) : undefined;
  if (state) return <StateDetails key={state.id} type={type} chart={chart} state={state} path={path} />;
  if (transition) return <TransitionDetails key={transition.id} type={type} chart={chart} transition={transition} path={path} />;
  return <ChartDetails type={type} chart={chart} />;
}
