import { createRequire } from 'node:module';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { parseFile } from '../core/language/parse';
import { instantiate } from '../core/program/machine';
import { compile } from '../core/simulate/compile';
import { dopri5 } from '../core/simulate/dopri5';
import type { Stepper } from '../core/simulate/stepper';
import { compileToC } from './compiled';
import { median, row, time } from './measure';

/** The parts of the odex package used here; it ships no usable type declarations. */
interface OdexSolver {
  absoluteTolerance: number;
  relativeTolerance: number;
  denseOutput: boolean;
  solve(
    f: (t: number, y: number[]) => number[],
    start: number,
    y: readonly number[],
    end: number,
  ): { readonly y: number[] };
}
const { Solver } = createRequire(import.meta.url)('odex') as { Solver: new (n: number) => OdexSolver };

/** The Arenstorf orbit (Hairer, Norsett, Wanner 1993, II.0) and a chain of 20 oscillators: equal error, then compared. */
export function benchExplicit(): void {
  const mu = 0.012277471,
    mus = 1 - mu;
  const orbit = `model Orbit Real x(start = 0.994), y(start = 0), u(start = 0), v(start = -2.00158510637908252240537862224); Real d1, d2;
equation d1 = ((x + ${mu})^2 + y^2)*sqrt((x + ${mu})^2 + y^2); d2 = ((x - ${mus})^2 + y^2)*sqrt((x - ${mus})^2 + y^2);
der(x) = u; der(y) = v; der(u) = x + 2*v - ${mus}*(x + ${mu})/d1 - ${mu}*(x - ${mus})/d2; der(v) = y - 2*u - ${mus}*y/d1 - ${mu}*y/d2; end Orbit;`;
  const n = 20;
  const chain = `model Chain parameter Integer n = ${n}; Real x[n](start = linspace(0, 1, n)), v[n]; equation for i in 1:n loop der(x[i]) = v[i]; der(v[i]) = -4*x[i] + (if i > 1 then x[max(1, i - 1)] else 0) + (if i < n then x[min(n, i + 1)] else 0); end for; end Chain;`;
  const problems = [
    {
      name: 'Orbit',
      text: orbit,
      end: 17.0652165601579625588917206249,
      start: [0.994, 0, 0, -2.00158510637908252240537862224],
      exact: [0.994, 0, 0, -2.00158510637908252240537862224] as number[] | undefined,
      errors: [0.05, 1e-3],
    },
    {
      name: 'Chain',
      text: chain,
      end: 50,
      start: [...Array.from({ length: n }, (_, k) => k / (n - 1)), ...Array.from({ length: n }, () => 0)],
      exact: undefined,
      errors: [1e-3, 1e-6],
    },
  ];
  for (const p of problems) {
    const { model } = flatten(libraryOfFile(parseFile(p.text).value, 'bench'), p.name);
    const { program } = compile(model);
    if (!program) throw new Error('the benchmark does not compile');
    const machine = instantiate(program);
    machine.parameters(new Map());
    machine.starts();
    machine.event(0);
    const size = program.solvable.states.length;
    const start = Float64Array.from(program.solvable.states, (k) => machine.memory.v[k]);
    // a run makes its stepper once and restarts it; so does this
    const prepare = (tolerance: number) =>
      dopri5(
        size,
        machine.derivatives,
        { relative: tolerance, absolute: tolerance, nominal: new Float64Array(size).fill(1) },
        Infinity,
        machine.flatStep,
      );
    const solve = (stepper: Stepper): Float64Array => {
      stepper.reset(0, start);
      while (stepper.t < p.end) stepper.step(p.end);
      return stepper.y;
    };
    const ours = (tolerance: number): Float64Array => solve(prepare(tolerance));
    const stepsOf = (tolerance: number): number => {
      const stepper = prepare(tolerance);
      solve(stepper);
      return stepper.counts.steps;
    };
    const rhs =
      p.name === 'Orbit'
        ? (_: number, [x, y, u, v]: number[]): number[] => {
            const a = (x + mu) ** 2 + y * y,
              b = (x - mus) ** 2 + y * y;
            const d1 = a * Math.sqrt(a),
              d2 = b * Math.sqrt(b);
            return [
              u,
              v,
              x + 2 * v - (mus * (x + mu)) / d1 - (mu * (x - mus)) / d2,
              y - 2 * u - (mus * y) / d1 - (mu * y) / d2,
            ];
          }
        : (_: number, s: number[]): number[] => {
            const d = new Array<number>(2 * n);
            for (let i = 0; i < n; i++) {
              d[i] = s[n + i];
              d[n + i] = -4 * s[i] + (i > 0 ? s[i - 1] : 0) + (i < n - 1 ? s[i + 1] : 0);
            }
            return d;
          };
    const peer = (tolerance: number): number[] => {
      const solver = new Solver(p.start.length);
      solver.absoluteTolerance = solver.relativeTolerance = tolerance;
      solver.denseOutput = false;
      return solver.solve(rhs, 0, p.start, p.end).y;
    };
    const reference = p.exact ?? Array.from(ours(1e-13));
    const error = (y: ArrayLike<number>): number => Math.max(...reference.map((r, k) => Math.abs(r - y[k])));
    const compiled = compileToC(program, machine.memory.v, Array.from(start));
    for (const wanted of p.errors) {
      // the loosest tolerance that reaches the wanted error, for each
      const tune = (at: (tolerance: number) => ArrayLike<number>): number => {
        let tolerance = 1e-3;
        while (error(at(tolerance)) > wanted && tolerance > 1e-14) tolerance /= 1.25;
        return tolerance;
      };
      const [mine, theirs] = [tune(ours), tune(peer)];
      const repeat = 40,
        stepper = prepare(mine);
      const a: number[] = [],
        b: number[] = [];
      for (let k = 0; k < 15; k++) {
        a.push(
          time(() => {
            for (let j = 0; j < repeat; j++) solve(stepper);
          }),
        );
        b.push(
          time(() => {
            for (let j = 0; j < repeat; j++) peer(theirs);
          }),
        );
      }
      const ratios = a.map((x, k) => b[k] / x);
      row(
        `${p.name}: Dormand-Prince on generated code against odex, error ${wanted}`,
        `${median(ratios).toFixed(1)}x`,
        wanted === p.errors[0] ? 'at least 3x' : '(a high-order method gains at tight errors)',
      );
      if (!compiled) continue;
      // the same steps, or it would not be the same method
      const steps = stepsOf(mine),
        peerOf = compiled.solve(mine, p.end, 1);
      if (Math.abs(peerOf.steps - steps) > 1) throw new Error(`${p.name}: ${steps} steps here, ${peerOf.steps} in C`);
      const against = Array.from(
        { length: 15 },
        () =>
          time(() => {
            for (let j = 0; j < repeat; j++) solve(stepper);
          }) /
          repeat /
          compiled.solve(mine, p.end, repeat).seconds,
      );
      row(
        `  against the same steps of the generated problem in C at -O2 (${steps} steps)`,
        `${median(against).toFixed(1)}x`,
        'within 2x',
      );
    }
    if (compiled) compiled.remove();
    else row('  against C: this machine has no C compiler', '', '');
  }
}
