'use client';
import { Play, Plus, Wrench } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useState } from 'react';
import { insertAfter } from '@/core/flows/edit-flow';
import { messagesBetween } from '@/core/sequences/messages-between';
import { writtenPicture } from '@/core/sequences/picture';
import { holdsRows, readBound, readMessageRow, rowKind, sequenceForms } from '@/core/lines/sequence-row';
import { whole } from '@/core/lines/piece';
import { outside, readSequence } from '@/core/sequences/read-sequence';
import type { PartType, Project, Sequence } from '@/core/project/project';
import { startRun } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { useSetup } from '@/store/derived';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { deleteWithImpact } from '@/ui/impact';
import type { StepHolder } from '@/ui/steps/step-holder';
import { StepLines } from '@/ui/steps/step-lines';
import { TraceLinks } from '@/ui/trace-links';
import { BehaviourPicker } from './behaviour-picker';
import { SequenceTip, SequenceView } from './sequence-view';
import { statusTone, statusWord } from './sequence-words';
import { FieldRow } from '@/ui/field-row';

/** A written sequence: rows to type and pick, its drawing, and what its last run said of each row. */
export function SequenceSheet({
  project,
  type,
  sequence,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly sequence: Sequence;
}) {
  const { edit } = useProject.getState();
  const { select, say } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const setup = useSetup();
  useRuns((s) => s.version);
  const list = `type/${type.id}/sequence`;
  const address = `type/${type.id}/sequence/${sequence.id}`;
  const read = useMemo(() => readSequence(sequence.lines), [sequence.lines]);
  const report = run?.sequences.find((s) => s.id === sequence.id)?.report;
  const parts = useMemo(
    () => type.parts.map((p) => ({ path: p.name, typeName: project.types.find((t) => t.id === p.type)?.name ?? '' })),
    [type, project],
  );
  const picture = useMemo(
    () => writtenPicture(sequence.lines, parts, type.name, report?.rows ?? [], read),
    [sequence.lines, parts, type.name, report, read],
  );
  const said = useMemo(
    () =>
      new Map(
        (report?.rows ?? [])
          .filter((r) => r.times > 0 || r.status !== 'open')
          .map((r) => [r.line, { text: statusWord(r), tone: statusTone(r.status) }] as const),
      ),
    [report],
  );
  const known = useMemo(() => new Set([outside, type.name, ...parts.map((p) => p.path)]), [parts, type.name]);
  const problems = useMemo(
    () => [
      ...read.problems,
      ...sequence.lines.flatMap((l) => {
        const row = rowKind(l.text) === 'message' ? readMessageRow(readBound(whole(l.text)).rest) : undefined;
        const wrong = row && [row.from.text, row.to.text].find((p) => !known.has(p) && !p.includes('.'));
        return wrong
          ? [
              {
                line: l.id,
                message: `There is no part ${wrong} in ${type.name}; participants are its parts, ${type.name} itself, or outside`,
              },
            ]
          : [];
      }),
    ],
    [read, sequence.lines, known, type.name],
  );
  const holder: StepHolder = {
    id: sequence.id,
    lines: sequence.lines,
    list,
    address,
    forms: sequenceForms,
    hint: 'outside -> panel: start',
    writing: `Write ${sequence.name}`,
    ownWord: '',
    makeOwn: () => undefined,
    said,
    empty: '',
    kindOf: (t) => (holdsRows.has(rowKind(t)) ? 'if' : 'step'),
    holds: (t) => holdsRows.has(rowKind(t)),
  };
  const isRoot = type.id === project.root;
  const used = setup?.sequences.includes(sequence.id) ?? false;
  const runIt = (): void => {
    if (!setup) return say('There is no setup to run yet: add one on the Bench');
    if (!used)
      edit(
        { kind: 'update', list: 'setup', id: setup.id, changes: { sequences: [...setup.sequences, sequence.id] } },
        `Let ${setup.name} follow ${sequence.name}`,
      );
    void startRun();
  };
  return (
    <>
      <div className="pane-head">
        <BehaviourPicker type={type} />
        <span className="quiet text-nowrap">written sequence</span>
        {report && (
          <strong
            className={report.verdict === 'passed' ? 'good' : report.verdict === 'failed' ? 'bad' : 'quiet'}
            data-testid="sequence-verdict"
          >
            {report.verdict === 'running' ? 'goes on' : report.verdict}
            {report.why && <span className="quiet fw-normal"> {report.why}</span>}
          </strong>
        )}
        <span style={{ flex: 1 }} />
        {isRoot && setup && (
          <label
            className="d-flex gap-2 align-items-center text-nowrap"
            title={`Whether runs of ${setup.name} send and expect what stands here`}
          >
            <input
              type="checkbox"
              className="form-check-input mt-0"
              checked={used}
              onChange={(e) =>
                edit(
                  {
                    kind: 'update',
                    list: 'setup',
                    id: setup.id,
                    changes: {
                      sequences: e.target.checked
                        ? [...setup.sequences, sequence.id]
                        : setup.sequences.filter((x) => x !== sequence.id),
                    },
                  },
                  `Change what ${setup.name} follows`,
                )
              }
            />
            {setup.name} follows it
          </label>
        )}
        {isRoot && (
          <Button variant="primary" onClick={runIt} data-testid="run-sequence">
            <Play size={14} aria-hidden /> Run it
          </Button>
        )}
      </div>
      <div className="sequence-sheet">
        <div style={{ display: 'flex', flexDirection: 'column' }}>
          <StepLines flow={holder} problems={problems} />
          <Composer
            project={project}
            type={type}
            participants={[outside, ...parts.map((p) => p.path)]}
            after={item.startsWith('line/') ? item.slice(5) : undefined}
            add={(text, after) => {
              const line = { id: `z-${nanoid(6)}`, text };
              const refused = edit(insertAfter(holder, after, line), 'Add a message');
              if (refused) say(refused.message);
              else select(`line/${line.id}`);
            }}
          />
        </div>
        <div className="sequence-side">
          <SequenceTip />
          <SequenceView
            picture={picture}
            cursor={report ? cursor : undefined}
            selected={item.startsWith('line/') ? item.slice(5) : ''}
            empty="Type a row on the left, such as “outside -> panel: start”, or pick one below."
            choose={(row) => {
              select(`line/${row.id.replace(/ end$/, '')}`);
              if (row.time !== undefined) useRuns.getState().moveCursor(row.time);
            }}
          />
        </div>
      </div>
    </>
  );
}

