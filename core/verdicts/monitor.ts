import { combine, type Monitor, type MonitorState } from './finding';
import type { MonitorSource } from './source';
import { hold, invariant, response, type HoldState, type InvariantState, type ResponseState } from './state-monitor';
import { treeMonitor, type TreeState } from './tree-monitor';

/**
 * `rests` tells the variables that change at events only; without it every row is looked at in full. With what another monitor of the
 * same source remembers, it goes on from there.
 */
export function createMonitor(
  source: MonitorSource,
  rests: (variable: number) => boolean = () => false,
  saved?: MonitorState,
): Monitor {
  switch (source.kind) {
    case 'invariant':
      return invariant(source, rests, saved as InvariantState | undefined);
    case 'response':
      return response(source, rests, saved as ResponseState | undefined);
    case 'hold':
      return hold(source, rests, saved as HoldState | undefined);
    case 'tree':
      return treeMonitor(source, saved as TreeState | undefined);
    case 'all': {
      const kept = saved as readonly MonitorState[] | undefined;
      const parts = source.sources.map((s, k) => createMonitor(s, rests, kept?.[k]));
      return {
        state: parts.map((p) => p.state),
        row(time, values, quiet) {
          for (const p of parts) p.row(time, values, quiet);
        },
        rests: () => parts.every((p) => p.rests()),
        finding: (finished) => combine(parts.map((p) => p.finding(finished))),
      };
    }
  }
}
