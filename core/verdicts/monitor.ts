import { combine, lookAt, type LeastMargin, type Monitor, type MonitorState } from './finding';
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
        row(time, values) {
          for (const p of parts) p.row(time, values);
        },
        rests() {
          const all = parts.map((p) => p.rests());
          return all.every((x) => x !== undefined) ? all.flat() : undefined;
        },
        finding: (finished) => combine(parts.map((p) => p.finding(finished))),
      };
    }
  }
}

/** Monitors together. Most of them have little or nothing to see in a row before which nothing has happened: there they cost next to nothing. */
export interface Watchers {
  /** Shows a row; `quiet` where nothing has happened since the last one, so that what rests is as it was. */
  row(time: number, values: Float64Array, quiet: boolean): void;
}
export function createWatchers(monitors: readonly Monitor[]): Watchers {
  let awake: Monitor[] = [];
  let margins: LeastMargin[] = [];
  const sort = (): void => {
    awake = [];
    margins = [];
    for (const m of monitors) {
      const least = m.rests();
      if (least) margins.push(...least);
      else awake.push(m);
    }
  };
  sort();
  return {
    row(time, values, quiet) {
      for (const m of quiet ? awake : monitors) m.row(time, values);
      if (quiet) for (const m of margins) lookAt(m, time, values);
      else sort();
    },
  };
}