/** Picks a message: only what one side can send through its links and the other takes; the rest is a key away. */
function Composer({
  project,
  type,
  participants,
  after,
  add,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly participants: readonly string[];
  readonly after: string | undefined;
  readonly add: (text: string, after: string | undefined) => void;
}) {
  const [from, setFrom] = useState<string>(outside);
  const [to, setTo] = useState(participants[1] ?? outside);
  const offer = useMemo(
    () => messagesBetween(project, type, from, to, () => `l-${nanoid(8)}`),
    [project, type, from, to],
  );
  const [message, setMessage] = useState('');
  const chosen =
    offer.ready.includes(message) || offer.fixes.some((f) => f.message === message) ? message : (offer.ready[0] ?? '');
  const fix = offer.fixes.find((f) => f.message === chosen);
  return (
    <div className="composer" data-testid="composer">
      <select
        className="form-select form-select-sm"
        aria-label="Sender"
        value={from}
        onChange={(e) => setFrom(e.target.value)}
      >
        {participants.map((p) => (
          <option key={p} value={p}>
            {p}
          </option>
        ))}
      </select>
      <span aria-hidden>to</span>
      <select
        className="form-select form-select-sm"
        aria-label="Receiver"
        value={to}
        onChange={(e) => setTo(e.target.value)}
      >
        {participants.map((p) => (
          <option key={p} value={p}>
            {p}
          </option>
        ))}
      </select>
      <select
        className="form-select form-select-sm"
        aria-label="Message of the row"
        value={chosen}
        onChange={(e) => setMessage(e.target.value)}
        disabled={offer.ready.length + offer.fixes.length === 0}
      >
        {offer.ready.length + offer.fixes.length === 0 && <option value="">nothing can be said here</option>}
        {offer.ready.map((m) => (
          <option key={m} value={m}>
            {m}
          </option>
        ))}
        {offer.fixes.length > 0 && (
          <optgroup label="not yet possible">
            {offer.fixes.map((f) => (
              <option key={f.message} value={f.message}>
                {f.message}
              </option>
            ))}
          </optgroup>
        )}
      </select>
      {fix && (
        <Button
          size="sm"
          onClick={() => useProject.getState().edit(fix.edit, fix.label[0].toUpperCase() + fix.label.slice(1))}
          data-testid="fix-message"
        >
          <Wrench size={13} aria-hidden /> {fix.label}
        </Button>
      )}
      <Button
        size="sm"
        disabled={chosen === '' || fix !== undefined}
        onClick={() => add(`${from} -> ${to}: ${chosen}`, after)}
        data-testid="add-message"
      >
        <Plus size={13} aria-hidden /> Row
      </Button>
    </div>
  );
}

export function SequenceDetails({ type, sequence }: { readonly type: PartType; readonly sequence: Sequence }) {
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  const list = `type/${type.id}/sequence`;
  const place = `type/${type.id}/sequence/${sequence.id}`;
  const row = item.startsWith('line/')
    ? run?.sequences.find((s) => s.id === sequence.id)?.report.rows.find((r) => r.line === item.slice(5))
    : undefined;
  return (
    <>
      <div className="pane-head">
        <h2 className="text-truncate">
          <span className="quiet">sequence</span> {sequence.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <FieldRow label="Name">
          <CellField
            value={sequence.name}
            label="Name of the sequence"
            onCommit={(name) =>
              edit({ kind: 'update', list, id: sequence.id, changes: { name } }, `Rename ${sequence.name}`)
            }
          />
        </FieldRow>
        <div className="px-3 py-1">
          <label className="quiet d-block">Note</label>
          <CellField
            value={sequence.note}
            label="Note of the sequence"
            multiline
            placeholder="what it shows or tests"
            onCommit={(note) =>
              edit({ kind: 'update', list, id: sequence.id, changes: { note } }, `Change the note of ${sequence.name}`)
            }
          />
        </div>
        {row && (
          <>
            <h3 className="section-title">This row in the run</h3>
            <p className="px-3">
              <span className={statusTone(row.status)}>{statusWord(row)}</span>
              {row.time !== undefined && ` at ${Number(row.time.toPrecision(5))} s`}
              {row.detail && <span className="quiet d-block">{row.detail}</span>}
            </p>
          </>
        )}
        <div className="px-3 py-2">
          <Button
            size="sm"
            onClick={() =>
              deleteWithImpact(
                place,
                { kind: 'remove', list, id: sequence.id },
                `Delete the sequence ${sequence.name}`,
                () => usePlace.getState().go({ sheet: '' }),
              )
            }
          >
            Delete the sequence
          </Button>
        </div>
        <TraceLinks address={place} what={sequence.name} />
      </div>
    </>
  );
}
