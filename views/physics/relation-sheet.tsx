'use client';
import { Boxes, Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useRef } from 'react';
import { addRelationSheet } from '@/ui/editing/make';
import { commonUnits } from '@/core/language/units';
import { type PartType, type Project, type Quantity, type Relation, type RelationSheet } from '@/core/project/project';
import type { Edit } from '@/core/project/edit';
import { handConversions, likelyMeant, namesOfRelation, proposedUnit } from '@/core/relations/advice';
import { mergeNames, missingQuantities, setKnown, typeFromRelations } from '@/core/relations/sheet-edits';
import { solveSheet, type SheetQuantity, type SheetResult, type SheetStatement } from '@/core/relations/solve-sheet';
import { fullName, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { formatNumber, withUnit } from '@/ui/format';
import { freeName, tryEdit } from '@/ui/names';
import { useMoment } from '@/ui/moment';
import { RelationDrawing } from './relation-drawing';
import { PhysicsChoice } from './structure-sheet';
import './relations.scss';

const words: Readonly<Record<SheetStatement['state'], string>> = {
  used: 'gives',
  agrees: 'agrees',
  contradicts: 'contradicts',
  waits: 'waits',
  holds: 'holds',
  fails: 'fails',
  unread: 'not read',
};

/** The relation sheets of a part type. */
export function RelationsSheet() {
  const { type, path, project } = useHere();
  const place = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  if (!project || !type) return null;
  const sheet = type.sheets.find((s) => place === `relations/${s.id}`) ?? type.sheets[0];
  const list = `type/${type.id}/sheet`;
  return (
    <>
      <div className="pane-head">
        <h2>
          Physics of <span className="type-tag">{type.name}</span>
        </h2>
        <PhysicsChoice />
        {sheet && type.sheets.length > 1 && (
          <select
            className="form-select form-select-sm"
            style={{ width: 150 }}
            aria-label="Relation sheet"
            value={sheet.id}
            onChange={(e) => go({ sheet: `relations/${e.target.value}` })}
          >
            {type.sheets.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </select>
        )}
        <span style={{ flex: 1 }} />
        {sheet && (
          <>
            <label
              className="d-flex gap-1 align-items-center text-nowrap"
              title="Its relations hold in every run of this part, and follow whatever changes"
            >
              <input
                type="checkbox"
                className="form-check-input m-0"
                checked={sheet.live}
                onChange={(e) =>
                  tryEdit(
                    { kind: 'update', list, id: sheet.id, changes: { live: e.target.checked } },
                    e.target.checked ? `${sheet.name} takes part in runs` : `${sheet.name} is for looking only`,
                  )
                }
              />{' '}
              in runs
            </label>
            <Button
              variant="bare"
              label={`Delete the sheet ${sheet.name}`}
              onClick={() => tryEdit({ kind: 'remove', list, id: sheet.id }, `Delete ${sheet.name}`)}
            >
              <Trash2 size={14} aria-hidden />
            </Button>
          </>
        )}
        <Button onClick={() => addRelationSheet(project, type)}>
          <Plus size={14} aria-hidden /> Sheet
        </Button>
      </div>
      {sheet ? (
        <OneSheet key={sheet.id} project={project} type={type} sheet={sheet} path={path} />
      ) : (
        <div className="empty">
          <h3>No relations yet</h3>
          <p>
            Write what holds between quantities, as it stands in a book: <span className="mono">P = Q*dp/eta</span>. Its
            names become quantities, units convert by themselves, and you say which ones are known: the sheet finds the
            others, in whichever direction that goes.
          </p>
          <Button variant="primary" onClick={() => addRelationSheet(project, type)}>
            <Plus size={14} aria-hidden /> Begin a relation sheet
          </Button>
        </div>
      )}
    </>
  );
}

function OneSheet({
  project,
  type,
  sheet,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly sheet: RelationSheet;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const { select, say, go } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const result = useMemo(() => solveSheet(project, type.id, sheet.id), [project, type.id, sheet.id]);
  const list = `type/${type.id}/sheet/${sheet.id}/relation`;
  const rows = useRef<HTMLDivElement>(null);
  const change = (r: Relation, text: string) =>
    edit({ kind: 'update', list, id: r.id, changes: { text } }, `Change a relation`, `relation-${r.id}`);
  /** Names become quantities when the line is left. */
  const settle = (r: Relation): void => {
    const now = useProject.getState().project;
    const owner = now?.types.find((t) => t.id === type.id);
    const text = owner?.sheets.find((s) => s.id === sheet.id)?.relations.find((x) => x.id === r.id)?.text;
    if (!now || !owner || text === undefined) return;
    const edits = missingQuantities(now, owner, text, () => nanoid(8));
    if (edits.length > 0)
      tryEdit(
        { kind: 'batch', label: 'Add quantities', edits },
        edits.length === 1 ? 'Add a quantity' : `Add ${edits.length} quantities`,
      );
  };
  const add = (after?: string): void => {
    const entry: Relation = { id: `r-${nanoid(8)}`, text: '', note: '' };
    const index = after === undefined ? sheet.relations.length : sheet.relations.findIndex((r) => r.id === after) + 1;
    tryEdit({ kind: 'insert', list, entry, index }, 'Add a relation');
    setTimeout(
      () => rows.current?.querySelector<HTMLTextAreaElement>(`[data-relation="${entry.id}"] textarea`)?.focus(),
      30,
    );
  };
  const remove = (r: Relation): void => tryEdit({ kind: 'remove', list, id: r.id }, 'Delete a relation');
  const reuse = (r: Relation): void => {
    const name = freeName(
      project.types.map((t) => t.name),
      'Relation',
    );
    const made = typeFromRelations(project, type, [r], name, () => nanoid(8));
    tryEdit({ kind: 'insert', list: 'type', entry: made }, `Make ${name} of a relation`);
    say(
      `${name} is a part type now: add a part of it where it is needed, and link its quantities by name, as in load.P = P`,
      'note',
    );
    go({ area: 'product', part: '', type: made.id });
  };
  const known = (q: Quantity, on: boolean): void =>
    tryEdit(
      setKnown(type, q, on, result.quantities.find((x) => x.name === q.name)?.value),
      on ? `${q.name} is known` : `${q.name} is to be found`,
    );
  const move = (name: string, x: number, y: number): void =>
    tryEdit(
      {
        kind: 'update',
        list: `type/${type.id}/sheet`,
        id: sheet.id,
        changes: { layout: [...sheet.layout.filter((p) => p.name !== name), { name, x, y }] },
      },
      `Move ${name}`,
    );
  return (
    <div className="relation-sheet">
      <div className="relation-side">
        <div className="sheet-title">
          <CellField
            value={sheet.name}
            label="Name of the sheet"
            onCommit={(name) =>
              edit(
                { kind: 'update', list: `type/${type.id}/sheet`, id: sheet.id, changes: { name } },
                `Rename ${sheet.name}`,
              )
            }
          />
          <CellField
            value={sheet.note}
            label="Note of the sheet"
            placeholder="what it is for"
            onCommit={(note) =>
              edit(
                { kind: 'update', list: `type/${type.id}/sheet`, id: sheet.id, changes: { note } },
                `Change the note of ${sheet.name}`,
              )
            }
          />
        </div>
        <Summary result={result} sheet={sheet} />
        <div ref={rows} className="relation-rows" data-testid="relations" data-rows={list}>
          {sheet.relations.map((r) => (
            <RelationRow
              key={r.id}
              project={project}
              type={type}
              relation={r}
              address={`${list}/${r.id}`}
              statement={result.relations.find((s) => s.id === r.id)}
              chosen={item === `relation/${r.id}`}
              names={result.quantities.map((q) => q.name)}
              onText={(text) => change(r, text)}
              onSettle={() => settle(r)}
              onNext={() => add(r.id)}
              onRemove={() => remove(r)}
              onReuse={() => reuse(r)}
              onChoose={() => item !== `relation/${r.id}` && select(`relation/${r.id}`)}
              onMerge={(from, to) =>
                tryEdit(
                  { kind: 'batch', label: `Merge ${from} with ${to}`, edits: mergeNames(type, from, to) },
                  `Merge ${from} with ${to}`,
                )
              }
            />
          ))}
        </div>
        <div className="px-2 py-1">
          <Button size="sm" onClick={() => add()}>
            <Plus size={13} aria-hidden /> Relation
          </Button>
        </div>
        <QuantityRows
          project={project}
          type={type}
          sheet={sheet}
          result={result}
          path={path}
          chosen={item}
          onKnown={known}
        />
      </div>
      <div className="relation-drawing" data-testid="relation-drawing">
        <RelationDrawing sheet={sheet} result={result} selected={item} onSelect={select} onMove={move} />
        <Chosen sheet={sheet} result={result} item={item} />
      </div>
    </div>
  );
}

/** What is missing and what stands against what, in one line each. */
function Summary({ result, sheet }: { readonly result: SheetResult; readonly sheet: RelationSheet }) {
  const texts = new Map(sheet.relations.map((r) => [r.id, r.text]));
  if (result.relations.length === 0) return null;
  return (
    <div className="relation-summary" role="status">
      {result.open.map((g, k) => (
        <p key={k}>
          <strong>Open:</strong>{' '}
          {g.names.length === 1
            ? `nothing gives ${g.names[0]}`
            : `with ${g.missing} of ${g.names.slice(0, -1).join(', ')} and ${g.names.at(-1)} known, the ${g.names.length - g.missing === 1 ? 'other one is' : 'others are'} found`}
        </p>
      ))}
      {result.contradictions.map((c, k) => (
        <p key={`c${k}`} style={{ color: 'var(--bad)' }}>
          <strong>Cannot all hold:</strong> {c.map((id) => texts.get(id) ?? id).join(' and ')}; fewer of their
          quantities may be known
        </p>
      ))}
      {result.open.length === 0 && result.contradictions.length === 0 && (
        <p className="quiet">
          {result.relations.some((r) => r.state === 'fails')
            ? 'Everything is found; a limit does not hold'
            : 'Everything is found, and nothing contradicts'}
        </p>
      )}
    </div>
  );
}

interface RowProps {
  readonly project: Project;
  readonly type: PartType;
  readonly relation: Relation;
  readonly address: string;
  readonly statement: SheetStatement | undefined;
  readonly chosen: boolean;
  readonly names: readonly string[];
  readonly onText: (text: string) => ReturnType<ReturnType<typeof useProject.getState>['edit']>;
  readonly onSettle: () => void;
  readonly onNext: () => void;
  readonly onRemove: () => void;
  readonly onReuse: () => void;
  readonly onChoose: () => void;
  readonly onMerge: (from: string, to: string) => void;
}

function RelationRow(props: RowProps) {
  const {
    project,
    type,
    relation: r,
    address,
    statement,
    chosen,
    names,
    onText,
    onSettle,
    onNext,
    onRemove,
    onReuse,
    onChoose,
    onMerge,
  } = props;
  const hand = useMemo(() => handConversions(project, type, r.text), [project, type, r.text]);
  // a name that stands in no other relation and is nearly another one
  const misspelt = useMemo(
    () =>
      namesOfRelation(project, type, r.text).flatMap((n) => {
        const alone = !type.sheets.some((s) =>
          s.relations.some(
            (x) => x.id !== r.id && namesOfRelation(project, type, x.text).some((m) => m.name === n.name),
          ),
        );
        const near = alone ? likelyMeant(n.name, names) : undefined;
        return near ? [{ name: n.name, near }] : [];
      }),
    [project, type, r, names],
  );
  const state = statement?.state;
  return (
    <div
      className={`relation-row${chosen ? ' chosen' : ''}`}
      data-relation={r.id}
      data-element={address}
      onFocus={onChoose}
      onBlur={onSettle}
    >
      <span
        className={`relation-state ${state ?? ''}`}
        title={
          state === 'used'
            ? `gives ${statement!.gives.join(', ')}`
            : statement && statement.left !== undefined && statement.right !== undefined && state === 'contradicts'
              ? `left ${formatNumber(statement.left)}, right ${formatNumber(statement.right)} ${statement.baseUnit}`
              : undefined
        }
      >
        {state ? (state === 'used' ? `gives ${statement!.gives.join(', ')}` : words[state]) : ''}
      </span>
      <div
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            e.preventDefault();
            onSettle();
            onNext();
          }
        }}
      >
        <CellField
          value={r.text}
          label="Relation"
          mono
          multiline
          placeholder="P = Q*dp/eta, or P < 3 'kW'"
          immediate
          onCommit={onText}
          problem={statement?.problem}
        />
        {hand.map((h) => (
          <p key={h.message} className="relation-hint">
            {h.message}.{' '}
            <button type="button" className="btn btn-link p-0" onClick={() => onText(h.without)}>
              Take it out
            </button>
          </p>
        ))}
        {misspelt.map((m) => (
          <p key={m.name} className="relation-hint">
            <span className="mono">{m.name}</span> stands alone.{' '}
            <button type="button" className="btn btn-link p-0" onClick={() => onMerge(m.name, m.near)}>
              Merge it with {m.near}
            </button>
          </p>
        ))}
      </div>
      <span className="relation-tools">
        <Button variant="bare" label="Make a part type of this relation" onClick={onReuse}>
          <Boxes size={13} aria-hidden />
        </Button>
        <Button variant="bare" label="Delete the relation" onClick={onRemove}>
          <Trash2 size={13} aria-hidden />
        </Button>
      </span>
    </div>
  );
}

