import type { Chart } from '../project/project';
import { messages } from './random-charts';
import { projectOf } from './run-project';
import { stepProgramOf } from '../stepcode/controller';
import type { StepProgram } from '../stepcode/step-program';

/** The step program of a part with one chart, every millisecond. */
export function programOf(chart: Chart): StepProgram {
  const project = projectOf({
    charts: [chart],
    ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }],
  });
  const { program, problems } = stepProgramOf(
    project,
    project.types.find((t) => t.charts.length > 0)!,
    0.001,
  );
  if (!program) throw new Error(problems.map((p) => `${p.place}: ${p.message}`).join('; '));
  return program;
}
