import type { Chart, ChartState } from './document';

/** A state that does not stand where it says. */
export interface LooseState {
  readonly state: ChartState;
  readonly why: string;
}

interface Nesting {
  readonly chart: Chart;
  readonly loose: readonly LooseState[];
}
const known = new WeakMap<Chart, Nesting>();

/**
 * A chart in which every state leads up to the top. Files can have states that stand in one another in a ring, or in one that is
 * gone: those are taken to stand at the top, and are told.
 */
export function soundNesting(chart: Chart): Nesting {
  let found = known.get(chart);
  if (!found) known.set(chart, (found = mend(chart)));
  return found;
}

function mend(chart: Chart): Nesting {
  const byId = new Map(chart.states.map((s) => [s.id, s]));
  const good = new Set<string>();
  const loose = new Map<string, LooseState>();
  for (const s of chart.states) {
    const way = new Set<string>();
    let at: ChartState | undefined = s;
    while (at && !good.has(at.id) && !way.has(at.id) && !loose.has(at.id)) {
      way.add(at.id);
      if (at.parent === null) break;
      const outer: ChartState | undefined = byId.get(at.parent);
      if (!outer)
        loose.set(at.id, {
          state: at,
          why: `The state ${at.name} stands in one that is gone; it is taken as outermost`,
        });
      else if (way.has(outer.id))
        loose.set(at.id, {
          state: at,
          why:
            outer === at
              ? `The state ${at.name} stands in itself; it is taken as outermost`
              : `The states ${[...way].map((id) => byId.get(id)!.name).join(', ')} stand in one another in a ring; ${at.name} is taken as outermost`,
        });
      at = outer;
    }
    for (const id of way) good.add(id);
  }
  return loose.size === 0
    ? { chart, loose: [] }
    : {
        chart: { ...chart, states: chart.states.map((s) => (loose.has(s.id) ? { ...s, parent: null } : s)) },
        loose: [...loose.values()],
      };
}
