import { writeFileSync } from 'node:fs';
import { writeProjectFile, writeProjectJson } from '../core/formats/project-file';
import { hasErrors, type Problem } from '../core/language/diagnostics';
import { checkProject } from '../core/run/check';
import { problemsOfCase } from '../core/proof/check-cases';
import { differences } from '../core/project/differences';
import type { Project } from '../core/project/project';
import { merge, type Side } from '../core/versions/merge';
import { complain, formatProblem, print } from './output';
import { projectTexts, readProject } from './read-project';

export interface ChangesArguments {
  readonly json?: boolean;
}

const kinds = { 'only here': 'added', 'only there': 'removed', changed: 'changed', order: 'moved' } as const;

/** `zelvar changes`: 0 two versions say the same, 1 they differ, 2 they could not be compared. */
export function changes(before: string, after: string, options: ChangesArguments): number {
  const [old, now] = [before, after].map((f) => readProject(f));
  if (!old || !now) return 2;
  const found = differences(now, old).map((d) => ({
    address: d.address,
    what: d.what,
    change: kinds[d.kind],
    fields: d.fields.map(({ field, here, there }) => ({ field, before: there, after: here })),
  }));
  if (options.json) print(JSON.stringify({ before: old.name, after: now.name, changes: found }, null, 1));
  else {
    for (const { change, what, fields } of found) {
      print(`${change.padEnd(8)} ${what}`);
      for (const f of fields) print(`           ${f.field}: ${short(f.before)} -> ${short(f.after)}`);
    }
    print(found.length === 0 ? 'They say the same' : `${found.length} changes`);
  }
  return found.length > 0 ? 1 : 0;
}

export interface MergeArguments {
  readonly out?: string;
  readonly take?: Side;
  readonly json?: boolean;
}

/** `zelvar merge`: 0 merged, 1 something has to be decided or does not go together, 2 it could not be done. */
export function mergeFiles(before: string, here: string, there: string, options: MergeArguments): number {
  if (options.take !== undefined && options.take !== 'here' && options.take !== 'there') {
    complain('zelvar: --take is here or there');
    return 2;
  }
  const [base, own, other] = [before, here, there].map((f) => readProject(f));
  if (!base || !own || !other) return 2;
  const open = merge(base, own, other);
  const { take } = options;
  const { project } =
    take === undefined ? open : merge(base, own, other, new Map(open.conflicts.map((c) => [c.address, take] as const)));
  const undecided = take === undefined ? open.conflicts : [];
  const wrong = newProblems(project, own, other);
  if (options.json) print(JSON.stringify({ conflicts: open.conflicts, taken: take ?? null, problems: wrong }, null, 1));
  else {
    for (const c of undecided) {
      complain(`conflict: ${c.what}`);
      for (const side of ['before', 'here', 'there'] as const) complain(`  ${side}: ${short(said(c[side]))}`);
    }
    const textOf = projectTexts(project);
    for (const p of wrong) complain(formatProblem(p, textOf));
  }
  if (options.out !== undefined) {
    try {
      writeFileSync(options.out, options.out.endsWith('.json') ? writeProjectJson(project) : writeProjectFile(project));
    } catch (error) {
      complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
      return 2;
    }
  }
  if (!options.json)
    print(
      `${open.conflicts.length} conflicts${take ? `, decided for what is ${take}` : ''}, ${wrong.length} new problems`,
    );
  return undecided.length > 0 || hasErrors(wrong) ? 1 : 0;
}

/** What is wrong with it and with neither of those it was made of: each may be right by itself. */
function newProblems(project: Project, ...from: readonly Project[]): readonly Problem[] {
  const key = (p: Problem): string => `${p.place} ${p.code} ${p.message}`;
  const all = (p: Project): readonly Problem[] => [
    ...checkProject(p).problems,
    ...p.cases.flatMap((c) => problemsOfCase(p, c)),
  ];
  const known = new Set(from.flatMap((p) => all(p).map(key)));
  return all(project).filter((p) => !known.has(key(p)));
}

const said = (value: unknown): string =>
  value === undefined ? 'not there' : typeof value === 'string' ? value : JSON.stringify(value);
const short = (text: string): string => {
  const line = text.replaceAll(/\s*\n\s*/g, ' / ');
  return line.length > 160 ? `${line.slice(0, 159)}…` : line || '(empty)';
};
