'use client';
import { FlaskConical, Square } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import { markAt, mutantPrefix } from '@/core/coverage/report';
import { mutantsOf, type Mutant, type MutantKind } from '@/core/proof/mutants';
import { strengthOf, type MutantOutcome } from '@/core/proof/strength';
import type { Project } from '@/core/project/project';
import { elementIndex } from '@/core/trace/elements';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { stopStrength, strengthMark, tryChanges, useStrength } from '@/store/strength-store';
import { Button } from '@/ui/button';
import { Progress } from '@/ui/progress';
import { ExcuseForm, OrphanExcuses } from './excuse-form';
import { ProofTabs } from './proof-tabs';

const kindWords: Readonly<Record<MutantKind, string>> = {
  comparison: 'comparison',
  value: 'value',
  condition: 'condition',
  operation: 'operation',
  removal: 'left out',
  order: 'order',
};

interface Tried {
  readonly mutant: Mutant;
  readonly outcome: MutantOutcome | undefined;
}

/** Which small changes of the model the cases notice. */
export function StrengthSheet({ project }: { readonly project: Project }) {
  const { typeId, isAll, isWhole, found, running, set } = useStrength();
  const mutants = useMemo(() => mutantsOf(project), [project]);
  const isOwn = found?.projectId === project.id;
  const isStale = isOwn && found.mark !== strengthMark(project);
  const tried = useMemo(
    () => mutants.map((mutant): Tried => ({ mutant, outcome: isOwn ? found.outcomes.get(mutant.key) : undefined })),
    [mutants, found, isOwn],
  );
  const types = useMemo(
    () =>
      project.types.flatMap((t) => {
        const own = tried.filter((x) => x.mutant.typeId === t.id);
        return own.length === 0 ? [] : [{ type: t, own, ...figures(own) }];
      }),
    [project.types, tried],
  );
  const chosen = types.find((t) => t.type.id === typeId) ?? types[0];
  const all = figures(tried);
  const keys = new Set(mutants.map((m) => m.key));
  const orphans = project.excuses.filter((e) => e.item.startsWith(mutantPrefix) && !keys.has(e.item));
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="strength" />
        <label className="proof-check" title="Cases of part types alone are quick; those that run a setup take longer">
          <input
            type="checkbox"
            className="form-check-input"
            checked={isWhole}
            disabled={running !== undefined}
            onChange={(e) => set({ isWhole: e.target.checked })}
          />
          Cases of setups too
        </label>
        {running ? (
          <Button onClick={stopStrength} data-testid="stop-changes">
            <Square size={13} aria-hidden /> Stop
          </Button>
        ) : (
          <>
            <Button
              disabled={types.length < 2 || project.cases.length === 0}
              onClick={() =>
                void tryChanges(
                  project,
                  types.map((t) => t.type.id),
                )
              }
            >
              Try all {mutants.length}
            </Button>
            <Button
              variant={all.tried === 0 ? 'primary' : undefined}
              disabled={!chosen || project.cases.length === 0}
              onClick={() => chosen && void tryChanges(project, [chosen.type.id])}
              data-testid="try-changes"
            >
              <FlaskConical size={13} aria-hidden /> Try {chosen && `${chosen.type.name}’s `}
              {chosen?.own.length ?? 0}
            </Button>
          </>
        )}
      </div>
      <div className="proof-choice px-3">
        <span role="status" data-testid="strength-words">
          {running ? (
            <>
              {running.done} of {running.of} {running.what}
              {running.what === 'changes' ? ' are tried.' : ' have run.'}
            </>
          ) : project.cases.length === 0 ? (
            <span className="quiet">There are no test cases.</span>
          ) : all.tried === 0 ? (
            <span className="quiet">
              A change of the model that no case notices tells what the cases do not look at. Nothing has been tried
              yet.
            </span>
          ) : (
            <>
              The cases notice <strong>{all.noticed}</strong> of {all.of} changes.
              {isStale && <span className="now-ink"> The model or a case is another one since.</span>}
              {found!.failing.length > 0 && (
                <span className="now-ink">
                  {' '}
                  {counted(found!.failing.length, 'case')} did not pass before any change.
                </span>
              )}
            </>
          )}
        </span>
      </div>
      {running && <Progress now={(100 * running.done) / Math.max(1, running.of)} label="Tried" />}
      {types.length === 0 ? (
        <div className="empty">
          <h3>Nothing to change</h3>
          <p>Here is no state chart, no procedure and no signal sheet.</p>
        </div>
      ) : (
        <div className="coverage">
          <div className="coverage-types">
            <table className="table" data-testid="strength-types">
              <thead>
                <tr>
                  <th scope="col">Part type</th>
                  <th scope="col" className="num">
                    Noticed
                  </th>
                </tr>
              </thead>
              <tbody>
                {types.map((t) => (
                  <tr key={t.type.id} data-type={t.type.name} className={t === chosen ? 'chosen' : ''}>
                    <td>
                      <button
                        type="button"
                        className="btn btn-link p-0 text-start"
                        aria-pressed={t === chosen}
                        onClick={() => set({ typeId: t.type.id })}
                      >
                        {t.type.name}
                      </button>
                    </td>
                    <td className="num">
                      {t.tried === 0 ? (
                        <span className="quiet">{t.own.length} not tried</span>
                      ) : (
                        <>
                          <div>
                            {t.noticed} of {t.of}
                          </div>
                          <Progress
                            now={t.of === 0 ? 100 : (100 * t.noticed) / t.of}
                            label={`${t.type.name}: noticed`}
                          />
                        </>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <OrphanExcuses of={orphans} />
          </div>
          {chosen && (
            <Changes
              key={chosen.type.id}
              project={project}
              name={chosen.type.name}
              tried={chosen.own}
              isAll={isAll}
              setAll={(x) => set({ isAll: x })}
            />
          )}
        </div>
      )}
    </>
  );
}

/** What somebody has said of a change, and whether that was of another text. */
function excuseOf(project: Project, { key, place }: Mutant) {
  const excuse = project.excuses.find(({ item }) => key === item);
  return excuse && { excuse, isSuspect: excuse.mark !== markAt(project, place) };
}

const counted = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`;

function figures(own: readonly Tried[]) {
  const outcomes = own.flatMap((x) => x.outcome ?? []);
  return { tried: outcomes.length, ...strengthOf(outcomes.map((o) => o.verdict)) };
}

function Changes({
  project,
  name,
  tried,
  isAll,
  setAll,
}: {
  readonly project: Project;
  readonly name: string;
  readonly tried: readonly Tried[];
  readonly isAll: boolean;
  readonly setAll: (all: boolean) => void;
}) {
  // an excuse of what has changed since excuses nothing
  const open = tried.filter(
    ({ mutant, outcome }) => outcome?.verdict === 'unnoticed' && excuseOf(project, mutant)?.isSuspect !== false,
  );
  const shown = isAll ? tried : open;
  const groups = new Map<string, Tried[]>();
  const { byAddress } = elementIndex(project);
  for (const x of shown) groups.set(x.mutant.place, [...(groups.get(x.mutant.place) ?? []), x]);
  /** Without the name of the type, which stands above. */
  const labelOf = (at: string): string => {
    const inside = at.split('/').slice(0, -2).join('/');
    const label = byAddress.get(at)?.label ?? `${byAddress.get(inside)?.label ?? ''}.${groups.get(at)![0].mutant.name}`;
    const begin = [`${name}.`, `${name}: `].find((b) => label.startsWith(b)) ?? '';
    return label.slice(begin.length);
  };
  return (
    <div className="coverage-items" data-testid="strength-items">
      <div className="d-flex align-items-baseline gap-3 px-3 py-2">
        <h3 className="section-title p-0">{name}</h3>
        <span className="proof-stages" role="group" aria-label="Which">
          <label>
            <input type="radio" className="form-check-input" checked={!isAll} onChange={() => setAll(false)} />
            what no case notices ({open.length})
          </label>
          <label>
            <input type="radio" className="form-check-input" checked={isAll} onChange={() => setAll(true)} />
            all ({tried.length})
          </label>
        </span>
      </div>
      {groups.size === 0 && (
        <p className="px-3 quiet">
          {tried.some((x) => x.outcome)
            ? 'Every change that was tried is noticed or excused.'
            : 'Nothing has been tried.'}
        </p>
      )}
      {[...groups].map(([at, items]) => (
        <section key={at} className="coverage-element" data-element={at}>
          <button type="button" className="btn btn-link coverage-name" onClick={() => goTo(at)}>
            {labelOf(at)}
          </button>
          {items.map((x) => (
            <ChangeRow key={x.mutant.key} project={project} {...x} />
          ))}
        </section>
      ))}
    </div>
  );
}

function ChangeRow({ project, mutant, outcome }: Tried & { readonly project: Project }) {
  const { kind, from, to, place } = mutant;
  const by = outcome?.by ? project.cases.find((c) => c.id === outcome.by) : undefined;
  const { excuse, isSuspect = false } = excuseOf(project, mutant) ?? {};
  const isOpen = outcome?.verdict === 'unnoticed';
  const look = isOpen ? 'open' : '';
  return (
    <div
      className={`coverage-item ${look}`}
      data-kind={kind}
      data-verdict={outcome?.verdict ?? ''}
      data-change={mutant.key}
    >
      <span className="coverage-kind quiet">{kindWords[kind]}</span>
      <span className="coverage-text">
        <ChangedText {...mutant} />
      </span>
      <span className="coverage-why">
        {outcome === undefined ? (
          <span className="quiet">not tried</span>
        ) : outcome.verdict === 'unnoticed' ? (
          excuse ? (
            <span className={isSuspect ? 'now-ink' : 'quiet'}>
              {isSuspect ? 'has changed since it was excused' : 'need not be'}: {excuse.reason} ({excuse.by},{' '}
              {excuse.on})
            </span>
          ) : (
            <span className="now-ink">{outcome.why || 'no case notices it'}</span>
          )
        ) : outcome.verdict === 'noticed' && by ? (
          <button type="button" className="btn btn-link p-0" title={outcome.why} onClick={() => goTo(`case/${by.id}`)}>
            {by.name}
          </button>
        ) : (
          <span className="quiet" title={outcome.why}>
            {outcome.verdict === 'no model' ? 'does not hold together' : outcome.verdict}
          </span>
        )}
      </span>
      {isOpen && (
        <span className="coverage-does">
          <ExcuseForm
            excuse={excuse}
            isSuspect={isSuspect}
            what={`${from} as ${to || 'nothing'}`}
            give={(values) =>
              useProject.getState().edit(
                {
                  kind: 'insert',
                  list: 'excuse',
                  entry: { id: `e-${nanoid(8)}`, item: mutant.key, mark: markAt(project, place), ...values },
                },
                `Excuse ${from.slice(0, 60)}`,
              )
            }
            again={() =>
              excuse &&
              useProject
                .getState()
                .edit(
                  { kind: 'update', list: 'excuse', id: excuse.id, changes: { mark: markAt(project, place) } },
                  'Excuse it again',
                )
            }
          />
        </span>
      )}
    </div>
  );
}

/** A change where it stands: what is left out is struck out, what would be there in its place stands beside it. */
function ChangedText({ text, span, from, to, kind }: Mutant) {
  if (!span)
    return (
      <>
        {kind === 'order' ? (
          <>
            {from} – <ins>{to}</ins>
          </>
        ) : from === text ? (
          <del>{from}</del>
        ) : (
          <>
            {text} <del>{from}</del>
          </>
        )}
      </>
    );
  return (
    <>
      {text.slice(Math.max(0, span.start - 40), span.start)}
      <del className={to === '' ? '' : 'replaced'}>{text.slice(span.start, span.end)}</del>
      {to !== '' && <ins> → {to}</ins>}
      {text.slice(span.end, span.end + 40)}
    </>
  );
}
