'use client';
import { useEffect, useMemo, useRef, useState, type MouseEvent } from 'react';
import type { ModelStructure } from '@/core/analysis/structure';
import { physicsEquations } from '@/core/project/equations';
import { elementIndex } from '@/core/trace/elements';
import { useHere } from '@/store/derived';
import { goTo } from '@/store/locate';
import { askStructure, type TypeStructure } from '@/store/checking';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import './structure.scss';

/** Equations, or the way they are solved. */
export function PhysicsChoice() {
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  const at = sheet.split('/')[0];
  const choice = (name: string, text: string) => (
    <Button active={at === name} aria-pressed={at === name} onClick={() => go({ sheet: name })}>
      {text}
    </Button>
  );
  return (
    <span className="btn-group btn-group-sm flex-shrink-0" role="group" aria-label="What of the physics">
      {choice('', 'Equations')}
      {choice('network', 'Network')}
      {choice('relations', 'Relations')}
      {choice('structure', 'Solution')}
      {choice('shared', 'Shared')}
    </span>
  );
}

/** Whether a part type has as many equations as unknowns, and the order in which they are solved. */
export function StructureSheet() {
  const { type, project } = useHere();
  const [found, setFound] = useState<TypeStructure>();
  const [at, setAt] = useState<{ row: number; column: number }>();
  useEffect(() => {
    if (!project || !type) return;
    let wanted = true;
    const timer = setTimeout(
      () =>
        void askStructure(type.id)
          .then((s) => wanted && setFound(s))
          .catch(() => undefined),
      120,
    );
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [project, type]);
  if (!project || !type) return null;
  const s = found?.structure;
  const open = (row: number): void => {
    const r = s?.rows[row];
    const owner = project.types.find((t) => r?.place.startsWith(`type/${t.id}/`));
    const equation = owner && physicsEquations(owner).find((e) => e.span.start === r?.start);
    if (r && owner && equation && r.place.endsWith('/physics')) goTo(`type/${owner.id}/equation/${equation.id}`);
    // links, charts and requirements give equations too
    else if (r && project && elementIndex(project).byAddress.has(r.place)) goTo(r.place);
    else if (r)
      usePlace.getState().say(`“${r.text}” is written in the library of parts, or follows from how parts are linked`);
  };
  /** Where an unknown is declared: a quantity of the type, or of a part inside it. */
  const openName = (name: string): void => {
    const [first, second] = name
      .replace(/^der\((.*)\)$/, '$1')
      .replace(/\[[^\]]*\]/g, '')
      .split('.');
    const own = type.quantities.find((q) => q.name === first);
    const part = type.parts.find((p) => p.name === first);
    const inner = part && project.types.find((t) => t.id === part.type);
    const quantity = inner?.quantities.find((q) => q.name === second);
    if (own) return usePlace.getState().go({ area: 'product', part: '', type: type.id, item: `quantity/${own.id}` });
    if (inner && quantity)
      return usePlace.getState().go({ area: 'product', part: '', type: inner.id, item: `quantity/${quantity.id}` });
    usePlace.getState().go({
      area: 'product',
      part: '',
      type: type.id,
      sheet: 'inside',
      item: part ? `part/${part.id}` : `declared/${first}`,
    });
  };
  const give = (name: string, role: 'input' | 'parameter'): void => {
    const own = type.quantities.find((q) => q.name === name);
    if (own)
      useProject.getState().edit(
        {
          kind: 'update',
          list: `type/${type.id}/quantity`,
          id: own.id,
          changes: { role, value: own.value || '0' },
        },
        `Make ${name} ${role === 'input' ? 'an input' : 'a parameter'}`,
      );
  };
  const isOwn = (name: string): boolean => type.quantities.some((q) => q.name === name);
  return (
    <>
      <div className="pane-head">
        <h2>
          Physics of <span className="type-tag">{type.name}</span>
        </h2>
        <PhysicsChoice />
        {s && <Balance structure={s} />}
      </div>
      <div className="pane-body structure-sheet" data-testid="structure">
        {found && !s && (
          <div className="empty">
            <h3>The equations cannot be read yet</h3>
            <ul className="text-start">
              {found.problems.slice(0, 6).map((p, k) => (
                <li key={k}>{p.message}</li>
              ))}
            </ul>
          </div>
        )}
        {s && s.rows.length === 0 && (
          <div className="empty">
            <h3>Nothing to solve</h3>
            <p>This part type has no equations of its own, and nothing inside it has.</p>
          </div>
        )}
        {s && s.rows.length > 0 && (
          <div className="structure-columns">
            <figure>
              <figcaption className="quiet">
                {at ? (
                  <Where structure={s} at={at} />
                ) : (
                  'Each row is an equation, each column an unknown, in the order in which they are solved. Derivatives are coloured, framed equations are solved together. Point at a cell to read it; press it to go to its equation, with Shift to its unknown.'
                )}
              </figcaption>
              <div className="incidence-box">
                <Incidence structure={s} at={at} look={setAt} open={open} openName={openName} />
              </div>
            </figure>
            <Facts structure={s} open={open} openName={openName} give={give} isOwn={isOwn} />
          </div>
        )}
      </div>
    </>
  );
}

