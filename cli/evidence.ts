import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { boardNamed, boardsOf, type Board } from '../core/boards/board';
import { linesOn } from '../core/boards/board-image';
import { fitsProject, readEvidence, type Checked } from '../core/evidence/check';
import { sealed } from '../core/evidence/conclude';
import type { Facts, Signature } from '../core/evidence/evidence';
import { digestOfImage, gather, type KnownOfCase } from '../core/evidence/gather';
import { fileNameOf } from '../core/evidence/file-name';
import { writeHtml } from '../core/evidence/write-html';
import { writeXlsx } from '../core/evidence/write-xlsx';
import type { PartType, Project } from '../core/project/project';
import { caseProblems } from '../core/proof/check-cases';
import { stageCalled } from '../core/proof/choose';
import { checkProject } from '../core/run/check';
import { stepProgramOf } from '../core/stepcode/controller';
import { readStage, type StageText } from '../core/stepcode/stage';
import { buildFor, type Built } from '../server/build-image';
import { hostCompiler } from '../server/step-on-host';
import { complain, print, readBytes } from './output';
import { readProject } from './read-project';
import { readAsked, runAsked } from './run-asked';
import { version } from '../package.json';

/** What evidence and build records are asked with. */
export interface EvidenceArguments {
  readonly out: string;
  readonly stage?: string;
  readonly baseline?: string;
  readonly sign: readonly string[];
  readonly jobs?: number;
  readonly json?: boolean;
}

/** `zelvar evidence write`: 0 it conforms, 1 it does not, or something is open, 2 it could not be made. */
export async function writeEvidence(file: string, options: EvidenceArguments): Promise<number> {
  const read = readProved(file, options);
  if (!read) return 2;
  const { project, asked, stages, baseline, signed } = read;
  const known: KnownOfCase[] = [];
  await runAsked(project, asked, { jobs: options.jobs, isCounted: true }, (k, outcome) => {
    known.push({ ...asked[k], outcome, isStale: false, at: new Date().toISOString() });
    if (!options.json) print(`${outcome.verdict.padEnd(8)} ${asked[k].of.name}, ${stageCalled(asked[k].stage)}`);
  });
  const { problems, constants } = checkProject(project);
  const evidence = sealed(
    gather({
      project,
      made: new Date().toISOString(),
      stages,
      known,
      problems: [...problems, ...caseProblems(project)],
      constants,
      baseline,
      images: imagesOf(project, stages),
      tools: toolsHere(stages),
      signed,
    }),
  );
  const { conclusion: c } = evidence;
  const name = fileNameOf(project.name);
  const files = [
    [`${name}.html`, writeHtml(evidence)],
    [`${name}.xlsx`, await writeXlsx(evidence)],
    [`${name}.json`, `${JSON.stringify(evidence, null, 1)}\n`],
  ] as const;
  try {
    mkdirSync(options.out, { recursive: true });
    for (const [to, content] of files) writeFileSync(join(options.out, to), content);
  } catch (error) {
    complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return 2;
  }
  if (options.json)
    print(
      JSON.stringify(
        {
          files: files.map(([to]) => join(options.out, to)),
          sha256: evidence.sha256,
          requirements: { met: c.met, notMet: c.notMet, open: c.open },
          outcomes: { passed: c.passed, failed: c.failed, without: c.without },
          coverage: { covered: c.covered, wanted: c.wanted },
          openPoints: c.points,
        },
        null,
        1,
      ),
    );
  else {
    for (const [to] of files) print(join(options.out, to));
    print(`requirements: ${c.met} met, ${c.notMet} not met, ${c.open} open`);
    print(`outcomes: ${c.passed} passed, ${c.failed} failed, ${c.without} missing; ${c.points.length} open points`);
  }
  return c.verdict === 'conforms' ? 0 : 1;
}

/** What is to be proved, on what, and who stands for it; what of it makes no sense has been told. */
export function readProved(file: string, options: EvidenceArguments) {
  const project = readProject(file);
  const signed = project && readSignatures(options.sign);
  if (!project || !signed) return undefined;
  const before = options.baseline === undefined ? undefined : readProject(options.baseline);
  if (options.baseline !== undefined && !before) return undefined;
  const found = readAsked(project, [], options.stage);
  // a file says no more of a baseline than its name
  const baseline = before && { name: basename(options.baseline!), at: '', project: before };
  return found && { project, signed, baseline, ...found };
}

