'use client';
import {
  DndContext,
  DragOverlay,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
  type DragMoveEvent,
} from '@dnd-kit/core';
import { nanoid } from 'nanoid';
import { useEffect, useRef, useState } from 'react';
import { Group, Panel, Separator, usePanelRef } from 'react-resizable-panels';
import { useLayout, usualRibbon } from '@/store/layout-store';
import { useProject } from '@/store/project-store';
import { usePlace } from '@/store/place-store';
import { useStudies } from '@/store/study-store';
import { useHere } from '@/store/derived';
import { linkPair } from '@/store/trace';
import { EverydayEditing } from '@/ui/editing/editing';
import { dropRows, rowTarget } from '@/ui/editing/row-handle';
import { ImpactDialog } from '@/ui/impact';
import { linkTarget } from '@/ui/linkable';
import { Ribbon } from '@/ui/ribbon/ribbon';
import { BehaviourDetails, BehaviourSheet } from '../behaviour/behaviour';
import { BenchDetails, BenchSheet } from '../bench/bench-sheet';
import { BoardSheet } from '../board/board';
import { ControlDetails, ControlSheet } from '../control/control';
import { NeedsOutline } from '../needs/needs-outline';
import { NeedsSheet } from '../needs/needs-sheet';
import { NeedsDetails } from '../needs/requirement-details';
import { PhysicsDetails, PhysicsSheet } from '../physics/physics-sheet';
import { ProofSheet } from '../proof/proof';
import { ProductDetails } from '../product/product-details';
import { ProductSheet } from '../product/product-sheet';
import { Guarded } from './guarded';
import { HelpDialog } from './help';
import { Outline } from './outline';
import { Palette } from './palette';
import { areaLook, Rail } from './rail';
import { TopBar } from './top-bar';
import { useShortcuts } from './shortcuts';

const sheets = {
  needs: NeedsSheet,
  product: ProductSheet,
  behaviour: BehaviourSheet,
  physics: PhysicsSheet,
  control: ControlSheet,
  bench: BenchSheet,
  board: BoardSheet,
  proof: ProofSheet,
};
const details = {
  needs: NeedsDetails,
  product: ProductDetails,
  behaviour: BehaviourDetails,
  physics: PhysicsDetails,
  control: ControlDetails,
  bench: BenchDetails,
  // what is chosen is shown beside the code
  board: () => null,
  proof: () => null,
};

/** Sheets of the needs that use the whole width. */
const wholeSheets: ReadonlySet<string> = new Set(['requirement', 'glossary', 'import', 'matrix', 'gaps', 'report']);