function Balance({ structure: s }: { readonly structure: ModelStructure }) {
  const words = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  const fits = s.equations === s.unknowns && s.solved;
  return (
    <span className="text-truncate" data-testid="balance">
      <strong style={{ color: fits ? 'var(--good)' : 'var(--bad)' }}>
        {s.equations === s.unknowns
          ? s.solved
            ? 'balanced'
            : 'equal numbers, not solvable'
          : s.equations < s.unknowns
            ? words(s.unknowns - s.equations, 'equation') + ' missing'
            : words(s.equations - s.unknowns, 'equation') + ' too many'}
      </strong>
      <span className="quiet">
        {' '}
        {words(s.equations, 'equation')}, {words(s.unknowns, 'unknown')}
        {s.closing > 0 && `; with its ports open ${s.equations - s.closing} equations`}
      </span>
    </span>
  );
}

function Where({
  structure: s,
  at,
}: {
  readonly structure: ModelStructure;
  readonly at: { row: number; column: number };
}) {
  const row = s.rows[at.row],
    column = s.columns[at.column];
  return (
    <>
      {row && (
        <span className="mono">
          {row.part && <span className="quiet">{row.part}: </span>}
          {row.text}
        </span>
      )}
      {row?.excess && ' has no unknown of its own'}
      {column && (
        <>
          {' '}
          · <span className="mono">{column.name}</span>
          {column.open ? ' is determined by nothing' : column.torn ? ' is found by iteration' : ''}
        </>
      )}
    </>
  );
}

/** Of larger models only the beginning is drawn. */
const largest = 400;

