import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { boardNamed, boardsOf, type Board } from '../core/boards/board';
import { archiveOfRecord, imageOn, makeRecord, type Workshop } from '../core/evidence/build-record';
import { fileNameOf } from '../core/evidence/file-name';
import type { KnownOfCase } from '../core/evidence/gather';
import { readStage } from '../core/stepcode/stage';
import { imageOf, readProved, toolsHere, type EvidenceArguments } from './evidence';
import { complain, print } from './output';
import { runAsked } from './run-asked';

export interface RecordArguments extends EvidenceArguments {
  readonly board: readonly string[];
  readonly tag?: string;
  /** In per cent. */
  readonly least?: number;
}

/** `zelvar build-record`: 0 ready for test, 1 not ready or failed at a phase, 2 it could not be begun. */
export async function buildRecord(file: string, options: RecordArguments): Promise<number> {
  const read = readProved(file, options);
  if (!read) return 2;
  const { project, stages, baseline, signed } = read;
  const all = boardsOf(project);
  // boards that cases run on are built for, whether or not they are named
  const names = [
    ...options.board,
    ...stages.flatMap((s) => {
      const { stage, board } = readStage(s)!;
      return stage === 'board' ? [board] : [];
    }),
  ];
  const boards: Board[] = [];
  for (const name of names) {
    const board = boardNamed(name, all);
    if (!board) {
      complain(`zelvar: there is no board ${name}; there are ${all.map((b) => (b.isOwn ? b.name : b.id)).join(', ')}`);
      return 2;
    }
    if (!boards.includes(board)) boards.push(board);
  }
  const workshop: Workshop = {
    build(type, board) {
      const image = imageOf(project, type, board);
      return Promise.resolve(typeof image === 'string' ? image : imageOn(board, image.elf, image.said));
    },
    async tryCases(asked, tell) {
      const known: KnownOfCase[] = [];
      await runAsked(project, asked, { jobs: options.jobs, isCounted: true }, (k, outcome) => {
        known.push({ ...asked[k], outcome, isStale: false, at: new Date().toISOString() });
        tell(known.length);
      });
      return known;
    },
  };
  const made = await makeRecord(
    {
      ...{ project, stages, boards, signed },
      made: new Date().toISOString(),
      tag: options.tag ?? '',
      least: (options.least ?? 0) / 100,
      baseline,
      tools: toolsHere(stages),
    },
    workshop,
    (phase, _, over) => {
      if (!over || options.json) return;
      print(`${over.outcome.padEnd(8)} ${phase}${over.words.length > 0 ? `: ${over.words[0]}` : ''}`);
      for (const w of over.words.slice(1)) print(`         ${w.replaceAll('\n', '\n         ')}`);
    },
  );
  const { record } = made;
  const archive = `${fileNameOf(project.name).replace(/evidence$/, 'record')}.zip`;
  try {
    for (const [name, content] of [...made.files, [archive, archiveOfRecord(made)] as const]) {
      const to = join(options.out, name);
      mkdirSync(dirname(to), { recursive: true });
      writeFileSync(to, content);
    }
  } catch (error) {
    complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return 2;
  }
  if (options.json) print(JSON.stringify(record, null, 1));
  else {
    print(join(options.out, archive));
    print(record.verdict === 'ready for test' ? record.verdict : `${record.verdict}: ${record.why.join('; ')}`);
  }
  return record.verdict === 'ready for test' ? 0 : 1;
}
