import type { ComponentElement, Modification } from '../language/ast';
import { findClass, type ClassLibrary, type ClassRef } from './library';

/** What a class declares, found by reading declarations, without making a model. */

export interface DeclaredComponent {
  readonly element: ComponentElement;
  readonly home: ClassRef;
}

/** Declarations of a class and of those it extends, its own last. */
export function componentsOf(library: ClassLibrary, ref: ClassRef, depth = 0): DeclaredComponent[] {
  if (depth > 30) return [];
  const { definition } = ref;
  const base = (name: string): DeclaredComponent[] => {
    const found = findClass(library, ref, name, 0, true) ?? findClass(library, ref.parent, name);
    return found && found !== ref ? componentsOf(library, found, depth + 1) : [];
  };
  if (definition.short) return base(definition.short.base);
  return definition.elements.flatMap((e) =>
    e.kind === 'extends'
      ? base(e.base).filter((c) => !e.modification.args.some((a) => a.isBroken && a.path[0] === c.element.name))
      : e.kind === 'component'
        ? [{ element: e, home: ref }]
        : [],
  );
}

export const builtinTypes: ReadonlySet<string> = new Set(['Real', 'Integer', 'Boolean', 'String']);

/** The class a declaration is of, short forms followed; undefined for numbers and the like. */
export interface DeclaredType {
  readonly ref: ClassRef | undefined;
  readonly builtin: string | undefined;
  readonly causality: 'input' | 'output' | 'none';
  readonly literals: readonly string[] | undefined;
  readonly unit: string;
}

export function typeOf(library: ClassLibrary, { element, home }: DeclaredComponent): DeclaredType | undefined {
  let causality = element.causality;
  let unit = unitIn(element.modification);
  let name = element.typeName;
  let from: ClassRef | undefined = home;
  for (let depth = 0; depth < 30; depth++) {
    if (builtinTypes.has(name)) return { ref: undefined, builtin: name, causality, literals: undefined, unit };
    const ref: ClassRef | undefined = findClass(library, from, name);
    if (!ref) return undefined;
    if (ref.definition.enumeration)
      return { ref: undefined, builtin: 'enumeration', causality, literals: ref.definition.enumeration, unit };
    const { short } = ref.definition;
    if (!short) return { ref, builtin: undefined, causality, literals: undefined, unit };
    if (short.causality !== 'none') causality = short.causality;
    if (unit === '') unit = unitIn(short.modification);
    name = short.base;
    from = ref.parent;
  }
  return undefined;
}

export const textIn = (m: Modification | undefined, name: string): Modification | undefined =>
  m?.args.find((a) => a.path[0] === name)?.modification;
const unitIn = (m: Modification): string => {
  const value = textIn(m, 'unit')?.value;
  return value?.kind === 'string' ? value.value : '';
};
