'use client';
import { ArrowDown, ArrowUp, Check, CircleHelp, CircleStop, Minus, Plus, X } from 'lucide-react';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { whyNot, type Reason } from '@/core/run/why';
import {
  anyMessage,
  type Chart,
  type PartType,
  type Transition,
  type Trigger,
  type TriggerKind,
} from '@/core/project/project';
import { fullName } from '@/store/derived';
import { toggleBreakpoint } from '@/store/running';
import { useProject } from '@/store/project-store';
import { useRuns, type RunView } from '@/store/run-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { formatNumber } from '@/ui/format';
import { TraceLinks } from '@/ui/trace-links';
import { pathOfState, transitionText } from './chart-geometry';
import { localNames } from './local-names';
import { momentOf } from './moment';
import { firedTimes } from './run-facts';
import { TextRow } from './text-row';
import { FieldRow } from '@/ui/field-row';

const kinds: readonly (readonly [TriggerKind, string])[] = [
  ['message', 'a message arrives'],
  ['after', 'time has passed'],
  ['at', 'a time of the run'],
  ['every', 'again and again'],
  ['when', 'something is true'],
  ['rises', 'something becomes true'],
  ['changes', 'something changes'],
  ['done', 'the state is finished'],
];
const firstText: Partial<Record<TriggerKind, string>> = { after: "1 's'", at: "1 's'", every: "1 's'" };
const textLabel: Partial<Record<TriggerKind, string>> = {
  after: 'How long',
  at: 'When',
  every: 'How often',
  when: 'Condition',
  rises: 'Condition',
  changes: 'Quantity',
};

interface Props {
  readonly type: PartType;
  readonly chart: Chart;
  readonly transition: Transition;
}
/** Changes fields of the transition; what is typed in one field in one go is one step back. */
type Set = (changes: Partial<Transition>, what: string, field?: string) => Problem | undefined;

/** One transition: what fires it, what it does, what the run says of it, and why it did not fire. */
export function TransitionDetails({ type, chart, transition: t, path }: Props & { readonly path: string | undefined }) {
  const list = `type/${type.id}/chart/${chart.id}/transition`;
  const address = `${list}/${t.id}`;
  const set: Set = (changes, what, field) =>
    useProject.getState().edit({ kind: 'update', list, id: t.id, changes }, what, field && `${field}-${t.id}`);
  return (
    <>
      <div className="pane-head">
        <h2 className="text-truncate">
          <span className="quiet">transition</span> {transitionText(t)}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <Ends chart={chart} transition={t} set={set} />
        <Triggers type={type} chart={chart} transition={t} address={address} set={set} />
        <Texts type={type} chart={chart} transition={t} address={address} set={set} />
        <RegionTargets chart={chart} t={t} set={set} />
        <Order chart={chart} transition={t} list={list} />
        {path !== undefined && <InThisRun type={type} chart={chart} transition={t} path={path} />}
        <TraceLinks address={address} what={transitionText(t)} />
      </div>
    </>
  );
}

function Ends({ chart, transition: t, set }: Omit<Props, 'type'> & { readonly set: Set }) {
  const states = chart.states.map((s) => [s.id, s.name] as const);
  return (
    <>
      <FieldRow label="From">
        <CellSelect
          value={t.from}
          label="From state"
          options={states}
          onCommit={(id) => set({ from: id }, 'Change where a transition starts')}
        />
      </FieldRow>
      <FieldRow label="To">
        <CellSelect
          value={t.to}
          label="To state"
          options={[['', 'nowhere: only the effect'], ...states]}
          onCommit={(to) => set({ to }, 'Change where a transition leads')}
        />
      </FieldRow>
    </>
  );
}

interface Addressed extends Props {
  readonly address: string;
  readonly set: Set;
}

/** What fires it: any of its triggers, or, without one, that its state is active. */
function Triggers(props: Addressed) {
  const { chart, transition: t, address, set } = props;
  const stops = useRuns((s) => s.breakpoints).has(address);
  const guarded = t.guard.trim() !== '';
  return (
    <>
      {t.triggers.length === 0 && (
        <p className="quiet px-3 mb-1">
          {chart.states.find((s) => s.id === t.from)?.kind === 'junction'
            ? `Taken together with a way into the junction${guarded ? ', where the guard holds' : ''}.`
            : `Fires at once when its state is active${guarded ? ' and the guard holds' : ''}.`}
        </p>
      )}
      {t.triggers.map((g, k) => (
        <TriggerRows key={k} {...props} trigger={g} number={k} />
      ))}
      <div className="px-3 pb-1 d-flex gap-2 flex-wrap">
        <Button
          size="sm"
          onClick={() => set({ triggers: [...t.triggers, { kind: 'message', on: '' }] }, 'Add a trigger')}
        >
          <Plus size={13} aria-hidden /> {t.triggers.length === 0 ? 'Trigger' : 'Another trigger'}
        </Button>
        <Button size="sm" onClick={() => toggleBreakpoint(address)} aria-pressed={stops}>
          <CircleStop size={13} aria-hidden /> {stops ? 'No longer stop here' : 'Stop the run here'}
        </Button>
      </div>
    </>
  );
}

