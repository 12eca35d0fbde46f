import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { analyse } from '../analysis/analyse';
import { instantiate } from './machine';
import { createProgram } from './program';

const machineOf = (text: string, name: string) => {
  const program = createProgram(analyse(flatten(libraryOfFile(parseFile(text).value, 'text'), name).model));
  const machine = instantiate(program);
  machine.parameters(new Map());
  machine.starts();
  machine.event(0);
  return { program, machine };
};

const chain = (n: number): string =>
  `model Chain parameter Integer n = ${n}; Real x[n](start = linspace(1, 2, n)), f[n + 1], w; equation f[1] = exp(-x[1]); for i in 2:n loop f[i] = x[i - 1]*x[i] + sin(time)*x[i - 1]^2; end for; f[n + 1] = if x[n] > 0 then sqrt(x[n]) else -x[n]; w = x[1]/x[2]; for i in 1:n loop der(x[i]) = f[i] - f[i + 1] + w; end for; end Chain;`;

test.each([
  ['dense', 5],
  ['sparse', 60],
])('the written-out Jacobian is that of the derivatives (%s)', (_, n) => {
  const { program, machine } = machineOf(chain(n), 'Chain');
  const y = Float64Array.from({ length: n }, (_, k) => 1 + 0.3 * Math.sin(k + 1));
  const rows = program.jacobianRows ?? Array.from({ length: n }, () => Array.from({ length: n }, (_, j) => j));
  const J = new Float64Array(rows.reduce((sum, r) => sum + r.length, 0));
  machine.jacobian!(0.7, y, J);
  const [up, down] = [new Float64Array(n), new Float64Array(n)];
  const full = Array.from({ length: n }, () => new Float64Array(n));
  let at = 0;
  rows.forEach((r, i) => r.forEach((j) => (full[i][j] = J[at++])));
  for (let j = 0; j < n; j++) {
    const [a, b] = [Float64Array.from(y), Float64Array.from(y)];
    a[j] += 1e-6;
    b[j] -= 1e-6;
    machine.derivatives(0.7, a, up);
    machine.derivatives(0.7, b, down);
    for (let i = 0; i < n; i++) expect(full[i][j]).toBeCloseTo((up[i] - down[i]) / 2e-6, 6);
  }
  expect(program.jacobianRows === undefined).toBe(n <= 40);
});

test('systems that are solved by iteration have none', () => {
  const { machine } = machineOf(
    'model Loop Real x(start = 1), z(start = 1); equation der(x) = -z; z^3 + z = x; end Loop;',
    'Loop',
  );
  expect(machine.jacobian).toBeUndefined();
});