/** One sheet, what surrounds it, and the ribbon below everything. */
export function Workbench() {
  const area = usePlace((s) => s.area);
  const outlineOpen = usePlace((s) => s.outlineOpen);
  const detailsOpen = usePlace((s) => s.detailsOpen);
  const item = usePlace((s) => s.item);
  const sheet = usePlace((s) => s.sheet);
  const here = usePlace((s) => `${s.area} ${s.part} ${s.type} ${s.sheet}`);
  const place = useHere();
  const crumb = place.path || place.type?.name || '';
  const edit = useProject((s) => s.edit);
  const project = useProject((s) => s.project);
  const [dragged, setDragged] = useState<string>();
  const { ribbonOpen, alone, toggleRibbon } = useLayout();
  const ribbon = usePanelRef();
  const outline = useRef<HTMLDivElement>(null);
  useShortcuts();
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  useEffect(() => {
    document.title = project ? `${project.name} · Zelvar` : 'Zelvar';
  }, [project]);

  const drop = (e: DragEndEvent): void => {
    setDragged(undefined);
    const rows = e.active.data.current?.rows as readonly string[] | undefined;
    if (rows) {
      lineAt(undefined);
      const start = e.activatorEvent as PointerEvent;
      return dropRows(rows, start.clientX + e.delta.x, start.clientY + e.delta.y);
    }
    const from = e.active.data.current?.address as string | undefined;
    const linked = lit.current?.dataset.link;
    light(undefined);
    if (from !== undefined && linked !== undefined && linked !== from) return linkPair(from, linked);
    const name = e.active.data.current?.name as string | undefined;
    const target = e.over?.data.current?.track as string | undefined;
    const take = e.over?.data.current?.take as ((name: string, point: { x: number; y: number }) => void) | undefined;
    if (take && name) {
      const start = e.activatorEvent as PointerEvent;
      return take(name, { x: start.clientX + e.delta.x, y: start.clientY + e.delta.y });
    }
    if (!name || !target || !project) return;
    const id = target.startsWith('track:') ? target.slice(6) : undefined;
    const track = project.tracks.find((t) => t.id === id);
    const refused = track
      ? track.items.includes(name)
        ? undefined
        : edit(
            { kind: 'update', list: 'track', id: track.id, changes: { items: [...track.items, name] } },
            `Show ${name} in the ribbon`,
          )
      : edit(
          { kind: 'insert', list: 'track', entry: { id: nanoid(8), items: [name], height: 90 } },
          `Show ${name} in the ribbon`,
        );
    if (refused) usePlace.getState().say(refused.message);
  };
  const lit = useRef<HTMLElement>(undefined);
  const light = (next: HTMLElement | undefined): void => {
    if (lit.current === next) return;
    lit.current?.classList.remove('drop-over');
    next?.classList.add('drop-over');
    lit.current = next;
  };
  /** Where dragged rows would come to stand. */
  const line = useRef<HTMLElement>(undefined);
  const lineAt = (target: ReturnType<typeof rowTarget>): void => {
    line.current?.classList.remove('drop-before', 'drop-behind');
    line.current = target?.row;
    target?.row.classList.add(`drop-${target.where}`);
  };
  const over = (e: DragMoveEvent): void => {
    const start = e.activatorEvent as PointerEvent;
    const rows = e.active.data.current?.rows as readonly string[] | undefined;
    if (rows) return lineAt(rowTarget(rows, start.clientX + e.delta.x, start.clientY + e.delta.y));
    if (e.active.data.current?.address !== undefined)
      light(linkTarget(start.clientX + e.delta.x, start.clientY + e.delta.y));
  };
  const folded = alone || !ribbonOpen;
  // each area has the height of its own, and a folded ribbon is as high as its bar
  useEffect(() => {
    const { ribbonHeight } = useLayout.getState();
    ribbon.current?.resize(folded ? '40px' : `${ribbonHeight[area] ?? usualRibbon[area]}%`);
  }, [area, folded, ribbon]);
  // only what a hand has moved is remembered
  const keepHeight = (): void => {
    const size = ribbon.current?.getSize();
    if (size && !folded && size.inPixels > 60) useLayout.getState().setRibbonHeight(area, size.asPercentage);
  };
  const wide = useWide('(min-width: 1150px)');
  // magnified twice, there is room for one thing beside the sheet
  const roomy = useWide('(min-width: 800px)');
  // on a narrow screen the details only take room while something is selected
  // these sheets show what is selected in themselves, beside a drawing
  const whole = area === 'physics' && /^(network|relations|shared)/.test(sheet);
  const showDetails =
    detailsOpen && !alone && !whole && (wide || area === 'physics' || item !== '' || area === 'bench');
  const Sheet = sheets[area];
  const arranging = area === 'bench' && sheet.startsWith('panel/');
  const runChosen = useStudies((s) => (s.byId[sheet.slice('study/'.length)]?.chosen ?? -1) >= 0);
  const studying = area === 'bench' && sheet.startsWith('study/') && runChosen;
  // what would say nothing takes no room
  const saysNothing =
    area === 'board' ||
    area === 'proof' ||
    (area === 'needs' && item === '' && !sheet.startsWith('flow/')) ||
    (area === 'behaviour' && sheet === 'recorded') ||
    (area === 'control' && (sheet === 'loop' || sheet === 'probe'));
  const Details =
    saysNothing || (area === 'bench' && !arranging && !studying)
      ? undefined
      : wholeSheets.has(sheet.split('/')[0]) && area === 'needs'
        ? undefined
        : details[area];
  return (
    <DndContext
      sensors={sensors}
      onDragStart={(e) => setDragged(e.active.data.current?.name as string)}
      onDragMove={over}
      onDragEnd={drop}
      onDragCancel={() => {
        setDragged(undefined);
        light(undefined);
        lineAt(undefined);
      }}
      autoScroll={false}
    >
      <div className="frame">
        <Guarded what="The top bar">
          <TopBar />
        </Guarded>
        <Rail />
        <Group orientation="vertical" style={{ minWidth: 0, minHeight: 0 }}>
          <Panel minSize="120px" style={{ minHeight: 0 }}>
            <Group orientation="horizontal">
              {outlineOpen && !alone && (roomy || !(showDetails && Details)) && (
                <>
                  <Panel id="outline" defaultSize="180px" minSize="140px" maxSize="420px">
                    <div ref={outline} className="pane outline">
                      <Guarded what="The outline" of={area}>
                        {area === 'needs' ? <NeedsOutline /> : <Outline />}
                      </Guarded>
                    </div>
                  </Panel>
                  <Separator className="split-bar" />
                </>
              )}
              <Panel id="sheet" minSize="300px">
                <main className="pane sheet" aria-label="Sheet">
                  <div className="print-head" aria-hidden>
                    <span>{[project?.name, areaLook[area].title, crumb].filter(Boolean).join(' · ')}</span>
                    <span>{new Date().toLocaleDateString()}</span>
                  </div>
                  <Guarded what="This sheet" of={here}>
                    <Sheet />
                  </Guarded>
                </main>
              </Panel>
              {showDetails && Details && (
                <>
                  <Separator className="split-bar" />
                  <Panel id="details" defaultSize="256px" minSize="220px" maxSize="520px">
                    <aside className="pane outline" aria-label="Details">
                      <Guarded what="This" of={`${here} ${item}`}>
                        <Details />
                      </Guarded>
                    </aside>
                  </Panel>
                </>
              )}
            </Group>
          </Panel>
          <Separator className="split-bar" onPointerUp={keepHeight} onKeyUp={keepHeight} />
          <Panel
            panelRef={ribbon}
            id="ribbon"
            defaultSize={`${usualRibbon[area]}%`}
            minSize="40px"
            style={{ minHeight: 0 }}
          >
            <Guarded what="The ribbon">
              <Ribbon open={!folded} onToggle={toggleRibbon} />
            </Guarded>
          </Panel>
        </Group>
      </div>
      <DragOverlay dropAnimation={null}>{dragged && <div className="drag-chip mono">{dragged}</div>}</DragOverlay>
      <Palette />
      <HelpDialog />
      <ImpactDialog />
      <EverydayEditing />
    </DndContext>
  );
}

function useWide(media: string): boolean {
  const [wide, setWide] = useState(true);
  useEffect(() => {
    const query = window.matchMedia(media);
    const follow = (): void => setWide(query.matches);
    follow();
    query.addEventListener('change', follow);
    return () => query.removeEventListener('change', follow);
  }, [media]);
  return wide;
}
