'use client';
import { Expand, PencilRuler, Plus, Shrink } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { panelOf, type Panel, type Project } from '@/core/project/project';
import { useSetup } from '@/store/derived';
import { useLayout } from '@/store/layout-store';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { addPanel } from '@/ui/editing/make';
import { CellSelect } from '@/ui/cell-field';
import { ControlView } from './control-view';

/** The panel of the chosen setup: it acts on the run that is going on, and shows the moment of the cursor. */
export function PanelView({ project }: { readonly project: Project }) {
  const setup = useSetup();
  const panel = panelOf(project, setup);
  const pace = useRuns((s) => s.pace);
  const run = useRuns((s) => s.current);
  const { edit } = useProject.getState();
  const whole = useLayout((s) => s.wholePanels);
  const live = run?.status === 'running' || run?.status === 'paused';
  if (!panel && project.panels.length === 0) {
    return (
      <div className="empty">
        <h3>No panel</h3>
        <p>
          A panel has keys that send messages, switches and knobs that set inputs, and dials, readouts, lamps and
          pictures that follow the product.
        </p>
        <Button variant="primary" onClick={() => project && addPanel(project)}>
          <Plus size={14} aria-hidden /> Build a panel
        </Button>
      </div>
    );
  }
  return (
    <section aria-label={panel ? `Panel ${panel.name}` : 'No panel'}>
      <div className="section-title" style={{ paddingTop: 12 }}>
        <span>Panel</span>
        <span style={{ flex: '0 1 150px', minWidth: 80 }}>
          <CellSelect
            value={panel?.id ?? ''}
            label="Panel of this setup"
            options={[...(panel ? [] : [['', 'none'] as const]), ...project.panels.map((p) => [p.id, p.name] as const)]}
            onCommit={(id) =>
              setup &&
              void edit(
                { kind: 'update', list: 'setup', id: setup.id, changes: { panel: id } },
                `Change the panel of ${setup.name}`,
              )
            }
          />
        </span>
        <span className="quiet text-truncate" style={{ fontWeight: 400, flex: '0 9 auto', minWidth: 0 }}>
          {!panel ? '' : live ? 'acts on the run' : 'shows the cursor’s moment'}
        </span>
        <span className="ms-auto d-flex gap-1 flex-shrink-0">
          {panel && (
            <>
              <Button
                variant="bare"
                label={whole ? 'Show the panel at its size' : 'Show the whole panel'}
                aria-pressed={whole}
                onClick={() => useLayout.getState().toggleWholePanels()}
                data-testid="whole-panel"
              >
                {whole ? <Expand size={13} aria-hidden /> : <Shrink size={13} aria-hidden />}
              </Button>
              <Button
                size="sm"
                onClick={() => usePlace.getState().go({ area: 'bench', sheet: `panel/${panel.id}` })}
                data-testid="arrange-panel"
              >
                <PencilRuler size={13} aria-hidden /> Arrange
              </Button>
            </>
          )}
          <Button size="sm" onClick={() => project && addPanel(project)}>
            <Plus size={13} aria-hidden /> Panel
          </Button>
        </span>
      </div>
      {panel ? <PanelBoard panel={panel} live={live} /> : <NoPanel />}
      {panel && !live && (
        <p className="px-3 pt-2 quiet">
          {pace === 0
            ? 'Run at a pace, such as 1×, to use the keys while the product runs.'
            : 'Start a run to use the keys.'}
        </p>
      )}
    </section>
  );
}

/** A setup of a part type alone opens none by itself: the others show the product. */
const NoPanel = () => (
  <p className="px-3 pt-1 quiet">
    This setup runs a part type, not the product, and has no panel of its own. Choose one here, or build one.
  </p>
);

/** Room for the line below a panel, and how small a panel may become before it scrolls after all. */
const below = 34;
const least = 0.45;

export function PanelBoard({ panel, live }: { readonly panel: Panel; readonly live: boolean }) {
  const width = Math.max(200, ...panel.controls.map((c) => c.x + c.width)) + 16;
  const height = Math.max(80, ...panel.controls.map((c) => c.y + c.height)) + 16;
  const whole = useLayout((s) => s.wholePanels);
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: Infinity, height: Infinity });
  useEffect(() => {
    const el = box.current;
    const column = el?.closest<HTMLElement>('.bench > div');
    if (!el || !column) return;
    const measure = (): void => {
      const above = el.getBoundingClientRect().top - column.getBoundingClientRect().top + column.scrollTop;
      setRoom({ width: column.clientWidth - 8, height: column.clientHeight - above - below });
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(column);
    return () => observer.disconnect();
  }, []);
  const scale = whole ? Math.max(least, Math.min(1, room.width / width, room.height / height)) : 1;
  return (
    <div ref={box} className="panel-scroll" style={{ width: '100%', height: scale < 1 ? height * scale : undefined }}>
      <div
        className="panel-board"
        data-scale={scale}
        style={{ width, height, ...(scale < 1 && { transform: `scale(${scale})`, transformOrigin: '0 0' }) }}
      >
        {panel.controls.map((c) => (
          <div
            key={c.id}
            data-control={c.label}
            data-kind={c.kind}
            className={`panel-control ${c.kind}`}
            style={{ left: c.x, top: c.y, width: c.width, height: c.height }}
          >
            <ControlView control={c} live={live} />
          </div>
        ))}
        {panel.controls.length === 0 && (
          <p className="quiet p-3">
            Nothing on it yet: press Arrange, and drag quantities, messages and states from the outline.
          </p>
        )}
      </div>
    </div>
  );
}
