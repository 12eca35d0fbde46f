import { offersFor, type SheetOffer } from '../signals/offers';
import { signalBlocks } from '../signals/catalogue';
import { newSignalLine, newSignalSheet } from '../project/project';
import type { BlockResponse } from '../signals/responses';
import { projectOf, runProject } from './run-project';

/** How blocks answer to a step, as their offers draw it: computed by the simulator from the formula of the offer. */

const points = 40;
/** Where two seconds would show too little. */
const spans: Readonly<Record<string, number>> = {
  derivative: 0.4,
  'sampled derivative': 2,
  noise: 0.3,
  'sampled noise': 2,
  transportDelay: 0.5,
  'sampled transportDelay': 1,
  chirp: 3,
  counter: 4,
};
/** Values that show what a block is for where those of its offer do not. */
export const shownFormulas: Readonly<Record<string, string>> = {
  transfer: 'transfer(#1, b = {1}, a = {0.2, 1})',
  'sampled derivative': 'derivative(#1, T = 0.2)',
  notch: 'notch(#1, w = 6)',
  lag2: 'lag2(#1, w = 10, d = 0.3)',
  chirp: 'chirp(from = 0.5, to = 4, lasts = 3)',
  step: 'step(at = 0.2, to = 1)',
  ramp: 'ramp(at = 0.2, lasts = 1, to = 1)',
  rateLimit: 'rateLimit(#1, up = 2)',
  debounce: 'debounce(#1, T = 0.2)',
  watchdog: 'watchdog(#1, T = 0.5)',
  pid: 'pid(#1, 0, k = 1, Ti = 1, Td = 0.1)',
  hysteresis: "hysteresis(3*sin(6 'rad/s'*time), low = -1, high = 1)",
  backlash: "backlash(sin(6 'rad/s'*time), gap = 0.6)",
  latch: 'latch(time > 0.2 and time < 0.4, time > 1.4)',
  counter: "counter(sin(5 'rad/s'*time) > 0)",
  quantise: 'quantise(#1, step = 0.5)',
  choose: 'choose(if #1 > 0.7 then 3 elseif #1 < -0.7 then 1 else 2, {1, 3, 2})',
  profile: 'profile(to = 1, speed = 1, acceleration = 4, jerk = 40)',
  stateFeedback: 'stateFeedback(#1, A = [0], B = {1}, C = {1}, K = {1}, L = {4})',
  'sampled transferZ': 'transferZ(#1, b = {0.2}, a = {1, -0.8})',
  polynomial: 'polynomial(#1, c = {1, 0, -1})',
  table2: 'table2(#1, #1, x = {-2, 2}, y = {-2, 2}, z = [0, 1; 1, 4])',
  movingAverage: 'movingAverage(#1, n = 8)',
  fir: 'fir(#1, c = {0.5, 0.3, 0.2})',
  median: 'median(#1 + (if time > 0.8 and time < 0.84 then 1 else 0), n = 5)',
  decimate: "decimate(sin(4 'rad/s'*time), n = 5)",
  difference: 'difference(#1)',
  leastSquares: 'leastSquares(1.5 + 0.3*noise(), x = {1}, noise = 0.2, spread = {3})',
  kalman:
    'kalman({(if time > 0.6 then 1 else 0) + 0.3*noise()}, A = [0], C = [1], Q = [0.5], R = {0.05}, spread = {0.1})',
  extendedKalman:
    'extendedKalman({(if time > 0.6 then 1 else 0) + 0.3*noise()}, f = {1 - out.x[1]^3}, h = {out.x[1]}, Q = [0.5], R = {0.05}, spread = {0.1})',
  leavesRange: 'leavesRange(#1, low = -0.5, high = 0.5, n = 6)',
  cusum: 'cusum(0.5*noise() + #1, slack = 0.5, limit = 5)',
  likelihoodRatio: 'likelihoodRatio(0.5*noise() + #1, deviation = 0.3, n = 20)',
};
/** Which of several outputs is shown. */
export const shownOutput: Readonly<Record<string, string>> = {
  leastSquares: 'theta[1]',
  kalman: 'x[1]',
  extendedKalman: 'x[1]',
  cusum: 'up',
  likelihoodRatio: 'ratio',
};

/** The curve of an offer; undefined for one that says it all in its formula. */
export function responseOf(offer: SheetOffer, every: string): BlockResponse | undefined {
  const block = signalBlocks()[every === '' ? 'continuous' : 'sampled'].get(offer.title);
  if (!block || offer.key.startsWith('op ')) return undefined;
  const isOverValue = block.isFunction;
  const stop = isOverValue ? 1 : (spans[offer.key] ?? spans[block.name] ?? 2);
  const first = block.takes.find((t) => !t.isParameter);
  const jump = `(if time >= ${stop / 10} then 1 else 0)`;
  const truth = `(time >= ${stop / 10} and time < ${0.7 * stop})`;
  const driver = isOverValue ? "(4*time/(1 's') - 2)" : first?.type === 'Boolean' ? truth : jump;
  const formula = (shownFormulas[offer.key] ?? shownFormulas[block.name] ?? offer.formula).replace(/#\d/g, driver);
  const output = shownOutput[block.name];
  const value = output !== undefined ? `out.${output}` : block.givesType === 'Boolean' ? 'if out then 1 else 0' : 'out';
  const period = isOverValue ? '' : every;
  const done = runProject(
    projectOf(
      {
        signals: [
          {
            ...newSignalSheet('s', 'S'),
            every: period,
            lines: [`out = ${formula}`, `y = ${value}`].map((text, k) => newSignalLine(`l${k}`, text)),
          },
        ],
      },
      { stop, recordEvery: stop / points },
    ),
  );
  const y = Array.from({ length: points + 1 }, (_, k) => {
    // just behind the ticks, and no rounding errors instead of zero
    const at = done.at('y', Math.min(stop, (k + 1e-3) * (stop / points)));
    return Math.abs(at) < 1e-9 ? 0 : Number(at.toPrecision(3));
  });
  return { over: isOverValue ? 'u' : 'time', from: isOverValue ? -2 : 0, to: isOverValue ? 2 : stop, y };
}

/** Curves of everything that is offered, by key. */
export function allResponses(): Readonly<Record<string, BlockResponse>> {
  const found: Record<string, BlockResponse> = {};
  for (const every of ['', '0.05'])
    for (const offer of offersFor({ every })) {
      const response = responseOf(offer, every);
      if (response) found[offer.key] = response;
    }
  return found;
}
