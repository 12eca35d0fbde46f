'use client';
import { Trash2 } from 'lucide-react';
import { samplingMethods } from '@/core/project/document';
import type { Problem } from '@/core/language/diagnostics';
import type { SignalSheet } from '@/core/project/project';
import { circlesIn } from '@/core/signals/sheet-picture';
import { fullName, problemsAt, useSetup } from '@/store/derived';
import { canHear, hasLine, hear } from '@/store/heard';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { withUnit } from '@/ui/format';
import { deleteWithImpact } from '@/ui/impact';
import { useMoment } from '@/ui/moment';
import { MakeSampled } from './make-sampled';
import { delayInCircle, type SheetAtHand } from './sheet-edits';

const methodWords: Readonly<Record<(typeof samplingMethods)[number], string>> = {
  hold: 'hold: what went in is kept from tick to tick',
  tustin: 'Tustin: with the mean of before and now',
  backward: 'backward: with what goes in now',
};

/** What a sheet is called and when it is computed; a wire, where one is chosen. */
export function SheetDetails({
  at,
  path,
  wireId,
}: {
  readonly at: SheetAtHand;
  readonly path: string | undefined;
  readonly wireId: string | undefined;
}) {
  const { type, sheet, picture, around } = at;
  const { edit } = useProject.getState();
  const { select, go } = usePlace.getState();
  const problems = useProject((s) => s.problems);
  const moment = useMoment();
  const address = `type/${type.id}/signals/${sheet.id}`;
  const change = (changes: Partial<SignalSheet>, label: string): Problem | undefined =>
    edit({ kind: 'update', list: `type/${type.id}/signals`, id: sheet.id, changes }, label);
  const own = problemsAt(problems, address).filter((p) => !p.place!.startsWith(`${address}/line/`));
  const wrongAt = (key: string): string | undefined => own.find((p) => p.place === `${address}/${key}`)?.message;
  const wire = wireId === undefined ? undefined : picture.wires.find((w) => w.id === wireId);
  const setup = useSetup();
  const isSampled = sheet.every.trim() !== '';
  const circles = circlesIn(picture);
  const nameOf = (id: string): string => picture.cards.find((c) => c.id === id)?.name ?? '';
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 1, minWidth: 0 }}>
          <CellField
            value={sheet.name}
            label="Name of the sheet"
            onCommit={(name) => change({ name }, `Rename ${sheet.name}`)}
          />
        </h2>
        <Button
          variant="bare"
          label={`Delete the sheet ${sheet.name}`}
          onClick={() =>
            deleteWithImpact(
              address,
              { kind: 'remove', list: `type/${type.id}/signals`, id: sheet.id },
              `Delete ${sheet.name}`,
              () => go({ sheet: '', item: '' }),
            )
          }
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2" data-testid="sheet-details">
        {wire && (
          <>
            <h3 className="section-title">
              Wire <span className="mono">{wire.name}</span>
            </h3>
            <div className="field-row">
              <label>At the cursor</label>
              <span className="mono">
                {(path !== undefined &&
                  withUnit(
                    moment.text(fullName(path, wire.name)),
                    moment.unit(fullName(path, wire.name)) || (around.unitOf(wire.name.split('.')) ?? ''),
                  )) ||
                  '–'}
              </span>
            </div>
            <p className="px-3 quiet mb-2">
              {wire.to ? `It goes to ${nameOf(wire.to.line)}, at ${wire.to.key}.` : 'It goes out of the part.'} t
              watches it, a puts something in between, Delete takes it away; its ends can be dragged.
            </p>
            {path !== undefined &&
              setup &&
              hasLine(setup, path) &&
              type.quantities.some((q) => q.name === wire.name && q.role !== 'constant') && (
                <label className="px-3 mb-2 d-flex gap-2 align-items-center">
                  <input
                    type="checkbox"
                    className="form-check-input mt-0"
                    checked={setup.heard.includes(fullName(path, wire.name))}
                    disabled={!setup.heard.includes(fullName(path, wire.name)) && !canHear(setup, path)}
                    onChange={(e) => hear(setup, fullName(path, wire.name), e.target.checked)}
                  />
                  told over the serial line in {setup.name}
                </label>
              )}
          </>
        )}
        <h3 className="section-title">When it is computed</h3>
        <FieldRow label="Every">
          <CellField
            value={sheet.every}
            label="Period of the sheet"
            mono
            placeholder="continuously"
            problem={wrongAt('every')}
            onCommit={(every) => change({ every: every.trim() }, `Change when ${sheet.name} is computed`)}
          />
        </FieldRow>
        {isSampled && (
          <>
            <FieldRow label="First tick">
              <CellField
                value={sheet.offset}
                label="Offset of the sheet"
                mono
                placeholder="at once"
                problem={wrongAt('offset')}
                onCommit={(offset) => change({ offset: offset.trim() }, `Change when ${sheet.name} begins`)}
              />
            </FieldRow>
            <FieldRow label="Blocks go by">
              <CellSelect
                value={sheet.method}
                label="Sampling method"
                options={samplingMethods.map((m) => [m, methodWords[m]] as const)}
                onCommit={(method) =>
                  void change({ method: method as SignalSheet['method'] }, `Change the method of ${sheet.name}`)
                }
              />
            </FieldRow>
          </>
        )}
        <p className="px-3 quiet">
          {isSampled
            ? 'Each line is computed once per tick and held until the next. What comes from elsewhere is taken as of the tick.'
            : "Empty, the lines hold at every moment. A period such as 1 'ms' makes it a sampled sheet."}
        </p>
        {!isSampled && picture.cards.length > 0 && (
          <MakeSampled
            key={sheet.id}
            at={at}
            onTake={(changes) => void change(changes, `Make ${sheet.name} sampled`)}
          />
        )}
        <FieldRow label="Note">
          <CellField
            value={sheet.note}
            label="Note of the sheet"
            multiline
            onCommit={(note) => change({ note }, `Change the note of ${sheet.name}`)}
          />
        </FieldRow>
        {circles.length > 0 && (
          <section data-testid="circles">
            <h3 className="section-title">Without memory in between</h3>
            {circles.slice(0, 5).map((ids) => (
              <div key={ids.join()} className="px-3 pb-2">
                <p className="mb-1">
                  {ids.map((id, k) => (
                    <span key={id}>
                      {k > 0 && ' → '}
                      <button
                        type="button"
                        className="btn btn-link p-0 mono"
                        style={{ fontSize: 'inherit' }}
                        onClick={() => select(`line/${id}`)}
                      >
                        {nameOf(id)}
                      </button>
                    </span>
                  ))}{' '}
                  → {nameOf(ids[0])}: these need each other at the same moment, and are solved together.
                </p>
                <Button
                  size="sm"
                  onClick={() => {
                    const made = delayInCircle(at, ids);
                    if (made && !edit(made.edit, made.label)) select(`line/${made.chosen![0]}`);
                  }}
                  title={
                    isSampled
                      ? 'What closes the circle comes one tick later'
                      : 'What closes the circle follows with a lag of 1 ms'
                  }
                >
                  {isSampled ? 'Put a delay of one tick into it' : 'Put a lag of 1 ms into it'}
                </Button>
              </div>
            ))}
          </section>
        )}
        <dl className="px-3 pt-1 small-facts">
          <dt>Lines</dt>
          <dd className="num">{picture.cards.length}</dd>
          <dt>Wires</dt>
          <dd className="num">{picture.wires.length}</dd>
          <dt>Problems</dt>
          <dd className="num">{problemsAt(problems, address).length}</dd>
        </dl>
      </div>
    </>
  );
}
