import { combine, type Monitor } from './finding';
import type { MonitorSource } from './source';
import { hold, invariant, response } from './state-monitor';
import { treeMonitor } from './tree-monitor';

export function createMonitor(source: MonitorSource): Monitor {
  switch (source.kind) {
    case 'invariant':
      return invariant(source);
    case 'response':
      return response(source);
    case 'hold':
      return hold(source);
    case 'tree':
      return treeMonitor(source);
    case 'all': {
      const parts = source.sources.map(createMonitor);
      return {
        row(time, values) {
          for (const p of parts) p.row(time, values);
        },
        finding: (finished) => combine(parts.map((p) => p.finding(finished))),
      };
    }
  }
}
