'use client';
import { nanoid } from 'nanoid';
import type { StudiedMessage, Study } from '@/core/project/project';
import { CellField } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { AddRow } from '@/ui/editing/add-row';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { NumberCell } from '@/ui/number-row';
import type { StudyFields } from './study-fields';

interface Props {
  readonly study: Study;
  readonly fields: StudyFields;
}

/** Messages that may come, and quantities that may be set, each at any time of a span. */
export function Messages({ study, fields }: Props) {
  const { at, names, put, remove, problemOf } = fields;
  const list = `${at}/message`;
  const time = (m: StudiedMessage, key: 'from' | 'to') => (
    <NumberCell
      value={m[key]}
      label={`${key === 'from' ? 'From' : 'To'} when ${m.target} may come, in s`}
      unit="s"
      problem={problemOf(`message/${m.id}/${key}`)}
      onNumber={(t) => put('message', m.id, { [key]: t }, 'Change when it may come')}
    />
  );
  return (
    <>
      <h3 className="section-title">
        Messages that may come
        <AddRow
          list={list}
          entry={() => ({
            id: `m-${nanoid(8)}`,
            target: names.messages()[0]?.name ?? 'part.message',
            value: '',
            from: 0,
            to: 1,
          })}
          label="Let a message come"
        >
          Message
        </AddRow>
      </h3>
      {study.messages.length > 0 && (
        <table className="table" data-testid="study-messages" data-rows={list} data-enter="through">
          <thead>
            <tr>
              <th aria-label="Choose" />
              <th>what comes</th>
              <th>set to</th>
              <th>from s</th>
              <th>to s</th>
              <th aria-label="Take out" />
            </tr>
          </thead>
          <tbody>
            {study.messages.map((m) => (
              <EditableRow key={m.id} address={`${list}/${m.id}`}>
                <RowHandle address={`${list}/${m.id}`} what={m.target} />
                <td style={{ width: '44%' }}>
                  <CellField
                    value={m.target}
                    label="Message, or quantity that is set"
                    mono
                    names={() => [...names.messages(), ...names.settable()]}
                    problem={problemOf(`message/${m.id}/target`)}
                    onCommit={(target) => put('message', m.id, { target: target.trim() }, 'Change what may come')}
                  />
                </td>
                <td>
                  <CellField
                    value={m.value}
                    label={`What ${m.target} is set to`}
                    mono
                    placeholder="sent"
                    onCommit={(value) => put('message', m.id, { value: value.trim() }, 'Change what it is set to')}
                  />
                </td>
                <td>{time(m, 'from')}</td>
                <td>{time(m, 'to')}</td>
                <DeleteCell
                  what={`${m.target} of the study`}
                  onDelete={() => remove('message', m.id, 'Take a message out of the study')}
                />
              </EditableRow>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
