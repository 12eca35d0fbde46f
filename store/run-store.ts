import { create } from 'zustand';
import type { Problem } from '@/core/language/diagnostics';
import type { OutsideAction, RunModel, RunUpdate, PartFit, PartLine, PartLoss, PartProfile } from '@/core/run/protocol';
import type { RequirementFinding, RunSequence } from '@/core/run/run';
import type { HistoryEntry } from './storage';
import { basisUnder } from '@/core/run/basis';
import { changedNames, modelUnder, presentNames } from '@/core/run/present-names';
import type { Project } from '@/core/project/project';
import { appendChunk, emptyRunData, renameColumns, type RunData } from './run-data';

/** One run with everything views show of it. */
export interface RunView {
  /** When it began, in ms: by it kept runs are told apart. */
  readonly at: number;
  readonly model: RunModel;
  readonly setup: string;
  /** Values changed for this run only, as words. */
  readonly changes: string;
  readonly stop: number;
  readonly data: RunData;
  readonly status: RunUpdate['status'];
  readonly time: number;
  readonly findings: readonly RequirementFinding[];
  readonly problem: Problem | undefined;
  readonly warnings?: readonly Problem[];
  readonly counts: RunUpdate['counts'] | undefined;
  readonly solver?: RunUpdate['solver'];
  readonly seconds: number;
  readonly stoppedAt: string | undefined;
  /** What was done from outside, in order. */
  readonly actions: readonly OutsideAction[];
  readonly sequences: readonly RunSequence[];
  /** What steps on boards took; missing in runs that were kept earlier. */
  readonly profiles?: readonly PartProfile[];
  readonly losses?: readonly PartLoss[];
  readonly fits?: readonly PartFit[];
  readonly lines?: readonly PartLine[];
}

export interface RunState {
  readonly current: RunView | undefined;
  /** The run before, shown behind the current one. */
  readonly earlier: RunView | undefined;
  /** Runs before the current one, newest first: as many as there is room for. */
  readonly kept: readonly RunView[];
  /** Which of them is shown behind the current one: the newest, none, or the one that began then. */
  readonly compared: 'newest' | 'none' | number;
  /** A second moment, which the cursor is compared with. */
  readonly mark: number | undefined;
  /** Counts updates of `current.data`. */
  readonly version: number;
  readonly cursor: number;
  /** The cursor stays at the newest moment while a run goes on. */
  readonly follow: boolean;
  /** Visible span of time; undefined: the whole run. */
  readonly span: readonly [number, number] | undefined;
  readonly setupId: string;
  readonly pace: number;
  /** A run is being prepared. */
  readonly starting: boolean;
  /** Problems that kept the last run from starting. */
  readonly startProblems: readonly Problem[];
  /** What the runs of this project found, newest first. */
  readonly history: readonly HistoryEntry[];
  /** Addresses of states and transitions, and conditions, at which a run stops. */
  readonly breakpoints: ReadonlySet<string>;
  readonly stopConditions: readonly string[];
  toggleBreakpoint(address: string): void;
  setStopConditions(conditions: readonly string[]): void;
  setHistory(history: readonly HistoryEntry[]): void;
  chooseSetup(id: string): void;
  setStarting(starting: boolean): void;
  /** The run at hand has ended without a word of its own. */
  endHere(): void;
  setPace(pace: number): void;
  /** `wanted`: when runs began that studies compare, and that stay as long as there is room for any. */
  begin(run: Pick<RunView, 'model' | 'setup' | 'changes' | 'stop'>, wanted?: ReadonlySet<number>): void;
  update(update: RunUpdate): void;
  /** Runs follow where something has been renamed. */
  rename(before: Project, after: Project): void;
  failStart(problems: readonly Problem[]): void;
  moveCursor(time: number): void;
  /** The cursor goes to the newest moment, and stays there. */
  followRun(): void;
  setSpan(span: readonly [number, number] | undefined): void;
  setMark(time: number | undefined): void;
  compare(compared: RunState['compared']): void;
  restore(current: RunView | undefined, kept: readonly RunView[]): void;
  clear(): void;
}

