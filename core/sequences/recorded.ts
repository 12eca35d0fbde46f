import type { MessageRecord, TransitionRecord } from '../simulate/simulation';
import { participantsOf, type NamedPart, type PictureRow, type SequencePicture } from './picture';
import { outside } from './read-sequence';

/** What a run leaves behind of its messages and states. */
export interface RecordedRun {
  readonly parts: readonly NamedPart[];
  readonly product: string;
  readonly messages: readonly MessageRecord[];
  readonly transitions: readonly TransitionRecord[];
  /** Name of the chart, its part, and where each transition leads, '' for nowhere. */
  readonly charts: readonly { readonly part: string; readonly targets: readonly string[] }[];
  /** What charts start in. */
  readonly starts?: readonly { readonly part: string; readonly states: readonly string[] }[];
}

export interface RecordedOptions {
  /** Parts shown; undefined: all that take part. What a hidden part says is not shown. */
  readonly shown?: ReadonlySet<string>;
  /** Parts drawn as one with everything inside them. */
  readonly collapsed?: ReadonlySet<string>;
  readonly states?: boolean;
  /** Letters a message has to hold. */
  readonly search?: string;
}

/** The part a row stands at: the outermost collapsed one around it. */
export function shownPart(path: string, collapsed: ReadonlySet<string> | undefined): string {
  if (!collapsed || collapsed.size === 0 || path === outside) return path;
  const names = path.split('.');
  for (let k = 1; k <= names.length; k++) {
    const outer = names.slice(0, k).join('.');
    if (collapsed.has(outer)) return outer;
  }
  return path;
}

/** The sequence a run has left: its messages and states in order. */
export function recordedPicture(run: RecordedRun, options: RecordedOptions = {}): SequencePicture {
  const { shown, collapsed, states = true, search = '' } = options;
  const partAt = (index: number): string => shownPart(index < 0 ? outside : (run.parts[index]?.path ?? ''), collapsed);
  const wanted = search.trim().toLowerCase();
  const rows: PictureRow[] = [];
  const used = new Set<string>();
  const visible = (part: string): boolean => shown === undefined || shown.has(part);
  const put = (row: PictureRow, ...parts: readonly string[]): void => {
    parts.forEach((p) => used.add(p));
    rows.push(row);
  };
  if (states && wanted === '') {
    for (const [k, s] of (run.starts ?? []).entries()) {
      const part = shownPart(s.part, collapsed);
      if (visible(part) && (collapsed === undefined || part === s.part))
        rows.push({
          kind: 'start',
          id: `s${k}`,
          part,
          text: s.states.map((x) => x.split('.').at(-1)).join(', '),
          time: 0,
          depth: 0,
        });
    }
  }
  let m = 0,
    t = 0;
  const { messages, transitions } = run;
  while (m < messages.length || t < transitions.length) {
    const message = messages[m],
      transition = transitions[t];
    const messageFirst =
      transition === undefined ||
      (message !== undefined &&
        (message.time < transition.time || (message.time === transition.time && message.step <= transition.step)));
    if (messageFirst) {
      m++;
      // procedures are started and stopped by messages of their own
      if (message.message.includes('.')) continue;
      if (wanted !== '' && !message.message.toLowerCase().includes(wanted)) continue;
      const from = partAt(message.sender);
      const args = message.args.map((a) => `${a.name} = ${Number(a.value.toPrecision(5))}`).join(', ');
      const text = args ? `${message.message}(${args})` : message.message;
      const tone = message.taken ? 'plain' : message.kept ? 'kept' : 'lost';
      const receivers = message.receivers.length > 0 ? [...new Set(message.receivers.map(partAt))] : [outside];
      for (const to of receivers) {
        if (from === to && message.receivers.length > 0 && message.sender !== message.receivers[0]) continue;
        if (visible(from) && visible(to))
          put({ kind: 'message', id: `m${m}/${to}`, from, to, text, time: message.time, tone, depth: 0 }, from, to);
      }
    } else {
      t++;
      if (!states || wanted !== '') continue;
      const chart = run.charts[transition.chart];
      const target = chart?.targets[transition.transition];
      const part = chart && shownPart(chart.part, collapsed);
      if (target && part !== undefined && visible(part) && (collapsed === undefined || part === chart.part))
        put({ kind: 'state', id: `t${t}`, part, text: target, time: transition.time, depth: 0 }, part);
    }
  }
  // a part that only starts and never speaks needs no column
  const told = rows.filter((r) => r.kind !== 'start' || used.has(r.part));
  const order = [outside, ...new Set(run.parts.map((p) => shownPart(p.path, collapsed)))];
  return {
    participants: participantsOf(
      order.filter((p) => used.has(p)),
      run.parts,
      run.product,
    ),
    rows: told,
  };
}
