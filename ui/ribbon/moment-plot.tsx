'use client';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { RequirementFinding } from '@/core/run/run';
import { usePlace } from '@/store/place-store';
import { useRuns, type RunView } from '@/store/run-store';
import { formatNumber } from '../format';
import { marks, TimeAxisContext, toPixels, valueAxisWidth, type TimeAxis } from './axis';
import { LaneCanvas, type LaneBlock } from './lane-canvas';
import { QuantityPlot } from './quantity-plot';
import { segmentsOf } from './reduce';
import { useTrackLimits } from './track-limits';
import { laneLook, laneWord } from './rows';

/** The quantities of a requirement around one moment of a run, with its verdict lane; the moment is marked. */
export function MomentPlot({
  run,
  names,
  at,
  finding,
}: {
  readonly run: RunView;
  readonly names: readonly string[];
  readonly at: number;
  readonly finding: RequirementFinding;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(500);
  const theme = usePlace((s) => s.theme);
  const version = useRuns((s) => s.version);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const observer = new ResizeObserver(() => setWidth(Math.max(200, el.clientWidth - 24)));
    observer.observe(el);
    return () => observer.disconnect();
  }, []);
  const axis = useMemo((): TimeAxis => {
    const half = Math.max(run.time * 0.12, 1e-6);
    const from = Math.max(0, Math.min(at - half, run.time - 2 * half));
    return { from, to: Math.min(run.time, from + 2 * half) || 1, width: width - valueAxisWidth };
  }, [run.time, at, width]);
  const limits = useTrackLimits();
  const kindOf = (name: string): string | undefined => run.data.columns.get(name)?.kind;
  const curves = names.filter((n) => kindOf(n) === 'real' || kindOf(n) === 'integer');
  const byUnit = [...new Set(curves.map((n) => run.data.columns.get(n)!.unit))].map((unit) => ({
    unit,
    items: curves.filter((n) => run.data.columns.get(n)!.unit === unit),
  }));
  const lanes = names.filter((n) => !curves.includes(n));
  const verdict = finding.lane.map((s, k): LaneBlock => ({
    from: s.from,
    to: finding.lane[k + 1]?.from ?? run.time,
    ...laneLook[s.status],
    hatched: s.status === 'bad',
  }));
  return (
    <div ref={box} className="moment-plot px-3" data-testid="moment-plot">
      <TimeAxisContext.Provider value={axis}>
        <div className="position-relative">
          {byUnit.map(({ unit, items }) => (
            <div key={unit}>
              <div className="mono moment-name">{items.join(', ')}</div>
              <QuantityPlot
                items={items}
                unit={unit}
                second={undefined}
                limits={limits(items)}
                height={110}
                data={run.data}
                earlier={undefined}
                version={version}
                theme={theme}
              />
            </div>
          ))}
          {lanes.map((name) => {
            const column = run.data.columns.get(name);
            const blocks = segmentsOf(run.data, name, axis.from, axis.to).map((s): LaneBlock => ({
              ...s,
              label: laneWord(column, s.value),
              fill: s.value % 2 ? '--accent-soft' : '--paper-3',
              ink: '--ink',
            }));
            return (
              <div key={name}>
                <div className="mono moment-name">{name}</div>
                <LaneCanvas blocks={blocks} height={22} theme={theme} label={`States of ${name}`} />
              </div>
            );
          })}
          <div className="mono moment-name">{finding.key}</div>
          <LaneCanvas blocks={verdict} height={21} theme={theme} label={`Verdict of ${finding.key}`} />
          <div className="cursor-line" style={{ left: valueAxisWidth + toPixels(axis, at) }} />
        </div>
        <div className="moment-ruler mono" aria-hidden>
          {marks(axis.from, axis.to, axis.width / 90).map((t) => (
            <span key={t} style={{ left: valueAxisWidth + toPixels(axis, t) }}>
              {formatNumber(t)} s
            </span>
          ))}
        </div>
      </TimeAxisContext.Provider>
    </div>
  );
}
