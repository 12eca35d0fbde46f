import { createLane, type Finding, type Monitor, type Verdict } from './finding';
import type { TreeSource } from './source';
import { Rows } from './track';
import { createNode } from './tree-node';

/** Watches any formula of the limit language, row by row; what looks ahead is decided when its time is up. */
export function treeMonitor(source: TreeSource): Monitor {
  const rows = new Rows();
  const body = createNode(source.body, rows);
  const lane = createLane();
  const { out } = body;
  const least = source.mode !== 'eventually';
  let at = 0,
    seen = 0,
    was = false;
  let extreme = least ? Infinity : -Infinity;
  let extremeAt: number | undefined,
    failsSince: number | undefined,
    heldAt: number | undefined,
    last: { holds: boolean; margin: number } | undefined;
  const judge = (margin: number, time: number): void => {
    if (least ? margin < extreme : margin > extreme) {
      extreme = margin;
      extremeAt = time;
    }
  };
  const take = (i: number): void => {
    const [time, holds, margin, on] = [rows.t(i), out.b(i), out.m(i), out.on(i)];
    switch (source.mode) {
      case 'start':
        if (i > 0) return;
        judge(margin, time);
        last = { holds, margin };
        if (!holds) failsSince = time;
        lane.note(time, holds ? 'good' : 'bad');
        return;
      case 'end':
        last = { holds, margin };
        extreme = margin;
        extremeAt = time;
        lane.note(time, 'waiting');
        return;
      case 'eventually':
        judge(margin, time);
        if (holds) heldAt ??= time;
        lane.note(time, holds ? 'good' : heldAt === undefined ? 'waiting' : 'idle');
        return;
      case 'always':
        if (on && !was) seen++;
        was = on;
        if (on) judge(margin, time);
        if (!holds) failsSince ??= time;
        lane.note(time, !on ? 'idle' : holds ? 'good' : 'bad');
    }
  };
  return {
    row(time, values) {
      rows.push(time);
      body.advance(values);
      for (; at < out.end; at++) take(at);
      out.trim(at);
      rows.trim(Math.min(at, rows.end - 1));
    },
    finding(finished = false): Finding {
      const open = body.tail();
      const copy = lane.copy();
      const quiet = source.body.op === 'implies' ? 'idle' : 'good';
      if (source.mode === 'always') {
        open.forEach((x, k) => {
          const before = copy.at(-1)?.status;
          const status = x === 2 || (x === 1 && k > 0 && before === 'waiting') ? 'waiting' : x === 0 ? 'bad' : quiet;
          if (before !== status) copy.push({ from: rows.t(at + k), status });
        });
      }
      let verdict: Verdict,
        reason = '',
        since = failsSince;
      if (source.mode === 'always') {
        const firstBad = open.indexOf(0);
        const waiting = open.indexOf(2);
        if (firstBad >= 0) since ??= rows.t(at + firstBad);
        verdict = since !== undefined ? 'fails' : waiting >= 0 || seen === 0 ? 'undecided' : 'holds';
        if (verdict === 'undecided')
          reason = waiting >= 0 ? 'The run ended before the time was up' : 'Its condition never held in this run';
        else if (source.body.op === 'implies') reason = `Tested ${seen} time${seen === 1 ? '' : 's'}`;
      } else if (source.mode === 'end') {
        verdict = !last || !finished ? 'undecided' : last.holds ? 'holds' : 'fails';
        reason = finished ? '' : 'Decided when the run ends';
        if (verdict === 'fails') since = extremeAt;
        if (finished && copy.length > 0)
          copy[copy.length - 1] = { ...copy[copy.length - 1], status: verdict === 'fails' ? 'bad' : 'good' };
      } else if (source.mode === 'start') {
        const value = last ? (last.holds ? 1 : 0) : (open[0] ?? 2);
        verdict = value === 1 ? 'holds' : value === 0 ? 'fails' : 'undecided';
        if (verdict === 'fails') since ??= rows.end > 0 ? rows.t(at) : 0;
        if (verdict === 'undecided') reason = 'The run ended before the time was up';
      } else {
        const later = open.includes(1);
        verdict = heldAt !== undefined || later ? 'holds' : finished && !open.includes(2) ? 'fails' : 'undecided';
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
      const margin = Number.isFinite(extreme) ? extreme * source.marginScale : undefined;
      return {
        verdict,
        margin,
        unit: margin === undefined ? '' : source.unit,
        worstAt: extremeAt ?? since,
        failsSince: since,
        reason,
        lane: copy,
      };
    },
  };
}
