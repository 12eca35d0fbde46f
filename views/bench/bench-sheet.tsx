'use client';
import { Copy, FileUp, ListChecks, Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useRef, useState, type ChangeEvent } from 'react';
import { readStimulusCsv } from '@/core/formats/stimulus-csv';
import { hasFixedStep, newChange, newSetup, type Project, type Setup } from '@/core/project/project';
import { keepAsSequence, keepAsSetup } from '@/store/actions';
import { problemsAt, useSetup } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { PanelDetails } from './panel-details';
import { PanelEditor } from './panel-editor';
import { PanelView } from './panel-view';
import { BatchRun, SetupComparison, SignalShapes } from './setup-extras';

/** What runs, and the panel to act on it while it does. */
export function BenchSheet() {
  const project = useProject((s) => s.project);
  const setup = useSetup();
  const chooseSetup = useRuns((s) => s.chooseSetup);
  const [batch, setBatch] = useState(false);
  const { edit } = useProject.getState();
  const sheet = usePlace((s) => s.sheet);
  if (!project) return null;
  const arranged = sheet.startsWith('panel/') ? project.panels.find((p) => `panel/${p.id}` === sheet) : undefined;
  if (arranged) return <PanelEditor project={project} panel={arranged} />;
  const add = (base?: Setup): void => {
    const names = project.setups.map((s) => s.name);
    let name = base ? `${base.name} copy` : 'Setup';
    for (let k = 2; names.includes(name); k++) name = `${base ? `${base.name} copy` : 'Setup'} ${k}`;
    const entry = {
      ...(base ?? { ...newSetup('', ''), panel: project.panels[0]?.id ?? '' }),
      id: `u-${nanoid(8)}`,
      name,
    };
    const refused = edit(
      { kind: 'insert', list: 'setup', entry },
      base ? `Copy the setup ${base.name}` : 'Add a setup',
    );
    if (refused) usePlace.getState().say(refused.message);
    else chooseSetup(entry.id);
  };
  return (
    <>
      <div className="pane-head">
        <h2>Setups</h2>
        <Button onClick={() => add()}>
          <Plus size={14} aria-hidden /> Setup
        </Button>
        {project.setups.length > 1 && (
          <Button onClick={() => setBatch(!batch)} aria-pressed={batch} data-testid="show-batch">
            <ListChecks size={14} aria-hidden /> Run several
          </Button>
        )}
      </div>
      <div className="bench" style={{ flex: 1 }}>
        <div>
          {project.setups.length === 0 ? (
            <div className="empty">
              <h3>Nothing to run yet</h3>
              <p>
                A setup says what is run: changed values, what happens from outside and when, for how long and how
                exactly.
              </p>
              <Button variant="primary" onClick={() => add()}>
                <Plus size={14} aria-hidden /> Add a setup
              </Button>
            </div>
          ) : (
            <>
              <div className="setup-tabs" role="radiogroup" aria-label="Setups">
                {project.setups.map((s) => (
                  <button
                    key={s.id}
                    type="button"
                    role="radio"
                    aria-checked={s.id === setup?.id}
                    className={`btn btn-sm ${s.id === setup?.id ? 'btn-primary' : 'btn-plain'}`}
                    onClick={() => chooseSetup(s.id)}
                  >
                    {s.name}
                  </button>
                ))}
              </div>
              {batch && <BatchRun project={project} close={() => setBatch(false)} />}
              {setup && !batch && <SetupForm key={setup.id} project={project} setup={setup} copy={() => add(setup)} />}
            </>
          )}
        </div>
        <div>
          <PanelView project={project} />
        </div>
      </div>
    </>
  );
}

/** What is chosen on a panel being arranged; the bench itself needs no details. */
export function BenchDetails() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  const panel = project?.panels.find((p) => `panel/${p.id}` === sheet);
  return project && panel ? <PanelDetails project={project} panel={panel} /> : null;
}

const solvers: readonly (readonly [Setup['solver'], string])[] = [
  ['auto', 'automatic'],
  ['dopri5', 'Dormand–Prince 5(4)'],
  ['implicit', 'Radau IIA 5 (stiff)'],
  ['rk4', 'Runge–Kutta 4, fixed step'],
  ['euler', 'Euler, fixed step'],
  ['implicit-euler', 'Implicit Euler, fixed step'],
];

