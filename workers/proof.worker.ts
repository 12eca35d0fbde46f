import * as Comlink from 'comlink';
import { fromBuilt, type BuiltSteps } from '../core/boards/built-steps';
import type { Problem } from '../core/language/diagnostics';
import type { Project } from '../core/project/project';
import { problemsOfCase } from '../core/proof/check-cases';
import { runCase, type CaseOutcome } from '../core/proof/run-case';
import type { MakeCompiled, StageText } from '../core/stepcode/stage';
import { askHost } from './ask-host';

/** A shell: what a test case does is core. Stopping is ending the thread. */
let project: Project | undefined;
let compiledSteps: MakeCompiled | undefined;

const service = {
  open(document: Project, built: BuiltSteps): void {
    project = document;
    compiledSteps = fromBuilt(built, askHost);
  },
  run(id: string, stage: StageText | undefined): CaseOutcome | undefined {
    const of = project?.cases.find((c) => c.id === id);
    if (!project || !of) return undefined;
    const outcome = runCase(project, of, { stage, compiledSteps });
    // when each requirement held is seen in its run
    return { ...outcome, findings: outcome.findings.map((f) => ({ ...f, lane: [] })) };
  },
  problems(document: Project, id: string): readonly Problem[] {
    const of = document.cases.find((c) => c.id === id);
    return of ? problemsOfCase(document, of) : [];
  },
};
export type ProofService = typeof service;
Comlink.expose(service);