/** The picture of which unknown stands in which equation. */
function Incidence({
  structure: s,
  at,
  look,
  open,
  openName,
}: {
  readonly structure: ModelStructure;
  readonly at: { row: number; column: number } | undefined;
  readonly look: (at: { row: number; column: number } | undefined) => void;
  readonly open: (row: number) => void;
  readonly openName: (name: string) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const rows = Math.min(largest, s.rows.length),
    columns = Math.min(largest, s.columns.length);
  const cell = Math.max(2, Math.min(18, Math.floor(400 / Math.max(rows, columns))));
  const theme = usePlace((x) => x.theme);
  useEffect(() => {
    const el = canvas.current;
    const g = el?.getContext('2d');
    if (!el || !g) return;
    const ratio = window.devicePixelRatio || 1;
    el.width = columns * cell * ratio;
    el.height = rows * cell * ratio;
    g.scale(ratio, ratio);
    const style = getComputedStyle(el);
    const colour = (name: string): string => style.getPropertyValue(name).trim();
    g.fillStyle = colour('--card');
    g.fillRect(0, 0, columns * cell, rows * cell);
    g.fillStyle = colour('--bad-soft');
    for (let r = 0; r < rows; r++) if (s.rows[r].excess) g.fillRect(0, r * cell, columns * cell, cell);
    for (let c = 0; c < columns; c++) if (s.columns[c].open) g.fillRect(c * cell, 0, cell, rows * cell);
    if (at) {
      g.fillStyle = colour('--hair');
      g.fillRect(0, at.row * cell, columns * cell, cell);
      g.fillRect(at.column * cell, 0, cell, rows * cell);
    }
    for (const b of s.blocks) {
      g.fillStyle = colour('--now-soft') || colour('--hair');
      g.fillRect(b.from * cell, b.from * cell, (b.to - b.from) * cell, (b.to - b.from) * cell);
      g.strokeStyle = colour('--now');
      g.strokeRect(b.from * cell + 0.5, b.from * cell + 0.5, (b.to - b.from) * cell - 1, (b.to - b.from) * cell - 1);
    }
    const gap = cell > 6 ? 1.5 : cell > 3 ? 0.5 : 0;
    for (let r = 0; r < rows; r++) {
      for (const c of s.entries[r]) {
        if (c >= columns) continue;
        const own = r === c && !s.rows[r].excess && !s.columns[c].open;
        g.fillStyle =
          s.rows[r].excess || s.columns[c].open
            ? colour('--bad')
            : own
              ? s.columns[c].kind === 'derivative'
                ? colour('--accent')
                : colour('--ink')
              : colour('--ink-3');
        g.fillRect(c * cell + gap, r * cell + gap, cell - 2 * gap, cell - 2 * gap);
      }
    }
  }, [s, at, rows, columns, cell, theme]);
  const place = (e: MouseEvent): { row: number; column: number } | undefined => {
    const box = canvas.current!.getBoundingClientRect();
    const row = Math.floor((e.clientY - box.top) / cell),
      column = Math.floor((e.clientX - box.left) / cell);
    return row >= 0 && row < rows && column >= 0 && column < columns ? { row, column } : undefined;
  };
  const press = (p: { row: number; column: number }, unknown: boolean): void => {
    if (!unknown) open(p.row);
    else if (s.columns[p.column]) openName(s.columns[p.column].name);
  };
  const move = (dr: number, dc: number): void =>
    look({
      row: Math.max(0, Math.min(rows - 1, (at?.row ?? 0) + dr)),
      column: Math.max(0, Math.min(columns - 1, (at?.column ?? 0) + dc)),
    });
  return (
    <>
      <canvas
        ref={canvas}
        className="incidence"
        style={{ width: columns * cell, height: rows * cell }}
        tabIndex={0}
        role="img"
        aria-label={`${s.rows.length} equations by ${s.columns.length} unknowns in solution order; arrow keys move, Enter opens the equation, with Shift the unknown`}
        onMouseMove={(e) => look(place(e))}
        onMouseLeave={() => look(undefined)}
        onClick={(e) => {
          const p = place(e);
          if (p) press(p, e.shiftKey);
        }}
        onKeyDown={(e) => {
          const steps: Record<string, [number, number]> = {
            ArrowUp: [-1, 0],
            ArrowDown: [1, 0],
            ArrowLeft: [0, -1],
            ArrowRight: [0, 1],
          };
          if (steps[e.key]) move(...steps[e.key]);
          else if (e.key === 'Enter' && at) press(at, e.shiftKey);
          else return;
          e.preventDefault();
        }}
      />
      {(s.rows.length > largest || s.columns.length > largest) && (
        <p className="quiet mb-0">
          The first {largest} of {s.rows.length} are shown.
        </p>
      )}
    </>
  );
}

/** What was derived from the equations, in words. */
function Facts({
  structure: s,
  open,
  openName,
  give,
  isOwn,
}: {
  readonly structure: ModelStructure;
  readonly open: (row: number) => void;
  readonly openName: (name: string) => void;
  readonly give: (name: string, role: 'input' | 'parameter') => void;
  readonly isOwn: (name: string) => boolean;
}) {
  const missing = useMemo(() => s.columns.filter((c) => c.open), [s]);
  const excess = useMemo(() => s.rows.flatMap((r, k) => (r.excess ? [{ r, k }] : [])), [s]);
  const rivals = useMemo(() => s.rows.flatMap((r, k) => (r.competing ? [{ r, k }] : [])), [s]);
  const list = (names: readonly string[]) => (
    <span className="mono">
      {names.slice(0, 24).join(', ')}
      {names.length > 24 && <span className="quiet"> and {names.length - 24} more</span>}
    </span>
  );
  const jumps = (names: readonly string[]) => (
    <span className="mono">
      {names.slice(0, 24).map((n, k) => (
        <span key={n}>
          {k > 0 && ', '}
          <button type="button" className="btn btn-link p-0 mono" onClick={() => openName(n)}>
            {n}
          </button>
        </span>
      ))}
      {names.length > 24 && <span className="quiet"> and {names.length - 24} more</span>}
    </span>
  );
  return (
    <div className="structure-facts">
      {missing.length > 0 && (
        <section>
          <h3>Nothing determines</h3>
          {missing.slice(0, 12).map((c) => (
            <div key={c.name}>
              {jumps([c.name])}
              {isOwn(c.name) && (
                <span className="ms-2">
                  make it{' '}
                  <button type="button" className="btn btn-link p-0" onClick={() => give(c.name, 'input')}>
                    an input
                  </button>{' '}
                  or{' '}
                  <button type="button" className="btn btn-link p-0" onClick={() => give(c.name, 'parameter')}>
                    a parameter
                  </button>
                </span>
              )}
            </div>
          ))}
          {missing.length > 12 && <span className="quiet">and {missing.length - 12} more</span>}
          <p className="quiet mb-0">
            Add {missing.length === 1 ? 'an equation' : `${missing.length} equations`}, or make{' '}
            {missing.length === 1 ? 'it an input or a parameter' : 'them inputs or parameters'}.
          </p>
        </section>
      )}
      {excess.length > 0 && (
        <section>
          <h3>One too many</h3>
          {excess.slice(0, 12).map(({ r, k }) => (
            <button key={k} type="button" className="btn btn-link p-0 d-block mono text-start" onClick={() => open(k)}>
              {r.text}
            </button>
          ))}
          {rivals.length > 0 && (
            <>
              <p className="quiet mt-2 mb-1">
                It shares its unknowns with{' '}
                {rivals.length === 1 ? 'one equation that determines' : `${rivals.length} equations that determine`}{' '}
                them already:
              </p>
              {rivals.slice(0, 8).map(({ r, k }) => (
                <button
                  key={k}
                  type="button"
                  className="btn btn-link p-0 d-block mono text-start text-truncate mw-100"
                  title={r.text}
                  onClick={() => open(k)}
                >
                  {r.part && <span className="quiet">{r.part}: </span>}
                  {r.text}
                </button>
              ))}
              {rivals.length > 8 && <span className="quiet">and {rivals.length - 8} more</span>}
            </>
          )}
        </section>
      )}
      <section>
        <h3>{s.states.length === 0 ? 'No states' : `${s.states.length} state${s.states.length === 1 ? '' : 's'}`}</h3>
        {s.states.length > 0 ? jumps(s.states) : <span className="quiet">nothing is integrated over time</span>}
      </section>
      {s.blocks.length > 0 && (
        <section>
          <h3>Solved together</h3>
          {s.blocks.slice(0, 12).map((b) => (
            <div key={b.from}>
              {b.to - b.from} equation{b.to - b.from === 1 ? '' : 's'}, {b.linear ? 'linear' : 'by iteration'}, from{' '}
              {list(b.torn)}
            </div>
          ))}
        </section>
      )}
      {s.differentiated.length > 0 && (
        <section>
          <h3>Differentiated</h3>
          {s.differentiated.slice(0, 12).map((d, k) => (
            <div key={k}>
              <span className="mono">{d.text}</span>{' '}
              <span className="quiet">{d.times === 1 ? 'once' : `${d.times} times`}</span>
            </div>
          ))}
          {s.dependent.length > 0 && <div className="quiet">No states of their own: {list(s.dependent)}</div>}
          {s.invariants.length > 0 && <div className="quiet">The states are kept on: {list(s.invariants)}</div>}
        </section>
      )}
      {(s.merged > 0 || s.evaluated.length > 0) && (
        <section>
          <h3>Simplified</h3>
          {s.merged > 0 && (
            <div>
              {s.merged} quantit{s.merged === 1 ? 'y equals' : 'ies equal'} another one
            </div>
          )}
          {s.evaluated.length > 0 && <div>decided by {list(s.evaluated)}</div>}
        </section>
      )}
    </div>
  );
}
