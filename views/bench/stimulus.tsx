'use client';
import { FileUp, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { readStimulusCsv } from '@/core/formats/stimulus-csv';
import type { Setup } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { FileButton } from '@/ui/file-button';
import { DeleteCell } from '@/ui/delete-cell';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { beginRow } from '@/ui/editing/rows';
import { CellField, CellSelect } from '@/ui/cell-field';
import { useRunNames } from '@/ui/run-names';
import { SignalShapes } from './setup-extras';

/** What happens to the product from outside during a run. */
export function Stimulus({
  setup,
  problemOf,
}: {
  readonly setup: Setup;
  readonly problemOf: (place: string) => string | undefined;
}) {
  const { edit } = useProject.getState();
  const list = `setup/${setup.id}/stimulus`;
  const names = useRunNames(setup);
  const fromFile = async (chosen: File): Promise<void> => {
    const { value, remarks } = readStimulusCsv(new Uint8Array(await chosen.arrayBuffer()));
    const refused =
      value.length > 0 &&
      edit(
        {
          kind: 'batch',
          label: `Signals of ${chosen.name}`,
          edits: value.map((s) => ({
            kind: 'insert' as const,
            list,
            entry: { id: `i-${nanoid(8)}`, time: 0, kind: 'follow' as const, target: s.target, value: s.formula },
          })),
        },
        `Signals of ${chosen.name}`,
      );
    if (refused) usePlace.getState().say(refused.message);
    else if (remarks.length > 0) usePlace.getState().say(remarks.slice(0, 4).join('. '));
  };
  const add = (): void => {
    const last = setup.stimulus.at(-1);
    beginRow(
      list,
      {
        id: `i-${nanoid(8)}`,
        time: last?.time ?? 0,
        kind: 'send',
        target: last?.target ?? names.messages()[0]?.name ?? 'part.message',
        value: '',
      },
      'Add a stimulus',
    );
  };
  return (
    <>
      <h3 className="section-title">
        Stimulus: what happens from outside
        <span className="d-flex gap-1">
          <Button size="sm" onClick={add} data-adds={list}>
            <Plus size={13} aria-hidden /> Row
          </Button>
          <FileButton
            label="CSV file of signals"
            accept=".csv,.txt,text/csv"
            size="sm"
            title="Time in seconds in the first column, an input in each other one, names in the first row"
            onFile={(chosen) => void fromFile(chosen)}
          >
            <FileUp size={13} aria-hidden /> From CSV
          </FileButton>
        </span>
      </h3>
      {setup.stimulus.length === 0 && (
        <p className="px-3 quiet mb-1">Nothing by itself: use the panel while it runs.</p>
      )}
      <table className="table" data-testid="stimulus" data-rows={list} data-enter="through">
        <tbody>
          {setup.stimulus.map((row) => {
            const put = (changes: Partial<typeof row>) =>
              edit({ kind: 'update', list, id: row.id, changes }, 'Change a stimulus');
            const at = `setup/${setup.id}/stimulus/${row.id}`;
            const valueProblem = problemOf(`${at}/value`);
            const problem = valueProblem ? undefined : problemOf(at);
            return (
              <EditableRow key={row.id} address={at}>
                <RowHandle address={at} what={`the row at ${row.time} s`} />
                <td style={{ width: 96 }}>
                  <div className="d-flex align-items-baseline gap-1">
                    <CellField
                      value={String(row.time)}
                      label="Time in s"
                      mono
                      onCommit={(text) =>
                        Number.isFinite(Number(text)) && text.trim()
                          ? put({ time: Number(text) })
                          : { severity: 'error', code: 'number', message: 'A time in seconds' }
                      }
                    />
                    <span className="quiet">s</span>
                  </div>
                </td>
                <td style={{ width: 82 }}>
                  <CellSelect
                    value={row.kind}
                    label="What happens"
                    options={[
                      ['send', 'send'],
                      ['set', 'set'],
                      ['follow', 'follow'],
                    ]}
                    onCommit={(kind) =>
                      void put({
                        kind: kind as typeof row.kind,
                        value: kind === 'set' ? '0' : kind === 'follow' ? "if time < 1 's' then 0 else 1" : '',
                      })
                    }
                  />
                </td>
                <td>
                  <CellField
                    value={row.target}
                    label={row.kind === 'send' ? 'Part and message' : 'Quantity'}
                    mono
                    names={row.kind === 'send' ? names.messages : names.settable}
                    problem={problem}
                    onCommit={(target) => put({ target: target.trim() })}
                  />
                </td>
                <td style={{ width: row.kind === 'follow' ? '38%' : 84 }}>
                  {row.kind !== 'send' && (
                    <div className="d-flex gap-1 align-items-start">
                      <CellField
                        value={row.value}
                        label={row.kind === 'follow' ? `Formula of ${row.target}` : 'Value'}
                        mono
                        multiline={row.kind === 'follow'}
                        names={names.formula}
                        problem={valueProblem}
                        onCommit={(value) => put({ value })}
                      />
                      {row.kind === 'follow' && (
                        <SignalShapes root={setup.root} target={row.target} choose={(value) => void put({ value })} />
                      )}
                    </div>
                  )}
                </td>
                <DeleteCell
                  what="this row"
                  onDelete={() => edit({ kind: 'remove', list, id: row.id }, 'Delete a stimulus')}
                />
              </EditableRow>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
