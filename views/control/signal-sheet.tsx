'use client';
import { AlignStartVertical, Box, ChevronDown, PanelRight, Plus, Sparkles } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import type { Problem } from '@/core/language/diagnostics';
import { copyAsOwn, makePartType, unfold, type BoxChange } from '@/core/signals/boxes';
import type { SheetOffer } from '@/core/signals/offers';
import { linesFromText, sheetText } from '@/core/signals/sheet-text';
import { useChoice } from '@/store/choice';
import { fullName } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { addSignalSheet } from '@/ui/editing/make';
import { withUnit } from '@/ui/format';
import { FormulaEditor } from '@/ui/formula-editor';
import { namesIn } from '@/ui/known-names';
import { useMoment } from '@/ui/moment';
import type { KnownName } from './block-search';
import { ControlChoice } from './control-choice';
import { FromFile } from './from-file';
import { alignments, type SheetAtHand } from './sheet-edits';
import { SignalDrawing } from './signal-drawing';

/** How a sheet is computed, in a few words. */
export const rateOf = (sheet: SheetAtHand['sheet']): string =>
  sheet.every.trim() === ''
    ? 'continuous'
    : `every ${sheet.every.replace(/'/g, '')}${sheet.offset.trim() === '' ? '' : ` from ${sheet.offset.replace(/'/g, '')} on`}`;

/** One signal sheet: its drawing leads, its text stands beside it or is folded away. */
export function SignalSheetView({
  at,
  path,
  known,
  partTypes,
}: {
  readonly at: SheetAtHand;
  readonly path: string | undefined;
  readonly known: readonly KnownName[];
  readonly partTypes: readonly SheetOffer[];
}) {
  const { project, type, sheet, picture, names, around } = at;
  const { go, say } = usePlace.getState();
  const { edit } = useProject.getState();
  const item = usePlace((s) => s.item);
  const together = useChoice((s) => s.addresses);
  const [withText, setWithText] = useState(false);
  const [search, setSearch] = useState('');
  const address = `type/${type.id}/signals/${sheet.id}`;
  const chosen = new Set(
    (together.length > 0 ? together : item.startsWith('line/') ? [`${address}/${item}`] : []).map((a) =>
      a.slice(a.lastIndexOf('/') + 1),
    ),
  );
  const cards = picture.cards.filter((c) => chosen.has(c.id));
  const own = cards.length === 1 ? cards[0] : undefined;
  const carryOut = (change: BoxChange | Problem): void => {
    if (!('edit' in change)) return say(change.message);
    const refused = edit(change.edit, change.label);
    if (refused) return say(refused.message);
    useChoice.getState().choose(change.lines.map((id) => `${address}/line/${id}`));
  };
  const newId = (): string => nanoid(8);
  const make = (): void => {
    let name = '';
    const nameFor = (result: string): string => {
      const stem = `${result.replace(/^./, (c) => c.toUpperCase())}Part`;
      name = stem;
      for (let k = 2; project.types.some((t) => t.name === name); k++) name = `${stem}${k}`;
      return name;
    };
    const lines = new Set(sheet.lines.flatMap((l) => (chosen.has(l.id) ? [l.id] : [])));
    const change = makePartType(project, type, sheet, lines, around, nameFor, newId);
    carryOut(change);
    if ('edit' in change)
      say(`${name} is a part type now: open its card to see its lines, or rename it in Product`, 'note');
  };
  const hits =
    search.trim() === '' ? [] : picture.cards.filter((c) => c.text.toLowerCase().includes(search.trim().toLowerCase()));
  const jump = (): void => {
    const now = hits.findIndex((c) => item === `line/${c.id}`);
    const next = hits[(now + 1) % hits.length];
    if (next) usePlace.getState().select(`line/${next.id}`);
  };
  return (
    <>
      <div className="pane-head">
        <SheetPicker at={at} />
        <ControlChoice />
        <button
          type="button"
          className="btn btn-link p-0 text-nowrap rate"
          title="How it is computed: change it in the details"
          onClick={() => usePlace.getState().select('')}
          data-testid="rate"
        >
          {rateOf(sheet)}
        </button>
        <span style={{ flex: 1 }} />
        <span className="sheet-search">
          <input
            className="form-control form-control-sm"
            placeholder="Search the sheet"
            aria-label="Search the sheet"
            value={search}
            onChange={(e) => setSearch(e.target.value)}
            onKeyDown={(e) => e.key === 'Enter' && jump()}
          />
          {search.trim() !== '' && <span className="num quiet">{hits.length}</span>}
        </span>
        <Button
          className={withText ? 'active' : ''}
          aria-pressed={withText}
          onClick={() => setWithText(!withText)}
          title="The lines as text, beside the drawing"
        >
          <PanelRight size={14} aria-hidden /> Lines
        </Button>
      </div>
      <div className={`signal-split${withText ? ' with-text' : ''}`}>
        <div className="inside-sheet">
          <SignalDrawing
            project={project}
            type={type}
            sheet={sheet}
            path={path}
            picture={picture}
            names={names}
            around={around}
            known={known}
            partTypes={partTypes}
            lookedFor={search.trim() === '' ? undefined : hits}
            bar={(drawing) => (
              <div className="type-tray" aria-label="What can be done on the sheet">
                <Button onClick={drawing.add} title="Add a block, an operation or a name (a)">
                  <Plus size={14} aria-hidden /> Add
                </Button>
                <FromFile at={at} onAdd={drawing.put} />
                <Button onClick={drawing.tidy} disabled={drawing.isTidying || picture.cards.length === 0}>
                  <Sparkles size={14} aria-hidden />{' '}
                  {drawing.isTidying ? 'Tidying …' : cards.length > 1 ? 'Tidy these' : 'Tidy'}
                </Button>
                {chosen.size > 1 && (
                  <Dropdown>
                    <Dropdown.Toggle as="button" type="button" className="btn picker">
                      <AlignStartVertical size={14} aria-hidden /> Align <ChevronDown size={13} aria-hidden />
                    </Dropdown.Toggle>
                    <Dropdown.Menu>
                      {alignments.map(([how, what]) => (
                        <Dropdown.Item as="button" key={how} onClick={() => drawing.align(how)}>
                          {what}
                        </Dropdown.Item>
                      ))}
                    </Dropdown.Menu>
                  </Dropdown>
                )}
                {cards.length > 0 && own?.typeId === undefined && (
                  <Button
                    onClick={make}
                    title="The chosen lines become a part type of their own; names that cross its border its inputs and output"
                  >
                    <Box size={14} aria-hidden /> Make a part type
                  </Button>
                )}
                {own?.typeId !== undefined && (
                  <>
                    <Button
                      onClick={() => carryOut(copyAsOwn(project, type, sheet, own.id, around, newId))}
                      title="A part type of its own, so that changing it changes nothing else"
                    >
                      Copy as its own
                    </Button>
                    <Button
                      onClick={() => carryOut(unfold(project, type, sheet, own.id, around, newId))}
                      title="Its lines come back onto this sheet"
                    >
                      Unfold
                    </Button>
                  </>
                )}
                <span className="quiet ms-auto text-truncate tray-hint">
                  {cards.length > 1
                    ? `${cards.length} chosen`
                    : own
                      ? 'w wires it, t watches it, Enter edits its formula'
                      : 'a adds, drag from card to card to wire'}
                </span>
              </div>
            )}
            empty={
              <div className="empty">
                <h3>Type what you want</h3>
                <p>
                  “low pass”, “saturation”, “∫”, or “+”: what is found is put here. Each card is a line{' '}
                  <span className="mono">name = formula</span>; drag from the right of a card to another one to wire it.
                </p>
              </div>
            }
          />
        </div>
        {withText && <SheetLines at={at} path={path} />}
      </div>
    </>
  );

  function SheetPicker({ at: { type: t, sheet: s } }: { readonly at: SheetAtHand }) {
    return (
      <Dropdown>
        <Dropdown.Toggle as="button" type="button" className="btn picker" data-testid="sheet-picker">
          <span className="type-tag">{t.name}</span> <strong>{s.name}</strong> <ChevronDown size={13} aria-hidden />
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {t.signals.map((x) => (
            <Dropdown.Item
              as="button"
              key={x.id}
              active={x === s}
              onClick={() => go({ sheet: `signals/${x.id}`, item: '' })}
            >
              {x.name} <span className="quiet ms-2">{rateOf(x)}</span>
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item as="button" onClick={() => addSignalSheet(project, t)}>
            New signal sheet
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
    );
  }
}

/** The lines of a sheet as one text. */
function SheetLines({ at, path }: { readonly at: SheetAtHand; readonly path: string | undefined }) {
  const { project, type, sheet, around } = at;
  const problems = useProject((s) => s.problems);
  const { edit } = useProject.getState();
  const { say, select } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const now = useMoment();
  const address = `type/${type.id}/signals/${sheet.id}`;
  const text = sheetText(sheet);
  const names = useMemo(() => namesIn(project, type), [project, type]);
  const starts = useMemo(() => {
    const found = new Map<string, number>();
    let from = 0;
    for (const l of sheet.lines) {
      found.set(l.id, from);
      from += l.text.length + 1;
    }
    return found;
  }, [sheet.lines]);
  const mine = useMemo(
    () =>
      problems.flatMap((p): Problem[] => {
        if (!p.place?.startsWith(`${address}/line/`)) return [];
        const id = p.place.slice(address.length + 6).split('/')[0];
        const from = starts.get(id);
        const line = sheet.lines.find((l) => l.id === id);
        if (from === undefined || !line) return [];
        const span = p.span ?? { start: 0, end: line.text.length };
        const { fixes: _, ...rest } = p;
        return [{ ...rest, span: { start: from + span.start, end: from + Math.max(span.end, span.start + 1) } }];
      }),
    [problems, address, starts, sheet.lines],
  );
  const change = (next: string): void => {
    if (next === text) return;
    const lines = linesFromText(sheet.lines, next, () => `z-${nanoid(8)}`);
    const refused = edit(
      { kind: 'update', list: `type/${type.id}/signals`, id: sheet.id, changes: { lines } },
      `Write ${sheet.name}`,
      `lines-${sheet.id}`,
    );
    if (refused) say(refused.message);
  };
  const valueOf = (name: string): string | undefined => {
    if (path === undefined) return undefined;
    const value = now.text(fullName(path, name));
    return value === '' ? undefined : withUnit(value, now.unit(fullName(path, name)) || (around.unitOf([name]) ?? ''));
  };
  const choose = (where: number): void => {
    const line = [...starts].findLast(([, from]) => from <= where);
    if (line && item !== `line/${line[0]}`) select(`line/${line[0]}`);
  };
  return (
    <div className="signal-text" data-testid="signal-text">
      <FormulaEditor
        key={sheet.id}
        value={text}
        label={`Lines of ${sheet.name}`}
        onChange={change}
        problems={mine}
        names={names}
        readValue={valueOf}
        lineValues
        moment={now}
        onCursor={choose}
        minHeight="100%"
      />
    </div>
  );
}
