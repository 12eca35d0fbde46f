import type { ClassDefinition } from '../language/ast';
import { componentPackages } from '../components/packages';
import { standardPackage } from '../flatten/standard-types';
import type { ClassLibrary } from '../flatten/library';

/** A class parts can be made of, besides the part types of the project. */
export interface CatalogueEntry {
  readonly name: string;
  readonly group: string;
  readonly note: string;
}

const usable = (c: ClassDefinition): boolean =>
  !c.partial && !c.enumeration && ['model', 'block', 'class'].includes(c.classKind);

const inside = (c: ClassDefinition, path: string): CatalogueEntry[] =>
  c.elements.flatMap((e) =>
    e.kind !== 'class'
      ? []
      : e.classKind === 'package'
        ? inside(e, `${path}.${e.name}`)
        : usable(e)
          ? [{ name: `${path}.${e.name}`, group: path, note: e.description }]
          : [],
  );

let shipped: readonly CatalogueEntry[] | undefined;

/** Everything parts can be made of by name: the library that is always there, and classes of the project's own texts. */
export function catalogue(library: ClassLibrary): readonly CatalogueEntry[] {
  shipped ??= Object.keys(componentPackages).flatMap((name) => inside(standardPackage(name)!, name));
  const own = [...library.top.values()]
    .filter((ref) => !ref.behaviour)
    .flatMap(({ definition: d }): CatalogueEntry[] =>
      d.classKind === 'package'
        ? inside(d, d.name)
        : usable(d)
          ? [{ name: d.name, group: 'This project', note: d.description }]
          : [],
    );
  return [...own, ...shipped];
}
