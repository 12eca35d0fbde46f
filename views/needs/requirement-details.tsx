'use client';
import { Maximize2, Trash2 } from 'lucide-react';
import { isBinding, typeById, type Project, type Requirement } from '@/core/project/project';
import { explainFormula } from '@/core/requirements/explain';
import { limitOf } from '@/core/requirements/read-limit';
import { wordingProblems } from '@/core/requirements/wording';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import type { RequirementFinding } from '@/core/run/run';
import { useRuns, type RunView } from '@/store/run-store';
import { outOfDate } from '@/core/run/basis';
import { useStandings } from '@/store/standings';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { formatNumber, withUnit } from '@/ui/format';
import { FormulaText } from '@/ui/formula-text';
import { TraceLinks } from '@/ui/trace-links';
import { marginText, VerdictMark } from '@/ui/verdict';
import { ObservationForm } from './observation-form';
import { removeRequirement } from './requirement-table';
import { FlowDetails } from './flow-details';

/** The selected requirement, or the selected step of a use flow. */
export function NeedsDetails() {
  const project = useProject((s) => s.project);
  const item = usePlace((s) => s.item);
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  if (sheet.startsWith('flow/')) return <FlowDetails />;
  const requirement = project?.requirements.find((r) => `requirement/${r.id}` === item);
  if (!project || !requirement)
    return (
      <div className="empty">
        Choose a requirement to see how its limit was read, what it is linked to and what the runs say.
      </div>
    );
  return (
    <>
      <div className="pane-head">
        <h2>{requirement.key}</h2>
        {sheet !== `requirement/${requirement.id}` && (
          <Button
            variant="bare"
            label={`Open the page of ${requirement.key}`}
            onClick={() => go({ area: 'needs', sheet: `requirement/${requirement.id}`, item })}
            data-testid="open-page"
          >
            <Maximize2 size={14} aria-hidden />
          </Button>
        )}
        <Button variant="bare" label={`Delete ${requirement.key}`} onClick={() => removeRequirement(requirement)}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body">
        <MarkedText requirement={requirement} />
        <LimitFacts requirement={requirement} />
        <RunFacts requirement={requirement} />
        <TraceLinks address={`requirement/${requirement.id}`} what={requirement.key} />
        <Origin requirement={requirement} />
        <h3 className="section-title">Note</h3>
        <div className="px-3 pb-3">
          <CellField
            value={requirement.note}
            label="Note"
            multiline
            placeholder="why, where from, who agreed"
            onCommit={(note) =>
              useProject
                .getState()
                .edit(
                  { kind: 'update', list: 'requirement', id: requirement.id, changes: { note } },
                  `Change the note of ${requirement.key}`,
                )
            }
          />
        </div>
      </div>
    </>
  );
}

/** The text with words that were not used, and words that leave the meaning open, marked. */
export function MarkedText({ requirement: r }: { readonly requirement: Requirement }) {
  const project = useProject((s) => s.project);
  if (!project) return null;
  const limit = limitOf(r, project.glossary);
  const vague = wordingProblems(r.text);
  const marks = [
    ...vague.map((p) => ({ ...p.span!, what: p.message, kind: 'vague' })),
    ...(isBinding(r) && !r.observation
      ? limit.unused.map((s) => ({ ...s, what: 'This word was not used for the formula', kind: 'unused' }))
      : []),
  ]
    .sort((a, b) => a.start - b.start)
    .filter((m, k, all) => k === 0 || m.start >= all[k - 1].end);
  const pieces: { text: string; mark?: (typeof marks)[number] }[] = [];
  let at = 0;
  for (const m of marks) {
    pieces.push({ text: r.text.slice(at, m.start) }, { text: r.text.slice(m.start, m.end), mark: m });
    at = m.end;
  }
  pieces.push({ text: r.text.slice(at) });
  return (
    <>
      <p className="px-3 pt-2 mb-1" data-testid="marked-text">
        {pieces.map((p, k) =>
          p.mark ? (
            <mark key={k} className={p.mark.kind === 'vague' ? 'vague-word' : 'unused-word'} title={p.mark.what}>
              {p.text}
            </mark>
          ) : (
            <span key={k}>{p.text}</span>
          ),
        )}
      </p>
      {vague.map((p) => (
        <p key={p.span!.start} className="px-3 mb-1 now-ink" style={{ fontSize: '0.92em' }}>
          {p.message}
        </p>
      ))}
    </>
  );
}

export function LimitFacts({ requirement }: { readonly requirement: Requirement }) {
  const project = useProject((s) => s.project);
  const { edit } = useProject.getState();
  if (!project || !isBinding(requirement)) return null;
  const limit = limitOf(requirement, project.glossary);
  const set = (formula: string, what: string): void =>
    void edit({ kind: 'update', list: 'requirement', id: requirement.id, changes: { formula } }, what);
  return (
    <>
      <h3 className="section-title">Limit</h3>
      {limit.formula === undefined ? (
        <p className="px-3 quiet">
          {requirement.observation
            ? 'Decided by what was seen.'
            : limit.problems[0]?.code === 'unread-limit'
              ? `Not read: ${limit.problems[0].message}. A formula, or what was seen, can be given instead.`
              : 'Not read yet: give the words a meaning in the glossary, write a formula, or sign what was seen.'}
        </p>
      ) : (
        <>
          <p className="px-3 mono mb-1">
            <FormulaText formula={limit.formula} />
          </p>
          <p className="px-3 quiet" data-testid="plain-reading">
            {explainFormula(limit.formula, project.glossary)}
          </p>
          {limit.notes.map((note) => (
            <p key={note} className="px-3 mb-1 now-ink" data-testid="taken-for-granted">
              {note}
            </p>
          ))}
        </>
      )}
      <About project={project} requirement={requirement} />
      {limit.byHand ? (
        <div className="px-3">
          <Button size="sm" onClick={() => set('', `Read ${requirement.key} out of its text`)}>
            Read it out of the text again
          </Button>
        </div>
      ) : (
        limit.formula && (
          <div className="px-3">
            <Button size="sm" onClick={() => set(limit.formula!, `Edit the formula of ${requirement.key}`)}>
              Write the formula by hand
            </Button>
          </div>
        )
      )}
    </>
  );
}

