import { readMessage } from '@/core/behaviour/chart-source';
import type { Chart } from '@/core/project/project';
import type { KnownName } from '@/ui/formula-editor';

/** Names that only the texts of a chart know: its own quantities and the arguments its triggers read. */
export function localNames(chart: Chart): KnownName[] {
  const args = new Set(
    chart.transitions.flatMap((t) =>
      t.triggers.flatMap((g) => (g.kind === 'message' ? (readMessage(g.on)?.args ?? []) : [])),
    ),
  );
  return [
    ...chart.values.map((v): KnownName => ({
      name: v.name,
      kind: 'quantity',
      detail: `${v.unit || v.type} · of this chart`,
    })),
    ...[...args].map((name): KnownName => ({ name, kind: 'quantity', detail: 'argument of a message' })),
  ];
}
