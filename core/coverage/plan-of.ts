import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import type { PartType, Project } from '../project/project';
import { withNotes, type CoveragePlan, type OwnTypes } from './plan';

/** Types of a project by name. */
export const ownTypes = (project: Project): OwnTypes => new Map(project.types.map((t) => [t.name, t]));

/** What there is to be come through in a part type and all that is in it. */
export function planOf(project: Project, type: PartType): CoveragePlan {
  const { library } = projectLibrary(project);
  return withNotes(flatten(library, type.name).model, ownTypes(project)).plan;
}
