import fc from 'fast-check';
import { newSignalLine, newSignalSheet, type PartType, type Project, type Quantity } from '../project/project';
import { stepProgramOf } from '../stepcode/controller';
import type { NumberKind } from '../stepcode/number-kinds';
import type { StepProgram } from '../stepcode/step-program';
import { projectOf, quantity } from './run-project';

/** Quantities that are kept in fewer bits, and formulas of them. */

export const kept = (name: string, role: Quantity['role'], number: NumberKind, min: string, max: string, value = '0') =>
  quantity(name, value, { role, number, min, max, ...(/int/.test(number) && { type: 'Integer' as const }) });

export function sheetOf(quantities: readonly Quantity[], lines: readonly string[]): Project {
  const sheet = { ...newSignalSheet('s', 'S'), every: '0.01', lines: lines.map((t, k) => newSignalLine(`l${k}`, t)) };
  return projectOf({ quantities: [...quantities], signals: [sheet] });
}
export function programWith(quantities: readonly Quantity[], lines: readonly string[]): StepProgram {
  const project = sheetOf(quantities, lines);
  const { program, problems } = stepProgramOf(project, project.types[0]);
  if (!program) throw new Error(problems.map((p) => p.message).join('; '));
  return program;
}
/** Formulas of `a`, `b` and `n`, and what they are. */
export type Numbers = { readonly a: number; readonly b: number; readonly n: number };
export interface Formula {
  readonly text: string;
  readonly at: (x: Numbers) => number;
  /** How large what it is made of can be. */
  readonly size: (x: Numbers) => number;
}
const leaf: fc.Arbitrary<Formula> = fc.oneof(
  fc
    .constantFrom('a' as const, 'b' as const, 'n' as const)
    .map((name): Formula => ({ text: name, at: (x) => x[name], size: (x) => x[name] })),
  fc
    .constantFrom(0.3, 2, -0.75, 1.25, 10, 0.01)
    .map((c): Formula => ({ text: `(${c})`, at: () => c, size: () => Math.abs(c) })),
);
export const { formula } = fc.letrec<{ formula: Formula }>((tie) => ({
  formula: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.tuple(tie('formula'), fc.constantFrom('+', '-', '*'), tie('formula')).map(([x, op, y]): Formula => ({
      text: `(${x.text} ${op} ${y.text})`,
      size: (v) => (op === '*' ? x.size(v) * y.size(v) : x.size(v) + y.size(v)),
      at: (v) => (op === '+' ? x.at(v) + y.at(v) : op === '-' ? x.at(v) - y.at(v) : x.at(v) * y.at(v)),
    })),
    fc.tuple(tie('formula'), fc.constantFrom(4, 0.7, -3)).map(([x, c]): Formula => ({
      text: `(${x.text} / (${c}))`,
      at: (v) => x.at(v) / c,
      size: (v) => x.size(v) / Math.abs(c),
    })),
    fc
      .tuple(tie('formula'), fc.constantFrom('min' as const, 'max' as const), tie('formula'))
      .map(([x, f, y]): Formula => ({
        text: `${f}(${x.text}, ${y.text})`,
        at: (v) => Math[f](x.at(v), y.at(v)),
        size: (v) => Math.max(x.size(v), y.size(v)),
      })),
    tie('formula').map((x): Formula => ({ text: `abs(${x.text})`, at: (v) => Math.abs(x.at(v)), size: x.size })),
    fc.tuple(tie('formula'), tie('formula'), tie('formula')).map(([c, x, y]): Formula => ({
      text: `(if ${c.text} > 0.2 then ${x.text} else ${y.text})`,
      size: (v) => Math.max(c.size(v), x.size(v), y.size(v)),
      at: (v) => (c.at(v) > 0.2 ? x.at(v) : y.at(v)),
    })),
    tie('formula').map((x): Formula => ({ text: `(-${x.text})`, at: (v) => -x.at(v), size: x.size })),
    tie('formula').map((x): Formula => ({
      text: `(${x.text} / (abs(b) + 1.5))`,
      at: (v) => x.at(v) / (Math.abs(v.b) + 1.5),
      size: x.size,
    })),
  ),
}));
export const anyKind = fc.constantFrom<NumberKind>('usual', 'fixed8', 'fixed16', 'fixed32');
export const ranges = fc.constantFrom<readonly [string, string]>(
  ['0', '1'],
  ['-1', '1'],
  ['0', '100'],
  ['-40', '150'],
  ['-0.02', '0.03'],
  ['0', '20000'],
);
export const anyProgram = fc
  .tuple(
    anyKind,
    anyKind,
    anyKind,
    ranges,
    ranges,
    ranges,
    fc.constantFrom<NumberKind>('int8', 'uint8', 'int16', 'uint16'),
    formula,
  )
  .map(([ka, kb, ky, ra, rb, ry, kn, f]) => ({
    f,
    quantities: [
      kept('a', 'input', ka, ...ra),
      kept('b', 'parameter', kb, ...rb, rb[1]),
      kept('n', 'input', kn, '0', '100'),
      kept('y', 'output', ky, ...ry),
      kept('s', 'output', ky, ...ry),
    ],
  }));

const fewer: Readonly<Record<string, Partial<Quantity>>> = {
  speed: { min: '-40', max: '40', number: 'fixed16' },
  torque: { min: '0', max: '2', number: 'fixed16' },
  temperature: { min: '-20', max: '200', number: 'fixed8' },
  wanted: { min: '-40', max: '40', number: 'fixed32' },
  voltage: { min: '-24', max: '24', number: 'fixed16' },
  compensation: { number: 'fixed16' },
  count: { number: 'uint16' },
  inBatch: { number: 'uint8' },
};
/** The controller of the capper with some of its numbers kept in fewer bits. */
export const withFewerBits = (type: PartType): PartType => ({
  ...type,
  quantities: type.quantities.map((q) => ({ ...q, ...fewer[q.name] })),
});
