import type { Problem } from '../language/diagnostics';
import { newSetup, type Project } from '../project/project';
import { prepareRun } from '../run';
import { probe, type ProbeQuestion } from './probe';
import type { ProbeReport } from './report';

/** Asks what a part type is, alone, with its inputs free. */
export function probeType(
  project: Project,
  type: string,
  question: ProbeQuestion,
  goOn?: (done: number, of: number) => boolean,
): { readonly value: ProbeReport | undefined; readonly problems: readonly Problem[] } {
  const prepared = prepareRun(project, { ...newSetup('probe', 'probe'), root: type });
  const errors = prepared.problems.filter((p) => p.severity === 'error');
  return errors.length > 0 ? { value: undefined, problems: errors } : probe(prepared.model, question, goOn);
}
