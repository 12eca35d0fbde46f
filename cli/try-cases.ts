import { writeFileSync } from 'node:fs';
import { stageCalled } from '../core/proof/choose';
import { writeJunit, type TriedCase } from '../core/proof/junit';
import type { CaseOutcome } from '../core/proof/run-case';
import { coverageReport } from '../core/coverage/report';
import { percent, writeCoverage } from '../core/coverage/write-coverage';
import { checkProject } from '../core/run/check';
import { complain, formatProblem, print, problemAsJson } from './output';
import { projectTexts, readProject } from './read-project';
import { readAsked, runAsked } from './run-asked';

export interface TestArguments {
  readonly case: readonly string[];
  readonly stage?: string;
  readonly junit?: string;
  readonly coverage?: string;
  readonly jobs?: number;
  readonly json?: boolean;
}

/** `zelvar test`: 0 all passed, 1 some failed, 2 something could not run. */
export async function tryCases(file: string, options: TestArguments): Promise<number> {
  const project = readProject(file);
  if (!project) return 2;
  const found = readAsked(project, options.case, options.stage);
  if (!found) return 2;
  const { asked } = found;
  const textOf = projectTexts(project);
  const begun = new Date();
  const tried: TriedCase[] = [];
  const take = (k: number, outcome: CaseOutcome): void => {
    const { of, stage } = asked[k];
    tried.push({ name: of.name, tags: of.tags, stage, outcome });
    if (options.json) return;
    print(lineOf(tried.at(-1)!));
    if (outcome.verdict === 'not run')
      for (const p of outcome.problems) if (p.severity === 'error') complain(`  ${formatProblem(p, textOf)}`);
  };
  const isCounted = options.coverage !== undefined;
  await runAsked(project, asked, { jobs: options.jobs, isCounted }, take);
  const count = (verdict: string): number => tried.filter((t) => t.outcome.verdict === verdict).length;
  if (options.json)
    print(
      JSON.stringify(
        {
          project: project.name,
          cases: tried.map(({ name, tags, stage, outcome }) => ({
            case: name,
            tags,
            stage: stage ?? null,
            verdict: outcome.verdict,
            why: outcome.why,
            failedAt: outcome.failedAt ?? null,
            time: outcome.time,
            seconds: outcome.seconds,
            worst: outcome.worst ?? null,
            lines: outcome.script?.lines ?? [],
            sequences: outcome.sequences.map((s) => ({ name: s.name, verdict: s.report.verdict })),
            requirements: outcome.findings.map(({ key, verdict, margin, unit, failsSince }) => ({
              id: key,
              verdict,
              margin: margin ?? null,
              unit,
              failsSince: failsSince ?? null,
            })),
            problems: outcome.problems.map((p) => problemAsJson(p, textOf)),
          })),
          passed: count('passed'),
          failed: count('failed'),
          notRun: count('not run'),
        },
        null,
        1,
      ),
    );
  else print(`${count('passed')} passed, ${count('failed')} failed, ${count('not run')} could not run`);
  const written = (file: string, text: string): boolean => {
    try {
      writeFileSync(file, text);
      return true;
    } catch (error) {
      complain(`zelvar: ${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
      return false;
    }
  };
  if (options.junit !== undefined && !written(options.junit, writeJunit(project.name, tried, begun))) return 2;
  if (options.coverage !== undefined) {
    const cames = tried.flatMap(({ outcome }, k) => (outcome.came ? [{ of: asked[k].of, came: outcome.came }] : []));
    const report = coverageReport(project, cames, checkProject(project).problems);
    if (!written(options.coverage, writeCoverage(project, report))) return 2;
    if (!options.json) print(`${report.covered} of ${report.wanted} come through (${percent(report)})`);
  }
  return count('not run') > 0 ? 2 : count('failed') > 0 ? 1 : 0;
}

function lineOf({ name, stage, outcome: { verdict, why, failedAt, seconds } }: TriedCase): string {
  const at = failedAt === undefined ? '' : ` at ${Number(failedAt.toPrecision(6))} s`;
  return `${verdict.padEnd(8)} ${name}, ${stageCalled(stage)} (${(seconds * 1000).toFixed(0)} ms)${why && `${at}: ${why}`}`;
}