/** `name: words`, each; what is none has been told. */
function readSignatures(texts: readonly string[]): readonly Signature[] | undefined {
  const found = texts.map((text): Signature | undefined => {
    const [, name = '', words = ''] = /^\s*([^:]+?)\s*(?::\s*(.*?)\s*)?$/s.exec(text) ?? [];
    return name === '' ? undefined : { name, words, on: new Date().toISOString().slice(0, 10) };
  });
  if (found.every((f) => f !== undefined)) return found;
  complain('zelvar: --sign says who, and with which words: "Ada Moss: seen and found good"');
  return undefined;
}

export interface CheckArguments {
  readonly project?: string;
  readonly json?: boolean;
}

/** `zelvar evidence check`: 0 nothing is wrong, 1 something is, 2 it could not be looked at. */
export async function checkEvidence(file: string, options: CheckArguments): Promise<number> {
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const read = await readEvidence(bytes);
  if (read.problem !== undefined) {
    complain(`zelvar: ${file}: ${read.problem}`);
    return 2;
  }
  const project = options.project === undefined ? undefined : readProject(options.project);
  if (options.project !== undefined && !project) return 2;
  const { evidence } = read;
  const checks = [
    ...read.checks,
    ...(project
      ? fitsProject(evidence, project, (program, board) => rebuilt(project, program, board))
      : [{ kind: 'open', text: 'No project was given to compare it with', details: [] } satisfies Checked]),
  ];
  const isWrong = checks.some((c) => c.kind === 'wrong');
  if (options.json)
    print(JSON.stringify({ project: evidence.project.name, made: evidence.made, form: read.form, checks }, null, 1));
  else {
    print(`Evidence for ${evidence.project.name}, put together ${evidence.made} (${read.form})`);
    for (const c of checks) {
      print(`${c.kind.padEnd(6)} ${c.text}`);
      for (const d of c.details) print(`         ${d}`);
    }
    print(isWrong ? 'Something is wrong' : 'Nothing is wrong');
  }
  return isWrong ? 1 : 0;
}

/** An image of a part type, as compilers make it here; why not, where they do not. */
export function imageOf(project: Project, type: PartType, board: Board): Built | string {
  const { program, problems } = stepProgramOf(project, type);
  return program
    ? buildFor(program, board, linesOn(type, board))
    : (problems[0]?.message ?? 'It cannot be put into code');
}

function rebuilt(project: Project, program: string, name: string): { readonly sha256: string } | string {
  const type = project.types.find((t) => t.name === program);
  const board = boardNamed(name, boardsOf(project));
  if (!type || !board) return `there is no ${type ? `board ${name}` : `part type ${program}`}`;
  const image = imageOf(project, type, board);
  return typeof image === 'string' ? image : digestOfImage(image.elf);
}

/** What chips are loaded with in the stages that run on boards. */
function imagesOf(project: Project, stages: readonly StageText[]) {
  const all = boardsOf(project);
  const boards = new Set(
    stages.flatMap((s) => {
      const { stage, board } = readStage(s)!;
      return stage === 'board' ? (boardNamed(board, all) ?? []) : [];
    }),
  );
  return [...boards].flatMap((board) =>
    project.types.flatMap((type) => {
      const image = type.software.trim() === '' ? '' : imageOf(project, type, board);
      return typeof image === 'string'
        ? []
        : [{ program: type.name, board: board.isOwn ? board.name : board.id, elf: image.elf }];
    }),
  );
}

/** What made and ran it, as far as it counts in these stages. */
export function toolsHere(stages: readonly StageText[]): Facts['tools'] {
  const asked = new Set(stages.map((s) => readStage(s)!.stage));
  const compilers = [
    ...(asked.has('host') ? [hostCompiler()] : []),
    ...(asked.has('board') ? ['avr-gcc', 'arm-none-eabi-gcc'] : []),
  ];
  return [
    { name: 'Zelvar', version },
    { name: 'Node.js', version: process.version },
    ...compilers.flatMap((name) => {
      const said = name === undefined ? undefined : spawnSync(name, ['--version'], { encoding: 'utf8' });
      return name !== undefined && said?.status === 0 ? [{ name, version: said.stdout.split('\n')[0] }] : [];
    }),
  ];
}
