import { processor } from './interpreted-environment';
import type { ChartHost } from './chart-machine';
import type { Sent } from './chart-run-types';
import { runTexts, holds, evaluated, type InterpretedChart } from './interpreted-chart';
import { evaluate, ExecutionError, seconds, truth, type RunValue } from './interpreter';

/** What the machine asks of a chart: its guards, delays and texts, read by the interpreter. */
export function interpretedHost(c: InterpretedChart): ChartHost {
  const { source } = c;
  const triggerOf = (t: number, k: number) => source.transitions[t].triggers[k];
  return {
    now: () => c.time,
    guard(_, t) {
      const { guard } = source.transitions[t];
      return guard === undefined || holds(c, guard);
    },
    condition(_, t, k) {
      const { kind, value } = triggerOf(t, k);
      if (!value) return false;
      if (kind === 'when') return holds(c, value);
      const key = `${t}/${k}`;
      return evaluated(c, value, false, (now) =>
        kind === 'rises'
          ? truth(now) && c.was.has(key) && !truth(c.was.get(key))
          : c.was.has(key) && c.was.get(key) !== now,
      );
    },
    delay(_, t, k) {
      const { value } = triggerOf(t, k);
      return value ? evaluated(c, value, NaN, seconds) : 0;
    },
    period: () => (source.period ? seconds(evaluate(source.period, c.env)) : Infinity),
    act(_, action) {
      const state = source.states[action.index];
      if (action.kind === 'enter') {
        c.entered.add(action.index);
        c.entering = action.index;
        runTexts(c, state.entry);
      } else if (action.kind === 'exit') {
        runTexts(c, state.exit);
        c.entered.delete(action.index);
        c.services.leave(action.index);
      } else if (action.kind === 'do') runTexts(c, state.do);
      else runTexts(c, source.transitions[action.index].effect);
    },
    begin(e) {
      const sent = e.data as Sent | undefined;
      const data = sent ? sent.data : c.results.get(e.name);
      if (!sent) c.results.delete(e.name);
      c.event = {
        name: e.name,
        data,
        type: sent?.type ?? 'internal',
        sendid: sent?.sendid,
        origin: sent?.origin,
        origintype: sent?.origin === undefined ? undefined : processor,
        invokeid: sent?.invokeid,
      };
      if (sent) c.services.hear(e.name, sent);
    },
    receive(_, e) {
      const data = (e.data as Sent | undefined)?.data;
      if (data === null || typeof data !== 'object' || Array.isArray(data)) return;
      for (const name of source.arguments)
        if (name in data) c.values.set(name, (data as { [name: string]: RunValue })[name]);
    },
    took: () => undefined,
    settle: () => c.problem === undefined,
    looked: () => rememberValues(c),
    handled: () => undefined,
    endless: (_, states) => void (c.problem = `It never comes to rest: ${states.join(' -> ')}`),
  };
}

/** What triggers by a change of value compare with the next time; a value that cannot be found stays as it was. */
export function rememberValues(c: InterpretedChart): void {
  c.source.transitions.forEach((t, j) =>
    t.triggers.forEach((g, k) => {
      if ((g.kind !== 'rises' && g.kind !== 'changes') || !g.value) return;
      try {
        c.was.set(`${j}/${k}`, evaluate(g.value, c.env));
      } catch (error) {
        if (!(error instanceof ExecutionError)) throw error;
      }
    }),
  );
}
