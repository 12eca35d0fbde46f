import fc from 'fast-check';
import {
  emptyProject,
  newQuantity,
  newRelationSheet,
  newSetup,
  newType,
  type PartType,
  type Project,
  type Quantity,
} from '../project/project';
import { applyEdit, type Edit } from '../editing/edits';
import { prepareRun } from '../run/prepare';
import { createRun, isRunnable } from '../run/run';
import { handConversions, likelyMeant, namesOfRelation, proposedUnit } from './advice';
import { mergeNames, missingQuantities, setKnown, typeFromRelations } from './sheet-edits';
import { solveSheet } from './solve-sheet';

const quantity = (name: string, unit: string, given?: string, more: Partial<Quantity> = {}): Quantity => ({
  ...newQuantity(`q-${name}`, name),
  unit,
  ...(given !== undefined && { role: 'parameter' as const, value: given }),
  ...more,
});

function sheetProject(
  quantities: readonly Quantity[],
  relations: readonly string[],
  more: Partial<PartType> = {},
): Project {
  const type: PartType = {
    ...newType('t', 'Pump'),
    quantities,
    sheets: [
      { ...newRelationSheet('s', 'Power'), relations: relations.map((text, k) => ({ id: `r${k}`, text, note: '' })) },
    ],
    ...more,
  };
  return { ...emptyProject('p', 'P'), root: 't', types: [type], setups: [newSetup('u', 'S')] };
}
const solve = (quantities: readonly Quantity[], relations: readonly string[]) =>
  solveSheet(sheetProject(quantities, relations), 't', 's');
const value = (r: ReturnType<typeof solve>, name: string): number | undefined =>
  r.quantities.find((q) => q.name === name)?.value;

test('power of a pump from flow and pressure in the units of the trade, and back', () => {
  // P = Q dp/eta: 30 L/min at 100 bar and 80 % is 5 kW/0.8
  const forward = solve(
    [quantity('P', 'kW'), quantity('Q', 'L/min', '30'), quantity('dp', 'bar', '100'), quantity('eta', '%', '80')],
    ['P = Q*dp/eta'],
  );
  expect(value(forward, 'P')).toBeCloseTo(5 / 0.8, 9);
  expect(forward.relations[0]).toMatchObject({ state: 'used', gives: ['P'], baseUnit: 'W' });
  const back = solve(
    [quantity('P', 'kW', '6.25'), quantity('Q', 'L/min'), quantity('dp', 'bar', '100'), quantity('eta', '%', '80')],
    ['P = Q*dp/eta'],
  );
  expect(value(back, 'Q')).toBeCloseTo(30, 9);
});

test('temperatures are converted with their offset, numbers with units where they stand', () => {
  const r = solve(
    [quantity('T', 'degC'), quantity('Q', 'W', '50'), quantity('R', 'K/W', '1.2'), quantity('Ta', 'degC', '20')],
    ['T - Ta = R*Q', "T < 353.15 'K'"],
  );
  expect(value(r, 'T')).toBeCloseTo(80, 9);
  expect(r.relations[1].state).toBe('fails');
  expect(solve([quantity('T', 'degC', '79')], ["T < 80 'degC'"]).relations[0].state).toBe('holds');
});

test('what is open says which ones would help; what contradicts says what it stands against', () => {
  const open = solve(
    [quantity('a', '1', '2'), quantity('b', '1'), quantity('c', '1'), quantity('d', '1')],
    ['b = a + 1', 'c = d*a'],
  );
  expect(value(open, 'b')).toBe(3);
  expect(open.open.map((g) => [[...g.names].sort(), g.missing])).toEqual([[['c', 'd'], 1]]);
  expect(
    solve(
      ['F', 'm', 'a'].map((n) => quantity(n, '')),
      ['F = m*a'],
    ).open.map((g) => g.missing),
  ).toEqual([2]);
  expect(open.relations.map((r) => r.state)).toEqual(['used', 'waits']);
  const many = solve([quantity('a', '1', '2'), quantity('b', '1')], ['b = 3*a', 'b + a = 9']);
  expect(many.relations.map((r) => r.state).sort()).toEqual(['contradicts', 'used']);
  expect([...many.contradictions[0]].sort()).toEqual(['r0', 'r1']);
  // one that follows from the others agrees with them
  expect(
    solve([quantity('a', '1', '2'), quantity('b', '1')], ['b = 3*a', 'b + a = 8'])
      .relations.map((r) => r.state)
      .sort(),
  ).toEqual(['agrees', 'used']);
  const impossible = solve([quantity('a', '1', '-2'), quantity('b', '1')], ['b^2 = a']);
  expect(impossible.quantities.find((q) => q.name === 'b')?.state).toBe('failed');
  expect(impossible.relations[0].problem).not.toBe('');
});

