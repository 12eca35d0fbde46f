'use client';
import { Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import { readLimit, showFormula, type Limit } from '@/core/requirements/read-limit';
import { readFormula } from '@/core/requirements/formula';
import { newRequirement, type Project, type Requirement } from '@/core/project/project';
import { problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { formatNumber } from '@/ui/format';
import { marginText, VerdictMark } from '@/ui/verdict';

const limitOf = (project: Project, r: Requirement): Limit => readLimit(r, project.glossary);

/** Requirements with the limits read out of them, and the verdicts of the newest run. */
export function NeedsSheet() {
  const project = useProject((s) => s.project);
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const findings = useRuns((s) => s.current?.findings);
  const setup = useRuns((s) => s.current?.setup);
  const item = usePlace((s) => s.item);
  const select = usePlace((s) => s.select);
  const say = usePlace((s) => s.say);
  const limits = useMemo(() => project?.requirements.map((r) => limitOf(project, r)) ?? [], [project]);
  if (!project) return null;
  const add = (): void => {
    const numbers = project.requirements.map((r) => Number(/(\d+)$/.exec(r.key)?.[1] ?? 0));
    const prefix = /^(.*?)\d+$/.exec(project.requirements[0]?.key ?? '')?.[1] ?? 'REQ-';
    const entry = newRequirement(`r-${nanoid(8)}`, `${prefix}${String(Math.max(0, ...numbers) + 1).padStart(2, '0')}`);
    edit({ kind: 'insert', list: 'requirements', entry }, 'Add a requirement');
    select(`requirement/${entry.id}`);
  };
  return (
    <>
      <div className="pane-head">
        <h2>Requirements</h2>
        <span className="quiet text-nowrap">{setup ? `verdicts of the newest run: ${setup}` : 'not run yet'}</span>
        <Button onClick={add}>
          <Plus size={14} aria-hidden /> Requirement
        </Button>
      </div>
      <div className="pane-body">
        {project.requirements.length === 0 ? (
          <div className="empty">
            <h3>What must the product do?</h3>
            <p>Write each requirement as a sentence with “shall”. Zelvar reads its limit at once, for example: “The spindle speed shall not exceed 330 rpm.” The words are looked up in the glossary below.</p>
            <Button variant="primary" onClick={add}>
              <Plus size={14} aria-hidden /> Write the first requirement
            </Button>
          </div>
        ) : (
          <table className="table" data-testid="requirements">
            <colgroup>
              <col style={{ width: 82 }} />
              <col />
              <col style={{ width: '36%' }} />
              <col style={{ width: 158 }} />
              <col style={{ width: 84 }} />
            </colgroup>
            <thead>
              <tr>
                <th scope="col">Id</th>
                <th scope="col">Text</th>
                <th scope="col">Limit read out of it, and about what</th>
                <th scope="col">Verdict</th>
                <th scope="col" className="text-end">
                  Margin
                </th>
              </tr>
            </thead>
            <tbody>
              {project.requirements.map((r, k) => {
                const finding = findings?.find((f) => f.id === r.id);
                const chosen = item === `requirement/${r.id}`;
                return (
                  <tr key={r.id} onFocus={() => !chosen && select(`requirement/${r.id}`)} onClick={() => !chosen && select(`requirement/${r.id}`)} style={chosen ? { background: 'var(--accent-soft)' } : undefined} data-requirement={r.key}>
                    <td>
                      <CellField value={r.key} label={`Id of ${r.key}`} onCommit={(key) => edit({ kind: 'update', list: 'requirements', id: r.id, changes: { key } }, `Change the id ${r.key}`)} />
                    </td>
                    <td>
                      <CellField
                        value={r.text} label={`Text of ${r.key}`} multiline immediate placeholder="The … shall …"
                        onCommit={(text) => edit({ kind: 'update', list: 'requirements', id: r.id, changes: { text } }, `Change the text of ${r.key}`, `text-${r.id}`)}
                      />
                    </td>
                    <td>
                      <LimitCell requirement={r} limit={limits[k]} problems={problemsAt(problems, `requirement/${r.id}`).map((p) => p.message)} />
                    </td>
                    <td>
                      <VerdictMark finding={finding} brief />
                      {finding?.failsSince !== undefined && <div className="quiet">since {formatNumber(finding.failsSince)} s</div>}
                      {finding?.verdict === 'undecided' && <div className="quiet">{finding.reason}</div>}
                    </td>
                    <td className="text-end mono text-nowrap">{finding ? (finding.verdict === 'fails' ? `−${marginText(finding)}` : marginText(finding)) : ''}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
        <Glossary project={project} say={say} />
      </div>
    </>
  );
}

function LimitCell({ requirement, limit, problems }: { readonly requirement: Requirement; readonly limit: Limit | undefined; readonly problems: readonly string[] }) {
  const { edit } = useProject.getState();
  if (!limit) return null;
  if (limit.formula === undefined || limit.byHand) {
    const [why] = limit.problems;
    return (
      <>
        {why && (
          <div className="field-problem" role="alert" data-testid="not-understood">
            <span>
              {why.span && requirement.text && (
                <>
                  {requirement.text.slice(Math.max(0, why.span.start - 18), why.span.start)}
                  <mark className="not-understood">{requirement.text.slice(why.span.start, why.span.end)}</mark>
                  {': '}
                </>
              )}
              {why.message}
            </span>
          </div>
        )}
        <CellField
          value={requirement.formula} label={`Formula of ${requirement.key}`} mono placeholder="or write a formula, e.g. always(cap.torque <= 0.85 'N.m')" {...(limit.byHand && problems[0] && { problem: problems[0] })}
          onCommit={(formula) => edit({ kind: 'update', list: 'requirements', id: requirement.id, changes: { formula } }, `Write a formula for ${requirement.key}`)}
        />
      </>
    );
  }
  return (
    <>
      <div className="mono" data-testid="limit">
        {showFormula(limit.formula)}
      </div>
      {limit.about && (
        <div className="quiet">
          about{' '}
          {/^[\w.]+$/.test(limit.about) ? (
            <DraggableName name={limit.about} from={requirement.key}>
              <span className="mono">{limit.about}</span>
            </DraggableName>
          ) : (
            <span className="mono">{limit.about}</span>
          )}
        </div>
      )}
      {problems.map((p) => (
        <div className="field-problem" key={p} role="alert">
          {p}
        </div>
      ))}
    </>
  );
}

function Glossary({ project, say }: { readonly project: Project; readonly say: (text: string) => void }) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  const add = (): void => {
    const refused = edit({ kind: 'insert', list: 'glossary', entry: { id: `g-${nanoid(8)}`, phrase: 'new phrase', meaning: 'time' } }, 'Add a phrase');
    if (refused) say(refused.message);
  };
  return (
    <section aria-label="Glossary">
      <h3 className="section-title">
        Glossary: what the words of the texts stand for
        <Button size="sm" onClick={add}>
          <Plus size={13} aria-hidden /> Phrase
        </Button>
      </h3>
      <table className="table" data-testid="glossary">
        <colgroup>
          <col style={{ width: '34%' }} />
          <col />
          <col style={{ width: 40 }} />
        </colgroup>
        <thead>
          <tr>
            <th scope="col">Phrase</th>
            <th scope="col">Quantity, state or condition of the product</th>
            <th scope="col" aria-label="Delete" />
          </tr>
        </thead>
        <tbody>
          {project.glossary.map((g) => {
            const problem = problemsAt(problems, `glossary/${g.id}`)[0]?.message ?? (readFormula(g.meaning).problems[0]?.message);
            return (
              <tr key={g.id}>
                <td>
                  <CellField value={g.phrase} label="Phrase" onCommit={(phrase) => edit({ kind: 'update', list: 'glossary', id: g.id, changes: { phrase } }, 'Change a phrase')} />
                </td>
                <td>
                  <CellField value={g.meaning} label={`Meaning of ${g.phrase}`} mono {...(problem && { problem })} onCommit={(meaning) => edit({ kind: 'update', list: 'glossary', id: g.id, changes: { meaning } }, `Change the meaning of "${g.phrase}"`)} />
                </td>
                <td>
                  <Button variant="bare" label={`Delete the phrase ${g.phrase}`} onClick={() => edit({ kind: 'remove', list: 'glossary', id: g.id }, `Delete the phrase "${g.phrase}"`)}>
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

export function NeedsDetails() {
  const project = useProject((s) => s.project);
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const select = usePlace((s) => s.select);
  const current = useRuns((s) => s.current);
  const earlier = useRuns((s) => s.earlier);
  const moveCursor = useRuns((s) => s.moveCursor);
  const requirement = project?.requirements.find((r) => `requirement/${r.id}` === item);
  if (!project || !requirement) return <div className="empty">Choose a requirement to see how its limit was read and what the runs say.</div>;
  const limit = limitOf(project, requirement);
  const formula = limit.formula ? readFormula(limit.formula).formula : undefined;
  const finding = current?.findings.find((f) => f.id === requirement.id);
  const before = earlier?.findings.find((f) => f.id === requirement.id);
  return (
    <>
      <div className="pane-head">
        <h2>{requirement.key}</h2>
        <Button variant="bare" label={`Delete ${requirement.key}`} onClick={() => { edit({ kind: 'remove', list: 'requirements', id: requirement.id }, `Delete ${requirement.key}`); select(''); }}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body">
        <p className="px-3 pt-2 mb-2">{requirement.text}</p>
        <h3 className="section-title">Limit</h3>
        <p className="px-3 mono mb-1">{limit.formula ? showFormula(limit.formula) : 'not read yet'}</p>
        {formula && (
          <p className="px-3 quiet">
            {formula.kind === 'response' ? `Counts from the moment its condition becomes true; the answer may take ${formatNumber(formula.within)} s.` : formula.condition ? 'Watched only while its condition holds.' : 'Watched at every moment of a run.'}
          </p>
        )}
        {limit.byHand ? (
          <div className="px-3">
            <Button size="sm" onClick={() => edit({ kind: 'update', list: 'requirements', id: requirement.id, changes: { formula: '' } }, `Read ${requirement.key} out of its text`)}>
              Read it out of the text again
            </Button>
          </div>
        ) : (
          limit.formula && (
            <div className="px-3">
              <Button size="sm" onClick={() => edit({ kind: 'update', list: 'requirements', id: requirement.id, changes: { formula: limit.formula } }, `Edit the formula of ${requirement.key}`)}>
                Write the formula by hand
              </Button>
            </div>
          )
        )}
        <h3 className="section-title">Runs</h3>
        {[[current, finding, 'newest'], [earlier, before, 'earlier']].map((row) => {
          const [run, f, word] = row as [typeof current, typeof finding, string];
          if (!run || !f) return null;
          return (
            <div className="px-3 pb-2" key={word}>
              <span className="quiet">{word} run, {run.setup}: </span>
              <VerdictMark finding={f} />
              {f.verdict !== 'fails' && f.margin !== undefined && <span> with {marginText(f)} to spare</span>}
              {f.worstAt !== undefined && word === 'newest' && (
                <div>
                  <button type="button" className="btn btn-link p-0" style={{ fontSize: 'inherit' }} onClick={() => moveCursor(f.failsSince ?? f.worstAt!)}>
                    {f.failsSince !== undefined ? `go to the failure at ${formatNumber(f.failsSince)} s` : `go to the closest moment at ${formatNumber(f.worstAt)} s`}
                  </button>
                </div>
              )}
              {f.reason && <div className="quiet">{f.reason}</div>}
            </div>
          );
        })}
        {!finding && <p className="px-3 quiet">No run yet.</p>}
        <h3 className="section-title">Note</h3>
        <div className="px-3">
          <CellField value={requirement.note} label="Note" multiline placeholder="why, where from, who agreed" onCommit={(note) => edit({ kind: 'update', list: 'requirements', id: requirement.id, changes: { note } }, `Change the note of ${requirement.key}`)} />
        </div>
      </div>
    </>
  );
}
