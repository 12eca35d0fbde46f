'use client';
import { useDroppable } from '@dnd-kit/core';
import {
  ChevronsDownUp,
  ChevronsUpDown,
  Maximize2,
  Pause,
  Play,
  Square,
  StepBack,
  StepForward,
  ZoomIn,
  ZoomOut,
} from 'lucide-react';
import { useEffect, useMemo, useRef, useState, type PointerEvent, type WheelEvent } from 'react';
import type { Project } from '@/core/project/project';
import { cancelRun, changePace, pauseRun, resumeRun, startRun, stepBack, stepRun } from '@/store/running';
import { useProject } from '@/store/project-store';
import { useStill } from '../use-still';
import { useRuns, wholeSpan } from '@/store/run-store';
import { usePlace } from '@/store/place-store';
import { useSetup } from '@/store/derived';
import { shownTracks } from '@/store/shown-tracks';
import { Button } from '../button';
import { formatTime } from '../format';
import { marks, niceStep, TimeAxisContext, toPixels, toTime, valueAxisWidth, type TimeAxis } from './axis';
import { BranchButton, StopsButton } from './branch';
import { useOutOfDate } from '@/store/standings';
import { ComparedRun } from './compared-run';
import { MarkText } from './mark';
import { within } from './span';
import { MessageRow, TrackRow, VerdictRow } from './rows';

export const paces: readonly (readonly [number, string])[] = [
  [0, 'as fast as possible'],
  [1000, '1000×'],
  [100, '100×'],
  [10, '10×'],
  [1, '1×'],
  [0.1, '1/10'],
  [0.01, '1/100'],
];

/** The time strip below every area: run controls, cursor, verdict lanes and tracks. */
export function Ribbon({ open, onToggle }: { readonly open: boolean; readonly onToggle: () => void }) {
  const project = useProject((s) => s.project);
  // whatever is dropped on no track gets one of its own
  const { setNodeRef } = useDroppable({ id: 'ribbon', data: { track: 'new' } });
  if (!project) return null;
  return (
    <section className="ribbon" aria-label="Ribbon" ref={setNodeRef}>
      <RunBar open={open} onToggle={onToggle} project={project} />
      <Tracks project={project} />
    </section>
  );
}

