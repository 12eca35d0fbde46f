'use client';
import { Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import type { Study } from '@/core/project/project';
import { isDrawn } from '@/core/studies/design';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { AddRow } from '@/ui/editing/add-row';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { FieldRow } from '@/ui/field-row';
import { formatNumber, withUnit } from '@/ui/format';
import type { StudyFields } from './study-fields';
import { proposedRange, rangeWords } from './study-words';

interface Props {
  readonly study: Study;
  readonly fields: StudyFields;
}

const rangeHelp: Readonly<Record<Study['kind'], string>> = {
  vary: 'from:to:count, or a, b, c, or normal(mean, deviation), uniform(low, high), triangular(low, mode, high), lognormal(median, spread)',
  matters: 'low:high',
  best: 'low:high',
  breaks: 'low:high',
  fit: 'low:high',
  compare: '',
};
const valuesTitle: Readonly<Record<Study['kind'], string>> = {
  vary: 'Varied values',
  matters: 'Values in question',
  best: 'Values that may change',
  breaks: 'Values that may be different',
  fit: 'Values to be found',
  compare: '',
};

/** Quantities that take other values, each with which. */
export function Values({ study, fields }: Props) {
  const { at, names, facts, put, remove, problemOf } = fields;
  const list = `${at}/value`;
  return (
    <>
      <h3 className="section-title">
        {valuesTitle[study.kind]}
        <AddRow
          list={list}
          entry={() => ({ id: `w-${nanoid(8)}`, name: names.parameters()[0]?.name ?? 'part.quantity', range: '' })}
          label="Vary a value"
        >
          Value
        </AddRow>
      </h3>
      {study.values.length > 0 && (
        <table className="table" data-testid="study-values" data-rows={list} data-enter="through">
          <tbody>
            {study.values.map((v, k) => {
              const unit = facts?.units[k] ?? '';
              const nominal = facts?.nominal[k];
              const problem = problemOf(`value/${v.id}/range`);
              const words = rangeWords(v.range, study.kind, unit);
              return (
                <EditableRow key={v.id} address={`${list}/${v.id}`}>
                  <RowHandle address={`${list}/${v.id}`} what={v.name} />
                  <td className="studied">
                    <CellField
                      value={v.name}
                      label="Quantity that takes other values"
                      mono
                      names={names.parameters}
                      problem={problemOf(`value/${v.id}/name`)}
                      onCommit={(name) => put('value', v.id, { name: name.trim() }, 'Change what is varied')}
                    />
                    <span className="of">
                      <CellField
                        value={v.range}
                        label={`Values of ${v.name}`}
                        mono
                        placeholder={proposedRange(study.kind, nominal)}
                        problem={problem}
                        onCommit={(range) =>
                          put('value', v.id, { range: range.trim() }, `Change the values of ${v.name}`)
                        }
                      />
                      {v.range.trim() === '' && (
                        <Button
                          size="sm"
                          onClick={() =>
                            put(
                              'value',
                              v.id,
                              { range: proposedRange(study.kind, nominal) },
                              `Change the values of ${v.name}`,
                            )
                          }
                        >
                          Use {proposedRange(study.kind, nominal)}
                        </Button>
                      )}
                    </span>
                    <span className="quiet under">
                      {[
                        problem === undefined ? words : '',
                        !facts
                          ? ''
                          : nominal === undefined
                            ? 'no value before the run'
                            : `${withUnit(formatNumber(nominal, 5), unit)} as designed`,
                      ]
                        .filter((x) => x !== '')
                        .join('; ')}
                    </span>
                  </td>
                  <DeleteCell
                    what={`${v.name} of the study`}
                    onDelete={() => remove('value', v.id, 'Take a value out of the study')}
                  />
                </EditableRow>
              );
            })}
          </tbody>
        </table>
      )}
      {(study.values.length === 0 ||
        study.values.some((v) => v.range.trim() === '' || problemOf(`value/${v.id}/range`) !== undefined)) && (
        <p className="quiet px-3 mb-1 small">{rangeHelp[study.kind]}</p>
      )}
    </>
  );
}

/** How drawn values hang together. */
export function Correlations({ study, fields: { set } }: Props) {
  const drawn = study.values.filter((v) => isDrawn(v.range));
  if (drawn.length < 2) return null;
  const free = drawn.flatMap((a, i) =>
    drawn
      .slice(i + 1)
      .flatMap((b) =>
        study.correlations.some((c) => (c.a === a.id && c.b === b.id) || (c.a === b.id && c.b === a.id))
          ? []
          : [[a, b] as const],
      ),
  );
  const nameOf = (id: string): string => study.values.find((v) => v.id === id)?.name ?? '';
  return (
    <>
      <h3 className="section-title">
        Correlations
        <Button
          size="sm"
          disabled={free.length === 0}
          onClick={() =>
            set(
              { correlations: [...study.correlations, { a: free[0][0].id, b: free[0][1].id, r: 0.5 }] },
              'Add a correlation',
            )
          }
        >
          <Plus size={13} aria-hidden /> Correlation
        </Button>
      </h3>
      {study.correlations
        .filter((c) => nameOf(c.a) !== '' && nameOf(c.b) !== '')
        .map((c) => (
          <FieldRow
            key={`${c.a} ${c.b}`}
            label={<span className="mono">{`${nameOf(c.a)}, ${nameOf(c.b)}`}</span>}
            className="d-flex gap-1"
          >
            <CellField
              value={String(c.r)}
              label={`Correlation of ${nameOf(c.a)} and ${nameOf(c.b)}`}
              mono
              onCommit={(text) => {
                const r = Number(text);
                return text.trim() !== '' && Math.abs(r) <= 1
                  ? set(
                      { correlations: study.correlations.map((x) => (x === c ? { ...c, r } : x)) },
                      'Change a correlation',
                    )
                  : { severity: 'error', code: 'number', message: 'A correlation lies between -1 and 1' };
              }}
            />
            <Button
              variant="bare"
              label="Take the correlation out"
              onClick={() => set({ correlations: study.correlations.filter((x) => x !== c) }, 'Remove a correlation')}
            >
              <Trash2 size={13} aria-hidden />
            </Button>
          </FieldRow>
        ))}
    </>
  );
}
