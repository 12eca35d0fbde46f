import { atPlace, hasErrors, type Problem } from '../core/language/diagnostics';
import { parseFile } from '../core/language/parse';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile, type ClassLibrary } from '../core/flatten/library';
import type { ClassDefinition } from '../core/language/ast';
import { relaxUnits } from '../core/language/unit-check';
import { readProjectFile } from '../core/formats/project-file';
import { checkProject } from '../core/run/check';
import { studyProblems } from '../core/studies/study';
import { compile } from '../core/simulate/compile';
import { formatProblem, print, problemAsJson, readBytes } from './output';
import { projectTexts } from './read-project';

/** `zelvar check`: 0 no errors, 1 errors, 2 the file cannot be read. */
export function check(file: string, options: { readonly json?: boolean }): number {
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const { problems, textOf } = file.endsWith('.mo')
    ? checkText(file, new TextDecoder().decode(bytes))
    : checkProjectBytes(bytes);
  if (options.json) print(JSON.stringify({ file, problems: problems.map((p) => problemAsJson(p, textOf)) }, null, 1));
  else {
    for (const p of problems) print(formatProblem(p, textOf));
    const errors = problems.filter((p) => p.severity === 'error').length;
    print(
      problems.length === 0
        ? `${file}: no problems`
        : `${file}: ${errors} error${errors === 1 ? '' : 's'}, ${problems.length - errors} other`,
    );
  }
  return hasErrors(problems) ? 1 : 0;
}

type Checked = { problems: readonly Problem[]; textOf: (place: string) => { name: string; text: string } | undefined };

function checkText(file: string, text: string): Checked {
  const parsed = parseFile(text);
  const found: Problem[] = atPlace(file, parsed.problems);
  const textOf = (place: string): { name: string; text: string } | undefined =>
    place === file ? { name: file, text } : undefined;
  if (!hasErrors(found)) {
    const library = libraryOfFile(parsed.value, file);
    const all = classesIn(parsed.value);
    const used = new Set<string>();
    const note = (name: string): void => void used.add(name.split('.').at(-1)!);
    for (const { definition } of all)
      for (const e of definition.elements)
        if (e.kind === 'component') note(e.typeName);
        else if (e.kind === 'extends') note(e.base);
    for (const { definition: c, path } of all) {
      if (c.partial || c.enumeration || c.external) continue;
      if (c.classKind === 'function') found.push(...relaxUnits(checkFunction(library, c, path)));
      if (c.short || !['model', 'block', 'class'].includes(c.classKind)) continue;
      // a class that others use is checked where it is used: alone, its ports are open
      const { model } = flatten(library, path);
      found.push(...relaxUnits(used.has(c.name) ? model.problems : compile(model).problems));
    }
  }
  const keys = new Set<string>();
  return { problems: found.filter((p) => !keys.has(key(p)) && keys.add(key(p))), textOf };
}

/** All classes of a text, those inside others too, with their full names. */
function classesIn(
  definitions: readonly ClassDefinition[],
  around = '',
): { readonly definition: ClassDefinition; readonly path: string }[] {
  return definitions.flatMap((definition) => {
    const path = `${around}${definition.name}`;
    const inner = definition.elements.flatMap((e) => (e.kind === 'class' ? [e] : []));
    return [{ definition, path }, ...classesIn(inner, `${path}.`)];
  });
}

/** A function is looked at in a call, as far as it takes single numbers. */
function checkFunction(library: ClassLibrary, f: ClassDefinition, path: string): readonly Problem[] {
  const inputs = f.elements.flatMap((e) => (e.kind === 'component' && e.causality === 'input' ? [e] : []));
  const isPlain = inputs.every((e) => e.dimensions.length === 0 && ['Real', 'Integer', 'Boolean'].includes(e.typeName));
  const inherits = f.elements.some((e) => e.kind === 'extends');
  if (!isPlain || inherits || f.short || f.algorithms.length === 0) return [];
  const declared = inputs.map((e) => `input ${e.typeName} ${e.name};`).join(' ');
  const call = `.${path}(${inputs.map((e) => e.name).join(', ')})`;
  const [caller] = parseFile(`model FunctionCaller ${declared} equation () = ${call}; end FunctionCaller;`).value;
  const place = 'caller';
  const { model } = flatten(
    { top: new Map([...library.top, ['FunctionCaller', { definition: caller, path: 'FunctionCaller', place }]]) },
    'FunctionCaller',
  );
  return model.problems.filter((p) => p.place !== place);
}

const key = (p: Problem): string => `${p.place}|${p.span?.start}|${p.code}|${p.message}`;

function checkProjectBytes(bytes: Uint8Array): Checked {
  const { value, problems } = readProjectFile(bytes);
  if (!value) return { problems, textOf: () => undefined };
  return {
    problems: [...problems, ...checkProject(value).problems, ...studyProblems(value)],
    textOf: projectTexts(value),
  };
}
