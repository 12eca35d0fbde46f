'use client';
import { ArrowLeft } from 'lucide-react';
import { useMemo } from 'react';
import type { Project, Requirement } from '@/core/project/project';
import { limitOf } from '@/core/requirements/read-limit';
import { namesOfFormula } from '@/core/run/names-of-formula';
import { usePlace } from '@/store/place-store';
import { useRuns } from '@/store/run-store';
import { useProject } from '@/store/project-store';
import { oldFinding, useStandings } from '@/store/standings';
import { Button } from '@/ui/button';
import { formatNumber, withUnit } from '@/ui/format';
import { MomentPlot } from '@/ui/ribbon/moment-plot';
import { TraceLinks } from '@/ui/trace-links';
import { marginText, VerdictMark } from '@/ui/verdict';
import { ExampleDrawing } from './example-drawing';
import { LimitCell } from './limit-cell';
import { ObservationForm } from './observation-form';
import { LimitFacts, MarkedText, Origin } from './requirement-details';
import { RequirementText } from './requirement-text';

/** Everything about one requirement on one sheet: what it says, what is checked, what was found, and what it is tied to. */
export function RequirementPage({
  project,
  requirement: r,
}: {
  readonly project: Project;
  readonly requirement: Requirement;
}) {
  const { go } = usePlace.getState();

  const limit = limitOf(r, project.glossary);
  const standing = useStandings()(r);
  const { finding, run } = standing;
  const names = useMemo(
    () => (limit.formula && run ? namesOfFormula(limit.formula, (n) => run.data.columns.has(n)).slice(0, 5) : []),
    // columns come with the first rows of a run
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [limit.formula, run?.data.columns],
  );
  const worst = finding?.failsSince ?? finding?.worstAt;
  return (
    <>
      <div className="pane-head">
        <Button
          variant="bare"
          label="All requirements"
          onClick={() => go({ area: 'needs', sheet: '', item: `requirement/${r.id}` })}
        >
          <ArrowLeft size={14} aria-hidden />
        </Button>
        <h2>{r.key}</h2>
        {finding && (
          <span className="text-nowrap">
            <VerdictMark finding={finding} old={standing.basis === 'run' ? standing.doubt : ''} />{' '}
            {finding.verdict === 'holds' && finding.margin !== undefined && (
              <span className="quiet">with {marginText(finding)} to spare</span>
            )}
          </span>
        )}
      </div>
      <div className="pane-body requirement-page" data-testid="requirement-page">
        <div>
          <section className="page-text">
            <RequirementText requirement={r} />
          </section>
          <MarkedText requirement={r} />
          <LimitFacts requirement={r} />
          {(limit.byHand || limit.formula === undefined) && (
            <div className="px-3 pt-1">
              <LimitCell requirement={r} limit={limit} problems={[]} />
            </div>
          )}
          {limit.formula && <ExampleDrawing formula={limit.formula} />}
          {standing.basis === 'run' && finding && (
            <>
              <h3 className="section-title">
                {worst === undefined
                  ? `In the newest run of ${standing.setup}`
                  : `Around ${finding.failsSince !== undefined ? 'the failure' : 'the closest moment'}, at ${formatNumber(worst)} s in ${standing.setup}`}
              </h3>
              {finding.reason && <p className="px-3 mb-1 quiet">{finding.reason}</p>}
              {run === undefined && (
                <p className="px-3 mb-1 quiet">Of that run only verdicts are kept: run it again to see it.</p>
              )}
              {run && worst !== undefined && names.length > 0 && (
                <MomentPlot run={run} names={names} at={worst} finding={finding} />
              )}
            </>
          )}
          <History requirement={r} />
        </div>
        <div className="outline">
          <TraceLinks address={`requirement/${r.id}`} what={r.key} />
          <h3 className="section-title">Observation</h3>
          <ObservationForm requirement={r} />
          <Origin requirement={r} />
        </div>
      </div>
    </>
  );
}

function History({ requirement: r }: { readonly requirement: Requirement }) {
  const history = useRuns((s) => s.history);
  const project = useProject((s) => s.project);
  const rows = useMemo(
    () => history.flatMap((h) => h.findings.filter((f) => f.id === r.id).map((f) => ({ ...h, f }))).slice(0, 40),
    [history, r.id],
  );
  return (
    <>
      <h3 className="section-title">Verdicts of all runs</h3>
      {rows.length === 0 ? (
        <p className="px-3 quiet">No run has finished yet.</p>
      ) : (
        <table className="table" data-testid="history">
          <thead>
            <tr>
              <th scope="col">When</th>
              <th scope="col">Setup</th>
              <th scope="col">Changed values</th>
              <th scope="col">Verdict</th>
              <th scope="col" className="text-end">
                Margin
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ at, setup, changes, basis, f }) => (
              <tr key={at}>
                <td className="text-nowrap">{new Date(at).toLocaleString('sv-SE').slice(0, 16)}</td>
                <td>{setup}</td>
                <td className="mono text-truncate" style={{ maxWidth: 180 }} title={changes}>
                  {changes || '–'}
                </td>
                <td>
                  <VerdictMark
                    finding={{ ...f, key: r.key, worstAt: undefined, reason: '', lane: [] }}
                    old={project ? oldFinding(project, { basis }, r, f) : ''}
                    brief
                  />
                </td>
                <td className="text-end mono">
                  {f.margin === undefined ? '–' : withUnit(formatNumber(f.margin, 3), f.unit)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
