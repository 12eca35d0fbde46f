'use client';
import { Plus } from 'lucide-react';
import { useMemo } from 'react';
import { surroundingsOf } from '@/core/flatten/sheet-surroundings';
import { projectLibrary } from '@/core/flatten/from-project';
import { readNetwork } from '@/core/network/read-network';
import { partTypeOffers } from '@/core/signals/offers';
import { namesOn, sheetPicture } from '@/core/signals/sheet-picture';
import type { PartType, Project } from '@/core/project/project';
import { useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { addSignalSheet } from '@/ui/editing/make';
import { ControlChoice } from './control-choice';
import { BlockDetails } from './block-details';
import { LearntSheet } from './learnt-sheet';
import { LoopSheet } from './loop-sheet';
import { ProbeSheet } from './probe-sheet';
import { SheetDetails } from './sheet-details';
import type { SheetAtHand } from './sheet-edits';
import { SignalSheetView } from './signal-sheet';

/** The part type at hand, and the part of it whose values are shown: also one that a line of another sheet brings. */
export function useControlHere(): ReturnType<typeof useHere> {
  const here = useHere();
  const part = usePlace((s) => s.part);
  const type = usePlace((s) => s.type);
  const isInRun = useRuns((s) => {
    if (part === '' || type === '' || !s.current) return false;
    for (const name of s.current.data.columns.keys()) if (name.startsWith(`${part}.`)) return true;
    return false;
  });
  return useMemo(() => (isInRun ? { ...here, path: part } : here), [here, isInRun, part]);
}

/** A signal sheet with all that is known around it. */
export function useSheetAtHand(): SheetAtHand | undefined {
  const { project, type } = useHere();
  const sheet = usePlace((s) => s.sheet);
  const shown = type?.signals.find((x) => sheet === `signals/${x.id}`) ?? type?.signals[0];
  const around = useMemo(() => project && type && around_(project, type), [project, type]);
  return useMemo(
    () =>
      project && type && shown && around
        ? {
            project,
            type,
            sheet: shown,
            around,
            picture: sheetPicture(type, shown, around),
            names: namesOn(type, shown, around),
          }
        : undefined,
    [project, type, shown, around],
  );
}

function around_(project: Project, type: PartType): SheetAtHand['around'] | undefined {
  const { library } = projectLibrary(project);
  const ref = library.top.get(type.name);
  return ref && surroundingsOf(project, type, ref, library);
}

/** Control: values made from values, on the signal sheets of a part type. */
export function ControlSheet() {
  const here = useControlHere();
  const at = useSheetAtHand();
  const known = useMemo(() => {
    if (!at) return [];
    const { project, type } = at;
    const { library } = projectLibrary(project);
    const own = type.quantities.map((q) => ({ name: q.name, what: [q.role, q.note].filter(Boolean).join(': ') }));
    const lines = at.picture.cards
      .flatMap((c) => c.outputs)
      .flatMap((name) =>
        type.quantities.some((q) => q.name === name) ? [] : [{ name, what: 'a line of this sheet' }],
      );
    const inner = readNetwork(library, type).parts.flatMap((p) =>
      p.ends.flatMap((e) =>
        e.kind === 'signal' && e.gives !== false
          ? [{ name: `${p.name}.${e.name}`, what: `of the part ${p.name}` }]
          : [],
      ),
    );
    // outputs of parts that lines bring are lines already
    const known = new Set(lines.map((l) => l.name));
    return [...own, ...lines, ...inner.filter((x) => !known.has(x.name))];
  }, [at]);
  const partTypes = useMemo(() => (at ? partTypeOffers(at.project, at.type) : []), [at]);
  const { type, project } = here;
  const sheet = usePlace((s) => s.sheet);
  if (!type || !project) return null;
  if (sheet === 'probe') return <ProbeSheet key={type.id} project={project} type={type} />;
  if (sheet === 'loop') return <LoopSheet project={project} type={type} path={here.path} />;
  if (sheet === 'learnt') return <LearntSheet key={type.id} project={project} type={type} path={here.path} />;
  if (!at)
    return (
      <>
        <div className="pane-head">
          <h2 className="own-width">
            Control of <span className="type-tag">{type.name}</span>
          </h2>
          <ControlChoice />
        </div>
        <div className="empty">
          <h3>{type.name} has no signal sheet yet</h3>
          <p>
            A signal sheet makes values from values: a set point from a profile, an error, a controller, a limit. Each
            line is a name and a formula, and the drawing shows the lines as cards with wires. It runs with everything
            else of the part, continuously or at the ticks of a clock.
          </p>
          <div className="d-flex gap-2 flex-wrap">
            <Button variant="primary" onClick={() => addSignalSheet(project, type)} data-testid="add-sheet">
              <Plus size={14} aria-hidden /> Begin a signal sheet
            </Button>
            <Button onClick={() => addSignalSheet(project, type, exampleLines)}>Begin with a PI controller</Button>
          </div>
        </div>
      </>
    );
  return (
    <SignalSheetView key={`${type.id} ${at.sheet.id}`} at={at} path={here.path} known={known} partTypes={partTypes} />
  );
}

/** A small loop to begin with: what it uses and does not know yet is told. */
const exampleLines: readonly string[] = [
  '// an error, a controller with a limit, and what it acts on',
  "wanted = step(at = 1 's', to = 1)",
  'e = wanted - measured',
  "u = pi(e, k = 2, Ti = 0.5 's', low = -5, high = 5)",
  "measured = lag(u, T = 1 's')",
];

export function ControlDetails() {
  const here = useControlHere();
  const at = useSheetAtHand();
  const item = usePlace((s) => s.item);
  if (!at) return <div className="empty">What is chosen on the sheet is edited here.</div>;
  const id = item.startsWith('line/') ? item.slice(5) : item.startsWith('wire/') ? '' : undefined;
  const line = id === undefined ? undefined : at.sheet.lines.find((l) => l.id === id);
  if (line) return <BlockDetails key={line.id} at={at} line={line} path={here.path} />;
  return (
    <SheetDetails
      key={at.sheet.id}
      at={at}
      path={here.path}
      wireId={item.startsWith('wire/') ? item.slice(5) : undefined}
    />
  );
}
