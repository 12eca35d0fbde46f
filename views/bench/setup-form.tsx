'use client';
import { Copy, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { namesOfRun } from '@/core/run/names-of-run';
import { boardsOf } from '@/core/boards/board';
import { ownStages, stageText, withStages, type StageText } from '@/core/stepcode/stage';
import { stageWords } from '@/ui/stage-words';
import { hasFixedStep, newChange, type Project, type Setup } from '@/core/project/project';
import { problemsAt } from '@/store/derived';
import { manyRows, proposedInterval, rowsOf } from '@/core/run/record-interval';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { AddRow } from '@/ui/editing/add-row';
import { CellField, CellSelect } from '@/ui/cell-field';
import { useRunNames } from '@/ui/run-names';
import { RunFacts } from './run-facts';
import { SetupComparison } from './setup-extras';
import { SetupWires } from './setup-wires';
import { Stimulus } from './stimulus';
import { FieldRow } from '@/ui/field-row';
import { NumberRow } from '@/ui/number-row';

interface Props {
  readonly project: Project;
  readonly setup: Setup;
}

/** The entries of a list that is written with commas. */
const listed = (text: string): readonly string[] =>
  text
    .split(',')
    .map((x) => x.trim())
    .filter(Boolean);

/** How a setup is changed, and what is wrong with its fields. */
function useSetupFields(setup: Setup) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  return {
    set: (changes: Partial<Setup>, what: string) =>
      edit({ kind: 'update', list: 'setup', id: setup.id, changes }, `${what} of ${setup.name}`),
    problemOf: (place: string): string | undefined => problemsAt(problems, place)[0]?.message,
  };
}

/** Everything about a setup: what runs, with which values, what is done to it, and how it is computed. */
export function SetupForm({ project, setup, copy }: Props & { readonly copy: () => void }) {
  const { problemOf } = useSetupFields(setup);
  return (
    <>
      <SetupHead setup={setup} copy={copy} />
      <WhatRuns project={project} setup={setup} />
      <SoftwareStages project={project} setup={setup} />
      <SetupWires project={project} setup={setup} />
      <ChangedValues setup={setup} />
      <Stimulus setup={setup} problemOf={problemOf} />
      <TraceLinks address={`setup/${setup.id}`} what={setup.name} />
      <Computation project={project} setup={setup} />
      <StartProblems />
      <SetupComparison project={project} setup={setup} />
      <RunFacts setup={setup} />
    </>
  );
}

function SetupHead({ setup, copy }: { readonly setup: Setup; readonly copy: () => void }) {
  const { set } = useSetupFields(setup);
  const remove = (): void =>
    deleteWithImpact(
      `setup/${setup.id}`,
      { kind: 'remove', list: 'setup', id: setup.id },
      `Delete the setup ${setup.name}`,
    );
  return (
    <div className="pt-2">
      <FieldRow label="Name" className="d-flex gap-1">
        <CellField value={setup.name} label="Name of the setup" onCommit={(name) => set({ name }, 'Change the name')} />
        <Button variant="bare" label="Copy this setup" onClick={copy}>
          <Copy size={14} aria-hidden />
        </Button>
        <Button variant="bare" label="Delete this setup" onClick={remove}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </FieldRow>
      <FieldRow label="Note">
        <CellField value={setup.note} label="Note" multiline onCommit={(note) => set({ note }, 'Change the note')} />
      </FieldRow>
    </div>
  );
}

function WhatRuns({ project, setup }: Props) {
  const names = useRunNames(setup);
  const { set, problemOf } = useSetupFields(setup);
  const sequences = project.types.find((t) => t.id === (setup.root || project.root))?.sequences ?? [];
  return (
    <>
      <h3 className="section-title">What runs</h3>
      <FieldRow label="Part type">
        <CellSelect
          value={setup.root || project.root}
          label="Part type that runs"
          options={project.types.map((t) => [t.id, t.id === project.root ? `${t.name}, the product` : t.name] as const)}
          onCommit={(id) => set({ root: id === project.root ? '' : id }, 'Change what runs')}
        />
      </FieldRow>
      <FieldRow label="Starts in">
        <CellField
          value={setup.startIn.join(', ')}
          label="States it starts in"
          mono
          names={names.states}
          placeholder="where its charts begin"
          problem={problemOf(`setup/${setup.id}/startIn`)}
          onCommit={(text) =>
            set(
              {
                startIn: listed(text),
              },
              'Change where it starts',
            )
          }
        />
      </FieldRow>
      {sequences.length > 0 && (
        <FieldRow label="Follows" className="d-flex flex-wrap column-gap-3">
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
        </FieldRow>
      )}
    </>
  );
}

