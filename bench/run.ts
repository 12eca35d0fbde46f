import { benchBehaviour } from './behaviour';
import { benchNeeds } from './needs';
import { benchPhysics } from './physics';
import { createRequire } from 'node:module';
import { parseFile } from '../core/language/parse';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { prepareRun, createRun, isRunnable } from '../core/run';
import { checkProject } from '../core/run/check';
import { applyEdit } from '../core/project/edits';
import { newQuantity, type Project } from '../core/project/project';
import { compile } from '../core/simulate/compile';
import { createSimulation } from '../core/simulate/simulation';
import { dopri5 } from '../core/simulate/dopri5';
import { tubeCapper } from '../samples/tube-capper';

/** Speeds as ratios inside one run: absolute times depend on the machine. `npm run bench` prints them. */

/** The parts of the odex package used here; it ships no usable type declarations. */
interface OdexSolver {
  absoluteTolerance: number;
  relativeTolerance: number;
  denseOutput: boolean;
  solve(f: (t: number, y: number[]) => number[], start: number, y: readonly number[], end: number): { readonly y: number[] };
}
const { Solver } = createRequire(import.meta.url)('odex') as { Solver: new (n: number) => OdexSolver };

const median = (xs: readonly number[]): number => [...xs].sort((a, b) => a - b)[Math.floor(xs.length / 2)];
const time = (work: () => void): number => {
  const started = performance.now();
  work();
  return (performance.now() - started) / 1000;
};
const row = (what: string, value: string, wanted: string): void => console.log(`${what.padEnd(66)} ${value.padStart(12)}   ${wanted}`);

function capper(): void {
  const seconds = 20;
  const setup = { ...tubeCapper.setups[0], stop: seconds };
  const prepare = (project: Project) => {
    const prepared = prepareRun(project, setup);
    if (!isRunnable(prepared)) throw new Error('the capper does not run');
    return prepared;
  };
  const [watched, unwatched] = [prepare(tubeCapper), prepare({ ...tubeCapper, requirements: [] })];
  const measure = (prepared: typeof watched): number => {
    const run = createRun(prepared);
    return time(() => {
      run.simulation.advance(Infinity);
      run.recorder.take();
    });
  };
  const first = measure(watched);
  // one program at a time, as in a session or a sweep
  const repeated = (prepared: typeof watched): number[] => Array.from({ length: 27 }, () => measure(prepared)).slice(12);
  const full = repeated(watched), bare = repeated(unwatched);
  row('capper with charts, monitors, recording at 1 ms: times real time', `${(seconds / median(full)).toFixed(0)}x`, 'at least 200x');
  row('  the first run of a process, nothing compiled yet', `${(seconds / first).toFixed(0)}x`, '');
  row('  share of the monitors and their observers', `${((median(full) / median(bare) - 1) * 100).toFixed(0)} %`, 'below 15 %');
}

