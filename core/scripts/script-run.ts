import type { ReadScript, ScriptStep } from './read-script';

/**
 * A script while a run goes on: it is gone through as far as it can be at each moment, and says what is done from outside. What it expected and
 * did not get is told for every line; only what it waits for in vain ends it.
 */
export type LineStatus = 'open' | 'going' | 'done' | 'held' | 'failed';

export interface LineResult {
  readonly line: number;
  readonly status: LineStatus;
  /** When it was done, held or failed last. */
  readonly time: number | undefined;
  /** How often it has been gone through. */
  readonly times: number;
  readonly detail: string;
}

export interface ScriptReport {
  readonly verdict: 'running' | 'passed' | 'failed';
  /** Of what failed first; empty where nothing has. */
  readonly why: string;
  /** When it failed first. */
  readonly failedAt: number | undefined;
  /** When it came to its end. */
  readonly endedAt: number | undefined;
  readonly lines: readonly LineResult[];
}

/** What a script asks of the run it goes along with, by number of a condition. */
export interface ScriptWorld {
  holds(condition: number): boolean;
  /** What its sides are, in words, where it compares two numbers. */
  says(condition: number): string;
}

export type ScriptAction = Extract<ScriptStep, { readonly kind: 'set' | 'send' }>;

/** All it remembers, as plain data. */
export interface ScriptState {
  at: number;
  /** When the step at hand was come to; undefined before that. */
  since: number | undefined;
  readonly rounds: number[];
  /** Steps that have to hold to the end. */
  readonly always: number[];
  readonly results: Map<number, Omit<LineResult, 'line'>>;
  why: string;
  failedAt: number | undefined;
  endedAt: number | undefined;
  clock: number;
  /** Rounds of loops at one moment. */
  turns: number;
}

export interface ScriptRun {
  readonly state: ScriptState;
  /** Goes on as far as possible; what is done from outside now. It has to be asked again at the same time after something was. */
  step(time: number, world: ScriptWorld): readonly ScriptAction[];
  nextTime(): number;
  report(ended: boolean): ScriptReport;
}

const newState = ({ loops }: ReadScript): ScriptState => ({
  at: 0,
  since: undefined,
  rounds: Array<number>(loops).fill(0),
  always: [],
  results: new Map(),
  why: '',
  failedAt: undefined,
  endedAt: undefined,
  clock: 0,
  turns: 0,
});

/** Loops that take no time end somewhere. */
const mostTurns = 100_000;

