import fc from 'fast-check';
import { problemsOf, simulateText } from '../testing/simulate-text';

const value = (declarations: string, expression: string): number =>
  simulateText(`model T ${declarations} Real y = ${expression}; end T;`, 'T', { stop: 0.1 }).last('y');

test('sizes, fills, joins and parts', () => {
  expect(value('Real a[2, 3] = [1, 2, 3; 4, 5, 6];', 'size(a, 1)*10 + size(a, 2) + ndims(a)*100')).toBe(223);
  expect(value('', 'sum(fill(2, 3, 2)) + sum(zeros(4)) + sum(ones(5))')).toBe(17);
  expect(value('', 'sum(linspace(0, 1, 5)) + product({2, 3, 4})')).toBe(26.5);
  expect(value('Real a[3] = cat(1, {1}, {2, 3}); Real b[1, 3] = cat(2, [1], [2, 3]);', 'a[3]*10 + b[1, 2]')).toBe(32);
  expect(value('', 'scalar([[7]]) + sum(vector([1; 2; 3])) + sum(array(1, 2))')).toBe(16);
});

test('vectors and matrices', () => {
  expect(value('Real c[3] = cross({1, 2, 3}, {4, 5, 6});', 'c[1]*100 + c[2]*10 + c[3]')).toBe(-3 * 100 + 6 * 10 - 3);
  // skew(x)*y is the cross product
  expect(value('Real c[3] = skew({1, 2, 3})*{4, 5, 6} - cross({1, 2, 3}, {4, 5, 6});', 'c*c')).toBe(0);
  expect(
    value(
      'Real m[2, 2] = outerProduct({1, 2}, {3, 4}) + identity(2) + diagonal({10, 20}) + transpose([0, 1; 0, 0]);',
      'm[1, 1]*1000 + m[1, 2]*100 + m[2, 1]*10 + m[2, 2]',
    ),
  ).toBe(14 * 1000 + 4 * 100 + 7 * 10 + 29);
  expect(
    value(
      'Real m[2, 2] = [1, 1; 0, 1]^3 + [5, 0; 0, 5]^0; Real e[2] = {2, 3} .^ 2;',
      'm[1, 2]*100 + m[1, 1]*10 + e[1]',
    ),
  ).toBe(3 * 100 + 2 * 10 + 4);
  expect(value('', 'Modelica.Math.Vectors.sum({1, 2})')).toBe(3);
});

test('every product of vectors and matrices is the sum of its products (Modelica language 3.6, 10.6.5)', () => {
  const entry = fc.integer({ min: -4, max: 4 });
  const vector = (n: number) => fc.array(entry, { minLength: n, maxLength: n });
  const matrix = (n: number, m: number) => fc.array(vector(m), { minLength: n, maxLength: n });
  const sizes = fc.tuple(
    fc.integer({ min: 1, max: 3 }),
    fc.integer({ min: 1, max: 3 }),
    fc.integer({ min: 1, max: 3 }),
  );
  const written = (rows: readonly (readonly number[])[]): string =>
    `{${rows.map((r) => `{${r.join(', ')}}`).join(', ')}}`;
  const sum = (xs: readonly number[]): number => xs.reduce((x, y) => x + y, 0) + 0;
  fc.assert(
    fc.property(
      sizes.chain(([n, k, m]) => fc.tuple(matrix(n, k), matrix(k, m), vector(k), vector(k))),
      ([A, B, v, w]) => {
        const [n, k, m] = [A.length, B.length, B[0].length];
        const run = simulateText(
          `model T
             Real A[${n}, ${k}] = ${written(A)}, B[${k}, ${m}] = ${written(B)}, v[${k}] = {${v.join(', ')}}, w[${k}] = {${w.join(', ')}};
             Real AB[${n}, ${m}] = A*B, Av[${n}] = A*v, vB[${m}] = v*B, vw = v*w, twice[${k}] = 2*v, half[${n}, ${k}] = A/2;
           end T;`,
          'T',
          { stop: 0.01 },
        );
        for (let i = 0; i < n; i++) {
          expect(run.last(`Av[${i + 1}]`) + 0).toBe(sum(A[i].map((a, j) => a * v[j])));
          for (let j = 0; j < m; j++)
            expect(run.last(`AB[${i + 1},${j + 1}]`) + 0).toBe(sum(A[i].map((a, x) => a * B[x][j])));
          for (let j = 0; j < k; j++) expect(run.last(`half[${i + 1},${j + 1}]`) + 0).toBe(A[i][j] / 2 + 0);
        }
        for (let j = 0; j < m; j++) expect(run.last(`vB[${j + 1}]`) + 0).toBe(sum(v.map((a, x) => a * B[x][j])));
        expect(run.last('vw') + 0).toBe(sum(v.map((a, x) => a * w[x])));
        v.forEach((a, x) => expect(run.last(`twice[${x + 1}]`) + 0).toBe(2 * a + 0));
      },
    ),
    { numRuns: 40 },
  );
});

