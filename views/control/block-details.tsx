'use client';
import { Activity, Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import type { SignalLine } from '@/core/project/project';
import { signalBlocks } from '@/core/signals/catalogue';
import { responseFor } from '@/core/signals/responses';
import { argumentText, setArgument } from '@/core/signals/wiring';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { deleteWithImpact } from '@/ui/impact';
import { withUnit } from '@/ui/format';
import { FormulaEditor } from '@/ui/formula-editor';
import { namesIn } from '@/ui/known-names';
import { useMoment } from '@/ui/moment';
import { watch } from '@/ui/ribbon/watch';
import { TraceLinks } from '@/ui/trace-links';
import { ResponseCurve } from './block-search';
import { linesOf, type SheetAtHand } from './sheet-edits';

/** What stands on a chosen line: its name, its formula, what its block takes, what it is worth. */
export function BlockDetails({
  at,
  line,
  path,
}: {
  readonly at: SheetAtHand;
  readonly line: SignalLine;
  readonly path: string | undefined;
}) {
  const { project, type, sheet, picture, around } = at;
  const { edit } = useProject.getState();
  const { select, go } = usePlace.getState();
  const problems = useProject((s) => s.problems);
  const names = useMemo(
    () => [
      ...namesIn(project, type),
      ...[...at.names.lines.keys()].map((name) => ({
        name,
        kind: 'quantity' as const,
        detail: 'a line of this sheet',
      })),
      ...[...signalBlocks()[sheet.every.trim() === '' ? 'continuous' : 'sampled'].values()].map((b) => ({
        name: b.name,
        kind: 'function' as const,
        detail: b.description,
      })),
    ],
    [project, type, at.names, sheet.every],
  );
  const address = `type/${type.id}/signals/${sheet.id}/line/${line.id}`;
  const mine = useMemo(() => problemsAt(problems, address), [problems, address]);
  const card = picture.cards.find((c) => c.id === line.id);
  const put = (text: string, label: string): Problem | undefined =>
    edit({ kind: 'update', list: linesOf(at), id: line.id, changes: { text } }, label, `line-${line.id}`);
  const remove = (): void =>
    deleteWithImpact(
      address,
      { kind: 'remove', list: linesOf(at), id: line.id },
      `Delete ${card?.name || 'a note'}`,
      () => select(''),
    );
  if (!card)
    return (
      <>
        <div className="pane-head">
          <h2 style={{ flex: 1 }}>Note</h2>
          <Button variant="bare" label="Delete the note" onClick={remove}>
            <Trash2 size={14} aria-hidden />
          </Button>
        </div>
        <div className="pane-body p-3">
          <CellField
            value={line.text.replace(/^\s*\/\/ ?/, '')}
            label="Text of the note"
            multiline
            onCommit={(text) => put(`// ${text.replace(/\s+/g, ' ').trim()}`, 'Change a note')}
          />
          <p className="quiet mt-2 mb-0">In the lines it is a comment. Drag a corner of it to change its size.</p>
        </div>
      </>
    );
  const watched = path === undefined ? [] : card.outputs.map((o) => fullName(path, o));
  const isQuantity = type.quantities.some((q) => q.name === card.name);
  const rename = (to: string): Problem | undefined => {
    // a quantity keeps its name; the line gives another one
    if (isQuantity || card.unread !== undefined || type.quantities.some((q) => q.name === to))
      return put(`${to} ${line.text.slice(line.text.indexOf('='))}`, `Let the line give ${to}`);
    return edit({ kind: 'rename-declared', type: type.id, name: card.name, to }, `Rename ${card.name}`);
  };
  const equals = line.text.indexOf('=');
  const shift = equals + 1 + /^\s*/.exec(line.text.slice(equals + 1))![0].length;
  const formulaProblems = mine.map((p): Problem => {
    if (!p.span) return p;
    const { fixes: _, ...rest } = p;
    return { ...rest, span: { start: Math.max(0, p.span.start - shift), end: Math.max(0, p.span.end - shift) } };
  });
  const { block } = card;
  const form = sheet.every.trim() === '' ? 'continuous' : 'sampled';
  const response = block && responseFor(`${form} ${block.name}`);
  const inner = card.typeId === undefined ? undefined : project.types.find((t) => t.id === card.typeId);
  return (
    <>
      <div className="pane-head">
        <h2 style={{ flex: 1, minWidth: 0 }}>
          <CellField value={card.name} label="Name of the line" mono onCommit={rename} />
        </h2>
        <Button
          variant="bare"
          label={`Watch ${card.name} in the ribbon`}
          disabled={watched.length === 0}
          onClick={(e) => watch(watched, e.shiftKey)}
        >
          <Activity size={14} aria-hidden />
        </Button>
        <Button variant="bare" label={`Delete the line ${card.name}`} onClick={remove}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div className="pane-body pt-2" data-testid="block-details">
        <div className="px-3 pb-2" data-testid="formula-of-line">
          <FormulaEditor
            key={line.id}
            inline
            value={equals < 0 ? line.text : line.text.slice(shift)}
            label={`Formula of ${card.name}`}
            problems={formulaProblems}
            names={names}
            onChange={(formula) => {
              const text = equals < 0 ? formula : line.text.slice(0, shift) + formula;
              if (text !== line.text) put(text, `Change the formula of ${card.name}`);
            }}
          />
        </div>
        {card.outputs.map((output) => (
          <OutputRow
            key={output}
            label={card.outputs.length > 1 ? output : 'At the cursor'}
            full={path === undefined ? undefined : fullName(path, output)}
            unit={around.unitOf(output.split('.')) ?? ''}
          />
        ))}
        {block && (
          <>
            <h3 className="section-title">{inner ? inner.name : block.name}</h3>
            {block.description && <p className="px-3 mb-1">{block.description}</p>}
            {inner && (
              <p className="px-3 mb-1">
                <button
                  type="button"
                  className="btn btn-link p-0"
                  style={{ fontSize: 'inherit' }}
                  onClick={() =>
                    go({
                      area: 'control',
                      type: inner.id,
                      part:
                        path === undefined
                          ? ''
                          : fullName(path, card.outputs.length > 1 ? card.name : `${card.name}_${inner.name}`),
                      sheet: '',
                    })
                  }
                >
                  Open its sheet
                </button>
              </p>
            )}
            {block.takes.map((t) => (
              <div className="setting" key={t.name} title={t.note}>
                <label>
                  <span className="mono">{t.name}</span> {t.note && <small className="quiet">{t.note}</small>}
                </label>
                <CellField
                  value={argumentText(card, t.name)}
                  label={`${t.name} of ${card.name}`}
                  mono
                  placeholder={t.hasDefault ? t.defaultText || 'no limit' : 'nothing feeds it'}
                  onCommit={(text) => put(setArgument(card, t.name, text.trim()), `Change ${t.name} of ${card.name}`)}
                />
              </div>
            ))}
            {response && (
              <div className="px-3 pt-2">
                <ResponseCurve response={response} />
              </div>
            )}
            {block.info && <p className="quiet documentation px-3">{block.info}</p>}
          </>
        )}
        <TraceLinks address={address} what={card.name} />
      </div>
    </>
  );
}

/** What comes out, at the cursor. */
function OutputRow({
  label,
  full,
  unit,
}: {
  readonly label: string;
  readonly full: string | undefined;
  readonly unit: string;
}) {
  const moment = useMoment();
  const now = full === undefined ? '' : moment.text(full);
  return (
    <div className="field-row">
      <label>{label}</label>
      <span className="mono">
        {full === undefined ? (
          '–'
        ) : (
          <DraggableName name={full} from="control">
            {now === '' ? '–' : withUnit(now, moment.unit(full) || unit)}
          </DraggableName>
        )}
      </span>
    </div>
  );
}
