'use client';
import { Plus, Sparkles, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { conditionReasons } from '@/core/run/why';
import {
  childStates,
  newState,
  type Chart,
  type PartType,
  type StateKind,
  type Transition,
} from '@/core/project/project';
import { fullName, problemsAt } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useGaps } from '@/store/coverage-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { focusName } from '@/ui/focus-name';
import { Button } from '@/ui/button';
import { DraggableName } from '@/ui/draggable-name';
import { formatNumber } from '@/ui/format';
import { chosen, removeChosen } from '@/ui/editing/commands';
import { ChartCanvas } from './chart-canvas';
import { boxesOf, isPlace, pathOfState } from './chart-geometry';
import { useMoment } from '@/ui/moment';
import { useHandler } from '@/ui/use-handler';
import { momentOf } from './moment';
import { usePrintPicture } from '@/ui/printing';
import { savePicture } from '@/ui/picture';
import { chartSvg } from './chart-svg';
import { numberedName } from '@/ui/names';
import { BehaviourPicker } from './behaviour-picker';
import { firedCounts, lastTransition, stayLines, stayOf } from './run-facts';
import { tidyChart } from './tidy';

const placeNames: Readonly<Record<StateKind, string>> = {
  state: 'State',
  parallel: 'Together',
  final: 'End',
  history: 'Back',
  deepHistory: 'BackDeep',
  choice: 'Choice',
  junction: 'Fork',
  start: 'Start',
};
const more: readonly (readonly [StateKind, string])[] = [
  ['parallel', 'State with lanes that are active together'],
  ['choice', 'Choice: branches by guards, once it is reached'],
  ['junction', 'Junction: branches by guards, before anything is left'],
  ['final', 'End: finishes what it is in'],
  ['history', 'Way back to where it was left'],
  ['deepHistory', 'Way back, with all levels inside'],
  ['start', 'Beginning with an effect of its own'],
];
const noLines: ReadonlyMap<string, string> = new Map();
const noCounts: ReadonlyMap<string, number> = new Map();

