import { unwrapped } from '@/core/linear/complex';
import type { LoopPicture } from '@/core/linear/loop-picture';
import type { Locus } from '@/core/linear/locus';
import type { Sweep } from '@/core/linear/sweep';
import { formatNumber } from '@/ui/format';
import type { Curve } from '@/ui/xy-plot';

/** A loop as it was looked at, with what it is called. */
export interface Kept {
  readonly name: string;
  readonly picture: LoopPicture;
}

export const hertz = (w: number): number => w / (2 * Math.PI);
export const seconds = (t: number): string => (t < 1 ? `${formatNumber(1000 * t, 4)} ms` : `${formatNumber(t, 4)} s`);
export const degrees = (x: number): number => (x * 180) / Math.PI;

export const originMarks = [{ axis: 'x' as const, at: -1, name: '-1' }];

export function curvesOf(
  kept: readonly Kept[],
): Record<'gain' | 'phase' | 'step' | 'plane' | 'poles', readonly Curve[]> {
  const over = (of: (p: LoopPicture) => readonly number[]): Curve[] =>
    kept.map(({ name, picture: p }) => ({ name, x: p.w.map(hertz), y: of(p) }));
  // far from the origin nothing is to be seen
  const near = (x: number): number => (Math.abs(x) > 6 ? NaN : x);
  return {
    gain: over((p) => p.loop.map(([re, im]) => 20 * Math.log10(Math.hypot(re, im)))),
    phase: over((p) => unwrapped(p.loop)),
    step: kept.map(({ name, picture: p }) => ({ name, x: p.step.time, y: p.step.y })),
    plane: kept.map(({ name, picture: p }) => ({
      name,
      x: p.loop.map(([re]) => near(re)),
      y: p.loop.map(([, im]) => near(im)),
    })),
    poles: kept.flatMap(({ name, picture: p }): Curve[] => [
      {
        name: `poles, ${name}`,
        x: p.closedPoles.map(([re]) => re),
        y: p.closedPoles.map(([, im]) => im),
        points: 'cross',
      },
      ...(p.zeros.length > 0
        ? [
            {
              name: `zeros, ${name}`,
              x: p.zeros.map(([re]) => re),
              y: p.zeros.map(([, im]) => im),
              points: 'ring' as const,
            },
          ]
        : []),
    ]),
  };
}

export function marksOf(
  p: LoopPicture | undefined,
): Record<'gain' | 'phase', readonly { axis: 'x' | 'y'; at: number; name: string }[]> {
  if (!p) return { gain: [], phase: [] };
  const crossing = p.phaseMarginAt === null ? [] : [{ axis: 'x' as const, at: hertz(p.phaseMarginAt), name: 'gain 1' }];
  const turn = p.gainMarginAt === null ? [] : [{ axis: 'x' as const, at: hertz(p.gainMarginAt), name: '-180°' }];
  return {
    gain: [{ axis: 'y', at: 0, name: '0 dB' }, ...crossing, ...turn],
    phase: [{ axis: 'y', at: -180, name: '-180°' }, ...crossing, ...turn],
  };
}

/** Frequencies in Hz around those at which something happens. */
export function worthMeasuring(p: LoopPicture): readonly [low: number, high: number] {
  const [low, high] = [hertz(p.w[0]), hertz(p.w.at(-1)!)];
  const middle = p.bandwidth === null ? Math.sqrt(low * high) : hertz(p.bandwidth);
  return [Math.max(low, middle / 20), Math.min(high, middle * 10)];
}

/** A measured response over the linear one, its phase in the turn that is nearest to it. */
export function sweepCurves(sweep: Sweep, linear: LoopPicture): { readonly gain: Curve; readonly phase: Curve } {
  const x = sweep.w.map(hertz);
  const phases = unwrapped(linear.loop);
  const nearest = (w: number): number => {
    let best = 0;
    linear.w.forEach((v, k) => {
      if (Math.abs(Math.log(v / w)) < Math.abs(Math.log(linear.w[best] / w))) best = k;
    });
    return phases[best];
  };
  return {
    gain: {
      name: 'measured',
      x,
      y: sweep.response.map(([re, im]) => 20 * Math.log10(Math.hypot(re, im))),
      points: 'ring',
    },
    phase: {
      name: 'measured',
      x,
      y: sweep.response.map(([re, im], k) => {
        const own = degrees(Math.atan2(im, re));
        return own + 360 * Math.round((nearest(sweep.w[k]) - own) / 360);
      }),
      points: 'ring',
    },
  };
}

/** Where the poles go, all of them as one row of points. */
export const locusCurve = (locus: Locus, over: string): Curve => ({
  name: `with ${over === '' ? 'the gain times' : over} ${formatNumber(locus.values[0], 3)} .. ${formatNumber(locus.values.at(-1)!, 3)}`,
  x: locus.poles.flatMap((p) => p.map(([re]) => re)),
  y: locus.poles.flatMap((p) => p.map(([, im]) => im)),
  points: 'dot',
});
