import * as Comlink from 'comlink';
import { childStates, type Chart } from '@/core/project/project';
import type { Edit } from '@/core/project/edit';
import type { LayoutApi, LayoutGraph, LayoutNode } from '@/workers/layout.worker';
import { boxesOf, headerHeight, transitionText } from './chart-geometry';

/** Lets the layout library place the states; the result is one edit. */
export async function tidyChart(chart: Chart, address: string): Promise<Edit> {
  const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
  const api = Comlink.wrap<LayoutApi>(worker);
  try {
    const sizes = boxesOf({ ...chart, states: chart.states.map((s) => ({ ...s, x: 0, y: 0 })) });
    const build = (parent: string | null): LayoutNode[] =>
      childStates(chart, parent).map((s) => {
        const children = build(s.id);
        const size = sizes.get(s.id)!;
        return children.length > 0
          ? {
              id: s.id,
              width: size.width,
              height: size.height,
              children,
              layoutOptions: { 'elk.padding': `[top=${headerHeight + 18},left=20,bottom=20,right=20]` },
            }
          : { id: s.id, width: size.width, height: size.height };
      });
    const graph: LayoutGraph = {
      id: 'chart',
      width: 0,
      height: 0,
      children: build(null),
      layoutOptions: {
        'elk.algorithm': 'layered',
        'elk.direction': 'DOWN',
        'elk.hierarchyHandling': 'INCLUDE_CHILDREN',
        'elk.spacing.nodeNode': '46',
        'elk.edgeLabels.inline': 'true',
        'elk.layered.spacing.nodeNodeBetweenLayers': '34',
        'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
        'elk.spacing.componentComponent': '40',
      },
      edges: chart.transitions
        .filter((t) => t.to !== '' && t.from !== t.to)
        .map((t) => ({
          id: t.id,
          sources: [t.from],
          targets: [t.to],
          labels: [{ text: t.id, width: Math.min(190, transitionText(t).length * 6 + 10), height: 18 }],
        })),
    };
    const placed = await api.layout(graph);
    const edits: Edit[] = [];
    const collect = (node: LayoutNode): void => {
      for (const child of node.children ?? []) {
        edits.push({
          kind: 'update',
          list: `${address}/state`,
          id: child.id,
          changes: { x: Math.round(child.x ?? 0), y: Math.round(child.y ?? 0) },
        });
        collect(child);
      }
    };
    collect(placed);
    return { kind: 'batch', label: 'Tidy the chart', edits };
  } finally {
    api[Comlink.releaseProxy]();
    worker.terminate();
  }
}
