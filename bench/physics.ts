import { parseFile } from '../core/language/parse';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { compile } from '../core/simulate/compile';
import { createSimulation } from '../core/simulate/simulation';
import { emptyProject, newQuantity, newRelationSheet, newType, type Project } from '../core/project/project';
import { solveSheet } from '../core/relations/solve-sheet';
import type { Observer } from '../core/simulate/observer';
import { time } from './measure';

const silent: Observer = { row: () => undefined, message: () => undefined, transition: () => undefined };
const simulationOf = (text: string, stop: number, relative: number, absolute: number) => {
  const { model } = flatten(libraryOfFile(parseFile(text).value, 'bench'), 'T');
  const { program, problems } = compile(model);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  return {
    model,
    simulation: createSimulation(
      program,
      {
        stop,
        solver: 'auto',
        relative,
        absolute,
        step: 1e-3,
        recordEvery: stop / 100,
        values: new Map(),
        stimulus: [],
      },
      silent,
    ),
  };
};

/** A ladder of library parts: every section has a resistor, a capacitor and their links. */
const ladder = (
  n: number,
): string => `model T Electrical.Resistor r[${n}](each R = 1); Electrical.Capacitor c[${n}](each C = 1); Electrical.VoltageSource s(V = 10); Electrical.Ground g;
equation connect(s.n, g.p); connect(s.p, r[1].p); for k in 1:${n} loop connect(r[k].n, c[k].p); connect(c[k].n, g.p); end for; for k in 1:${n - 1} loop connect(r[k].n, r[k + 1].p); end for; end T;`;

/** Chains of parts from text to running, and stiff problems at their published end points. */
export function benchPhysics(row: (what: string, value: string, wanted: string) => void): void {
  console.log('\nPhysics: chains of parts, stiff problems');
  const build = (sections: number): { equations: number; seconds: number } => {
    let equations = 0;
    const seconds = time(() => {
      const { model, simulation } = simulationOf(ladder(sections), 0.01, 1e-4, 1e-6);
      equations = model.equations.length;
      simulation.advance(1e-9);
    });
    return { equations, seconds };
  };
  build(20);
  const sizes = [20, 80, 400, 1600].map(build);
  for (const s of sizes)
    row(
      `  ladder of parts, ${s.equations} equations: text to first step`,
      `${s.seconds.toFixed(2)} s`,
      s.equations > 10_000 ? '10,000 below 5 s' : '',
    );
  const [a, b] = [sizes[2], sizes[3]];
  row(
    '  growth exponent of the last two',
    (Math.log(b.seconds / a.seconds) / Math.log(b.equations / a.equations)).toFixed(2),
    'near 1',
  );

  const problems = [
    {
      name: 'Robertson to 1e11 s',
      text: 'model T Real y1(start = 1, fixed = true), y2(start = 0, fixed = true), y3; equation der(y1) = -0.04*y1 + 1e4*y2*y3; der(y2) = 0.04*y1 - 1e4*y2*y3 - 3e7*y2^2; y1 + y2 + y3 = 1; end T;',
      stop: 1e11,
      of: 'y1',
      exact: 0.2083340149701255e-7,
      absolute: 1e-16,
    },
    {
      name: 'van der Pol, mu = 1000, to 2000 s',
      text: 'model T parameter Real mu = 1000; Real x(start = 2, fixed = true), y(start = 0, fixed = true); equation der(x) = y; der(y) = mu*(1 - x^2)*y - x; end T;',
      stop: 2000,
      of: 'x',
      exact: 0.1706167732170483e1,
      absolute: 1e-9,
    },
  ];
  for (const p of problems) {
    let tolerance = 1e-3,
      found: { error: number; steps: number; evaluations: number; seconds: number } | undefined;
    // the loosest tolerance that reaches the wanted error
    for (; tolerance > 1e-12; tolerance /= 2) {
      const { model, simulation } = simulationOf(p.text, p.stop, tolerance, Math.min(p.absolute, tolerance * 1e-3));
      const seconds = time(() => simulation.advance(Infinity));
      const error = Math.abs(simulation.machine.memory.v[model.indexOf.get(p.of)!] / p.exact - 1);
      found = { error, steps: simulation.counts.steps, evaluations: simulation.counts.evaluations, seconds };
      if (error < 1e-6) break;
    }
    row(
      `  ${p.name}: steps, evaluations to 1e-6`,
      `${found!.steps}, ${found!.evaluations}`,
      `error ${found!.error.toExponential(1)} in ${(found!.seconds * 1000).toFixed(0)} ms`,
    );
  }

  const sheet = relationChain(200);
  for (let k = 0; k < 5; k++) solveSheet(typed(sheet, k), 't', 's');
  const times = Array.from({ length: 15 }, (_, k) => time(() => void solveSheet(typed(sheet, k), 't', 's'))).sort(
    (a, b) => a - b,
  );
  row('  sheet of 200 relations after one of them was typed', `${(times[7] * 1000).toFixed(0)} ms`, 'below 50');
}

/** Relations that each give the next quantity, in changing units and not linear in it. */
function relationChain(n: number): Project {
  const quantities = Array.from({ length: n + 1 }, (_, k) => ({
    ...newQuantity(`q${k}`, `x${k}`),
    unit: k % 2 ? 'bar' : 'kPa',
    ...(k === 0 && { role: 'parameter' as const, value: '3' }),
  }));
  const relations = Array.from({ length: n }, (_, k) => ({
    id: `r${k}`,
    note: '',
    text: `x${k + 1} + 0.01*x${k + 1}^2/x${k} = 1.01*x${k}`,
  }));
  return {
    ...emptyProject('p', 'P'),
    root: 't',
    types: [{ ...newType('t', 'T'), quantities, sheets: [{ ...newRelationSheet('s', 'S'), relations }] }],
  };
}

/** As after typing in one relation: that one is another text, all others are the same. */
const typed = (project: Project, turn: number): Project => ({
  ...project,
  types: project.types.map((t) => ({
    ...t,
    sheets: t.sheets.map((s) => ({
      ...s,
      relations: s.relations.map((r, k) => (k === 100 ? { ...r, text: `${r.text}*${1 + turn / 1000}` } : r)),
    })),
  })),
});