/** Messages that the part can get, or that its chart waits for already. */
const knownMessages = (type: PartType, chart: Chart): readonly string[] =>
  [
    ...new Set([
      ...type.ports.flatMap((p) => p.accepts.filter((m) => m !== anyMessage)),
      ...chart.transitions.flatMap((x) => x.triggers.filter((g) => g.kind === 'message').map((g) => g.on)),
    ]),
  ].filter(Boolean);

function TriggerRows({
  type,
  chart,
  transition: t,
  address,
  set,
  trigger: g,
  number,
}: Addressed & { readonly trigger: Trigger; readonly number: number }) {
  const at = `${address}/triggers/${number}/on`;
  const problem = useProject((s) => s.problems).find((p) => p.place === at);
  const names = useMemo(() => localNames(chart), [chart]);
  const put = (trigger: Trigger | undefined, field?: string): Problem | undefined =>
    set(
      { triggers: t.triggers.flatMap((x, j) => (j === number ? (trigger ? [trigger] : []) : [x])) },
      'Change a trigger',
      field,
    );
  return (
    <div data-testid="trigger">
      <FieldRow label={number === 0 ? 'Fires when' : 'or when'} className="d-flex">
        <CellSelect
          value={g.kind}
          label="Trigger"
          options={kinds}
          onCommit={(kind) => put({ kind: kind as TriggerKind, on: firstText[kind as TriggerKind] ?? '' })}
        />
        <Button variant="bare" label="Take this trigger away" onClick={() => put(undefined)}>
          <X size={13} aria-hidden />
        </Button>
      </FieldRow>
      {g.kind === 'message' && (
        <FieldRow label="Message">
          <CellField
            value={g.on}
            label="Message"
            mono
            list={knownMessages(type, chart)}
            placeholder="start, or start(level)"
            problem={problem?.message}
            onCommit={(on) => put({ ...g, on })}
          />
        </FieldRow>
      )}
      {g.kind !== 'message' && g.kind !== 'done' && (
        <TextRow
          type={type}
          label={textLabel[g.kind] ?? ''}
          value={g.on}
          place={at}
          more={names}
          onCommit={(on) => put({ ...g, on }, `on-${number}`)}
        />
      )}
    </div>
  );
}

/** Guard, effect, and whether its own state is left. */
function Texts({ type, chart, transition: t, address, set }: Addressed) {
  const names = useMemo(() => localNames(chart), [chart]);
  const from = chart.states.find((s) => s.id === t.from);
  return (
    <>
      <TextRow
        type={type}
        label="Only if (guard; else is taken where no other can be)"
        value={t.guard}
        place={`${address}/guard`}
        more={names}
        onCommit={(guard) => set({ guard }, 'Change a guard', 'guard')}
      />
      <TextRow
        type={type}
        label="Then does (effect)"
        value={t.effect}
        place={`${address}/effect`}
        more={names}
        onCommit={(effect) => set({ effect }, 'Change an effect', 'effect')}
      />
      {from && childrenInside(chart, from.id, t.to) && (
        <label className="px-3 py-1 d-flex gap-2 align-items-center">
          <input
            type="checkbox"
            className="form-check-input mt-0"
            checked={t.internal}
            onChange={(e) => set({ internal: e.target.checked }, 'Change whether a transition leaves its state')}
          />
          stays inside {from.name}: its exit and entry are not done
        </label>
      )}
    </>
  );
}

/** As which of those from its state it is tried. */
function Order({ chart, transition: t, list }: Omit<Props, 'type'> & { readonly list: string }) {
  const ids = chart.transitions.filter((x) => x.from === t.from).map((x) => x.id);
  if (ids.length < 2) return null;
  const at = ids.indexOf(t.id);
  const swap = (by: number): void => {
    const next = [...ids];
    [next[at], next[at + by]] = [next[at + by], next[at]];
    useProject.getState().edit({ kind: 'order', list, ids: next }, 'Change the order of transitions');
  };
  return (
    <div className="px-3 quiet pt-1 d-flex align-items-center gap-1">
      Tried as number {at + 1} of {ids.length} from {chart.states.find((s) => s.id === t.from)?.name}
      <Button variant="bare" label="Try it earlier" disabled={at === 0} onClick={() => swap(-1)}>
        <ArrowUp size={13} aria-hidden />
      </Button>
      <Button variant="bare" label="Try it later" disabled={at === ids.length - 1} onClick={() => swap(1)}>
        <ArrowDown size={13} aria-hidden />
      </Button>
    </div>
  );
}

