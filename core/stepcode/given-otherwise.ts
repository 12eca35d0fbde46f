import type { SolvableModel } from '../analysis/solvable-model';
import type { FlatExpr } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { foldConstants, isOwn } from './lower-equations';

/**
 * What has gone into the steps of a part type as a number, and is another one where the part is used: parameters of blocks and parts
 * inside, and those that decide what there is. Undefined where there is none; the other parameters are given to the steps when they begin.
 */
export function givenOtherwise(
  type: SolvableModel,
  model: FlatModel,
  name: string,
  values: ReadonlyMap<number, number> = new Map(),
): string | undefined {
  const within = `${name}.`;
  const staysOne = (k: number): boolean => isOwn(type.model, k) && !type.decided.has(k);
  const foldType = foldConstants(type.model, staysOne);
  const foldUse = foldConstants(model, (k) => {
    const full = model.variables[k].name;
    const own = full.startsWith(within) ? type.model.indexOf.get(full.slice(within.length)) : undefined;
    return own !== undefined && staysOne(own);
  });
  for (const [k, v] of type.model.variables.entries()) {
    if (v.kind !== 'parameter' || staysOne(k)) continue;
    const full = within + v.name;
    const index = model.indexOf.get(full);
    const says = (what: string): string =>
      `${full} ${what}: it has gone into the steps of ${name} as the number the part type has. A quantity of the part type itself can be set`;
    if (index === undefined) return says('is not there');
    if (values.has(index)) return says('is set by the setup');
    const use = model.variables[index];
    if (use.text !== v.text) return says('has another text where the part is used');
    const [a, b] = [v.binding ?? v.start, use.binding ?? use.start];
    if (!a || !b) continue;
    if (textOf(type.model, '', foldType(a)) !== textOf(model, within, foldUse(b)))
      return says('has another value where the part is used');
  }
  return undefined;
}

/** A formula with names for its variables, without those of the part around them. */
const textOf = (model: FlatModel, within: string, e: FlatExpr): string =>
  JSON.stringify(e, (key, value: unknown) => {
    if (key !== 'index' || typeof value !== 'number') return value;
    const { name } = model.variables[value];
    return name.startsWith(within) ? name.slice(within.length) : name;
  });
