'use client';
import { useMemo } from 'react';
import type { PartType } from '@/core/project/project';
import { detectorsOf } from '@/core/signals/estimators';
import { detectionAt, type ReadRecording } from '@/core/studies/estimates';
import { fullName } from '@/store/derived';
import { useRuns } from '@/store/run-store';
import { formatNumber } from '@/ui/format';

/** What detectors of change told before and after the cursor: put to the moment of a change, false alarms and how long it took. */
export function Alarms({
  type,
  path,
  recording,
}: {
  readonly type: PartType;
  readonly path: string;
  readonly recording: ReadRecording;
}) {
  const cursor = useRuns((s) => s.cursor);
  const rows = useMemo(
    () =>
      detectorsOf(type).flatMap((d) => {
        const found = detectionAt(recording, fullName(path, d.alarm), d.since && fullName(path, d.since), cursor);
        return found ? [{ ...d, ...found }] : [];
      }),
    [type, path, recording, cursor],
  );
  if (rows.length === 0) return null;
  const seconds = (t: number): string => `${formatNumber(t, 4)} s`;
  return (
    <section>
      <h3 className="plot-title">Alarms, before and after {seconds(cursor)}</h3>
      <table className="table mb-2" data-testid="alarms">
        <thead>
          <tr>
            <th scope="col">Detector</th>
            <th scope="col" className="text-end">
              Before
            </th>
            <th scope="col">After</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.name}>
              <td className="mono">{r.name}</td>
              <td className="num mono" title={r.before.slice(0, 20).map(seconds).join(', ') || undefined}>
                {r.before.length}
              </td>
              <td>
                {r.first !== undefined
                  ? `${seconds(r.first - cursor)} later, at ${seconds(r.first)}`
                  : r.isOn
                    ? 'on already'
                    : 'none'}
                {r.first !== undefined && r.since !== undefined && (
                  <span className="quiet d-block">says it began at about {seconds(r.since)}</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