test('several relations are solved together where they hang together', () => {
  const r = solve(
    [quantity('x', '1'), quantity('y', '1'), quantity('s', '1', '5'), quantity('p', '1', '6')],
    ['x + y = s', 'x*y = p'],
  );
  const found = [value(r, 'x')!, value(r, 'y')!].sort();
  expect(found[0]).toBeCloseTo(2, 9);
  expect(found[1]).toBeCloseTo(3, 9);
  expect(r.quantities[0].from.length).toBe(2);
});

test('sensitivities are those of the closed form', () => {
  // v = sqrt(2 g h): one percent of h is half a percent of v; d = v^2/(2 mu g) = h/mu
  const r = solve(
    [
      quantity('v', 'm/s'),
      quantity('g', 'm/s2', '9.81'),
      quantity('h', 'cm', '50'),
      quantity('d', 'm'),
      quantity('mu', '1', '0.4'),
    ],
    ['v = sqrt(2*g*h)', 'd = v^2/(2*mu*g)'],
  );
  const percent = (result: string, given: string): number =>
    r.sensitivities.find((s) => s.result === result && s.given === given)?.percent ?? 0;
  expect(percent('v', 'h')).toBeCloseTo(0.5, 9);
  expect(percent('d', 'h')).toBeCloseTo(1, 9);
  expect(percent('d', 'mu')).toBeCloseTo(-1, 9);
  expect(percent('d', 'g')).toBeCloseTo(0, 9);
});

test('chains of relations are solved in any order and direction (property)', () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: 0.5, max: 2, noNaN: true }), { minLength: 2, maxLength: 12 }),
      fc.nat(),
      fc.integer(),
      (factors, at, shuffle) => {
        const n = factors.length;
        const known = at % (n + 1);
        const names = Array.from({ length: n + 1 }, (_, k) => `x${k}`);
        const truth = factors.reduce<number[]>((v, f) => [...v, v.at(-1)! * f + 1], [1]);
        const quantities = names.map((x, k) => quantity(x, '1', k === known ? String(truth[k]) : undefined));
        const relations = factors.map((f, k) =>
          k % 2 ? `x${k + 1} = ${f}*x${k} + 1` : `(x${k + 1} - 1)/x${k} = ${f}`,
        );
        if (shuffle % 2) relations.reverse();
        const r = solve(quantities, relations);
        names.forEach((x, k) => expect(value(r, x)! / truth[k]).toBeCloseTo(1, 6));
      },
    ),
    { numRuns: 40 },
  );
});

test('units are proposed from what stands around a name, and hand-written conversions are questioned', () => {
  const project = sheetProject(
    [
      quantity('Q', 'L/min', '30'),
      quantity('dp', 'bar', '100'),
      quantity('n', 'rpm'),
      quantity('P', 'kW'),
      quantity('v', 'm/s'),
    ],
    [],
  );
  const type = project.types[0];
  expect(proposedUnit(project, type, 'power = Q*dp/0.8', 'power')).toBe('W');
  expect(proposedUnit(project, type, 'P = tau*n', 'tau')).toBe('N.m');
  expect(proposedUnit(project, type, 'v = sqrt(2*g*h)', 'g')).toBe('');
  expect(proposedUnit(project, type, "v = sqrt(2*9.81 'm/s2'*h)", 'h')).toBe('m');
  expect(
    handConversions(project, type, 'P = Q*dp/600').map((h) => [Number(h.factor.toPrecision(4)), h.without]),
  ).toEqual([[0.001667, 'P = Q*dp']]);
  expect(handConversions(project, type, 'P = 2*3.14159*n/60*v').length).toBeGreaterThan(0);
  for (const fine of ['P = 3*Q*dp', 'Q = v*n/(2*3.141592653589793)', 'P = pi/4*Q*dp'])
    expect(handConversions(project, type, fine)).toEqual([]);
  expect(namesOfRelation(project, type, 'P = Q*dp/eta').map((n) => [n.name, n.known])).toEqual([
    ['P', true],
    ['Q', true],
    ['dp', true],
    ['eta', false],
  ]);
  expect(handConversions(project, type, 'power = Q*dp/600').length).toBe(1);
  expect(likelyMeant('omga', ['omega', 'n'])).toBe('omega');
  expect(likelyMeant('heat', ['eta', 'n'])).toBeUndefined();
});

