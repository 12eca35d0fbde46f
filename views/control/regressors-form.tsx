'use client';
import { FunctionSquare, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Edit } from '@/core/editing/edits';
import { newSignalLine, newSignalSheet, type PartType, type Project } from '@/core/project/project';
import { regressionLines } from '@/core/studies/regression-lines';
import { whatMayBeAsked, type Regression, type Regressions } from '@/core/studies/regressors';
import { askRegressors } from '@/store/control-service';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { numbered } from '@/ui/editing/make';
import { useLongWork } from './use-long-work';

interface Props {
  readonly project: Project;
  /** The part type whose sheet is to learn. */
  readonly type: PartType;
}

/** Regressors from the equations of a part type: which values they give linearly, and why others not. */
export function RegressorsForm({ project, type }: Props) {
  const sources = useMemo(
    () =>
      project.types.filter((t) => {
        const { measured, unknown } = whatMayBeAsked(t);
        return t.physics.trim() !== '' && measured.length > 0 && unknown.length > 0;
      }),
    [project.types],
  );
  const [wanted, setWanted] = useState('');
  // what learns of something mostly calls things as that does
  const own = new Set(type.quantities.map((q) => q.name));
  const shared = (t: PartType): number => t.quantities.filter((q) => own.has(q.name)).length;
  const source =
    sources.find((t) => t.id === wanted) ??
    sources.find((t) => t === type) ??
    [...sources].sort((a, b) => shared(b) - shared(a))[0];
  if (!source)
    return (
      <p className="px-2 quiet">
        No part type has equations with parameters to be found and quantities that could be measured.
      </p>
    );
  return (
    <>
      <p className="px-2 mb-1">
        Choose what is not known and what is measured. What is neither is eliminated from the equations; where the rest
        is linear in what is not known, it becomes an estimator.
      </p>
      <label className="px-2 d-flex gap-2 align-items-center">
        Equations of
        <select
          className="form-select form-select-sm w-auto"
          aria-label="Part type whose equations are taken"
          value={source.id}
          onChange={(e) => setWanted(e.target.value)}
        >
          {sources.map((t) => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </select>
      </label>
      <Asking key={source.id} project={project} type={type} source={source} />
    </>
  );
}

function Asking({ project, type, source }: Props & { readonly source: PartType }) {
  const may = whatMayBeAsked(source);
  const [unknown, setUnknown] = useState<readonly string[]>([]);
  // what comes out of it can be measured, as a rule
  const [measured, setMeasured] = useState<readonly string[]>(
    source.quantities.flatMap((q) =>
      (q.role === 'input' || q.role === 'output') && may.measured.includes(q.name) ? [q.name] : [],
    ),
  );
  const [found, setFound] = useState<Regressions>();
  const work = useLongWork<Regressions>();
  const answer = useRef<HTMLDivElement>(null);
  useEffect(() => void answer.current?.scrollIntoView({ block: 'nearest' }), [found]);
  const start = async (): Promise<void> => {
    setFound(undefined);
    setFound(await work.start(() => askRegressors(project, source, unknown, measured)));
  };
  const changed = (set: (names: readonly string[]) => void) => (names: readonly string[]) => {
    set(names);
    setFound(undefined);
  };
  return (
    <form
      data-testid="regressors"
      onSubmit={(e) => {
        e.preventDefault();
        void start();
      }}
    >
      <Names title="Not known" source={source} names={may.unknown} chosen={unknown} onChoose={changed(setUnknown)} />
      <Names title="Measured" source={source} names={may.measured} chosen={measured} onChoose={changed(setMeasured)} />
      {may.otherUnits.length > 0 && (
        <p className="px-2 quiet mb-0 pt-1">
          Not offered, as equations are taken apart in SI units:{' '}
          {may.otherUnits.map((o) => `${o.name} (${o.unit})`).join(', ')}.
        </p>
      )}
      <div className="px-2 pt-1 d-flex gap-2 align-items-center">
        {work.progress === undefined ? (
          <Button type="submit" size="sm" disabled={unknown.length === 0 || measured.length === 0}>
            <FunctionSquare size={13} aria-hidden /> Take the equations apart
          </Button>
        ) : (
          <Button size="sm" onClick={work.stop}>
            Stop
          </Button>
        )}
        {unknown.length === 0 && <span className="quiet">Choose at least one value that is not known.</span>}
        {work.wrong !== undefined && (
          <span className="field-problem" role="alert">
            {work.wrong}
          </span>
        )}
      </div>
      {found && (
        <div ref={answer} className="px-2 pt-2" data-testid="regressions">
          {found.found.map((r) => (
            <Found key={`${r.text} ${r.left}`} project={project} type={type} source={source} regression={r} />
          ))}
          {found.refused.map((r) => (
            <p key={`${r.unknown.join()} ${r.why}`} className="mb-1">
              <b>{r.unknown.join(', ')}</b>: <span className="quiet">{r.why}</span>
            </p>
          ))}
        </div>
      )}
    </form>
  );
}

function Names({
  title,
  source,
  names,
  chosen,
  onChoose,
}: {
  readonly title: string;
  readonly source: PartType;
  readonly names: readonly string[];
  readonly chosen: readonly string[];
  readonly onChoose: (names: readonly string[]) => void;
}) {
  return (
    <fieldset className="name-checks px-2">
      <legend>{title}</legend>
      {names.map((name) => {
        const note = source.quantities.find((q) => q.name === name)?.note;
        return (
          <label key={name} title={note}>
            <input
              type="checkbox"
              className="form-check-input m-0"
              checked={chosen.includes(name)}
              aria-label={`${title}: ${name}`}
              onChange={(e) => onChoose(e.target.checked ? [...chosen, name] : chosen.filter((n) => n !== name))}
            />
            <span className="mono">{name}</span>
          </label>
        );
      })}
    </fieldset>
  );
}

/** One equation as a sum, and the press that makes lines of it. */
function Found({
  type,
  source,
  regression: r,
}: Props & { readonly source: PartType; readonly regression: Regression }) {
  const sheets = type.signals.filter((s) => s.every.trim() !== '');
  const [wanted, setWanted] = useState(sheets[0]?.id ?? '');
  const sheet = sheets.find((s) => s.id === wanted);
  const made = regressionLines(source, r, type, sheet ?? fresh, () => `q-${nanoid(8)}`);
  const put = (): void => {
    if ('why' in made) return;
    const low = Math.max(0, ...(sheet?.lines ?? []).map((l) => (l.place?.y ?? 0) + 130));
    const lines = made.lines.map((text, k) => ({
      ...newSignalLine(`z-${nanoid(8)}`, text),
      // a sheet of its own is laid out by itself
      place: sheet ? { x: 265 * (k % 3), y: low + 130 * Math.floor(k / 3) } : null,
    }));
    const own = sheet ?? {
      ...newSignalSheet(`g-${nanoid(8)}`, numbered(type.signals, 'Estimate')),
      every: fresh.every,
    };
    const label = `Estimate ${r.terms.map((t) => t.unknown).join(', ')}`;
    const edits: Edit[] = [
      ...made.quantities.map((entry): Edit => ({ kind: 'insert', list: `type/${type.id}/quantity`, entry })),
      ...(sheet ? [] : [{ kind: 'insert', list: `type/${type.id}/signals`, entry: { ...own, lines } } as Edit]),
      ...(sheet
        ? lines.map((entry): Edit => ({ kind: 'insert', list: `type/${type.id}/signals/${sheet.id}/line`, entry }))
        : []),
    ];
    const refused = useProject.getState().edit({ kind: 'batch', label, edits }, label);
    if (refused) return usePlace.getState().say(refused.message);
    usePlace.getState().go({ area: 'control', sheet: `signals/${own.id}` });
  };
  return (
    <div className="pb-2">
      <p className="mono mb-1">
        {r.left} = {r.terms.map((t) => `${t.unknown} · (${t.regressor})`).join(' + ')}
      </p>
      <p className="quiet mb-1">
        {r.text}
        {r.rates.length > 0 &&
          `; ${r.rates.map((x) => x.name).join(', ')}: change over a tick, by its length; the others: means over the same tick`}
      </p>
      {'why' in made ? (
        <p className="field-problem mb-1">{made.why}</p>
      ) : (
        <div className="d-flex gap-2 align-items-center flex-wrap">
          <Button size="sm" variant="primary" onClick={put} data-testid="put-estimator">
            <Plus size={13} aria-hidden /> Put an estimator on
          </Button>
          <select
            className="form-select form-select-sm w-auto"
            aria-label="Sheet the estimator is put on"
            value={wanted}
            onChange={(e) => setWanted(e.target.value)}
          >
            {sheets.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}, every {s.every.replaceAll("'", '')}
              </option>
            ))}
            <option value="">a new sheet, every 10 ms</option>
          </select>
          {made.quantities.length > 0 && (
            <span className="quiet">
              with {made.quantities.length === 1 ? 'the new quantity' : 'the new quantities'}{' '}
              {made.quantities.map((q) => q.name).join(', ')}
            </span>
          )}
          {made.taken.length > 0 && (
            <span className="quiet">
              {made.taken.join(', ')}: taken to be {made.taken.length === 1 ? 'that' : 'those'} of {type.name}
            </span>
          )}
        </div>
      )}
    </div>
  );
}

const fresh = { every: "10 'ms'", offset: '' };
