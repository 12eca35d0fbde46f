import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { newSetup, newSignalLine, newSignalSheet } from '../project/project';
import { createRun, isRunnable, prepareRun } from '../run';
import { compile } from '../simulate/compile';
import { createSimulation } from '../simulate/simulation';
import { projectOf, quantity } from '../testing/run-project';
import { defaults, simulateText } from '../testing/simulate-text';
import { over, timesComplex, type Complex } from './complex';
import { linearReport, type LinearQuestion, type LinearReport } from './linear-report';

/** Loops with a sampled controller: from tick to tick, exactly. */

function reportOf(text: string, question: LinearQuestion): LinearReport {
  const { value, problems } = told(text, question);
  if (!value) throw new Error(problems.join('; '));
  return value;
}
function told(text: string, question: LinearQuestion): { value: LinearReport | undefined; problems: string[] } {
  const { model } = flatten(libraryOfFile(parseFile(text).value, 'text'), 'L');
  const { program, problems } = compile(model);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  const quiet = { row: () => undefined, message: () => undefined, transition: () => undefined };
  const simulation = createSimulation(program, { ...defaults, stop: 1e-9 }, quiet);
  simulation.advance(Infinity);
  const found = linearReport(program, simulation, question);
  return { value: found.value, problems: found.problems.map((p) => p.message) };
}

const T = 0.1;
/** A first-order plant under a proportional controller with a tick of 0.1 s. */
const proportional = (
  k: number,
): string => `model L input Real w; Real x(start = 0, fixed = true); discrete Real u(start = 0, fixed = true); Boolean tick;
equation der(x) = 2*(u - x); tick = sample(0, ${T}); when tick then u = ${k}*(w - x); end when; end L;`;
const a = Math.exp(-2 * T);

test('the pole of a proportional loop, and its gain at rest', () => {
  const r = reportOf(proportional(3), { from: 'w', to: 'x' });
  expect(r.states).toEqual(['x']);
  // x[k+1] = a x + (1 - a) 3 (w - x)
  expect(r.poles).toEqual([[expect.closeTo(a - 3 * (1 - a), 12), 0]]);
  expect(r.dcGain).toBeCloseTo(3 / 4, 12);
  expect(r.isStable).toBe(true);
  expect(reportOf(proportional(12), { from: 'w', to: 'x' }).isStable).toBe(false);
});

test('the loop opened at the controller output: the gain margin is where the pole comes to -1', () => {
  const r = reportOf(proportional(3), { from: 'w', to: 'x', open: 'u' });
  // a - k (1 - a) = -1
  expect(r.gainMargin).toBeCloseTo((1 + a) / (1 - a) / 3, 9);
});

/** PI by forward sums, as signal sheets have it. */
const pi = `model L input Real w; Real x(start = 0, fixed = true), v(start = 0, fixed = true);
  discrete Real e(start = 0, fixed = true), i(start = 0, fixed = true), was(start = 0, fixed = true), u(start = 0, fixed = true); Boolean tick;
equation der(x) = v; der(v) = 4*(u - x) - 1.2*v; tick = sample(0, ${T});
  when tick then e = w - x; was = e; i = pre(i) + ${T}*0.8*pre(was); u = 1.5*e + i; end when; end L;`;

test('a PI controller on a plant of second order: what comes out is what the run says', () => {
  const r = reportOf(pi, { from: 'w', to: 'x' });
  expect(r.isStable).toBe(true);
  expect(r.dcGain).toBeCloseTo(1, 9);
  // the answer to a step, computed from tick to tick
  const run = simulateText(pi.replace('input Real w;', 'parameter Real w = 1;'), 'L', { stop: 3, recordEvery: T });
  let z = new Float64Array(r.model.A.length);
  for (let k = 0; k < 30; k++) {
    expect(run.at('x', k * T)).toBeCloseTo(
      r.model.C[0].reduce((sum, c, j) => sum + c * z[j], r.model.D[0][0]),
      7,
    );
    z = Float64Array.from(r.model.A, (row, i) => row.reduce((sum, x, j) => sum + x * z[j], r.model.B[i][0]));
  }
});

