import type { PartFit, PartLine, PartLoss, PartProfile, RunListener } from './protocol';
import type { Run } from './run';
import { slowRun } from './slow-run';
import type { Timeline } from './timeline';

/** How long it computes between looks at what has been said to it, and how often it tells: with and without somebody watching. */
const pacing = { shown: { slice: 24, update: 50 }, unseen: { slice: 120, update: 250 } };
/** It tells no more often than every so many times of what a listener needs to take it in, and waits for no listener longer than this. */
const calm = { times: 3, most: 1000 };

export interface SessionOptions {
  readonly id: number;
  readonly listen: RunListener;
  /** Rows are handed over while it goes on; otherwise once it rests. */
  readonly screen: boolean;
  readonly pace: number;
  readonly paused: boolean;
  /** When it ends. */
  readonly stop: number;
}

/** A run that goes on by itself, as fast as somebody wants to watch it, and tells of what happens. */
export interface Session {
  readonly id: number;
  readonly timeline: Timeline;
  /** Lets it go. */
  begin(): void;
  pause(): void;
  resume(): void;
  /** Goes on to just after the next event and pauses. */
  step(): void;
  /** Goes back to just after the event before this moment and pauses; false where there is none. */
  back(): boolean;
  setPace(pace: number): void;
  cancel(): void;
  /** Ends without a word: another run takes its place. */
  drop(): void;
  set(path: string, value: number): boolean;
  send(path: string, args: Readonly<Record<string, number>>): boolean;
}

export function createSession(timeline: Timeline, options: SessionOptions): Session {
  const { id, listen, screen, stop } = options;
  let { pace, paused } = options;
  let cancelled = false,
    dropped = false;
  /** Clock and product time from which the pace counts. */
  let clockBase = 0,
    timeBase = 0;
  let lastUpdate = 0,
    notBefore = 0,
    computing = 0;
  let stoppedAt: string | undefined;
  /** How much of what was done from outside has been told. */
  let told = 0;

  const tell = (): void => {
    const { run, done } = timeline;
    const { simulation } = run;
    const now = (lastUpdate = performance.now());
    const isRunning = simulation.status === 'running';
    const status = cancelled ? 'cancelled' : isRunning && paused ? 'paused' : simulation.status;
    const slow = status === 'running' && pace === 0 ? slowRun(simulation.time, stop, computing / 1000) : undefined;
    const unseen = !screen && status === 'running';
    const taken = listen({
      run: id,
      status,
      time: simulation.time,
      chunk: unseen ? undefined : run.recorder.takeNew(),
      findings: unseen ? [] : run.findings(),
      problem: simulation.problem,
      warnings: slow ? [...simulation.warnings, slow] : simulation.warnings,
      counts: simulation.counts,
      solver: isRunning ? undefined : simulation.report(),
      seconds: computing / 1000,
      stoppedAt,
      actions: { after: told, done: done.slice(told) },
      sequences: run.sequences(),
      lines: linesOf(run),
      ...(status !== 'running' && { profiles: profilesOf(run), losses: lossesOf(run), fits: fitsOf(run) }),
    });
    told = done.length;
    if (!(taken instanceof Promise)) return;
    notBefore = now + calm.most;
    const end = (): void => {
      if (now === lastUpdate) notBefore = now + Math.min(calm.most, calm.times * (performance.now() - now));
    };
    taken.then(end, end);
  };
  const rebase = (): void => {
    clockBase = performance.now();
    timeBase = timeline.run.simulation.time;
  };
  const noteStop = (): void => {
    const place = timeline.run.simulation.takeBreak();
    if (place === undefined) return;
    paused = true;
    stoppedAt = place;
  };
  /** Works for a slice of time, then lets messages in. */
  const work = (): void => {
    if (dropped || paused || cancelled) return;
    const started = performance.now();
    const target = pace > 0 ? timeBase + ((started - clockBase) / 1000) * pace : Infinity;
    const { slice, update } = screen ? pacing.shown : pacing.unseen;
    let looks = 0;
    computing += timeline.advance(target, false, () => ++looks % 16 !== 0 || performance.now() < started + slice);
    noteStop();
    const { status } = timeline.run.simulation;
    const now = performance.now();
    if ((now >= notBefore && now - lastUpdate >= update) || status !== 'running' || paused) tell();
    if (status === 'running' && !paused) setTimeout(work, pace > 0 ? 8 : 0);
  };
  /** Nothing can be done to a run that is over. */
  const isLive = (): boolean => !dropped && !cancelled && timeline.run.simulation.status === 'running';
  const act = (change: () => void): void => {
    if (!isLive()) return;
    change();
    tell();
  };

  return {
    id,
    timeline,
    begin() {
      noteStop();
      rebase();
      setTimeout(() => (paused ? tell() : work()), 0);
    },
    pause: () => act(() => (paused = true)),
    resume() {
      if (!isLive()) return;
      paused = false;
      stoppedAt = undefined;
      rebase();
      work();
    },
    step: () =>
      act(() => {
        paused = true;
        computing += timeline.advance(Infinity, true, () => true);
        stoppedAt = timeline.run.simulation.takeBreak();
      }),
    back() {
      if (dropped || !timeline.back()) return false;
      paused = true;
      cancelled = false;
      stoppedAt = undefined;
      told = 0;
      tell();
      return true;
    },
    setPace: (wanted) =>
      act(() => {
        pace = wanted;
        rebase();
      }),
    cancel: () => act(() => (cancelled = true)),
    drop: () => void (dropped = true),
    set(path, value) {
      if (!isLive()) return true;
      const known = timeline.set(path, value);
      if (known) tell();
      return known;
    },
    send(path, args) {
      if (!isLive()) return true;
      const known = timeline.send(path, args);
      if (known) {
        noteStop();
        tell();
      }
      return known;
    },
  };
}

const profilesOf = ({ steps, parts }: Run): readonly PartProfile[] =>
  steps.flatMap((did, k) => {
    const profile = did.profile();
    return profile ? [{ part: parts[k], overruns: did.overruns(), ...profile }] : [];
  });

const linesOf = ({ steps, parts }: Run): readonly PartLine[] =>
  steps.flatMap((did, k) => {
    const line = did.line();
    return line ? [{ part: parts[k], ...line }] : [];
  });
const fitsOf = ({ steps, parts }: Run): readonly PartFit[] =>
  steps.flatMap((did, k) => did.fits().map((f) => ({ part: parts[k], ...f })));
const lossesOf = ({ steps, parts }: Run): readonly PartLoss[] =>
  steps.flatMap((did, k) => did.losses().map((l) => ({ part: parts[k], ...l })));
