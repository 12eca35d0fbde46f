import type { CFunction, CNode } from './c-tree';

/** How `state`, `in` and `out` are handed on follows from what a function does. */
const isHandedOn = (x: CNode): boolean => x.kind === 'name' && ['state', 'in', 'out'].includes(x.word);

/**
 * The same for two pieces of C that say the same but for brackets, spacing and the way numbers are written. `inlined`: functions whose value stands for
 * them.
 */
export function keyOf(x: CNode, inlined: ReadonlyMap<string, CNode> = new Map()): string {
  const inner = (parts: readonly CNode[]): string => parts.map((p) => keyOf(p, inlined)).join(' ');
  switch (x.kind) {
    case 'number':
      return numberKey(x.word);
    case 'call': {
      const args = x.parts.filter((a) => !isHandedOn(a));
      const value = args.length === 0 ? inlined.get(x.word) : undefined;
      return value ? keyOf(value, inlined) : `(call ${x.word} ${inner(args)})`;
    }
    case 'list': {
      // what is said not to be used follows from what is
      const said = x.parts.filter(
        (p) =>
          p.kind !== 'do' ||
          p.parts[0].kind !== 'cast' ||
          p.parts[0].word !== 'void' ||
          !isHandedOn(p.parts[0].parts[0]),
      );
      return `{${inner(said)}}`;
    }
    default:
      return `(${x.kind} ${x.word} ${inner(x.parts)})`;
  }
}

const numberKey = (word: string): string => {
  const real = realOf(word);
  return real !== undefined ? `${Math.fround(real)}f` : /^\d+$/.test(word) ? String(Number(word)) : word;
};
/** The value of a number in single precision, as it is written; undefined for another one. */
export const realOf = (word: string): number | undefined =>
  /^[\d.].*[fF]$/.test(word) && !/^0[xX]/.test(word) && Number.isFinite(Number(word.slice(0, -1)))
    ? Number(word.slice(0, -1))
    : undefined;

/** Functions that do nothing but give a value, by name. */
export const givenBy = (functions: readonly CFunction[]): ReadonlyMap<string, CNode> =>
  new Map(
    functions.flatMap((f) => {
      const only = f.body?.parts.length === 1 ? f.body.parts[0] : undefined;
      return only?.kind === 'return' && only.parts.length === 1 ? [[f.name, only.parts[0]] as const] : [];
    }),
  );
