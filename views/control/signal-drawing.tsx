'use client';
import {
  applyNodeChanges,
  Background,
  BackgroundVariant,
  Controls,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  ViewportPortal,
  type Connection,
  type FinalConnectionState,
  type NodeChange,
} from '@xyflow/react';
import * as Comlink from 'comlink';
import { nanoid } from 'nanoid';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { newSignalLine, type PartType, type Place, type Project, type SignalSheet } from '@/core/project/project';
import type { SheetOffer } from '@/core/signals/offers';
import type { SheetCard, SheetPicture, SheetNames, SheetTag, SheetWire } from '@/core/signals/sheet-picture';
import type { SheetSurroundings } from '@/core/signals/surroundings';
import { wireInto, wireOnto, type WireOffer } from '@/core/signals/wiring';
import { pick, useChoice } from '@/store/choice';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Overview } from '@/ui/drawing/overview';
import { leastZoom, useShowWhole } from '@/ui/drawing/show-whole';
import { useRefit } from '@/ui/drawing/use-refit';
import { useSteady } from '@/ui/drawing/use-steady';
import { useBoxedChoice } from '@/ui/editing/boxed-choice';
import { useDrawingPoint } from '@/ui/editing/drawing-point';
import { watch } from '@/ui/ribbon/watch';
import { useHandler } from '@/ui/use-handler';
import type { LayoutApi } from '@/workers/layout.worker';
import { BlockSearch, type Found, type KnownName } from './block-search';
import { distanceTo, pathOf, type Point } from './route-wire';
import {
  addOffer,
  addText,
  align,
  cardOf,
  changeText,
  freePlace,
  giveOutput,
  insertLine,
  linesOf,
  moveBegin,
  moveCards,
  moveEnd,
  putBetween,
  putName,
  removeWire,
  rounded,
  type Alignment,
  type Attached,
  type SheetAtHand,
  type SheetChange,
} from './sheet-edits';
import { edgeTypes, nodeTypes, SheetContext, type SheetActions } from './signal-cards';
import {
  cardWidth,
  outputAt,
  outputAtHandle,
  sheetEdges,
  sheetNodes,
  tagId,
  type SheetNode,
  type WireEdge,
} from './signal-graph';
import { TargetField, WireMenu } from './wire-menu';

const multiKeys = ['Control', 'Meta', 'Shift'];

export interface DrawingProps {
  readonly project: Project;
  readonly type: PartType;
  readonly sheet: SignalSheet;
  readonly path: string | undefined;
  readonly picture: SheetPicture;
  readonly names: SheetNames;
  readonly around: SheetSurroundings;
  /** Names the part has, for the search. */
  readonly known: readonly KnownName[];
  /** Part types of the project, for the search. */
  readonly partTypes: readonly SheetOffer[];
  /** Cards that a search has found; undefined while nothing is searched for. */
  readonly lookedFor: readonly { readonly id: string }[] | undefined;
  /** Buttons above the drawing that need what it knows. */
  readonly bar: (actions: DrawingActions) => ReactNode;
  readonly empty: ReactNode;
}
export interface DrawingActions {
  readonly add: () => void;
  readonly tidy: () => void;
  /** Puts something new where there is room for it. */
  readonly put: (make: (place: Place) => SheetChange) => void;
  readonly isTidying: boolean;
  readonly align: (how: Alignment) => void;
}

export function SignalDrawing(props: DrawingProps) {
  return (
    <ReactFlowProvider>
      <Drawing {...props} />
    </ReactFlowProvider>
  );
}

interface OpenSearch {
  readonly at: Point;
  /** On the drawing. */
  readonly place: Place;
  readonly attached: Attached | undefined;
  readonly begin: string;
}
interface OpenMenu {
  readonly at: Point;
  readonly from: string;
  readonly offers: readonly WireOffer[];
  readonly line: string;
  /** The end of which wire is moved there. */
  readonly moved?: SheetWire;
}

const isTypedInto = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest('input, textarea, select, [contenteditable=true], .modal') !== null;

