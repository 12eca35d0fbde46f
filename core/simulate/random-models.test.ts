import fc from 'fast-check';
import { solveDense } from '../program/newton';
import { simulateText } from '../testing/simulate-text';

/** Models made at random, against solutions that share no code with the simulator. */

const number = fc.integer({ min: -20, max: 20 }).map((x) => x / 10);

/** exp(A t) x by scaling and squaring of its series (Moler and Van Loan 2003, method 3). */
function exponential(A: readonly (readonly number[])[], t: number, x: readonly number[]): number[] {
  const n = x.length,
    squarings = 12;
  const multiply = (P: readonly (readonly number[])[], Q: readonly (readonly number[])[]): number[][] =>
    P.map((row) => Q[0].map((_, j) => row.reduce((sum, p, k) => sum + p * Q[k][j], 0)));
  const scaled = A.map((row) => row.map((a) => (a * t) / 2 ** squarings));
  let term: number[][] = A.map((_, i) => A.map((__, j) => (i === j ? 1 : 0)));
  let sum = term.map((row) => [...row]);
  for (let k = 1; k <= 14; k++) {
    term = multiply(term, scaled).map((row) => row.map((v) => v / k));
    sum = sum.map((row, i) => row.map((v, j) => v + term[i][j]));
  }
  for (let k = 0; k < squarings; k++) sum = multiply(sum, sum);
  return Array.from({ length: n }, (_, i) => sum[i].reduce((s, v, j) => s + v * x[j], 0));
}

test('linear systems follow the exponential of their matrix, whatever the method', () => {
  const system = fc.integer({ min: 1, max: 5 }).chain((n) =>
    fc.record({
      A: fc.array(fc.array(number, { minLength: n, maxLength: n }), { minLength: n, maxLength: n }),
      x: fc.array(number, { minLength: n, maxLength: n }),
      // a fast part beside the slow ones makes some of them stiff
      fast: fc.constantFrom(0, 0, 50, 2000),
      solver: fc.constantFrom('auto', 'dopri5', 'implicit' as const),
    }),
  );
  fc.assert(
    fc.property(system, ({ A, x, fast, solver }) => {
      // pulled to the left, so that nothing grows without bounds
      const stable = A.map((row, i) => row.map((a, j) => (i === j ? a - 4 - (i === 0 ? fast : 0) : a)));
      const text = `model L parameter Real A[:, :] = {${stable.map((row) => `{${row.join(', ')}}`).join(', ')}}; Real x[${x.length}](start = {${x.join(', ')}}, each fixed = true); equation der(x) = A*x; end L;`;
      const run = simulateText(text, 'L', { stop: 1.5, solver, relative: 1e-9, absolute: 1e-12 });
      expect(run.simulation.status).toBe('finished');
      exponential(stable, 1.5, x).forEach((wanted, k) =>
        expect(Math.abs(run.last(`x[${k + 1}]`) - wanted)).toBeLessThan(1e-5 * Math.max(1, ...x.map(Math.abs))),
      );
    }),
    { numRuns: 60 },
  );
});

test('networks of resistors and sources have the potentials of node analysis', () => {
  const network = fc.integer({ min: 2, max: 6 }).chain((n) =>
    fc.record({
      n: fc.constant(n),
      // a tree keeps every node linked with the ground, node 0
      tree: fc.tuple(...Array.from({ length: n }, (_, k) => fc.nat({ max: k }))),
      more: fc.array(fc.tuple(fc.nat({ max: n }), fc.nat({ max: n })), { maxLength: 6 }),
      ohms: fc.array(fc.integer({ min: 1, max: 50 }), { minLength: n + 6, maxLength: n + 6 }),
      sources: fc.array(fc.integer({ min: -3, max: 3 }), { minLength: n, maxLength: n }),
    }),
  );
  fc.assert(
    fc.property(network, ({ n, tree, more, ohms, sources }) => {
      const edges = [...tree.map((from, k) => [from, k + 1] as const), ...more.filter(([a, b]) => a !== b)];
      const G = new Float64Array(n * n),
        b = Float64Array.from(sources);
      edges.forEach(([p, q], k) => {
        const g = 1 / ohms[k];
        for (const [i, j, sign] of [
          [p, p, 1],
          [q, q, 1],
          [p, q, -1],
          [q, p, -1],
        ] as const)
          if (i > 0 && j > 0) G[(i - 1) * n + j - 1] += sign * g;
      });
      expect(solveDense(n, G, b)).toBe(true);
      const node = (k: number): string => (k === 0 ? 'g.p' : `s${k}.n`);
      const text = `model N Electrical.Ground g; ${edges.map((_, k) => `Electrical.Resistor r${k}(R = ${ohms[k]});`).join(' ')} ${sources.map((i, k) => `Electrical.CurrentSource s${k + 1}(I = ${i});`).join(' ')}
equation ${sources.map((_, k) => `connect(s${k + 1}.p, g.p);`).join(' ')} ${edges.map(([p, q], k) => `connect(${node(p)}, r${k}.p); connect(r${k}.n, ${node(q)});`).join(' ')} end N;`;
      const run = simulateText(text, 'N', { stop: 0.1 });
      b.forEach((wanted, k) =>
        expect(Math.abs(run.last(`s${k + 1}.n.v`) - wanted)).toBeLessThan(1e-9 * Math.max(1, Math.abs(wanted))),
      );
    }),
    { numRuns: 40 },
  );
});

