'use client';
import { ReactFlowProvider } from '@xyflow/react';
import { Plus, Sparkles, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useCallback, useMemo, useState } from 'react';
import { childStates, newState, newTransition, type Chart, type ChartState, type PartType, type Transition } from '@/core/project/project';
import { fullName, problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { stateAtTime } from '@/store/run-data';
import { Button } from '@/ui/button';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DraggableName } from '@/ui/draggable-name';
import { FormulaEditor } from '@/ui/formula-editor';
import { formatNumber } from '@/ui/format';
import { namesIn } from '@/ui/known-names';
import { ChartCanvas } from './chart-canvas';
import { sizesOf, statePath, transitionText } from './chart-geometry';
import { firedTimes, lastTransition, stayFacts, stayOf } from './run-facts';
import { tidyChart } from './tidy';

const freeName = (taken: readonly string[], base: string): string => {
  for (let k = 1; ; k++) if (!taken.includes(`${base}${k}`)) return `${base}${k}`;
};

/** The state chart of a part. */
export function BehaviourSheet() {
  const { type, path } = useHere();
  const { edit } = useProject.getState();
  const { select, say } = usePlace.getState();
  if (!type) return null;
  const [chart] = type.charts;
  if (!chart) {
    const add = (): void => {
      const first = { ...newState(`s-${nanoid(8)}`, 'Idle', null, 40, 40), initial: true };
      const refused = edit({ kind: 'insert', list: `types/${type.id}/charts`, entry: { id: `c-${nanoid(8)}`, name: 'mode', states: [first], transitions: [] } }, `Give ${type.name} a state chart`);
      if (refused) say(refused.message);
      else select(`state/${first.id}`);
    };
    return (
      <div className="empty">
        <h3>{type.name} has no state chart</h3>
        <p>A state chart says which modes a part has and what takes it from one to the other: a message, a time, or something becoming true. States can hold states.</p>
        <Button variant="primary" onClick={add}>
          <Plus size={14} aria-hidden /> Add a state chart
        </Button>
      </div>
    );
  }
  return (
    <ReactFlowProvider key={chart.id}>
      <ChartSheet type={type} chart={chart} path={path} />
    </ReactFlowProvider>
  );
}

