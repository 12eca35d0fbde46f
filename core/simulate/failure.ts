import type { Problem } from '../language/diagnostics';
import { walk, type FlatExpr } from '../flatten/flat-expression';
import { describeExpression } from '../flatten/describe-expression';
import type { FlatEquation, Origin } from '../flatten/flat-model';
import type { BlockFailure } from '../program/newton';
import type { Memory } from '../program/machine';
import type { Program } from '../program/program';
import { hasFixedStep } from '../project/project';
import type { SolverName } from './solvers';

/** Everything that can go wrong during a run, as problems that carry time, part, equation, values and advice. */

const at = (time: number): string => `at t = ${Number(time.toPrecision(6))} s`;

export const runProblem = (code: string, message: string, time: number, origin?: Origin): Problem => ({
  severity: 'error',
  code,
  message: `${message}, ${at(time)}`,
  ...(origin && { place: origin.place, span: origin.span }),
});

const show = (value: number): string =>
  Number.isNaN(value) ? 'not a number' : !Number.isFinite(value) ? 'infinite' : String(Number(value.toPrecision(5)));

function valuesIn(program: Program, v: Float64Array, ...expressions: FlatExpr[]): string {
  const found = new Map<string, number>();
  for (const e of expressions)
    walk(
      e,
      (x) =>
        void (
          x.op === 'var' &&
          !program.solvable.model.variables[x.index].hidden &&
          found.set(program.solvable.model.variables[x.index].name, v[x.index])
        ),
    );
  return [...found]
    .slice(0, 8)
    .map(([name, value]) => `${name} = ${show(value)}`)
    .join(', ');
}

const inPart = (e: FlatEquation): string => (e.origin.part ? ` in ${e.origin.part}` : '');

/** The first equation whose result is not a number. */
export function notFiniteProblem(program: Program, time: number, memory: Memory): Problem | undefined {
  const { solvable } = program;
  const slot = new Map(solvable.states.map((s, k) => [s, k]));
  for (const b of solvable.blocks) {
    const targets = b.kind === 'assign' ? [b.target] : [...b.tears, ...b.inner.map((x) => x.target)];
    for (const u of targets) {
      const value = u.kind === 'var' ? memory.v[u.index] : memory.d[slot.get(u.index)!];
      if (Number.isFinite(value)) continue;
      const equation = b.kind === 'assign' ? b.equation : b.residuals[0].equation;
      const name =
        (u.kind === 'der' ? 'der(' : '') + solvable.model.variables[u.index].name + (u.kind === 'der' ? ')' : '');
      const why = b.kind === 'assign' ? reason(b.value, memory.v) : undefined;
      const values = b.kind === 'assign' ? valuesIn(program, memory.v, b.value) : '';
      return runProblem(
        'not-finite',
        `${why ?? 'No finite value'} in "${equation.origin.text}"${inPart(equation)}: ${name} would be ${show(value)}${values ? ` (${values})` : ''}`,
        time,
        equation.origin,
      );
    }
  }
  const state = solvable.states.find((k) => !Number.isFinite(memory.v[k]));
  return state === undefined
    ? undefined
    : runProblem('not-finite', `${solvable.model.variables[state].name} has grown beyond all bounds`, time);
}

/** A root whose argument has become negative. */
export function rootProblem(program: Program, time: number, memory: Memory, k: number): Problem {
  const argument = program.roots[k];
  return undefinedProblem(program, time, memory, 'Square root of a negative number', argument, argument);
}

/** A quotient whose divisor has become zero. */
export function quotientProblem(program: Program, time: number, memory: Memory, k: number): Problem {
  const quotient = program.quotients[k];
  return undefinedProblem(program, time, memory, 'Division by zero', quotient.term, quotient.divisor);
}

function undefinedProblem(
  program: Program,
  time: number,
  memory: Memory,
  what: string,
  term: FlatExpr,
  told: FlatExpr,
): Problem {
  const contains = (e: FlatExpr): boolean => {
    let found = false;
    walk(e, (x) => (found ||= x === term));
    return found;
  };
  const equations = program.solvable.blocks.flatMap((b) =>
    b.kind === 'assign' ? [{ value: b.value, equation: b.equation }] : [...b.inner, ...b.residuals],
  );
  const equation = equations.find((x) => contains(x.value))?.equation;
  const values = valuesIn(program, memory.v, told);
  return runProblem(
    'not-finite',
    `${what}: ${describe(program, told)}${equation ? ` in "${equation.origin.text}"${inPart(equation)}` : ''}${values ? ` (${values})` : ''}`,
    time,
    equation?.origin,
  );
}

function reason(e: FlatExpr, v: Float64Array): string | undefined {
  let found: string | undefined;
  const value = (x: FlatExpr): number => {
    switch (x.op) {
      case 'const':
        return x.value;
      case 'var':
        return v[x.index];
      case 'neg':
        return -value(x.a);
      case 'add':
        return value(x.a) + value(x.b);
      case 'sub':
        return value(x.a) - value(x.b);
      case 'mul':
        return value(x.a) * value(x.b);
      case 'div':
        return value(x.a) / value(x.b);
      case 'pow':
        return value(x.a) ** value(x.b);
      default:
        return NaN;
    }
  };
  walk(e, (x) => {
    if (x.op === 'div' && value(x.b) === 0) found ??= 'Division by zero';
    if (x.op === 'fn' && x.name === 'sqrt' && value(x.args[0]) < 0) found ??= 'Square root of a negative number';
    if (x.op === 'fn' && (x.name === 'log' || x.name === 'log10') && value(x.args[0]) <= 0)
      found ??= 'Logarithm of zero or of a negative number';
    return found !== undefined;
  });
  if (found === undefined)
    walk(e, (x) => void (x.op === 'const' && Number.isNaN(x.value) && (found = 'An index outside its array')));
  return found;
}