export const useRuns = create<RunState>((set, get) => ({
  current: undefined,
  earlier: undefined,
  kept: [],
  compared: 'newest',
  mark: undefined,
  version: 0,
  cursor: 0,
  follow: true,
  span: undefined,
  setupId: '',
  pace: 0,
  starting: false,
  startProblems: [],
  history: [],
  breakpoints: new Set(),
  stopConditions: [],
  toggleBreakpoint(address) {
    const breakpoints = new Set(get().breakpoints);
    if (!breakpoints.delete(address)) breakpoints.add(address);
    set({ breakpoints });
  },
  setStopConditions: (stopConditions) => set({ stopConditions }),
  setHistory: (history) => set({ history }),
  chooseSetup: (setupId) => set({ setupId }),
  setStarting: (starting) => set({ starting }),
  endHere() {
    const { current } = get();
    if (current) set({ current: { ...current, status: 'cancelled' } });
  },
  setPace: (pace) => set({ pace }),
  begin(run, wanted) {
    const { current, compared } = get();
    const kept = withRoom(current && current.data.rows > 1 ? [current, ...get().kept] : get().kept, compared, wanted);
    set({
      current: {
        ...run,
        at: Math.max(Date.now(), (current?.at ?? 0) + 1),
        data: emptyRunData(),
        status: 'running',
        time: 0,
        findings: [],
        problem: undefined,
        counts: undefined,
        seconds: 0,
        stoppedAt: undefined,
        actions: [],
        sequences: [],
      },
      kept,
      earlier: chosenOf(kept, compared),
      mark: undefined,
      version: 0,
      cursor: 0,
      follow: true,
      span: undefined,
      startProblems: [],
    });
  },
  update(update) {
    const { current, follow, cursor, version } = get();
    if (!current || current.model.run !== update.run) return;
    if (update.chunk) appendChunk(current.data, update.chunk);
    set({
      current: {
        ...current,
        status: update.status,
        time: update.time,
        findings: update.findings,
        problem: update.problem,
        warnings: update.warnings,
        counts: update.counts,
        solver: update.solver,
        seconds: update.seconds,
        stoppedAt: update.stoppedAt,
        sequences: update.sequences,
        ...(update.profiles && { profiles: update.profiles }),
        ...(update.losses && { losses: update.losses }),
        ...(update.fits && { fits: update.fits }),
        ...(update.lines && { lines: update.lines }),
        actions: actionsAfter(current.actions, update.actions),
      },
      version: version + 1,
      cursor: follow ? update.time : cursor,
    });
  },
  rename(before, after) {
    const { current, kept, compared, version } = get();
    const changed = current || kept.length > 0 ? changedNames(before, after) : new Map<string, string>();
    if (changed.size === 0) return;
    const under = (run: RunView): RunView => {
      const names = presentNames(before, after, changed, run.model.partTypes[run.model.parts.indexOf('')] ?? '');
      const { basis } = run.model;
      const model = {
        ...modelUnder(run.model, names),
        ...(basis && { basis: basisUnder(basis, before, after) }),
      };
      return { ...run, model, data: renameColumns(run.data, names) };
    };
    const all = kept.map(under);
    set({ current: current && under(current), kept: all, earlier: chosenOf(all, compared), version: version + 1 });
  },
  failStart: (startProblems) => set({ startProblems }),
  followRun: () => set({ follow: true, cursor: get().current?.time ?? 0 }),
  moveCursor: (time) => set({ cursor: Math.max(0, time), follow: false }),
  setSpan: (span) => set({ span }),
  setMark: (mark) => set({ mark }),
  compare: (compared) => set({ compared, earlier: chosenOf(get().kept, compared) }),
  restore: (current, kept) =>
    set({
      current,
      kept,
      compared: 'newest',
      earlier: kept[0],
      mark: undefined,
      version: 1,
      cursor: current?.time ?? 0,
      follow: false,
      span: undefined,
    }),
  clear: () =>
    set({
      current: undefined,
      earlier: undefined,
      kept: [],
      compared: 'newest',
      mark: undefined,
      cursor: 0,
      span: undefined,
      startProblems: [],
      setupId: '',
      history: [],
      breakpoints: new Set(),
      stopConditions: [],
    }),
}));

const mostKept = 8;
const mostBytes = 96e6;
const bytesOf = (run: RunView): number => run.data.rows * (run.data.columns.size + 1) * 8;

/** As many runs as there is room for, the newest first; the one that is compared with stays. */
function withRoom(
  runs: readonly RunView[],
  compared: RunState['compared'],
  wanted: ReadonlySet<number> = new Set(),
): readonly RunView[] {
  let bytes = 0;
  let count = 0;
  return runs.filter((r, k) => {
    bytes += bytesOf(r);
    const stays = k === 0 || r.at === compared || wanted.has(r.at) || (count < mostKept && bytes < mostBytes);
    if (stays) count++;
    return stays;
  });
}

/** The time of day, with the day where it was another one. */
function clockOf(at: number): string {
  if (at <= 1e9) return '';
  const moment = new Date(at);
  const time = moment.toLocaleTimeString('en-GB');
  const isToday = moment.toDateString() === new Date().toDateString();
  return isToday ? time : `${moment.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })} ${time}`;
}
/** What a run is told apart by: its setup, what was changed for it, and when it began. */
export const runName = (r: Pick<RunView, 'setup' | 'changes' | 'at'>): string =>
  [r.setup, r.changes, clockOf(r.at)].filter(Boolean).join(', ');

const chosenOf = (kept: readonly RunView[], compared: RunState['compared']): RunView | undefined =>
  compared === 'none' ? undefined : (kept.find((r) => r.at === compared) ?? kept[0]);

/** The same list while nothing is new in it. */
const actionsAfter = (
  known: readonly OutsideAction[],
  { after, done }: RunUpdate['actions'],
): readonly OutsideAction[] =>
  done.length === 0 && after === known.length ? known : [...known.slice(0, after), ...done];

/** Time axis of the ribbon. */
export const wholeSpan = (current: RunView | undefined, stop: number): readonly [number, number] => [
  0,
  // a run that had nothing more to do is as long as it is
  Math.max(current?.status === 'finished' ? current.time : (current?.stop ?? stop), 1e-9),
];