function RunBar({
  open,
  onToggle,
  project,
}: {
  readonly open: boolean;
  readonly onToggle: () => void;
  readonly project: Project;
}) {
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const pace = useRuns((s) => s.pace);
  const starting = useRuns((s) => s.starting);
  const chooseSetup = useRuns((s) => s.chooseSetup);
  const setSpan = useRuns((s) => s.setSpan);
  const span = useRuns((s) => s.span);
  const setup = useSetup();
  const running = run?.status === 'running';
  const paused = run?.status === 'paused';
  const findings = run?.findings ?? [];
  const count = (v: string): number => findings.filter((f) => f.verdict === v).length;
  const whole = wholeSpan(run, setup?.stop ?? 10);
  const zoom = (factor: number): void => {
    const [a, b] = span ?? whole;
    const centre = cursor >= a && cursor <= b ? cursor : (a + b) / 2;
    setSpan(within([centre - (centre - a) * factor, centre + (b - centre) * factor], whole));
  };
  return (
    <div className="ribbon-bar" role="toolbar" aria-label="Run controls">
      {running ? (
        <Button variant="primary" onClick={pauseRun} title="Pause (space)">
          <Pause size={14} aria-hidden /> Pause
        </Button>
      ) : (
        <Button
          variant="primary"
          onClick={() => (paused ? resumeRun() : void startRun())}
          title={paused ? 'Go on (space)' : 'Run the setup (space)'}
          disabled={!setup || starting}
        >
          <Play size={14} aria-hidden /> {paused ? 'Go on' : 'Run'}
        </Button>
      )}
      <Button label="Back to the event before (,)" onClick={() => void stepBack()} disabled={!run || running}>
        <StepBack size={14} aria-hidden />
      </Button>
      <Button label="Step to the next event (.)" onClick={() => void stepRun()} disabled={!setup || running}>
        <StepForward size={14} aria-hidden />
      </Button>
      <Button label="End the run" onClick={cancelRun} disabled={!running && !paused && !starting}>
        <Square size={13} aria-hidden />
      </Button>
      <StopsButton />
      <BranchButton />
      <select
        className="form-select form-select-sm"
        aria-label="Setup"
        value={setup?.id ?? ''}
        onChange={(e) => chooseSetup(e.target.value)}
      >
        {project.setups.length === 0 && <option value="">no setup yet</option>}
        {project.setups.map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
      </select>
      <select
        className="form-select form-select-sm"
        aria-label="Pace"
        value={pace}
        onChange={(e) => changePace(Number(e.target.value))}
      >
        {paces.map(([value, text]) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </select>
      <span className={`clock mono${running ? ' live' : ''}`} data-testid="clock">
        t = {formatTime(cursor)}
      </span>
      <MarkText />
      <RunStatusText />
      <span className="spacer" />
      {findings.length > 0 && (
        <span className="text-nowrap" data-testid="summary">
          <strong style={{ color: 'var(--good)' }}>{count('holds')}</strong> hold,{' '}
          <strong style={{ color: count('fails') ? 'var(--bad)' : 'inherit' }}>{count('fails')}</strong> fail,{' '}
          <span className="quiet">{count('undecided')} open</span>
        </span>
      )}
      <Button variant="bare" label="Zoom in" onClick={() => zoom(0.5)}>
        <ZoomIn size={15} aria-hidden />
      </Button>
      <Button variant="bare" label="Zoom out" onClick={() => zoom(2)}>
        <ZoomOut size={15} aria-hidden />
      </Button>
      <Button variant="bare" label="Show the whole run" onClick={() => setSpan(undefined)} disabled={!span}>
        <Maximize2 size={14} aria-hidden />
      </Button>
      <Button variant="bare" label={open ? 'Push the ribbon down' : 'Pull the ribbon up'} onClick={onToggle}>
        {open ? <ChevronsDownUp size={15} aria-hidden /> : <ChevronsUpDown size={15} aria-hidden />}
      </Button>
    </div>
  );
}

function RunStatusText() {
  const run = useRuns((s) => s.current);
  const slowStart = useStill(useRuns((s) => s.starting));
  if (slowStart) return <span className="quiet text-truncate">preparing the run …</span>;
  if (!run) return <span className="quiet text-truncate">not run yet</span>;
  if (run.status === 'failed') {
    return (
      <span
        className="text-truncate"
        data-testid="run-status"
        data-run={run.model.run}
        style={{ color: 'var(--bad)' }}
        title={run.problem?.message}
      >
        stopped: {run.problem?.message}
      </span>
    );
  }
  return (
    <span className="quiet text-truncate" data-testid="run-status" data-run={run.model.run}>
      {run.setup} {run.status}
      {(run.model.stages ?? []).map((s) => ` · ${s.part}: ${s.stage}`).join('')}
      {run.warnings && run.warnings.length > 0 && (
        <span
          style={{ color: run.warnings.every((w) => w.severity === 'info') ? undefined : 'var(--now-ink)' }}
          title={run.warnings.map((w) => w.message).join('\n')}
        >
          {' '}
          · {run.warnings[0].message}
          {run.warnings.length > 1 && ` and ${run.warnings.length - 1} more`}
        </span>
      )}
      {run.stoppedAt && ' where it was told to stop'}
    </span>
  );
}

function Tracks({ project }: { readonly project: Project }) {
  const body = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(600);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const span = useRuns((s) => s.span);
  const setSpan = useRuns((s) => s.setSpan);
  const moveCursor = useRuns((s) => s.moveCursor);
  const edit = useProject((s) => s.edit);
  const say = usePlace((s) => s.say);
  const setup = useSetup();
  const narrow = useRef(224);
  const mark = useRuns((s) => s.mark);
  const drag = useRef<'cursor' | 'mark' | { readonly x: number; readonly span: readonly [number, number] } | undefined>(
    undefined,
  );

  useEffect(() => {
    const el = body.current;
    if (!el) return;
    const measure = (): void => {
      narrow.current = el.querySelector('.row-label')?.getBoundingClientRect().width ?? 224;
      setWidth(Math.max(80, el.clientWidth - narrow.current - valueAxisWidth));
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(el);
    return () => observer.disconnect();
  }, []);

  const whole = wholeSpan(run, setup?.stop ?? 10);
  const [from, to] = span ?? whole;
  const axis = useMemo<TimeAxis>(() => ({ from, to, width }), [from, to, width]);
  const plotLeft = narrow.current + valueAxisWidth;
  const inside = (wanted: readonly [number, number]) => within(wanted, whole);

  const timeAt = (e: { readonly clientX: number }): number =>
    toTime(axis, e.clientX - (body.current?.getBoundingClientRect().left ?? 0) - plotLeft);
  const inPlot = (e: { readonly clientX: number }): boolean =>
    e.clientX - (body.current?.getBoundingClientRect().left ?? 0) >= plotLeft - 4;
  const clampTime = (t: number): number => Math.min(Math.max(t, 0), Math.max(run?.time ?? 0, 0));

  const down = (e: PointerEvent<HTMLDivElement>): void => {
    if (e.button !== 0 || !inPlot(e) || (e.target as HTMLElement).closest('button')) return;
    const isRuler = (e.target as HTMLElement).closest('.time-ruler') !== null;
    e.currentTarget.setPointerCapture(e.pointerId);
    const toMark = mark === undefined ? Infinity : Math.abs(toPixels(axis, mark) - toPixels(axis, timeAt(e)));
    const toCursor = Math.abs(toPixels(axis, cursor) - toPixels(axis, timeAt(e)));
    if (!isRuler && toMark < 5 && toMark < toCursor) drag.current = 'mark';
    else if (isRuler || e.shiftKey) drag.current = { x: e.clientX, span: [from, to] };
    else {
      drag.current = 'cursor';
      moveCursor(clampTime(timeAt(e)));
    }
  };
  const move = (e: PointerEvent<HTMLDivElement>): void => {
    if (drag.current === 'cursor') moveCursor(clampTime(timeAt(e)));
    else if (drag.current === 'mark') useRuns.getState().setMark(clampTime(timeAt(e)));
    else if (drag.current) {
      const shift = ((drag.current.x - e.clientX) / width) * (drag.current.span[1] - drag.current.span[0]);
      setSpan(inside([drag.current.span[0] + shift, drag.current.span[1] + shift]));
    }
  };
  const wheel = (e: WheelEvent<HTMLDivElement>): void => {
    if (!inPlot(e)) return;
    if (e.ctrlKey || e.metaKey || e.altKey) {
      const t = timeAt(e);
      const factor = Math.exp(e.deltaY * 0.002);
      const least = 1e-7;
      if ((to - from) * factor > least) setSpan(inside([t - (t - from) * factor, t + (to - t) * factor]));
    } else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
      const shift = ((e.deltaX || e.deltaY) / width) * (to - from);
      setSpan(inside([from + shift, to + shift]));
    }
  };
  // the browser would zoom the page
  useEffect(() => {
    const el = body.current;
    const hold = (e: globalThis.WheelEvent): void => {
      if (e.ctrlKey || e.metaKey || e.shiftKey) e.preventDefault();
    };
    el?.addEventListener('wheel', hold, { passive: false });
    return () => el?.removeEventListener('wheel', hold);
  }, []);
  const keys = (e: React.KeyboardEvent): void => {
    const small = (to - from) / (e.shiftKey ? 20 : 200);
    if (e.key === 'ArrowLeft') moveCursor(clampTime(cursor - small));
    else if (e.key === 'ArrowRight') moveCursor(clampTime(cursor + small));
    else if (e.key === 'Home') moveCursor(0);
    else if (e.key === 'End') moveCursor(run?.time ?? 0);
    else return;
    e.preventDefault();
  };

  const removeItem = (trackId: string, name: string): void => {
    const track = project.tracks.find((t) => t.id === trackId);
    if (!track) return;
    const items = track.items.filter((i) => i !== name);
    const refused = edit(
      items.length === 0
        ? { kind: 'remove', list: 'track', id: trackId }
        : { kind: 'update', list: 'track', id: trackId, changes: { items } },
      `Remove ${name} from the ribbon`,
    );
    if (refused) say(refused.message);
  };

  const cursorX = toPixels(axis, cursor);
  const markX = mark === undefined ? -10 : toPixels(axis, mark);
  const ran = run && (run.model.partTypes?.[run.model.parts.indexOf('')] ?? '');
  const model = run?.model;
  const tracks = useMemo(() => {
    const k = model?.parts.findIndex((p) => p !== '' && !p.includes('.')) ?? -1;
    const part = model && k >= 0 ? { name: model.parts[k], type: model.partTypes?.[k] ?? '' } : undefined;
    return shownTracks(project, setup, ran || undefined, part);
  }, [project, setup, ran, model]);
  const end = run?.time ?? 0;
  return (
    <TimeAxisContext.Provider value={axis}>
      <div
        ref={body}
        className="ribbon-body"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={() => (drag.current = undefined)}
        onPointerCancel={() => (drag.current = undefined)}
        onWheel={wheel}
        onDoubleClick={(e) => inPlot(e) && setSpan(undefined)}
        onKeyDown={keys}
        tabIndex={0}
        role="group"
        aria-label="Tracks over time"
        data-testid="tracks"
      >
        <Ruler axis={axis} cursor={cursor} end={end} />
        <div style={{ position: 'relative' }}>
          <VerdictRows end={end} />
          {tracks.map((t) => (
            <TrackRow key={t.id} track={t} remove={(name) => removeItem(t.id, name)} />
          ))}
          {run && <MessageRow />}
          {run && mark !== undefined && markX >= -1 && markX <= width + 1 && (
            <div
              className="cursor-line marked"
              style={{ left: Math.round(plotLeft + markX) - 1 }}
              data-testid="mark-line"
            />
          )}
          {run && cursorX >= -1 && cursorX <= width + 1 && (
            <div
              className="cursor-line"
              style={{ left: Math.round(plotLeft + cursorX) - 1 }}
              data-testid="cursor-line"
            />
          )}
        </div>
        <NewTrackZone empty={project.tracks.length === 0} />
      </div>
    </TimeAxisContext.Provider>
  );
}

/** Lanes without asking for more: those that fail always, others in the order of the sheet. */
const fewLanes = 6;
const mostLanes = 60;

/** A lane for each requirement that a run decides; the rest fold away behind a button. */
function VerdictRows({ end }: { readonly end: number }) {
  const old = useOutOfDate();
  const findings = useRuns((s) => s.current?.findings);
  const constants = useProject((s) => s.constants);
  const item = usePlace((s) => s.item);
  const [all, setAll] = useState(false);
  const fixed = useMemo(() => new Set(constants.map((f) => f.id)), [constants]);
  if (!findings) return null;
  const lanes = findings.filter((f) => f.lane.length > 0 && !fixed.has(f.id));
  const failing = lanes.filter((f) => f.verdict === 'fails');
  let room = Math.max(0, (all ? mostLanes : fewLanes) - failing.length);
  const shown = lanes
    .filter((f) => f.verdict === 'fails' || item === `requirement/${f.id}` || room-- > 0)
    .slice(0, mostLanes * 2);
  const more = lanes.length - shown.length;
  return (
    <>
      {shown.map((f) => (
        <VerdictRow key={f.id} finding={f} end={end} old={old(f.id)} />
      ))}
      {(more > 0 || (all && lanes.length > fewLanes)) && (
        <div className="ribbon-row">
          <div className="row-label">
            <button
              type="button"
              className="btn btn-link p-0 text-start"
              style={{ fontSize: '0.9em' }}
              onClick={() => setAll(!all)}
              disabled={all && more > 0 && lanes.length > mostLanes}
            >
              {all ? (more > 0 ? `${more} more in the table` : 'fewer requirements') : `${more} more requirements`}
            </button>
          </div>
          <div className="lane" />
        </div>
      )}
    </>
  );
}

function Ruler({ axis, cursor, end }: { readonly axis: TimeAxis; readonly cursor: number; readonly end: number }) {
  const step = niceStep(axis.to - axis.from, axis.width / 90);
  const digits = Math.max(0, Math.min(9, -Math.floor(Math.log10(step) + 1e-9)));
  return (
    <div className="ribbon-row" style={{ position: 'sticky', top: 0, zIndex: 4, background: 'var(--paper)' }}>
      <div className="row-label quiet" style={{ fontSize: '0.9em' }}>
        <ComparedRun />
      </div>
      <div
        className="time-ruler"
        role="slider"
        tabIndex={0}
        aria-label="Time cursor"
        aria-valuemin={0}
        aria-valuemax={end}
        aria-valuenow={cursor}
        aria-valuetext={formatTime(cursor)}
        style={{ position: 'relative', height: 20, marginLeft: valueAxisWidth, cursor: 'ew-resize' }}
        title="Drag to move along the run; wheel with Ctrl to zoom, double click for the whole run"
      >
        {marks(axis.from, axis.to, axis.width / 90).map((t) => {
          const x = toPixels(axis, t);
          return x < -1 || x > axis.width - 4 ? null : (
            <span
              key={t}
              className="mono quiet"
              style={{
                position: 'absolute',
                left: x,
                top: 2,
                fontSize: 10,
                borderLeft: '1px solid var(--hair)',
                paddingLeft: 3,
                pointerEvents: 'none',
              }}
            >
              {t.toFixed(digits)}
            </span>
          );
        })}
      </div>
    </div>
  );
}

function NewTrackZone({ empty }: { readonly empty: boolean }) {
  const { setNodeRef, isOver, active } = useDroppable({ id: 'new-track', data: { track: 'new' } });
  return (
    <div
      ref={setNodeRef}
      className={`drop-hint${isOver ? ' drop-over' : ''}`}
      data-testid="new-track"
      style={{ minHeight: active ? 34 : 26 }}
    >
      {active
        ? 'Drop here for a track of its own'
        : empty
          ? 'Drag a quantity or a state chart here to see it over time'
          : 'Drag quantities here from any area'}
    </div>
  );
}
