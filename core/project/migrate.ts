import { projectVersion } from './schema';

type Plain = Record<string, unknown>;

/** What each version of the format added to the one before. */
const steps: Readonly<Record<number, (project: Plain) => Plain>> = {
  1: (project) => ({
    ...project, version: 2, retired: [], flows: [], traces: [],
    requirements: (Array.isArray(project.requirements) ? project.requirements : []).map((r: Plain) => ({ ...r, kind: 'requirement', parent: null, attributes: [], source: null, observation: null })),
  }),
};

/** Brings a project of an earlier version of the format to the present one; anything else is returned as it is. */
export function migrate(data: unknown): unknown {
  let project = data as Plain;
  for (let version = project.version; typeof version === 'number' && version < projectVersion && steps[version]; version = project.version) project = steps[version](project);
  return project;
}