test('a relation of a part inside takes part in the sheet around it', () => {
  const inner: PartType = {
    ...newType('i', 'Gear'),
    quantities: [quantity('w1', 'rad/s'), quantity('w2', 'rad/s'), quantity('n', '1', '10')],
    sheets: [{ ...newRelationSheet('z', 'Ratio'), relations: [{ id: 'k', text: 'w1 = n*w2', note: '' }] }],
  };
  const outer = sheetProject(
    [quantity('motor', 'rpm', '3000'), quantity('out', 'rpm')],
    ['gear.w1 = motor', 'out = gear.w2'],
    { parts: [{ id: 'g', name: 'gear', type: 'i', changes: [], note: '', place: null }] },
  );
  const r = solveSheet({ ...outer, types: [...outer.types, inner] }, 't', 's');
  expect(r.quantities.find((q) => q.name === 'out')?.value).toBeCloseTo(300, 9);
});

test('in a run the relations follow what changes', () => {
  const project = sheetProject(
    [{ ...quantity('h', 'm'), value: '1' }, quantity('p', 'bar'), quantity('rho', 'kg/m3', '1000')],
    ["p = rho*9.81 'm/s2'*h"],
    { physics: "der(h) = 1 'm/s';" },
  );
  const prepared = prepareRun(project, { ...project.setups[0], stop: 2 });
  expect(prepared.problems.filter((x) => x.severity === 'error')).toEqual([]);
  if (!isRunnable(prepared)) throw new Error('not runnable');
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  const column = run.recorder.takeNew().columns.find((c) => c.name === 'p')!;
  expect(column.kind === 'real' && column.values.at(-1)).toBeCloseTo((1000 * 9.81 * 3) / 1e5, 9);
});

test('renaming a quantity renames it in relations', () => {
  const project = sheetProject([quantity('a', '1', '2'), quantity('b', '1')], ['b = a^2']);
  const next = applyEdit(project, { kind: 'rename', list: 'type/t/quantity', id: 'q-a', name: 'alpha' }).project;
  expect(next.types[0].sheets[0].relations[0].text).toBe('b = alpha^2');
});

test('a sheet for looking only takes no part in runs, and what it alone speaks of needs no equation there', () => {
  const project = sheetProject([quantity('a', '1', '2'), quantity('b', '1')], ['b = a^2']);
  const aside = applyEdit(project, {
    kind: 'update',
    list: 'type/t/sheet',
    id: 's',
    changes: { live: false },
  }).project;
  for (const p of [project, aside])
    expect(prepareRun(p, p.setups[0]).problems.filter((x) => x.severity === 'error')).toEqual([]);
  expect(value(solveSheet(aside, 't', 's'), 'b')).toBe(4);
});

