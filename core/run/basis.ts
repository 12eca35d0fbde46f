import type { Project, Requirement, Setup } from '../project/project';
import { limitOf } from '../requirements/read-limit';

/**
 * What a run ran with, as marks that are compared: of the model, of its setup, and of each requirement it judged. A verdict whose
 * marks are no longer those of the document speaks of something else than is there now.
 */
export interface RunBasis {
  readonly model: string;
  readonly setupId: string;
  readonly setup: string;
  readonly requirements: Readonly<Record<string, string>>;
}

/** Fields that change how something looks or what is said of it, but nothing of what it does. */
const looks: ReadonlySet<string> = new Set(['note', 'x', 'y', 'place', 'layout']);

const marks = new WeakMap<object, string>();
/** The mark of an entry of the document; entries are never changed, so that each is looked at once. */
function markOf(entry: object): string {
  let mark = marks.get(entry);
  if (mark === undefined)
    marks.set(
      entry,
      (mark = hash(JSON.stringify(entry, (key, value: unknown) => (looks.has(key) ? undefined : value)))),
    );
  return mark;
}

/** 53 bits of a text (a multiplicative hash in two lanes): enough to tell versions of one document apart. */
function hash(text: string): string {
  let [a, b] = [0x9e3779b9, 0x85ebca6b];
  for (let k = 0; k < text.length; k++) {
    const c = text.charCodeAt(k);
    a = Math.imul(a ^ c, 0x2c1b3c6d);
    b = Math.imul(b ^ c, 0x297a2d39);
  }
  a = Math.imul(a ^ (a >>> 15), 0x735a2d97) ^ Math.imul(b ^ (b >>> 13), 0x27d4eb2f);
  b = Math.imul(b ^ (b >>> 15), 0x735a2d97) ^ Math.imul(a ^ (a >>> 13), 0x27d4eb2f);
  return ((b & 0x1fffff) * 0x100000000 + (a >>> 0)).toString(36);
}

const modelMark = (p: Project): string => [p.root, ...[...p.types, ...p.libraries, ...p.items].map(markOf)].join(' ');

/** What is judged: the text, the formula that it, or somebody, gave, and what it is about. */
const requirementMark = (p: Project, r: Requirement): string =>
  hash([r.text, r.formula, limitOf(r, p.glossary).formula ?? '', ...(r.about ? [r.about] : [])].join('\n'));

export const basisOf = (project: Project, setup: Setup): RunBasis => ({
  model: modelMark(project),
  setupId: setup.id,
  setup: markOf(setup),
  requirements: Object.fromEntries(project.requirements.map((r) => [r.id, requirementMark(project, r)])),
});

/** For each requirement why its verdict of a run is out of date; '' where it is not, or where nothing is known of what the run ran with. */
export function outOfDate(project: Project, basis: RunBasis | undefined): (r: Requirement) => string {
  if (!basis) return () => '';
  const setup = project.setups.find((s) => s.id === basis.setupId);
  const changed =
    modelMark(project) !== basis.model
      ? 'the model has changed since the run'
      : !setup
        ? 'the setup of the run is gone'
        : markOf(setup) !== basis.setup
          ? 'the setup has changed since the run'
          : '';
  return (r) =>
    basis.requirements[r.id] !== requirementMark(project, r)
      ? 'its text or formula, or what it is about, has changed since the run'
      : changed;
}

/** The same after something has been renamed: what was as it ran with still is. */
export function basisUnder(basis: RunBasis, before: Project, after: Project): RunBasis {
  const setup = (p: Project): Setup | undefined => p.setups.find((s) => s.id === basis.setupId);
  const [was, is] = [setup(before), setup(after)];
  const then = new Map(before.requirements.map((r) => [r.id, r]));
  return {
    ...basis,
    ...(basis.model === modelMark(before) && { model: modelMark(after) }),
    ...(was && is && basis.setup === markOf(was) && { setup: markOf(is) }),
    requirements: {
      ...basis.requirements,
      ...Object.fromEntries(
        after.requirements.flatMap((r) => {
          const old = then.get(r.id);
          return old && basis.requirements[r.id] === requirementMark(before, old)
            ? [[r.id, requirementMark(after, r)] as const]
            : [];
        }),
      ),
    },
  };
}
