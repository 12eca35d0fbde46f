import fc from 'fast-check';
import type { Chart } from '../project/project';
import { chartOf, messages, randomParts, script } from '../testing/random-charts';
import { projectOf, row, runProject } from '../testing/run-project';
import { createChartRun } from './chart-run';
import { readChart } from './chart-source';

/**
 * A chart is carried out in two ways: by the interpreter, on its own, and compiled, as a part of a product. Any chart has to do
 * the same in both: be in the same state after every message and every time, with the same values.
 */

// so that no timer ends just when somebody looks
const gap = 0.3137,
  later = 0.0113;

/** Active states, innermost ones, with the values: after every message, a little later. */
function interpreted(chart: Chart, said: readonly string[]): readonly string[] | 'endless' {
  const run = createChartRun({ source: readChart(chart, '', []), services: [] });
  run.start();
  const seen: string[] = [];
  for (const message of said) {
    run.advance(gap);
    if (message !== '') run.send(message);
    run.advance(later);
    seen.push(`${[...run.active()].sort().join('+')} n=${Number(run.value('n'))} flag=${Number(run.value('flag'))}`);
    run.advance(later);
    if (run.problem !== undefined) return 'endless';
  }
  return seen;
}

function compiled(chart: Chart, said: readonly string[]): readonly string[] | 'endless' {
  const at = (k: number): number => gap + k * (gap + 2 * later);
  const project = projectOf(
    { charts: [chart], ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }] },
    {
      stop: at(said.length - 1) + 1.5 * later,
      recordEvery: 0.005,
      stimulus: said.flatMap((m, k) => (m === '' ? [] : [row('send', at(k), m)])),
    },
  );
  try {
    const run = runProject(project);
    return said.map((_, k) => {
      const t = at(k) + later;
      const words = run
        .mode('c', t)
        .split(/[,+&|] ?/)
        .map((w) => w.split('.').at(-1)!.trim());
      return `${words.sort().join('+')} n=${run.at('c.n', t)} flag=${run.at('c.flag', t)}`;
    });
  } catch (error) {
    if (/never settles|sent again and again/.test((error as Error).message)) return 'endless';
    throw error;
  }
}

test('any chart does the same interpreted and compiled', () => {
  fc.assert(
    fc.property(randomParts(['when n >= 3', 'when flag', 'changes n', 'rises n >= 2']), script, (p, said) => {
      const chart = chartOf(p);
      expect(compiled(chart, said)).toEqual(interpreted(chart, said));
    }),
    { numRuns: 120 },
  );
});
