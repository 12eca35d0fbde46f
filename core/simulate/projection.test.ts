import fc from 'fast-check';
import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { instantiate, newMemory } from '../program/machine';
import { compile } from './compile';
import { createProjection } from './projection';

const pendulum = `
  model Pendulum
    parameter Real L = 2;
    Real x(start = 2, fixed = false), y(start = 0, fixed = false), vx(start = 0, fixed = false), vy(start = 0, fixed = false), F;
  equation
    der(x) = vx; der(y) = vy; der(vx) = -F*x; der(vy) = -F*y - 9.81; x^2 + y^2 = L^2;
  end Pendulum;`;

/** The projection of a model, with its states by name. */
function projectionOf(text: string, scales: readonly number[] = []) {
  const name = /model (\w+)/.exec(text)![1];
  const { program, problems } = compile(flatten(libraryOfFile(parseFile(text).value, 'text'), name).model);
  if (!program) throw new Error(problems[0].message);
  const machine = instantiate(program, newMemory(program));
  machine.parameters(new Map());
  const { states, model } = program.solvable;
  const { v } = machine.memory;
  const number = (state: string): number => states.find((k) => model.variables[k].name === state)!;
  const projection = createProjection(
    program,
    machine,
    Float64Array.from(states, (_, k) => scales[k] ?? 1),
  );
  return {
    projection,
    states: states.map((k) => model.variables[k].name),
    number,
    get: (state: string): number => v[number(state)],
    set: (state: string, value: number): void => void (v[number(state)] = value),
  };
}

test('a model without constraints between its states needs none', () => {
  expect(projectionOf('model M Real x(start = 1); equation der(x) = -x; end M;').projection).toBeUndefined();
});

test('states beside the circle come onto it, positions and speeds, by about their distance', () => {
  const p = projectionOf(pendulum);
  expect([...p.states].sort()).toEqual(['der(x)', 'der(y)', 'x', 'y']);
  const angle = fc.double({ min: -3.1, max: 3.1, noNaN: true });
  const off = fc.double({ min: -0.05, max: 0.05, noNaN: true });
  fc.assert(
    fc.property(angle, off, fc.double({ min: -5, max: 5, noNaN: true }), off, (phi, radial, speed, outward) => {
      const [c, s] = [Math.cos(phi), Math.sin(phi)];
      p.set('x', (2 + radial) * c);
      p.set('y', (2 + radial) * s);
      p.set('der(x)', -speed * s + outward * c);
      p.set('der(y)', speed * c + outward * s);
      expect(p.projection!.project(0)).toBe(true);
      const [x, y, vx, vy] = ['x', 'y', 'der(x)', 'der(y)'].map((k) => p.get(k));
      expect(Math.abs(Math.hypot(x, y) - 2)).toBeLessThan(4e-12);
      expect(Math.abs(x * vx + y * vy)).toBeLessThan(2e-11 * (1 + Math.abs(speed)));
      // no farther than it was off, and a turn on the circle no larger than what speeds make of it
      const moved = Math.hypot(
        x - (2 + radial) * c,
        y - (2 + radial) * s,
        vx + speed * s - outward * c,
        vy - speed * c - outward * s,
      );
      expect(moved).toBeLessThan(1.5 * (Math.abs(radial) * (1 + Math.abs(speed) / 2) + Math.abs(outward)) + 1e-12);
    }),
    { numRuns: 200 },
  );
});

test('what lies on the constraints already stays, to the bit', () => {
  const p = projectionOf(pendulum);
  for (const [state, value] of Object.entries({ x: 0, y: -2, 'der(x)': 3, 'der(y)': 0 })) p.set(state, value);
  expect(p.projection!.project(0)).toBe(true);
  expect(['x', 'y', 'der(x)', 'der(y)'].map(p.get)).toEqual([0, -2, 3, 0]);
});

test('states that are held keep their values; where that leaves no way, they give way after all', () => {
  const p = projectionOf(pendulum);
  const begin = (): void =>
    Object.entries({ x: 1.2, y: 1.6, 'der(x)': 0.5, 'der(y)': 0 }).forEach(([k, v]) => p.set(k, v));
  begin();
  expect(p.projection!.project(0, new Set([p.number('der(x)'), p.number('x')]))).toBe(true);
  expect([p.get('x'), p.get('der(x)')]).toEqual([1.2, 0.5]);
  expect(p.get('y')).toBeCloseTo(1.6, 14);
  expect(p.get('der(y)')).toBeCloseTo((-1.2 * 0.5) / 1.6, 14);
  begin();
  p.set('x', 2.5);
  // x alone is longer than the arm
  expect(p.projection!.project(0, new Set([p.number('x')]))).toBe(true);
  expect(Math.hypot(p.get('x'), p.get('y'))).toBeCloseTo(2, 11);
});

test('a state of a larger scale does more of the way', () => {
  const scales = (name: string): number => (name === 'x' ? 100 : 1);
  const plain = projectionOf(pendulum);
  const weighted = projectionOf(pendulum, plain.states.map(scales));
  const wayOfX = (p: typeof plain): number => {
    Object.entries({ x: 1.5, y: 1.5, 'der(x)': 0, 'der(y)': 0 }).forEach(([k, v]) => p.set(k, v));
    expect(p.projection!.project(0)).toBe(true);
    expect(Math.hypot(p.get('x'), p.get('y'))).toBeCloseTo(2, 11);
    return Math.abs(p.get('x') - 1.5) / (Math.abs(p.get('x') - 1.5) + Math.abs(p.get('y') - 1.5));
  };
  expect(wayOfX(plain)).toBeCloseTo(0.5, 6);
  expect(wayOfX(weighted)).toBeGreaterThan(0.99);
});

test('at the start all that is not fixed moves; what contradicts the constraints is told by its equation', () => {
  const p = projectionOf(pendulum);
  const start = { x: 1, y: 1, 'der(x)': 1, 'der(y)': 0 };
  Object.entries(start).forEach(([k, v]) => p.set(k, v));
  expect(p.projection!.begin(0, new Set([p.number('x'), p.number('der(x)')]))).toBeUndefined();
  expect([p.get('x'), p.get('der(x)')]).toEqual([1, 1]);
  expect(p.get('y')).toBeCloseTo(Math.sqrt(3), 13);
  expect(p.get('der(y)')).toBeCloseTo(-1 / Math.sqrt(3), 13);

  Object.entries(start).forEach(([k, v]) => p.set(k, v));
  const all = new Set(['x', 'y', 'der(x)', 'der(y)'].map(p.number));
  // 1 + 1 is not 4: the first of the constraints is farther off than the second
  expect(p.projection!.begin(0, all)).toBe(0);
  expect(['x', 'y', 'der(x)', 'der(y)'].map(p.get)).toEqual([1, 1, 1, 0]);
});

test('a guess where the constraint says nothing of the way is looked beside', () => {
  const p = projectionOf(pendulum);
  // nearly at the middle of the circle, where its slope is nearly zero
  Object.entries({ x: 0, y: 1e-9, 'der(x)': 0, 'der(y)': 0 }).forEach(([k, v]) => p.set(k, v));
  expect(p.projection!.begin(0, new Set())).toBeUndefined();
  expect(Math.hypot(p.get('x'), p.get('y'))).toBeCloseTo(2, 12);
});