const mostTimes = 8;

/** When it fired, and why it does not at the cursor. */
function InThisRun({ type, chart, transition: t, path }: Props & { readonly path: string }) {
  const run = useRuns((s) => s.current);
  useRuns((s) => s.version);
  if (!run) return null;
  const fired = firedTimes(run, fullName(path, chart.name), t.id);
  return (
    <>
      {chart.states.some((s) => s.id === t.from) && (
        <WhyNot run={run} type={type} chart={chart} t={t} path={path} fired={fired ?? []} />
      )}
      {fired !== undefined && (
        <>
          <h3 className="section-title">In this run</h3>
          <p className="px-3">
            {fired.length === 0 ? 'It did not fire.' : `Fired ${fired.length} time${fired.length === 1 ? '' : 's'}: `}
            {fired.slice(0, mostTimes).map((x, k) => (
              <button
                key={k}
                type="button"
                className="btn btn-link p-0 me-2 num"
                onClick={() => useRuns.getState().moveCursor(x)}
              >
                {formatNumber(x)} s
              </button>
            ))}
            {fired.length > mostTimes ? '…' : ''}
          </p>
        </>
      )}
    </>
  );
}

const childrenInside = (chart: Chart, outer: string, inner: string): boolean => {
  for (let s = chart.states.find((x) => x.id === inner); s; s = chart.states.find((x) => x.id === s!.parent))
    if (s.parent === outer) return true;
  return false;
};

/** States of other lanes that are entered as well, where the target lies in a state with lanes. */
function RegionTargets({
  chart,
  t,
  set,
}: {
  readonly chart: Chart;
  readonly t: Transition;
  readonly set: (changes: Partial<Transition>, what: string) => unknown;
}) {
  const up = (id: string | null): string[] => {
    const s = chart.states.find((x) => x.id === id);
    return s ? [s.id, ...up(s.parent)] : [];
  };
  const around = up(t.to);
  const together = around
    .map((id) => chart.states.find((s) => s.id === id)!)
    .filter((s) => s.kind === 'parallel' && s.id !== t.to);
  if (together.length === 0) return null;
  const others = chart.states.filter(
    (s) =>
      together.some((p) => up(s.id).includes(p.id)) &&
      !around.includes(s.id) &&
      !up(s.id).some(
        (id) =>
          id !== s.id && around.slice(0, -1).includes(id) && chart.states.find((x) => x.id === id)!.kind !== 'parallel',
      ),
  );
  return (
    <FieldRow label="Also enters">
      <CellSelect
        value={t.also[0] ?? ''}
        label="State of another lane"
        options={[['', 'what the other lanes start in'], ...others.map((s) => [s.id, s.name] as const)]}
        onCommit={(id) => set({ also: id ? [id] : [] }, 'Change which lanes are entered where')}
      />
    </FieldRow>
  );
}

function WhyNot({
  run,
  chart,
  t,
  path,
  fired,
}: {
  readonly run: RunView;
  readonly type: PartType;
  readonly chart: Chart;
  readonly t: Transition;
  readonly path: string;
  readonly fired: readonly number[];
}) {
  const cursor = useRuns((s) => s.cursor);
  const from = chart.states.find((s) => s.id === t.from)!;
  const takenNow = fired.some((x) => Math.abs(x - cursor) < 1e-9);
  const reasons = whyNot(t, from.name, momentOf(run, chart, path, pathOfState(chart, from), cursor));
  return (
    <>
      <h3 className="section-title">{takenNow ? 'It fires at the cursor' : 'Why not at the cursor?'}</h3>
      <ul className="reasons" data-testid="why-not">
        {reasons.map((r, k) => (
          <ReasonRow
            key={k}
            reason={takenNow && r.met === false && k === 0 ? { ...r, met: true, detail: 'It was, until now' } : r}
          />
        ))}
      </ul>
    </>
  );
}

function ReasonRow({ reason }: { readonly reason: Reason }) {
  const { met } = reason;
  return (
    <li className={met === false ? 'missing' : ''}>
      <span
        className={`sign ${met === true ? 'yes' : met === false ? 'no' : 'open'}`}
        aria-label={met === true ? 'there' : met === false ? 'missing' : 'not known'}
      >
        {met === true ? (
          <Check size={13} aria-hidden />
        ) : met === false ? (
          <Minus size={13} aria-hidden />
        ) : (
          <CircleHelp size={13} aria-hidden />
        )}
      </span>
      <div>
        <div className="mono">{reason.text}</div>
        {reason.detail && <div className="quiet">{reason.detail}</div>}
      </div>
    </li>
  );
}
