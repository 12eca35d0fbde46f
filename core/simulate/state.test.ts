import fc from 'fast-check';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import type { Program } from '../program/program';
import { defaults } from '../testing/simulate-text';
import { compile } from './compile';
import { copyOf, createSimulation, type Observer, type Simulation, type SimulationOptions } from './simulation';
import type { SolverName } from './solvers';

/** A copy of a state taken anywhere: what is made around it goes on to the same end, bit for bit, and the run it was taken of is not disturbed. */

/** One model for each thing that remembers: dense methods, sparse factors, constraints, delays, samples, events in a burst, tables of time. */
const models: Readonly<
  Record<string, { readonly text: string; readonly solvers: readonly SolverName[]; readonly fails?: boolean }>
> = {
  'an oscillator that becomes stiff': {
    text: 'model M Real x(start = 2, fixed = true), y(start = 0, fixed = true); equation der(x) = y; der(y) = 60*(1 - x^2)*y - x; end M;',
    solvers: ['auto', 'implicit', 'dopri5', 'implicit-euler'],
  },
  'a rod of many cells': {
    text: 'model M parameter Integer n = 45; Real u[n](start = {sin(i/3) for i in 1:n}, each fixed = true); equation for i in 1:n loop der(u[i]) = ((if i > 1 then u[i - 1] else 0) - 2*u[i] + (if i < n then u[i + 1] else 0))*400 - u[i]^3; end for; end M;',
    solvers: ['auto', 'implicit'],
  },
  'a ball that bounces ever closer, and jumps': {
    text: 'model M Real h(start = 1, fixed = true), v(start = 0, fixed = true); discrete Integer n(start = 0, fixed = true); equation der(h) = v; der(v) = if time > 1.7 then 40 else -9.81; when h < 0 then reinit(v, -0.7*pre(v)); n = pre(n) + 1; end when; end M;',
    solvers: ['auto', 'rk4'],
  },
  'a ball that falls through the floor once it bounces too fast': {
    text: 'model M Real h(start = 1, fixed = true), v(start = 0, fixed = true); equation der(h) = v; der(v) = -9.81; when h < 0 then reinit(v, -0.5*pre(v)); end when; end M;',
    solvers: ['dopri5'],
    fails: true,
  },
  'a root whose argument ends a little below zero, seen beside where it began': {
    text: 'model M Real x(start = 1e6, fixed = true), r; equation der(x) = -5*(x + 100); r = sqrt(x); end M;',
    solvers: ['dopri5'],
  },
  'a pendulum on its constraint': {
    text: 'model M Real x(start = 0.8, fixed = true), y(start = -0.6), vx(start = 0, fixed = true), vy, f; equation der(x) = vx; der(y) = vy; der(vx) = -f*x; der(vy) = -f*y - 9.81; x^2 + y^2 = 1; end M;',
    solvers: ['auto', 'dopri5'],
  },
  'a controller that samples, an echo, and a root': {
    text: 'model M Real x(start = 1, fixed = true), e, r; discrete Real u(start = 0, fixed = true); equation der(x) = -x + u + 0.3*e; e = delay(x, 0.13); r = sqrt(x + 2); when sample(0, 0.1) then u = pre(u) + 0.2*(0.5 - x); end when; assert(x < 0.9, "x is large", AssertionLevel.warning); end M;',
    solvers: ['auto', 'euler'],
  },
};

function programOf(text: string): Program {
  const { program, problems } = compile(flatten(libraryOfFile(parseFile(text).value, 'text'), 'M').model);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  return program;
}
const options = (solver: SolverName): SimulationOptions => ({
  ...defaults,
  stop: 2.5,
  solver,
  relative: 1e-6,
  absolute: 1e-9,
  recordEvery: 0.05,
  step: 5e-3,
});
type Row = readonly [time: number, sum: number];
/** What is told of a run, as rows that differ where anything does. */
const listener = (rows: Row[]): Observer => ({
  row: (time, values) => void rows.push([time, values.reduce((sum, x, k) => sum + x * (1 + k / 7), 0)]),
  message: () => undefined,
  transition: () => undefined,
});
const stepsOf = (s: Simulation): number => s.counts.steps;
const goOn = (s: Simulation, steps: number): void => {
  let left = steps;
  s.advance(Infinity, false, () => left-- > 0);
};

describe.each(Object.entries(models))('%s', (_, { text, solvers, fails = false }) => {
  const program = programOf(text);
  test.each(solvers)('with %s', (solver) => {
    const told: Row[] = [];
    const whole = createSimulation(program, options(solver), listener(told));
    whole.advance(Infinity);
    expect(whole.status).toBe(fails ? 'failed' : 'finished');
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), (share) => {
        const before: Row[] = [],
          after: Row[] = [];
        const run = createSimulation(program, options(solver), listener(before));
        goOn(run, Math.floor(share * stepsOf(whole)));
        // through the copy that a worker would get as well
        const kept = copyOf(run.state);
        const same: Row[] = before.slice();
        const other = createSimulation(program, options(solver), listener(after), kept);
        expect(other.state).toEqual(run.state);
        other.advance(Infinity);
        expect(other.state).toEqual(whole.state);
        expect([...same, ...after]).toEqual(told);
        run.advance(Infinity);
        expect(run.state).toEqual(whole.state);
        // what was handed out has not been changed by either of them
        expect(createSimulation(program, options(solver), listener([]), kept).state).toEqual(kept);
      }),
      { numRuns: fails ? 24 : 8 },
    );
  });
});
