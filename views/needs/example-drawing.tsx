'use client';
import { useEffect, useState } from 'react';
import type { Example, ExampleSignal, ExamplePoint } from '@/core/run/example';
import { exampleFor } from '@/store/checking';
import { formatNumber } from '@/ui/format';

/** A made-up course of the signals that would hold, and one that would fail; judged by the same monitor as runs are. */
export function ExampleDrawing({ formula }: { readonly formula: string }) {
  const [example, setExample] = useState<Example>();
  useEffect(() => {
    let wanted = true;
    const timer = setTimeout(
      () =>
        void exampleFor(formula)
          .then((e) => wanted && setExample(e))
          .catch(() => undefined),
      150,
    );
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [formula]);
  if (!example) return null;
  return (
    <div className="example-drawing" data-testid="example">
      {(['holds', 'fails'] as const).map((which) => (
        <figure key={which}>
          <figcaption className={which === 'holds' ? 'good-ink' : 'bad-ink'}>
            {which === 'holds' ? 'This would hold' : 'This would fail'}
          </figcaption>
          {example.signals.map((s) => (
            <SignalDrawing key={s.name} signal={s} points={s[which]} end={example.end} />
          ))}
          <div className="quiet" style={{ fontSize: '0.85em', textAlign: 'right' }}>
            {formatNumber(example.end, 3)} s
          </div>
        </figure>
      ))}
    </div>
  );
}

const width = 190,
  height = 34,
  inset = 4;

function SignalDrawing({
  signal,
  points,
  end,
}: {
  readonly signal: ExampleSignal;
  readonly points: readonly ExamplePoint[] | undefined;
  readonly end: number;
}) {
  const all = [...(signal.holds ?? []), ...(signal.fails ?? [])].map((p) => p[1]);
  const [low, high] = [Math.min(...all, ...signal.levels), Math.max(...all, ...signal.levels)];
  const x = (t: number): number => (t / end) * width;
  const y = (v: number): number => height - inset - ((v - low) / (high - low || 1)) * (height - 2 * inset);
  return (
    <div className="d-flex align-items-center gap-2">
      <span className="mono text-truncate example-name" title={signal.name}>
        {signal.name}
      </span>
      {points ? (
        <svg width={width} height={height} role="img" aria-label={`Example of ${signal.name}`}>
          {!signal.isBoolean &&
            signal.levels.map((l) => (
              <line
                key={l}
                x1={0}
                x2={width}
                y1={y(l)}
                y2={y(l)}
                stroke="var(--ink-3)"
                strokeDasharray="3 3"
                strokeWidth={0.8}
              />
            ))}
          <polyline
            points={points.map(([t, v]) => `${x(t)},${y(v)}`).join(' ')}
            fill="none"
            stroke="var(--line-1)"
            strokeWidth={1.6}
          />
        </svg>
      ) : (
        <span className="quiet">no simple example</span>
      )}
    </div>
  );
}
