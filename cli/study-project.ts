import { readProjectFile } from '../core/formats/project-file';
import type { Problem } from '../core/language/diagnostics';
import type { Project, Setup } from '../core/project/project';
import { createRunner, type Runner, type RunnerQuestion } from '../core/studies/runner';
import { complain, formatProblem, print, problemAsJson, readBytes } from './output';
import { projectTexts } from './run';

/** A project and one of its setups, for commands that run it many times. */
export function readSetup(
  file: string,
  name: string | undefined,
): { readonly project: Project; readonly setup: Setup } | undefined {
  const bytes = readBytes(file);
  if (!bytes) return undefined;
  const { value: project, problems } = readProjectFile(bytes);
  for (const p of problems) complain(`zelvar: ${file}: ${p.message}`);
  if (!project) return undefined;
  const setup =
    name === undefined && project.setups.length === 1 ? project.setups[0] : project.setups.find((s) => s.name === name);
  if (setup) return { project, setup };
  const names = project.setups.map((s) => s.name).join(', ') || 'none';
  complain(
    name === undefined
      ? `zelvar: --setup says which setup is meant: ${names}`
      : `zelvar: ${project.name} has no setup "${name}"; it has ${names}`,
  );
  return undefined;
}

/** What runs the setup, or the problems told. */
export function runnerFor(question: RunnerQuestion, json: boolean | undefined): Runner | undefined {
  const { value, problems } = createRunner(question);
  if (value) return value;
  tellProblems(question.project, problems, json);
  return undefined;
}

export function tellProblems(project: Project, problems: readonly Problem[], json: boolean | undefined): void {
  const textOf = projectTexts(project);
  for (const p of problems) complain(formatProblem(p, textOf));
  if (json)
    print(JSON.stringify({ status: 'failed', problems: problems.map((p) => problemAsJson(p, textOf)) }, null, 1));
}

/** Names with a range each, `path=low:high`. */
export function readRanges(texts: readonly string[]): readonly Range[] | string {
  const ranges: Range[] = [];
  for (const text of texts) {
    const [, name, low, high] = /^\s*([^=]+?)\s*=\s*([^:]+):([^:]+)$/.exec(text) ?? [];
    const [a, b] = [Number(low), Number(high)];
    if (name === undefined || !Number.isFinite(a) || !Number.isFinite(b) || low.trim() === '' || high.trim() === '')
      return `${text} is no range: write path=low:high`;
    if (!(a < b)) return `${text}: the second number is above the first`;
    if (ranges.some((r) => r.name === name)) return `${name} has two ranges`;
    ranges.push({ name, low: a, high: b });
  }
  return ranges;
}
export interface Range {
  readonly name: string;
  readonly low: number;
  readonly high: number;
}

/** How far it is, on a terminal that somebody looks at. */
export function progress(what: string): (done: number, of: number) => boolean {
  if (!process.stderr.isTTY) return () => true;
  const begin = performance.now();
  let told = 0;
  return (done, of) => {
    const now = performance.now();
    if (now - told > 200) {
      told = now;
      const left = done === 0 ? '' : `, ${Math.ceil(((now - begin) / done / 1000) * (of - done))} s left`;
      process.stderr.write(`\r${what}: ${done} of ${of}${left}   `);
    }
    return true;
  };
}
