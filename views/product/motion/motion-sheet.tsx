'use client';
import { Maximize, Pause, Play, SkipBack } from 'lucide-react';
import { useEffect, useMemo, useRef, useState, type MouseEvent } from 'react';
import type { RunShape } from '@/core/run/protocol';
import { splitEnd } from '@/core/network/read-network';
import type { PartType, Project } from '@/core/project/project';
import { shapesOf } from '@/store/checking';
import { allParts, useTree } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { valueAtTime } from '@/store/run-data';
import { useRuns, type RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { usePlayback } from '@/ui/use-playback';
import { selectedPart } from '@/ui/inside/part-settings';
import { hangUp, middleOf, type ReadField } from './pose';
import { createMotionScene, type MotionScene, type View } from './scene';
import './motion.scss';

const views: readonly (readonly [View, string])[] = [
  ['front', 'Front'],
  ['side', 'Side'],
  ['top', 'Top'],
  ['corner', 'Corner'],
];
const rates = [0.1, 0.25, 0.5, 1, 2, 5, 10];
const noShapes: readonly RunShape[] = [];

const isInside = (part: string, path: string): boolean =>
  path === '' || part.startsWith(`${path}.`) || part.startsWith(`${path}[`);

/** Reads a field from the recording where it moves, and from the start where it does not. */
const readAt =
  (run: RunView | undefined, t: number): ReadField =>
  (shape, field) =>
    (run && valueAtTime(run.data, shape.part === '' ? field : `${shape.part}.${field}`, t)) ?? shape.values[field] ?? 0;

/** The shapes of a part at the cursor, or as they stand before any run. */
export function MotionSheet({
  project,
  type,
  path,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly path: string | undefined;
}) {
  const { go, select, say } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const theme = usePlace((s) => s.theme);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  const version = useRuns((s) => s.version);
  const tree = useTree();
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<MotionScene>(undefined);
  const [failed, setFailed] = useState('');
  const [designed, setDesigned] = useState<{ type: string; shapes: readonly RunShape[] }>();
  const [mode, setMode] = useState<'run' | 'design'>('run');
  const [frames, setFrames] = useState(false);
  const [trails, setTrails] = useState<ReadonlySet<string>>(new Set());
  const [rate, setRate] = useState(1);
  const { playing, toggle } = usePlayback(rate);
  const pressed = useRef<{ x: number; y: number }>(undefined);

  // a change of the project is seen at once, before anything runs
  const before = useRef(project);
  useEffect(() => {
    if (before.current !== project) setMode('design');
    before.current = project;
  }, [project]);
  useEffect(() => setMode('run'), [run?.model.run]);
  useEffect(() => {
    let wanted = true;
    const timer = setTimeout(
      () =>
        void shapesOf(type.id)
          .then((shapes) => wanted && setDesigned({ type: type.id, shapes: shapes ?? [] }))
          .catch(() => undefined),
      150,
    );
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [project, type.id]);

  const ofRun = useMemo(
    () => (path === undefined ? noShapes : (run?.model.shapes ?? noShapes).filter((s) => isInside(s.part, path))),
    [run?.model, path],
  );
  const usesRun = mode === 'run' && ofRun.length > 0;
  const shapes = usesRun ? ofRun : designed?.type === type.id ? designed.shapes : noShapes;
  const bodies = shapes.filter((s) => s.kind !== 'Mount');
  const any = bodies.length > 0;

  useEffect(() => {
    if (!host.current || !any) return;
    try {
      scene.current = createMotionScene(host.current);
    } catch {
      setFailed(
        'This browser has no way to draw in space (WebGL is missing or switched off). Everything else works without it.',
      );
      return;
    }
    return () => {
      scene.current?.dispose();
      scene.current = undefined;
    };
  }, [any, theme]);
  const fitted = useRef('');
  useEffect(() => {
    if (!scene.current || !any) return;
    hangUp(shapes);
    scene.current.setShapes(shapes);
    scene.current.place(readAt(usesRun ? run : undefined, cursor));
    // another thing to look at is shown whole; the same one, changed, from where it was looked at
    const key = `${type.id} ${theme}`;
    if (fitted.current !== key) scene.current.look('corner');
    fitted.current = key;
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shapes, any, theme]);
  useEffect(() => {
    if (any) scene.current?.place(readAt(usesRun ? run : undefined, cursor));
  }, [cursor, version, run, usesRun, any]);
  useEffect(() => scene.current?.showFrames(frames), [frames, any, theme]);
  const chosen = selectedPart(type, item);
  const chosenPath = chosen === undefined ? '' : usesRun && path ? `${path}.${chosen}` : chosen;
  useEffect(() => scene.current?.select(chosenPath), [chosenPath, shapes, any, theme]);
  useEffect(() => {
    if (!scene.current || !run || !usesRun) return void scene.current?.setTrails([]);
    const end = Math.min(cursor, run.time);
    const steps = 400;
    const lines = bodies
      .filter((s) => trails.has(s.part))
      .map((s) => Array.from({ length: steps + 1 }, (_, k) => middleOf(s, readAt(run, (end * k) / steps))));
    scene.current.setTrails(lines);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [trails, cursor, version, usesRun, shapes, theme]);

  const play = (): void => {
    if (!run) return say('There is nothing to play yet: run a setup first', 'note');
    setMode('run');
    toggle();
  };
  const pick = (e: MouseEvent): void => {
    const from = pressed.current;
    if (!host.current || !from || Math.hypot(e.clientX - from.x, e.clientY - from.y) > 4) return;
    const box = host.current.getBoundingClientRect();
    const part = scene.current?.partAt(e.clientX - box.left, e.clientY - box.top);
    if (part === undefined) return select('');
    const relative = usesRun && path ? part.slice(path.length + 1) : part;
    const { part: inside, end } = splitEnd(relative);
    const first = inside || end;
    const inDocument = type.parts.find((p) => p.name === first);
    select(inDocument ? `part/${inDocument.id}` : `declared/${first}`);
  };
  const enter = (): void => {
    const known = allParts(tree).find((p) => p.path === (path ? `${path}.${chosen}` : chosen));
    if (known) go({ area: 'product', part: known.path, type: '', sheet: 'motion' });
  };
  const trailName = useMemo(() => {
    if (chosen === undefined || !run) return undefined;
    // of all that is chosen, what comes furthest around
    const own = shapes.filter((s) => s.kind !== 'Mount' && (s.part === chosenPath || isInside(s.part, chosenPath)));
    const way = (s: RunShape): number => {
      const first = middleOf(s, readAt(run, 0));
      return Math.max(
        ...Array.from({ length: 24 }, (_, k) => middleOf(s, readAt(run, (run.time * k) / 24)).distanceTo(first)),
      );
    };
    return own.map((s) => ({ part: s.part, way: way(s) })).sort((a, b) => b.way - a.way)[0]?.part;
    // the way is that of the finished run
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [chosen, chosenPath, shapes, run?.model.run, run?.status]);
  return (
    <div className="motion-sheet">
      <div className="motion-bar">
        <Button onClick={() => useRuns.getState().moveCursor(0)} label="To the start" disabled={!run}>
          <SkipBack size={14} aria-hidden />
        </Button>
        <Button
          onClick={play}
          variant={playing ? 'primary' : 'plain'}
          label={playing ? 'Pause the motion' : 'Play the motion'}
          disabled={!run}
        >
          {playing ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
        </Button>
        <select
          className="form-select form-select-sm"
          style={{ width: 74 }}
          aria-label="How fast it plays"
          value={rate}
          onChange={(e) => setRate(Number(e.target.value))}
        >
          {rates.map((r) => (
            <option key={r} value={r}>
              {r}x
            </option>
          ))}
        </select>
        <span className="btn-group btn-group-sm ms-2" role="group" aria-label="Look from">
          {views.map(([v, text]) => (
            <Button key={v} onClick={() => scene.current?.look(v)} disabled={!any}>
              {text}
            </Button>
          ))}
        </span>
        <Button onClick={() => scene.current?.fit()} disabled={!any}>
          <Maximize size={14} aria-hidden /> Fit
        </Button>
        <Button active={frames} aria-pressed={frames} onClick={() => setFrames(!frames)} disabled={!any}>
          Frames
        </Button>
        <Button
          active={trailName !== undefined && trails.has(trailName)}
          disabled={trailName === undefined || !run}
          onClick={() =>
            setTrails((t) => new Set(t.has(trailName!) ? [...t].filter((x) => x !== trailName) : [...t, trailName!]))
          }
        >
          Trail
        </Button>
        <span style={{ flex: 1 }} />
        <span className="quiet text-nowrap" data-testid="motion-note">
          {!any
            ? ''
            : usesRun
              ? `${bodies.length} shapes at the cursor`
              : `${bodies.length} shapes as they start${ofRun.length > 0 ? '' : run ? '' : '; run it to see them move'}`}
        </span>
        {ofRun.length > 0 && (
          <span className="btn-group btn-group-sm" role="group" aria-label="Which state is shown">
            <Button active={usesRun} aria-pressed={usesRun} onClick={() => setMode('run')}>
              Run
            </Button>
            <Button active={!usesRun} aria-pressed={!usesRun} onClick={() => setMode('design')}>
              Design
            </Button>
          </span>
        )}
      </div>
      <div
        className="motion-stage"
        ref={host}
        data-testid="motion"
        role="img"
        aria-label={`Shapes of ${type.name} in space`}
        onPointerDown={(e) => {
          pressed.current = { x: e.clientX, y: e.clientY };
        }}
        onClick={pick}
        onDoubleClick={enter}
      />
      {failed && (
        <div className="empty">
          <h3>No drawing in space</h3>
          <p>{failed}</p>
        </div>
      )}
      {!any && !failed && designed?.type === type.id && (
        <div className="empty">
          <h3>Nothing to look at yet</h3>
          <p>
            A shape is a part from the library, like any other: its size, place, turn and colour follow quantities.
            Write it into the physics of this part type, or add it on the inside from the library under “Shapes”.
          </p>
          <pre className="mono text-start">
            {
              'Shapes.Box arm(size = {0.4, 0.03, 0.02},\n  r = {0.2*cos(angle), 0.2*sin(angle), 0},\n  turn = {0, 0, angle});'
            }
          </pre>
        </div>
      )}
    </div>
  );
}
