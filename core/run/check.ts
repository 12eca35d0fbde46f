import { problem, type Problem } from '../language/diagnostics';
import { doublePhrases } from '../requirements/phrases';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import { typedPartsOf } from '../editing/references';
import { createNames } from '../flatten/names';
import { typeById, type Project } from '../project/project';
import type { RequirementFinding } from '../verdicts/finding';
import { checkProduct } from './prepare';

export interface ProjectCheck {
  readonly problems: Problem[];
  /** Verdicts that rest on constants alone. */
  readonly constants: readonly RequirementFinding[];
}

/** Everything that is wrong in a project, each problem with its place: texts, names, units, structure, requirements, setups. */
export function checkProject(project: Project): ProjectCheck {
  const found: Problem[] = [];
  let constants: readonly RequirementFinding[] = [];
  const root = typeById(project, project.root);
  if (root) {
    const product = checkProduct(project);
    found.push(...product.problems);
    constants = product.constants;
  } else found.push(...projectLibrary(project).problems);
  found.push(...unusedTypes(project), ...doubleMeanings(project));
  const keys = new Set<string>();
  const problems = found.filter((p) => {
    const key = `${p.place}|${p.span?.start}|${p.span?.end}|${p.code}|${p.message}`;
    return !keys.has(key) && keys.add(key);
  });
  return { problems, constants };
}

/** One phrase with two meanings would make texts mean something by chance. */
const doubleMeanings = (project: Project): Problem[] =>
  doublePhrases(project.glossary).flatMap(({ entries }) =>
    entries.map((e): Problem => ({
      ...problem(
        'warning',
        'two-meanings',
        `"${e.phrase}" has ${entries.length} meanings in the glossary: ${entries.map((x) => x.meaning).join(' and ')}`,
      ),
      place: `glossary/${e.id}`,
    })),
  );

/** Types that no part of the product is of are read on their own: names and units only, since their ports are open. */
function unusedTypes(project: Project): Problem[] {
  const names = createNames(project);
  const used = new Set<string>();
  const visit = (id: string): void => {
    if (used.has(id)) return;
    used.add(id);
    const type = typeById(project, id);
    if (type) typedPartsOf(names, type).forEach((p) => visit(p.type.id));
  };
  visit(project.root);
  return project.types.filter((t) => !used.has(t.id)).flatMap((t) => flatten(names.library, t.name).model.problems);
}