/** The Arenstorf orbit (Hairer, Norsett, Wanner 1993, II.0) and a chain of 20 oscillators: equal error, then compared. */
function explicit(): void {
  const mu = 0.012277471, mus = 1 - mu;
  const orbit = `model Orbit Real x(start = 0.994), y(start = 0), u(start = 0), v(start = -2.00158510637908252240537862224); Real d1, d2;
equation d1 = ((x + ${mu})^2 + y^2)*sqrt((x + ${mu})^2 + y^2); d2 = ((x - ${mus})^2 + y^2)*sqrt((x - ${mus})^2 + y^2);
der(x) = u; der(y) = v; der(u) = x + 2*v - ${mus}*(x + ${mu})/d1 - ${mu}*(x - ${mus})/d2; der(v) = y - 2*u - ${mus}*y/d1 - ${mu}*y/d2; end Orbit;`;
  const n = 20;
  const chain = `model Chain parameter Integer n = ${n}; Real x[n](start = linspace(0, 1, n)), v[n]; equation for i in 1:n loop der(x[i]) = v[i]; der(v[i]) = -4*x[i] + (if i > 1 then x[max(1, i - 1)] else 0) + (if i < n then x[min(n, i + 1)] else 0); end for; end Chain;`;
  const problems = [
    { name: 'Orbit', text: orbit, end: 17.0652165601579625588917206249, start: [0.994, 0, 0, -2.00158510637908252240537862224], exact: [0.994, 0, 0, -2.00158510637908252240537862224] as number[] | undefined, errors: [0.05, 1e-3] },
    { name: 'Chain', text: chain, end: 50, start: [...Array.from({ length: n }, (_, k) => k / (n - 1)), ...Array.from({ length: n }, () => 0)], exact: undefined, errors: [1e-3, 1e-6] },
  ];
  for (const p of problems) {
    const { model } = flatten(libraryOfFile(parseFile(p.text).value, 'bench'), p.name);
    const { program } = compile(model);
    if (!program) throw new Error('the benchmark does not compile');
    const machine = program.createMachine();
    machine.parameters(new Map());
    machine.starts();
    machine.event(0);
    const size = program.solvable.states.length;
    const start = Float64Array.from(program.solvable.states, (k) => machine.memory.v[k]);
    const ours = (tolerance: number): Float64Array => {
      const stepper = dopri5(size, machine.derivatives, { relative: tolerance, absolute: tolerance, nominal: new Float64Array(size).fill(1) }, Infinity, machine.flatStep);
      stepper.reset(0, start);
      while (stepper.t < p.end) stepper.step(p.end);
      return stepper.y;
    };
    const rhs = p.name === 'Orbit'
      ? (_: number, [x, y, u, v]: number[]): number[] => {
          const a = (x + mu) ** 2 + y * y, b = (x - mus) ** 2 + y * y;
          const d1 = a * Math.sqrt(a), d2 = b * Math.sqrt(b);
          return [u, v, x + 2 * v - (mus * (x + mu)) / d1 - (mu * (x - mus)) / d2, y - 2 * u - (mus * y) / d1 - (mu * y) / d2];
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
    for (const wanted of p.errors) {
    // the loosest tolerance that reaches the wanted error, for each
    const tune = (solve: (tolerance: number) => ArrayLike<number>): number => {
      let tolerance = 1e-3;
      while (error(solve(tolerance)) > wanted && tolerance > 1e-14) tolerance /= 1.25;
      return tolerance;
    };
    const [mine, theirs] = [tune(ours), tune(peer)];
    const repeat = 40;
    const a: number[] = [], b: number[] = [];
    for (let k = 0; k < 15; k++) {
      a.push(time(() => { for (let j = 0; j < repeat; j++) ours(mine); }));
      b.push(time(() => { for (let j = 0; j < repeat; j++) peer(theirs); }));
    }
    const ratios = a.map((x, k) => b[k] / x);
    row(`${p.name}: Dormand-Prince on generated code against odex, error ${wanted}`, `${median(ratios).toFixed(1)}x`, wanted === p.errors[0] ? 'at least 3x' : '(a high-order method gains at tight errors)');
    }
  }
}

function editing(): void {
  // the capper with 120 quantities more: 200 in all
  const root = tubeCapper.types[0];
  const more = Array.from({ length: 120 }, (_, k) => ({ ...newQuantity(`q-x${k}`, `x${k}`), unit: 'V' }));
  const physics = more.map((q, k) => `${q.name} = ${k === 0 ? 'psu.voltage' : `x${k - 1} + 0.5*psu.voltage`};`).join('\n');
  const project: Project = { ...tubeCapper, types: tubeCapper.types.map((t) => (t === root ? { ...t, quantities: [...t.quantities, ...more], physics } : t)) };
  let current = project;
  const times: number[] = [];
  for (let k = 0; k < 25; k++) {
    times.push(time(() => {
      current = applyEdit(current, { kind: 'update', list: 'types', id: root.id, changes: { physics: `${physics}\n// ${k}` } }).project;
      if (checkProject(current).problems.some((p) => p.severity === 'error')) throw new Error('the benchmark has problems');
    }));
  }
  row('an edited formula checked again in a project of 200 quantities', `${(median(times.slice(5)) * 1000).toFixed(0)} ms`, 'below 50 ms');
}

function growth(): void {
  const build = (n: number): number =>
    time(() => {
      const text = `model Ladder parameter Integer n = ${n}; Real u[n]; equation der(u[1]) = 1 - 2*u[1] + u[2]; for i in 2:n - 1 loop der(u[i]) = u[i - 1] - 2*u[i] + u[i + 1]; end for; der(u[n]) = u[n - 1] - u[n]; end Ladder;`;
      const { program } = compile(flatten(libraryOfFile(parseFile(text).value, 'bench'), 'Ladder').model);
      if (!program) throw new Error('the ladder does not compile');
      const simulation = createSimulation(program, { stop: 0.01, solver: 'dopri5', relative: 1e-3, absolute: 1e-6, step: 1e-3, recordEvery: 0.01, values: new Map(), stimulus: [] }, { row: () => undefined, message: () => undefined, transition: () => undefined });
      simulation.advance(Infinity);
    });
  build(500);
  const [small, large] = [median([build(1000), build(1000), build(1000)]), median([build(8000), build(8000), build(8000)])];
  row('RC ladder, text to running: growth exponent from 1,000 to 8,000', (Math.log(large / small) / Math.log(8)).toFixed(2), 'near 1');
  row('  8,000 equations', `${large.toFixed(2)} s`, '10,000 below 5 s');
}

capper();
explicit();
editing();
growth();
benchPhysics(row);
benchBehaviour(row);
await benchNeeds((line) => process.stdout.write(`${line}\n`));