function ChartSheet({ type, chart, path }: { readonly type: PartType; readonly chart: Chart; readonly path: string | undefined }) {
  const address = `types/${type.id}/charts/${chart.id}`;
  const { edit } = useProject.getState();
  const { select, say } = usePlace.getState();
  const item = usePlace((s) => s.item);
  const allProblems = useProject((s) => s.problems);
  const problems = useMemo(() => problemsAt(allProblems, `type/${type.id}/chart/${chart.id}`), [allProblems, type.id, chart.id]);
  const run = useRuns((s) => s.current);
  const cursor = useRuns((s) => s.cursor);
  useRuns((s) => s.version);
  const [tidying, setTidying] = useState(false);
  const name = fullName(path, chart.name);
  const active = run && path !== undefined ? stateAtTime(run.data, name, cursor) : undefined;
  const taken = run && path !== undefined ? lastTransition(run, name, cursor) : undefined;
  const since = run && active !== undefined ? stayOf(run, name, cursor) : undefined;

  const addState = (): void => {
    const chosen = chart.states.find((s) => `state/${s.id}` === item);
    const parent = chosen && childStates(chart, chosen.id).length > 0 ? chosen.id : (chosen?.parent ?? null);
    const sizes = sizesOf(chart);
    const siblings = childStates(chart, parent);
    const bottom = Math.max(parent ? 40 : 20, ...siblings.map((s) => s.y + (sizes.get(s.id)?.height ?? 60) + 26));
    const entry = { ...newState(`s-${nanoid(8)}`, freeName(chart.states.map((s) => s.name), 'State'), parent, siblings[0]?.x ?? 40, bottom), initial: siblings.length === 0 };
    const refused = edit({ kind: 'insert', list: `${address}/states`, entry }, `Add the state ${entry.name}`);
    if (refused) say(refused.message);
    else select(`state/${entry.id}`);
  };
  const remove = useCallback((): void => {
    const place = usePlace.getState();
    const [kind, id] = place.item.split('/');
    if (kind !== 'state' && kind !== 'transition') return;
    deleteWithImpact(`${address.replace('types/', 'type/').replace('/charts/', '/chart/')}/${kind}/${id}`, { kind: 'remove', list: `${address}/${kind}s`, id }, `Delete a ${kind}`, () => place.select(''));
  }, [address]);
  const tidy = async (): Promise<void> => {
    setTidying(true);
    try {
      const change = await tidyChart(chart, address);
      if (useProject.getState().project?.types.find((t) => t.id === type.id)?.charts.some((c) => c === chart)) edit(change, 'Tidy the chart');
    } catch {
      say('The chart could not be laid out');
    } finally {
      setTidying(false);
    }
  };
  return (
    <>
      <div className="pane-head">
        <h2>
          <DraggableName name={name} from="chart">
            <span className="mono">{chart.name}</span>
          </DraggableName>
        </h2>
        {active !== undefined && (
          <span className="text-truncate" data-testid="active-state">
            <span className="lit-dot d-inline-block me-1" />
            {active}
            {since !== undefined && <span className="quiet"> for {formatNumber(since, 3)} s</span>}
          </span>
        )}
        <Button onClick={addState} data-testid="add-state">
          <Plus size={14} aria-hidden /> State
        </Button>
        <Button onClick={() => void tidy()} disabled={tidying} title="Let the layout library place the states">
          <Sparkles size={14} aria-hidden /> {tidying ? 'Tidying …' : 'Tidy'}
        </Button>
        <Button variant="bare" label="Delete what is selected (Delete)" onClick={remove} disabled={!/^(state|transition)\//.test(item)}>
          <Trash2 size={14} aria-hidden />
        </Button>
      </div>
      <div style={{ flex: 1, minHeight: 0 }} data-testid="chart">
        <ChartCanvas chart={chart} address={address} active={active} lastTaken={taken} problems={problems} removeSelected={remove} />
      </div>
    </>
  );
}

export function BehaviourDetails() {
  const { type, path, project } = useHere();
  const item = usePlace((s) => s.item);
  const [chart] = type?.charts ?? [];
  if (!type || !chart || !project) return <div className="empty">What is selected on the sheet is edited here.</div>;
  const [kind, id] = item.split('/');
  const state = kind === 'state' ? chart.states.find((s) => s.id === id) : undefined;
  const transition = kind === 'transition' ? chart.transitions.find((t) => t.id === id) : undefined;
  if (state) return <StateDetails key={state.id} type={type} chart={chart} state={state} path={path} />;
  if (transition) return <TransitionDetails key={transition.id} type={type} chart={chart} transition={transition} path={path} />;
  return (
    <div className="empty">
      <p>Choose a state or a transition to edit it. Drag from a dot at the edge of a state to another state to connect them; drag cards to move them.</p>
      <p>{chart.states.length} states, {chart.transitions.length} transitions.</p>
    </div>
  );
}

/** Texts of the chart are edited like all others: names completed, problems under the word. */
function TextRow({ type, label, value, place, onCommit }: { readonly type: PartType; readonly label: string; readonly value: string; readonly place: string; readonly onCommit: (text: string) => void }) {
  const project = useProject((s) => s.project);
  const all = useProject((s) => s.problems);
  const problems = useMemo(() => all.filter((p) => p.place === place), [all, place]);
  const names = useMemo(() => (project ? namesIn(project, type) : []), [project, type]);
  return (
    <div className="px-3 py-1">
      <label className="quiet d-block">{label}</label>
      <FormulaEditor inline value={value} label={label} onChange={onCommit} problems={problems} names={names} />
    </div>
  );
}

function StateDetails({ type, chart, state, path }: { readonly type: PartType; readonly chart: Chart; readonly state: ChartState; readonly path: string | undefined }) {
  const { edit } = useProject.getState();
  const { select } = usePlace.getState();
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  const list = `types/${type.id}/charts/${chart.id}/states`;
  const place = `type/${type.id}/chart/${chart.id}/state/${state.id}`;
  const set = (changes: Partial<ChartState>, what: string, merge?: string) => edit({ kind: 'update', list, id: state.id, changes }, what, merge);
  const inside = (s: ChartState): boolean => s.id === state.id || (s.parent !== null && inside(chart.states.find((x) => x.id === s.parent)!));
  const facts = run && path !== undefined ? stayFacts(run, fullName(path, chart.name), statePath(chart, state)) : undefined;
  const siblings = childStates(chart, state.parent);
  const makeFirst = (): void => {
    edit({ kind: 'batch', label: 'Start here', edits: siblings.map((s) => ({ kind: 'update' as const, list, id: s.id, changes: { initial: s.id === state.id } })) }, `Start in ${state.name}`);
  };
  const addNext = (): void => {
    const sizes = sizesOf(chart);
    const entry = newState(`s-${nanoid(8)}`, freeName(chart.states.map((s) => s.name), 'State'), state.parent, state.x, state.y + (sizes.get(state.id)?.height ?? 60) + 50);
    edit({
      kind: 'batch', label: 'Add a state after this one',
      edits: [{ kind: 'insert', list, entry }, { kind: 'insert', list: `types/${type.id}/charts/${chart.id}/transitions`, entry: newTransition(`x-${nanoid(8)}`, state.id, entry.id) }],
    }, `Add a state after ${state.name}`);
    select(`state/${entry.id}`);
  };
  const addInside = (): void => {
    const children = childStates(chart, state.id);
    const sizes = sizesOf(chart);
    const entry = { ...newState(`s-${nanoid(8)}`, freeName(chart.states.map((s) => s.name), 'State'), state.id, 24, Math.max(50, ...children.map((s) => s.y + (sizes.get(s.id)?.height ?? 60) + 26))), initial: children.length === 0 };
    edit({ kind: 'insert', list, entry }, `Add a state inside ${state.name}`);
    select(`state/${entry.id}`);
  };
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">state</span> {state.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>Name</label>
          <div>
            <CellField value={state.name} label="Name of the state" mono onCommit={(name) => edit({ kind: 'rename', list, id: state.id, name }, `Rename ${state.name} to ${name}`)} />
          </div>
        </div>
        <div className="field-row">
          <label>Inside</label>
          <div>
            <CellSelect
              value={state.parent ?? ''} label="State it is inside of" options={[['', 'the chart'], ...chart.states.filter((s) => !inside(s)).map((s) => [s.id, s.name] as const)]}
              onCommit={(parent) => set({ parent: parent || null, x: 30, y: 50, initial: childStates(chart, parent || null).length === 0 }, `Move ${state.name} into another state`)}
            />
          </div>
        </div>
        <div className="px-3 py-1 d-flex gap-2 flex-wrap">
          {!state.initial && (
            <Button size="sm" onClick={makeFirst}>
              Start here
            </Button>
          )}
          <Button size="sm" onClick={addNext}>
            <Plus size={13} aria-hidden /> Next state
          </Button>
          <Button size="sm" onClick={addInside}>
            <Plus size={13} aria-hidden /> State inside
          </Button>
        </div>
        <TextRow type={type} label="When it is entered" value={state.entry} place={`${place}/entry`} onCommit={(entry) => set({ entry }, `Change the entry text of ${state.name}`, `entry-${state.id}`)} />
        <TextRow type={type} label="When it is left" value={state.exit} place={`${place}/exit`} onCommit={(exit) => set({ exit }, `Change the exit text of ${state.name}`, `exit-${state.id}`)} />
        <div className="px-3 py-1">
          <label className="quiet d-block">Note</label>
          <CellField value={state.note} label="Note of the state" multiline placeholder="what it is for" onCommit={(note) => set({ note }, `Change the note of ${state.name}`)} />
        </div>
        {facts && (
          <>
            <h3 className="section-title">In this run</h3>
            <p className="px-3">
              entered {facts.times} time{facts.times === 1 ? '' : 's'}, active for {formatNumber(facts.total)} s
            </p>
          </>
        )}
        <TraceLinks address={place} what={state.name} />
      </div>
    </>
  );
}

