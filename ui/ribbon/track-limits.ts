import { useMemo } from 'react';
import { isFixed, limitAt, limitsIn, type QuantityLimit } from '@/core/run/drawn-limits';
import { limitOf } from '@/core/requirements/read-limit';
import { useProject } from '@/store/project-store';
import { useRuns, type RunView } from '@/store/run-store';
import { momentAt } from '../moment';
import { useThrottled } from '../use-throttled';
import type { PlotLimit } from './quantity-plot';

const none: readonly PlotLimit[] = [];
const mostPerPlot = 6;

interface Known {
  readonly key: string;
  readonly id: string;
  readonly limit: QuantityLimit;
}

/** Limits of requirements by the quantity they are about, drawn only while they are asked for in the run at hand. */
export function useTrackLimits(): (names: readonly string[]) => readonly PlotLimit[] {
  const run = useRuns((s) => s.current);
  const requirements = useProject((s) => s.project?.requirements);
  const glossary = useProject((s) => s.project?.glossary);
  const byName = useMemo(() => {
    const found = new Map<string, Known[]>();
    for (const r of requirements ?? []) {
      const { formula } = limitOf(r, glossary ?? []);
      for (const limit of formula === undefined ? [] : limitsIn(formula)) {
        const known = { key: r.key, id: r.id, limit };
        found.set(limit.name, [...(found.get(limit.name) ?? []), known]);
      }
    }
    return found;
  }, [requirements, glossary]);
  const findings = useThrottled(run?.findings, 400);
  const end = useThrottled(run?.time ?? 0, 400);
  const model = run?.model;
  return useMemo(() => {
    const asked = new Map<string, readonly PlotLimit[]>();
    return (names) => {
      if (!run || !model) return none;
      const key = names.join('\n');
      let found = asked.get(key);
      if (!found)
        asked.set(
          key,
          (found = names
            .flatMap((n) => (byName.get(n) ?? []).flatMap((k) => drawn(k, run, findings ?? [], end)))
            .slice(0, mostPerPlot)),
        );
      return found;
    };
    // the recording itself grows in place, and parameters stay
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [byName, model, findings, end]);
}

function drawn({ key, id, limit }: Known, run: RunView, findings: RunView['findings'], end: number): PlotLimit[] {
  // a bound that moves is a curve of its own
  if (!isFixed(limit, (n) => run.data.columns.has(n) && !Object.hasOwn(run.model.parameters, n))) return [];
  const finding = findings.find((f) => f.id === id);
  if (!finding) return [];
  const now = momentAt(run, 0);
  const values = limitAt(limit, {
    time: 0,
    value: now.value,
    unit: (n) => now.unit(n) || run.data.columns.get(n)?.unit,
    isActive: () => false,
    enteredAt: undefined,
    lastMessage: () => undefined,
  });
  const { lane } = finding;
  const spans = lane.flatMap((s, k): (readonly [number, number])[] =>
    s.status === 'idle' ? [] : [[s.from, lane[k + 1]?.from ?? end]],
  );
  const joined: (readonly [number, number])[] = [];
  for (const s of spans) {
    const last = joined.at(-1);
    if (last && last[1] >= s[0]) joined[joined.length - 1] = [last[0], s[1]];
    else joined.push(s);
  }
  return joined.length === 0 ? [] : values.map((value) => ({ key, name: limit.name, value, spans: joined }));
}
