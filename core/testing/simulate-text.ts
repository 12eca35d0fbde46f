import { parseFile } from '../language/parse';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { compile } from '../simulate/compile';
import type { Program } from '../program/program';
import { createRecorder, valueAt, type Recording } from '../simulate/recording';
import { createSimulation, type Simulation, type SimulationOptions } from '../simulate/simulation';

/** For tests: a text of classes run to its end. */
export interface TextRun {
  readonly recording: Recording;
  readonly simulation: Simulation;
  readonly program: Program;
  at(name: string, t: number): number;
  last(name: string): number;
}

export const defaults: SimulationOptions = {
  stop: 1,
  solver: 'dopri5',
  relative: 1e-8,
  absolute: 1e-10,
  step: 1e-3,
  recordEvery: 1e-2,
  values: new Map(),
  stimulus: [],
};

export const problemsOf = (text: string, name: string): string[] => {
  const parsed = parseFile(text);
  if (parsed.problems.length > 0) return parsed.problems.map((p) => p.message);
  return compile(flatten(libraryOfFile(parsed.value, 'text'), name).model).problems.map((p) => p.message);
};

export function simulateText(text: string, name: string, options: Partial<SimulationOptions> = {}): TextRun {
  const parsed = parseFile(text);
  if (parsed.problems.length > 0) throw new Error(parsed.problems[0].message);
  const { model } = flatten(libraryOfFile(parsed.value, 'text'), name);
  const { program, problems } = compile(model);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  const recorder = createRecorder(model, undefined, { moving: program.moving });
  const simulation = createSimulation(program, { ...defaults, ...options }, recorder);
  simulation.advance(Infinity);
  const recording = recorder.take();
  const column = (wanted: string) => {
    const found = recording.columns.find((c) => c.name === wanted);
    if (!found) throw new Error(`no column ${wanted}`);
    return found;
  };
  return {
    recording,
    simulation,
    program,
    at: (wanted, t) => valueAt(recording, column(wanted), t) ?? NaN,
    last: (wanted) => column(wanted).values[recording.rows - 1],
  };
}
