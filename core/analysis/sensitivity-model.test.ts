import { flatten } from '../flatten/flatten';
import { libraryOfFile } from '../flatten/library';
import { parseFile } from '../language/parse';
import { compile } from '../simulate/compile';
import { createRecorder } from '../simulate/recording';
import { createSimulation } from '../simulate/simulation';
import { withSensitivities } from './sensitivity-model';

interface Asked {
  readonly by: readonly string[];
  readonly of: readonly string[];
  readonly given?: Readonly<Record<string, number>>;
  readonly at: number;
  readonly sizes?: readonly number[];
}

/** Slopes at a time, by quantity and value; undefined where the model does not allow them. */
function slopes(text: string, { by, of, given = {}, at, sizes }: Asked): readonly (readonly number[])[] | undefined {
  const { model } = flatten(libraryOfFile(parseFile(`model M ${text} end M;`).value, 'M.mo'), 'M');
  expect(model.problems).toEqual([]);
  const { program } = compile(model);
  const index = (name: string): number => model.indexOf.get(name)!;
  const values = new Map(Object.entries(given).map(([name, x]) => [index(name), x]));
  const made = withSensitivities(
    program!.solvable,
    model,
    by.map((name, j) => ({ variable: index(name), size: sizes?.[j] ?? 1 })),
    new Set(values.keys()),
  );
  if (!made) return undefined;
  const along = compile(made.model);
  expect(along.problems).toEqual([]);
  const names = of.map((q) =>
    by.map((_, j) => {
      const k = made.slopeOf(index(q), j);
      return k === undefined ? undefined : made.model.variables[k].name;
    }),
  );
  const { aliases } = along.program!.solvable;
  const wanted = names.flat().filter((n) => n !== undefined);
  const recorder = createRecorder(made.model, wanted, { aliases });
  const simulation = createSimulation(
    along.program!,
    { stop: at, solver: 'auto', relative: 1e-10, absolute: 1e-13, step: 1e-3, recordEvery: at, values, stimulus: [] },
    recorder,
  );
  simulation.advance(Infinity);
  expect(simulation.problem).toBeUndefined();
  const { columns, rows } = recorder.take();
  return names.map((row) =>
    row.map((n) => (n === undefined ? 0 : columns.find((c) => c.name === n)!.values[rows - 1])),
  );
}
/** To eight digits. */
const close = (found: readonly (readonly number[])[] | undefined, wanted: readonly (readonly number[])[]): void => {
  expect(found).toBeDefined();
  wanted.forEach((row, k) =>
    row.forEach((x, j) => expect(Math.abs(found![k][j] - x)).toBeLessThan(1e-8 * Math.max(1, Math.abs(x)))),
  );
};

