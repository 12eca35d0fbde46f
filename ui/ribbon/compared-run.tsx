'use client';
import { runName, useRuns } from '@/store/run-store';

/** Which of the runs that are kept is drawn dashed behind the one at hand. */
export function ComparedRun() {
  const kept = useRuns((s) => s.kept);
  const compared = useRuns((s) => s.compared);
  const earlier = useRuns((s) => s.earlier);
  if (kept.length === 0) return <>time in s</>;
  return (
    <label
      className="compared-run quiet"
      title={earlier ? `Dashed: earlier run ${runName(earlier)}` : 'No run is drawn behind this one'}
    >
      dashed:
      <select
        aria-label="Earlier run that is compared"
        value={
          compared === 'newest' && earlier ? 'newest' : compared === 'none' ? 'none' : String(earlier?.at ?? 'newest')
        }
        onChange={(e) =>
          useRuns
            .getState()
            .compare(e.target.value === 'none' || e.target.value === 'newest' ? e.target.value : Number(e.target.value))
        }
      >
        <option value="newest">earlier run ({runName(kept[0])})</option>
        {kept.slice(1).map((r) => (
          <option key={r.at} value={r.at}>
            {runName(r)}
          </option>
        ))}
        <option value="none">no run</option>
      </select>
    </label>
  );
}
