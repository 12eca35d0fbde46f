import fc from 'fast-check';
import { simulateText } from '../testing/simulate-text';

/** Conditions on a swing x = A sin(t), whose crossings are known: each is met once, in its order, at its time, by every method. */

const solvers = ['dopri5', 'implicit', 'auto'] as const;
interface Level {
  readonly at: number;
  readonly rising: boolean;
}
/** The times at which A sin(t) passes a level in one direction. */
function crossings(amplitude: number, { at, rising }: Level, stop: number): number[] {
  const first = Math.asin(at / amplitude);
  const phase = rising ? first : Math.PI - first;
  const found: number[] = [];
  for (let t = phase; t < stop; t += 2 * Math.PI) if (t > 1e-9) found.push(t);
  return found;
}
const textOf = (amplitude: number, levels: readonly Level[]): string => {
  const n = levels.length;
  const whens = levels.map(
    ({ at, rising }, k) =>
      `when x ${rising ? '>' : '<'} ${at < 0 ? `(${at})` : at} then n[${k + 1}] = pre(n[${k + 1}]) + 1; last[${k + 1}] = time; end when;`,
  );
  return `model M Real x(start = 0, fixed = true), v(start = ${amplitude}, fixed = true); Integer n[${n}](each start = 0, each fixed = true);
discrete Real last[${n}](each start = -1, each fixed = true); equation der(x) = v; der(v) = -x; ${whens.join(' ')} end M;`;
};

test('any levels, also such as lie next to each other', () => {
  const level = fc.record({ at: fc.integer({ min: -90, max: 90 }).map((n) => n / 100), rising: fc.boolean() });
  const levels = fc.array(level, { minLength: 1, maxLength: 4 }).chain((all) =>
    // each with a neighbour so near that both are passed within one step
    fc.integer({ min: 1, max: 9 }).map((n) => [...all, ...all.map((l) => ({ ...l, at: l.at + n * 1e-4 }))]),
  );
  fc.assert(
    fc.property(levels, fc.constantFrom(...solvers), fc.integer({ min: 2, max: 16 }), (all, solver, stop) => {
      const run = simulateText(textOf(1, all), 'M', { stop, solver, relative: 1e-9, absolute: 1e-11 });
      expect(run.simulation.status).toBe('finished');
      all.forEach((l, k) => {
        const wanted = crossings(1, l, stop).filter((t) => t < stop - 1e-6);
        expect([l, run.last(`n[${k + 1}]`)]).toEqual([l, wanted.length]);
        if (wanted.length > 0) expect(run.last(`last[${k + 1}]`)).toBeCloseTo(wanted.at(-1)!, 6);
      });
    }),
    { numRuns: 25 },
  );
});

test('a level just below the turning point is met on both sides of it, one just above never', () => {
  for (const solver of solvers)
    for (const gap of [1e-3, 1e-4, 1e-5]) {
      const levels: Level[] = [
        { at: 1 - gap, rising: true },
        { at: 1 - gap, rising: false },
        { at: 1 + gap, rising: true },
        { at: -1 - gap, rising: false },
      ];
      const run = simulateText(textOf(1, levels), 'M', { stop: 7, solver, relative: 1e-10, absolute: 1e-12 });
      expect([solver, gap, ...[1, 2, 3, 4].map((k) => run.last(`n[${k}]`))]).toEqual([solver, gap, 1, 1, 0, 0]);
      expect(run.last('last[1]')).toBeCloseTo(Math.asin(1 - gap), 4);
      expect(run.last('last[2]')).toBeCloseTo(Math.PI - Math.asin(1 - gap), 4);
    }
});

test('rows are as many as the time holds, whatever the events between them, and one each at its moment', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(0.01, 0.05, 0.1, 0.25),
      fc.integer({ min: 1, max: 4 }),
      fc.constantFrom(...solvers),
      (every, stop, solver) => {
        const run = simulateText(textOf(1, [{ at: 0.5, rising: true }]), 'M', { stop, recordEvery: every, solver });
        const times = [...run.recording.time];
        const count = Math.round(stop / every) + 1;
        const rows = Array.from({ length: count }, (_, k) => k * every);
        for (const t of rows) expect(times.filter((x) => Math.abs(x - t) < 1e-9).length).toBeGreaterThanOrEqual(1);
        // besides, two wherever the condition changes, up or down: as it was, and as it is then
        const events = [true, false].flatMap((rising) => crossings(1, { at: 0.5, rising }, stop));
        expect(times.length).toBe(count + 2 * events.length);
        times.slice(1).forEach((t, k) => expect(t).toBeGreaterThanOrEqual(times[k]));
      },
    ),
    { numRuns: 20 },
  );
});
