'use client';
import { Snowflake } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useState } from 'react';
import { newSignalLine, type PartType, type Project } from '@/core/project/project';
import { namesBehind, type Estimator } from '@/core/signals/estimators';
import { fixedModel, isModelOf, ownName } from '@/core/signals/fixed-model';
import { nameOfLine } from '@/core/signals/sheet-picture';
import { following, type EstimateFacts, type Following, type ReadRecording } from '@/core/studies/estimates';
import { fullName } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { formatNumber, withUnit } from '@/ui/format';
import { NumberCell } from '@/ui/number-row';
import { XyPlot, type Curve } from '@/ui/xy-plot';

interface Props {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string;
  readonly estimator: Estimator;
  readonly facts: EstimateFacts;
  readonly recording: ReadRecording;
}

/** What is known at the cursor kept as a model that stays, and how such models follow what was measured on their own output. */
export function FixedModels(props: Props) {
  const { type, estimator } = props;
  const names = useMemo(() => namesBehind(type, estimator), [type, estimator]);
  const lines = estimator.line.sheet.lines.flatMap((l) => nameOfLine(l) ?? []);
  // a model of something is called by it
  const models = names.flatMap((n) => lines.filter((l) => isModelOf(n, l)).map((l) => ({ own: l, of: n })));
  return (
    <>
      {estimator.kind === 'leastSquares' && <Keep {...props} names={names} taken={lines} />}
      {models.map((m) => (
        <Follows key={m.own} {...props} {...m} />
      ))}
    </>
  );
}

function Keep({
  type,
  estimator,
  facts,
  names,
  taken,
}: Props & { readonly names: readonly string[]; readonly taken: readonly string[] }) {
  const made = useMemo(() => {
    const values = facts.values.map(({ value, unit }) => ({ value, unit }));
    return names.map((output) => {
      let name = ownName(output);
      for (let k = 2; taken.includes(name); k++) name = `${ownName(output)}${k}`;
      return { output, model: fixedModel(type, estimator, values, output, name) };
    });
  }, [type, estimator, facts, names, taken]);
  const possible = made.flatMap(({ output, model }) => ('text' in model ? [{ output, model }] : []));
  const [wanted, setWanted] = useState('');
  const chosen =
    possible.find((p) => p.output === wanted) ??
    possible.find((p) => type.quantities.some((q) => q.name === p.output)) ??
    possible[0];
  const run = useRuns((s) => s.current);
  const why = made.flatMap(({ model }) => ('why' in model ? [model.why] : []))[0];
  const unsure = facts.values.filter((v) => 2 * v.deviation > Math.abs(v.value));
  const { sheet } = estimator.line;
  const keep = (): void => {
    if (!chosen || facts.time === undefined) return;
    const list = `type/${type.id}/signals/${sheet.id}/line`;
    const low = Math.max(0, ...sheet.lines.map((l) => l.place?.y ?? 0)) + 130;
    const told = `// ${chosen.model.name}: what ${estimator.name} knew of ${chosen.output} at ${formatNumber(facts.time, 4)} s of ${run?.setup ?? 'a run'}, on its own output`;
    const entries = [
      { ...newSignalLine(`z-${nanoid(8)}`, told), place: { x: 0, y: low } },
      { ...newSignalLine(`z-${nanoid(8)}`, chosen.model.text), place: { x: 0, y: low + 60 } },
    ];
    useProject.getState().edit(
      {
        kind: 'batch',
        label: `Keep ${chosen.model.name}`,
        edits: entries.map((entry) => ({ kind: 'insert', list, entry })),
      },
      `Keep ${chosen.model.name}`,
    );
  };
  return (
    <section data-testid="fixed-model">
      <h3 className="plot-title">A model that stays</h3>
      {chosen && facts.time !== undefined ? (
        <>
          <p className="px-2 mb-1">
            What is known at the cursor becomes a line of the sheet. It is fed its own output of earlier ticks, not what
            is measured, and runs beside the real one.
          </p>
          <div className="px-2 d-flex gap-2 align-items-center flex-wrap">
            <label className="d-flex gap-2 align-items-center text-nowrap">
              It gives
              <select
                className="form-select form-select-sm"
                aria-label="What the model gives"
                value={chosen.output}
                onChange={(e) => setWanted(e.target.value)}
              >
                {possible.map((p) => (
                  <option key={p.output}>{p.output}</option>
                ))}
              </select>
            </label>
            <Button variant="primary" size="sm" onClick={keep} data-testid="keep-model">
              <Snowflake size={13} aria-hidden /> Keep as it is at {formatNumber(facts.time, 4)} s
            </Button>
          </div>
          {unsure.length > 0 && (
            <p className="px-2 mb-0 pt-1 now-ink" data-testid="unsure">
              Not known yet at this moment: {unsure.map((v) => `the value ${v.label}`).join(', ')}. Two deviations are
              more than the value itself.
            </p>
          )}
          <p className="px-2 py-1 mono learnt-line">{chosen.model.text}</p>
        </>
      ) : (
        <p className="px-2 quiet">{why ?? 'There is nothing it could give.'}</p>
      )}
    </section>
  );
}

