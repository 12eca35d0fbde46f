import { isAtOrIn } from '@/core/project/address';
import { useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { typedPartsOf } from '@/core/editing/references';
import { createNames } from '@/core/flatten/names';
import { typeById, type PartType, type Project } from '@/core/project/project';
import type { RunModel } from '@/core/run/protocol';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { useRuns } from './run-store';

/** A part in the tree of the product. */
export interface PartTreeNode {
  /** Full name; '' is the product itself. */
  readonly path: string;
  readonly name: string;
  readonly type: PartType;
  readonly children: readonly PartTreeNode[];
}

const mostParts = 20_000;

/** Parts of the product, or of what a setup runs in its place. */
export function partTree(project: Project, of = project.root): PartTreeNode | undefined {
  const names = createNames(project);
  let count = 0;
  // a type that stands in itself is shown once, and a tree without end as far as anybody would read it
  const build = (type: PartType, path: string, name: string, above: readonly PartType[]): PartTreeNode => ({
    path,
    name,
    type,
    children:
      above.includes(type) || ++count > mostParts
        ? []
        : typedPartsOf(names, type).flatMap((p) =>
            p.isArray ? [] : [build(p.type, path ? `${path}.${p.name}` : p.name, p.name, [...above, type])],
          ),
  });
  const root = typeById(project, of);
  return root && build(root, '', root.name, []);
}

export const allParts = (node: PartTreeNode | undefined): PartTreeNode[] =>
  node ? [node, ...node.children.flatMap(allParts)] : [];

export const useTree = (): PartTreeNode | undefined => {
  const project = useProject((s) => s.project);
  return useMemo(() => project && partTree(project), [project]);
};

/** The part type at hand and the part of it that is looked at; without a part, values are unknown. */
export function useHere(): {
  readonly type: PartType | undefined;
  readonly path: string | undefined;
  readonly project: Project | undefined;
} {
  const project = useProject((s) => s.project);
  const part = usePlace((s) => s.part);
  const typeId = usePlace((s) => s.type);
  const tree = useTree();
  const model = useRuns((s) => s.current?.model);
  return useMemo(() => {
    const parts = allParts(tree);
    if (typeId && project) {
      const type = typeById(project, typeId);
      const first =
        parts.find((p) => p.type.id === typeId && p.path === part) ?? parts.find((p) => p.type.id === typeId);
      // the product has no such part, but what a setup runs in its place may
      if (type) return { type, path: first ? first.path : partInRun(model, type.name), project };
    }
    const node = parts.find((p) => p.path === part) ?? parts[0];
    return { type: node?.type ?? project?.types[0], path: node?.path, project };
  }, [project, part, typeId, tree, model]);
}

const partInRun = (model: RunModel | undefined, typeName: string): string | undefined => {
  const k = model?.partTypes?.indexOf(typeName) ?? -1;
  return k < 0 ? undefined : model!.parts[k];
};

export const fullName = (path: string | undefined, name: string): string => (path ? `${path}.${name}` : name);

/** Problems at a place or inside it. */
export const problemsAt = (problems: readonly Problem[], place: string): Problem[] =>
  problems.filter((p) => p.place !== undefined && isAtOrIn(p.place, place));

/** Setup chosen for the next run. */
export function useSetup() {
  const project = useProject((s) => s.project);
  const id = useRuns((s) => s.setupId);
  return project?.setups.find((s) => s.id === id) ?? project?.setups[0];
}
