import type { PartType, Project } from '../project/document';
import type { SheetSurroundings, WireType } from '../signals/surroundings';
import { componentsOf, typeOf, type DeclaredComponent, type DeclaredType } from './declared';
import type { ClassLibrary, ClassRef } from './library';

/** What the signal sheets of a part type can name, as the classes of a library declare it. */
export function surroundingsOf(
  project: Project,
  type: PartType,
  ref: ClassRef,
  library: ClassLibrary,
): SheetSurroundings {
  const members = new Set([
    ...componentsOf(library, ref).map((c) => c.element.name),
    ...[...type.ports, ...type.charts, ...type.procedures].map((x) => x.name),
  ]);
  return {
    typeOf: (path) => quantityAt(library, ref, path)?.type,
    unitOf: (path) => quantityAt(library, ref, path)?.unit || undefined,
    isFixed: (path) => quantityAt(library, ref, path)?.isFixed ?? false,
    isTaken: (name) => members.has(name),
    partType: (name) => project.types.find((t) => t.name === name),
  };
}

/** What a quantity is that a path leads to from a class. */
function quantityAt(
  library: ClassLibrary,
  ref: ClassRef,
  path: readonly string[],
): { readonly type: WireType; readonly unit: string; readonly isFixed: boolean } | undefined {
  let at: ClassRef | undefined = ref;
  for (const [k, name] of path.entries()) {
    const component: DeclaredComponent | undefined =
      at && componentsOf(library, at).find((c) => c.element.name === name);
    const type: DeclaredType | undefined = component && typeOf(library, component);
    if (!component || !type) return undefined;
    if (k === path.length - 1) {
      const { variability } = component.element;
      return type.builtin === 'Boolean' || type.builtin === 'Integer' || type.builtin === 'Real'
        ? {
            type: type.builtin,
            unit: type.unit,
            isFixed: variability === 'parameter' || variability === 'constant',
          }
        : undefined;
    }
    at = type.ref;
  }
  return undefined;
}
