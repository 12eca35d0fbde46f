import { magnitude, type Complex } from '../linear/complex';
import { essential, linearise } from '../linear/linearise';
import { polesOf } from '../linear/poles';
import { createSimulation } from '../simulate/simulation';
import type { Box } from './box';

/** Poles of a box around its start, of what its input reaches and its output sees; undefined where it has no slopes there. */
export function polesAtStart(box: Box): readonly Complex[] | undefined {
  try {
    const { program } = box;
    const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
    const simulation = createSimulation(
      program,
      {
        stop: 1e-9,
        solver: 'auto',
        relative: 1e-6,
        absolute: 1e-9,
        step: 1e-9,
        recordEvery: 1e-9,
        values: new Map(),
        stimulus: [],
      },
      quiet,
    );
    simulation.advance(1e-9);
    if (simulation.problem) return undefined;
    const { memory } = simulation.state;
    simulation.machine.outputs(simulation.time);
    const point = { time: simulation.time, values: memory.v, derivatives: memory.d };
    const { aliases } = program.solvable;
    const of = (k: number): number => aliases.get(k)?.index ?? k;
    const inputs = box.inputs.flatMap(({ kind, index }) => (kind === 'truth' ? [] : [of(index)]));
    const whole = linearise(program.solvable, point, inputs, [of(box.y)], new Set(inputs));
    // what switches something has no slope: then all that the output sees counts
    const poles = polesOf(inputs.length === box.inputs.length ? essential(whole) : whole);
    return poles.every((p) => p.every(Number.isFinite)) ? poles : undefined;
  } catch {
    return undefined;
  }
}

/** Whether everything dies away, by poles. */
export const isDying = (poles: readonly Complex[]): boolean =>
  poles.every(([re]) => re < -1e-9 * Math.max(1, ...poles.map(magnitude)));
