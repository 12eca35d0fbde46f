import fc from 'fast-check';
import { simulateText } from '../testing/simulate-text';

/** Sampled control of a plant in continuous time, whose course between samples is known in closed form: no approximation is left. */

interface Loop {
  readonly start: number;
  readonly interval: number;
  readonly gain: number;
  readonly integral: number;
  readonly wanted: number;
  readonly limit: number;
}
const loop = fc.record({
  start: fc.constantFrom(0, 0.05, 0.13),
  interval: fc.constantFrom(0.1, 0.17, 0.25),
  gain: fc.integer({ min: -8, max: 16 }).map((n) => n / 8),
  integral: fc.integer({ min: 0, max: 8 }).map((n) => n / 8),
  wanted: fc.integer({ min: -4, max: 4 }).map((n) => n / 2),
  limit: fc.constantFrom(0.5, 1.5, 100),
});
const stop = 3;

/** A first-order plant x' = -x + u, u held between samples: at each sample x, the sum of errors and the new u. */
function exact({ start, interval, gain, integral, wanted, limit }: Loop) {
  const samples: { t: number; x: number; sum: number; u: number }[] = [];
  let [t, x, u, sum] = [0, 1, 0, 0];
  for (let k = 0; ; k++) {
    const next = start + k * interval;
    if (next > stop - 1e-9) return samples;
    x = u + (x - u) * Math.exp(-(next - t));
    t = next;
    sum += (wanted - x) * interval;
    u = Math.max(-limit, Math.min(limit, gain * (wanted - x) + integral * sum));
    samples.push({ t, x, sum, u });
  }
}
const n = (x: number): string => (x < 0 ? `(${x})` : String(x));

const ways: Readonly<Record<string, (l: Loop) => string>> = {
  'equations of a when': (l) => `model M Real x(start = 1, fixed = true); discrete Real sum(start = 0), u(start = 0);
equation der(x) = -x + u; when sample(${l.start}, ${l.interval}) then
sum = pre(sum) + (${n(l.wanted)} - x)*${l.interval}; u = max(${n(-l.limit)}, min(${l.limit}, ${n(l.gain)}*(${n(l.wanted)} - x) + ${l.integral}*sum)); end when; end M;`,
  'an algorithm with a when': (
    l,
  ) => `model M Real x(start = 1, fixed = true); discrete Real sum(start = 0), u(start = 0); Real e; equation der(x) = -x + u; e = ${n(l.wanted)} - x;
algorithm when sample(${l.start}, ${l.interval}) then sum := pre(sum) + e*${l.interval}; u := ${n(l.gain)}*e + ${l.integral}*sum;
if u > ${l.limit} then u := ${l.limit}; elseif u < ${n(-l.limit)} then u := ${n(-l.limit)}; end if; end when; end M;`,
  'parts with ports, and a function': (
    l,
  ) => `function limited input Real x; input Real most; output Real y; algorithm y := if x > most then most elseif x < -most then -most else x; end limited;
block Plant input Real u; output Real x(start = 1, fixed = true); equation der(x) = -x + u; end Plant;
block Controller parameter Real kp; parameter Real ki; parameter Real start; parameter Real interval; parameter Real most; input Real e; output discrete Real u(start = 0); discrete Real sum(start = 0);
equation when sample(start, interval) then sum = pre(sum) + e*interval; u = limited(kp*e + ki*sum, most); end when; end Controller;
model M Plant p; Controller c(kp = ${n(l.gain)}, ki = ${l.integral}, start = ${l.start}, interval = ${l.interval}, most = ${l.limit}); Real x, u, sum;
equation c.e = ${n(l.wanted)} - p.x; p.u = c.u; x = p.x; u = c.u; sum = c.sum; end M;`,
};

for (const [way, text] of Object.entries(ways))
  test(`as ${way}: at every sample the values are those of the recursion`, () => {
    fc.assert(
      fc.property(loop, fc.constantFrom('dopri5' as const, 'implicit' as const, 'rk4' as const), (l, solver) => {
        const run = simulateText(text(l), 'M', { stop, solver, step: 1e-3, relative: 1e-9, absolute: 1e-11 });
        expect(run.simulation.status).toBe('finished');
        for (const s of exact(l)) {
          // just after the sample
          expect(run.at('x', s.t)).toBeCloseTo(s.x, 6);
          expect(run.at('sum', s.t)).toBeCloseTo(s.sum, 6);
          expect(run.at('u', s.t)).toBeCloseTo(s.u, 6);
        }
        const last = exact(l).at(-1)!;
        expect(run.last('x')).toBeCloseTo(last.u + (last.x - last.u) * Math.exp(-(stop - last.t)), 6);
      }),
      { numRuns: 12 },
    );
  });

test('two rates: the slow one sees what the fast one has just done, and what holds before, where both are due', () => {
  const text = `model M Integer fast(start = 0), slow(start = 0), seen(start = 0), before(start = 0);
equation when sample(0.1, 0.1) then fast = pre(fast) + 1; end when;
when sample(0.3, 0.3) then slow = pre(slow) + 1; seen = fast; before = pre(fast); end when; end M;`;
  const run = simulateText(text, 'M', { stop: 1 });
  for (const [k, t] of [0.3, 0.6, 0.9].entries()) {
    expect([t, run.at('slow', t + 1e-3), run.at('seen', t + 1e-3), run.at('before', t + 1e-3)]).toEqual([
      t,
      k + 1,
      3 * (k + 1),
      3 * (k + 1) - 1,
    ]);
  }
});

test('a row of memories hands its values on, one place at a sample', () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 6 }), fc.integer({ min: 1, max: 9 }), (length, factor) => {
      const text = `model M parameter Integer n = ${length}; discrete Real m[n](each start = 0); Integer k(start = 0);
equation when sample(0, 0.1) then k = pre(k) + 1; m[1] = ${factor}*k; for i in 2:n loop m[i] = pre(m[i - 1]); end for; end when; end M;`;
      const run = simulateText(text, 'M', { stop: 1.05 });
      for (let k = 1; k <= 11; k++)
        for (let i = 1; i <= length; i++)
          expect([k, i, run.at(`m[${i}]`, (k - 1) * 0.1 + 0.02)]).toEqual([
            k,
            i,
            k - i + 1 > 0 ? factor * (k - i + 1) : 0,
          ]);
    }),
    { numRuns: 15 },
  );
});
