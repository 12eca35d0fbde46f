'use client';
import type { Study } from '@/core/project/project';
import { runName, useRuns } from '@/store/run-store';
import { endedRuns, keptId } from '@/store/study-store';
import { FieldRow } from '@/ui/field-row';
import type { StudyFields } from './study-fields';

/** Runs the browser keeps, which are compared as they were: with the design of that time, and what was done by hand. */
export function KeptRuns({
  study,
  fields: { set, problemOf },
}: {
  readonly study: Study;
  readonly fields: Pick<StudyFields, 'set' | 'problemOf'>;
}) {
  const current = useRuns((s) => s.current);
  const kept = useRuns((s) => s.kept);
  const runs = endedRuns({ current, kept }).map((r) => ({ id: keptId(r), name: runName(r) }));
  const gone = study.kept.filter((id) => !runs.some((r) => r.id === id));
  if (runs.length + gone.length === 0) return null;
  return (
    <FieldRow label="Runs made before" className="d-flex flex-wrap column-gap-3">
      {[...runs, ...gone.map((id) => ({ id, name: 'a run that is no longer kept' }))].map(({ id, name }) => (
        <label key={id} className="d-flex gap-2 align-items-center">
          <input
            type="checkbox"
            className="form-check-input mt-0"
            checked={study.kept.includes(id)}
            onChange={(e) =>
              set(
                { kept: e.target.checked ? [...study.kept, id] : study.kept.filter((x) => x !== id) },
                'Change the runs that are compared',
              )
            }
          />
          {name}
        </label>
      ))}
      {problemOf('kept') !== undefined && <div className="field-problem">{problemOf('kept')}</div>}
    </FieldRow>
  );
}
