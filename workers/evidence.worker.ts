import * as Comlink from 'comlink';
import { boardNamed, boardsOf } from '../core/boards/board';
import {
  archiveOfRecord,
  imageOn,
  makeRecord,
  type BuildRecord,
  type RecordOptions,
  type TellRecord,
} from '../core/evidence/build-record';
import { fitsProject, readEvidence, type Checked } from '../core/evidence/check';
import { sealed } from '../core/evidence/conclude';
import type { Evidence } from '../core/evidence/evidence';
import { gather, type EvidenceInput, type KnownOfCase } from '../core/evidence/gather';
import { writeHtml } from '../core/evidence/write-html';
import { writeXlsx } from '../core/evidence/write-xlsx';
import type { Project } from '../core/project/project';
import { caseProblems } from '../core/proof/check-cases';
import { checkProject } from '../core/run/check';
import type { StageText } from '../core/stepcode/stage';

/** What the page does for it: images come from its server, cases run in threads of their own. */
export interface Outside {
  image(typeId: string, board: string): Promise<{ readonly elf: Uint8Array; readonly said: string } | string>;
  tryCases(
    asked: readonly { readonly id: string; readonly stage: StageText | undefined }[],
    tell: (done: number) => void,
  ): Promise<readonly KnownOfCase[]>;
}

/** A shell: what evidence says is core. */
const service = {
  make(input: Omit<EvidenceInput, 'problems' | 'constants'>): Evidence {
    const { problems, constants } = checkProject(input.project);
    return sealed(gather({ ...input, problems: [...problems, ...caseProblems(input.project)], constants }));
  },
  async record(
    options: Omit<RecordOptions, 'boards'> & { readonly boards: readonly string[] },
    outside: Outside,
    tell: TellRecord,
  ): Promise<{ readonly record: BuildRecord; readonly archive: Uint8Array }> {
    const all = boardsOf(options.project);
    const boards = options.boards.flatMap((name) => boardNamed(name, all) ?? []);
    const made = await makeRecord(
      { ...options, boards },
      {
        async build(type, board) {
          const image = await outside.image(type.id, board.isOwn ? board.name : board.id);
          return typeof image === 'string' ? image : imageOn(board, image.elf, image.said);
        },
        tryCases: (asked, told) =>
          outside.tryCases(
            asked.map(({ of, stage }) => ({ id: of.id, stage })),
            Comlink.proxy(told),
          ),
      },
      tell,
    );
    return { record: made.record, archive: archiveOfRecord(made) };
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
