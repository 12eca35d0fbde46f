import fc from 'fast-check';
import { newRequirement, type Project, type Quantity } from '../project/project';
import { projectOf, quantity } from '../testing/run-project';
import type { RequirementFinding } from './run';
import { checkProject } from './check';
import { createRun, isRunnable, prepareRun } from './index';

/**
 * Limits over signals whose course is known, from the formula as it is written to the finding as it is told: verdict, signed margin
 * in the unit of the limit, and when.
 */

const quantities: Quantity[] = [
  ...Object.entries({ s1: 's', v1: 'V', a1: 'A', w1: 'rad/s' }).map(([name, unit]) =>
    quantity(name, '1', { unit, role: 'parameter' }),
  ),
  ...Object.entries({ tau: '1', up: 'V', down: 'V', swing: 'A', turn: 'rad/s' }).map(([name, unit]) =>
    quantity(name, '', { unit }),
  ),
  quantity('early', '', { type: 'Boolean' }),
  quantity('late', '', { type: 'Boolean' }),
];
const stop = 10;
const physics = `tau = time/s1; up = tau*v1; down = (10 - tau)*v1; swing = 3*sin(tau)*a1; turn = 2*tau*w1;
early = time >= 2; late = time >= 5;`;

function findingsOf(formulas: readonly string[]): readonly RequirementFinding[] {
  const project: Project = {
    ...projectOf({ quantities, physics }, { stop, recordEvery: 0.01 }),
    requirements: formulas.map((formula, k) => ({ ...newRequirement(`r${k}`, `R-${k}`, 'A limit.'), formula })),
  };
  const prepared = prepareRun(project, project.setups[0]);
  if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
  const run = createRun(prepared);
  run.simulation.advance(Infinity);
  return run.findings();
}
const one = (formula: string): RequirementFinding => findingsOf([formula])[0];
const near = (actual: number | undefined, expected: number, digits = 5): void =>
  expect(actual).toBeCloseTo(expected, digits);

test('a limit on one signal: its least distance, in the unit it is written in, and when that was', () => {
  // the greatest and the least value of each signal, and the unit's size in that of the signal
  const signals = {
    up: {
      most: 10,
      least: 0,
      units: [
        ['V', 1],
        ['mV', 1e-3],
      ],
    },
    down: {
      most: 10,
      least: 0,
      units: [
        ['V', 1],
        ['kV', 1e3],
      ],
    },
    swing: {
      most: 3,
      least: 3 * Math.sin((3 * Math.PI) / 2),
      units: [
        ['A', 1],
        ['mA', 1e-3],
      ],
    },
    turn: {
      most: 20,
      least: 0,
      units: [
        ['rad/s', 1],
        ['rpm', Math.PI / 30],
      ],
    },
  } as const;
  fc.assert(
    fc.property(
      fc.constantFrom(...(Object.keys(signals) as (keyof typeof signals)[])),
      fc.integer({ min: -12, max: 12 }),
      fc.constantFrom('<=', '>=', '<', '>'),
      fc.nat(1),
      (name, n, relation, k) => {
        const { most, least, units } = signals[name];
        const [unit, size] = units[k];
        const limit = n + 0.5;
        const found = one(`always(${name} ${relation} ${limit / size} '${unit}')`);
        const margin = relation.startsWith('<') ? limit - most : least - limit;
        expect(found.verdict).toBe(margin >= 0 ? 'holds' : 'fails');
        near(found.margin! * size, margin, 3);
        expect(found.unit).toBe(unit);
      },
    ),
    { numRuns: 40 },
  );
});

test('it fails since the moment it is first passed', () => {
  const found = findingsOf(["always(up <= 4 'V')", "always(down >= 3 'V')", "always(turn <= 60 'rpm')"]);
  near(found[0].failsSince, 4);
  near(found[1].failsSince, 7);
  near(found[2].failsSince, Math.PI);
  expect(found.map((f) => f.verdict)).toEqual(['fails', 'fails', 'fails']);
  near(found[0].margin, -6);
  near(found[2].margin, 60 - (20 * 30) / Math.PI, 3);
  expect(found[0].worstAt).toBeCloseTo(10, 6);
});

