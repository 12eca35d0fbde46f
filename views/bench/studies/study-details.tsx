'use client';
import { ListPlus, Play, X } from 'lucide-react';
import { useMemo } from 'react';
import type { Project, Study } from '@/core/project/project';
import { failed, marginOf, problemOf, toldOf, valuesOf, verdictOf } from '@/core/studies/run-table';
import { calledIn } from '@/core/studies/study';
import { keepAsSetup, openCase } from '@/store/study-actions';
import { useStudies, useStudyState } from '@/store/study-store';
import { Button } from '@/ui/button';
import { FieldRow } from '@/ui/field-row';
import { formatNumber, withUnit } from '@/ui/format';
import { marginWords, VerdictWord } from './verdict-row';

/** The run that was chosen. */
export function StudyDetails({ project, study }: { readonly project: Project; readonly study: Study }) {
  const { table, chosen, version } = useStudyState(study.id);
  const isRun = table !== undefined && chosen >= 0 && chosen < table.rows && table.status[chosen] !== 0;
  const values = useMemo(
    () => (isRun ? table.over.map((name, k) => ({ name, value: valuesOf(table, chosen)[k] })) : []),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [table, chosen, version, isRun],
  );
  return (
    <div className="pane">
      <div className="pane-head">
        <h2>{isRun ? `Run ${chosen + 1}` : study.name}</h2>
        <Button variant="bare" label="Close" onClick={() => useStudies.getState().put(study.id, { chosen: -1 })}>
          <X size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body">
        {isRun && (
          <div data-testid="chosen-run">
            {values.map((v, k) => (
              <FieldRow key={v.name} label={<span title={v.name}>{v.name.split('.').at(-1)}</span>}>
                <span className="mono" title={v.name}>
                  {withUnit(formatNumber(v.value, 6), table.units[k])}
                </span>
              </FieldRow>
            ))}
            {table.aims.map((aim, k) => (
              <FieldRow key={aim} label={<span title={aim}>{calledIn(study, aim)}</span>}>
                <span className="mono">{withUnit(formatNumber(toldOf(table, chosen, k), 5), table.aimUnits[k])}</span>
              </FieldRow>
            ))}
            {problemOf(table, chosen) !== '' && (
              <p className={`px-3 ${table.status[chosen] === failed ? 'bad-ink' : 'quiet'}`}>
                {problemOf(table, chosen)}
              </p>
            )}
            <div className="study-tools">
              <Button
                variant="primary"
                size="sm"
                onClick={() => void openCase(project, study, values)}
                title="Runs it into the ribbon: the same to the last digit"
              >
                <Play size={13} aria-hidden /> Open this run
              </Button>
              <Button
                size="sm"
                onClick={() =>
                  keepAsSetup(
                    project,
                    study,
                    `${study.name} ${chosen + 1}`,
                    `Run ${chosen + 1} of the study ${study.name}.`,
                    values,
                    [],
                  )
                }
                title="A setup with these values"
              >
                <ListPlus size={13} aria-hidden /> Keep
              </Button>
            </div>
            <table className="table shares">
              <tbody>
                {table.requirements.map((r, j) => (
                  <tr key={r.id}>
                    <td className="mono">{r.key}</td>
                    <td>
                      <VerdictWord verdict={verdictOf(table, chosen, j)} />
                    </td>
                    <td className="num mono">{marginWords(marginOf(table, chosen, j), table.marginUnits[j])}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </div>
    </div>
  );
}