export function createScriptRun(script: ReadScript, state: ScriptState = newState(script)): ScriptRun {
  const { steps, conditions } = script;
  const note = (line: number, status: LineStatus, detail = ''): void => {
    const known = state.results.get(line);
    // what went wrong once stays visible, whatever happens in later rounds
    const stays = known?.status === 'failed' && status !== 'failed';
    state.results.set(line, {
      status: stays ? 'failed' : status,
      time: stays ? known.time : state.clock,
      times: (known?.times ?? 0) + 1,
      detail: stays ? known.detail : detail,
    });
  };
  const fail = (line: number, detail: string): void => {
    note(line, 'failed', detail);
    if (state.failedAt !== undefined) return;
    state.failedAt = state.clock;
    state.why = `line ${line + 1}: ${detail}`;
  };
  const goTo = (at: number): void => {
    state.at = at;
    state.since = undefined;
  };
  const over = (): void => {
    state.endedAt = state.clock;
    goTo(steps.length);
    for (const k of state.always) note(steps[k].line, 'held');
    state.always.length = 0;
  };
  const isPast = (time: number): boolean => state.clock >= time - 1e-9 * Math.max(1, Math.abs(time));
  const textOf = (condition: number): string => conditions[condition].text;
  const was = (world: ScriptWorld, condition: number): string => {
    const says = world.says(condition);
    return says === '' ? '' : `: ${says}`;
  };
  /** Looks at what has to hold to the end. */
  const watch = (world: ScriptWorld): void => {
    for (const k of [...state.always]) {
      const s = steps[k];
      if (s.kind !== 'expect' || world.holds(s.condition)) continue;
      fail(s.line, `${textOf(s.condition)} did not hold any longer${was(world, s.condition)}`);
      state.always.splice(state.always.indexOf(k), 1);
    }
  };
  /** Whether it goes on behind an expectation. */
  const expectation = (
    s: Extract<ScriptStep, { readonly kind: 'expect' }>,
    since: number,
    world: ScriptWorld,
  ): boolean => {
    const holds = world.holds(s.condition);
    const told = was(world, s.condition);
    switch (s.way) {
      case 'now':
        if (holds) note(s.line, 'held');
        else fail(s.line, `${textOf(s.condition)} did not hold${told}`);
        return true;
      case 'always':
        if (!holds) fail(s.line, `${textOf(s.condition)} did not hold${told}`);
        else if (!state.always.includes(state.at)) state.always.push(state.at);
        return true;
      case 'within':
        if (holds) note(s.line, 'held', `after ${inSeconds(state.clock - since)}`);
        else if (isPast(since + s.seconds))
          fail(s.line, `${textOf(s.condition)} did not come within ${inSeconds(s.seconds)}${told}`);
        else return false;
        return true;
      case 'for':
        if (!holds) fail(s.line, `${textOf(s.condition)} held for ${inSeconds(state.clock - since)} only${told}`);
        else if (isPast(since + s.seconds)) note(s.line, 'held');
        else return false;
        return true;
    }
  };
  return {
    state,
    step(time, world) {
      if (state.endedAt !== undefined) return [];
      if (time > state.clock) state.turns = 0;
      state.clock = time;
      watch(world);
      const actions: ScriptAction[] = [];
      while (state.at < steps.length) {
        const s = steps[state.at];
        // what was done has to be there before anything is looked at
        if (actions.length > 0 && s.kind !== 'set' && s.kind !== 'send') return actions;
        const since = (state.since ??= time);
        switch (s.kind) {
          case 'set':
          case 'send':
            actions.push(s);
            note(s.line, 'done');
            goTo(state.at + 1);
            break;
          case 'wait':
            if (!isPast(since + s.seconds)) return actions;
            note(s.line, 'done');
            goTo(state.at + 1);
            break;
          case 'waitUntil':
            if (world.holds(s.condition)) {
              note(s.line, 'done', `after ${inSeconds(time - since)}`);
              goTo(state.at + 1);
              break;
            }
            if (!isPast(since + s.within)) return actions;
            fail(s.line, `${textOf(s.condition)} did not come within ${inSeconds(s.within)}${was(world, s.condition)}`);
            over();
            return actions;
          case 'expect':
            if (!expectation(s, since, world)) return actions;
            goTo(state.at + 1);
            break;
          case 'unless':
            goTo(world.holds(s.condition) ? state.at + 1 : s.to);
            break;
          case 'go':
            goTo(s.to);
            break;
          case 'begin':
            state.rounds[s.loop] = 0;
            goTo(state.at + 1);
            break;
          case 'round':
            if (++state.turns > mostTurns) {
              fail(s.line, 'It goes round and round, and no time passes');
              over();
              return actions;
            }
            goTo(++state.rounds[s.loop] > s.most ? s.to : state.at + 1);
            break;
        }
      }
      if (actions.length === 0) over();
      return actions;
    },
    nextTime() {
      const s = steps[state.at];
      if (state.endedAt !== undefined || !s) return Infinity;
      // where it has something left to do it does so at once
      if (state.since === undefined) return state.clock;
      if (s.kind === 'wait') return state.since + s.seconds;
      if (s.kind === 'waitUntil') return state.since + s.within;
      return s.kind === 'expect' && (s.way === 'within' || s.way === 'for') ? state.since + s.seconds : Infinity;
    },
    report(ended) {
      const at = steps[state.at];
      const isCut = ended && state.endedAt === undefined;
      const cut =
        isCut && at ? `line ${at.line + 1}: the run ended at ${inSeconds(state.clock)}, before this came` : '';
      const why = state.why || cut;
      return {
        verdict:
          why !== '' && (ended || state.endedAt !== undefined)
            ? 'failed'
            : state.endedAt !== undefined
              ? 'passed'
              : 'running',
        why,
        failedAt: state.failedAt ?? (isCut ? state.clock : undefined),
        endedAt: state.endedAt,
        lines: [...new Set(steps.map((s) => s.line))].map((line): LineResult => {
          const found = state.results.get(line);
          if (found?.status === 'failed' || !at || at.line !== line)
            return found ? { line, ...found } : { line, status: 'open', time: undefined, times: 0, detail: '' };
          return isCut
            ? {
                line,
                status: 'failed',
                time: state.clock,
                times: found?.times ?? 0,
                detail: 'The run ended before this came',
              }
            : { line, status: 'going', time: found?.time, times: found?.times ?? 0, detail: found?.detail ?? '' };
        }),
      };
    },
  };
}

const inSeconds = (seconds: number): string =>
  seconds === Infinity ? 'any time' : `${Number(seconds.toPrecision(4))} s`;
