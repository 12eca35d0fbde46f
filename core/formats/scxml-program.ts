import { readChart } from '../behaviour/chart-source';
import type { ChartProgram, Service } from '../behaviour/chart-run-types';
import { evaluate } from '../behaviour/interpreter';
import { parseExpressionText, parseStatementsText } from '../language/parse';
import { readScxml } from './scxml-read';
import type { ScxmlFile, ScxmlService } from './scxml-reading';

/** What a file of SCXML says, ready to run on its own. `file` gives the text of files it names during the run. */
export function scxmlProgram(
  scxml: ScxmlFile,
  file: (path: string) => string | undefined = () => undefined,
): ChartProgram {
  return { source: readChart(scxml.chart, '', []), services: scxml.services.map((s) => serviceOf(s, file)) };
}

function serviceOf(s: ScxmlService, file: (path: string) => string | undefined): Service {
  const fixed = s.chart && 'chart' in s.chart ? scxmlProgram(s.chart, file) : undefined;
  return {
    state: s.state,
    forwards: s.forwards,
    ...(s.id !== undefined && { id: s.id }),
    ...(s.idPlace !== undefined && { idPlace: s.idPlace }),
    ...(s.way !== undefined && { way: parseExpressionText(s.way).value }),
    values: s.values.map((x) => ({ name: x.name, value: parseExpressionText(x.value).value })),
    finalize: parseStatementsText(s.finalize).value,
    open(env) {
      if (fixed || !s.chart || 'chart' in s.chart) return fixed;
      const said = String(evaluate(parseExpressionText(s.chart.formula).value, env));
      const text = s.chart.isPath ? file(said.replace(/^file:/, '')) : said;
      const read = text === undefined ? undefined : readScxml(text, { file }).value;
      return read && scxmlProgram(read, file);
    },
  };
}
