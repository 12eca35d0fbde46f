import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { instantiate } from '../program/machine';
import { compile } from '../simulate/compile';
import { simulateText } from '../testing/simulate-text';
import { jacobianPattern } from './pattern';

/** A chain in which what flows between neighbours is found by iteration: z^3 + z = x[i] - x[i + 1]. */
const chain = (n: number, more = ''): string => `
  model Chain
    Real x[${n}](start = {sin(k) for k in 1:${n}}, each fixed = true), z[${n - 1}];
  equation
    for i in 1:${n - 1} loop z[i]^3 + z[i] = x[i] - x[i + 1]; end for;
    der(x[1]) = -z[1]${more};
    for i in 2:${n - 1} loop der(x[i]) = z[i - 1] - z[i]; end for;
    der(x[${n}]) = z[${n - 1}];
  end Chain;`;

const machineOf = (text: string) => {
  const { program, problems } = compile(flatten(libraryOfFile(parseFile(text).value, 'text'), 'Chain').model);
  if (!program) throw new Error(problems[0].message);
  const machine = instantiate(program);
  machine.parameters(new Map());
  machine.starts();
  machine.event(0);
  return { program, machine };
};

test('neighbours depend on each other, and a long reach is found through what is solved in between', () => {
  const n = 50;
  const { program } = machineOf(chain(n, ' - 0.1*x[37]'));
  const { states, model } = program.solvable;
  const pattern = jacobianPattern(program.solvable)!;
  const at = states.map((s) => Number(/\d+/.exec(model.variables[s].name)![0]));
  const rows = at.map((_, row) =>
    [...pattern.columns.slice(pattern.start[row], pattern.start[row + 1])].map((c) => at[c]),
  );
  at.forEach((i, row) => {
    const near = [i - 1, i, i + 1].filter((k) => k >= 1 && k <= n);
    expect([i, [...rows[row]].sort((a, b) => a - b)]).toEqual([i, i === 1 ? [...near, 37] : near]);
  });
  // in the order that those who use it rely on
  for (let row = 0; row < n; row++) {
    const own = [...pattern.columns.slice(pattern.start[row], pattern.start[row + 1])];
    expect(own).toEqual([...own].sort((a, b) => a - b));
  }
});

test('where the pattern has nothing, nothing changes the derivative', () => {
  const n = 45;
  const { program, machine } = machineOf(chain(n));
  const pattern = jacobianPattern(program.solvable)!;
  const y = Float64Array.from({ length: n }, (_, k) => Math.cos(k));
  const [base, moved] = [new Float64Array(n), new Float64Array(n)];
  machine.derivatives(0, y, base);
  for (let j = 0; j < n; j++) {
    const other = Float64Array.from(y);
    other[j] += 0.1;
    machine.derivatives(0, other, moved);
    for (let i = 0; i < n; i++) {
      const has = pattern.columns.slice(pattern.start[i], pattern.start[i + 1]).includes(j);
      if (has) expect(Math.abs(moved[i] - base[i])).toBeGreaterThan(1e-4);
      else expect(Math.abs(moved[i] - base[i])).toBeLessThan(1e-10);
    }
  }
});

test('few states need none; with it the implicit method comes to what the explicit one comes to', () => {
  expect(jacobianPattern(machineOf(chain(40)).program.solvable)).toBeUndefined();
  const [implicit, explicit] = (['implicit', 'dopri5'] as const).map((solver) =>
    simulateText(chain(60), 'Chain', { solver, stop: 2, relative: 1e-8, absolute: 1e-10 }),
  );
  // what flows out of one flows into its neighbour: their sum stays
  let sum = 0;
  for (let k = 1; k <= 60; k++) {
    expect(implicit.last(`x[${k}]`)).toBeCloseTo(explicit.last(`x[${k}]`), 6);
    sum += implicit.last(`x[${k}]`) - implicit.at(`x[${k}]`, 0);
  }
  expect(sum).toBeCloseTo(0, 6);
  // many columns are found by one look: far fewer looks than states for each Jacobian
  const { evaluations, jacobians, steps } = implicit.simulation.counts;
  expect(jacobians).toBeGreaterThan(0);
  expect(evaluations).toBeLessThan(12 * (steps + 10) + 8 * jacobians);
});
