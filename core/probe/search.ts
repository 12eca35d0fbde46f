import { randomFrom } from './input';
import { drive, type Driven, type PropertyName, type Sides, type Trial } from './properties';
import { isSpent, rows, tolerance, type Asking, type PropertyAnswer } from './report';
import { changedTrial, fixedTrials, plainerTrials, plainness } from './trials';

/** Looking for a difference between both sides of a property, and for the plainest input that shows it. */

export interface Found {
  readonly trial: Trial;
  readonly driven: Driven;
}

/** How far a trial is from what a property says. */
export type Score = (f: Found) => number;
export const byDifference: Score = ({ driven }) => driven.compared.difference;
/** How much smaller, or greater, the output is for the greater input. */
export const turned: Score = ({ trial, driven: { compared } }) => (trial.bump.by > 0 ? compared.below : compared.above);
const kept: Score = ({ trial, driven: { compared } }) => (trial.bump.by > 0 ? compared.above : compared.below);

export interface Search {
  readonly found: Found | undefined;
  readonly nearest: number;
  readonly tried: PropertyAnswer['tried'];
  /** It was given up: runs take long. */
  readonly isCut: boolean;
  /** Of `monotone`: which order the output has elsewhere. */
  readonly elsewhere?: 'greater' | 'smaller';
}

export function searchFor(property: PropertyName, sides: Sides, asking: Asking): Search {
  if (property !== 'monotone') return searchBy(property, sides, asking, byDifference);
  // it may turn the order round, but then everywhere
  const down = searchBy(property, sides, asking, turned);
  asking.box.meter.spent = 0;
  const up = searchBy(property, sides, asking, kept);
  const tried = {
    inputs: down.tried.inputs + up.tried.inputs,
    runs: down.tried.runs + up.tried.runs,
    failed: down.tried.failed + up.tried.failed,
    seed: down.tried.seed,
  };
  if (down.found && up.found)
    return { found: down.found, nearest: down.nearest, tried, elsewhere: 'greater', isCut: false };
  const isCut = down.isCut || up.isCut;
  return { found: undefined, nearest: Math.min(down.nearest, up.nearest), tried, isCut };
}

function searchBy(property: PropertyName, sides: Sides, asking: Asking, score: Score): Search {
  const { box, space, effort } = asking;
  let isCut = false;
  const more = (share: number): boolean => {
    isCut ||= isSpent(asking);
    return !isCut && asking.more(share);
  };
  let [inputs, runs, failed] = [0, 0, 0];
  const options = { stop: space.stop, rows };
  const attempt = (trial: Trial): Found | undefined => {
    inputs++;
    const driven = drive(box, sides, trial, options);
    runs += sides.runs(trial).length;
    if (!driven) failed++;
    return driven && { trial, driven };
  };
  /** What differs has to differ by the same when it is computed more exactly. */
  const isReal = (f: Found): boolean => {
    const again = drive(box, sides, f.trial, { ...options, exact: true });
    runs += sides.runs(f.trial).length;
    if (!again) return false;
    const [a, b] = [score(f), score({ trial: f.trial, driven: again })];
    return b > tolerance && Math.abs(a - b) < 0.3 * Math.max(a, b);
  };
  const random = randomFrom(space.seed + 1);
  const first = fixedTrials(property, space, Math.max(4, Math.ceil(0.6 * effort)));
  let best: Found | undefined;
  let hit: Found | undefined;
  const look = (f: Found | undefined): boolean => {
    if (!f) return false;
    if (!best || score(f) > score(best)) best = f;
    if (score(f) > tolerance && isReal(f)) hit = f;
    return hit !== undefined;
  };
  for (const [k, trial] of first.entries()) if (!more((0.6 * k) / first.length) || look(attempt(trial))) break;
  // then changes of what came nearest
  for (let k = first.length; !hit && k < effort && best; k++) {
    // where nothing came near, of anything
    const from = score(best) > 0 ? best.trial : first[Math.floor(random() * first.length)];
    if (!more(k / effort) || look(attempt(changedTrial(from, space, random)))) break;
  }
  const tally = (): PropertyAnswer['tried'] => ({ inputs, runs, failed, seed: space.seed });
  if (!hit) return { found: undefined, nearest: best ? score(best) : 0, tried: tally(), isCut };
  // the larger the difference, the easier it is to see; then the plainest input that still shows most of it
  let shown: Found = hit;
  for (let k = 0; k < Math.min(20, effort / 5) && !isSpent(asking, 1.3); k++) {
    const f = attempt(changedTrial(shown.trial, space, random));
    if (f && score(f) > 1.2 * score(shown) && isReal(f)) shown = f;
  }
  const wanted = Math.max(3 * tolerance, Math.min(0.02, 0.3 * score(shown)));
  for (let rounds = 0; rounds < 16 && !isSpent(asking, 1.6); rounds++) {
    const next = plainerTrials(shown.trial, space)
      .filter((t) => plainness(t) < plainness(shown.trial))
      .sort((a, b) => plainness(a) - plainness(b))
      .map(attempt)
      .find((f): f is Found => f !== undefined && score(f) >= wanted && isReal(f));
    if (!next) break;
    shown = next;
  }
  return { found: shown, nearest: score(shown), tried: tally(), isCut };
}
