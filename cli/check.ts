import { atPlace, hasErrors, type Problem } from '../core/language/diagnostics';
import { parseFile } from '../core/language/parse';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { relaxUnits } from '../core/language/unit-check';
import { readProjectFile } from '../core/formats/project-file';
import { checkProject } from '../core/run/check';
import { compile } from '../core/simulate/compile';
import { formatProblem, print, problemAsJson, readBytes } from './output';
import { projectTexts } from './run';

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
    const used = new Set<string>();
    const note = (name: string): void => void used.add(name.split('.')[0]);
    for (const c of parsed.value)
      for (const e of c.elements)
        if (e.kind === 'component') note(e.typeName);
        else if (e.kind === 'extends') note(e.base);
    for (const c of parsed.value) {
      if (c.partial || c.short || c.enumeration || !['model', 'block', 'class'].includes(c.classKind)) continue;
      // a class that others use is checked where it is used: alone, its ports are open
      const { model } = flatten(library, c.name);
      found.push(...relaxUnits(used.has(c.name) ? model.problems : compile(model).problems));
    }
  }
  const keys = new Set<string>();
  return { problems: found.filter((p) => !keys.has(key(p)) && keys.add(key(p))), textOf };
}

const key = (p: Problem): string => `${p.place}|${p.span?.start}|${p.code}|${p.message}`;

function checkProjectBytes(bytes: Uint8Array): Checked {
  const { value, problems } = readProjectFile(bytes);
  if (!value) return { problems, textOf: () => undefined };
  return { problems: [...problems, ...checkProject(value).problems], textOf: projectTexts(value) };
}
