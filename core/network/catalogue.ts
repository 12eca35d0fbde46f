import type { ClassDefinition } from '../language/ast';
import { componentPackages } from '../components/packages';
import { standardPackage } from '../flatten/standard-types';
import type { ClassLibrary } from '../flatten/library';
import { documentationOf } from './class-parts';

/** A class parts can be made of, besides the part types of the project. */
export interface CatalogueEntry {
  readonly name: string;
  readonly group: string;
  readonly note: string;
  readonly documentation: string;
}

const usable = (c: ClassDefinition): boolean =>
  !c.partial && !c.enumeration && ['model', 'block', 'class'].includes(c.classKind);

const entry = (c: ClassDefinition, name: string, group: string): CatalogueEntry => ({
  name,
  group,
  note: c.description,
  documentation: documentationOf(c),
});

const inside = (c: ClassDefinition, path: string): CatalogueEntry[] =>
  c.elements.flatMap((e) =>
    e.kind !== 'class'
      ? []
      : e.classKind === 'package'
        ? inside(e, `${path}.${e.name}`)
        : usable(e)
          ? [entry(e, `${path}.${e.name}`, path)]
          : [],
  );

let shipped: readonly CatalogueEntry[] | undefined;

/** Everything parts can be made of by name: the library that is always there, and classes of the project's own texts. */
export function catalogue(library: ClassLibrary): readonly CatalogueEntry[] {
  // blocks of signal sheets have no ports to be linked
  shipped ??= [...componentPackages.keys()]
    .filter((name) => name !== 'Signals')
    .flatMap((name) => inside(standardPackage(name)!, name));
  const own = [...library.top.values()]
    .filter((ref) => !ref.behaviour)
    .flatMap(({ definition: d }): CatalogueEntry[] =>
      d.classKind === 'package' ? inside(d, d.name) : usable(d) ? [entry(d, d.name, 'This project')] : [],
    );
  return [...own, ...shipped];
}

/** Entries that hold every word of a search: those with it in their names first, then in what they do, then in their documentation. */
export function searchCatalogue(entries: readonly CatalogueEntry[], search: string): readonly CatalogueEntry[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return entries;
  const rank = (e: CatalogueEntry): number => {
    const last = e.name.toLowerCase().split('.').at(-1)!;
    const ranks = words.map((w) =>
      last === w
        ? 0
        : last.startsWith(w)
          ? 1
          : e.name.toLowerCase().includes(w)
            ? 2
            : e.note.toLowerCase().includes(w)
              ? 3
              : e.documentation.toLowerCase().includes(w)
                ? 4
                : Infinity,
    );
    return ranks.reduce((sum, r) => sum + r, 0);
  };
  return entries
    .map((entry) => ({ entry, rank: rank(entry) }))
    .filter((x) => x.rank < Infinity)
    .sort((a, b) => a.rank - b.rank)
    .map((x) => x.entry);
}