function Follows({ path, recording, own, of }: Props & { readonly own: string; readonly of: string }) {
  const [typed, setTyped] = useState<number>();
  const cursor = useRuns((s) => s.cursor);
  const found = useMemo(() => {
    const [y, m] = [recording.column(fullName(path, of)), recording.column(fullName(path, own))];
    if (!y || !m) return undefined;
    const rows = Array.from({ length: recording.rows }, (_, k) => k);
    const time = rows.map((r) => recording.time[r]);
    return { time, unit: y.unit, measured: rows.map((r) => y.values[r]), own: rows.map((r) => m.values[r]) };
  }, [recording, path, of, own]);
  const span = found ? Math.max(...found.measured) - Math.min(...found.measured) : 0;
  // a tenth of the way it goes, in one digit
  const band = typed ?? Number((span / 10).toPrecision(1));
  const said = useMemo(() => found && following(found.time, found.measured, found.own, band), [found, band]);
  const curves = useMemo<Curve[]>(() => {
    if (!found) return [];
    const every = Math.max(1, Math.ceil(found.time.length / 3000));
    const thin = (v: readonly number[]): readonly number[] => v.filter((_, k) => k % every === 0);
    return [
      { name: of, x: thin(found.time), y: thin(found.measured) },
      { name: own, x: thin(found.time), y: thin(found.own), isDashed: true },
    ];
  }, [found, of, own]);
  const marks = useMemo(
    () => [
      { axis: 'x' as const, at: cursor, name: '' },
      ...(said?.within && said.ends ? [{ axis: 'x' as const, at: said.within.to, name: 'leaves the band' }] : []),
    ],
    [cursor, said],
  );
  return (
    <section data-testid="follows">
      <h3 className="plot-title">
        {own} beside {of}
      </h3>
      {!found || !said ? (
        <p className="px-2 quiet">Run the setup once more: the run at hand does not have {own} yet.</p>
      ) : (
        <>
          <p className="px-2 mb-1" data-testid="follows-told">
            {followsWords(said, withUnit(formatNumber(band, 3), found.unit))}
          </p>
          <div className="px-2 d-flex gap-2 align-items-center">
            Band
            <span className="short-field">
              <NumberCell
                label={`Band around ${of}`}
                value={band}
                unit={found.unit}
                onNumber={(x) => {
                  if (!(x > 0)) return { severity: 'error', code: 'number', message: 'The band is a number above 0' };
                  setTyped(x);
                  return undefined;
                }}
              />
            </span>
            <span className="quiet">{found.unit}</span>
          </div>
          <XyPlot
            label={`${own} beside ${of}`}
            curves={curves}
            xName="time, s"
            yName={found.unit}
            height={170}
            marks={marks}
          />
        </>
      )}
    </section>
  );
}

function followsWords({ within, begins, ends, fit }: Following, band: string): string {
  if (!within) return `It is never within ${band}.`;
  const share = within.fit === undefined ? '' : `: fit ${formatNumber(within.fit, 3)} %`;
  if (!begins && !ends) return `It stays within ${band} all the time${share}.`;
  const span = `from ${formatNumber(within.from, 4)} to ${formatNumber(within.to, 4)} s`;
  return `It stays within ${band} ${span}${share}. ${ends ? 'Then it leaves the band. ' : ''}Over the whole run the fit is ${formatNumber(fit, 3)} %.`;
}
