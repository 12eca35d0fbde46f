'use client';
import { yupResolver } from '@hookform/resolvers/yup';
import { diffLines } from 'diff';
import { Download, Snowflake, Trash2, Undo2 } from 'lucide-react';
import { type ComponentProps, useDeferredValue, useMemo, useState } from 'react';
import { useForm } from 'react-hook-form';
import * as yup from 'yup';
import { writeProjectFile } from '@/core/formats/project-file';
import type { Difference } from '@/core/project/differences';
import type { Project } from '@/core/project/project';
import { changesSince, takeBack } from '@/core/versions/changes';
import { forget, freeze, useBaselines, versionOf, type Baseline } from '@/store/baseline-store';
import { goTo } from '@/store/locate';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { download } from '@/ui/download';
import { BringIn, MergePanel } from './merge-panel';
import { ProofTabs } from './proof-tabs';

const most = 400;
const words: Readonly<Record<Difference['kind'], string>> = {
  'only here': 'added',
  'only there': 'removed',
  changed: 'changed',
  order: 'moved',
};
const when = (at: number): string => new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' });

/** Versions that were frozen, and what has changed since one of them. */
export function BaselineSheet({ project }: { readonly project: Project }) {
  const { all, chosen, beside, set } = useBaselines();
  const of = all.find((b) => b.id === chosen) ?? all[0];
  return (
    <>
      <div className="pane-head">
        <ProofTabs here="baselines" />
        <FreezeForm project={project} taken={all.map((b) => b.name)} />
      </div>
      {!of ? (
        <div className="empty">
          <h3>Nothing is frozen yet</h3>
          <p>
            A baseline is a copy of the whole project under a name, as it is now. It does not change any more; what has
            changed since is told here, by element, and can be taken back.
          </p>
        </div>
      ) : (
        <div className="coverage">
          <div className="coverage-types">
            <table className="table" data-testid="baselines">
              <thead>
                <tr>
                  <th scope="col">Baseline</th>
                  <th scope="col" className="text-end">
                    Frozen
                  </th>
                </tr>
              </thead>
              <tbody>
                {all.map((b) => (
                  <tr key={b.id} className={b === of ? 'chosen' : ''} data-baseline={b.name}>
                    <td>
                      <button
                        type="button"
                        className="btn btn-link p-0 text-start"
                        aria-pressed={b === of}
                        onClick={() => set({ chosen: b.id, beside: beside === b.id ? '' : beside })}
                      >
                        {b.name}
                      </button>
                    </td>
                    <td className="text-end quiet">{when(b.at)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <Changes key={of.id} project={project} of={of} all={all} beside={beside} />
        </div>
      )}
    </>
  );
}

const formSchema = yup.object({
  name: yup.string().trim().required('A baseline needs a name').max(120, 'At most 120 characters'),
  note: yup.string().trim().max(4000, 'At most 4000 characters').default(''),
});

function FreezeForm({ project, taken }: { readonly project: Project; readonly taken: readonly string[] }) {
  const { register, handleSubmit, formState, reset, setError } = useForm({
    resolver: yupResolver(formSchema),
    defaultValues: { name: '', note: '' },
  });
  const { errors } = formState;
  return (
    <form
      className="baseline-freeze"
      aria-label="Freeze the project"
      onSubmit={(e) =>
        void handleSubmit(async ({ name, note }) => {
          if (taken.includes(name)) setError('name', { message: 'There is a baseline of this name' });
          else if (await freeze(project, name, note ?? '')) reset();
        })(e)
      }
    >
      {errors.name && <span className="field-problem">{errors.name.message}</span>}
      <input
        className="form-control form-control-sm"
        aria-label="Name of the baseline"
        placeholder="name, such as 1.2"
        autoComplete="off"
        {...register('name')}
        aria-invalid={errors.name !== undefined}
      />
      <input
        className="form-control form-control-sm"
        aria-label="Note of the baseline"
        placeholder="what it is for"
        autoComplete="off"
        {...register('note')}
      />
      <Button type="submit" variant="primary">
        <Snowflake size={13} aria-hidden /> Freeze
      </Button>
    </form>
  );
}

function Changes({
  project,
  of,
  all,
  beside,
}: {
  readonly project: Project;
  readonly of: Baseline;
  readonly all: readonly Baseline[];
  readonly beside: string;
}) {
  const { set } = useBaselines.getState();
  const [isAsked, setAsked] = useState(false);
  const [given, setGiven] = useState<Parameters<ComponentProps<typeof BringIn>['give']>[0]>();
  const other = all.find((b) => b.id === beside);
  const asked = useDeferredValue(project);
  const versions = useMemo(() => {
    const [before, now] = [versionOf(of), other ? versionOf(other) : { project: asked }];
    if ('why' in before) return { why: `${of.name}: ${before.why}` };
    if ('why' in now) return { why: `${other!.name}: ${now.why}` };
    return { before: before.project, now: now.project, ...changesSince(before.project, now.project) };
  }, [of, other, asked]);
  return (
    <div className="coverage-items" data-testid="changes">
      <div className="d-flex flex-wrap align-items-center gap-2 px-3 py-2">
        <h3 className="section-title p-0">{of.name}</h3>
        <span className="quiet">beside</span>
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Beside"
          value={other ? beside : ''}
          onChange={(e) => set({ beside: e.target.value })}
        >
          <option value="">the project as it is now</option>
          {all.map((b) => (
            <option key={b.id} value={b.id} disabled={b === of}>
              {b.name}
            </option>
          ))}
        </select>
        <span className="ms-auto d-inline-flex gap-2">
          {!other && 'before' in versions && <BringIn before={versions.before} give={setGiven} />}
          <Button
            size="sm"
            disabled={'why' in versions}
            onClick={() =>
              'before' in versions &&
              download(
                `${project.name} ${of.name}.zelvar`,
                'application/zip',
                writeProjectFile(versions.before) as BlobPart,
              )
            }
          >
            <Download size={13} aria-hidden /> As a file
          </Button>
          {isAsked ? (
            <>
              <Button size="sm" onClick={() => void forget(of.id)}>
                Delete it for good
              </Button>
              <Button size="sm" onClick={() => setAsked(false)}>
                Keep it
              </Button>
            </>
          ) : (
            <Button size="sm" aria-label={`Delete ${of.name}`} onClick={() => setAsked(true)}>
              <Trash2 size={13} aria-hidden />
            </Button>
          )}
        </span>
      </div>
      {given && 'why' in given && <p className="px-3 field-problem">{given.why}</p>}
      {given && 'there' in given && 'before' in versions && (
        <MergePanel
          key={given.name}
          before={versions.before}
          project={project}
          given={given}
          close={() => setGiven(undefined)}
        />
      )}
      {of.note !== '' && <p className="px-3 mb-2 quiet">{of.note}</p>}
      {'why' in versions ? (
        <p className="px-3 field-problem">{versions.why}</p>
      ) : (
        <>
          <p className="px-3 mb-2" role="status" data-testid="changes-words">
            {versions.said.length + versions.moved.length === 0 ? (
              'Nothing has changed: both say the same, element for element.'
            ) : (
              <>
                {counted(versions.said.length, 'change')}
                {versions.moved.length > 0 && `, ${versions.moved.length} only of where something stands`}.{' '}
                {versions.requirements.length > 0 && (
                  <>
                    Touched:{' '}
                    {versions.requirements.slice(0, 12).map((k, n) => (
                      <span key={k}>
                        {n > 0 && ', '}
                        {k}
                      </span>
                    ))}
                    {versions.requirements.length > 12 && ` and ${versions.requirements.length - 12} more`}.{' '}
                  </>
                )}
                {versions.cases.length > 0 &&
                  `${counted(versions.cases.length, 'test case')} of ${versions.now.cases.length} would have to be run again.`}
              </>
            )}
          </p>
          {[...versions.said, ...versions.moved].slice(0, most).map((d) => (
            <ChangeRow
              key={`${d.kind} ${d.address} ${d.list ?? ''}`}
              d={d}
              before={versions.before}
              now={versions.now}
              isNow={!other}
            />
          ))}
          {versions.said.length + versions.moved.length > most && (
            <p className="px-3 quiet">and {versions.said.length + versions.moved.length - most} more</p>
          )}
        </>
      )}
    </div>
  );
}

const counted = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`;

function ChangeRow({
  d,
  before,
  now,
  isNow,
}: {
  readonly d: Difference;
  readonly before: Project;
  readonly now: Project;
  /** The project at hand stands on the right: something can be taken back in it. */
  readonly isNow: boolean;
}) {
  const edit = useMemo(() => (isNow ? takeBack(before, now, d) : undefined), [isNow, before, now, d]);
  return (
    <div className="coverage-item version-change" data-change={d.kind} data-address={d.address}>
      <span className="coverage-kind quiet">{words[d.kind]}</span>
      <span>
        {isNow && d.kind !== 'only there' && d.address !== '' ? (
          <button type="button" className="btn btn-link p-0 text-start" onClick={() => goTo(d.address)}>
            {d.what}
          </button>
        ) : (
          d.what
        )}
        {d.fields.map((f) => (
          <span key={f.field} className="version-field">
            <span className="quiet">{f.field}</span>
            <Sides before={f.there} now={f.here} />
          </span>
        ))}
      </span>
      {edit && (
        <span className="coverage-does">
          <Button
            size="sm"
            aria-label={`Take back: ${d.what}`}
            onClick={() => useProject.getState().edit(edit, `Take back ${d.what}`)}
          >
            <Undo2 size={13} aria-hidden /> Take back
          </Button>
        </span>
      )}
    </div>
  );
}

/** Lines around one that has changed. */
const around = 1;

/** What a field said and what it says: of a long text the lines that have changed, with what stands around them. */
function Sides({ before, now }: { readonly before: string; readonly now: string }) {
  const sides = useMemo(() => {
    if (!before.includes('\n') && !now.includes('\n')) return undefined;
    const lines = (text: string): readonly string[] => text.replace(/\n$/, '').split('\n');
    const pieces = diffLines(`${before}\n`, `${now}\n`);
    return [true, false].map((isBefore) => {
      const own = pieces.flatMap((p) =>
        (isBefore ? p.added : p.removed) ? [] : lines(p.value).map((text) => ({ text, isOther: p.added || p.removed })),
      );
      return own.map((l, k) => ({
        ...l,
        isShown: own.slice(Math.max(0, k - around), k + around + 1).some((x) => x.isOther),
      }));
    });
  }, [before, now]);
  if (!sides)
    return (
      <>
        <span className="said">{before || <span className="quiet">nothing</span>}</span>
        <span className="said">{now || <span className="quiet">nothing</span>}</span>
      </>
    );
  return sides.map((own, side) => (
    <span key={side} className="said">
      {own.map((l, k) =>
        l.isShown ? (
          <span key={k} className={l.isOther ? 'version-line other' : 'version-line'}>
            {l.text || ' '}
          </span>
        ) : (
          // lines that are the same on both sides are left out, once for all that follow one another
          (k === 0 || own[k - 1].isShown) && (
            <span key={k} className="version-line quiet">
              …
            </span>
          )
        ),
      )}
    </span>
  ));
}
