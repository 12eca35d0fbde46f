import type { Expr } from '../language/ast';
import { findClass, type ClassLibrary } from './library';

/** What a class says about running it: `annotation(experiment(StopTime = 2, Tolerance = 1e-6, Interval = 0.01))`. */
export function experimentOf(
  library: ClassLibrary,
  className: string,
): { stop?: number; tolerance?: number; interval?: number } {
  const note = findClass(library, undefined, className)?.definition.annotation;
  const experiment = note?.args.find((a) => a.path.join('.') === 'experiment')?.modification.args ?? [];
  const number = (e: Expr | undefined): number | undefined =>
    e?.kind === 'number' && e.value > 0 ? e.value : undefined;
  const read = (name: string): number | undefined =>
    number(experiment.find((a) => a.path[0] === name)?.modification.value);
  const [stop, tolerance, interval] = [read('StopTime'), read('Tolerance'), read('Interval')];
  return { ...(stop && { stop }), ...(tolerance && { tolerance }), ...(interval && { interval }) };
}
