import type { FlatModel } from '../flatten/flat-model';

/** Names that stand for all elements of a list, taken apart. */
function spread(names: string, model: FlatModel): readonly string[] {
  // commas within brackets belong to an index
  const parts = names.split(/,(?![^[]*\])/).map((n) => n.trim());
  return parts.flatMap((name) => {
    if (name === '') return [];
    if (model.indexOf.has(name)) return [name];
    const elements = model.variables.flatMap((v) => (v.name.startsWith(`${name}[`) && !v.hidden ? [v.name] : []));
    return elements.length > 0 ? elements : [name];
  });
}

/**
 * Which inputs and outputs of a model are meant: those that are named (several with commas between, a list by its name); otherwise all it
 * has, of inputs those that are real numbers where there are any.
 */
export function endsOf(
  model: FlatModel,
  from: string | undefined,
  to: string | undefined,
): { readonly from: readonly string[]; readonly to: readonly string[] } | { readonly refused: string } {
  const shown = model.variables.filter((v) => !v.hidden && !v.name.includes('.'));
  const free = shown.filter((v) => v.kind === 'external');
  const declared = free.filter((v) => v.isInput);
  const inputs = declared.length > 0 ? declared : free;
  const real = inputs.filter((v) => v.type === 'Real');
  const own = (real.length > 0 ? real : inputs).map((v) => v.name);
  const outputs = shown.filter((v) => v.isOutput).map((v) => v.name);
  const [a, b] = [from === undefined ? own : spread(from, model), to === undefined ? outputs : spread(to, model)];
  if (a.length === 0) return { refused: 'It has no input of its own: --from names what is meant' };
  if (b.length === 0) return { refused: 'It has no output of its own: --to names what is meant' };
  return { from: a, to: b };
}