test('its loop gain is controller times plant', () => {
  const r = reportOf(pi, { from: 'u', to: 'u', open: 'u' });
  const plant = reportOf(
    'model L input Real u; Real x(start = 0), v(start = 0); equation der(x) = v; der(v) = 4*(u - x) - 1.2*v; end L;',
    { from: 'u', to: 'x', every: T },
  );
  for (const w of [0.3, 2, 9, 25]) {
    const z: Complex = [Math.cos(w * T), Math.sin(w * T)];
    const sum = over([T * 0.8, 0], [z[0] - 1, z[1]]);
    const wanted = timesComplex([1.5 + sum[0], sum[1]], plant.at(w));
    // what comes back has the other sign
    r.at(w).forEach((x, k) => expect(-x).toBeCloseTo(wanted[k], 9));
  }
});

test('a sheet of blocks: the same as the difference equations of its blocks', () => {
  const p = projectOf({
    quantities: [
      quantity('w', '0', { role: 'input' }),
      quantity('y', '0', { role: 'input' }),
      quantity('u', '0', { role: 'output' }),
    ],
    signals: [
      {
        ...newSignalSheet('s', 'S'),
        every: "0.1 's'",
        lines: ['e = w - y', 'i = integrate(0.8*e)', 'u = limit(1.5*e + lag(i, 0.3), -9, 9)'].map((t, k) =>
          newSignalLine(`l${k}`, t),
        ),
      },
    ],
  });
  const prepared = prepareRun(p, { ...newSetup('s', 'S'), root: 't', stop: 1e-9 });
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((x) => x.message).join('; '));
  const { simulation } = createRun(prepared);
  simulation.advance(Infinity);
  const { value } = linearReport(prepared.program, simulation, { from: 'w', to: 'u' });
  for (const w of [0.5, 4, 20]) {
    const z: Complex = [Math.cos(w * T), Math.sin(w * T)];
    const b = Math.exp(-T / 0.3);
    const sum = over([T * 0.8, 0], [z[0] - 1, z[1]]);
    const lagged = timesComplex(sum, over([1 - b, 0], [z[0] - b, z[1]]));
    value!.at(w).forEach((x, k) => expect(x).toBeCloseTo([1.5 + lagged[0], lagged[1]][k], 9));
  }
});

test.each<[string, string, LinearQuestion, RegExp]>([
  [
    'two clocks',
    'model L input Real w; Real x(start = 0); discrete Real u(start = 0), v(start = 0); equation der(x) = u + v; when sample(0, 0.1) then u = w - x; end when; when sample(0, 0.3) then v = -x; end when; end L;',
    { from: 'w', to: 'x' },
    /change at events that are not the ticks of one clock/,
  ],
  [
    'set where a condition comes',
    'model L input Real w; Real x(start = 0); discrete Real u(start = 0); equation der(x) = u; when x > 1 then u = w - x; end when; end L;',
    { from: 'w', to: 'x' },
    /change at events that are not the ticks/,
  ],
  ['opened at a state', proportional(3), { from: 'w', to: 'x', open: 'x' }, /x is a state: what it does to itself/],
  ['another period', proportional(3), { from: 'w', to: 'x', every: 0.2 }, /set every 0\.1 s/],
  ['a method', proportional(3), { from: 'w', to: 'x', method: 'tustin' }, /exact as it is/],
  [
    'opened at what looks back at itself',
    `model L input Real w; Real x(start = 0, fixed = true); discrete Real u(start = 0, fixed = true); equation der(x) = u - x; when sample(0, 0.1) then u = 0.5*pre(u) + w - x; end when; end L;`,
    { from: 'w', to: 'x', open: 'u' },
    /looks at its own past: open it elsewhere/,
  ],
])('%s is refused', (_, text, question, why) => {
  const { value, problems } = told(text, question);
  expect(value).toBeUndefined();
  expect(problems.join('; ')).toMatch(why);
});

test('what is set to a number stays what it is', () => {
  const r = reportOf(
    'model L input Real w; Real x(start = 0, fixed = true); discrete Real goal(start = 1, fixed = true); equation der(x) = goal*(w - x); when time > 5 then goal = 2; end when; end L;',
    { from: 'w', to: 'x' },
  );
  expect(r.poles).toEqual([[-1, 0]]);
});
