import { readFileSync, writeFileSync } from 'node:fs';
import { lineColumn, type Problem } from '../core/language/diagnostics';
import { nearestName } from '../core/language/nearest';
import { writeRecordingCsv } from '../core/formats/recording-csv';
import { recordable, type Recording } from '../core/simulate/recording';
import type { FlatModel } from '../core/flatten/flat-model';

// whoever reads may have seen enough, as `head` has
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
  process.exit(0);
});

export const print = (text: string): void => void process.stdout.write(text + '\n');
export const complain = (text: string): void => void process.stderr.write(text + '\n');

export function readBytes(file: string): Uint8Array | undefined {
  try {
    return readFileSync(file);
  } catch (error) {
    complain(`zelvar: ${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
    return undefined;
  }
}

/** `file:line:column: severity: message` where the text is known. */
export function formatProblem(
  p: Problem,
  textOf: (place: string) => { name: string; text: string } | undefined,
): string {
  const source = p.place === undefined ? undefined : textOf(p.place);
  const where =
    source && p.span
      ? `${source.name}:${lineColumn(source.text, p.span.start).line}:${lineColumn(source.text, p.span.start).column}: `
      : p.place
        ? `${source?.name ?? p.place}: `
        : '';
  return `${where}${p.severity}: ${p.message}`;
}

export function problemAsJson(
  p: Problem,
  textOf: (place: string) => { name: string; text: string } | undefined,
): object {
  const source = p.place === undefined ? undefined : textOf(p.place);
  const position = source && p.span ? lineColumn(source.text, p.span.start) : undefined;
  return {
    severity: p.severity,
    code: p.code,
    message: p.message,
    place: p.place ?? null,
    ...(position && { line: position.line, column: position.column }),
    ...(p.span && { span: p.span }),
  };
}

export function writeCsv(file: string, recording: Recording): boolean {
  try {
    writeFileSync(file, writeRecordingCsv(recording));
    return true;
  } catch (error) {
    complain(`zelvar: ${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`);
    return false;
  }
}

/** Names that are no columns; says so. */
export function unknownColumns(model: FlatModel, wanted: readonly string[] | undefined): string[] {
  if (!wanted) return [];
  const known = recordable(model);
  const missing = wanted.filter((w) => !known.includes(w));
  for (const name of missing) {
    const near = nearestName(name, known);
    complain(`zelvar: there is nothing named ${name} to record${near ? `; did you mean ${near}?` : ''}`);
  }
  return missing;
}

/** `path=value` pairs; undefined where one is not of that form. */
export function readSettings(settings: readonly string[]): { name: string; value: string }[] | undefined {
  const pairs = settings.map((text) => {
    const at = text.indexOf('=');
    return at <= 0 ? undefined : { name: text.slice(0, at).trim(), value: text.slice(at + 1).trim() };
  });
  const bad = pairs.findIndex((p) => !p || p.value === '');
  if (bad >= 0) {
    complain(`zelvar: --set needs path=value, not "${settings[bad]}"`);
    return undefined;
  }
  return pairs as { name: string; value: string }[];
}
