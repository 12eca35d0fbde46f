'use client';
import { isBinding, type Project, type Study } from '@/core/project/project';
import { CellSelect } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { HowItIsAsked } from './how-asked';
import { Alignment, MeasuredColumns } from './measured-columns';
import { KeptRuns } from './kept-runs';
import { Aims } from './study-aims';
import type { StudyFields } from './study-fields';
import { Messages } from './study-messages';
import { Correlations, Values } from './study-values';

interface Props {
  readonly project: Project;
  readonly study: Study;
  readonly fields: StudyFields;
}

/** What a study asks: which setup, which values, what is looked for, and how. */
export function StudyQuestion({ project, study, fields }: Props) {
  const { kind } = study;
  return (
    <div className="study-question" data-testid="study-question">
      <Basics project={project} study={study} fields={fields} />
      {kind !== 'compare' && <Values study={study} fields={fields} />}
      {kind === 'vary' && study.values.length > 1 && <Correlations study={study} fields={fields} />}
      {kind === 'breaks' && <Messages study={study} fields={fields} />}
      {(kind === 'vary' || kind === 'matters' || kind === 'best') && <Aims study={study} fields={fields} />}
      {(kind === 'fit' || kind === 'compare') && <MeasuredColumns project={project} study={study} fields={fields} />}
      {kind === 'compare' && <Alignment study={study} fields={fields} />}
      <HowItIsAsked study={study} fields={fields} />
    </div>
  );
}

function Basics({ project, study, fields: { set, problemOf } }: Props) {
  const requirements = project.requirements.filter(isBinding);
  const first = project.setups.find((s) => s.id === study.setups[0]);
  return (
    <div className="pt-2">
      {study.kind !== 'compare' && (
        <FieldRow label="Runs">
          <CellSelect
            value={study.setup}
            label="Setup that is run"
            options={[
              ...(study.setup === '' || project.setups.some((s) => s.id === study.setup)
                ? []
                : [[study.setup, 'a setup that is gone'] as const]),
              ['', project.setups[0] ? `${project.setups[0].name} (the first setup)` : 'no setup'] as const,
              ...project.setups.map((s) => [s.id, s.name] as const),
            ]}
            onCommit={(setup) => set({ setup }, 'Change the setup')}
          />
          {problemOf('setup') !== undefined && <div className="field-problem">{problemOf('setup')}</div>}
        </FieldRow>
      )}
      {study.kind === 'breaks' && (
        <FieldRow label="Requirement">
          <CellSelect
            value={study.requirement}
            label="Requirement that is to be broken"
            options={[
              ['', 'choose one'],
              ...requirements.map((r) => [r.id, `${r.key}  ${r.text.slice(0, 70)}`] as const),
            ]}
            onCommit={(requirement) => set({ requirement }, 'Change the requirement')}
          />
          {problemOf('requirement') !== undefined && <div className="field-problem">{problemOf('requirement')}</div>}
        </FieldRow>
      )}
      {study.kind === 'compare' && (
        <FieldRow label="Setups" className="d-flex flex-wrap column-gap-3">
          {project.setups.map((s) => (
            <label key={s.id} className="d-flex gap-2 align-items-center">
              <input
                type="checkbox"
                className="form-check-input mt-0"
                checked={study.setups.includes(s.id)}
                onChange={(e) =>
                  set(
                    {
                      setups: e.target.checked ? [...study.setups, s.id] : study.setups.filter((x) => x !== s.id),
                    },
                    'Change the setups',
                  )
                }
              />
              {s.name}
            </label>
          ))}
          {first && study.setups.length > 1 && (
            <span className="quiet w-100">the others are compared with {first.name}</span>
          )}
        </FieldRow>
      )}
      {study.kind === 'compare' && <KeptRuns study={study} fields={{ set, problemOf }} />}
    </div>
  );
}
