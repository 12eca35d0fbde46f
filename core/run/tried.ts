import { problem, type Problem } from '../language/diagnostics';
import {
  newPart,
  newSetup,
  newType,
  setupOf,
  typeById,
  type PartType,
  type Project,
  type Setup,
  type TestCase,
} from '../project/project';
import { withStages, type StageText } from '../stepcode/stage';
import type { TriedWith } from './prepare';
import { scriptSource } from './script-driver';
import { vectorSource } from './vector-driver';

/** A test case as a run: of a setup, or of a part type alone, with what goes along with it. */
export interface TriedRun {
  readonly project: Project;
  readonly setup: Setup;
  readonly tried: TriedWith;
  /** What stands alone. */
  readonly alone: PartType | undefined;
}

/** s that a part type alone is tried for, where its case does not say. */
export const usualStop = 10;

/** Name of a part that stands alone: that of its type, as parts are called. */
export const nameAlone = (type: PartType): string => type.name[0].toLowerCase() + type.name.slice(1);

/** A project in which a part type stands alone: nothing is around it, its inputs are given from outside. */
export function aloneIn(project: Project, type: PartType): Project {
  let known = alones.get(project);
  if (!known) alones.set(project, (known = new Map()));
  const before = known.get(type);
  if (before) return before;
  const made = madeAlone(project, type);
  known.set(type, made);
  return made;
}

/** The same for every case, so that what was made of it is known again. */
const alones = new WeakMap<Project, Map<PartType, Project>>();
function madeAlone(project: Project, type: PartType): Project {
  const root = newType('alone', freeName(project, `${type.name}Alone`));
  const part = newPart('alone-part', nameAlone(type), type.id);
  // what is said of the product is not said of this
  const requirements = project.requirements.map((r) => (r.about === '' ? { ...r, about: project.root } : r));
  return { ...project, requirements, root: root.id, types: [...project.types, { ...root, parts: [part] }] };
}

function freeName(project: Project, wanted: string): string {
  const taken = new Set(project.types.map((t) => t.name));
  let name = wanted;
  for (let k = 2; taken.has(name); k++) name = `${wanted}${k}`;
  return name;
}

/** All parts of a setup that are software, in a stage. */
function inStage(project: Project, setup: Setup, stage: StageText): Setup {
  const typeOf = new Map(project.types.map((t) => [t.id, t]));
  const parts: string[] = [];
  const look = (type: PartType | undefined, path: string, depth: number): void => {
    for (const p of depth > 100 ? [] : (type?.parts ?? [])) {
      const inner = typeOf.get(p.type);
      const name = path === '' ? p.name : `${path}.${p.name}`;
      // what goes in steps goes with all that is in it
      if (inner && inner.software.trim() !== '') parts.push(name);
      else look(inner, name, depth + 1);
    }
  };
  look(typeOf.get(setup.root || project.root), '', 0);
  return withStages(setup, new Map(parts.map((p) => [p, stage])));
}

/** What a case runs, in a stage; without one parts run as its setup says. */
export function triedRun(project: Project, of: TestCase, stage?: StageText): TriedRun | Problem {
  const wrong = (field: string, message: string): Problem => ({
    ...problem('error', 'case', message),
    place: `case/${of.id}/${field}`,
  });
  const alone = of.alone === '' ? undefined : typeById(project, of.alone);
  if (of.alone !== '' && !alone) return wrong('alone', 'The part type it tries alone is not there any more');
  if (alone && of.sequences.length > 0)
    return wrong(
      'sequences',
      'A written sequence is of what a setup runs: a part type alone is tried by lines and a table',
    );
  const own = alone ? { ...newSetup('alone', alone.name), stop: usualStop } : setupOf(project, of);
  if (!own) return wrong('setup', of.setup === '' ? 'There is no setup to run' : 'Its setup is not there any more');
  const stop = of.stop > 0 ? of.stop : own.stop;
  const setup: Setup = {
    ...own,
    stop,
    ...(alone && { recordEvery: stop / 1000 }),
    sequences: [...new Set([...own.sequences, ...of.sequences])],
  };
  const whole = alone ? aloneIn(project, alone) : project;
  const inside = alone ? nameAlone(alone) : '';
  return {
    project: whole,
    setup: stage === undefined ? setup : inStage(whole, setup, stage),
    tried: {
      script: of.script.trim() === '' ? undefined : scriptSource(of.script, `case/${of.id}/script`, inside),
      vectors: vectorSource(of, inside),
    },
    alone,
  };
}

/** What is wrong with a part that stands alone, in names of its type. */
export const inOwnWords = (
  problems: readonly Problem[],
  modelName: string,
  alone: PartType | undefined,
): readonly Problem[] =>
  alone
    ? problems.map((p) => ({
        ...p,
        message: p.message
          .replaceAll(`${nameAlone(alone)}.`, '')
          .replaceAll(
            new RegExp(`(?<![\\p{L}\\p{N}_])(${modelName}|${nameAlone(alone)})(?![\\p{L}\\p{N}_])`, 'gu'),
            alone.name,
          ),
      }))
    : problems;
