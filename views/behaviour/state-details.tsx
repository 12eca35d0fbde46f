'use client';
import { CircleStop, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import type { Chart, ChartState, PartType, StateKind } from '@/core/project/project';
import { fullName } from '@/store/derived';
import { toggleBreakpoint } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { TraceLinks } from '@/ui/trace-links';
import { isPlace, pathOfState } from './chart-geometry';
import { localNames } from './local-names';
import { stayFacts } from './run-facts';
import {
  possibleParents,
  putInto,
  startHere,
  stateAfter,
  stateInside,
  stateList,
  type AddedState,
} from './state-edits';
import { TextRow } from './text-row';
import { FieldRow } from '@/ui/field-row';

const kinds: readonly (readonly [StateKind, string])[] = [
  ['state', 'one state inside at a time'],
  ['parallel', 'all lanes inside at once'],
  ['choice', 'choice by guards'],
  ['junction', 'junction by guards'],
  ['final', 'end'],
  ['history', 'way back'],
  ['deepHistory', 'way back, all levels'],
  ['start', 'beginning'],
];

interface Props {
  readonly type: PartType;
  readonly chart: Chart;
  readonly state: ChartState;
}
/** Changes fields of the state; what is typed in one field in one go is one step back. */
type Set = (changes: Partial<ChartState>, what: string, field?: string) => Problem | undefined;

const newId = (prefix: string): string => `${prefix}-${nanoid(8)}`;

/** One state: its texts, where it lies, what the run says of it. */
export function StateDetails({ type, chart, state, path }: Props & { readonly path: string | undefined }) {
  const list = stateList(type.id, chart);
  const address = `${list}/${state.id}`;
  const set: Set = (changes, what, field) =>
    useProject.getState().edit({ kind: 'update', list, id: state.id, changes }, what, field && `${field}-${state.id}`);
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">state</span> {state.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <Identity type={type} chart={chart} state={state} set={set} />
        <Actions type={type} chart={chart} state={state} address={address} />
        <Texts type={type} chart={chart} state={state} address={address} set={set} />
        <div className="px-3 py-1">
          <label className="quiet d-block">Note</label>
          <CellField
            value={state.note}
            label="Note of the state"
            multiline
            placeholder="what it is for"
            onCommit={(note) => set({ note }, `Change the note of ${state.name}`)}
          />
        </div>
        {path !== undefined && <InThisRun chart={chart} state={state} path={path} />}
        <TraceLinks address={address} what={state.name} />
      </div>
    </>
  );
}

/** What it is called, where it lies, and what kind of state it is. */
function Identity({ type, chart, state, set }: Props & { readonly set: Set }) {
  const parents = useMemo(() => possibleParents(chart, state), [chart, state]);
  const rename = (name: string): Problem | undefined =>
    useProject
      .getState()
      .edit({ kind: 'rename', list: stateList(type.id, chart), id: state.id, name }, `Rename ${state.name} to ${name}`);
  return (
    <>
      <FieldRow label="Name">
        <CellField value={state.name} label="Name of the state" mono onCommit={rename} />
      </FieldRow>
      <FieldRow label="Inside">
        <CellSelect
          value={state.parent ?? ''}
          label="State it is inside of"
          options={parents}
          onCommit={(parent) => set(putInto(chart, parent), `Move ${state.name} into another state`)}
        />
      </FieldRow>
      <FieldRow label="Is">
        <CellSelect
          value={state.kind}
          label="What it is"
          options={kinds}
          onCommit={(kind) => set({ kind: kind as StateKind }, `Make ${state.name} another kind of state`)}
        />
      </FieldRow>
    </>
  );
}

function Actions({ type, chart, state, address }: Props & { readonly address: string }) {
  const { edit } = useProject.getState();
  const stops = useRuns((s) => s.breakpoints).has(address);
  const add = ({ edit: added, id }: AddedState, what: string): void => {
    edit(added, what);
    usePlace.getState().select(`state/${id}`);
  };
  return (
    <div className="px-3 py-1 d-flex gap-2 flex-wrap">
      {!state.initial && !isPlace(state.kind) && (
        <Button size="sm" onClick={() => edit(startHere(type.id, chart, state), `Start in ${state.name}`)}>
          Start here
        </Button>
      )}
      <Button
        size="sm"
        onClick={() => add(stateAfter(type.id, chart, state, newId), `Add a state after ${state.name}`)}
      >
        <Plus size={13} aria-hidden /> Next state
      </Button>
      {!isPlace(state.kind) && (
        <>
          <Button
            size="sm"
            onClick={() => add(stateInside(type.id, chart, state, newId), `Add a state inside ${state.name}`)}
          >
            <Plus size={13} aria-hidden /> {state.kind === 'parallel' ? 'Lane' : 'State inside'}
          </Button>
          <Button size="sm" onClick={() => toggleBreakpoint(address)} aria-pressed={stops}>
            <CircleStop size={13} aria-hidden /> {stops ? 'No longer stop here' : 'Stop the run here'}
          </Button>
        </>
      )}
    </div>
  );
}

/** What is done while it is entered, active and left; places between states do less. */
function Texts({ type, chart, state, address, set }: Props & { readonly address: string; readonly set: Set }) {
  const names = useMemo(() => localNames(chart), [chart]);
  const period = chart.period.trim();
  const row = (field: 'entry' | 'do' | 'exit', label: string) => (
    <TextRow
      type={type}
      label={`${field}: ${label}`}
      value={state[field]}
      place={`${address}/${field}`}
      more={names}
      onCommit={(text) => set({ [field]: text }, `Change the ${field} text of ${state.name}`, field)}
    />
  );
  if (isPlace(state.kind))
    return state.kind === 'final' || state.kind === 'choice' ? row('entry', 'when it is entered') : null;
  return (
    <>
      {row('entry', 'when it is entered')}
      {row('do', `while it is active${period ? `, every ${period.replace(/'/g, '')}` : ''}`)}
      {row('exit', 'when it is left')}
      <div className="px-3 py-1">
        <label className="quiet d-block">Keeps messages for later</label>
        <CellField
          value={state.defers}
          label="Messages it keeps for later"
          mono
          placeholder="none"
          onCommit={(defers) => set({ defers }, `Change what ${state.name} keeps for later`)}
        />
      </div>
    </>
  );
}

function InThisRun({ chart, state, path }: Omit<Props, 'type'> & { readonly path: string }) {
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  const facts = run && stayFacts(run, fullName(path, chart.name), pathOfState(chart, state));
  return (
    facts && (
      <>
        <h3 className="section-title">In this run</h3>
        <p className="px-3">
          entered {facts.times} time{facts.times === 1 ? '' : 's'}, active for {formatNumber(facts.total)} s
        </p>
      </>
    )
  );
}