/** What its names are looked up in, where setups run something else than the product. */
function About({ project, requirement }: { readonly project: Project; readonly requirement: Requirement }) {
  const { about } = requirement;
  const roots = [...new Set([...project.setups.map((s) => s.root), about])].filter(
    (id) => id !== '' && id !== project.root,
  );
  if (roots.length === 0) return null;
  const nameOf = (id: string): string => typeById(project, id)?.name ?? 'what is no longer there';
  return (
    <FieldRow label="About">
      <select
        className="form-select form-select-sm"
        aria-label="What the requirement is about"
        title="Its names are looked up there, and runs of it are judged"
        value={about === project.root ? '' : about}
        onChange={(e) =>
          void useProject.getState().edit(
            {
              kind: 'update',
              list: 'requirement',
              id: requirement.id,
              changes: { about: e.target.value },
            },
            `Change what ${requirement.key} is about`,
          )
        }
      >
        <option value="">{nameOf(project.root)}</option>
        {roots.map((id) => (
          <option key={id} value={id}>
            {nameOf(id)}
          </option>
        ))}
      </select>
    </FieldRow>
  );
}

/** What one run found. */
interface Line {
  readonly word: string;
  readonly setup: string;
  readonly finding: RequirementFinding;
  readonly old: string;
}

function RunFacts({ requirement }: { readonly requirement: Requirement }) {
  const current = useRuns((s) => s.current);
  const earlier = useRuns((s) => s.earlier);
  const project = useProject((s) => s.project);
  const { moveCursor } = useRuns.getState();
  const standing = useStandings()(requirement);
  if (!isBinding(requirement)) return null;
  if (standing.basis === 'observation') {
    return (
      <>
        <h3 className="section-title">Observation</h3>
        <ObservationForm requirement={requirement} />
      </>
    );
  }
  const { finding } = standing;
  const lineOf = (word: string, run: RunView | undefined): Line[] => {
    const f = run?.findings.find((x) => x.id === requirement.id);
    if (!run || !f || (run === standing.run && !standing.isNewest)) return [];
    return [
      { word, setup: run.setup, finding: f, old: project ? outOfDate(project, run.model.basis)(requirement) : '' },
    ];
  };
  const lines = [
    ...lineOf('newest run', current),
    ...(standing.basis === 'run' && finding && !standing.isNewest
      ? [{ word: 'newest that judged it', setup: standing.setup, finding, old: standing.doubt }]
      : []),
    ...lineOf('earlier run', earlier),
  ];
  return (
    <>
      <h3 className="section-title">Verdict</h3>
      {standing.basis === 'constants' && finding && (
        <p className="px-3">
          <VerdictMark finding={finding} />{' '}
          {finding.verdict === 'holds' && finding.margin !== undefined && `with ${marginText(finding)} to spare`}
          <span className="quiet d-block">{finding.reason}</span>
        </p>
      )}
      {standing.basis !== 'constants' &&
        lines.map(({ word, setup, finding: f, old }) => {
          return (
            <div className="px-3 pb-2" key={word}>
              <span className="quiet">
                {word}, {setup}:{' '}
              </span>
              <VerdictMark finding={f} old={old} />
              {f.verdict !== 'fails' && f.margin !== undefined && <span> with {marginText(f)} to spare</span>}
              {f.distance && (
                <span className="quiet d-block">
                  reached {withUnit(formatNumber(f.distance.value, 3), f.distance.unit)}{' '}
                  {f.distance.value >= 0 ? 'past its limit' : 'short of its limit'}
                </span>
              )}
              {f.worstAt !== undefined && word === 'newest run' && (
                <div>
                  <button
                    type="button"
                    className="btn btn-link p-0"
                    style={{ fontSize: 'inherit' }}
                    onClick={() => moveCursor(f.failsSince ?? f.worstAt!)}
                  >
                    {f.failsSince !== undefined
                      ? `go to the failure at ${formatNumber(f.failsSince)} s`
                      : `go to the closest moment at ${formatNumber(f.worstAt)} s`}
                  </button>
                </div>
              )}
              {f.reason && <div className="quiet">{f.reason}</div>}
            </div>
          );
        })}
      {standing.basis === 'nothing' && <p className="px-3 quiet">No run has judged it yet.</p>}
      {(finding === undefined || finding.verdict === 'undecided') && standing.basis !== 'constants' && (
        <ObservationForm requirement={requirement} />
      )}
    </>
  );
}

export function Origin({ requirement: r }: { readonly requirement: Requirement }) {
  if (!r.source && r.attributes.length === 0) return null;
  return (
    <>
      <h3 className="section-title">From its sheet</h3>
      {r.source && (
        <p className="px-3 mb-1" data-testid="origin">
          {r.source.file}
          {r.source.sheet && r.source.sheet !== r.source.file && `, sheet ${r.source.sheet}`}
          {r.source.row > 0 && `, row ${r.source.row}`}
          {r.source.cell && `, cell ${r.source.cell}`}
          {r.source.foreign && <span className="quiet d-block">identifier there: {r.source.foreign}</span>}
        </p>
      )}
      {r.attributes.map((a) => (
        <div className="field-row" key={a.name}>
          <label>{a.name}</label>
          <span>{a.value}</span>
        </div>
      ))}
    </>
  );
}
