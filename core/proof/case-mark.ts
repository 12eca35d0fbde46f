import { markOf } from '../project/equations';
import { setupOf, type PartType, type Project, type TestCase } from '../project/project';

/**
 * What the outcome of a case rests on, as a short text: its own text, and that of everything it runs. Another one means that the case has to be
 * run again. A part type counts where it is used, or named anywhere in what is used.
 */
export function caseMark(project: Project, of: TestCase): string {
  const setup = of.alone === '' ? setupOf(project, of) : undefined;
  const types = usedTypes(project, rootOf(project, of));
  const { name: _, note: _note, tags: _tags, stages: _stages, ...asked } = of;
  const {
    name: _setup,
    note: _setupNote,
    panel: _panel,
    screen: _screen,
    tracks: _tracks,
    ...run
  } = setup ?? {
    name: '',
    note: '',
    panel: '',
    screen: true,
    tracks: [],
  };
  return markOf(
    [
      JSON.stringify([asked, run]),
      ...types.map(markOfValue),
      markOfValue(project.libraries),
      markOfValue(project.boards),
      // requirements judge beside, by the words of the glossary
      markOfValue(project.requirements),
      markOfValue(project.glossary),
    ].join(),
  );
}

/** Id of the part type that a case runs. */
const rootOf = (project: Project, of: TestCase): string => of.alone || setupOf(project, of)?.root || project.root;

/** Whether a case runs a part type, or something that names it. */
export function restsOn(project: Project, of: TestCase, typeId: string): boolean {
  return usedTypes(project, rootOf(project, of)).some((t) => t.id === typeId);
}

const marks = new WeakMap<object, string>();
/** Of a piece of the document: an edit leaves most of them as they are. */
function markOfValue(value: object): string {
  let found = marks.get(value);
  if (found === undefined) marks.set(value, (found = markOf(JSON.stringify(value))));
  return found;
}

const named = new WeakMap<PartType, ReadonlySet<string>>();
/** All words of a part type. */
function wordsOf(type: PartType): ReadonlySet<string> {
  let found = named.get(type);
  if (!found) named.set(type, (found = new Set(JSON.stringify(type).match(/[\p{L}_][\p{L}\p{N}_-]*/gu) ?? [])));
  return found;
}

function usedTypes(project: Project, root: string): readonly PartType[] {
  const used = new Set<PartType>();
  const visit = (type: PartType | undefined): void => {
    if (!type || used.has(type)) return;
    used.add(type);
    const words = wordsOf(type);
    for (const t of project.types) if (words.has(t.name) || words.has(t.id)) visit(t);
  };
  visit(project.types.find((t) => t.id === root));
  return project.types.filter((t) => used.has(t));
}
