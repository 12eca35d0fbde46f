import * as Comlink from 'comlink';
import { fitsProject, readEvidence, type Checked } from '../core/evidence/check';
import { sealed } from '../core/evidence/conclude';
import type { Evidence } from '../core/evidence/evidence';
import { gather, type EvidenceInput } from '../core/evidence/gather';
import { writeHtml } from '../core/evidence/write-html';
import { writeXlsx } from '../core/evidence/write-xlsx';
import type { Project } from '../core/project/project';
import { caseProblems } from '../core/proof/check-cases';
import { checkProject } from '../core/run/check';

/** A shell: what evidence says is core. */
const service = {
  make(input: Omit<EvidenceInput, 'problems' | 'constants'>): Evidence {
    const { problems, constants } = checkProject(input.project);
    return sealed(gather({ ...input, problems: [...problems, ...caseProblems(input.project)], constants }));
  },
  html: (evidence: Evidence): string => writeHtml(evidence),
  xlsx: (evidence: Evidence): Promise<Uint8Array> => writeXlsx(evidence),
  async check(
    bytes: Uint8Array,
    project: Project,
  ): Promise<
    | { readonly problem: string }
    | { readonly of: string; readonly made: string; readonly form: string; readonly checks: readonly Checked[] }
  > {
    const read = await readEvidence(bytes);
    if (read.problem !== undefined) return { problem: read.problem };
    const { evidence, form, checks } = read;
    return {
      of: evidence.project.name,
      made: evidence.made,
      form,
      checks: [...checks, ...fitsProject(evidence, project)],
    };
  },
};
export type EvidenceService = typeof service;
Comlink.expose(service);
