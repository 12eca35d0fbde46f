import type { Board } from '../boards/board';
import { readElf } from '../boards/elf';
import { misfits } from '../boards/step-on-board';
import { coverageReport } from '../coverage/report';
import { percent, writeCoverage } from '../coverage/write-coverage';
import { archiveOf } from '../formats/archive';
import { writeProjectJson } from '../formats/project-file';
import { counted } from '../formats/report-html';
import { channelErrors } from '../pins/check-channels';
import type { PartType, Project } from '../project/project';
import { caseProblems } from '../proof/check-cases';
import { inStages, stageCalled, type CaseInStage } from '../proof/choose';
import { writeJunit } from '../proof/junit';
import { checkProject } from '../run/check';
import { stepProgramOf } from '../stepcode/controller';
import type { StageText } from '../stepcode/stage';
import { sourcesOf } from '../stepcode/write-sources';
import { sealed } from './conclude';
import { digestOf } from './digest';
import type { Evidence, FileDigest, Signature } from './evidence';
import { fileNameOf } from './file-name';
import { digestOfProject, gather, type EvidenceInput, type KnownOfCase } from './gather';
import { writeHtml } from './write-html';
import { writeXlsx } from './write-xlsx';

/** Everything that is made of one state of a project before it is tried on the product, phase by phase, and whether it is ready for that. */

export const recordFormat = 'zelvar-build-record';
/** The file that says what there is. */
export const recordName = 'record.json';

export const phaseNames = ['check', 'generate', 'compile', 'test', 'coverage', 'evidence'] as const;
export type PhaseName = (typeof phaseNames)[number];

export interface Phase {
  readonly name: PhaseName;
  /** `left out`: nothing was asked of it, or one before has failed. */
  readonly outcome: 'done' | 'failed' | 'left out';
  readonly words: readonly string[];
}

export interface BoardSizes {
  readonly program: string;
  readonly board: string;
  /** Bytes; the stack is not counted. */
  readonly flash: { readonly used: number; readonly of: number };
  readonly memory: { readonly used: number; readonly of: number };
}

export interface BuildRecord {
  readonly format: typeof recordFormat;
  readonly version: 1;
  /** When it began (ISO 8601). */
  readonly made: string;
  readonly tag: string;
  readonly project: { readonly name: string; readonly sha256: string };
  readonly stages: readonly string[];
  readonly phases: readonly Phase[];
  readonly sizes: readonly BoardSizes[];
  readonly verdict: 'ready for test' | 'not ready' | 'failed';
  readonly why: readonly string[];
  /** All that belongs to it. */
  readonly files: readonly FileDigest[];
}

export interface RecordOptions {
  readonly project: Project;
  readonly made: string;
  readonly tag: string;
  /** Undefined for as setups say. */
  readonly stages: readonly (StageText | undefined)[];
  readonly boards: readonly Board[];
  /** Share of what has to be come through, 0 to 1, below which it is not ready. */
  readonly least: number;
  readonly baseline?: EvidenceInput['baseline'];
  readonly tools: Evidence['tools'];
  readonly signed: readonly Signature[];
}

/** What is done outside: by compilers and by threads. */
export interface Workshop {
  build(type: PartType, board: Board): Promise<BuiltImage | string>;
  tryCases(asked: readonly CaseInStage[], tell: (done: number) => void): Promise<readonly KnownOfCase[]>;
}

export interface BuiltImage {
  readonly elf: Uint8Array;
  readonly sizes: { readonly text: number; readonly data: number; readonly bss: number };
  /** What does not fit. */
  readonly wrong: readonly string[];
  /** What the compiler said. */
  readonly said: string;
}

export interface MadeRecord {
  readonly record: BuildRecord;
  readonly evidence: Evidence | undefined;
  /** By path; the record itself is one of them. */
  readonly files: ReadonlyMap<string, string | Uint8Array>;
}

