import { combine, type Monitor } from './finding';
import type { MonitorSource } from './source';
import { hold, invariant, response } from './state-monitor';
import { treeMonitor } from './tree-monitor';

/** `rests` tells the variables that change at events only; without it every row is looked at in full. */
export function createMonitor(source: MonitorSource, rests: (variable: number) => boolean = () => false): Monitor {
  switch (source.kind) {
    case 'invariant':
      return invariant(source, rests);
    case 'response':
      return response(source, rests);
    case 'hold':
      return hold(source, rests);
    case 'tree':
      return treeMonitor(source);
    case 'all': {
      const parts = source.sources.map((s) => createMonitor(s, rests));
      return {
        row(time, values, quiet) {
          for (const p of parts) p.row(time, values, quiet);
        },
        finding: (finished) => combine(parts.map((p) => p.finding(finished))),
      };
    }
  }
}
