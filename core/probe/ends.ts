import type { FlatModel } from '../flatten/flat-model';

/** Which input and which output of a model are meant, where it has just one of each, or where they are named. */
export function endsOf(
  model: FlatModel,
  from: string | undefined,
  to: string | undefined,
): { readonly from: string; readonly to: string } | { readonly refused: string } {
  const shown = model.variables.filter((v) => !v.hidden && !v.name.includes('.'));
  const inputs = shown.filter((v) => v.kind === 'external' && v.type === 'Real').map((v) => v.name);
  const outputs = shown.filter((v) => v.isOutput).map((v) => v.name);
  const one = (
    named: string | undefined,
    all: readonly string[],
    what: string,
    option: string,
  ): string | { refused: string } => {
    if (named !== undefined) return named;
    if (all.length === 1) return all[0];
    return {
      refused:
        all.length === 0
          ? `It has no ${what} of its own: ${option} names what is meant`
          : `It has the ${what}s ${all.join(', ')}: ${option} says which one is meant`,
    };
  };
  const a = one(from, inputs, 'input', '--from');
  if (typeof a !== 'string') return a;
  const b = one(to, outputs, 'output', '--to');
  return typeof b === 'string' ? { from: a, to: b } : b;
}