test('masses on springs keep their energy and their momentum, constrained ones too', () => {
  const chain = fc.record({
    masses: fc.array(fc.integer({ min: 1, max: 5 }), { minLength: 2, maxLength: 6 }),
    stiff: fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 6, maxLength: 6 }),
    speeds: fc.array(number, { minLength: 6, maxLength: 6 }),
    rigid: fc.nat({ max: 5 }),
  });
  fc.assert(
    fc.property(chain, ({ masses, stiff, speeds, rigid }) => {
      // one of the springs is a rod: then two masses are one, and one of their states is none
      const rod = rigid % Math.max(1, masses.length - 1);
      const v = speeds.slice(0, masses.length);
      v[rod + 1] = v[rod];
      const parts = masses
        .map(
          (m, k) =>
            `Translational.Mass m${k}(m = ${m}, s(start = ${k}${k === rod + 1 ? '' : ', fixed = true'}), v(start = ${v[k]}${k === rod + 1 ? '' : ', fixed = true'}));`,
        )
        .join(' ');
      const links = masses
        .slice(1)
        .map((_, k) => `connect(m${k}.b, k${k}.a); connect(k${k}.b, m${k + 1}.a);`)
        .join(' ');
      const springs = masses
        .slice(1)
        .map((_, k) => (k === rod ? `Rod k${k};` : `Translational.Spring k${k}(c = ${stiff[k]}, length = 1);`))
        .join(' ');
      const text = `model Rod Translational.Flange a, b; equation b.s = a.s + 1; a.f + b.f = 0; end Rod; model C ${parts} ${springs} equation ${links} end C;`;
      const run = simulateText(text, 'C', { stop: 4, relative: 1e-9, absolute: 1e-11 });
      expect(run.simulation.problem).toBeUndefined();
      const energy = (t: number): number =>
        masses.reduce((sum, m, k) => sum + (m * run.at(`m${k}.v`, t) ** 2) / 2, 0) +
        masses
          .slice(1)
          .reduce(
            (sum, _, k) =>
              sum + (k === rod ? 0 : (stiff[k] * (run.at(`m${k + 1}.s`, t) - run.at(`m${k}.s`, t) - 1) ** 2) / 2),
            0,
          );
      const momentum = (t: number): number => masses.reduce((sum, m, k) => sum + m * run.at(`m${k}.v`, t), 0);
      for (const t of [1, 2.5, 4]) {
        expect(Math.abs(energy(t) - energy(0))).toBeLessThan(1e-4 * Math.max(1, energy(0)));
        expect(Math.abs(momentum(t) - momentum(0))).toBeLessThan(1e-5 * Math.max(1, ...v.map(Math.abs)));
      }
    }),
    { numRuns: 40 },
  );
});

test('what a table of a piecewise straight input leaves behind is its integral', () => {
  const points = fc.array(fc.tuple(fc.integer({ min: 1, max: 9 }), number), { minLength: 2, maxLength: 6 });
  fc.assert(
    fc.property(points, (given) => {
      let at = 0;
      const table = given.map(([gap, y]) => [(at += gap / 10), y] as const);
      const end = at + 0.5;
      const value = (t: number): number => {
        const k = table.findIndex(([x]) => t < x);
        if (k === 0) return table[0][1];
        if (k < 0) return table.at(-1)![1];
        const [[x0, y0], [x1, y1]] = [table[k - 1], table[k]];
        return y0 + ((y1 - y0) * (t - x0)) / (x1 - x0);
      };
      // exact on straight pieces
      const corners = [0, ...table.map(([x]) => x), end];
      const wanted = corners
        .slice(1)
        .reduce((sum, x, k) => sum + ((x - corners[k]) * (value(corners[k]) + value(x - 1e-12))) / 2, 0);
      const run = simulateText(
        `model I Real x(start = 0, fixed = true); equation der(x) = interpolate({${table.map(([x]) => x).join(', ')}}, {${table.map(([, y]) => y).join(', ')}}, time); end I;`,
        'I',
        { stop: end, relative: 1e-9, absolute: 1e-11 },
      );
      // steps end at the kinks: what is left is rounding
      expect(Math.abs(run.last('x') - wanted)).toBeLessThan(1e-10);
    }),
    { numRuns: 100 },
  );
});