describe('slopes against closed forms', () => {
  test('a lag: by its rate, its input and its start; for changes of any size', () => {
    const text = `parameter Real d = 2; parameter Real u = 3; Real x(start = 1, fixed = true), y;
      equation der(x) = u - d*x; y = 10*x + u;`;
    const [t, d, u, x0] = [0.7, 2, 3, 1];
    const e = Math.exp(-d * t);
    const byD = (-u / d ** 2) * (1 - e) - (x0 - u / d) * t * e;
    const byU = (1 - e) / d;
    close(slopes(text, { by: ['d', 'u', 'x'], of: ['x', 'y'], at: t }), [
      [byD, byU, e],
      [10 * byD, 10 * byU + 1, 10 * e],
    ]);
    close(slopes(text, { by: ['d', 'u'], of: ['x'], at: t, sizes: [1e-3, 50] }), [[1e-3 * byD, 50 * byU]]);
  });
  test('values that others follow from, unless the run sets these', () => {
    const text = `parameter Real k = 2; parameter Real m = k*k; parameter Real s = 3*k; Real x(start = s, fixed = true);
      equation der(x) = m;`;
    const all = { by: ['k'], of: ['x'], at: 2 };
    close(slopes(text, all), [[3 + 4 * 2]]);
    close(slopes(text, { ...all, given: { m: 7 } }), [[3]]);
    close(slopes(text, { ...all, given: { s: 7 } }), [[8]]);
    close(slopes(text, { ...all, given: { x: 7 } }), [[8]]);
    // a value that is sought itself no longer follows
    close(slopes(text, { ...all, by: ['k', 'm'] }), [[3, 2]]);
  });
  test('steps whose moments depend on the clock only, and what is switched by a value that is not sought', () => {
    const text = `parameter Real d = 2; parameter Real late = 0.5; parameter Boolean on = true; Real u, x(start = 0, fixed = true);
      equation u = if time < late then 0 else 4; der(x) = (if on then 1 else 5)*u - d*x;`;
    const [t, d] = [0.7, 2];
    const e = Math.exp(-d * t);
    close(slopes(text, { by: ['d'], of: ['x', 'u'], at: 1.2 }), [[4 * (-(1 - e) / d ** 2 + (t * e) / d)], [0]]);
    expect(slopes(text, { by: ['late'], of: ['x'], at: 1.2 })).toBeUndefined();
  });
  test('equations that are solved together, and starts that follow from equations', () => {
    // y^3 + y = a x, x grows evenly
    close(
      slopes('parameter Real a = 2; Real x(start = 1, fixed = true), y; equation der(x) = 1; y^3 + y = a*x;', {
        by: ['a', 'x'],
        of: ['y'],
        at: 4,
      }),
      [[5 / (3 * 2 ** 2 + 1), 2 / (3 * 2 ** 2 + 1)]],
    );
    // at rest before the step: x = u/d
    const rest = `parameter Real d = 2; parameter Real u = 3; Real x; initial equation der(x) = 0;
      equation der(x) = u*(if time < 0.5 then 1 else 2) - d*x;`;
    const e = Math.exp(-2 * 0.5);
    close(slopes(rest, { by: ['u', 'd'], of: ['x'], at: 1 }), [[1 - e / 2, (-3 / 4) * (2 - e) + (3 / 2) * 0.5 * e]]);
    // a value that is found at the start, so that x begins to fall with 1
    const found = `parameter Real d = 2; parameter Real p(fixed = false); Real x(start = 1, fixed = true);
      initial equation der(x) = -1; equation der(x) = p - d*x;`;
    const f = Math.exp(-2 * 0.3);
    close(slopes(found, { by: ['d'], of: ['p', 'x'], at: 0.3 }), [[1], [(1 - 2 * 0.3 * f - f) / 4]]);
  });
  test('other names of a quantity, and a start that another one has to follow', () => {
    const text = `parameter Real p = 2; Real x(start = p, fixed = true), y, z, same, against;
      initial equation y = 3*x; equation der(x) = p; der(y) = -y; same = y; against = -same; z = against + x;`;
    const e = Math.exp(-0.5);
    close(slopes(text, { by: ['p'], of: ['x', 'y', 'same', 'against', 'z'], at: 0.5 }), [
      [1.5],
      [3 * e],
      [3 * e],
      [-3 * e],
      [1.5 - 3 * e],
    ]);
    const plain = 'Real x(start = 1, fixed = true), same, against; equation der(x) = -x; same = x; against = -x;';
    for (const [by, d] of [
      ['x', 1],
      ['same', 1],
      ['against', -1],
    ] as const)
      close(slopes(plain, { by: [by], of: ['x', 'same', 'against'], at: 0.5 }), [[d * e], [d * e], [-d * e]]);
  });
  test('states that are tied: two inertias on one shaft', () => {
    const text = `parameter Real J1 = 1; parameter Real J2 = 3; Real w1(start = 0, fixed = true), w2, T;
      equation J1*der(w1) = 8 - T; J2*der(w2) = T; w1 = w2;`;
    close(slopes(text, { by: ['J1', 'J2'], of: ['w1', 'w2', 'T'], at: 2 }), [
      [-1, -1],
      [-1, -1],
      [(-3 * 8) / 16, 8 / 16],
    ]);
  });
});

test.each([
  [
    'a switch that another name of a quantity turns',
    'parameter Real p = 1; Real h(start = 0, fixed = true), y; equation y = h; der(h) = if y < 1 then p else 2*p;',
  ],
  [
    'what is set once',
    'parameter Real p = 1; Real h(start = 0, fixed = true); discrete Real s(start = 0, fixed = true); equation when time > 0.5 then s = p; end when; der(h) = s;',
  ],
  [
    'a state that is set anew',
    'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = 1; when time > 0.5 then reinit(h, p); end when;',
  ],
  [
    'a ball that bounces',
    'parameter Real p = 9; Real h(start = 1, fixed = true), v(start = 0, fixed = true); equation der(h) = v; der(v) = -p; when h < 0 then reinit(v, -v); end when;',
  ],
  [
    'a switch that a quantity turns',
    'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = if h < 1 then p else 2*p;',
  ],
  [
    'the same without an event',
    'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = if noEvent(h < 1) then p else 2*p;',
  ],
  ['steps', 'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = floor(p*time);'],
  [
    'a truth on the way',
    'parameter Real p = 1; Real h(start = 0, fixed = true); Boolean far; equation far = h > 1; der(h) = if far then p else 1;',
  ],
  [
    'what is held',
    'parameter Real p = 1; Real h(start = 0, fixed = true); discrete Real s(start = 0, fixed = true); equation when sample(0, 0.1) then s = p*pre(s) + 1; end when; der(h) = s;',
  ],
  ['what is delayed', 'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = p - delay(h, 0.1);'],
  [
    'a moment that follows from the value',
    'parameter Real p = 1; parameter Real late = p; Real h(start = 0, fixed = true); equation der(h) = if time < late then 1 else p;',
  ],
  [
    'an end that comes sooner',
    'parameter Real p = 1; Real h(start = 0, fixed = true); equation der(h) = p; when h > 1 then terminate("there"); end when;',
  ],
  [
    'a pendulum that is kept on its circle',
    'parameter Real p = 1; Real x(start = 1, fixed = true), y(start = 0), vx, vy, f; equation der(x) = vx; der(y) = vy; der(vx) = -f*x; der(vy) = -f*y - 9.81; x^2 + y^2 = p;',
  ],
])('%s has no slopes that could be integrated along', (_, text) => {
  expect(slopes(text, { by: ['p'], of: [], at: 1 })).toBeUndefined();
});
