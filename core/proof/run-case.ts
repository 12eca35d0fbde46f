import { newPart, newSetup, newType, type PartType, type Project, type Setup } from '../project/project';
import type { Problem } from '../language/diagnostics';
import { prepareRun, type Prepared } from '../run/prepare';
import { createRun, isRunnable, type RequirementFinding } from '../run/run';
import { scriptSource } from '../run/script-driver';
import type { ScriptReport } from '../scripts/script-run';
import { withStages, type MakeCompiled, type StageText } from '../stepcode/stage';

/** What a test case runs: a setup of the product, or a part type alone. */
export type CaseSubject =
  | { readonly kind: 'setup'; readonly setup: Setup }
  | { readonly kind: 'alone'; readonly type: PartType; readonly stop: number };

export interface ScriptCase {
  /** Address of its script. */
  readonly place: string;
  readonly subject: CaseSubject;
  readonly script: string;
}

export interface CaseOutcome {
  /** What could not run has not passed. */
  readonly verdict: 'passed' | 'failed' | 'not run';
  /** Why it has failed or could not run; empty where it has passed. */
  readonly why: string;
  readonly failedAt: number | undefined;
  /** Time of the product it went to. */
  readonly time: number;
  readonly script: ScriptReport | undefined;
  /** Requirements are judged beside, whatever a case expects. */
  readonly findings: readonly RequirementFinding[];
  readonly problems: readonly Problem[];
  readonly seconds: number;
}

/** Name of a part that stands alone: that of its type, as parts are called. */
export const nameAlone = (type: PartType): string => type.name[0].toLowerCase() + type.name.slice(1);

/** A project in which a part type stands alone: nothing is around it, its inputs are given from outside. */
export function aloneIn(project: Project, type: PartType): Project {
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

/** What is wrong with a part that stands alone, in names of its type. */
const inOwnWords = ({ problems, model }: Prepared, type: PartType): readonly Problem[] =>
  problems.map((p) => ({
    ...p,
    message: p.message.replaceAll(`${nameAlone(type)}.`, '').replaceAll(model.name, type.name),
  }));

/** Runs a case in a stage; without one parts run as the setup says. */
export function runCase(
  project: Project,
  { place, subject, script }: ScriptCase,
  {
    stage,
    compiledSteps,
    goesOn = () => true,
  }: {
    readonly stage?: StageText;
    readonly compiledSteps?: MakeCompiled;
    /** Asked now and then; a case that is given up has not been run. */
    readonly goesOn?: () => boolean;
  } = {},
): CaseOutcome {
  const begun = performance.now();
  const whole = subject.kind === 'setup' ? project : aloneIn(project, subject.type);
  const own =
    subject.kind === 'setup'
      ? subject.setup
      : { ...newSetup('alone', subject.type.name), stop: subject.stop, recordEvery: subject.stop / 1000 };
  const inside = subject.kind === 'setup' ? '' : nameAlone(subject.type);
  const setup = stage === undefined ? own : inStage(whole, own, stage);
  const prepared = prepareRun(whole, setup, undefined, undefined, compiledSteps, scriptSource(script, place, inside));
  const nothing = { failedAt: undefined, time: 0, script: undefined, findings: [] };
  const problems = subject.kind === 'setup' ? prepared.problems : inOwnWords(prepared, subject.type);
  const since = (): number => (performance.now() - begun) / 1000;
  if (!isRunnable(prepared)) {
    const why = problems.find((p) => p.severity === 'error')?.message ?? 'It cannot run';
    return { ...nothing, verdict: 'not run', why, problems, seconds: since() };
  }
  const run = createRun(prepared, { record: [] });
  const { simulation } = run;
  let looks = 0;
  let isGivenUp = false;
  simulation.advance(Infinity, false, () => ++looks % 64 !== 0 || !(isGivenUp = !goesOn()));
  if (isGivenUp) return { ...nothing, verdict: 'not run', why: 'It was given up', problems, seconds: since() };
  const report = run.script();
  const findings = run.findings();
  const broken = findings.filter((f) => f.verdict === 'fails');
  const whys = [
    ...(simulation.problem ? [simulation.problem.message] : []),
    ...(report && report.verdict !== 'passed' ? [report.why] : []),
    ...broken.map((f) => `${f.key} fails`),
  ];
  const times = [
    report?.failedAt,
    simulation.problem ? simulation.time : undefined,
    ...broken.map((f) => f.failsSince),
  ];
  const known = times.filter((t) => t !== undefined);
  return {
    verdict: whys.length === 0 ? 'passed' : 'failed',
    why: whys.join('; '),
    failedAt: known.length > 0 ? Math.min(...known) : undefined,
    time: simulation.time,
    script: report,
    findings,
    problems,
    seconds: since(),
  };
}
