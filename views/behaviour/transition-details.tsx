'use client';
import { ArrowDown, ArrowUp, Check, CircleHelp, CircleStop, Minus, Plus, X } from 'lucide-react';
import { useMemo } from 'react';
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

/** One transition: what fires it, what it does, what the run says of it, and why it did not fire. */
export function TransitionDetails({
  type,
  chart,
  transition: t,
  path,
}: {
  readonly type: PartType;
  readonly chart: Chart;
  readonly transition: Transition;
  readonly path: string | undefined;
}) {
  const { edit } = useProject.getState();
  const run = useRuns((s) => s.current);
  const stops = useRuns((s) => s.breakpoints);
  useRuns((s) => s.version);
  const list = `type/${type.id}/chart/${chart.id}/transition`;
  const place = `type/${type.id}/chart/${chart.id}/transition/${t.id}`;
  const problems = useProject((s) => s.problems);
  const set = (changes: Partial<Transition>, what: string, merge?: string) =>
    edit({ kind: 'update', list, id: t.id, changes }, what, merge);
  const states = chart.states.map((s) => [s.id, s.name] as const);
  const known = [
    ...new Set([
      ...type.ports.flatMap((p) => p.accepts.filter((m) => m !== anyMessage)),
      ...chart.transitions.flatMap((x) => x.triggers.filter((g) => g.kind === 'message').map((g) => g.on)),
    ]),
  ].filter(Boolean);
  const names = useMemo(() => localNames(chart), [chart]);
  const fired = run && path !== undefined ? firedTimes(run, fullName(path, chart.name), t.id) : undefined;
  const order = chart.transitions.filter((x) => x.from === t.from);
  const from = chart.states.find((s) => s.id === t.from);
  const setTrigger = (k: number, trigger: Trigger | undefined, merge?: string) =>
    set(
      { triggers: t.triggers.flatMap((g, j) => (j === k ? (trigger ? [trigger] : []) : [g])) },
      'Change a trigger',
      merge,
    );
  const place_ = (by: number): void => {
    const ids = order.map((x) => x.id);
    const at = ids.indexOf(t.id);
    [ids[at], ids[at + by]] = [ids[at + by], ids[at]];
    edit({ kind: 'order', list, ids }, 'Change the order of transitions');
  };
  return (
    <>
      <div className="pane-head">
        <h2 className="text-truncate">
          <span className="quiet">transition</span> {transitionText(t)}
        </h2>
      </div>
      <div className="pane-body pt-2">
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
        {t.triggers.length === 0 && (
          <p className="quiet px-3 mb-1">
            {chart.states.find((s) => s.id === t.from)?.kind === 'junction'
              ? `Taken together with a way into the junction${t.guard.trim() ? ', where the guard holds' : ''}.`
              : `Fires at once when its state is active${t.guard.trim() ? ' and the guard holds' : ''}.`}
          </p>
        )}
        {t.triggers.map((g, k) => {
          const own = problems.find((p) => p.place === `${place}/triggers/${k}/on`);
          return (
            <div key={k} data-testid="trigger">
              <FieldRow label={k === 0 ? 'Fires when' : 'or when'} className="d-flex">
                <CellSelect
                  value={g.kind}
                  label="Trigger"
                  options={kinds}
                  onCommit={(kind) =>
                    setTrigger(k, { kind: kind as TriggerKind, on: firstText[kind as TriggerKind] ?? '' })
                  }
                />
                <Button variant="bare" label="Take this trigger away" onClick={() => setTrigger(k, undefined)}>
                  <X size={13} aria-hidden />
                </Button>
              </FieldRow>
              {g.kind === 'message' && (
                <FieldRow label="Message">
                  <CellField
                    value={g.on}
                    label="Message"
                    mono
                    list={known}
                    placeholder="start, or start(level)"
                    {...(own && { problem: own.message })}
                    onCommit={(on) => setTrigger(k, { ...g, on })}
                  />
                </FieldRow>
              )}
              {g.kind !== 'message' && g.kind !== 'done' && (
                <TextRow
                  type={type}
                  label={textLabel[g.kind] ?? ''}
                  value={g.on}
                  place={`${place}/triggers/${k}/on`}
                  more={names}
                  onCommit={(on) => setTrigger(k, { ...g, on }, `on-${t.id}-${k}`)}
                />
              )}
            </div>
          );
        })}
        <div className="px-3 pb-1 d-flex gap-2 flex-wrap">
          <Button
            size="sm"
            onClick={() => set({ triggers: [...t.triggers, { kind: 'message', on: '' }] }, 'Add a trigger')}
          >
            <Plus size={13} aria-hidden /> {t.triggers.length === 0 ? 'Trigger' : 'Another trigger'}
          </Button>
          <Button size="sm" onClick={() => toggleBreakpoint(place)} aria-pressed={stops.has(place)}>
            <CircleStop size={13} aria-hidden /> {stops.has(place) ? 'No longer stop here' : 'Stop the run here'}
          </Button>
        </div>
        <TextRow
          type={type}
          label="Only if (guard; else is taken where no other can be)"
          value={t.guard}
          place={`${place}/guard`}
          more={names}
          onCommit={(guard) => set({ guard }, 'Change a guard', `guard-${t.id}`)}
        />
        <TextRow
          type={type}
          label="Then does (effect)"
          value={t.effect}
          place={`${place}/effect`}
          more={names}
          onCommit={(effect) => set({ effect }, 'Change an effect', `effect-${t.id}`)}
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
        <RegionTargets chart={chart} t={t} set={set} />
        {order.length > 1 && (
          <div className="px-3 quiet pt-1 d-flex align-items-center gap-1">
            Tried as number {order.findIndex((x) => x.id === t.id) + 1} of {order.length} from {from?.name}
            <Button variant="bare" label="Try it earlier" disabled={order[0].id === t.id} onClick={() => place_(-1)}>
              <ArrowUp size={13} aria-hidden />
            </Button>
            <Button variant="bare" label="Try it later" disabled={order.at(-1)!.id === t.id} onClick={() => place_(1)}>
              <ArrowDown size={13} aria-hidden />
            </Button>
          </div>
        )}
        {run && path !== undefined && from && (
          <WhyNot run={run} type={type} chart={chart} t={t} path={path} fired={fired ?? []} />
        )}
        {fired !== undefined && (
          <>
            <h3 className="section-title">In this run</h3>
            <p className="px-3">
              {fired.length === 0 ? 'It did not fire.' : `Fired ${fired.length} time${fired.length === 1 ? '' : 's'}: `}
              {fired.slice(0, 8).map((x, k) => (
                <button
                  key={k}
                  type="button"
                  className="btn btn-link p-0 me-2 num"
                  onClick={() => useRuns.getState().moveCursor(x)}
                >
                  {formatNumber(x)} s
                </button>
              ))}
              {fired.length > 8 ? '…' : ''}
            </p>
          </>
        )}
        <TraceLinks address={place} what={transitionText(t)} />
      </div>
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
