import * as Comlink from 'comlink';
import { nanoid } from 'nanoid';
import type { Came, Item } from '../core/coverage/came';
import { nearestMiss, type NearestMiss } from '../core/proof/nearest-miss';
import { proposeCase, type ProposeAnswer } from '../core/proof/propose-case';
import { fromBuilt, type BuiltSteps } from '../core/boards/built-steps';
import { problem, type Problem } from '../core/language/diagnostics';
import type { Project } from '../core/project/project';
import { problemsOfCase } from '../core/proof/check-cases';
import { mutantsOf, type Mutant } from '../core/proof/mutants';
import { passesAsItIs, tryMutant, type MutantOutcome } from '../core/proof/strength';
import { runCase, type CaseOutcome } from '../core/proof/run-case';
import type { MakeCompiled, StageText } from '../core/stepcode/stage';
import { askHost } from './ask-host';

/** A shell: what a test case does is core. Stopping is ending the thread. */
let project: Project | undefined;
let compiledSteps: MakeCompiled | undefined;
let mutants: ReadonlyMap<string, Mutant> | undefined;

const service = {
  open(document: Project, built: BuiltSteps): void {
    project = document;
    mutants = undefined;
    compiledSteps = fromBuilt(built, askHost);
  },
  run(id: string, stage: StageText | undefined): CaseOutcome | undefined {
    const of = project?.cases.find((c) => c.id === id);
    if (!project || !of) return undefined;
    const outcome = runCase(project, of, { stage, compiledSteps, isCounted: true });
    // when each requirement held is seen in its run
    return { ...outcome, findings: outcome.findings.map((f) => ({ ...f, lane: [] })) };
  },
  /** A case that comes through what no case does; told now and then how far it is. */
  propose(document: Project, typeId: string, item: Item, came: Came, tell: (share: number) => void): ProposeAnswer {
    const type = document.types.find((t) => t.id === typeId);
    if (!type) return { problem: problem('error', 'propose', 'The part type is gone'), tries: 0, ticks: 0 };
    return proposeCase(document, type, item, {
      came,
      idOf: () => `k-${nanoid(8)}`,
      goesOn(share) {
        tell(share);
        return true;
      },
    });
  },
  nearest(document: Project, ids: readonly string[], item: Item): NearestMiss | undefined {
    return nearestMiss(
      document,
      document.cases.filter((c) => ids.includes(c.id)),
      item,
    );
  },
  /** Whether a case passes as the project is. */
  passes(id: string): boolean {
    const of = project?.cases.find((c) => c.id === id);
    return project !== undefined && of !== undefined && passesAsItIs(project, of);
  },
  /** Whether cases, in this order, notice a change of the project that is open. */
  change(key: string, suite: readonly string[]): MutantOutcome | undefined {
    if (!project) return undefined;
    mutants ??= new Map(mutantsOf(project).map((m) => [m.key, m]));
    const mutant = mutants.get(key);
    if (!mutant) return undefined;
    const caseOf = new Map(project.cases.map((c) => [c.id, c]));
    return tryMutant(
      project,
      mutant,
      suite.flatMap((id) => caseOf.get(id) ?? []),
    );
  },
  problems(document: Project, id: string): readonly Problem[] {
    const of = document.cases.find((c) => c.id === id);
    return of ? problemsOfCase(document, of) : [];
  },
};
export type ProofService = typeof service;
Comlink.expose(service);
