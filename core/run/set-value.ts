import { evaluate, type Environment } from '../behaviour/interpreter';
import { refName, type Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { parseExpressionText } from '../language/parse';
import { checkAgainstUnit } from '../language/unit-check';
import { elaborateUnits } from '../language/unit-elaboration';
import { unitOrUndefined } from '../language/units';
import type { FlatVariable } from '../flatten/flat-model';

const nothingKnown: Environment = {
  get: () => undefined,
  has: () => false,
  set: () => undefined,
  declare: () => undefined,
  isActive: () => false,
  send: () => undefined,
  cancel: () => undefined,
};

/** Whether a quantity is in an expression: then its value is not known before the run. */
function nameIn(e: Expr, literals: readonly string[]): string | undefined {
  if (e.kind === 'ref') return literals.includes(e.parts.at(-1)!.name) ? undefined : refName(e);
  for (const inner of Object.values(e)) {
    const parts: readonly unknown[] = Array.isArray(inner) ? inner : [inner];
    for (const x of parts) {
      const found = typeof x === 'object' && x !== null && 'kind' in x ? nameIn(x as Expr, literals) : undefined;
      if (found !== undefined) return found;
    }
  }
  return undefined;
}

/**
 * The number a text gives a variable before or during a run, in the unit of the variable: Booleans as 0 and 1, literals by
 * their position from 1. What does not fit, or is not known yet, is a problem.
 */
export function readSetValue(text: string, variable: FlatVariable): { value?: number; problems: readonly Problem[] } {
  const { value: e, problems: found } = parseExpressionText(text);
  if (found.length > 0) return { problems: found };
  const literals = variable.literals ?? [];
  const unknown = nameIn(e, literals);
  const refused = (message: string, code = 'not-a-value'): { problems: readonly Problem[] } => ({
    problems: [problem('error', code, message, e.span)],
  });
  if (unknown !== undefined)
    return refused(
      `${variable.name} is given a number here: what ${unknown} is, is not known before the run`,
      'not-known',
    );
  if (e.kind === 'ref') return { value: literals.indexOf(e.parts.at(-1)!.name) + 1, problems: [] };
  const problems: Problem[] = [];
  const noUnits = { unitOf: () => undefined };
  checkAgainstUnit(e, variable.name, variable.unit, noUnits, (p) => problems.push(p));
  if (problems.length > 0) return { problems };
  let result: unknown;
  try {
    result = evaluate(elaborateUnits(e, noUnits, unitOrUndefined(variable.unit)), nothingKnown);
  } catch (error) {
    return refused(error instanceof Error ? error.message : String(error));
  }
  const isTruth = typeof result === 'boolean';
  if (isTruth !== (variable.type === 'Boolean'))
    return refused(
      `${variable.name} is ${variable.type === 'Boolean' ? 'true or false' : 'a number'}: ${text} does not fit`,
    );
  const value = Number(result);
  if (!isTruth && (typeof result !== 'number' || !Number.isFinite(value))) return refused(`${text} is not a number`);
  if (variable.type === 'Integer' && !Number.isInteger(value))
    return refused(`${variable.name} takes whole numbers: ${text} is none`);
  return { value, problems };
}
