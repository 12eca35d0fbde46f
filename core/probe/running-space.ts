import { walk } from '../flatten/flat-expression';
import { magnitude } from '../linear/complex';
import { constantsIn, type Box } from './box';
import { polesAtStart } from './poles-at-start';
import { structureOf, type Structure } from './structure';
import type { TrialSpace } from './trials';

/** How long a run of a box lasts that shows all of it. */
export const runningTime = (box: Box): number => spaceOf(box, structureOf(box), 1).stop;

/** How long runs last, and how fast and large inputs are: by the poles around the start, the delays, and the constants in the equations. */
export function spaceOf(box: Box, structure: Structure, seed: number): TrialSpace {
  const poles = polesAtStart(box) ?? [];
  const rates = poles.map(magnitude).filter((w) => w > 1e-6 && w < 1e9);
  const dying = poles.flatMap(([re]) => (re < -1e-6 ? [-re] : []));
  let stop = structure.memory.length === 0 && structure.clock === 'none' ? 1 : 10;
  if (rates.length > 0) {
    const slowest = Math.min(...(dying.length > 0 ? dying : rates));
    stop = Math.min(1e6, Math.max(8 / slowest, 12 / Math.max(...rates)));
    // what grows grows beyond all numbers if one waits
    const growing = Math.max(0, ...poles.map(([re]) => re));
    if (growing > 1e-6) stop = Math.min(stop, 14 / growing);
  }
  const { model } = box;
  const times = (e: Parameters<typeof walk>[0]): void =>
    walk(e, (x) => {
      const at = (y: typeof x): number => {
        if (y.op === 'const') return y.value;
        if (y.op !== 'var') return NaN;
        const { binding } = model.variables[y.index];
        return binding?.op === 'const' ? binding.value : NaN;
      };
      if (x.op === 'delay') {
        const by = at(x.by);
        if (by > 0) stop = Math.max(stop, 6 * by);
      } else if (x.op === 'sample') {
        const every = at(x.interval);
        if (every > 0 && stop < 60 * every) stop = 60 * every;
        if (every > 0 && stop > 4000 * every && rates.length === 0) stop = 400 * every;
      } else if ((x.op === 'lt' || x.op === 'le' || x.op === 'gt' || x.op === 'ge') && mentionsTime(x)) {
        for (const y of [x.a, x.b]) {
          const t = at(y);
          if (t > 0 && t < 1e4) stop = Math.max(stop, 2.5 * t);
        }
      }
    });
  for (const e of structure.equations) {
    times(e.left);
    times(e.right);
  }
  // what comes to an end by itself is looked at before
  const alone = box.run({ steps: [], waves: [] }, { stop, rows: 240 });
  const last = alone.time.at(-1) ?? 0;
  const middle = Math.abs(alone.y[Math.floor(alone.y.length / 2)] ?? 0);
  const escapes = middle > 0 && Math.abs(alone.y.at(-1) ?? 0) > 1e6 * middle;
  if ((alone.problem || escapes) && last > 0) stop = 0.6 * last;
  // own times of the box, and slow and fast ones beside them
  const own = [...new Set(rates.map((w) => Number(w.toPrecision(2))))].slice(0, 4);
  const frequencies = [...new Set([6.3 / stop, ...own, 40 / stop, 150 / stop])].sort((a, b) => a - b);
  const constants = constantsIn(model);
  const sizes = [1, 10, 0.1, ...constants.map((c) => 1.3 * Math.abs(c)), 100, 0.01, 1e3, 1e-3, 1e4];
  return { inputs: box.inputs, stop, frequencies, sizes: [...new Set(sizes)], seed };
}

export const mentionsTime = (e: Parameters<typeof walk>[0]): boolean => {
  let found = false;
  walk(e, (x) => (found ||= x.op === 'time'));
  return found;
};
