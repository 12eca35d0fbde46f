import { strFromU8, unzipSync } from 'fflate';
import { archiveOf } from './archive';
import { problem, type Problem } from '../language/diagnostics';
import { migrate } from '../project/migrate';
import type { Project } from '../project/project';
import { projectFields, projectFormat, projectVersion } from '../project/document';
import { wrongPlaces } from '../project/look';

/**
 * The project file: a zip with `project.json`, or that JSON alone (the plain form, easier to compare and to keep under
 * version control). Both are read; anything else is refused with a reason.
 */
export function writeProjectJson(project: Project): string {
  return JSON.stringify(project, null, 1) + '\n';
}

export function writeProjectFile(project: Project): Uint8Array {
  return archiveOf([['project.json', writeProjectJson(project)]]);
}

export interface ReadProject {
  readonly value: Project | undefined;
  readonly problems: readonly Problem[];
}

const failed = (code: string, message: string): ReadProject => ({
  value: undefined,
  problems: [problem('error', code, message)],
});

/** Never throws: what is wrong comes back as problems. */
export function readProjectFile(bytes: Uint8Array): ReadProject {
  if (bytes.length === 0) return failed('empty', 'The file is empty');
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) {
    let entries: Record<string, Uint8Array>;
    try {
      entries = unzipSync(bytes, { filter: (f) => f.name === 'project.json' && f.originalSize < 200_000_000 });
    } catch {
      return failed('damaged', 'This project file is damaged or was cut short: its contents cannot be unpacked');
    }
    const json = entries['project.json'];
    return json
      ? readProjectText(strFromU8(json))
      : failed('foreign', 'This is a zip file, but not a Zelvar project: there is no project.json in it');
  }
  return readProjectText(new TextDecoder().decode(bytes));
}

export function readProjectText(text: string): ReadProject {
  let data: unknown;
  try {
    data = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    const start = text.trimStart();
    if (!start.startsWith('{')) return failed('foreign', 'This is not a Zelvar project file');
    const detail = error instanceof Error ? error.message : '';
    return failed('damaged', `The file is damaged or was cut short: it stops making sense ${positionOf(detail, text)}`);
  }
  return readProjectData(data);
}

/** A document that came as data: out of a file, or out of what the browser keeps. */
export function readProjectData(data: unknown): ReadProject {
  const head = data as { format?: unknown; version?: unknown } | null;
  if (typeof head !== 'object' || head === null || head.format !== projectFormat)
    return failed('foreign', 'This is not a Zelvar project file');
  if (typeof head.version !== 'number' || !Number.isInteger(head.version) || head.version < 1)
    return failed('version', 'The file does not say which version of the format it has');
  if (head.version > projectVersion) {
    return failed(
      'future',
      `This file was written by a newer Zelvar (format ${head.version}; this one reads up to ${projectVersion}). Nothing was changed`,
    );
  }
  let present: unknown;
  try {
    present = migrate(data);
  } catch {
    return failed('damaged', `The file is damaged: it is not what format ${head.version} looks like`);
  }
  const wrong = wrongPlaces(projectFields, present, 20);
  if (wrong.length > 0)
    return {
      value: undefined,
      problems: wrong.map((w) => problem('error', 'invalid', `${readablePath(w.place)}: ${w.why}`)),
    };
  const value = present as Project;
  return { value, problems: danglingReferences(value) };
}

const readablePath = (path: string): string => (path === '' ? 'The file' : path);

function positionOf(detail: string, text: string): string {
  const match = /position (\d+)/.exec(detail);
  const at = match ? Number(match[1]) : text.length;
  const line = text.slice(0, at).split('\n').length;
  return `at line ${line} of ${text.split('\n').length}`;
}

/** References that lead nowhere are told, not refused: the rest of the file is still good. */
function danglingReferences(project: Project): Problem[] {
  const types = new Set(project.types.map((t) => t.id));
  const problems: Problem[] = [];
  if (project.root !== '' && !types.has(project.root))
    problems.push(problem('warning', 'dangling', 'The product of this file is not one of its part types'));
  for (const t of project.types) {
    for (const p of t.parts)
      if (!types.has(p.type))
        problems.push(problem('warning', 'dangling', `The type of ${t.name}.${p.name} is missing in the file`));
  }
  return problems;
}
