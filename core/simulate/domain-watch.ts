import type { Machine } from '../program/machine';
import type { Program } from '../program/program';

/** Looks whether square roots are still taken of what has one. */
export interface DomainWatch {
  /** The number of a root whose argument has become negative by more than the solver's errors explain. */
  check(time: number): number | undefined;
}

/** So many times the tolerance is an error of the solution still; so large a share of the largest argument seen is one as well. */
const errors = 100,
  share = 1e-3;

export function createDomainWatch(
  program: Program,
  machine: Machine,
  tolerance: { readonly relative: number; readonly absolute: number },
  /** The largest argument of each root so far. */
  largest: Float64Array = new Float64Array(program.roots.length),
): DomainWatch {
  const count = program.roots.length;
  const now = new Float64Array(2 * count);
  return {
    check(time) {
      if (count === 0) return undefined;
      machine.roots(time, now);
      for (let k = 0; k < count; k++) {
        const x = now[2 * k];
        if (x < -errors * (tolerance.absolute + tolerance.relative * now[2 * k + 1]) - share * largest[k]) return k;
        if (Math.abs(x) > largest[k]) largest[k] = Math.abs(x);
      }
      return undefined;
    },
  };
}
