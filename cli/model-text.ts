import { atPlace, hasErrors, type Problem } from '../core/language/diagnostics';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile, type ClassLibrary } from '../core/flatten/library';
import type { FlatModel } from '../core/flatten/flat-model';
import { parseFile } from '../core/language/parse';
import { relaxUnits } from '../core/language/unit-check';
import type { PartType, Project } from '../core/project/project';
import { complain, formatProblem, print, problemAsJson } from './output';

/** What commands that look at one class or part type have in common. */
export type TextOf = (place: string) => { name: string; text: string } | undefined;

export interface ClassModel {
  readonly model: FlatModel;
  readonly textOf: TextOf;
  /** Why it cannot be used; empty where it can. */
  readonly errors: readonly Problem[];
}

/** The classes of a file of models. */
export function libraryOfText(
  file: string,
  bytes: Uint8Array,
): { readonly library: ClassLibrary; readonly textOf: TextOf; readonly problems: readonly Problem[] } {
  const text = new TextDecoder().decode(bytes).replace(/^\uFEFF/, '');
  const parsed = parseFile(text);
  return {
    library: libraryOfFile(parsed.value, file),
    textOf: (place) => (place === file ? { name: file, text } : undefined),
    problems: atPlace(file, parsed.problems),
  };
}

/** A class of a file of models, with units that are no errors. */
export function modelOfText(file: string, bytes: Uint8Array, className: string): ClassModel {
  const { library, textOf, problems: parseProblems } = libraryOfText(file, bytes);
  const { model } = flatten(library, className);
  const problems = hasErrors(parseProblems) ? parseProblems : relaxUnits(model.problems);
  return { model: { ...model, problems }, textOf, errors: problems.filter((p) => p.severity === 'error') };
}

/** A part type by its name; `none` where there is none, which has been told. */
export function typeNamed(project: Project, name: string | undefined): PartType | 'none' | undefined {
  if (name === undefined) return undefined;
  const type = project.types.find((t) => t.name === name);
  if (type) return type;
  complain(`zelvar: ${project.name} has no part type ${name}; it has ${project.types.map((t) => t.name).join(', ')}`);
  return 'none';
}

export function stopWith(problems: readonly Problem[], textOf: TextOf, json: boolean | undefined): number {
  for (const p of problems) complain(formatProblem(p, textOf));
  if (json)
    print(JSON.stringify({ status: 'failed', problems: problems.map((p) => problemAsJson(p, textOf)) }, null, 1));
  return 2;
}
