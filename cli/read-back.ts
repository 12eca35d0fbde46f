import { writeFileSync } from 'node:fs';
import { applyEdit } from '../core/editing/edits';
import { writeProjectFile, writeProjectJson } from '../core/formats/project-file';
import type { CComplaint } from '../core/stepcode/read-back/c-tree';
import { mergedEdit } from '../core/stepcode/read-back/merged';
import { readBack } from '../core/stepcode/read-back/read-back';
import { sourcesOf } from '../core/stepcode/write-sources';
import { stopWith } from './model-text';
import { complain, print, readBytes } from './output';
import { projectTexts, readType } from './read-project';

export interface ReadBackArguments {
  readonly type: string;
  readonly since?: string;
  readonly every?: number;
  readonly out?: string;
  readonly json?: boolean;
}

/** `zelvar read-back`: 0 everything that was changed can be said in the model, 1 something cannot, 2 it could not be asked. */
export function readBackCommand(file: string, edited: string, options: ReadBackArguments): number {
  const found = readType(file, options.type);
  const text = textOf(edited);
  const since = options.since === undefined ? undefined : textOf(options.since);
  if (!found || text === undefined || (options.since !== undefined && since === undefined)) return 2;
  const { project, type } = found;
  const { value, problems } = sourcesOf(project, type, options.every);
  if (!value) {
    if (problems.some((p) => p.code === 'no-rhythm')) complain('zelvar: --every says how many seconds they are');
    stopWith(problems, projectTexts(project), options.json);
    return 2;
  }
  const [, source] = [...value.files].find(([name]) => name.endsWith('.c'))!;
  const merged: { readonly text: string; readonly complaints: readonly CComplaint[] } =
    since === undefined ? { text, complaints: [] } : mergedEdit(since, text, source);
  const { proposals, complaints } = readBack(project, type, merged.text, options.every);
  const all = [...merged.complaints, ...complaints].sort((a, b) => a.line - b.line);
  if (options.out !== undefined) {
    const next = proposals.reduce((p, { edit }) => applyEdit(p, edit).project, project);
    try {
      writeFileSync(options.out, options.out.endsWith('.json') ? writeProjectJson(next) : writeProjectFile(next));
    } catch (error) {
      complain(`zelvar: ${options.out} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
      return 2;
    }
  }
  if (options.json)
    print(
      JSON.stringify(
        {
          proposals: proposals.map(({ lines, place, label, was, becomes }) => ({ lines, place, label, was, becomes })),
          notTaken: all,
        },
        null,
        1,
      ),
    );
  else {
    const indented = (t: string): string => (t.trim() === '' ? '    (nothing)' : t.trim().replace(/^/gm, '    '));
    for (const p of proposals)
      print(
        `${p.label} (line ${p.lines.map((l) => l.from).join(', ')})\n${indented(p.was)}\n  becomes\n${indented(p.becomes)}`,
      );
    for (const c of all) print(`line ${c.line}: ${c.message}`);
  }
  return all.length > 0 ? 1 : 0;
}

function textOf(file: string): string | undefined {
  const bytes = readBytes(file);
  if (!bytes) return undefined;
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    complain(`zelvar: ${file} is no text in UTF-8`);
    return undefined;
  }
}
