'use client';
import { CircleStop, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import {
  childStates,
  newState,
  newTransition,
  type Chart,
  type ChartState,
  type PartType,
  type StateKind,
} from '@/core/project/project';
import { fullName } from '@/store/derived';
import { toggleBreakpoint } from '@/store/running';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { TraceLinks } from '@/ui/trace-links';
import { boxesOf, isPlace, parentsFirst, pathOfState } from './chart-geometry';
import { numberedName } from './numbered-name';
import { localNames } from './local-names';
import { stayFacts } from './run-facts';
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

/** One state: its texts, where it lies, what the run says of it. */
export function StateDetails({
  type,
  chart,
  state,
  path,
}: {
  readonly type: PartType;
  readonly chart: Chart;
  readonly state: ChartState;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const { select } = usePlace.getState();
  const run = useRuns((s) => s.current);
  const stops = useRuns((s) => s.breakpoints);
  const names = useMemo(() => localNames(chart), [chart]);
  const place_ = isPlace(state.kind);
  useRuns((s) => s.version);
  const list = `type/${type.id}/chart/${chart.id}/state`;
  const place = `type/${type.id}/chart/${chart.id}/state/${state.id}`;
  const set = (changes: Partial<ChartState>, what: string, merge?: string) =>
    edit({ kind: 'update', list, id: state.id, changes }, what, merge);
  const parents = useMemo((): (readonly [string, string])[] => {
    const inside = new Set([state.id]);
    for (const s of parentsFirst(chart)) if (s.parent !== null && inside.has(s.parent)) inside.add(s.id);
    return [['', 'the chart'], ...chart.states.filter((s) => !inside.has(s.id)).map((s) => [s.id, s.name] as const)];
  }, [chart, state.id]);
  const facts =
    run && path !== undefined ? stayFacts(run, fullName(path, chart.name), pathOfState(chart, state)) : undefined;
  const siblings = childStates(chart, state.parent);
  const makeFirst = (): void => {
    edit(
      {
        kind: 'batch',
        label: 'Start here',
        edits: siblings.map((s) => ({
          kind: 'update' as const,
          list,
          id: s.id,
          changes: { initial: s.id === state.id },
        })),
      },
      `Start in ${state.name}`,
    );
  };
  const addNext = (): void => {
    const boxes = boxesOf(chart);
    const entry = newState(
      `s-${nanoid(8)}`,
      numberedName(
        chart.states.map((s) => s.name),
        'State',
      ),
      state.parent,
      state.x,
      state.y + (boxes.get(state.id)?.height ?? 60) + 50,
    );
    edit(
      {
        kind: 'batch',
        label: 'Add a state after this one',
        edits: [
          { kind: 'insert', list, entry },
          {
            kind: 'insert',
            list: `type/${type.id}/chart/${chart.id}/transition`,
            entry: newTransition(`x-${nanoid(8)}`, state.id, entry.id),
          },
        ],
      },
      `Add a state after ${state.name}`,
    );
    select(`state/${entry.id}`);
  };
  const addInside = (): void => {
    const children = childStates(chart, state.id);
    const boxes = boxesOf(chart);
    const entry = {
      ...newState(
        `s-${nanoid(8)}`,
        numberedName(
          chart.states.map((s) => s.name),
          'State',
        ),
        state.id,
        24,
        Math.max(50, ...children.map((s) => s.y + (boxes.get(s.id)?.height ?? 60) + 26)),
      ),
      initial: children.length === 0,
    };
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
        <FieldRow label="Name">
          <CellField
            value={state.name}
            label="Name of the state"
            mono
            onCommit={(name) => edit({ kind: 'rename', list, id: state.id, name }, `Rename ${state.name} to ${name}`)}
          />
        </FieldRow>
        <FieldRow label="Inside">
          <CellSelect
            value={state.parent ?? ''}
            label="State it is inside of"
            options={parents}
            onCommit={(parent) =>
              set(
                { parent: parent || null, x: 30, y: 50, initial: childStates(chart, parent || null).length === 0 },
                `Move ${state.name} into another state`,
              )
            }
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
        <div className="px-3 py-1 d-flex gap-2 flex-wrap">
          {!state.initial && !place_ && (
            <Button size="sm" onClick={makeFirst}>
              Start here
            </Button>
          )}
          <Button size="sm" onClick={addNext}>
            <Plus size={13} aria-hidden /> Next state
          </Button>
          {!place_ && (
            <Button size="sm" onClick={addInside}>
              <Plus size={13} aria-hidden /> {state.kind === 'parallel' ? 'Lane' : 'State inside'}
            </Button>
          )}
          {!place_ && (
            <Button size="sm" onClick={() => toggleBreakpoint(place)} aria-pressed={stops.has(place)}>
              <CircleStop size={13} aria-hidden /> {stops.has(place) ? 'No longer stop here' : 'Stop the run here'}
            </Button>
          )}
        </div>
        {(!place_ || state.kind === 'final' || state.kind === 'choice') && (
          <TextRow
            type={type}
            label="entry: when it is entered"
            value={state.entry}
            place={`${place}/entry`}
            more={names}
            onCommit={(entry) => set({ entry }, `Change the entry text of ${state.name}`, `entry-${state.id}`)}
          />
        )}
        {!place_ && (
          <>
            <TextRow
              type={type}
              label={`do: while it is active${chart.period.trim() ? `, every ${chart.period.trim().replace(/'/g, '')}` : ''}`}
              value={state.do}
              place={`${place}/do`}
              more={names}
              onCommit={(text) => set({ do: text }, `Change the do text of ${state.name}`, `do-${state.id}`)}
            />
            <TextRow
              type={type}
              label="exit: when it is left"
              value={state.exit}
              place={`${place}/exit`}
              more={names}
              onCommit={(exit) => set({ exit }, `Change the exit text of ${state.name}`, `exit-${state.id}`)}
            />
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
        )}
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
