import { problem, type Problem } from '../language/diagnostics';
import { doublePhrases } from '../requirements/phrases';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import { typedPartsOf } from '../editing/references';
import { createNames } from '../flatten/names';
import { checkBoards } from '../pins/check-boards';
import { checkChannels } from '../pins/check-channels';
import { checkNumbers } from '../stepcode/check-numbers';
import { ownerAddress, visitEntries } from '../project/address';
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
  const found: (readonly Problem[])[] = [];
  let constants: readonly RequirementFinding[] = [];
  const root = typeById(project, project.root);
  if (root) {
    const product = checkProduct(project);
    found.push(product.problems);
    constants = product.constants;
  } else {
    found.push(projectLibrary(project).problems);
    const [first] = project.types;
    if (first)
      found.push([
        {
          ...problem('error', 'no-product', 'The project has no product: choose which part type it is, in the outline'),
          place: `type/${first.id}`,
        },
      ]);
  }
  found.push(
    checkBoards(project),
    checkChannels(project),
    checkNumbers(project),
    unusedTypes(project),
    doubleMeanings(project),
    doubleNames(project),
  );
  const keys = new Set<string>();
  const problems = found.flat().filter((p) => {
    const key = `${p.place}|${p.span?.start}|${p.span?.end}|${p.code}|${p.message}`;
    return !keys.has(key) && keys.add(key);
  });
  return { problems: notTooMany(problems), constants };
}

/** Of one kind of problem the first so many are told, and how many more there are. */
const mostOfAKind = 300;

function notTooMany(problems: readonly Problem[]): Problem[] {
  const counts = new Map<string, number>();
  const kept = problems.filter((p) => {
    const n = (counts.get(p.code) ?? 0) + 1;
    counts.set(p.code, n);
    return n <= mostOfAKind;
  });
  for (const [code, n] of counts)
    if (n > mostOfAKind) {
      const last = kept.findLast((p) => p.code === code)!;
      kept.push({ ...last, message: `and ${n - mostOfAKind} more like this: ${last.message}` });
    }
  return kept;
}

/** Names that two things of one owner share: files can have them, edits cannot make them. */
function doubleNames(project: Project): Problem[] {
  const found: Problem[] = [];
  const seen = new Map<string, string>();
  visitEntries(project, (address, chain, { names, word }) => {
    const entry = chain.at(-1)!;
    const name = word === 'requirement' ? String(entry.key) : names === undefined ? undefined : entry.name;
    if (name === undefined) return;
    const key = `${ownerAddress(address)} ${names ?? word} ${name}`;
    const other = seen.get(key);
    if (other === undefined) seen.set(key, word);
    else
      found.push({
        ...problem(
          'error',
          'duplicate-name',
          `There is a ${other} called ${name} here already: give this ${word} another name`,
        ),
        place: address,
      });
  });
  return found;
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