function SetupForm({
  project,
  setup,
  copy,
}: {
  readonly project: Project;
  readonly setup: Setup;
  readonly copy: () => void;
}) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  const startProblems = useRuns((s) => s.startProblems);
  const list = 'setup';
  const set = (changes: Partial<Setup>, what: string) =>
    edit({ kind: 'update', list, id: setup.id, changes }, `${what} of ${setup.name}`);
  const number = (key: 'stop' | 'relative' | 'absolute' | 'step' | 'recordEvery', label: string, unit: string) => (
    <div className="field-row">
      <label>{label}</label>
      <div className="d-flex align-items-baseline gap-2">
        <span style={{ width: 110 }}>
          <CellField
            value={String(setup[key])}
            label={label}
            mono
            onCommit={(text) => {
              const value = Number(text.replace(/\s*(s|sec)$/, ''));
              return Number.isFinite(value) && text.trim() !== ''
                ? set({ [key]: value }, `Change ${label.toLowerCase()}`)
                : { severity: 'error', code: 'number', message: `"${text}" is not a number` };
            }}
          />
        </span>
        <span className="quiet">{unit}</span>
      </div>
    </div>
  );
  const sequences = project.types.find((t) => t.id === (setup.root || project.root))?.sequences ?? [];
  const shown = setup.tracks.length > 0 ? setup.tracks : project.tracks.map((t) => t.id);
  const showTrack = (id: string, on: boolean): void => {
    const tracks = on ? [...shown, id] : shown.filter((x) => x !== id);
    set({ tracks: tracks.length === project.tracks.length ? [] : tracks }, 'Change the tracks it shows');
  };
  const remove = (): void =>
    deleteWithImpact(`setup/${setup.id}`, { kind: 'remove', list, id: setup.id }, `Delete the setup ${setup.name}`);
  const problemOf = (place: string): string | undefined => problemsAt(problems, place)[0]?.message;
  const recordProblem = problemOf(`setup/${setup.id}/record`);
  return (
    <>
      <div className="pt-2">
        <div className="field-row">
          <label>Name</label>
          <div className="d-flex gap-1">
            <CellField
              value={setup.name}
              label="Name of the setup"
              onCommit={(name) => set({ name }, 'Change the name')}
            />
            <Button variant="bare" label="Copy this setup" onClick={copy}>
              <Copy size={14} aria-hidden />
            </Button>
            <Button variant="bare" label="Delete this setup" onClick={remove}>
              <Trash2 size={14} aria-hidden />
            </Button>
          </div>
        </div>
        <div className="field-row">
          <label>Note</label>
          <div>
            <CellField
              value={setup.note}
              label="Note"
              multiline
              onCommit={(note) => set({ note }, 'Change the note')}
            />
          </div>
        </div>
      </div>
      <h3 className="section-title">What runs</h3>
      <div className="field-row">
        <label>Part type</label>
        <div>
          <CellSelect
            value={setup.root || project.root}
            label="Part type that runs"
            options={project.types.map(
              (t) => [t.id, t.id === project.root ? `${t.name}, the product` : t.name] as const,
            )}
            onCommit={(id) => set({ root: id === project.root ? '' : id }, 'Change what runs')}
          />
        </div>
      </div>
      <div className="field-row">
        <label>Starts in</label>
        <div>
          <CellField
            value={setup.startIn.join(', ')}
            label="States it starts in"
            mono
            placeholder="where its charts begin"
            {...(problemOf(`setup/${setup.id}/startIn`) && { problem: problemOf(`setup/${setup.id}/startIn`)! })}
            onCommit={(text) =>
              set(
                {
                  startIn: text
                    .split(',')
                    .map((x) => x.trim())
                    .filter(Boolean),
                },
                'Change where it starts',
              )
            }
          />
        </div>
      </div>
      {sequences.length > 0 && (
        <div className="field-row">
          <label>Follows</label>
          <div className="d-flex flex-wrap column-gap-3">
            {sequences.map((q) => (
              <label key={q.id} className="d-flex gap-2 align-items-center">
                <input
                  type="checkbox"
                  className="form-check-input mt-0"
                  checked={setup.sequences.includes(q.id)}
                  onChange={(e) =>
                    set(
                      {
                        sequences: e.target.checked
                          ? [...setup.sequences, q.id]
                          : setup.sequences.filter((x) => x !== q.id),
                      },
                      'Change the sequences',
                    )
                  }
                />
                {q.name}
              </label>
            ))}
          </div>
        </div>
      )}
      <h3 className="section-title">
        Changed values
        <Button
          size="sm"
          onClick={() =>
            set(
              {
                changes: [
                  ...setup.changes,
                  newChange(nanoid(8), project.types[0]?.quantities[0]?.name ?? 'part.quantity', '0'),
                ],
              },
              'Change a value',
            )
          }
        >
          <Plus size={13} aria-hidden /> Value
        </Button>
      </h3>
      {setup.changes.length === 0 && <p className="px-3 quiet mb-1">The product as it is designed.</p>}
      <table className="table" data-testid="changes">
        <tbody>
          {setup.changes.map((c) => {
            const put = (change: Partial<typeof c>) =>
              set({ changes: setup.changes.map((x) => (x.id === c.id ? { ...x, ...change } : x)) }, 'Change a value');
            const at = `setup/${setup.id}/change/${c.id}`;
            const problem = problemOf(`${at}/name`);
            const valueProblem = problemOf(`${at}/value`);
            return (
              <tr key={c.id}>
                <td style={{ width: '52%' }}>
                  <CellField
                    value={c.name}
                    label="Quantity to change"
                    mono
                    {...(problem && { problem })}
                    onCommit={(name) => put({ name: name.trim() })}
                  />
                </td>
                <td>
                  <CellField
                    value={c.value}
                    label={`Value of ${c.name}`}
                    mono
                    {...(valueProblem && { problem: valueProblem })}
                    onCommit={(value) => put({ value: value.trim() })}
                  />
                </td>
                <td style={{ width: 40 }}>
                  <Button
                    variant="bare"
                    label={`Leave ${c.name} as designed`}
                    onClick={() =>
                      set({ changes: setup.changes.filter((x) => x.id !== c.id) }, 'Remove a changed value')
                    }
                  >
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Stimulus setup={setup} problemOf={problemOf} />
      <TraceLinks address={`setup/${setup.id}`} what={setup.name} />
      <h3 className="section-title">How it is computed</h3>
      {number('stop', 'Duration', 's')}
      <div className="field-row">
        <label>or until</label>
        <div>
          <CellField
            value={setup.endWhen}
            label="Condition that ends the run"
            mono
            placeholder="its duration is over"
            {...(problemOf(`setup/${setup.id}/endWhen`) && { problem: problemOf(`setup/${setup.id}/endWhen`)! })}
            onCommit={(endWhen) => set({ endWhen }, 'Change what ends the run')}
          />
        </div>
      </div>
      <div className="field-row">
        <label>Records</label>
        <div>
          <CellField
            value={setup.record.join(', ')}
            label="What the run records"
            mono
            placeholder="everything"
            {...(recordProblem && { problem: recordProblem })}
            onCommit={(text) =>
              set(
                {
                  record: text
                    .split(',')
                    .map((x) => x.trim())
                    .filter(Boolean),
                },
                'Change what is recorded',
              )
            }
          />
        </div>
      </div>
      {project.tracks.length > 0 && (
        <div className="field-row">
          <label>Shows</label>
          <div className="d-flex flex-wrap column-gap-3">
            {project.tracks.map((t) => (
              <label key={t.id} className="d-flex gap-2 align-items-center mono">
                <input
                  type="checkbox"
                  className="form-check-input mt-0"
                  checked={shown.includes(t.id)}
                  onChange={(e) => showTrack(t.id, e.target.checked)}
                />
                {t.items.join(', ') || 'empty track'}
              </label>
            ))}
          </div>
        </div>
      )}
      <div className="field-row">
        <label>Solver</label>
        <div>
          <CellSelect
            value={setup.solver}
            label="Solver"
            options={solvers}
            onCommit={(solver) => set({ solver: solver as Setup['solver'] }, 'Change the solver')}
          />
        </div>
      </div>
      {hasFixedStep(setup.solver) ? number('step', 'Step', 's') : number('relative', 'Tolerance', 'relative')}
      {!hasFixedStep(setup.solver) && number('absolute', '', 'absolute')}
      {number('recordEvery', 'Record every', 's')}
      <div className="field-row">
        <label>While it runs</label>
        <label
          className="d-flex gap-2 align-items-center"
          title="Without a screen nothing is drawn until the run has ended: long runs take less time"
        >
          <input
            type="checkbox"
            className="form-check-input mt-0"
            aria-label="Without a screen"
            checked={!setup.screen}
            onChange={(e) =>
              set(
                { screen: !e.target.checked },
                e.target.checked ? 'Run without a screen' : 'Show the run while it goes on',
              )
            }
          />{' '}
          without a screen: as fast as possible, shown when it has ended
        </label>
      </div>
      {startProblems.length > 0 && (
        <div className="px-3 py-2" style={{ color: 'var(--bad)' }} role="alert" data-testid="start-problems">
          <strong>It did not start:</strong>
          {startProblems
            .filter((p) => p.severity === 'error')
            .slice(0, 5)
            .map((p, k) => (
              <div key={k}>{p.message}</div>
            ))}
        </div>
      )}
      <SetupComparison project={project} setup={setup} />
      <RunFacts setup={setup} />
    </>
  );
}

function Stimulus({
  setup,
  problemOf,
}: {
  readonly setup: Setup;
  readonly problemOf: (place: string) => string | undefined;
}) {
  const { edit } = useProject.getState();
  const list = `setup/${setup.id}/stimulus`;
  const file = useRef<HTMLInputElement>(null);
  const fromFile = async (e: ChangeEvent<HTMLInputElement>): Promise<void> => {
    const chosen = e.target.files?.[0];
    e.target.value = '';
    if (!chosen) return;
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
    const refused = edit(
      {
        kind: 'insert',
        list,
        entry: {
          id: `i-${nanoid(8)}`,
          time: setup.stimulus.at(-1)?.time ?? 0,
          kind: 'send',
          target: setup.stimulus.at(-1)?.target ?? 'part.message',
          value: '',
        },
      },
      'Add a stimulus',
    );
    if (refused) usePlace.getState().say(refused.message);
  };
  return (
    <>
      <h3 className="section-title">
        Stimulus: what happens from outside
        <span className="d-flex gap-1">
          <Button size="sm" onClick={add}>
            <Plus size={13} aria-hidden /> Row
          </Button>
          <Button
            size="sm"
            onClick={() => file.current?.click()}
            title="Time in seconds in the first column, an input in each other one, names in the first row"
          >
            <FileUp size={13} aria-hidden /> From CSV
          </Button>
        </span>
        <input
          ref={file}
          type="file"
          accept=".csv,.txt,text/csv"
          hidden
          aria-label="CSV file of signals"
          onChange={(e) => void fromFile(e)}
        />
      </h3>
      {setup.stimulus.length === 0 && (
        <p className="px-3 quiet mb-1">Nothing by itself: use the panel while it runs.</p>
      )}
      <table className="table" data-testid="stimulus">
        <tbody>
          {setup.stimulus.map((row) => {
            const put = (changes: Partial<typeof row>) =>
              edit({ kind: 'update', list, id: row.id, changes }, 'Change a stimulus');
            const at = `setup/${setup.id}/stimulus/${row.id}`;
            const valueProblem = problemOf(`${at}/value`);
            const problem = valueProblem ? undefined : problemOf(at);
            return (
              <tr key={row.id}>
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
                    {...(problem && { problem })}
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
                        {...(valueProblem && { problem: valueProblem })}
                        onCommit={(value) => put({ value })}
                      />
                      {row.kind === 'follow' && (
                        <SignalShapes root={setup.root} target={row.target} choose={(value) => void put({ value })} />
                      )}
                    </div>
                  )}
                </td>
                <td style={{ width: 40 }}>
                  <Button
                    variant="bare"
                    label="Delete this row"
                    onClick={() => edit({ kind: 'remove', list, id: row.id }, 'Delete a stimulus')}
                  >
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

const spentWords = {
  steps: 'steps',
  looking: 'looking for events',
  rows: 'rows and what watches them',
  events: 'events',
};

function RunFacts({ setup }: { readonly setup: Setup }) {
  const run = useRuns((s) => s.current);
  if (!run?.counts) return null;
  const { steps, rejected, evaluations, events } = run.counts;
  return (
    <>
      <h3 className="section-title">Last run: {run.setup}</h3>
      <p className="px-3 quiet">
        {run.status} at {formatNumber(run.time)} s: {steps} steps ({rejected} rejected), {evaluations} evaluations,{' '}
        {events} events, {run.data.rows} rows, {formatNumber(run.seconds * 1000, 3)} ms
      </p>
      {run.solver && (
        <div className="px-3 pb-2 quiet" data-testid="solver-report">
          {run.solver.limiting.length > 0 && (
            <div>
              Its steps were set by{' '}
              {run.solver.limiting.map((x) => `${x.name} (${Math.round(x.share * 100)} %)`).join(', ')}
              {run.solver.implicit ? '; implicit steps in the end' : ''}.
            </div>
          )}
          {run.solver.switching.length > 0 && (
            <div>What switched: {run.solver.switching.map((x) => `${x.text} (${x.times}×)`).join(', ')}.</div>
          )}
          <div>
            Time went into{' '}
            {(['steps', 'looking', 'rows', 'events'] as const)
              .map((t) => `${spentWords[t]} ${Math.round(run.solver!.spent[t] * 100)} %`)
              .join(', ')}
            .
          </div>
          {run.solver.advice.map((a) => (
            <div key={a} style={{ color: 'var(--now-ink)' }}>
              {a}.
            </div>
          ))}
        </div>
      )}
      {run.actions.length > 0 && (
        <div className="px-3 pb-2" data-testid="actions">
          <p className="mb-1">
            {run.actions.length} thing{run.actions.length === 1 ? '' : 's'} done by hand:{' '}
            {run.actions
              .slice(0, 4)
              .map(
                (a) =>
                  `${a.kind === 'set' ? `${a.target} = ${formatNumber(a.value)}` : a.target} at ${formatNumber(a.time)} s`,
              )
              .join(', ')}
            {run.actions.length > 4 && ' …'}
          </p>
          <div className="d-flex gap-2">
            <Button size="sm" onClick={() => keepAsSetup(setup)}>
              Keep as a setup
            </Button>
            <Button size="sm" onClick={() => keepAsSequence(setup)}>
              Write as a sequence
            </Button>
          </div>
        </div>
      )}
    </>
  );
}
