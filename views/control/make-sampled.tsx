'use client';
import { useEffect, useMemo, useRef, useState } from 'react';
import { samplingMethods } from '@/core/project/document';
import type { SignalSheet } from '@/core/project/project';
import type { ComparedForms } from '@/core/probe/compare-forms';
import { askForms, type Asked } from '@/store/control-service';
import { Button } from '@/ui/button';
import { FieldRow } from '@/ui/field-row';
import { formatNumber } from '@/ui/format';
import { useHandler } from '@/ui/use-handler';
import { XyPlot } from '@/ui/xy-plot';
import type { SheetAtHand } from './sheet-edits';

/** What a continuous sheet would do from tick to tick, before it is made so. */
export function MakeSampled({
  at,
  onTake,
}: {
  readonly at: SheetAtHand;
  readonly onTake: (changes: Partial<SignalSheet>) => void;
}) {
  const { project, type, sheet, picture } = at;
  const inputs = type.quantities.filter((q) => q.role === 'input' && q.type === 'Real').map((q) => q.name);
  const outputs = picture.cards.flatMap((c) => c.outputs);
  const [every, setEvery] = useState("1 'ms'");
  const [method, setMethod] = useState<SignalSheet['method']>('hold');
  const [to, setTo] = useState('');
  const [found, setFound] = useState<ComparedForms>();
  const [wrong, setWrong] = useState<string>();
  const [busy, setBusy] = useState(false);
  const asked = useRef<Asked<ComparedForms>>(undefined);
  useEffect(() => () => asked.current?.stop(), []);
  const y = outputs.includes(to)
    ? to
    : (type.quantities.find((q) => q.role === 'output' && outputs.includes(q.name))?.name ?? outputs.at(-1));
  const compare = useHandler(async (): Promise<void> => {
    if (inputs[0] === undefined || y === undefined) return;
    setBusy(true);
    setWrong(undefined);
    const work = askForms(project, { type: type.id, sheet: sheet.id, every, method, from: inputs[0], to: y });
    asked.current = work;
    try {
      const answer = await work.answer;
      if (!answer) return;
      setFound(answer.value);
      if (!answer.value)
        setWrong(
          answer.problems
            .map((p) => p.message)
            .slice(0, 2)
            .join(' · ') || 'It could not be compared',
        );
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  });
  const curves = useMemo(
    () =>
      found
        ? [
            { name: 'continuous', x: found.time, y: found.continuous },
            { name: 'sampled', x: found.time, y: found.sampled, isDashed: true },
          ]
        : [],
    [found],
  );
  const difference = useMemo(
    () =>
      found ? [{ name: 'difference', x: found.time, y: found.continuous.map((v, k) => v - found.sampled[k]) }] : [],
    [found],
  );
  return (
    <section data-testid="make-sampled">
      <h3 className="section-title">Make it sampled</h3>
      <FieldRow label="Every">
        <input
          className="form-control form-control-sm mono"
          aria-label="Period to try"
          value={every}
          onChange={(e) => setEvery(e.target.value)}
        />
      </FieldRow>
      <FieldRow label="Blocks go by">
        <select
          className="form-select form-select-sm"
          aria-label="Method to try"
          value={method}
          onChange={(e) => setMethod(e.target.value as SignalSheet['method'])}
        >
          {samplingMethods.map((m) => (
            <option key={m}>{m}</option>
          ))}
        </select>
      </FieldRow>
      {inputs.length > 0 && outputs.length > 0 && (
        <FieldRow label="Step to">
          <select
            className="form-select form-select-sm"
            aria-label="Looked at"
            value={y}
            onChange={(e) => setTo(e.target.value)}
          >
            {outputs.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </FieldRow>
      )}
      <div className="px-3 py-1 d-flex gap-2">
        <Button onClick={() => void compare()} disabled={busy || inputs.length === 0 || outputs.length === 0}>
          {busy ? 'Comparing …' : 'Compare'}
        </Button>
        <Button onClick={() => onTake({ every: every.trim(), method })} disabled={every.trim() === ''}>
          Make it so
        </Button>
      </div>
      {inputs.length === 0 && <p className="px-3 quiet">To be compared it needs an input of the part type.</p>}
      {wrong !== undefined && (
        <p className="px-3 field-problem" role="alert">
          {wrong}
        </p>
      )}
      {found && (
        <div className="px-2">
          <XyPlot label="Both forms" curves={curves} xName="time, s" yName="" height={130} />
          <XyPlot label="Difference of the forms" curves={difference} xName="time, s" yName="" height={90} />
          <p className="px-1 quiet" data-testid="forms-difference">
            They differ by {formatNumber(100 * found.difference, 3)} % of the largest value at most, for a step by 1 at{' '}
            {inputs[0]}.
          </p>
        </div>
      )}
    </section>
  );
}
