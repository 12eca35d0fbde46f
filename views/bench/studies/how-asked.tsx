'use client';
import type { Study } from '@/core/project/project';
import { isDrawn } from '@/core/studies/design';
import { bytesPerRun } from '@/core/studies/run-table';
import { CellField, CellSelect } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { NumberRow } from '@/ui/number-row';
import type { StudyFields } from './study-fields';
import { sizeWords } from './study-words';

interface Props {
  readonly study: Study;
  readonly fields: StudyFields;
}

/** How many runs, drawn how, by which method; and what is kept of each. */
export function HowItIsAsked({ study, fields }: Props) {
  const { set, facts, problemOf } = fields;
  const { kind } = study;
  const number = (key: 'runs' | 'seed', name: string, after: string) => (
    <NumberRow
      name={name}
      label={name}
      whole
      value={study[key]}
      after={after}
      onNumber={(x) => set({ [key]: x }, `Change ${name.toLowerCase()}`)}
    />
  );
  const isRandom = study.values.some((v) => isDrawn(v.range));
  const perRun = facts && bytesPerRun(study.values.length, facts.requirements, study.aims.length);
  const isAsked = kind === 'vary' ? isRandom || perRun !== undefined : kind !== 'compare';
  return (
    <>
      {isAsked && <h3 className="section-title">How it is asked</h3>}
      {kind === 'vary' && isRandom && (
        <>
          {number('runs', 'Draws', 'for each combination of the other values')}
          <FieldRow label="Drawn">
            <CellSelect
              value={study.drawing}
              label="How values are drawn"
              options={[
                ['slices', 'in equally likely slices (Latin hypercube)'],
                ['sobol', 'evenly filling (Sobol)'],
                ['random', 'each by itself'],
              ]}
              onCommit={(drawing) => set({ drawing: drawing as Study['drawing'] }, 'Change how values are drawn')}
            />
          </FieldRow>
        </>
      )}
      {(kind === 'matters' || kind === 'best' || kind === 'breaks') && number('runs', 'Runs', 'at most')}
      {(kind === 'best' || kind === 'breaks') && study.aims.length < 2 && (
        <FieldRow label="Method">
          <CellSelect
            value={study.method}
            label="Method"
            options={[
              ['both', 'differential evolution, then a simplex'],
              ['global', 'differential evolution (Storn and Price)'],
              ['local', 'simplex from the design (Nelder and Mead)'],
            ]}
            onCommit={(method) => set({ method: method as Study['method'] }, 'Change the method')}
          />
        </FieldRow>
      )}
      {kind === 'fit' && (
        <>
          <NumberRow
            name="Held back"
            label="Last part of the time that is held back, in %"
            unit="%"
            value={Number((100 * study.holdBack).toFixed(6))}
            after="% of the time, to check afterwards"
            onNumber={(x) => set({ holdBack: x / 100 }, 'Change what is held back')}
          />
          <FieldRow label="Shift">
            <CellField
              value={study.shift}
              label="By how many seconds the recordings may be moved, low:high"
              mono
              placeholder="none; low:high in s lets it be found"
              problem={problemOf('shift')}
              onCommit={(shift) => set({ shift: shift.trim() }, 'Change the shift')}
            />
          </FieldRow>
        </>
      )}
      {kind !== 'compare' &&
        (kind !== 'vary' || isRandom) &&
        number('seed', 'Seed', 'the same seed gives the same runs')}
      {kind === 'vary' && perRun !== undefined && (
        <p className="quiet px-3 mb-2 small" data-testid="what-is-kept">
          Kept of each run: its values, verdicts, margins and what is told ({sizeWords(perRun)}). A recording is made
          again when a run is opened: it is the same to the last digit.
        </p>
      )}
    </>
  );
}
