'use client';
import { Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import { projectLibrary } from '@/core/flatten/from-project';
import { problem, type Problem } from '@/core/language/diagnostics';
import { parseExpressionText } from '@/core/language/parse';
import { printClass } from '@/core/language/print';
import { settingsOf, type Setting } from '@/core/network/class-parts';
import { changeValue, erasePart, valueIn } from '@/core/network/edit-physics';
import { readNetwork } from '@/core/network/read-network';
import { withChange, type PartType, type Project } from '@/core/project/project';
import { fullName, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '../button';
import { CellField, CellSelect } from '../cell-field';
import { deleteWithImpact } from '../impact';
import { useMoment } from '../moment';

/** The name of the part that is selected on the inside, whether the document or the physics text declares it. */
export function selectedPart(type: PartType | undefined, item: string): string | undefined {
  const [kind, ...rest] = item.split('/');
  if (kind === 'declared') return rest.join('/');
  return kind === 'part' ? type?.parts.find((p) => p.id === rest[0])?.name : undefined;
}

/** What can be set of a part: a form made from the declarations of its class. */
export function PartSettings({ name }: { readonly name: string }) {
  const { project, type, path } = useHere();
  return project && type ? (
    <Settings key={`${type.id}.${name}`} project={project} type={type} path={path} name={name} />
  ) : null;
}

function Settings({
  project,
  type,
  path,
  name,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
  readonly name: string;
}) {
  const { edit } = useProject.getState();
  const { select, go } = usePlace.getState();
  const moment = useMoment();
  const { run } = moment;
  const { library } = useMemo(() => projectLibrary(project), [project]);
  const network = useMemo(() => readNetwork(library, type), [library, type]);
  const found = network.parts.find((p) => p.name === name);
  const settings = useMemo(() => (found?.ref ? settingsOf(library, found.ref) : []), [library, found]);
  const text = useMemo(() => (found?.ref && !found.ref.behaviour ? classText(found.ref.definition) : ''), [found]);
  if (!found) return <p className="px-3 pt-2 quiet">There is no part {name} any more.</p>;
  const { part } = found;
  const target = project.types.find((t) => t.name === found.typeName);
  const physics = (next: string, label: string): Problem | undefined =>
    edit({ kind: 'update', list: 'type', id: type.id, changes: { physics: next } }, label);
  const valueOf = (s: Setting): string =>
    part ? (part.changes.find((c) => c.name === s.name)?.value ?? '') : valueIn(type.physics, name, s.name);
  const change = (s: Setting, value: string): Problem | undefined => {
    const wrong = value.trim() === '' ? undefined : valueProblem(s, value);
    if (wrong) return wrong;
    const label = `Change ${s.name} of ${name}`;
    if (!part) return physics(changeValue(type.physics, name, s.name, value), label);
    return edit(
      {
        kind: 'update',
        list: `type/${type.id}/part`,
        id: part.id,
        changes: { changes: withChange(part.changes, s.name, value, () => nanoid(8)) },
      },
      label,
    );
  };
  const rename = (next: string): Problem | undefined => {
    if (part) return edit({ kind: 'rename', list: `type/${type.id}/part`, id: part.id, name: next }, `Rename ${name}`);
    const refused = edit({ kind: 'rename-declared', type: type.id, name, to: next }, `Rename ${name}`);
    if (!refused) select(`declared/${next}`);
    return refused;
  };
  const remove = (): void => {
    if (part)
      deleteWithImpact(
        `type/${type.id}/part/${part.id}`,
        { kind: 'remove', list: `type/${type.id}/part`, id: part.id },
        `Delete ${name}`,
        () => select(''),
      );
    else if (
      !edit(
        {
          kind: 'update',
          list: 'type',
          id: type.id,
          changes: { physics: erasePart(type.physics, name), layout: type.layout.filter((p) => p.name !== name) },
        },
        `Delete ${name}`,
      )
    )
      select('');
  };
  const now =
    path === undefined || !run
      ? []
      : found.ends
          .filter((e) => e.kind === 'physical')
          .flatMap((e) => e.carries.split(', ').map((q) => `${e.name}.${q}`))
          .flatMap((q) => {
            const full = `${fullName(path, name)}.${q}`;
            const value = moment.text(full);
            return value ? [{ name: q, value, unit: run.model.units[full] }] : [];
          });
  const groups = [...new Set(settings.map((s) => s.group))];
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 1, minWidth: 0 }}>
          <CellField value={name} label="Name of the part" mono onCommit={rename} />
        </h2>
        <Button variant="bare" label={`Delete the part ${name}`} onClick={remove}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2" data-testid="part-settings">
        <div className="px-3 pb-2">
          <span className="quiet">a </span>
          {target ? (
            <button
              type="button"
              className="btn btn-link p-0 type-tag"
              style={{ fontSize: 'inherit' }}
              onClick={() =>
                go({ area: 'product', part: part ? fullName(path, name) : '', type: part ? '' : target.id })
              }
            >
              {found.typeName}
            </button>
          ) : (
            <span className="type-tag">{found.typeName}</span>
          )}
          {found.says && <span className="quiet">: {found.says}</span>}
          {found.documentation && <p className="quiet documentation">{found.documentation}</p>}
        </div>
        {groups.map((group) => (
          <section key={group}>
            {group !== '' && <h3 className="section-title">{group === 'Start' ? 'Start values' : group}</h3>}
            {settings
              .filter((s) => s.group === group)
              .map((s) => (
                <div className="setting" key={s.name} title={limitText(s)}>
                  <label>
                    <span className="mono">{s.name.replace(/\.start$/, '')}</span>{' '}
                    {s.unit !== '' && s.unit !== '1' && <span className="quiet">{s.unit}</span>}
                    {s.note && <small className="quiet">{s.note}</small>}
                  </label>
                  {s.choices ? (
                    <CellSelect
                      value={valueOf(s) || ''}
                      label={`${s.name} of ${name}`}
                      options={[
                        ['', `${s.value || '–'} (as declared)`] as const,
                        ...s.choices.map((c) => [c, c.split('.').at(-1)!] as const),
                      ]}
                      onCommit={(v) => void change(s, v)}
                    />
                  ) : (
                    <CellField
                      value={valueOf(s)}
                      label={`${s.name} of ${name}`}
                      mono
                      placeholder={s.value || (s.dimensions > 0 ? '{ … }' : '0')}
                      onCommit={(v) => change(s, v)}
                    />
                  )}
                </div>
              ))}
          </section>
        ))}
        {settings.length === 0 && <p className="px-3 quiet">Nothing of it can be set.</p>}
        {now.length > 0 && (
          <section>
            <h3 className="section-title">At the cursor</h3>
            {now.map((q) => (
              <div key={q.name} className="field-row">
                <label className="mono">{q.name}</label>
                <span className="mono">
                  {q.value} <span className="quiet">{q.unit}</span>
                </span>
              </div>
            ))}
          </section>
        )}
        {text && (
          <details className="px-3 py-2">
            <summary className="quiet">How it is written</summary>
            <pre className="mono class-text">{text}</pre>
          </details>
        )}
      </div>
    </>
  );
}