test.each([
  ['size({1, 2}, 2)', /This array has 1 dimensions, not 2/],
  ['{1, 2}^2', /only square matrices have, element by element it is \.\^/],
  ['[1, 2; 3, 4]^0.5', /whole number known before the run/],
  ['cross({1, 2}, {3, 4})', /two vectors of 3 elements/],
  ['scalar({1, 2})', /one element, not 2/],
  ['sum()', /sum takes 1 argument, but 0 are given/],
  ['sum({1, 2}, {3, 4})', /sum takes 1 argument, but 2 are given/],
  ['sum({1, 2}, along = 1)', /sum takes its arguments without names, and has no along/],
  ['ndims({1}, 2)', /ndims takes 1 argument, but 2 are given/],
  ['size({1}, 1, 1)', /size takes 2 arguments, but 3 are given/],
  ['sum(cross({1, 2, 3}, {3, 4, 5}, {1, 1, 1}))', /cross takes 2 arguments, but 3 are given/],
  ['delay(time, 0.1, 0.2, 3)', /delay takes 2 arguments, but 4 are given/],
  ['sum(atan2({1, 2, 3}, {1, 2}))', /one array has 3 elements, the other 2/],
  ['convert(3, "V", 2)', /convert takes 2 arguments, but 3 are given/],
  ['interpolate({1, 0}, {1, 2}, time)', /have to grow, but 0 follows 1/],
  ['interpolate({0, 1}, {1}, time)', /2 places, but 1 values/],
  ['linspace({1}, 2, 3)', /single values/],
])('%s is refused with a reason', (expression, reason) => {
  expect(problemsOf(`model T Real y = sum(${expression}); end T;`, 'T').join('; ')).toMatch(reason);
});

test('a size may ask for the sizes before it: square matrices and what fits them', () => {
  const run = simulateText(
    'model S parameter Real A[:, size(A, 1)] = [0, 1; -1, -2]; parameter Real B[size(A, 1), :] = [0; 1]; Real x[size(A, 1)](each start = 0, each fixed = true); equation der(x) = A*x + B*{1}; end S;',
    'S',
    { stop: 1 },
  );
  // two equal poles at -1
  expect(run.last('x[1]')).toBeCloseTo(1 - 2 * Math.exp(-1), 7);
  expect(problemsOf('model S parameter Real A[:, size(A, 1)] = [1, 2, 3; 4, 5, 6]; end S;', 'S').join('; ')).toMatch(
    /has 3 elements, but only 2 are needed/,
  );
});

test.each([
  ['parameter Real v[2] = {1, 2, 3};', '{1, 2, 3} has 3 elements, but only 2 are needed'],
  ['Real v[3] = {1, 2};', '{1, 2} has 2 elements, but element 3 is needed'],
  ['Real v[2](start = {1, 2, 3}) = {time, time};', '{1, 2, 3} has 3 elements, but only 2 are needed'],
  ['parameter Real s = {1, 2};', '{1, 2} is an array, but a single value is needed'],
  ['model C parameter Real k = 1; end C; C c[2](k = {1, 2, 3});', '{1, 2, 3} has 3 elements, but only 2 are needed'],
])('%s: a value of another size is told', (declaration, message) => {
  expect(problemsOf(`model S ${declaration} end S;`, 'S')).toEqual([message]);
});