/** Stages a part can run in here; what a setup says that cannot is shown as it is. */
function choicesOf(project: Project, now: StageText): readonly (readonly [string, string])[] {
  const all: (readonly [string, string])[] = [
    ...[...ownStages, 'host' as const].map((s) => [s, `${s}: ${stageWords[s]}`] as const),
    ...boardsOf(project).map((b) => [`board:${b.id}`, b.note === '' ? b.name : `${b.name}: ${b.note}`] as const),
  ];
  return all.some(([s]) => s === now) ? all : [...all, [now, now] as const];
}

/** In which stage each part that is software runs. */
function SoftwareStages({ project, setup }: Props) {
  const { set, problemOf } = useSetupFields(setup);
  const parts = useMemo(() => {
    const software = new Map(project.types.flatMap((t) => (t.software.trim() === '' ? [] : [[t.name, t] as const])));
    return namesOfRun(project, setup.root || project.root).flatMap((n) => {
      const type = n.kind === 'part' ? software.get(n.detail) : undefined;
      return type ? [{ name: n.name, every: type.software }] : [];
    });
  }, [project, setup.root]);
  // what is said of a part that is gone stays to be seen
  const gone = setup.stages.filter((s) => !parts.some((p) => p.name === s.part));
  const rows = [...parts, ...gone.map((s) => ({ name: s.part, every: '' }))];
  if (rows.length === 0) return null;
  const choose = (part: string, stage: string): Problem | undefined =>
    set({ stages: withStages(setup, new Map([[part, stage as StageText]])).stages }, `Change how ${part} runs`);
  return (
    <>
      <h3 className="section-title">Software runs</h3>
      {rows.map(({ name, every }) => {
        const k = setup.stages.findIndex((s) => s.part === name);
        const problem = k < 0 ? undefined : problemOf(`setup/${setup.id}/stages/${k}`);
        return (
          <FieldRow key={name} label={name}>
            <CellSelect
              value={k < 0 ? 'designed' : stageText(setup.stages[k])}
              label={`How ${name} runs`}
              options={choicesOf(project, k < 0 ? 'designed' : stageText(setup.stages[k]))}
              onCommit={(stage) => choose(name, stage)}
            />
            {setup.stages[k] && every !== '' && <div className="quiet">a step every {every.replace(/'/g, '')}</div>}
            {problem && <div className="field-problem">{problem}</div>}
          </FieldRow>
        );
      })}
    </>
  );
}

function ChangedValues({ setup }: Pick<Props, 'setup'>) {
  const list = `setup/${setup.id}/change`;
  const names = useRunNames(setup);
  const { set, problemOf } = useSetupFields(setup);
  return (
    <>
      <h3 className="section-title">
        Changed values
        <AddRow
          list={list}
          entry={() => newChange(nanoid(8), names.parameters()[0]?.name ?? 'part.quantity', '0')}
          label="Change a value"
        >
          Value
        </AddRow>
      </h3>
      {setup.changes.length === 0 && <p className="px-3 quiet mb-1">Everything is as it is designed.</p>}
      <table className="table" data-testid="changes" data-rows={list} data-enter="through">
        <tbody>
          {setup.changes.map((c) => {
            const put = (change: Partial<typeof c>) =>
              set({ changes: setup.changes.map((x) => (x.id === c.id ? { ...x, ...change } : x)) }, 'Change a value');
            const at = `setup/${setup.id}/change/${c.id}`;
            const problem = problemOf(`${at}/name`);
            const valueProblem = problemOf(`${at}/value`);
            return (
              <EditableRow key={c.id} address={at}>
                <RowHandle address={at} what={c.name} />
                <td style={{ width: '52%' }}>
                  <CellField
                    value={c.name}
                    label="Quantity to change"
                    mono
                    names={names.parameters}
                    problem={problem}
                    onCommit={(name) => put({ name: name.trim() })}
                  />
                </td>
                <td>
                  <CellField
                    value={c.value}
                    label={`Value of ${c.name}`}
                    mono
                    names={names.formula}
                    problem={valueProblem}
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
              </EditableRow>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

const solvers: readonly (readonly [Setup['solver'], string])[] = [
  ['auto', 'automatic'],
  ['dopri5', 'Dormand–Prince 5(4)'],
  ['implicit', 'Radau IIA 5 (stiff)'],
  ['rk4', 'Runge–Kutta 4, fixed step'],
  ['euler', 'Euler, fixed step'],
  ['implicit-euler', 'Implicit Euler, fixed step'],
];

function Computation({ project, setup }: Props) {
  const names = useRunNames(setup);
  const { set, problemOf } = useSetupFields(setup);
  /** Rows stay as dense on the screen when a run gets longer, unless somebody has chosen otherwise. */
  const followed = (stop: number): Partial<Setup> =>
    setup.recordEvery === proposedInterval(setup.stop) ? { recordEvery: proposedInterval(stop) } : {};
  const rows = rowsOf(setup.stop, setup.recordEvery);
  const number = (
    key: 'stop' | 'relative' | 'absolute' | 'step' | 'recordEvery',
    label: string,
    unit: string,
    shown = label,
  ) => (
    <NumberRow
      name={shown}
      label={label}
      unit="s"
      value={setup[key]}
      after={unit}
      onNumber={(value) =>
        set({ [key]: value, ...(key === 'stop' && followed(value)) }, `Change ${label.toLowerCase()}`)
      }
    />
  );
  const recordProblem = problemOf(`setup/${setup.id}/record`);
  const shown = setup.tracks.length > 0 ? setup.tracks : project.tracks.map((t) => t.id);
  const showTrack = (id: string, on: boolean): void => {
    const tracks = on ? [...shown, id] : shown.filter((x) => x !== id);
    set({ tracks: tracks.length === project.tracks.length ? [] : tracks }, 'Change the tracks it shows');
  };
  return (
    <>
      <h3 className="section-title">How it is computed</h3>
      {number('stop', 'Duration', 's')}
      <FieldRow label="or until">
        <CellField
          value={setup.endWhen}
          label="Condition that ends the run"
          mono
          names={names.formula}
          placeholder="its duration is over"
          problem={problemOf(`setup/${setup.id}/endWhen`)}
          onCommit={(endWhen) => set({ endWhen }, 'Change what ends the run')}
        />
      </FieldRow>
      <FieldRow label="Looks at loops">
        <CellField
          value={setup.loopsWhen}
          label="When loops that requirements speak of are looked at"
          mono
          names={names.formula}
          placeholder="never"
          problem={problemOf(`setup/${setup.id}/loopsWhen`)}
          onCommit={(loopsWhen) => set({ loopsWhen }, 'Change when loops are looked at')}
        />
      </FieldRow>
      <FieldRow label="Records">
        <CellField
          value={setup.record.join(', ')}
          label="What the run records"
          mono
          names={names.recorded}
          placeholder="everything"
          problem={recordProblem}
          onCommit={(text) =>
            set(
              {
                record: listed(text),
              },
              'Change what is recorded',
            )
          }
        />
      </FieldRow>
      {project.tracks.length > 0 && (
        <FieldRow label="Shows" className="d-flex flex-wrap column-gap-3">
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
        </FieldRow>
      )}
      <FieldRow label="Solver">
        <CellSelect
          value={setup.solver}
          label="Solver"
          options={solvers}
          onCommit={(solver) => set({ solver: solver as Setup['solver'] }, 'Change the solver')}
        />
      </FieldRow>
      {hasFixedStep(setup.solver)
        ? number('step', 'Step', 's')
        : number('relative', 'Relative tolerance', 'relative', 'Tolerance')}
      {!hasFixedStep(setup.solver) && number('absolute', 'Absolute tolerance', 'absolute', '')}
      {number('recordEvery', 'Record every', 's')}
      {rows > manyRows && (
        <FieldRow label="" className="d-flex align-items-baseline gap-2 flex-wrap">
          <span className="now-ink" data-testid="many-rows">
            {rows.toLocaleString('en')} rows and those at events
          </span>
          <Button size="sm" onClick={() => set({ recordEvery: proposedInterval(setup.stop) }, 'Change record every')}>
            every {proposedInterval(setup.stop)} s instead
          </Button>
        </FieldRow>
      )}
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
    </>
  );
}

/** Why a run could not begin. */
function StartProblems() {
  const startProblems = useRuns((s) => s.startProblems);
  if (startProblems.length === 0) return null;
  return (
    <div className="px-3 py-2" style={{ color: 'var(--bad)' }} role="alert" data-testid="start-problems">
      <strong>It did not start:</strong>
      {startProblems
        .filter((p) => p.severity === 'error')
        .slice(0, 5)
        .map((p, k) => (
          <div key={k}>{p.message}</div>
        ))}
    </div>
  );
}
