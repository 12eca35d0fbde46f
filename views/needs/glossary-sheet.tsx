'use client';
import { Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import type { Project } from '@/core/project/project';
import { readFormula } from '@/core/requirements/formula';
import { doublePhrases } from '@/core/requirements/phrases';
import { limitOf } from '@/core/requirements/read-limit';
import { missingPhrase, suggestMeanings, type Suggestion } from '@/core/requirements/suggest';
import { problemsAt } from '@/store/derived';
import { EditableRow, RowHandle, handleColumn, handleHead } from '@/ui/editing/row-handle';
import { beginRow } from '@/ui/editing/rows';
import { runNames, useExample } from '@/ui/run-names';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';

/** What the words of the texts stand for, with proposals for words that have no meaning yet. */
export function GlossarySheet({ project }: { readonly project: Project }) {
  const example = useExample();
  const problems = useProject((s) => s.problems);
  const item = usePlace((s) => s.item);
  const { edit } = useProject.getState();
  const doubles = useMemo(
    () => new Set(doublePhrases(project.glossary).flatMap((d) => d.entries.map((e) => e.id))),
    [project.glossary],
  );
  const uses = useMemo(() => countUses(project), [project]);
  const insert = (phrase: string, meaning: string): void => {
    beginRow('glossary', { id: `g-${nanoid(8)}`, phrase, meaning }, `Add the phrase "${phrase}"`);
  };
  return (
    <>
      <div className="pane-head">
        <h2>Glossary: what the words of the texts stand for</h2>
        <Button onClick={() => insert('new phrase', 'time')} data-adds="glossary">
          <Plus size={14} aria-hidden /> Phrase
        </Button>
      </div>
      <div className="pane-body">
        <Proposals project={project} take={insert} />
        <table className="table" data-testid="glossary" data-rows="glossary" data-enter="through">
          <colgroup>
            {handleColumn}
            <col style={{ width: '34%' }} />
            <col />
            <col style={{ width: 70 }} />
            <col style={{ width: 40 }} />
          </colgroup>
          <thead>
            <tr>
              {handleHead}
              <th scope="col">Phrase</th>
              <th scope="col">Quantity, event, state, condition or constant of the product</th>
              <th scope="col" className="text-end">
                Used
              </th>
              <th scope="col" aria-label="Delete" />
            </tr>
          </thead>
          <tbody>
            {project.glossary.map((g) => {
              const problem =
                problemsAt(problems, `glossary/${g.id}`)[0]?.message ?? readFormula(g.meaning).problems[0]?.message;
              const twice = doubles.has(g.id)
                ? 'This phrase has two meanings: the first one counts. Give one of them other words'
                : undefined;
              return (
                <EditableRow
                  key={g.id}
                  address={`glossary/${g.id}`}
                  style={item === `glossary/${g.id}` ? { background: 'var(--accent-soft)' } : undefined}
                >
                  <RowHandle address={`glossary/${g.id}`} what={`the phrase ${g.phrase}`} />
                  <td>
                    <CellField
                      value={g.phrase}
                      label="Phrase"
                      problem={twice}
                      onCommit={(phrase) =>
                        edit({ kind: 'update', list: 'glossary', id: g.id, changes: { phrase } }, 'Change a phrase')
                      }
                    />
                  </td>
                  <td>
                    <CellField
                      value={g.meaning}
                      label={`Meaning of ${g.phrase}`}
                      mono
                      names={product.formula}
                      problem={problem}
                      onCommit={(meaning) =>
                        edit(
                          { kind: 'update', list: 'glossary', id: g.id, changes: { meaning } },
                          `Change the meaning of "${g.phrase}"`,
                        )
                      }
                    />
                  </td>
                  <td className="text-end mono">{uses.get(g.meaning.replace(/\s+/g, '')) ?? 0}</td>
                  <DeleteCell
                    what={`the phrase ${g.phrase}`}
                    onDelete={() =>
                      edit({ kind: 'remove', list: 'glossary', id: g.id }, `Delete the phrase "${g.phrase}"`)
                    }
                  />
                </EditableRow>
              );
            })}
          </tbody>
        </table>
        {project.glossary.length === 0 && (
          <div className="empty">
            <h3>No words yet</h3>
            <p>
              A phrase such as “{example.phrase}” stands for a quantity of the product, “guard opens” for an event.
              Sentences of requirements are read with them.
            </p>
          </div>
        )}
      </div>
    </>
  );
}

const product = runNames('');

/** How many formulas mention what a phrase stands for. */
function countUses(project: Project): Map<string, number> {
  const formulas = project.requirements.map((r) => limitOf(r, project.glossary).formula?.replace(/\s+/g, '') ?? '');
  return new Map(
    project.glossary.map((g) => {
      const meaning = g.meaning.replace(/\s+/g, '');
      return [meaning, formulas.filter((f) => f.includes(meaning)).length];
    }),
  );
}

const mostProposals = 6;
/** Texts that are tried for a phrase they lack: reading each of thousands several times would take seconds. */
const mostRead = 150;

function Proposals({
  project,
  take,
}: {
  readonly project: Project;
  readonly take: (phrase: string, meaning: string) => void;
}) {
  const proposals = useMemo(() => {
    let tries = mostRead;
    const found = new Map<string, { readonly keys: string[]; readonly meanings: readonly Suggestion[] }>();
    for (const r of project.requirements) {
      const [why] = limitOf(r, project.glossary).problems;
      if (!why || r.formula || r.observation) continue;
      if (--tries < 0) break;
      const phrase = missingPhrase(r.text, project.glossary);
      if (phrase === undefined) continue;
      const known = found.get(phrase);
      if (known) known.keys.push(r.key);
      else if (found.size < mostProposals)
        found.set(phrase, { keys: [r.key], meanings: suggestMeanings(project, phrase, 3) });
    }
    return [...found];
  }, [project]);
  if (proposals.length === 0) return null;
  return (
    <section aria-label="Words without a meaning">
      <h3 className="section-title">Words that requirements use and nothing stands for yet</h3>
      <ul className="proposal-list" data-testid="proposals">
        {proposals.map(([phrase, { keys, meanings }]) => (
          <li key={phrase}>
            <strong>{phrase}</strong>{' '}
            <span className="quiet">
              in {keys.slice(0, 4).join(', ')}
              {keys.length > 4 ? ` and ${keys.length - 4} more` : ''}
            </span>
            <span className="proposal-meanings">
              {meanings.map((m) => (
                <Button key={m.meaning} size="sm" onClick={() => take(phrase, m.meaning)} title={m.what}>
                  <span className="mono">{m.meaning}</span>
                </Button>
              ))}
              <Button size="sm" variant="bare" onClick={() => take(phrase, 'time')}>
                write its meaning
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
