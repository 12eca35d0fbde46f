import { createKinks } from './kinks';
import { simulateText, type TextRun } from '../testing/simulate-text';

/** All kinks of a model up to a time, for the values at the end of a run. */
function kinksOf({ program, simulation }: TextRun, from = 0): number[] {
  const kinks = createKinks(program, simulation.machine.memory.v);
  const found: number[] = [];
  for (let t = kinks.next(from); t < Infinity && found.length < 20; t = kinks.next(t))
    found.push(Math.round(t * 1e9) / 1e9);
  return found;
}

const model = (body: string): TextRun =>
  simulateText(`model M Real x(start = 0, fixed = true); ${body} end M;`, 'M', { stop: 0.1 });

test('places between straight pieces are no kinks; the ends are, where the table is not level there', () => {
  expect(kinksOf(model('equation der(x) = interpolate({0.5, 1, 2, 3, 4}, {0, 1, 2, 3, 3}, time);'))).toEqual([
    0.5, 1, 3,
  ]);
  expect(kinksOf(model('equation der(x) = interpolate({1, 2}, {3, 3}, time);'))).toEqual([]);
});

test('the place may be shifted, stretched, run backward, and stand in a quantity of its own', () => {
  expect(
    kinksOf(
      model(
        'parameter Real start = 2; Real place; equation place = 2 * (time - start); der(x) = interpolate({0, 1, 2}, {0, 5, 0}, place);',
      ),
    ),
  ).toEqual([2, 2.5, 3]);
  expect(kinksOf(model('equation der(x) = interpolate({0, 1, 2}, {0, 5, 0}, 10 - time);'))).toEqual([8, 9, 10]);
});

test('what changes at events shifts a table, what moves between them leaves it to the control of errors', () => {
  const shifted = simulateText(
    'model M Real x(start = 0, fixed = true); discrete Real since(start = 0, fixed = true); equation when time > 3 then since = time; end when; der(x) = if time > 3 then interpolate({0, 0.1, 0.2}, {0, 10, 0}, time - since) else 0; end M;',
    'M',
    { stop: 10 },
  );
  expect(shifted.last('x')).toBeCloseTo(1, 9);
  expect(kinksOf(shifted, 3)).toEqual([3.1, 3.2]);
  expect(kinksOf(model('equation der(x) = 1 + interpolate({0, 1, 2}, {0, 5, 0}, x);'))).toEqual([]);
  expect(kinksOf(model('equation der(x) = interpolate({0, 1, 2}, {0, 5, 0}, time ^ 2);'))).toEqual([]);
});

test('a short pulse late in a long run is not stepped over, whatever the solver', () => {
  for (const solver of ['auto', 'dopri5', 'implicit'] as const) {
    const run = simulateText(
      'model M Real x(start = 0, fixed = true); equation der(x) = -x + interpolate({500, 500.001, 500.002}, {0, 1e3, 0}, time); end M;',
      'M',
      { stop: 1000, solver, recordEvery: 1 },
    );
    // the area of the pulse is 1
    expect(run.at('x', 501)).toBeCloseTo(Math.exp(-0.999), 5);
  }
});

test('a parameter changed during the run moves the kinks with it', () => {
  const run = simulateText(
    'model M parameter Real at = 5; Real x(start = 0, fixed = true); equation der(x) = interpolate({0, 0.1, 0.2}, {0, 10, 0}, time - at); end M;',
    'M',
    { stop: 1 },
  );
  run.simulation.machine.parameters(
    new Map([[run.program.solvable.model.variables.findIndex((v) => v.name === 'at'), 7]]),
  );
  expect(kinksOf(run)).toEqual([7, 7.1, 7.2]);
});