const textsOf = (equations: readonly FlatEquation[]): string[] => [
  ...new Set(equations.map((e) => e.origin.text.replace(/;$/, ''))),
];
const list = (all: readonly string[], most: number): string =>
  all.length > most ? `${all.slice(0, most).join(', ')} and ${all.length - most} more` : all.join(', ');

export function blockProblem(program: Program, failure: BlockFailure, time: number, v: Float64Array): Problem {
  const block = program.tornBlocks[failure.block];
  const [first] = block.equations;
  const names = block.unknowns.map((u) => program.solvable.model.variables[u.index].name);
  const texts = textsOf(block.equations);
  const what = {
    singular: 'has no single solution',
    'no-convergence': 'does not converge: no values were found that satisfy it',
    'not-finite': 'cannot be computed from its start values',
  }[failure.reason];
  const advice =
    failure.reason === 'singular'
      ? 'one of the equations may say the same as another'
      : 'give the unknowns start values near the solution, or check the equations for a sign or unit';
  const values = valuesIn(program, v, ...block.equations.flatMap((e) => [e.left, e.right]));
  return runProblem(
    'loop',
    `The loop of "${list(texts, 3)}"${inPart(first)} for ${list(names, 4)} ${what}; ${advice} (${values})`,
    time,
    first.origin,
  );
}

/** A loop with more than one solution, of which one was taken. */
export function openLoopProblem(program: Program, k: number, time: number, v: Float64Array): Problem {
  const {
    equations: [first],
    unknowns,
  } = program.tornBlocks[k];
  const names = unknowns
    .map((u) => program.solvable.model.variables[u.index])
    .filter((x) => !x.hidden)
    .map((x) => x.name);
  const texts = textsOf(program.tornBlocks[k].equations);
  const told = list(
    unknowns
      .filter((u) => !program.solvable.model.variables[u.index].hidden)
      .map(
        (u) => `${program.solvable.model.variables[u.index].name}${u.kind === 'var' ? ` = ${show(v[u.index])}` : ''}`,
      ),
    3,
  );
  return {
    ...runProblem(
      'open-loop',
      `The loop of "${list(texts, 3)}" leaves ${list(names, 4)} open: one of its equations says the same as others, or nothing holds it (no ground, no fixed point). One solution was taken: ${told}`,
      time,
      first.origin,
    ),
    severity: 'warning',
  };
}

/** A constraint (or an equation of the start) that the states cannot be brought onto. */
export function constraintProblem(program: Program, time: number, memory: Memory, k: number): Problem {
  const { invariants, startEquations } = program.solvable;
  const e = [...invariants, ...startEquations][k];
  return runProblem(
    'constraint',
    `The states cannot be brought onto "${e.origin.text}"${inPart(e)}: ${time === 0 ? 'the fixed start values contradict it, or leave nothing to move' : 'its quantities have run into a place where it has no solution nearby'} (${valuesIn(program, memory.v, e.left, e.right)})`,
    time,
    e.origin,
  );
}

export function unsettledProblem(time: number, message: string, places: readonly string[]): Problem {
  return {
    severity: 'error',
    code: 'never-settles',
    message: `${message}, ${at(time)}`,
    ...(places[0] && { place: places[0] }),
  };
}

/** Events without end: names the condition that keeps switching. */
export function chatterProblem(program: Program, time: number, memory: Memory): Problem {
  const smallest = program.modes.reduce(
    (best, source, k) =>
      source.kind === 'relation' && (best < 0 || Math.abs(memory.z[k]) < Math.abs(memory.z[best])) ? k : best,
    -1,
  );
  const source = smallest >= 0 ? program.modes[smallest] : undefined;
  const text = source?.kind === 'relation' ? describe(program, source.expr) : 'a condition';
  const atZero =
    source?.kind === 'relation'
      ? `, or a case for ${describe(program, source.expr.a)} = ${describe(program, source.expr.b)} in which it stays there`
      : '';
  return runProblem(
    'chattering',
    `Events follow each other without time going on: the condition ${text} keeps switching. Give it a dead band${atZero}`,
    time,
  );
}

/** An expression in the names of the model. */
export const describe = ({ solvable }: Program, e: FlatExpr): string =>
  describeExpression(e, (k) => solvable.model.variables[k].name);

export function stepProblem(program: Program, time: number, memory: Memory, solver: SolverName): Problem {
  const { states, model } = program.solvable;
  let worst = -1;
  for (let k = 0; k < states.length; k++) {
    const speed = Math.abs(memory.d[k]) / (1e-6 + Math.abs(memory.v[states[k]]));
    const best = worst < 0 ? -1 : Math.abs(memory.d[worst]) / (1e-6 + Math.abs(memory.v[states[worst]]));
    if (speed > best) worst = k;
  }
  const name = worst >= 0 ? model.variables[states[worst]].name : 'a state';
  const advice = hasFixedStep(solver)
    ? 'choose a smaller step or a solver with error control'
    : 'choose the implicit solver if the model is stiff, or check whether the model has a finite solution here';
  return runProblem(
    'step-size',
    `The step size has become too small; ${name} changes fastest (${show(memory.v[states[worst] ?? 0])}). You may ${advice}`,
    time,
  );
}