/** The state chart of a part: its drawing, and what is added to it. */
export function ChartSheet({
  type,
  chart,
  path,
}: {
  readonly type: PartType;
  readonly chart: Chart;
  readonly path: string | undefined;
}) {
  const address = `type/${type.id}/chart/${chart.id}`;
  const { edit } = useProject.getState();
  const { select, say } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const allProblems = useProject((s) => s.problems);
  const problems = useMemo(
    () => problemsAt(allProblems, `type/${type.id}/chart/${chart.id}`),
    [allProblems, type.id, chart.id],
  );
  const moment = useMoment();
  const { run, time: cursor } = moment;
  const [tidying, setTidying] = useState(false);
  const name = fullName(path, chart.name);
  const active = path !== undefined ? moment.leaves(name) : undefined;
  const taken = run && path !== undefined ? lastTransition(run, name, cursor).join(' ') : '';
  const rows = run?.data.rows ?? 0;
  // counting again with every update of a long run would take its time: a finished run, or every 50th row, is soon enough
  const look = run?.status === 'running' ? Math.floor(rows / 2000) : rows;
  const facts = useMemo(
    () => (run && path !== undefined ? stayLines(run, name) : noLines),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run?.model, look, name, path],
  );
  const fired = useMemo(
    () => (run && path !== undefined ? firedCounts(run, name) : noCounts),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run?.model, look, name, path],
  );
  const stops = useRuns((s) => s.breakpoints);
  const gaps = useGaps();
  // asked for when the pointer rests on an arrow: the function stays the same, so that an edit draws no arrow anew
  const explain = useHandler((t: Transition): string => {
    const { current, cursor: at } = useRuns.getState();
    const from = chart.states.find((s) => s.id === t.from);
    if (!current || path === undefined || !from || t.guard.trim() === '' || t.guard.trim() === 'else') return '';
    const reasons = conditionReasons(t.guard, momentOf(current, chart, path, pathOfState(chart, from), at));
    return reasons
      .map(
        (r) =>
          `${r.text}: ${r.met === undefined ? 'not known' : r.met ? 'true' : 'false'}${r.detail ? ` (${r.detail})` : ''}`,
      )
      .join('\n');
  });
  const since = run && active !== undefined ? stayOf(run, name, cursor) : undefined;

  const addState = (kind: StateKind = 'state', at?: { readonly x: number; readonly y: number }): void => {
    const chosen = at ? undefined : chart.states.find((s) => `state/${s.id}` === item);
    const parent =
      chosen && (childStates(chart, chosen.id).length > 0 || chosen.kind === 'parallel')
        ? chosen.id
        : (chosen?.parent ?? null);
    const boxes = boxesOf(chart);
    const siblings = childStates(chart, parent);
    const bottom = Math.max(parent ? 40 : 20, ...siblings.map((s) => s.y + (boxes.get(s.id)?.height ?? 60) + 26));
    const entry = {
      ...newState(
        `s-${nanoid(8)}`,
        numberedName(
          chart.states.map((s) => s.name),
          placeNames[kind],
        ),
        parent,
        at?.x ?? siblings[0]?.x ?? 40,
        at?.y ?? bottom,
        kind,
      ),
      initial: siblings.length === 0 && !isPlace(kind),
    };
    const refused = edit({ kind: 'insert', list: `${address}/state`, entry }, `Add the state ${entry.name}`);
    if (refused) say(refused.message);
    else {
      select(`state/${entry.id}`);
      focusName();
    }
  };
  const addAt = useHandler((x: number, y: number): void => addState('state', { x, y }));
  const remove = (): void => {
    const { project } = useProject.getState();
    if (project) removeChosen(project, chosen(project));
  };
  const tidy = async (): Promise<void> => {
    setTidying(true);
    try {
      const change = await tidyChart(chart, address);
      if (
        useProject
          .getState()
          .project?.types.find((t) => t.id === type.id)
          ?.charts.some((c) => c === chart)
      )
        edit(change, 'Tidy the chart');
    } catch {
      say('The chart could not be laid out');
    } finally {
      setTidying(false);
    }
  };
  usePrintPicture(() => chartSvg(chart, `${type.name}, ${chart.name}`));
  const picture = async (kind: 'svg' | 'png'): Promise<void> => {
    try {
      await savePicture(chartSvg(chart, `${type.name}, ${chart.name}`), `${type.name} ${chart.name}`, kind);
    } catch (error) {
      say(`The picture could not be made: ${error instanceof Error ? error.message : String(error)}`);
    }
  };
  return (
    <>
      <div className="pane-head">
        <BehaviourPicker type={type} />
        <DraggableName name={name} from="chart">
          <span className="quiet">state chart</span>
        </DraggableName>
        {active !== undefined && (
          <span className="text-truncate" data-testid="active-state">
            <span className="lit-dot d-inline-block me-1" />
            {active}
            {since !== undefined && <span className="quiet"> for {formatNumber(since, 3)} s</span>}
          </span>
        )}
        <Button onClick={() => addState()} data-testid="add-state" data-adds={`${address}/state`}>
          <Plus size={14} aria-hidden /> State
        </Button>
        <Dropdown>
          <Dropdown.Toggle as={Button} data-testid="add-place" id="add-place">
            <Plus size={14} aria-hidden /> More
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {more.map(([kind, what]) => (
              <Dropdown.Item key={kind} onClick={() => addState(kind)}>
                {what}
              </Dropdown.Item>
            ))}
            <Dropdown.Divider />
            <Dropdown.Item onClick={() => select('chart')}>Quantities and period of the chart</Dropdown.Item>
            {(['svg', 'png'] as const).map((kind) => (
              <Dropdown.Item key={kind} onClick={() => void picture(kind)}>
                Save the picture as {kind.toUpperCase()}
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
        <Button onClick={() => void tidy()} disabled={tidying} title="Let the layout library place the states">
          <Sparkles size={14} aria-hidden /> {tidying ? 'Tidying …' : 'Tidy'}
        </Button>
        <Button
          variant="bare"
          label="Delete what is selected (Delete)"
          onClick={remove}
          disabled={!/^(state|transition)\//.test(item)}
        >
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div style={{ flex: 1, minHeight: 0 }} data-testid="chart">
        <ChartCanvas
          chart={chart}
          address={address}
          active={active}
          lastTaken={taken}
          problems={problems}
          addAt={addAt}
          facts={facts}
          fired={fired}
          stops={stops}
          gaps={gaps}
          explain={explain}
        />
      </div>
    </>
  );
}
