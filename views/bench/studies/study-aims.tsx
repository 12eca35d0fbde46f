'use client';
import { nanoid } from 'nanoid';
import type { Study } from '@/core/project/project';
import { aimName, marginKey } from '@/core/studies/study';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { AddRow } from '@/ui/editing/add-row';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { limitNames } from '@/ui/run-names';
import type { StudyFields } from './study-fields';

interface Props {
  readonly study: Study;
  readonly fields: StudyFields;
}

/** Formulas that are told of each run, or sought. */
export function Aims({ study, fields }: Props) {
  const { at, put, remove, problemOf, facts } = fields;
  const list = `${at}/aim`;
  const isBest = study.kind === 'best';
  const sought = study.aims.length;
  return (
    <>
      <h3 className="section-title">
        {isBest ? 'What is sought' : 'Told of each run, besides the margins'}
        {(!isBest || sought < 2) && (
          <AddRow
            list={list}
            entry={() => ({ id: `i-${nanoid(8)}`, name: '', sense: isBest ? 'low' : 'told', formula: '' })}
            label="Add a formula"
          >
            Formula
          </AddRow>
        )}
      </h3>
      {sought > 0 && (
        <table className="table" data-testid="study-aims" data-rows={list} data-enter="through">
          <tbody>
            {study.aims.map((a, k) => (
              <EditableRow key={a.id} address={`${list}/${a.id}`}>
                <RowHandle address={`${list}/${a.id}`} what={aimName(a)} />
                {isBest && (
                  <td className="sense">
                    <CellSelect
                      value={a.sense === 'high' ? 'high' : 'low'}
                      label="As low or as high as it can be"
                      options={[
                        ['low', 'lowest'],
                        ['high', 'highest'],
                      ]}
                      onCommit={(sense) => put('aim', a.id, { sense }, 'Change what is sought')}
                    />
                  </td>
                )}
                <td className="studied">
                  <CellField
                    value={a.name}
                    label="Name of the formula"
                    placeholder="a name, such as cycle time"
                    onCommit={(name) => put('aim', a.id, { name: name.trim() }, 'Name the formula')}
                  />
                  <CellField
                    value={a.formula}
                    multiline
                    label={isBest ? 'Formula that is sought' : 'Formula that is told'}
                    mono
                    names={limitNames(fields.names, isBest ? margins : [])}
                    placeholder={isBest ? 'highest(cap.torque), or margin(CAP-02)' : 'highest(cap.torque)'}
                    problem={problemOf(`aim/${a.id}/formula`)}
                    onCommit={(formula) => put('aim', a.id, { formula: formula.trim() }, 'Change the formula')}
                  />
                </td>
                <td className="quiet mono" style={{ width: 60 }}>
                  {marginKey(a.formula) === undefined
                    ? (facts?.aimUnits[
                        study.aims.slice(0, k).filter((x) => marginKey(x.formula) === undefined).length
                      ] ?? '')
                    : ''}
                </td>
                <DeleteCell what="the formula" onDelete={() => remove('aim', a.id, 'Take a formula out')} />
              </EditableRow>
            ))}
          </tbody>
        </table>
      )}
      {isBest && (
        <p className="quiet px-3 mb-1 small">
          All requirements have to hold. With two formulas the border of what can be had is shown.
        </p>
      )}
    </>
  );
}
const margins = [{ name: 'margin', detail: 'margin(KEY) of a requirement' }];