/** A signal sheet as a drawing: it shows the lines, and what is done to it changes them. */
function Drawing(props: DrawingProps) {
  const { project, type, sheet, path, picture, names, around, known, partTypes, lookedFor, bar, empty } = props;
  const { edit } = useProject.getState();
  const { select, say, go } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const together = useChoice((s) => s.addresses);
  const problems = useProject((s) => s.problems);
  const flow = useReactFlow();
  const showWhole = useShowWhole();
  const board = useRefit();
  const [moving, setMoving] = useState<ReadonlyMap<string, Place>>();
  const [search, setSearch] = useState<OpenSearch>();
  const [menu, setMenu] = useState<OpenMenu>();
  const [target, setTarget] = useState<{ readonly at: Point; readonly from: string }>();
  const [source, setSource] = useState<{ readonly at: Point; readonly card: SheetCard }>();
  const [branch, setBranch] = useState<{ readonly name: string; readonly from: Point; readonly to: Point }>();
  const [isTidying, setTidying] = useState(false);
  const pointer = useRef<Point>(undefined);
  const address = `type/${type.id}/signals/${sheet.id}`;
  const s: SheetAtHand = { project, type, sheet, picture, names, around };

  const wrong = useMemo(() => {
    const found = new Map<string, string>();
    for (const p of problemsAt(problems, `${address}/line`)) {
      const id = p.place!.slice(address.length + 6).split('/')[0];
      if (!found.has(id) && p.severity === 'error') found.set(id, p.message);
    }
    for (const c of picture.cards) if (c.unread !== undefined && !found.has(c.id)) found.set(c.id, c.unread);
    return found;
  }, [problems, address, picture]);
  const chosen = useMemo(
    () => new Set(together.length > 0 ? together : item.startsWith('line/') ? [`${address}/${item}`] : []),
    [together, item, address],
  );
  const chosenIds = picture.cards.filter((c) => chosen.has(`${address}/line/${c.id}`)).map((c) => c.id);
  const chosenWire = item.startsWith('wire/') ? picture.wires.find((w) => `wire/${w.id}` === item) : undefined;
  const tagSays = (tag: SheetTag): string => {
    const other = tag.sheet === undefined ? undefined : type.signals.find((x) => x.id === tag.sheet);
    if (other) {
      const isOther = other.every.trim() !== sheet.every.trim();
      const rate = other.every.trim() === '' ? 'continuous' : `every ${other.every.replace(/'/g, '')}`;
      return isOther ? `${other.name}: ${rate}${other.every.trim() === '' ? '' : ', held'}` : other.name;
    }
    if (sheet.every.trim() !== '' && tag.side === 'in') return 'as of the tick';
    return tag.what === 'state' ? 'state' : '';
  };
  const sought = lookedFor?.map((c) => c.id).join();
  const graph = useMemo(
    () => ({
      picture,
      address,
      chosen,
      problems: wrong,
      moving,
      lookedFor: lookedFor && new Set(lookedFor.map((c) => c.id)),
      fullName: (name: string) => (path === undefined ? undefined : fullName(path, name)),
      tagSays,
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [picture, address, chosen, wrong, moving, path, type.signals, sheet.every, sought],
  );
  const nodes = useSteady(useMemo(() => sheetNodes(graph), [graph]));
  const edges = useSteady(useMemo(() => sheetEdges(graph, nodes, item), [graph, nodes, item]));

  const shown = useRef('');
  useEffect(() => {
    if (shown.current === sheet.id || nodes.length === 0) return;
    shown.current = sheet.id;
    const timer = setTimeout(() => showWhole(item.startsWith('line/') ? item.slice(5) : undefined), 60);
    return () => clearTimeout(timer);
  }, [sheet.id, nodes.length, showWhole, item]);
  useDrawingPoint(flow);

  const carryOut = (change: SheetChange | undefined): boolean => {
    if (!change) return false;
    const refused = edit(change.edit, change.label);
    if (refused) {
      say(refused.message);
      return false;
    }
    if (change.chosen) useChoice.getState().choose(change.chosen.map((id) => `${address}/line/${id}`));
    return true;
  };
  const inDrawing = (at: Point): Place => flow.screenToFlowPosition(at);
  const middle = (): Point => {
    const b = board.current?.getBoundingClientRect();
    return b ? { x: b.left + b.width * 0.4, y: b.top + b.height * 0.35 } : { x: 200, y: 200 };
  };
  const openSearch = (at: Point, attached?: Attached, begin = ''): void => {
    setMenu(undefined);
    setSearch({ at, place: inDrawing(at), attached, begin });
  };
  const searchHere = (begin = ''): void => {
    const b = board.current?.getBoundingClientRect();
    const p = pointer.current;
    const isOver = b && p && p.x > b.left && p.x < b.right && p.y > b.top && p.y < b.bottom;
    const attached: Attached | undefined = chosenWire?.to ? { kind: 'between', wire: chosenWire } : undefined;
    // by keyboard, beside what is chosen
    const beside = chosenIds.length === 1 && !isOver ? nodes.find((n) => n.id === chosenIds[0]) : undefined;
    const spot = beside && flow.flowToScreenPosition({ x: beside.position.x + cardWidth + 70, y: beside.position.y });
    openSearch(isOver ? p : (spot ?? middle()), attached, begin);
  };

  /** A wire that comes to a card: at once, or after a question where. */
  const offer = (offers: readonly WireOffer[], line: string, from: string, at: Point, moved?: SheetWire): void => {
    if (offers.length === 0) return say(`Nothing of this card can take ${from}`, 'note');
    if (offers.length === 1) return take({ at, from, offers, line, ...(moved && { moved }) }, offers[0]);
    setMenu({ at, from, offers, line, ...(moved && { moved }) });
  };
  const take = (m: OpenMenu, one: WireOffer): void => {
    setMenu(undefined);
    const name = cardOf(s, m.line)?.name ?? '';
    carryOut(
      m.moved
        ? moveEnd(s, m.moved, { line: m.line, offer: one })
        : { edit: changeText(s, m.line, one.text), label: `Wire ${m.from} to ${name}`, chosen: [m.line] },
    );
  };
  const nameOfSource = (node: string, handle: string | null | undefined): string => {
    const card = picture.cards.find((c) => c.id === node);
    return card ? outputAtHandle(card, handle) : (picture.tags.find((t) => tagId(t) === node)?.name ?? '');
  };
  /** What a card gives that something is led to: its one output, or that under the pointer. */
  const giverUnder = (card: SheetCard, under: readonly Element[]): string => {
    const named = under.find((e) => e.hasAttribute('data-output'))?.getAttribute('data-output');
    return card.outputs.find((o) => o === named) ?? card.outputs[0] ?? card.name;
  };

  /** A wire led from a name to wherever the pointer is. */
  const lead = (from: string, at: Point, moved?: SheetWire): void => {
    const under = document.elementsFromPoint(at.x, at.y);
    const handle =
      under.find((e) => e.classList.contains('react-flow__handle'))?.getAttribute('data-handleid') ?? undefined;
    const card = under.find((e) => e.hasAttribute('data-card'))?.getAttribute('data-card') ?? undefined;
    const tag = under.find((e) => e.hasAttribute('data-tag'))?.getAttribute('data-tag') ?? undefined;
    if (card !== undefined) {
      const to = cardOf(s, card);
      if (!to) return;
      const isInput = handle !== undefined && to.inputs.some((i) => i.key === handle);
      return offer(isInput ? wireInto(to, handle, from) : wireOnto(to, from), card, from, at, moved);
    }
    if (tag !== undefined) {
      if (!carryOut(giveOutput(s, from, tag, inDrawing({ x: at.x - 320, y: at.y - 20 }))))
        say(`${tag} takes nothing from here`, 'note');
      return;
    }
    if (under.some((e) => e.classList.contains('react-flow__pane')) && !moved)
      openSearch(at, { kind: 'from', name: from });
  };
  const connect = (c: Connection): void => {
    const from = nameOfSource(c.source, c.sourceHandle);
    if (from === '') return;
    const to = cardOf(s, c.target);
    const at = pointer.current ?? middle();
    if (to && c.targetHandle) return offer(wireInto(to, c.targetHandle, from), to.id, from, at);
    const tag = picture.tags.find((t) => tagId(t) === c.target);
    if (tag)
      carryOut(giveOutput(s, from, tag.name, { x: nodePlace(c.source).x + cardWidth + 60, y: nodePlace(c.source).y }));
  };
  const nodePlace = (id: string): Place => nodes.find((n) => n.id === id)?.position ?? { x: 0, y: 0 };
  const connectEnd = (e: MouseEvent | TouchEvent, state: FinalConnectionState): void => {
    if (state.isValid || !state.fromNode || reconnecting.current) return;
    const p = 'clientX' in e ? e : e.changedTouches[0];
    const at = { x: p.clientX, y: p.clientY };
    if (state.fromHandle?.type === 'target') {
      const key = state.fromHandle.id ?? '';
      const under = document.elementsFromPoint(at.x, at.y);
      const other = under.find((x) => x.hasAttribute('data-card'))?.getAttribute('data-card');
      const giver = other === undefined || other === null ? undefined : cardOf(s, other);
      const to = cardOf(s, state.fromNode.id);
      const given = giver && giverUnder(giver, under);
      if (giver && to && given && giver.id !== to.id) return offer(wireInto(to, key, given), to.id, given, at);
      if (to && under.some((x) => x.classList.contains('react-flow__pane')))
        openSearch(at, { kind: 'into', line: to.id, key });
      return;
    }
    lead(nameOfSource(state.fromNode.id, state.fromHandle?.id), at);
  };
  const reconnecting = useRef<boolean>(false);
  const reconnect = (edge: WireEdge, c: Connection): void => {
    const wire = edge.data?.wire;
    if (!wire) return;
    if (c.source !== edge.source || c.sourceHandle !== edge.sourceHandle)
      return void carryOut(moveBegin(s, wire, nameOfSource(c.source, c.sourceHandle)));
    const to = cardOf(s, c.target);
    if (to && c.targetHandle && c.target !== edge.target)
      offer(wireInto(to, c.targetHandle, wire.name), to.id, wire.name, pointer.current ?? middle(), wire);
  };
  const reconnectEnd = (e: MouseEvent | TouchEvent, edge: WireEdge, _: unknown, state: FinalConnectionState): void => {
    setTimeout(() => (reconnecting.current = false), 0);
    if (state.isValid || !edge.data) return;
    const p = 'clientX' in e ? e : e.changedTouches[0];
    const wire = edge.data.wire;
    const under = document.elementsFromPoint(p.clientX, p.clientY);
    const card = under.find((x) => x.hasAttribute('data-card'))?.getAttribute('data-card');
    const to = card === undefined || card === null ? undefined : cardOf(s, card);
    if (!to) return;
    if (state.fromHandle?.type === 'target') return void carryOut(moveBegin(s, wire, giverUnder(to, under)));
    if (to.id !== edge.target) offer(wireOnto(to, wire.name), to.id, wire.name, { x: p.clientX, y: p.clientY }, wire);
  };

  const boxed = useBoxedChoice((id) => `${address}/line/${id}`);
  const changes = (changed: NodeChange<SheetNode>[]): void => {
    boxed.changes(changed as never);
    const dragged = changed.filter((c) => c.type === 'position' && c.dragging);
    if (dragged.length > 0)
      setMoving((m) => {
        const next = new Map(m);
        for (const n of applyNodeChanges(dragged, nodes))
          if (dragged.some((d) => d.type === 'position' && d.id === n.id)) next.set(n.id, n.position);
        return next;
      });
    // arrow keys move what is chosen
    const stepped = changed.flatMap((c) =>
      c.type === 'position' && c.dragging === false && c.position && moving === undefined && !dragging.current
        ? [[c.id, c.position] as const]
        : [],
    );
    const real = stepped.filter(([id, at]) => {
      const before = nodePlace(id);
      return before.x !== at.x || before.y !== at.y;
    });
    if (real.length > 0) carryOut(moveCards(s, new Map(real)));
  };
  const dragging = useRef(false);
  const stop = (_: unknown, node: SheetNode, all: SheetNode[] = [node]): void => {
    setMoving(undefined);
    setTimeout(() => (dragging.current = false), 0);
    const moved = new Map(
      all.flatMap((n) => {
        const line = sheet.lines.find((l) => l.id === n.id);
        if (!line) return [];
        const before = before_.current.get(n.id);
        return before && (before.x !== n.position.x || before.y !== n.position.y) ? [[n.id, n.position] as const] : [];
      }),
    );
    if (moved.size === 0) return;
    // a card that is dropped onto a wire goes in between
    if (moved.size === 1 && node.type === 'card') {
      const centre = { x: node.position.x + cardWidth / 2, y: node.position.y + (node.height ?? 80) / 2 };
      const over = edges
        .filter((e) => e.data!.wire.from !== node.id && e.data!.wire.to?.line !== node.id)
        .map((e) => ({ wire: e.data!.wire, far: distanceTo(e.data!.way, centre) }))
        .sort((a, b) => a.far - b.far)[0];
      const between = over && over.far < 30 ? putBetween(s, node.id, over.wire) : undefined;
      if (between) {
        const move = moveCards(s, moved);
        return void carryOut({
          ...between,
          edit: { kind: 'batch', label: between.label, edits: [move.edit, between.edit] },
        });
      }
    }
    carryOut(moveCards(s, moved));
  };
  const before_ = useRef<ReadonlyMap<string, Place>>(new Map());
  const dragStart = (e: unknown, node: SheetNode): void => {
    dragging.current = true;
    before_.current = new Map(nodes.map((n) => [n.id, n.position]));
    boxed.dragStart(e, node);
  };

  const choose = useHandler((found: Found): void => {
    if (!search) return;
    const { place, attached } = search;
    setSearch(undefined);
    const wanted = attached?.kind === 'from' ? { x: place.x, y: place.y - outputAt } : place;
    const at = freePlace(
      nodes.map((n) => ({ ...n.position, width: n.width ?? 0, height: n.height ?? 0 })),
      wanted,
    );
    if ('offer' in found) {
      if (found.offer.key === 'note') return void addNote(at);
      return void carryOut(addOffer(s, found.offer, at, attached));
    }
    const put = putName(s, found.known.name, at, attached);
    if ('edit' in put) return void carryOut(put);
    const line = names.lines.get(found.known.name);
    if (line !== undefined && attached?.kind === 'from') offer(put, line, attached.name, search.at);
  });
  const addNote = (at: Place): boolean => {
    const line = { ...newSignalLine(`z-${nanoid(8)}`, '// note'), place: rounded(at) };
    return carryOut({ edit: insertLine(s, line), label: 'Add a note', chosen: [line.id] });
  };
  const closeSearch = useHandler(() => {
    setSearch(undefined);
    board.current?.focus();
  });
  const closeMenu = useHandler(() => setMenu(undefined));
  const closeTarget = useHandler(() => setTarget(undefined));
  const closeSource = useHandler(() => setSource(undefined));

  const tidy = useHandler(async (): Promise<void> => {
    setTidying(true);
    const worker = new Worker(new URL('../../workers/layout.worker.ts', import.meta.url), { type: 'module' });
    const api = Comlink.wrap<LayoutApi>(worker);
    const some = chosenIds.length > 1 ? new Set(chosenIds) : undefined;
    const cards = nodes.filter((n) => n.type === 'card' && (!some || some.has(n.id)));
    const ids = new Set(cards.map((n) => n.id));
    try {
      const placed = await api.layout({
        id: 'sheet',
        width: 0,
        height: 0,
        layoutOptions: {
          'elk.algorithm': 'layered',
          'elk.direction': 'RIGHT',
          'elk.layered.spacing.nodeNodeBetweenLayers': '70',
          'elk.spacing.nodeNode': '28',
          'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
        },
        children: cards.map((n) => ({ id: n.id, width: cardWidth, height: n.height ?? 80 })),
        edges: picture.wires.flatMap((w) =>
          w.from !== undefined && w.to && ids.has(w.from) && ids.has(w.to.line) && w.from !== w.to.line
            ? [{ id: w.id, sources: [w.from], targets: [w.to.line] }]
            : [],
        ),
      });
      const corner = some
        ? { x: Math.min(...cards.map((n) => n.position.x)), y: Math.min(...cards.map((n) => n.position.y)) }
        : { x: 0, y: 0 };
      const at = new Map(
        (placed.children ?? []).map((c) => [c.id, { x: (c.x ?? 0) + corner.x, y: (c.y ?? 0) + corner.y }]),
      );
      carryOut(moveCards(s, at, 'Tidy the sheet'));
      if (!some) setTimeout(() => showWhole(), 60);
    } catch {
      say('The sheet could not be laid out');
    } finally {
      api[Comlink.releaseProxy]();
      worker.terminate();
      setTidying(false);
    }
  });

  const open = (node: SheetNode): void => {
    if (node.type !== 'card') return;
    const { card } = node.data;
    if (card.typeId === undefined) return focusFormula();
    const inner = project.types.find((t) => t.id === card.typeId);
    const own = card.outputs.length > 1 ? card.name : `${card.name}_${inner?.name ?? ''}`;
    const part = path === undefined ? '' : fullName(path, own);
    go({ area: 'control', type: card.typeId, part, sheet: '' });
  };

  // ------------------------------------------------------------------- keys
  const canType = (e: KeyboardEvent): boolean =>
    !isTypedInto(e.target) &&
    (e.target === document.body || (e.target instanceof Element && e.target.closest('main') !== null));
  const key = (e: KeyboardEvent, work: () => void): void => {
    if (!canType(e)) return;
    e.preventDefault();
    work();
  };
  useHotkeys('a', (e) => key(e, () => searchHere()), [picture, chosenWire]);
  useHotkeys('t', (e) => key(e, () => watchChosen(false)), [picture, chosen, chosenWire, path]);
  useHotkeys('shift+t', (e) => key(e, () => watchChosen(true)), [picture, chosen, chosenWire, path]);
  useHotkeys('w', (e) => key(e, askTarget), [picture, chosen]);
  useHotkeys('enter', (e) => {
    if (!canType(e) || (e.target instanceof Element && e.target.closest('button, a, summary'))) return;
    const at = document.activeElement?.closest('.react-flow__node')?.getAttribute('data-id') ?? chosenIds[0];
    const node = nodes.find((n) => n.id === at);
    if (!node || node.type === 'tag') return;
    e.preventDefault();
    if (!chosen.has(`${address}/line/${node.id}`)) useChoice.getState().choose([`${address}/line/${node.id}`]);
    else open(node);
  });
  useHotkeys(['delete', 'backspace'], (e) => {
    if (!chosenWire || !canType(e)) return;
    e.preventDefault();
    if (carryOut(removeWire(s, chosenWire))) select('');
  });
  // on an empty sheet one simply types
  useEffect(() => {
    if (picture.cards.length > 0) return;
    const typed = (e: KeyboardEvent): void => {
      if (e.key.length !== 1 || e.ctrlKey || e.metaKey || e.altKey || !/[\p{L}∫+\-*/|]/u.test(e.key)) return;
      if (e.key === 'g' || !canType(e) || document.querySelector('.modal.show')) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      openSearch(middle(), undefined, e.key === 'a' ? '' : e.key);
    };
    window.addEventListener('keydown', typed, true);
    return () => window.removeEventListener('keydown', typed, true);
  });
  const watchChosen = (joining: boolean): void => {
    if (path === undefined) return say('No part of this type is in the product: there is nothing to watch yet', 'note');
    const own = picture.cards.filter((c) => chosen.has(`${address}/line/${c.id}`)).flatMap((c) => c.outputs);
    const list = chosenWire ? [chosenWire.name] : own;
    if (list.length === 0) return say('Choose a card or a wire to watch it', 'note');
    watch(
      list.map((n) => fullName(path, n)),
      joining,
    );
  };
  const askTarget = (): void => {
    const card = chosenIds.length === 1 ? cardOf(s, chosenIds[0]) : undefined;
    if (!card || card.name === '') return say('Choose one card: its value is what is wired', 'note');
    const box = document.querySelector(`[data-card="${CSS.escape(card.id)}"]`)?.getBoundingClientRect();
    const at = box ? { x: box.right + 6, y: box.top } : middle();
    if (card.outputs.length > 1) setSource({ at, card });
    else setTarget({ at, from: card.name });
  };
  const targets = [
    ...picture.cards.flatMap((c) => (c.name === '' || (target && c.outputs.includes(target.from)) ? [] : [c.name])),
    ...type.quantities.flatMap((q) => (q.role === 'output' && !names.lines.has(q.name) ? [q.name] : [])),
  ];
  const toTarget = (name: string): string | undefined => {
    if (!target) return undefined;
    const id = names.lines.get(name);
    const card = id === undefined ? undefined : cardOf(s, id);
    if (card) {
      const offers = wireOnto(card, target.from);
      if (offers.length === 0) return `Nothing of ${name} can take ${target.from}`;
      setTarget(undefined);
      offer(offers, card.id, target.from, target.at);
      return undefined;
    }
    const from = names.lines.get(target.from);
    const at = from === undefined ? { x: 0, y: 0 } : nodePlace(from);
    const change = giveOutput(s, target.from, name, { x: at.x + cardWidth + 60, y: at.y });
    if (!change) return `${name} takes nothing from here`;
    setTarget(undefined);
    carryOut(change);
    return undefined;
  };

  const actions = useMemo(
    (): SheetActions => ({
      unitOf: (name) => around.unitOf(name.split('.')) ?? '',
      changeNote: (id, text) => {
        const plain = text.replace(/\s+/g, ' ').trim();
        const line = sheet.lines.find((l) => l.id === id);
        if (line && line.text !== `// ${plain}`)
          carryOut({ edit: changeText(s, id, `// ${plain}`), label: 'Change a note' });
      },
      sizeNote: (id, size) =>
        void carryOut({
          edit: { kind: 'update', list: linesOf(s), id, changes: { size } },
          label: 'Change the size of a note',
        }),
      openSheet: (other) => go({ area: 'control', sheet: `signals/${other}`, item: '' }),
      branch: (wire, name, e) => {
        if (e.button !== 0) return;
        e.preventDefault();
        const begin = { x: e.clientX, y: e.clientY };
        const move = (m: PointerEvent): void =>
          setBranch({ name, from: inDrawing(begin), to: inDrawing({ x: m.clientX, y: m.clientY }) });
        const up = (m: PointerEvent): void => {
          window.removeEventListener('pointermove', move);
          window.removeEventListener('pointerup', up);
          setBranch(undefined);
          if (Math.hypot(m.clientX - begin.x, m.clientY - begin.y) > 5)
            return lead(name, { x: m.clientX, y: m.clientY });
          // only pressed: the wire is meant
          useChoice.getState().choose([]);
          select(`wire/${wire}`);
        };
        window.addEventListener('pointermove', move);
        window.addEventListener('pointerup', up);
      },
    }),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [around, sheet, picture, names],
  );

  return (
    <SheetContext.Provider value={actions}>
      {bar({
        add: () => openSearch(middle()),
        tidy: () => void tidy(),
        put: (make) => {
          // below all that is there
          const low = Math.max(0, ...nodes.map((n) => (n.type === 'tag' ? 0 : n.position.y + (n.height ?? 90) + 24)));
          if (carryOut(make({ x: 0, y: low }))) showWhole();
        },
        isTidying,
        align: (how) => {
          const some = nodes.filter((n) => n.type !== 'tag' && chosen.has(`${address}/line/${n.id}`));
          carryOut(
            moveCards(
              s,
              align(
                some.map((n) => ({ id: n.id, ...n.position, width: n.width ?? 0, height: n.height ?? 0 })),
                how,
              ),
              'Align cards',
            ),
          );
        },
      })}
      <div
        className="signal-board inside-board"
        ref={board}
        tabIndex={-1}
        data-testid="signal-board"
        data-rows={`${address}/line`}
        data-takes-text
        onPointerMove={(e) => (pointer.current = { x: e.clientX, y: e.clientY })}
      >
        <ReactFlow<SheetNode, WireEdge>
          nodes={nodes}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={changes}
          onNodeDragStart={dragStart}
          onNodeDragStop={stop}
          onSelectionStart={boxed.start}
          onSelectionEnd={boxed.end}
          onSelectionDragStart={(_, all) => {
            dragging.current = true;
            before_.current = new Map(nodes.map((n) => [n.id, n.position]));
            void all;
          }}
          onSelectionDragStop={(e, all) => all[0] && stop(e, all[0], all)}
          onConnect={connect}
          onConnectEnd={connectEnd}
          onReconnectStart={() => (reconnecting.current = true)}
          onReconnect={reconnect}
          onReconnectEnd={reconnectEnd as never}
          reconnectRadius={9}
          connectionRadius={14}
          deleteKeyCode={null}
          minZoom={0.2}
          maxZoom={2}
          multiSelectionKeyCode={multiKeys}
          proOptions={{ hideAttribution: true }}
          zoomOnDoubleClick={false}
          panOnScroll
          zoomOnScroll={false}
          onlyRenderVisibleElements={nodes.length > 80}
          onNodeClick={(e, n) => {
            if (n.type === 'tag') return;
            pick(project, `${address}/line/${n.id}`, {
              shiftKey: false,
              ctrlKey: e.ctrlKey || e.shiftKey,
              metaKey: e.metaKey,
            });
          }}
          onNodeDoubleClick={(_, n) => open(n)}
          onEdgeClick={(_, e) => {
            useChoice.getState().choose([]);
            select(`wire/${e.id}`);
          }}
          onPaneClick={(e) => {
            useChoice.getState().choose([]);
            if (e.detail === 2) openSearch({ x: e.clientX, y: e.clientY });
          }}
        >
          <Background variant={BackgroundVariant.Dots} gap={20} size={1} color="var(--hair)" />
          <Controls
            orientation="horizontal"
            showInteractive={false}
            position="bottom-left"
            fitViewOptions={{ padding: 0.05, maxZoom: 1.1, minZoom: leastZoom }}
          />
          <Overview />
          {branch && (
            <ViewportPortal>
              <svg className="branch-line" aria-hidden>
                <path
                  d={pathOf([
                    branch.from,
                    { x: (branch.from.x + branch.to.x) / 2, y: branch.from.y },
                    { x: (branch.from.x + branch.to.x) / 2, y: branch.to.y },
                    branch.to,
                  ])}
                />
              </svg>
            </ViewportPortal>
          )}
        </ReactFlow>
        {picture.cards.length === 0 && picture.notes.length === 0 && empty}
      </div>
      {search && (
        <BlockSearch
          key={`${search.at.x} ${search.at.y}`}
          every={sheet.every}
          names={known}
          more={partTypes}
          at={search.at}
          begin={search.begin}
          title={titleOfSearch(search.attached)}
          onChoose={choose}
          onClose={closeSearch}
        />
      )}
      {menu && (
        <WireMenu
          at={menu.at}
          from={menu.from}
          offers={menu.offers}
          onChoose={(o) => take(menu, o)}
          onClose={closeMenu}
        />
      )}
      {source && (
        <TargetField
          at={source.at}
          label={`Output of ${source.card.name}`}
          names={source.card.outputs}
          onChoose={(from) => {
            setSource(undefined);
            setTarget({ at: source.at, from });
            return undefined;
          }}
          onClose={closeSource}
        />
      )}
      {target && (
        <TargetField
          key={target.from}
          at={target.at}
          label={`Wire ${target.from} to`}
          names={targets}
          onChoose={toTarget}
          onClose={closeTarget}
        />
      )}
    </SheetContext.Provider>
  );
}

const titleOfSearch = (a: Attached | undefined): string =>
  a === undefined
    ? 'Add'
    : a.kind === 'from'
      ? `What takes ${a.name}`
      : a.kind === 'into'
        ? `What feeds ${a.key}`
        : `Into the wire ${a.wire.name}`;

/** The formula of what is chosen, in the details. */
function focusFormula(): void {
  setTimeout(
    () => document.querySelector<HTMLElement>('aside [data-testid="formula-of-line"] .cm-content')?.focus(),
    30,
  );
}
export { addText };