const classText = (definition: Parameters<typeof printClass>[0]): string => printClass(definition);

const limitText = (s: Setting): string =>
  [s.note, s.min && `at least ${s.min}`, s.max && `at most ${s.max}`].filter(Boolean).join('; ');

/** What is wrong with a new value: its text, or that it is beyond the limits of its declaration. */
function valueProblem(s: Setting, value: string): Problem | undefined {
  const { value: tree, problems } = parseExpressionText(value);
  if (problems.length > 0) return problems[0];
  const number =
    tree.kind === 'number'
      ? tree.value
      : tree.kind === 'unary' && tree.op === '-' && tree.operand.kind === 'number'
        ? -tree.operand.value
        : undefined;
  if (number === undefined || (tree.kind === 'number' && tree.unit)) return undefined;
  if (s.type === 'Integer' && !Number.isInteger(number))
    return problem('error', 'invalid', `${s.name} is a whole number`);
  if (s.min !== '' && number < Number(s.min))
    return problem('error', 'limit', `${s.name} is at least ${s.min}${s.unit ? ` ${s.unit}` : ''}`);
  if (s.max !== '' && number > Number(s.max))
    return problem('error', 'limit', `${s.name} is at most ${s.max}${s.unit ? ` ${s.unit}` : ''}`);
  return undefined;
}
