'use client';
import { Play } from 'lucide-react';
import { useMemo } from 'react';
import type { Item } from '@/core/coverage/came';
import { gapWords, itemWords } from '@/core/coverage/words';
import { percent } from '@/core/coverage/write-coverage';
import { addressOf, elementMark, type CoveredItem, type GapKind, type TypeCoverage } from '@/core/coverage/report';
import type { Project } from '@/core/project/project';
import { nanoid } from 'nanoid';
import { useCoverage, useCoverageChoice, type Coverage } from '@/store/coverage-store';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { runCases, useProof } from '@/store/proof-store';
import { Button } from '@/ui/button';
import { Progress } from '@/ui/progress';
import { casesShown } from './stage-choice';
import { ExcuseForm, OrphanExcuses } from './excuse-form';
import { GapHelp } from './gap-help';
import { ProofTabs } from './proof-tabs';

const gapMeanings: Readonly<Record<GapKind, string>> = {
  test: 'A requirement speaks of the element, and no case comes through it',
  need: 'No requirement speaks of the element, so that no case could be asked for',
  dead: 'No run can come through it',
  excused: 'Somebody has said why it need not be come through',
  suspect: 'The element is another one than when it was excused',
};

/** What of the model the cases come through, and what they do not. */
export function CoverageSheet({ project }: { readonly project: Project }) {
  const coverage = useCoverage();
  const running = useProof((s) => s.running);
  const { stage, typeId, isAll, isOnSheets, set } = useCoverageChoice();
  const stale = useMemo(() => casesShown(project), [project]);
  if (!coverage) return null;
  const { report, of, stages } = coverage;
  const chosen = report.types.find((t) => t.typeId === typeId) ?? report.types[0];
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="coverage" />
        <label className="proof-check">
          <input
            type="checkbox"
            className="form-check-input"
            checked={isOnSheets}
            onChange={(e) => set({ isOnSheets: e.target.checked })}
          />
          Mark it on the sheets
        </label>
        <Button
          variant={of === 0 ? 'primary' : undefined}
          disabled={running !== undefined || project.cases.length === 0}
          onClick={() => void runCases(project, stale)}
          data-testid="run-for-coverage"
        >
          <Play size={13} aria-hidden /> Run the cases
        </Button>
      </div>
      <div className="proof-choice px-3">
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Stage whose runs count"
          value={stage}
          onChange={(e) => set({ stage: e.target.value })}
        >
          <option value="">all stages together</option>
          {stages.map((s) => (
            <option key={s} value={s}>
              {s === 'asSet' ? 'as set up' : s}
            </option>
          ))}
        </select>
        <span role="status" data-testid="coverage-words">
          {running ? (
            `${running.done} of ${running.of} runs are through.`
          ) : of === 0 ? (
            <span className="quiet">
              {project.cases.length === 0 ? 'There are no test cases.' : 'No run is known that is not out of date.'}
            </span>
          ) : (
            <>
              <strong>{percent(report)}</strong> of what has to be come through: {report.covered} of {report.wanted}, by{' '}
              {of} {of === 1 ? 'run' : 'runs'}.
            </>
          )}
        </span>
      </div>
      {report.types.length === 0 ? (
        <div className="empty">
          <h3>Nothing to come through</h3>
          <p>
            State charts, procedures and software have states, ways and decisions that cases come through. Here is none.
          </p>
        </div>
      ) : (
        <div className="coverage">
          <div className="coverage-types">
            <table className="table" data-testid="coverage-types">
              <thead>
                <tr>
                  <th scope="col">Part type</th>
                  <th scope="col" className="num">
                    Come through
                  </th>
                </tr>
              </thead>
              <tbody>
                {report.types.map((t) => (
                  <tr
                    key={t.typeId}
                    data-type={t.name}
                    aria-selected={t === chosen}
                    className={t === chosen ? 'chosen' : ''}
                  >
                    <td>
                      <button
                        type="button"
                        className="btn btn-link p-0 text-start"
                        onClick={() => set({ typeId: t.typeId })}
                      >
                        {t.name}
                      </button>
                    </td>
                    <td className="num">
                      <div>
                        {t.covered} of {t.wanted}
                      </div>
                      <Progress
                        now={t.wanted === 0 ? 100 : (100 * t.covered) / t.wanted}
                        label={`${t.name}: come through`}
                      />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            {report.suspicious.map((s) => (
              <p key={s.key} className="px-3 mb-1 now-ink">
                {s.key}: {s.message}.
              </p>
            ))}
            <OrphanExcuses of={report.orphans} />
          </div>
          {chosen && (
            <Items
              key={chosen.typeId}
              project={project}
              coverage={coverage}
              of={chosen}
              isAll={isAll}
              setAll={(all) => set({ isAll: all })}
            />
          )}
        </div>
      )}
    </>
  );
}

function Items({
  project,
  coverage,
  of,
  isAll,
  setAll,
}: {
  readonly project: Project;
  readonly coverage: Coverage;
  readonly of: TypeCoverage;
  readonly isAll: boolean;
  readonly setAll: (all: boolean) => void;
}) {
  const open = of.items.filter((x) => !x.item.hasCome || x.isUnasked);
  const shown = isAll ? of.items : open;
  const groups = new Map<string, CoveredItem[]>();
  for (const x of shown) {
    const at = addressOf(x.item);
    groups.set(at, [...(groups.get(at) ?? []), x]);
  }
  return (
    <div className="coverage-items" data-testid="coverage-items">
      <div className="d-flex align-items-baseline gap-3 px-3 py-2">
        <h3 className="section-title p-0">{of.name}</h3>
        <span className="proof-stages" role="group" aria-label="Which">
          <label>
            <input type="radio" className="form-check-input" checked={!isAll} onChange={() => setAll(false)} />
            what is missing ({open.length})
          </label>
          <label>
            <input type="radio" className="form-check-input" checked={isAll} onChange={() => setAll(true)} />
            all ({of.items.length})
          </label>
        </span>
      </div>
      {groups.size === 0 && <p className="px-3 quiet">Nothing is missing.</p>}
      {[...groups].map(([at, items]) => (
        <section key={at} className="coverage-element" data-element={at}>
          {items.map((x) => (
            <ItemRow key={x.item.key} project={project} coverage={coverage} of={of} x={x} at={at} />
          ))}
        </section>
      ))}
    </div>
  );
}

function ItemRow({
  project,
  coverage,
  of,
  x,
  at,
}: {
  readonly project: Project;
  readonly coverage: Coverage;
  readonly of: TypeCoverage;
  readonly x: CoveredItem;
  readonly at: string;
}) {
  const { item, gap, why, by, isUnasked, excuse } = x;
  return (
    <div className={`coverage-item${item.hasCome ? '' : ' open'}`} data-kind={item.kind} data-gap={gap ?? ''}>
      <span className="coverage-kind quiet">{itemWords[item.kind]}</span>
      <button type="button" className="btn btn-link p-0 text-start coverage-text" onClick={() => goTo(at)}>
        {item.of.inside !== '' && <span className="quiet">{item.of.inside}: </span>}
        {item.text}
      </button>
      <span className="coverage-why">
        {item.hasCome ? (
          <span className="quiet">
            {item.pair && `${item.pair.by}, `}
            {by.slice(0, 3).map((c, k) => (
              <span key={c.id}>
                {k > 0 && ', '}
                <button type="button" className="btn btn-link p-0" onClick={() => goTo(`case/${c.id}`)}>
                  {c.name}
                </button>
              </span>
            ))}
            {by.length > 3 && ` and ${by.length - 3} more`}
          </span>
        ) : (
          <>
            <span className={gap === 'excused' || gap === 'dead' ? 'quiet' : 'now-ink'} title={gapMeanings[gap!]}>
              {gapWords[gap!]}
            </span>
            {excuse ? (
              <span className="quiet">
                : {excuse.reason} ({excuse.by}, {excuse.on})
              </span>
            ) : (
              why !== '' && <span className="quiet">: {why}</span>
            )}
          </>
        )}
        {isUnasked && <span className="now-ink"> – no requirement asks for what these cases try</span>}
      </span>
      {!item.hasCome && (
        <span className="coverage-does">
          {(gap === 'test' || gap === 'need') && (
            <GapHelp
              project={project}
              item={item}
              came={coverage.came}
              cases={coverage.cases}
              hasNumbers={comparesNumbers(of, item)}
            />
          )}
          <ExcuseForm
            excuse={excuse}
            isSuspect={gap === 'suspect'}
            what={item.text}
            give={(values) =>
              useProject.getState().edit(
                {
                  kind: 'insert',
                  list: 'excuse',
                  entry: { id: `e-${nanoid(8)}`, item: item.key, mark: elementMark(project, item), ...values },
                },
                `Excuse ${item.text.slice(0, 60)}`,
              )
            }
            again={() =>
              excuse &&
              useProject
                .getState()
                .edit(
                  { kind: 'update', list: 'excuse', id: excuse.id, changes: { mark: elementMark(project, item) } },
                  'Excuse it again',
                )
            }
          />
        </span>
      )}
    </div>
  );
}

/** Whether it hangs on numbers that are compared: its own decision, or that of the transition it is. */
const comparesNumbers = (of: TypeCoverage, item: Item): boolean =>
  of.items.some(
    ({ item: { of: d } }) =>
      'tree' in d &&
      d.conditions.some((c) => /[<>]/.test(c)) &&
      (item.kind === 'taken' ? d.place === item.of.place : d === item.of) &&
      (item.kind === 'taken' || item.kind === 'outcome' || item.kind === 'condition'),
  );
