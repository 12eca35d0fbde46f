'use client';
import { ArrowLeft, Copy, Play, Square, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { setupOf, typeById, type Project, type TestCase } from '@/core/project/project';
import { isFor } from '@/core/proof/choose';
import { scriptForms } from '@/core/scripts/read-script';
import { stages as allStages } from '@/core/stepcode/stage';
import { problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { askCaseProblems, isStale, outcomeKey, runCases, stopCases, useProof } from '@/store/proof-store';
import { startRun } from '@/store/running';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { addCase } from '@/ui/editing/make';
import { FieldRow } from '@/ui/field-row';
import { FormulaEditor } from '@/ui/formula-editor';
import { formatNumber } from '@/ui/format';
import { deleteWithImpact } from '@/ui/impact';
import { namesIn } from '@/ui/known-names';
import { TraceLinks } from '@/ui/trace-links';
import { stageOf, stagesHere } from './stage-choice';
import { OutcomeMark } from './outcome-mark';
import { VectorGrid } from './vector-grid';

/** One test case: what it says, and what came of it in each stage. */
export function CaseSheet({ project, of }: { readonly project: Project; readonly of: TestCase }) {
  const { edit } = useProject.getState();
  const set = (changes: Partial<TestCase>, what: string): Problem | undefined =>
    edit({ kind: 'update', list: 'case', id: of.id, changes }, `${what} of ${of.name}`);
  const problems = useCaseProblems(project, of);
  const root = typeById(project, of.alone || setupOf(project, of)?.root || project.root);
  const names = useMemo(() => (root ? namesIn(project, root) : []), [project, root]);
  const isAlone = of.alone !== '';
  const at = `case/${of.id}`;
  const own = problems.filter((p) => p.place === at || /\/(setup|alone|sequences|stages)(\/|$)/.test(p.place ?? ''));
  return (
    <>
      <div className="pane-head">
        <Button variant="bare" label="All test cases" onClick={() => usePlace.getState().go({ sheet: '' })}>
          <ArrowLeft size={15} aria-hidden />
        </Button>
        <div className="study-name">
          <CellField value={of.name} label="Name of the case" onCommit={(name) => set({ name }, 'Change the name')} />
        </div>
        <Button variant="bare" label="Copy this case" onClick={() => addCase(project, of)}>
          <Copy size={14} aria-hidden />
        </Button>
        <Button
          variant="bare"
          label="Delete this case"
          onClick={() =>
            deleteWithImpact(at, { kind: 'remove', list: 'case', id: of.id }, `Delete the test case ${of.name}`)
          }
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="proof-case" data-testid="case">
        <div className="asks">
          {own.map((p) => (
            <p
              key={`${p.place}${p.message}`}
              className={`px-3 mb-1 ${p.severity === 'error' ? 'field-problem' : 'now-ink'}`}
            >
              {p.message}
            </p>
          ))}
          <FieldRow label="Tries">
            <CellSelect
              value={isAlone ? `alone:${of.alone}` : `setup:${setupOf(project, of)?.id ?? of.setup}`}
              label="What it tries"
              options={[
                ...project.setups.map((s) => [`setup:${s.id}`, s.name] as const),
                ...project.types.map((t) => [`alone:${t.id}`, `${t.name} alone`] as const),
              ]}
              onCommit={(value) => {
                const id = value.slice(value.indexOf(':') + 1);
                set(
                  value.startsWith('alone:') ? { alone: id, setup: '', sequences: [] } : { alone: '', setup: id },
                  'Change what it tries',
                );
              }}
            />
            {isAlone && <div className="quiet">Nothing is around it: its inputs are what the case gives.</div>}
          </FieldRow>
          <FieldRow label="Ends after">
            <div className="d-flex align-items-baseline gap-2">
              <div style={{ width: 90 }}>
                <CellField
                  value={of.stop > 0 ? String(of.stop) : ''}
                  label="Ends after"
                  mono
                  placeholder={String(isAlone ? 10 : (setupOf(project, of)?.stop ?? 10))}
                  onCommit={(text) =>
                    text.trim() === ''
                      ? set({ stop: 0 }, 'Change the end')
                      : Number(text) > 0
                        ? set({ stop: Number(text) }, 'Change the end')
                        : { severity: 'error', code: 'number', message: 'A time in seconds' }
                  }
                />
              </div>
              <span className="quiet">s at the latest; earlier where its lines and its table are through</span>
            </div>
          </FieldRow>
          <FieldRow label="For stages" className="proof-stages">
            {allStages.map((s) => (
              <label key={s}>
                <input
                  type="checkbox"
                  className="form-check-input"
                  checked={of.stages.length === 0 || of.stages.includes(s)}
                  onChange={(e) => {
                    const now = of.stages.length === 0 ? [...allStages] : of.stages;
                    const next = e.target.checked ? [...now, s] : now.filter((x) => x !== s);
                    set({ stages: allStages.every((x) => next.includes(x)) ? [] : [...next] }, 'Change the stages');
                  }}
                />
                {s}
              </label>
            ))}
          </FieldRow>
          <FieldRow label="Tags">
            <CellField
              value={of.tags.join(', ')}
              label="Tags"
              placeholder="words by which some are chosen, with commas"
              onCommit={(text) =>
                set(
                  {
                    tags: [
                      ...new Set(
                        text
                          .split(',')
                          .map((t) => t.trim())
                          .filter((t) => t !== ''),
                      ),
                    ],
                  },
                  'Change the tags',
                )
              }
            />
          </FieldRow>
          <FieldRow label="Note">
            <CellField
              value={of.note}
              label="Note of the case"
              multiline
              onCommit={(note) => set({ note }, 'Change the note')}
            />
          </FieldRow>
          {!isAlone && root && root.sequences.length > 0 && (
            <FieldRow label="Follows" className="proof-stages">
              {root.sequences.map((q) => (
                <label key={q.id}>
                  <input
                    type="checkbox"
                    className="form-check-input"
                    checked={of.sequences.includes(q.id)}
                    onChange={(e) =>
                      set(
                        {
                          sequences: e.target.checked
                            ? [...of.sequences, q.id]
                            : of.sequences.filter((x) => x !== q.id),
                        },
                        'Change the written sequences',
                      )
                    }
                  />
                  {q.name}
                </label>
              ))}
            </FieldRow>
          )}
          <Lines
            of={of}
            names={names}
            problems={problems.filter((p) => p.place === `${at}/script`)}
            set={(script) => set({ script }, 'Change the lines')}
          />
          <VectorGrid of={of} names={names} problems={problems} />
          <TraceLinks address={at} what={of.name} />
        </div>
        <Outcomes project={project} of={of} />
      </div>
    </>
  );
}

/** What is wrong with it: at once what its text says, and a moment later what its run would say. */
function useCaseProblems(project: Project, of: TestCase): readonly Problem[] {
  const all = useProject((s) => s.problems);
  const [known, setKnown] = useState<readonly Problem[]>([]);
  const { types, libraries, setups } = project;
  const { script, vectors, rows, setup, alone, sequences, stages } = of;
  useEffect(() => {
    if (typeof Worker === 'undefined') return;
    let asked: ReturnType<typeof askCaseProblems> | undefined;
    let isOver = false;
    const timer = setTimeout(() => {
      asked = askCaseProblems(project, of.id);
      asked.answer.then((found) => !isOver && found && setKnown(found)).catch(() => undefined);
    }, 350);
    return () => {
      isOver = true;
      clearTimeout(timer);
      asked?.stop();
    };
    // by what they say: a name or a note changes nothing
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [types, libraries, setups, script, vectors, rows, setup, alone, sequences, stages]);
  const at = problemsAt(all, `case/${of.id}`);
  const keyOf = (p: Problem): string => `${p.place} ${p.span?.start ?? ''} ${p.message}`;
  const seen = new Set(at.map(keyOf));
  return [...at, ...known.filter((p) => !seen.has(keyOf(p)))].sort(
    (a, b) => (a.span?.start ?? 0) - (b.span?.start ?? 0),
  );
}

function Lines({
  of,
  names,
  problems,
  set,
}: {
  readonly of: TestCase;
  readonly names: Parameters<typeof FormulaEditor>[0]['names'];
  readonly problems: readonly Problem[];
  readonly set: (script: string) => void;
}) {
  const [isHelp, setHelp] = useState(false);
  return (
    <>
      <h3 className="section-title">
        Lines
        <Button size="sm" aria-pressed={isHelp} onClick={() => setHelp(!isHelp)}>
          What can be written
        </Button>
      </h3>
      {isHelp && (
        <dl className="px-3 proof-forms" data-testid="script-forms">
          {scriptForms.map(([form, meaning]) => (
            <div key={form}>
              <dt className="mono">{form}</dt>
              <dd className="quiet">{meaning}</dd>
            </div>
          ))}
        </dl>
      )}
      <div className="px-3" data-testid="script">
        <FormulaEditor
          value={of.script}
          label="Lines of the case"
          onChange={set}
          problems={problems}
          names={names}
          minHeight={of.script === '' ? '56px' : '120px'}
        />
      </div>
      {problems.slice(0, 4).map((p) => (
        <p
          key={`${p.span?.start}${p.message}`}
          className={`px-3 mb-1 ${p.severity === 'error' ? 'field-problem' : 'now-ink'}`}
        >
          line {of.script.slice(0, p.span?.start ?? 0).split('\n').length}: {p.message}
        </p>
      ))}
    </>
  );
}

/** What came of it, stage by stage. */
function Outcomes({ project, of }: { readonly project: Project; readonly of: TestCase }) {
  const { known, running, shown } = useProof();
  const stages = stagesHere(project).filter(([s]) => isFor(of, stageOf(s)));
  const wanted = stages.filter(([s]) => shown.includes(s));
  return (
    <div className="answers" data-testid="case-outcomes">
      <h3 className="section-title">
        What came of it
        {running ? (
          <Button size="sm" data-testid="stop-case" onClick={stopCases}>
            <Square size={13} aria-hidden /> Stop, {running.done} of {running.of} through
          </Button>
        ) : (
          <Button
            size="sm"
            variant="primary"
            disabled={wanted.length === 0}
            data-testid="run-case"
            onClick={() =>
              void runCases(
                project,
                wanted.map(([s]) => ({ of, stage: stageOf(s) })),
              )
            }
          >
            <Play size={13} aria-hidden /> Run in {wanted.length} {wanted.length === 1 ? 'stage' : 'stages'}
          </Button>
        )}
      </h3>
      {stages.map(([s, name, meaning]) => {
        const stage = stageOf(s);
        const key = outcomeKey(of.id, stage);
        const found = known[key];
        if (!found && !shown.includes(s)) return null;
        return (
          <section key={s} className="proof-outcome" data-stage={s}>
            <div className="d-flex align-items-center gap-2">
              <strong title={meaning}>{name}</strong>
              <OutcomeMark
                known={found}
                isStale={found !== undefined && isStale(project, of, found)}
                isRunning={running?.now.has(key) ?? false}
              />
              <span style={{ flex: 1 }} />
              {found && found.outcome.verdict !== 'not run' && (
                <Button
                  size="sm"
                  onClick={() => void showRun(of, stage, found.outcome.failedAt)}
                  title="Runs it again, recorded, with the cursor where it failed"
                >
                  Show the run
                </Button>
              )}
            </div>
            {found && <Why project={project} of={of} outcome={found.outcome} />}
          </section>
        );
      })}
    </div>
  );
}

/** Runs it in the ribbon, and goes to the moment that matters. */
async function showRun(of: TestCase, stage: ReturnType<typeof stageOf>, failedAt: number | undefined): Promise<void> {
  await startRun({ tried: { id: of.id, stage } });
  if (failedAt === undefined) return;
  const stop = useRuns.subscribe((s) => {
    if (!s.current || s.current.status === 'running') return;
    stop();
    useRuns.getState().moveCursor(failedAt);
  });
}

function Why({
  project,
  of,
  outcome,
}: {
  readonly project: Project;
  readonly of: TestCase;
  readonly outcome: import('@/core/proof/run-case').CaseOutcome;
}) {
  const lines = of.script.split('\n');
  const { script, vectors, worst, sequences, findings } = outcome;
  const judged = findings.filter((f) => f.verdict !== 'undecided');
  return (
    <>
      {outcome.why !== '' && <p className="mb-1 field-problem">{outcome.why}</p>}
      {script && (
        <ol className="proof-lines" data-testid="line-results">
          {script.lines.map((l) => (
            <li key={l.line} value={l.line + 1} className={l.status}>
              <span className="mono">{lines[l.line]?.trim()}</span>
              <span className="quiet">
                {l.status}
                {l.time !== undefined && ` at ${formatNumber(l.time, 5)} s`}
                {l.times > 1 && `, ${l.times} times`}
                {l.detail !== '' && l.status !== 'failed' && `, ${l.detail}`}
              </span>
            </li>
          ))}
        </ol>
      )}
      {vectors && (
        <p className="mb-1 quiet">
          {vectors.values.filter((v) => v.status === 'held').length} of {vectors.values.length} values came as expected.
          {worst &&
            worst.value !== worst.expected &&
            ` Furthest off: ${worst.target} at ${formatNumber(worst.time, 5)} s, ${formatNumber(worst.value, 5)} where ${formatNumber(worst.expected, 5)} ${worst.unit} was expected.`}
        </p>
      )}
      {sequences.map((s) => (
        <p key={s.id} className="mb-1 quiet">
          {s.name}: {s.report.verdict}
        </p>
      ))}
      {judged.length > 0 && (
        <p className="mb-1 quiet">
          Beside it {judged.filter((f) => f.verdict === 'holds').length} of {project.requirements.length} requirements
          hold
          {judged.some((f) => f.verdict === 'fails') &&
            `, ${judged
              .filter((f) => f.verdict === 'fails')
              .map((f) => f.key)
              .join(', ')} fail`}
          .
        </p>
      )}
    </>
  );
}
