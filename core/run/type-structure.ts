import { describeStructure, type ModelStructure } from '../analysis/structure';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { Problem } from '../language/diagnostics';
import { typeById, type Project } from '../project/project';

/** The equations of a part type on its own, with all that is inside it; nothing where its texts cannot be read. */
export function typeStructure(
  project: Project,
  typeId: string,
): { readonly structure: ModelStructure | undefined; readonly problems: readonly Problem[] } {
  const { library, problems } = projectLibrary(project);
  const name = typeById(project, typeId)?.name;
  if (name === undefined) return { structure: undefined, problems: [] };
  const { model } = flatten(library, name);
  const all = [...problems, ...model.problems].filter((p) => p.severity === 'error' && !p.code.startsWith('unit'));
  return all.length > 0
    ? { structure: undefined, problems: all }
    : { structure: describeStructure(model), problems: [] };
}

/** The unit of a quantity inside a part type; undefined where there is no such quantity or it has none. */
export function unitIn(project: Project, typeId: string, path: string): string | undefined {
  const name = typeById(project, typeId || project.root)?.name;
  if (name === undefined) return undefined;
  const { model } = flatten(projectLibrary(project).library, name);
  const index = model.indexOf.get(path);
  return (index !== undefined && model.variables[index].unit) || undefined;
}
