import { compile } from '../simulate/compile';
import type { SolvableModel } from '../analysis/solvable-model';
import { obstaclesOf } from './obstacles';
import type { FlatExpr } from '../flatten/flat-expression';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { Problem } from '../language/diagnostics';
import type { PartType, Project } from '../project/project';

/** A value that follows from others, in the order in which they can be worked out. */
export interface Assignment {
  readonly target: { readonly kind: 'var' | 'der'; readonly index: number };
  readonly value: FlatExpr;
}

/** Linear equations that are solved together: given some of the unknowns the others follow, and what is missing in the rest is linear in them. */
export interface LinearSystem {
  readonly unknowns: readonly Assignment['target'][];
  readonly inner: readonly Assignment[];
  readonly gaps: readonly FlatExpr[];
}
export type PlantStep = ({ readonly kind: 'assign' } & Assignment) | ({ readonly kind: 'solve' } & LinearSystem);

/** A part type whose equations say each unknown by what is known already: rates of its states, and everything beside them. */
export interface ExplicitModel {
  readonly name: string;
  readonly note: string;
  readonly solvable: SolvableModel;
  readonly states: readonly number[];
  /** What is given from outside. */
  readonly inputs: readonly number[];
  readonly outputs: readonly number[];
  /** Parameters that another value can be given to. */
  readonly parameters: readonly number[];
  readonly assignments: readonly PlantStep[];
  /** The same at the start. */
  readonly begins: readonly PlantStep[];
}

/** The equations of a part type as assignments; without them, what stands in the way. */
export function explicitModel(
  project: Project,
  type: PartType,
): { readonly value?: ExplicitModel; readonly problems: readonly Problem[] } {
  const { library, problems: unread } = projectLibrary(project);
  const made = compile(flatten(library, type.name).model);
  const wrong = [...unread, ...made.problems].filter((p) => p.severity === 'error');
  if (!made.program || wrong.length > 0) return { problems: wrong };
  const { solvable } = made.program;
  const problems = obstaclesOf(solvable);
  if (problems.length > 0) return { problems };
  const { variables } = solvable.model;
  const isOwn = (k: number): boolean => !/[.[]/.test(variables[k].name);
  const all = variables.map((_, k) => k);
  const assigned = (blocks: SolvableModel['blocks']): readonly PlantStep[] =>
    blocks.map((b) =>
      b.kind === 'assign'
        ? { kind: 'assign', target: b.target, value: b.value }
        : { kind: 'solve', unknowns: b.tears, inner: b.inner, gaps: b.residuals.map((r) => r.value) },
    );
  return {
    problems: [],
    value: {
      name: type.name,
      note: type.note,
      solvable,
      states: solvable.states,
      inputs: all.filter((k) => variables[k].kind === 'external'),
      outputs: all.filter((k) => variables[k].isOutput && isOwn(k) && variables[k].kind !== 'parameter'),
      parameters: solvable.parameters.filter(
        (k) =>
          variables[k].kind === 'parameter' &&
          variables[k].type !== 'String' &&
          variables[k].isFinal !== true &&
          !solvable.decided.has(k) &&
          (variables[k].binding === undefined || variables[k].binding.op === 'const'),
      ),
      assignments: assigned(solvable.blocks),
      begins: assigned(solvable.initialBlocks),
    },
  };
}