test('a limit of a sheet in runs is told with the first time it does not hold, and stops nothing', () => {
  const project = sheetProject(
    [{ ...quantity('h', 'm'), value: '0' }, quantity('p', 'bar')],
    ["p = 1000 'kg/m3'*9.81 'm/s2'*h", "p < 0.0981 'bar'"],
    { physics: "der(h) = 0.5 'm/s';" },
  );
  const prepared = prepareRun(project, { ...project.setups[0], stop: 4, step: 0.01, solver: 'rk4' });
  if (!isRunnable(prepared)) throw new Error('not runnable');
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  expect(run.simulation.status).toBe('finished');
  expect(run.simulation.warnings.map((w) => [w.severity, w.place])).toEqual([
    ['warning', 'type/t/sheet/s/relation/r1'],
  ]);
  // 0.0981 bar are 1 m, reached after 2 s
  const told = Number(/t = ([\d.]+) s/.exec(run.simulation.warnings[0].message)![1]);
  expect(told).toBeGreaterThan(2 - 1e-9);
  expect(told).toBeLessThan(2.02);
  const holds = prepareRun(project, { ...project.setups[0], stop: 1 });
  if (!isRunnable(holds)) throw new Error('not runnable');
  const short = createRun(holds);
  short.simulation.advance(Infinity);
  expect(short.simulation.warnings).toEqual([]);
});

describe('edits of a sheet', () => {
  const ids = (): (() => string) => {
    let k = 0;
    return () => `m${++k}`;
  };
  const done = (project: Project, edits: readonly Edit[]): Project => {
    const r = applyEdit(project, { kind: 'batch', label: 'x', edits });
    if (r.refused) throw new Error(r.refused.message);
    return r.project;
  };
  test('names of a new relation become quantities with the unit asked for; what is broken makes none', () => {
    const project = sheetProject([quantity('Q', 'L/min', '30'), quantity('dp', 'bar', '100')], []);
    const next = done(project, missingQuantities(project, project.types[0], 'P = Q*dp', ids()));
    expect(next.types[0].quantities.at(-1)).toMatchObject({ name: 'P', unit: 'W', role: 'variable' });
    expect(missingQuantities(project, project.types[0], 'P = Q*', ids())).toEqual([]);
  });
  test('a merged name goes from every relation, and its quantity with it', () => {
    const project = sheetProject(
      [quantity('omega', 'rad/s', '2'), quantity('omga', ''), quantity('P', 'W'), quantity('tau', 'N.m', '3')],
      ['P = tau*omga', 'omga > 0'],
    );
    const next = done(project, mergeNames(project.types[0], 'omga', 'omega'));
    expect(next.types[0].sheets[0].relations.map((r) => r.text)).toEqual(['P = tau*omega', 'omega > 0']);
    expect(next.types[0].quantities.map((q) => q.name)).not.toContain('omga');
    expect(solveSheet(next, 't', 's').quantities.find((q) => q.name === 'P')?.value).toBe(6);
  });
  test('known with the value found, and found again', () => {
    const project = sheetProject([quantity('a', '1', '2'), quantity('b', '1')], ['b = 3*a']);
    const turned = done(project, [
      setKnown(project.types[0], project.types[0].quantities[1], true, 6),
      setKnown(project.types[0], project.types[0].quantities[0], false, 2),
    ]);
    expect(solveSheet(turned, 't', 's').quantities.map((q) => [q.name, q.state, q.value])).toEqual([
      ['b', 'given', 6],
      ['a', 'found', 2],
    ]);
  });
  test('a relation as a part type of its own gives what it gave', () => {
    const project = sheetProject(
      [quantity('P', 'kW'), quantity('Q', 'L/min', '30'), quantity('dp', 'bar', '100')],
      ['P = Q*dp'],
    );
    const made = typeFromRelations(project, project.types[0], project.types[0].sheets[0].relations, 'Hydraulic', ids());
    const outer: PartType = {
      ...newType('o', 'Outer'),
      parts: [{ id: 'h', name: 'h', type: made.id, changes: [], note: '', place: null }],
      quantities: [quantity('power', 'W')],
      sheets: [
        {
          ...newRelationSheet('so', 'O'),
          relations: ["h.Q = 30 'L/min'", "h.dp = 100 'bar'", 'power = h.P'].map((text, k) => ({
            id: `o${k}`,
            text,
            note: '',
          })),
        },
      ],
    };
    const r = solveSheet({ ...project, types: [...project.types, made, outer] }, 'o', 'so');
    expect(r.quantities.find((q) => q.name === 'power')?.value).toBeCloseTo(5000, 6);
  });
});
