'use client';
import { FileUp, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import type { MeasuredRecording, Project, Study } from '@/core/project/project';
import { readMeasured, readMeasuredText } from '@/core/studies/measured';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { FileButton } from '@/ui/file-button';
import { formatNumber } from '@/ui/format';
import { NumberRow } from '@/ui/number-row';
import type { StudyFields } from './study-fields';

interface Props {
  readonly project: Project;
  readonly study: Study;
  readonly fields: StudyFields;
}

/** Largest file that is taken into a project. */
const largest = 50e6;

/** Takes a file into the project, and into the study; what cannot be read is told and nothing is taken. */
async function bring(file: File, study: Study): Promise<void> {
  const { say } = usePlace.getState();
  if (file.size > largest) return say(`${file.name} is larger than ${largest / 1e6} MB`);
  const bytes = new Uint8Array(await file.arrayBuffer());
  const { value, problem } = readMeasured(bytes, file.name);
  if (!value) return say(problem!.message);
  const text = new TextDecoder().decode(bytes).replace(/^\uFEFF/, '');
  const entry: MeasuredRecording = { id: `x-${nanoid(8)}`, name: file.name.replace(/\.csv$/i, ''), note: '', text };
  const refused = useProject.getState().edit(
    {
      kind: 'batch',
      label: `Bring the recording ${entry.name}`,
      edits: [
        { kind: 'insert', list: 'recording', entry },
        {
          kind: 'update',
          list: 'study',
          id: study.id,
          changes: { recordings: [...study.recordings, entry.id] },
        },
      ],
    },
    `Bring the recording ${entry.name}`,
  );
  if (refused) say(refused.message);
  else if (value.remarks.length > 0) say(`${entry.name}: ${value.remarks.join('; ')}`, 'note');
}

/** Recordings of the project, which of them the study takes, and what their columns are. */
export function MeasuredColumns({ project, study, fields }: Props) {
  const { problemOf } = fields;
  return (
    <>
      <h3 className="section-title">
        Measured
        <span className="ms-auto">
          <FileButton
            label="Recording as CSV"
            accept=".csv,text/csv"
            size="sm"
            title="Brings values over time: a CSV file with names in its first row and the time in a column"
            onFile={(file) => void bring(file, study)}
          >
            <FileUp size={13} aria-hidden /> Recording
          </FileButton>
        </span>
      </h3>
      {problemOf('recordings') !== undefined && <p className="field-problem px-3">{problemOf('recordings')}</p>}
      {project.recordings.length === 0 && (
        <p className="quiet px-3 mb-1">
          No recording yet: a CSV file with names in its first row and a column of times.
        </p>
      )}
      {project.recordings.map((r) => (
        <RecordingRow key={r.id} recording={r} study={study} fields={fields} />
      ))}
    </>
  );
}

const tolerances = [
  ['relative', 'Tolerance', 'of the largest value'],
  ['absolute', '', 'in the unit of the quantity'],
  ['time', '', 's earlier or later'],
] as const;

/** How recordings are laid over each other, and from where on differences count. */
export function Alignment({ study, fields: { set, names, problemOf } }: Pick<Props, 'study' | 'fields'>) {
  const [tolerance = { relative: 1e-3, absolute: 0, time: 0 }] = study.tolerance;
  return (
    <>
      <h3 className="section-title">How they are laid over each other</h3>
      <FieldRow label="Aligned at">
        <CellField
          value={study.alignAt}
          label="What comes at one time in all of them"
          mono
          names={names.formula}
          placeholder="their beginning"
          problem={problemOf('alignAt')}
          onCommit={(alignAt) => set({ alignAt: alignAt.trim() }, 'Change where they are aligned')}
        />
      </FieldRow>
      <NumberRow
        name="Moved by"
        label="Seconds by which the others are moved"
        unit="s"
        value={Number(study.shift) || 0}
        after="s, the others"
        problem={problemOf('shift')}
        onNumber={(x) => set({ shift: x === 0 ? '' : String(x) }, 'Change the shift')}
      />
      {tolerances.map(([key, name, after]) => (
        <NumberRow
          key={key}
          name={name}
          label={`Tolerance, ${key}`}
          value={tolerance[key]}
          after={after}
          onNumber={(x) => set({ tolerance: [{ ...tolerance, [key]: x }] }, 'Change the tolerance')}
        />
      ))}
    </>
  );
}

function RecordingRow({
  recording,
  study,
  fields,
}: {
  readonly recording: MeasuredRecording;
  readonly study: Study;
  readonly fields: StudyFields;
}) {
  const { at, names, set, put, problemOf } = fields;
  const isTaken = study.recordings.includes(recording.id);
  const { value, problem } = useMemo(
    () => readMeasuredText(recording.text, recording.name),
    [recording.text, recording.name],
  );
  const known = new Set(names.quantities().map((n) => n.name));
  const map = (column: string, quantity: string) => {
    const own = study.columns.find((c) => c.recording === recording.id && c.column === column);
    if (own) return put('column', own.id, { quantity }, `Say what ${column} is`);
    return useProject.getState().edit(
      {
        kind: 'insert',
        list: `${at}/column`,
        entry: { id: `k-${nanoid(8)}`, recording: recording.id, column, quantity },
      },
      `Say what ${column} is`,
    );
  };
  return (
    <div className="recording" data-element={`recording/${recording.id}`}>
      <FieldRow
        label={
          <label className="d-flex gap-2 align-items-center">
            <input
              type="checkbox"
              className="form-check-input mt-0"
              aria-label={`Use the recording ${recording.name}`}
              checked={isTaken}
              onChange={(e) =>
                set(
                  {
                    recordings: e.target.checked
                      ? [...study.recordings, recording.id]
                      : study.recordings.filter((x) => x !== recording.id),
                  },
                  'Change the recordings',
                )
              }
            />
            use
          </label>
        }
        className="d-flex gap-1 align-items-baseline"
      >
        <CellField
          value={recording.name}
          label="Name of the recording"
          onCommit={(name) =>
            useProject
              .getState()
              .edit({ kind: 'update', list: 'recording', id: recording.id, changes: { name } }, 'Rename the recording')
          }
        />
        <Button
          variant="bare"
          label={`Delete the recording ${recording.name}`}
          onClick={() => {
            const { project, edit } = useProject.getState();
            const users = project?.studies.filter((s) => s.recordings.includes(recording.id)) ?? [];
            edit(
              {
                kind: 'batch',
                label: `Delete the recording ${recording.name}`,
                edits: [
                  ...users.map((s) => ({
                    kind: 'update' as const,
                    list: 'study',
                    id: s.id,
                    changes: {
                      recordings: s.recordings.filter((x) => x !== recording.id),
                      columns: s.columns.filter((c) => c.recording !== recording.id),
                    },
                  })),
                  { kind: 'remove', list: 'recording', id: recording.id },
                ],
              },
              `Delete the recording ${recording.name}`,
            );
          }}
        >
          <Trash2 size={13} aria-hidden />
        </Button>
      </FieldRow>
      {problem && <p className="field-problem px-3">{problem.message}</p>}
      {value && isTaken && (
        <>
          <p className="quiet px-3 mb-1 small">
            {value.time.length.toLocaleString('en')} rows from {formatNumber(value.time[0], 4)} to{' '}
            {formatNumber(value.time.at(-1), 4)} s{recording.note && ` · ${recording.note}`}
          </p>
          <table className="table" data-testid="measured-columns">
            <tbody>
              {value.columns.map((c) => {
                const own = study.columns.find((x) => x.recording === recording.id && x.column === c.name);
                const byName = known.has(c.name);
                return (
                  <tr key={c.name}>
                    <td className="mono" style={{ width: '42%' }}>
                      {c.name} <span className="quiet">{c.unit}</span>
                    </td>
                    <td>
                      <CellField
                        value={own?.quantity ?? ''}
                        label={`Quantity that ${c.name} is`}
                        mono
                        names={names.quantities}
                        placeholder={byName ? c.name : 'not compared; which quantity is it?'}
                        problem={own && problemOf(`column/${own.id}/quantity`)}
                        onCommit={(quantity) => map(c.name, quantity.trim())}
                      />
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}