/** An image as a compiler has made it, with what of it does not fit a board; a text where it is none. */
export function imageOn(board: Board, elf: Uint8Array, said: string): BuiltImage | string {
  const image = readElf(elf);
  return typeof image === 'string' ? image : { elf, sizes: image.sizes, wrong: misfits(image, board), said };
}

/** What is told while it is made: that a phase has begun, how far it is, that it is over. */
export type TellRecord = (phase: PhaseName, share: number, over?: Phase) => void;

export async function makeRecord(options: RecordOptions, workshop: Workshop, tell: TellRecord): Promise<MadeRecord> {
  const { project, made, tag, stages, boards } = options;
  const files = new Map<string, string | Uint8Array>([[`project.zelvar.json`, writeProjectJson(project)]]);
  const phases: Phase[] = [];
  const sizes: BoardSizes[] = [];
  const notReady: string[] = [];
  let evidence: Evidence | undefined;
  /** A phase; one that failed stops what comes after it. */
  const go = async (
    name: PhaseName,
    work: (share: (of: number) => void) => Promise<Omit<Phase, 'name'>> | Omit<Phase, 'name'>,
  ): Promise<void> => {
    const isOver = phases.some((p) => p.outcome === 'failed');
    if (!isOver) tell(name, 0);
    const phase: Phase = isOver
      ? { name, outcome: 'left out', words: [] }
      : { name, ...(await work((of) => tell(name, of))) };
    phases.push(phase);
    tell(name, 1, phase);
  };
  const software = project.types.filter((t) => t.software.trim() !== '');
  const { problems, constants } = checkProject(project);
  const all = [...problems, ...caseProblems(project)];

  await go('check', () => {
    const errors = all.filter((p) => p.severity === 'error');
    const warnings = all.filter((p) => p.severity === 'warning').length;
    return errors.length > 0
      ? { outcome: 'failed', words: errors.slice(0, 20).map((p) => p.message) }
      : { outcome: 'done', words: [`no errors, ${counted(warnings, 'warning')}`] };
  });
  await go('generate', () => {
    const words: string[] = [];
    for (const type of software) {
      const { value, problems: wrong } = sourcesOf(project, type);
      if (!value) return { outcome: 'failed', words: [`${type.name}: ${wrong[0]?.message ?? 'it cannot be written'}`] };
      for (const [name, text] of value.files) files.set(`code/${type.name}/${name}`, text);
      words.push(`${type.name}: ${counted(value.files.size, 'file')}`);
    }
    return words.length === 0
      ? { outcome: 'left out', words: ['no part type goes in steps'] }
      : { outcome: 'done', words };
  });
  const images: { program: string; board: string; elf: Uint8Array }[] = [];
  await go('compile', async (share) => {
    if (boards.length === 0 || software.length === 0) return { outcome: 'left out', words: ['no board was asked for'] };
    const words: string[] = [];
    let done = 0;
    for (const type of software)
      for (const board of boards) {
        const name = `${type.name} for ${board.name}`;
        const { program } = stepProgramOf(project, type);
        const [unsound] = program ? channelErrors(type, board, program.period) : [];
        const built = !program ? 'it cannot be written' : unsound ? unsound.message : await workshop.build(type, board);
        if (typeof built === 'string') return { outcome: 'failed', words: [...words, `${name}: ${built}`] };
        if (built.wrong.length > 0)
          return { outcome: 'failed', words: [...words, ...built.wrong.map((w) => `${name}: ${w}`)] };
        const id = board.isOwn ? board.name : board.id;
        const { text, data, bss } = built.sizes;
        sizes.push({
          ...{ program: type.name, board: id },
          flash: { used: text + data, of: board.flash },
          memory: { used: data + bss, of: board.memory },
        });
        images.push({ program: type.name, board: id, elf: built.elf });
        files.set(`images/${type.name}-${id}.elf`, built.elf);
        words.push(
          `${name}: ${text + data} of ${board.flash} bytes of flash, ${data + bss} of ${board.memory} bytes of memory`,
          ...(built.said === '' ? [] : [built.said]),
        );
        share(++done / (software.length * boards.length));
      }
    return { outcome: 'done', words };
  });
  let known: readonly KnownOfCase[] = [];
  await go('test', async (share) => {
    const asked = (stages.length === 0 ? [undefined] : stages).flatMap((s) =>
      inStages(project.cases, s === undefined ? [] : [s]),
    );
    if (asked.length === 0) {
      notReady.push('no test case was run');
      return { outcome: 'left out', words: ['no test case is for these stages'] };
    }
    known = await workshop.tryCases(asked, (done) => share(done / asked.length));
    files.set(
      'tests.xml',
      writeJunit(
        project.name,
        known.map(({ of, stage, outcome }) => ({ name: of.name, tags: of.tags, stage, outcome })),
        new Date(made),
      ),
    );
    const bad = known.filter((k) => k.outcome.verdict !== 'passed');
    if (bad.length > 0) notReady.push(`${bad.length} of ${counted(known.length, 'outcome')} did not pass`);
    return {
      outcome: 'done',
      words: [
        `${known.length - bad.length} of ${counted(known.length, 'outcome')} passed`,
        ...bad.map(
          ({ of, stage, outcome }) =>
            `${of.name} (${stageCalled(stage)}) ${outcome.verdict === 'failed' ? 'failed' : 'could not run'}: ${outcome.why}`,
        ),
      ],
    };
  });
  await go('coverage', () => {
    const cames = known.flatMap(({ of, outcome }) => (outcome.came ? [{ of, came: outcome.came }] : []));
    const report = coverageReport(project, cames, problems);
    files.set('coverage.json', writeCoverage(project, report));
    const share = report.wanted === 0 ? 1 : report.covered / report.wanted;
    if (share < options.least)
      notReady.push(`coverage is ${percent(report)}, ${String(Math.round(1000 * options.least) / 10)} % is asked for`);
    return { outcome: 'done', words: [`${report.covered} of ${report.wanted} come through (${percent(report)})`] };
  });
  await go('evidence', async () => {
    evidence = sealed(
      gather({
        ...{ project, made, stages, known, problems: all, constants, images },
        ...{ baseline: options.baseline, tools: options.tools, signed: options.signed },
      }),
    );
    const name = fileNameOf(project.name);
    files.set(`evidence/${name}.html`, writeHtml(evidence));
    files.set(`evidence/${name}.xlsx`, await writeXlsx(evidence));
    files.set(`evidence/${name}.json`, `${JSON.stringify(evidence, null, 1)}\n`);
    const { conclusion: c } = evidence;
    if (c.notMet > 0) notReady.push(`${counted(c.notMet, 'requirement')} not met`);
    return {
      outcome: 'done',
      words: [
        `${c.met} of ${counted(evidence.requirements.length, 'requirement')} met, ${c.notMet} not, ${c.open} open`,
        counted(c.points.length, 'open point'),
      ],
    };
  });

  const failed = phases.find((p) => p.outcome === 'failed');
  const record: BuildRecord = {
    format: recordFormat,
    version: 1,
    ...{ made, tag },
    project: { name: project.name, sha256: digestOfProject(project) },
    stages: (stages.length === 0 ? [undefined] : stages).map(stageCalled),
    phases,
    sizes,
    verdict: failed ? 'failed' : notReady.length > 0 ? 'not ready' : 'ready for test',
    why: failed ? [`${failed.name}: ${failed.words.at(-1) ?? ''}`] : notReady,
    files: [...files].map(([name, content]) => ({
      name,
      bytes: typeof content === 'string' ? new TextEncoder().encode(content).length : content.length,
      sha256: digestOf(content),
    })),
  };
  files.set(recordName, `${JSON.stringify(record, null, 1)}\n`);
  return { record, evidence, files };
}

/** A record in one file, to be handed over. */
export const archiveOfRecord = ({ files }: MadeRecord): Uint8Array<ArrayBuffer> => archiveOf(files);
