'use client';
import { useEffect, useRef } from 'react';
import { usePlace } from '@/store/place-store';
import type { PartType, Project, Quantity } from '@/core/project/project';
import { kindsFor, literal, rangeOf, resolutionOf, storageOf, type NumberKind } from '@/core/stepcode/number-kinds';
import type { KeptQuantity } from '@/core/stepcode/write-sources';
import { problemsAt } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { tryEdit } from '@/ui/names';
import { limitsText, readLimits } from '@/ui/limits-text';
import { useCode } from './use-code';

const kindNames: Readonly<Record<NumberKind, string>> = {
  usual: 'as usual',
  int8: 'int8',
  uint8: 'uint8',
  int16: 'int16',
  uint16: 'uint16',
  fixed8: 'fixed point, 8 bits',
  fixed16: 'fixed point, 16 bits',
  fixed32: 'fixed point, 32 bits',
};

/** How the quantities of software are kept in code: which numbers, how fine, and whether what a run met fits into them. */
export function NumbersSheet({
  project,
  type,
  part,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly part: string;
}) {
  const code = useCode(project, type);
  const problems = useProject((s) => s.problems);
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  const item = usePlace((s) => s.item);
  const rows = useRef<HTMLTableElement>(null);
  useEffect(() => void rows.current?.querySelector('tr.here')?.scrollIntoView({ block: 'nearest' }), [item]);
  const list = `type/${type.id}/quantity`;
  const shown = type.quantities.filter((q) => q.role !== 'constant' && q.type !== 'Boolean');
  const able = shown.filter((q) => q.type === 'Real' && q.number === 'usual' && q.min !== '' && q.max !== '');
  const fewer = shown.filter((q) => q.number !== 'usual');
  if (shown.length === 0)
    return (
      <div className="empty">
        <h3>No numbers of its own</h3>
        <p>
          {type.name} has no quantity that is a number: what it keeps are states and truths, as small as they can be.
        </p>
      </div>
    );
  const setAll = (those: readonly Quantity[], number: NumberKind, label: string): void =>
    tryEdit({ kind: 'update-all', list, updates: those.map((q) => ({ id: q.id, changes: { number } })) }, label);
  return (
    <div className="pane-body">
      <div className="code-bar">
        <span className="quiet">
          A fixed point is a whole number times a power of two: formulas of such numbers need no floating point.
        </span>
        <span style={{ flex: 1 }} />
        {able.length > 0 && (
          <Button
            size="sm"
            data-testid="fixed-for-all"
            onClick={() => setAll(able, 'fixed16', `Fixed point for ${able.length} quantities`)}
          >
            Fixed point for {able.length} with limits
          </Button>
        )}
        {fewer.length > 0 && (
          <Button size="sm" onClick={() => setAll(fewer, 'usual', 'All numbers as usual')}>
            All as usual
          </Button>
        )}
      </div>
      <table className="table numbers-table" data-testid="numbers" ref={rows}>
        <colgroup>
          <col style={{ width: '15%' }} />
          <col style={{ width: '13%' }} />
          <col style={{ width: 168 }} />
          <col style={{ width: '19%' }} />
          <col style={{ width: '17%' }} />
          <col />
        </colgroup>
        <thead>
          <tr>
            <th scope="col">Quantity</th>
            <th scope="col">Limits</th>
            <th scope="col">In code</th>
            <th scope="col">Goes from, to, in steps of</th>
            <th scope="col">{run ? `Met in ${run.setup}` : 'Met in a run'}</th>
            <th scope="col">Whether that fits</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((q) => (
            <NumberRow
              key={q.id}
              type={type}
              quantity={q}
              part={part}
              kept={code?.numbers.find((n) => n.quantity === q.name)}
              problem={
                problemsAt(problems, `${list}/${q.id}/number`)[0] ??
                code?.problems.find((p) => p.place === `${list}/${q.id}/number`)
              }
              chosen={item === `quantity/${q.id}`}
            />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function NumberRow({
  type,
  quantity: q,
  part,
  kept: inCode,
  problem,
  chosen,
}: {
  readonly type: PartType;
  readonly quantity: Quantity;
  readonly part: string;
  readonly kept: KeptQuantity | undefined;
  readonly problem: { readonly message: string; readonly severity: string } | undefined;
  readonly chosen: boolean;
}) {
  const set = (changes: Partial<Quantity>, what: string) =>
    useProject
      .getState()
      .edit({ kind: 'update', list: `type/${type.id}/quantity`, id: q.id, changes }, `Change the ${what} of ${q.name}`);
  const inRun = useMet(part === '' ? q.name : `${part}.${q.name}`);
  // what is given does not change in a run
  const given = q.role === 'parameter' ? literal(q.value) : undefined;
  const met = inRun ?? (given === undefined ? undefined : ([given, given] as const));
  const fit = useRuns((s) => s.current?.fits?.find((f) => f.part === part && f.quantity === q.name));
  const storage = inCode?.storage ?? storageOf(q, literal(q.min), literal(q.max));
  const kept = typeof storage === 'string' ? undefined : { ...inCode, quantity: q.name, storage };
  const range = kept && rangeOf(kept.storage);
  const [low, high] = range ?? [-Infinity, Infinity];
  const beyond = met && range ? [met[0] < low ? met[0] : [], met[1] > high ? met[1] : []].flat() : [];
  return (
    <tr
      data-quantity={q.name}
      className={chosen ? 'here' : undefined}
      onFocus={() => !chosen && usePlace.getState().select(`quantity/${q.id}`)}
    >
      <td>
        <span className="mono">{q.name}</span> {q.unit !== '1' && <span className="quiet">{q.unit}</span>}
      </td>
      <td>
        <CellField
          value={limitsText(q)}
          label={`Limits of ${q.name}`}
          mono
          placeholder="none"
          onCommit={(text) => {
            const read = readLimits(text);
            return 'message' in read ? read : set(read, 'limits');
          }}
        />
      </td>
      <td>
        <CellSelect
          value={q.number}
          label={`${q.name} in code`}
          options={kindsFor(q.type).map((k) => [
            k,
            k === 'usual' ? (q.type === 'Real' ? 'float32' : 'int32') : kindNames[k],
          ])}
          onCommit={(number) => set({ number: number as NumberKind }, 'number')}
        />
      </td>
      <td className="mono">
        {range ? (
          <>
            {formatNumber(range[0])} .. {formatNumber(range[1])}, {stepText(kept!)}
          </>
        ) : (
          <span className="quiet">–</span>
        )}
      </td>
      <td className="mono">{metText(met) || <span className="quiet">–</span>}</td>
      <td data-testid={`fit-${q.name}`}>
        {problem && q.number !== 'usual' ? (
          <div className={problem.severity === 'error' ? 'field-problem' : 'quiet'} role="alert">
            {problem.message}
          </div>
        ) : (
          kept && <Fits kept={kept} beyond={beyond} met={met} fit={fit} unit={q.unit} />
        )}
      </td>
    </tr>
  );
}

/** What is wrong with a number, the worst first; calm where nothing is. */
function Fits({
  kept,
  beyond,
  met,
  fit,
  unit,
}: {
  readonly kept: KeptQuantity;
  readonly beyond: readonly number[];
  readonly met: readonly [number, number] | undefined;
  readonly fit: { readonly beyond: number; readonly drift: number } | undefined;
  readonly unit: string;
}) {
  const step = resolutionOf(kept.storage);
  const drifts = fit && Math.abs(fit.drift) > 4 * step;
  const size = met ? Math.max(Math.abs(met[0]), Math.abs(met[1])) : 0;
  const isCoarse = met !== undefined && size > 0 && met[1] - met[0] > 0 && met[1] - met[0] < 16 * step;
  const words = [
    ...(fit && fit.beyond > 0 ? [`${fit.beyond} times beyond what it is kept in`] : []),
    ...(beyond.length > 0 ? [`${beyond.map((x) => formatNumber(x)).join(' and ')} would be beyond`] : []),
    ...(drifts ? [`rounding has added up to ${formatNumber(fit.drift)}${unit && ` ${unit}`}`] : []),
    ...(isCoarse ? [`all it did are ${Math.max(1, Math.round((met[1] - met[0]) / step))} steps`] : []),
  ];
  return (
    <>
      {words.length > 0 ? (
        <span style={{ color: 'var(--bad)' }}>{words.join('; ')}</span>
      ) : met ? (
        'yes'
      ) : (
        <span className="quiet">not run yet</span>
      )}
      {kept.float !== undefined && (
        <div className="quiet">
          worked out in float32
          {kept.float && (
            <>
              , as <span className="mono">{kept.float}</span> is one
            </>
          )}
        </div>
      )}
    </>
  );
}

const stepText = ({ storage }: KeptQuantity): string =>
  storage.places <= 0 ? String(2 ** -storage.places) : `1/${2 ** storage.places}`;

const metText = (met: readonly [number, number] | undefined): string =>
  met ? [...new Set(met.map((x) => formatNumber(x)))].join(' .. ') : '';

/** Least and most of a quantity in the run at hand. */
function useMet(name: string): readonly [number, number] | undefined {
  const data = useRuns((s) => s.current?.data);
  useRuns((s) => s.version);
  const column = data?.columns.get(name);
  if (!data || !column) return undefined;
  let [low, high] = [Infinity, -Infinity];
  for (let k = 0; k < data.rows; k++) {
    const x = column.values[k];
    if (x < low) low = x;
    if (x > high) high = x;
  }
  return low <= high ? [low, high] : undefined;
}
