import { createLane, type Finding, type Lane, type Monitor, type Verdict } from './finding';
import type { TreeSource } from './source';
import { Rows, type Kept } from './track';
import { createNode } from './tree-node';

/** What is remembered of a formula: its operators, and what they came to so far. */
export interface TreeState {
  readonly rows: Rows;
  readonly body: Kept;
  readonly lane: Lane;
  /** Rows that have been decided. */
  at: number;
  /** How often its condition has come to hold, and whether it did at the last row. */
  seen: number;
  was: boolean;
  /** The margin that counts, and when it was. */
  extreme: number;
  extremeAt: number | undefined;
  failsSince: number | undefined;
  heldAt: number | undefined;
  last: { readonly holds: boolean; readonly margin: number } | undefined;
}

/** Watches any formula of the limit language, row by row; what looks ahead is decided when its time is up. */
export function treeMonitor(source: TreeSource, saved?: TreeState): Monitor {
  const rows = new Rows(saved?.rows);
  const body = createNode(source.body, rows, saved?.body);
  const least = source.mode !== 'eventually';
  const s: TreeState = {
    lane: [],
    at: 0,
    seen: 0,
    was: false,
    extreme: least ? Infinity : -Infinity,
    extremeAt: undefined,
    failsSince: undefined,
    heldAt: undefined,
    last: undefined,
    ...saved,
    rows,
    body: body.kept,
  };
  const lane = createLane(s.lane);
  const { out } = body;
  const judge = (margin: number, time: number): void => {
    if (least ? margin < s.extreme : margin > s.extreme) {
      s.extreme = margin;
      s.extremeAt = time;
    }
  };
  const take = (i: number): void => {
    const [time, holds, margin, on] = [rows.t(i), out.b(i), out.m(i), out.on(i)];
    switch (source.mode) {
      case 'start':
        if (i > 0) return;
        judge(margin, time);
        s.last = { holds, margin };
        if (!holds) s.failsSince = time;
        lane.note(time, holds ? 'good' : 'bad');
        return;
      case 'end':
        s.last = { holds, margin };
        s.extreme = margin;
        s.extremeAt = time;
        lane.note(time, 'waiting');
        return;
      case 'eventually':
        judge(margin, time);
        if (holds) s.heldAt ??= time;
        lane.note(time, holds ? 'good' : s.heldAt === undefined ? 'waiting' : 'idle');
        return;
      case 'always':
        if (on && !s.was) s.seen++;
        s.was = on;
        if (on) judge(margin, time);
        if (!holds) s.failsSince ??= time;
        lane.note(time, !on ? 'idle' : holds ? 'good' : 'bad');
    }
  };
  return {
    state: s,
    row(time, values) {
      rows.push(time);
      body.advance(values);
      for (; s.at < out.end; s.at++) take(s.at);
      out.trim(s.at);
      rows.trim(Math.min(s.at, rows.end - 1));
    },
    rests: () => undefined,
    finding(finished = false): Finding {
      const open = body.tail();
      const copy = lane.copy();
      const quiet = source.body.op === 'implies' ? 'idle' : 'good';
      if (source.mode === 'always') {
        open.forEach((x, k) => {
          const before = copy.at(-1)?.status;
          const status = x === 2 || (x === 1 && k > 0 && before === 'waiting') ? 'waiting' : x === 0 ? 'bad' : quiet;
          if (before !== status) copy.push({ from: rows.t(s.at + k), status });
        });
      }
      let verdict: Verdict,
        reason = '',
        since = s.failsSince;
      if (source.mode === 'always') {
        const firstBad = open.indexOf(0);
        const waiting = open.indexOf(2);
        if (firstBad >= 0) since ??= rows.t(s.at + firstBad);
        verdict = since !== undefined ? 'fails' : waiting >= 0 || s.seen === 0 ? 'undecided' : 'holds';
        if (verdict === 'undecided')
          reason = waiting >= 0 ? 'The run ended before the time was up' : 'Its condition never held in this run';
        else if (source.body.op === 'implies') reason = `Tested ${s.seen} time${s.seen === 1 ? '' : 's'}`;
      } else if (source.mode === 'end') {
        verdict = !s.last || !finished ? 'undecided' : s.last.holds ? 'holds' : 'fails';
        reason = finished ? '' : 'Decided when the run ends';
        if (verdict === 'fails') since = s.extremeAt;
        if (finished && copy.length > 0)
          copy[copy.length - 1] = { ...copy[copy.length - 1], status: verdict === 'fails' ? 'bad' : 'good' };
      } else if (source.mode === 'start') {
        const value = s.last ? (s.last.holds ? 1 : 0) : (open[0] ?? 2);
        verdict = value === 1 ? 'holds' : value === 0 ? 'fails' : 'undecided';
        if (verdict === 'fails') since ??= rows.end > 0 ? rows.t(s.at) : 0;
        if (verdict === 'undecided') reason = 'The run ended before the time was up';
      } else {
        const later = open.includes(1);
        verdict = s.heldAt !== undefined || later ? 'holds' : finished && !open.includes(2) ? 'fails' : 'undecided';
        if (verdict === 'fails') since = rows.end > 0 ? rows.t(rows.end - 1) : undefined;
        reason =
          verdict === 'undecided'
            ? finished
              ? 'The run ended before the time was up'
              : 'It has not happened yet'
            : verdict === 'fails'
              ? 'It never happened in this run'
              : '';
      }
      const margin = Number.isFinite(s.extreme) ? s.extreme * source.marginScale : undefined;
      return {
        verdict,
        margin,
        unit: margin === undefined ? '' : source.unit,
        worstAt: s.extremeAt ?? since,
        failsSince: since,
        reason,
        lane: copy,
      };
    },
  };
}