const triggers: readonly (readonly [Transition['trigger'], string])[] = [['message', 'a message arrives'], ['after', 'time has passed'], ['when', 'something is true'], ['completion', 'at once']];

function TransitionDetails({ type, chart, transition: t, path }: { readonly type: PartType; readonly chart: Chart; readonly transition: Transition; readonly path: string | undefined }) {
  const { edit } = useProject.getState();
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  const list = `types/${type.id}/charts/${chart.id}/transitions`;
  const place = `type/${type.id}/chart/${chart.id}/transition/${t.id}`;
  const problems = useProject((s) => s.problems);
  const set = (changes: Partial<Transition>, what: string, merge?: string) => edit({ kind: 'update', list, id: t.id, changes }, what, merge);
  const states = chart.states.map((s) => [s.id, s.name] as const);
  const messages = [...new Set([...type.ports.filter((p) => p.direction === 'in').flatMap((p) => p.messages), ...chart.transitions.filter((x) => x.trigger === 'message').map((x) => x.on)])].filter(Boolean);
  const own = problems.filter((p) => p.place === place || p.place === `${place}/trigger`);
  const fired = run && path !== undefined ? firedTimes(run, fullName(path, chart.name), t.id) : undefined;
  const labels = { message: 'Message', after: 'How long', when: 'Condition', completion: '' };
  const order = chart.transitions.filter((x) => x.from === t.from);
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">transition</span> {transitionText(t)}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>From</label>
          <div>
            <CellSelect value={t.from} label="From state" options={states} onCommit={(from) => set({ from }, 'Change where a transition starts')} />
          </div>
        </div>
        <div className="field-row">
          <label>To</label>
          <div>
            <CellSelect value={t.to} label="To state" options={states} onCommit={(to) => set({ to }, 'Change where a transition leads')} />
          </div>
        </div>
        <div className="field-row">
          <label>Fires when</label>
          <div>
            <CellSelect value={t.trigger} label="Trigger" options={triggers} onCommit={(trigger) => set({ trigger: trigger as Transition['trigger'], on: trigger === 'after' ? "1 's'" : '' }, 'Change a trigger')} />
          </div>
        </div>
        {t.trigger === 'message' && (
          <div className="field-row">
            <label>Message</label>
            <div>
              <CellField value={t.on} label="Message" mono list={messages} placeholder="name of the message" {...(own[0] && { problem: own[0].message })} onCommit={(on) => set({ on }, 'Change a trigger')} />
            </div>
          </div>
        )}
        {(t.trigger === 'after' || t.trigger === 'when') && <TextRow type={type} label={labels[t.trigger]} value={t.on} place={`${place}/trigger`} onCommit={(on) => set({ on }, 'Change a trigger', `on-${t.id}`)} />}
        <TextRow type={type} label="Only if (guard)" value={t.guard} place={`${place}/guard`} onCommit={(guard) => set({ guard }, 'Change a guard', `guard-${t.id}`)} />
        <TextRow type={type} label="Then does (effect)" value={t.effect} place={`${place}/effect`} onCommit={(effect) => set({ effect }, 'Change an effect', `effect-${t.id}`)} />
        {order.length > 1 && (
          <p className="px-3 quiet pt-1">
            Number {order.findIndex((x) => x.id === t.id) + 1} of {order.length} tried from {chart.states.find((s) => s.id === t.from)?.name}.
          </p>
        )}
        {fired !== undefined && (
          <>
            <h3 className="section-title">In this run</h3>
            <p className="px-3">{fired.length === 0 ? 'It did not fire.' : `Fired ${fired.length} time${fired.length === 1 ? '' : 's'}: ${fired.slice(0, 6).map((x) => `${formatNumber(x)} s`).join(', ')}${fired.length > 6 ? ' …' : ''}`}</p>
          </>
        )}
        <TraceLinks address={place} what={transitionText(t)} />
      </div>
    </>
  );
}

