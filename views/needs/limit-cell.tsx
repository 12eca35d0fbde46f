'use client';
import { marginText } from '@/ui/verdict';
import type { Requirement } from '@/core/project/project';
import type { RequirementFinding } from '@/core/run/run';
import type { Limit } from '@/core/requirements/read-limit';
import { useExample, useRunNames } from '@/ui/run-names';
import { useProject } from '@/store/project-store';
import { CellField } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { FormulaText } from '@/ui/formula-text';

/** A few words before a place of a text, beginning with a whole one. */
export function justBefore(text: string, at: number): string {
  const from = Math.max(0, at - 24);
  if (from === 0) return text.slice(0, at);
  return `… ${text.slice(from, at).replace(/^\S*\s+/, '')}`;
}

/** The limit read out of a requirement, or why none could be read and a place to write it. */
export function LimitCell({
  requirement,
  limit,
  problems,
}: {
  readonly requirement: Requirement;
  readonly limit: Limit;
  readonly problems: readonly string[];
}) {
  const example = useExample();
  const names = useRunNames({ root: requirement.about });
  const { edit } = useProject.getState();
  const write = (formula: string) =>
    edit(
      { kind: 'update', list: 'requirement', id: requirement.id, changes: { formula } },
      `Write a formula for ${requirement.key}`,
    );
  if (requirement.observation && !limit.byHand)
    return (
      <span className="quiet">
        seen by {requirement.observation.by} on {requirement.observation.on}
      </span>
    );
  if (limit.formula === undefined || limit.byHand) {
    const [why] = limit.problems;
    return (
      <>
        {why && (
          <div className="field-problem" role="alert" data-testid="not-understood">
            <span>
              {why.span && requirement.text && (
                <>
                  {justBefore(requirement.text, why.span.start)}
                  <mark className="not-understood">{requirement.text.slice(why.span.start, why.span.end)}</mark>
                  {': '}
                </>
              )}
              {why.message}
            </span>
          </div>
        )}
        <CellField
          value={requirement.formula}
          label={`Formula of ${requirement.key}`}
          mono
          multiline
          names={names.limit}
          placeholder={`or write a formula, e.g. always(${example.name} <= ${example.value})`}
          {...(limit.byHand && problems[0] && { problem: problems[0] })}
          onCommit={write}
        />
      </>
    );
  }
  return (
    <>
      <div className="mono" data-testid="limit">
        <FormulaText formula={limit.formula} />
      </div>
      {/^[\w.]+$/.test(limit.about) && (
        <div className="quiet">
          about{' '}
          <DraggableName name={limit.about} from={requirement.key}>
            <span className="mono">{limit.about}</span>
          </DraggableName>
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

export const signedMargin = (finding: RequirementFinding | undefined): string =>
  finding ? (finding.verdict === 'fails' ? `−${marginText(finding)}` : marginText(finding)) : '';
