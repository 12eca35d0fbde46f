'use client';
import { Play, Plus, Square } from 'lucide-react';
import { useMemo } from 'react';
import type { Project, TestCase } from '@/core/project/project';
import { setupOf, typeById } from '@/core/project/project';
import { isFor, type CaseInStage } from '@/core/proof/choose';
import { usePlace } from '@/store/place-store';
import { isStale, outcomeKey, runCases, stopCases, useProof } from '@/store/proof-store';
import { Button } from '@/ui/button';
import { useRuns } from '@/store/run-store';
import { addCase, addCaseOfRun } from '@/ui/editing/make';
import { Progress } from '@/ui/progress';
import { OutcomeMark } from './outcome-mark';
import { ProofTabs } from './proof-tabs';
import { StageChoice, stageOf, stagesHere, type Shown } from './stage-choice';

export const whatItTries = (project: Project, of: TestCase): string =>
  of.alone === '' ? (setupOf(project, of)?.name ?? '') : `${typeById(project, of.alone)?.name ?? ''} alone`;

/** Cases by stage: what passed, what failed, what is out of date. */
export function CaseMatrix({ project }: { readonly project: Project }) {
  const { known, shown, running, words, tag: wanted, look } = useProof();
  const run = useRuns((s) => s.current);
  const isOfSetup = run !== undefined && run.status === 'finished' && project.setups.some((s) => s.name === run.setup);
  const stages = stagesHere(project);
  const columns = stages.filter(([s]) => shown.includes(s));
  const tags = useMemo(() => [...new Set(project.cases.flatMap((c) => c.tags))].sort(), [project.cases]);
  // of another project, or gone
  const tag = tags.includes(wanted) ? wanted : '';
  const cases = project.cases.filter(
    (c) =>
      (tag === '' || c.tags.includes(tag)) &&
      `${c.name} ${c.note} ${c.tags.join(' ')}`.toLowerCase().includes(words.trim().toLowerCase()),
  );
  const cells = cases.flatMap((of) =>
    columns.flatMap(([s]): CaseInStage[] => (isFor(of, stageOf(s)) ? [{ of, stage: stageOf(s) }] : [])),
  );
  const foundOf = ({ of, stage }: CaseInStage) => known[outcomeKey(of.id, stage)];
  const failed = cells.filter((c) => foundOf(c) && foundOf(c)!.outcome.verdict !== 'passed');
  const stale = cells.filter((c) => {
    const found = foundOf(c);
    return !found || isStale(project, c.of, found);
  });
  const passed = cells.filter((c) => foundOf(c)?.outcome.verdict === 'passed' && !stale.includes(c));
  if (project.cases.length === 0)
    return (
      <>
        <div className="pane-head">
          <ProofTabs here="cases" />
        </div>
        <div className="empty">
          <h3>No test cases yet</h3>
          <p>
            A test case says what is given to the product, or to a part of it alone, and what must come of it: in lines,
            in a table, by written sequences. It runs in every stage, from the design to the board.
          </p>
          <Button variant="primary" onClick={() => addCase(project)}>
            <Plus size={14} aria-hidden /> Add a test case
          </Button>
        </div>
      </>
    );
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="cases" />
        <Button onClick={() => addCase(project)}>
          <Plus size={14} aria-hidden /> Case
        </Button>
        {isOfSetup && (
          <Button
            onClick={() => addCaseOfRun(project, run)}
            title={`What ${run.setup} did is expected again`}
            data-testid="case-of-run"
          >
            <Plus size={14} aria-hidden /> Case of the run
          </Button>
        )}
        {running ? (
          <Button onClick={stopCases}>
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <>
            {failed.length > 0 && failed.length < cells.length && (
              <Button onClick={() => void runCases(project, failed)} data-testid="run-failed">
                <Play size={13} aria-hidden /> {failed.length} not passed
              </Button>
            )}
            {stale.length > 0 && stale.length < cells.length && (
              <Button onClick={() => void runCases(project, stale)} data-testid="run-stale">
                <Play size={13} aria-hidden /> {stale.length} out of date
              </Button>
            )}
            <Button
              variant="primary"
              disabled={cells.length === 0}
              onClick={() => void runCases(project, cells)}
              data-testid="run-cases"
            >
              <Play size={13} aria-hidden /> Run {cells.length}
            </Button>
          </>
        )}
      </div>
      <div className="proof-choice px-3" data-testid="proof-choice">
        <input
          className="form-control form-control-sm"
          aria-label="Search the test cases"
          placeholder="Search"
          value={words}
          onChange={(e) => look({ words: e.target.value })}
        />
        {tags.length > 0 && (
          <select
            className="form-select form-select-sm w-auto"
            aria-label="Cases with a tag"
            value={tag}
            onChange={(e) => look({ tag: e.target.value })}
          >
            <option value="">all</option>
            {tags.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </select>
        )}
        <span className="proof-stages" role="group" aria-label="Stages">
          <StageChoice project={project} />
        </span>
      </div>
      <p className="px-3 mb-1" role="status" data-testid="proof-words">
        {running ? (
          <>
            {running.done} of {running.of} are through.
          </>
        ) : passed.length + failed.length === 0 ? (
          <span className="quiet">Nothing of this has been run.</span>
        ) : (
          <>
            <strong className="good">{passed.length}</strong> of {cells.length} passed
            {failed.length > 0 && (
              <>
                , <strong className="bad">{failed.length}</strong> did not
              </>
            )}
            {stale.length > 0 && (
              <span className="now-ink">; {stale.length} have to be run again, or for the first time</span>
            )}
            .
          </>
        )}
      </p>
      {running && <Progress now={(100 * running.done) / Math.max(1, running.of)} label="Cases that are through" />}
      <div className="pane-body">
        <table className="table proof-matrix" data-testid="case-matrix">
          <thead>
            <tr>
              <th scope="col">Case</th>
              <th scope="col">Tries</th>
              {columns.map(([s, name]) => (
                <th key={s} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {cases.map((of) => (
              <CaseRow key={of.id} project={project} of={of} columns={columns.map(([s]) => s)} />
            ))}
          </tbody>
        </table>
        {cases.length === 0 && <p className="px-3 quiet">No test case is like that.</p>}
      </div>
    </>
  );
}

function CaseRow({
  project,
  of,
  columns,
}: {
  readonly project: Project;
  readonly of: TestCase;
  readonly columns: readonly Shown[];
}) {
  const known = useProof((s) => s.known);
  const running = useProof((s) => s.running);
  const open = (): void => usePlace.getState().go({ area: 'proof', sheet: `case/${of.id}` });
  return (
    <tr data-case={of.name}>
      <td>
        <button type="button" className="btn btn-link p-0 text-start" onClick={open}>
          {of.name}
        </button>
        {of.tags.map((t) => (
          <span key={t} className="type-tag ms-2">
            {t}
          </span>
        ))}
      </td>
      <td className="quiet">{whatItTries(project, of)}</td>
      {columns.map((s) => {
        const stage = stageOf(s);
        const key = outcomeKey(of.id, stage);
        const found = known[key];
        return (
          <td key={s} data-stage={s}>
            {isFor(of, stage) ? (
              <button type="button" className="btn btn-link p-0 proof-cell" onClick={open} title={`${of.name}, ${s}`}>
                <OutcomeMark
                  known={found}
                  isStale={found !== undefined && isStale(project, of, found)}
                  isRunning={running?.now.has(key) ?? false}
                />
              </button>
            ) : (
              <span className="quiet" title="This case is for other stages">
                not for it
              </span>
            )}
          </td>
        );
      })}
    </tr>
  );
}
