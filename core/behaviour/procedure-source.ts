import { readFlow } from '../flows/read-flow';
import type { Statement } from '../language/ast';
import { atPlace, problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import type { Procedure } from '../project/project';
import type { ChartSource } from './chart-source';
import { beginWith, finished, go, newProcedureChart, state, trigger, type ProcedureChart } from './procedure-chart';
import { assignment, sequence } from './procedure-steps';

/**
 * Procedures are run as state charts: every step is a state, the token of a procedure is its active state, and a split is a
 * state whose lanes are active together. So one set of rules (docs/state-charts.md) holds for both, and whatever watches
 * charts watches procedures. Around the steps stand four states: Waiting, Running, Finished, Stopped.
 */

/** Reads the lines of a procedure as a chart that runs them. */
export function readProcedure(
  procedure: Procedure,
  all: readonly Procedure[],
  place: string,
  problems: Problem[],
): ChartSource {
  const chart = newProcedureChart(procedure, all, place, problems);
  const reset = startValues(chart, procedure);
  const names = ['Waiting', 'Running', 'Finished', 'Stopped'];
  const [waiting, running, over, stopped] = names.map((name) => state(chart, name, -1, 'state', place));
  names.forEach((n) => chart.taken.add(n));
  beginWith(chart, procedure.main ? running : waiting);
  const read = readFlow(
    { id: procedure.id, lines: procedure.lines },
    all.map((p) => ({ id: p.id, name: p.name, lines: p.lines })),
  );
  // calls are checked here, with their arguments
  for (const p of read.problems)
    if (!/^There is no flow|comes back to this flow/.test(p.message))
      problems.push({ ...problem('error', 'procedure', p.message), place: `${place}/line/${p.line}` });
  const end = finished(chart, running);
  beginWith(chart, sequence(chart, read.nodes, { parent: running, next: end, names: new Map(), depth: 0 }));
  const message = (word: string) => [trigger('message', undefined, `${procedure.name}.${word}`)];
  for (const s of [waiting, over, stopped]) go(chart, s, running, place, { triggers: message('start') });
  go(chart, running, over, place, { triggers: [trigger('done')] });
  go(chart, running, stopped, place, { triggers: message('stop') });
  chart.states[running] = { ...chart.states[running], entry: reset };
  const { values, states, transitions } = chart;
  return {
    name: procedure.name,
    place,
    values,
    states,
    transitions: [...transitions.filter((t) => !t.otherwise), ...transitions.filter((t) => t.otherwise)],
    arguments: [...chart.messageArguments],
    isProcedure: true,
  };
}

/** Takes in the quantities of a procedure. A number given when one starts is given again with every start: the statements of that. */
function startValues(chart: ProcedureChart, procedure: Procedure): readonly Statement[] {
  return procedure.values.flatMap((v): Statement[] => {
    const place = `${chart.place}/value/${v.id}`;
    const parsed = v.value.trim() === '' ? undefined : parseExpressionText(v.value);
    if (parsed) chart.problems.push(...atPlace(place, parsed.problems));
    const value = parsed && parsed.problems.length === 0 ? parsed.value : undefined;
    chart.values.push({ name: v.name, type: v.type, unit: v.unit, place, ...(value && { value }) });
    return value ? [assignment(v.name, value)] : [];
  });
}