function QuantityRows({
  project,
  type,
  sheet,
  result,
  path,
  chosen,
  onKnown,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly sheet: RelationSheet;
  readonly result: SheetResult;
  readonly path: string | undefined;
  readonly chosen: string;
  readonly onKnown: (q: Quantity, on: boolean) => void;
}) {
  const { edit } = useProject.getState();
  const { select } = usePlace.getState();
  const moment = useMoment();
  const list = `type/${type.id}/quantity`;
  const proposal = (q: Quantity): string =>
    q.unit !== ''
      ? ''
      : (sheet.relations.map((r) => proposedUnit(project, type, r.text, q.name)).find((u) => u !== '') ?? '');
  if (result.quantities.length === 0) return null;
  return (
    <table className="table relation-quantities" style={{ tableLayout: 'fixed' }} data-testid="sheet-quantities">
      <colgroup>
        <col style={{ width: '24%' }} />
        <col style={{ width: 52 }} />
        <col />
        <col style={{ width: '24%' }} />
        <col style={{ width: '20%' }} />
      </colgroup>
      <thead>
        <tr>
          <th scope="col">Quantity</th>
          <th scope="col">Known</th>
          <th scope="col">Value</th>
          <th scope="col">Unit</th>
          <th scope="col" className="text-end">
            At cursor
          </th>
        </tr>
      </thead>
      <tbody>
        {result.quantities.map((found) => {
          const q = type.quantities.find((x) => x.name === found.name);
          const name = fullName(path, found.name);
          const isChosen = chosen === `quantity/${found.name}`;
          const offered = q && proposal(q);
          return (
            <tr
              key={found.name}
              data-quantity={found.name}
              onFocus={() => !isChosen && select(`quantity/${found.name}`)}
              onClick={() => !isChosen && select(`quantity/${found.name}`)}
              style={isChosen ? { background: 'var(--accent-soft)' } : undefined}
              title={q?.note}
            >
              <td className="mono text-truncate">
                <DraggableName name={name} from="relations">
                  {found.name}
                </DraggableName>
              </td>
              <td className="text-center">
                {q ? (
                  <input
                    type="checkbox"
                    className="form-check-input"
                    aria-label={`${q.name} is known`}
                    checked={found.state === 'given'}
                    disabled={q.role === 'input' || q.role === 'constant'}
                    onChange={(e) => onKnown(q, e.target.checked)}
                  />
                ) : (
                  <span className="quiet">{found.state === 'given' ? 'yes' : ''}</span>
                )}
              </td>
              <td className="mono">
                {q && found.state === 'given' ? (
                  <CellField
                    value={q.value}
                    label={`Value of ${q.name}`}
                    mono
                    immediate
                    onCommit={(value) =>
                      edit(
                        { kind: 'update', list, id: q.id, changes: { value } },
                        `Change the value of ${q.name}`,
                        `value-${q.id}`,
                      )
                    }
                  />
                ) : (
                  <span className={`cell-field d-block ${found.state}`}>{shown(found)}</span>
                )}
              </td>
              <td>
                {q ? (
                  <CellField
                    value={q.unit}
                    label={`Unit of ${q.name}`}
                    mono
                    list={commonUnits}
                    placeholder={offered || 'any'}
                    onCommit={(unit) => changeUnit(edit, list, q, unit)}
                  />
                ) : (
                  <span className="mono cell-field d-block">{found.unit}</span>
                )}
                {offered && (
                  <button
                    type="button"
                    className="btn btn-link p-0 unit-offer"
                    onClick={() =>
                      edit({ kind: 'update', list, id: q!.id, changes: { unit: offered } }, `Unit of ${q!.name}`)
                    }
                  >
                    use {offered}
                  </button>
                )}
              </td>
              <td className="mono text-end text-nowrap text-truncate">
                {(path !== undefined && moment.text(name)) || <span className="quiet">–</span>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const changeUnit = (
  edit: (e: Edit, label: string) => ReturnType<ReturnType<typeof useProject.getState>['edit']>,
  list: string,
  q: Quantity,
  unit: string,
) => edit({ kind: 'update', list, id: q.id, changes: { unit } }, `Change the unit of ${q.name}`);

const shown = (q: SheetQuantity): string =>
  q.value !== undefined ? formatNumber(q.value) : q.state === 'failed' ? 'no value' : 'open';

/** What a quantity of a sheet depends on, or what it moves; or what a relation comes to. */
function Chosen({
  sheet,
  result,
  item,
}: {
  readonly sheet: RelationSheet;
  readonly result: SheetResult;
  readonly item: string;
}) {
  const name = item.startsWith('quantity/') ? item.slice(9) : undefined;
  const found = result.quantities.find((q) => q.name === name);
  const relation = result.relations.find((r) => `relation/${r.id}` === item);
  if (!found) {
    return (
      <div className="relation-chosen">
        {relation ? (
          <p>
            <span className="mono">{sheet.relations.find((r) => r.id === relation.id)?.text ?? relation.id}</span>:{' '}
            {relation.state === 'used'
              ? `it gives ${relation.gives.join(', ')}`
              : relation.state === 'agrees'
                ? 'it gives nothing, but agrees with what the others give'
                : relation.problem || words[relation.state]}
            {relation.left !== undefined && relation.right !== undefined && (
              <span className="quiet">
                {' '}
                (left {formatNumber(relation.left, 6)}, right {formatNumber(relation.right, 6)} {relation.baseUnit})
              </span>
            )}
          </p>
        ) : (
          <p className="quiet">Choose a quantity to see what moves it, and by how much.</p>
        )}
      </div>
    );
  }
  const own = result.sensitivities
    .filter((s) => (found.state === 'given' ? s.given === name : s.result === name))
    .sort((a, b) => Math.abs(b.percent) - Math.abs(a.percent));
  const most = Math.max(...own.map((s) => Math.abs(s.percent)), 1e-9);
  return (
    <div className="relation-chosen" data-testid="relation-details">
      <p>
        <strong className="mono">{found.name}</strong>{' '}
        {found.value === undefined ? (
          'is open'
        ) : (
          <span className="num">= {withUnit(formatNumber(found.value, 6), found.unit)}</span>
        )}
        <span className="quiet">
          {found.state === 'given'
            ? ', known'
            : found.from.length > 0 && found.value !== undefined
              ? `, from ${found.from.map((id) => sheet.relations.find((r) => r.id === id)?.text ?? id).join('; ')}`
              : ''}
        </span>
      </p>
      {own.length > 0 && (
        <p className="quiet">{found.state === 'given' ? '1 % more of it moves' : 'It moves, with 1 % more of'}</p>
      )}
      <div className="sensitivities">
        {own.map((s) => (
          <div key={s.given + s.result} className="sensitivity">
            <span className="mono">{found.state === 'given' ? s.result : s.given}</span>
            <span className="bar">
              <span
                style={{ width: `${(Math.abs(s.percent) / most) * 50}%`, [s.percent < 0 ? 'right' : 'left']: '50%' }}
              />
            </span>
            <span className="num">
              {s.percent > 0 ? '+' : ''}
              {formatNumber(s.percent, 3)} %
            </span>
          </div>
        ))}
      </div>
    </div>
  );
}
