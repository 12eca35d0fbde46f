import type { Program } from '../program/program';
import { createSimulation, type SimulationOptions } from './simulation';

/** Values of a model at its start, and which of them take what they are given. */

/** Reads a variable from the values of a run: some are only other names, or the opposite, of others. */
export function readerOf(program: Program, variable: number): (values: Float64Array) => number {
  const alias = program.solvable.aliases.get(variable);
  return alias ? (values) => (alias.sign ?? 1) * values[alias.index] : (values) => values[variable];
}

/** As they are once the run has begun; undefined where it cannot. */
export function valuesAtStart(
  program: Program,
  options: SimulationOptions,
  variables: readonly number[],
): readonly number[] | undefined {
  const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
  const simulation = createSimulation(program, options, quiet);
  simulation.advance(0);
  if (simulation.problem) return undefined;
  return variables.map((k) => readerOf(program, k)(simulation.state.memory.v));
}

/**
 * Why a variable keeps its value whatever it is given before a run: it follows from equations, an initial equation or the stimulus says
 * what it starts with. Parameters and constants take what they are given.
 */
export function whyKept(program: Program, options: SimulationOptions, variable: number): string | undefined {
  const { model, aliases, states } = program.solvable;
  const { kind, name, type } = model.variables[variable];
  if (kind === 'parameter' || kind === 'constant') return undefined;
  if (kind === 'continuous' && !states.includes(aliases.get(variable)?.index ?? variable))
    return `${name} follows from the equations and cannot be set; inputs, parameters and starts of states can`;
  const [now] = valuesAtStart(program, options, [variable]) ?? [];
  if (now === undefined) return undefined;
  const other =
    type === 'Boolean' ? 1 - now : type === 'Integer' ? now + 1 : now + Math.max(1e-3, 0.01 * Math.abs(now));
  const values = new Map([...options.values, [variable, other] as const]);
  const [then] = valuesAtStart(program, { ...options, values }, [variable]) ?? [];
  if (then === undefined)
    return `${name} has to begin with ${Number(now.toPrecision(6))}: with another value the model does not start`;
  return Math.abs(then - other) <= 1e-6 * Math.abs(other - now)
    ? undefined
    : `${name} begins with ${Number(then.toPrecision(6))} whatever it is given: an initial equation, another name of it or the stimulus says so`;
}
