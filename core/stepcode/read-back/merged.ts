import { diff3Merge } from 'node-diff3';
import type { CComplaint } from './c-tree';

/**
 * An edited C where the model has gone on since it was written: what somebody has changed since, put into what is written now. Where both have changed the same
 * lines, those of the edit stand, and it is told.
 */
export function mergedEdit(
  written: string,
  edited: string,
  now: string,
): { readonly text: string; readonly complaints: readonly CComplaint[] } {
  if (written === now) return { text: edited, complaints: [] };
  const lines = (text: string): string[] => text.replace(/\r\n?/g, '\n').split('\n');
  const found: string[] = [];
  const complaints: CComplaint[] = [];
  for (const { ok, conflict } of diff3Merge(lines(edited), lines(written), lines(now), {
    excludeFalseConflicts: true,
  })) {
    if (ok) found.push(...ok);
    if (!conflict) continue;
    complaints.push({
      line: found.length + 1,
      message: `The model has changed here as well since this was written; it says: ${said(conflict.b)}`,
    });
    found.push(...conflict.a);
  }
  return { text: found.join('\n'), complaints };
}

const said = (lines: readonly string[]): string => {
  const text = lines
    .map((l) => l.trim())
    .join(' ')
    .trim();
  return text === '' ? 'nothing' : text.length > 120 ? `${text.slice(0, 117)}…` : text;
};
