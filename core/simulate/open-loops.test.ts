import { simulateText } from '../testing/simulate-text';

const warnings = (text: string): string[] => simulateText(text, 'M').simulation.warnings.map((w) => w.message);

test('equations that say the same leave a loop open: one solution is taken, and that is told once', () => {
  expect(warnings('model M Real x, y; equation x + y = 1; 2*x + 2*y = 2; end M;')).toEqual([
    expect.stringMatching(
      /^The loop of "2 \* x \+ 2 \* y = 2, x \+ y = 1" leaves x, y open: .*One solution was taken: x = 0, y = 1, at t = 0 s$/,
    ),
  ]);
  expect(warnings('model M Real x, y; equation x + y = 1; 2*x + 3*y = 2; end M;')).toEqual([]);
});

test('a circuit without ground is told; with one there is nothing to tell', () => {
  const circuit = (ground: string): string =>
    `model M Electrical.Resistor a(R = 1), b(R = 2); ${ground ? 'Electrical.Ground g;' : ''} equation connect(a.p, b.p); connect(a.n, b.n); ${ground} end M;`;
  expect(warnings(circuit('')).join(' ')).toMatch(/leaves .*v.* open: .*no ground/);
  expect(warnings(circuit('connect(g.p, b.n);'))).toEqual([]);
});

test('a loop that contradicts itself ends the run', () => {
  const run = simulateText('model M Real x, y; equation x + y = 1; 2*x + 2*y = 3; end M;', 'M');
  expect(run.simulation.status).toBe('failed');
  expect(run.simulation.problem?.message).toMatch(
    /has no single solution; one of the equations may say the same as another/,
  );
});