test('joined limits: the least of both, the greater of two, and only where a condition holds', () => {
  const cases: readonly (readonly [formula: string, verdict: string, margin: number])[] = [
    ["always(up <= 12 'V' and down <= 11 'V')", 'holds', 1],
    ["always(up <= 12 'V' and down >= 2 'V')", 'fails', -2],
    // one of them holds at any time; the nearest is where they cross
    ["always(up <= 6 'V' or down <= 5 'V')", 'holds', 0.5],
    ["always(implies(late, up >= 4 'V'))", 'holds', 1],
    ["always(implies(early, down <= 7 'V'))", 'fails', -1],
    ["always(implies(up >= 8 'V', swing >= 0.5 'A'))", 'fails', 3 * Math.sin(10) - 0.5],
    ["always(not (up > 11 'V'))", 'holds', 1],
    ["always(abs(swing) <= 3.5 'A')", 'holds', 0.5],
    ["always(up + down <= 10.5 'V')", 'holds', 0.5],
    ["always(up <= down + 12 'V')", 'holds', 2],
    ["eventually(up >= 9 'V')", 'holds', 1],
    ["eventually(up >= 12 'V')", 'fails', -2],
  ];
  findingsOf(cases.map(([f]) => f)).forEach((f, k) => {
    expect([cases[k][0], f.verdict]).toEqual([cases[k][0], cases[k][1]]);
    near(f.margin, cases[k][2], 3);
  });
});

test('answers within a time and holds throughout one: the margin is the time that is left', () => {
  const found = findingsOf([
    "always(implies(rising(early), within(4 's', late)))",
    "always(implies(rising(early), within(2 's', late)))",
    "always(implies(rising(early), within(4 's', up >= 3.5 'V')))",
    "always(implies(rising(early), throughout(3 's', early)))",
    "always(implies(rising(up > 1 'V'), throughout(5 's', not late)))",
    "always(implies(rising(late), within(20 's', up >= 99 'V')))",
    "always(implies(rising(up > 99 'V'), within(1 's', late)))",
  ]);
  expect(found.map((f) => f.verdict)).toEqual(['holds', 'fails', 'holds', 'holds', 'fails', 'undecided', 'undecided']);
  near(found[0].margin, 1);
  near(found[1].margin, -1);
  near(found[1].failsSince, 4);
  near(found[2].margin, 2.5);
  // the time that is left is told in the unit of the time
  expect([found[0].unit, found[4].unit]).toEqual(['s', 's']);
  near(found[4].margin, -1);
  expect(found[5].reason).toMatch(/ended before the time was up/);
  expect(found[6].reason).toMatch(/never happened/);
});

test('means, greatest values, counts, and values at a moment', () => {
  const cases: readonly (readonly [formula: string, verdict: string, margin: number])[] = [
    ["atEnd(average(up) <= 5.5 'V')", 'holds', 0.5],
    ["atEnd(average(swing) <= 1 'A')", 'holds', 1 - (3 * (1 - Math.cos(10))) / 10],
    ["atEnd(rms(up) <= 6 'V')", 'holds', 6 - 10 / Math.sqrt(3)],
    ["always(average(2 's', up) <= 9.5 'V')", 'holds', 0.5],
    ["atEnd(averageDuring(late, up) >= 7 'V')", 'holds', 0.5],
    ["always(highest(3 's', down) <= 10 'V')", 'holds', 0],
    ["always(count(swing > 2 'A') <= 2)", 'holds', 0],
    ["always(count(2 's', early) <= 0)", 'fails', -1],
    ["always(implies(late, up >= at(early, up) + 2 'V'))", 'holds', 1],
  ];
  findingsOf(cases.map(([f]) => f)).forEach((f, k) => {
    expect([cases[k][0], f.verdict]).toEqual([cases[k][0], cases[k][1]]);
    near(f.margin, cases[k][2], 3);
  });
});

test('what rests on constants is decided without a run, in the unit of the limit', () => {
  const project: Project = {
    ...projectOf({
      quantities: [quantity('size', '0.05', { unit: 'm', role: 'parameter' }), quantity('x', '', { unit: 's' })],
      physics: 'x = time;',
    }),
    requirements: ["always(size <= 60 'mm')", "always(size >= 6 'cm')"].map((formula, k) => ({
      ...newRequirement(`r${k}`, `R-${k}`, 'A limit.'),
      formula,
    })),
  };
  const [holds, fails] = checkProject(project).constants;
  expect([holds.verdict, holds.unit, fails.verdict, fails.unit]).toEqual(['holds', 'mm', 'fails', 'cm']);
  near(holds.margin, 10);
  near(fails.margin, -1);
});

test('several obligations of one limit: the first that fails counts, with its own margin', () => {
  const both = one("always(up <= 12 'V') and always(down >= 1 'V')");
  expect([both.verdict, both.unit]).toEqual(['fails', 'V']);
  near(both.margin, -1);
  near(both.failsSince, 9);
  const open = one("always(up <= 12 'V') and atEnd(average(up) <= 4 'V')");
  expect(open.verdict).toBe('fails');
  near(open.margin, -1);
});
