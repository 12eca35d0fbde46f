import { enablePatches } from 'immer';
import { readProjectData } from '@/core/formats/project-file';
import { redoEdit } from '@/core/editing/edits';
import { projectFormat, projectVersion } from '@/core/project/document';
import { migrate } from '@/core/project/migrate';
import type { Project } from '@/core/project/project';
import { salvage, type SetAside } from '@/core/project/salvage';
import { after, emptyHistory, type Change, type History } from './history';

enablePatches();

/** Records are data from outside: another version wrote them, or they were cut short. Only this file looks inside. */
export interface ProjectRecord {
  readonly project: Project;
  readonly changed: number;
  /** Says which state of the record it is; missing in records that were kept earlier. */
  readonly mark?: string;
  /** The last change of the journal that is in it. */
  readonly seq?: number;
}

export interface JournalEntry {
  readonly projectId: string;
  readonly seq: number;
  /** Version of the format the change belongs to. */
  readonly version: number;
  readonly change: Change;
}

/** What a record of the browser says: data from outside, read like a file. */
export type ReadRecord =
  | {
      readonly kind: 'opened';
      readonly project: Project;
      readonly history: History;
      readonly mark: string | undefined;
      /** The last change that is in it. */
      readonly seq: number;
      /** What could not be read of it. */
      readonly setAside: readonly SetAside[];
    }
  /** Nothing of it is opened, and nothing is written over it. */
  | { readonly kind: 'refused'; readonly why: string };

/** `changes` are the entries of the journal, in order. Those after the record happened before a crash, and are made up for. */
export function readRecord(id: string, record: unknown, changes: readonly unknown[]): ReadRecord {
  const { project: data, mark, seq = 0 } = (record ?? {}) as Partial<ProjectRecord>;
  const head = data as Partial<Project> | undefined;
  if (typeof head !== 'object' || head === null)
    return { kind: 'refused', why: 'Its record in the browser is damaged: there is no project in it' };
  const entries = lastInRow(changes.filter((c): c is JournalEntry => isEntry(c, head.version)));
  const common = { mark: typeof mark === 'string' ? mark : undefined };
  const replayed = replay(head, typeof seq === 'number' ? seq : 0, entries);
  const read = readProjectData(replayed.data);
  if (read.value) {
    const { history, seq: last } = replayed;
    return {
      kind: 'opened',
      ...common,
      project: { ...read.value, id },
      // steps belong to the form of the document they were made in
      history: head.version === projectVersion ? history : emptyHistory,
      seq: last,
      setAside: [],
    };
  }
  // without what happened since, the record itself may be good
  if (replayed.data !== head) return readRecord(id, record, []);
  const version: unknown = head.version;
  if (
    head.format !== projectFormat ||
    !Number.isInteger(version) ||
    Number(version) > projectVersion ||
    Number(version) < 1
  )
    return { kind: 'refused', why: read.problems.map((p) => p.message).join('. ') };
  try {
    const saved = salvage(migrate(head) as Readonly<Record<string, unknown>>, id);
    return { kind: 'opened', ...common, ...saved, history: emptyHistory, seq: replayed.seq };
  } catch {
    return { kind: 'refused', why: read.problems.map((p) => p.message).join('. ') };
  }
}

function isEntry(entry: unknown, version: number | undefined): boolean {
  const { seq, version: own, change } = (entry ?? {}) as Partial<JournalEntry>;
  const { kind, patches, inverse, at } = (change ?? {}) as Partial<
    Record<'kind' | 'patches' | 'inverse' | 'at', unknown>
  >;
  return (
    Number.isSafeInteger(seq) &&
    own === version &&
    Array.isArray(patches) &&
    typeof at === 'number' &&
    (kind === 'undo' || kind === 'redo' || (kind === 'do' && Array.isArray(inverse)))
  );
}

/** The newest entries that follow one another without a gap. */
function lastInRow(entries: readonly JournalEntry[]): readonly JournalEntry[] {
  let first = entries.length - 1;
  while (first > 0 && entries[first - 1].seq === entries[first].seq - 1) first--;
  return entries.slice(Math.max(0, first));
}

/** What the journal adds to a record: what happened since, and what can be undone. */
function replay(
  data: Partial<Project>,
  seq: number,
  entries: readonly JournalEntry[],
): { readonly data: Partial<Project>; readonly history: History; readonly seq: number } {
  const reaches = entries.length > 0 && entries[0].seq <= seq + 1 && entries.at(-1)!.seq >= seq;
  if (!reaches) return { data, history: emptyHistory, seq: Math.max(seq, entries.at(-1)?.seq ?? 0) };
  try {
    const since = entries.filter((e) => e.seq > seq).flatMap((e) => e.change.patches);
    return {
      data: since.length > 0 ? redoEdit(data as Project, since) : data,
      history: entries.reduce((h, e): History => after(h, e.change as Change), emptyHistory),
      seq: entries.at(-1)!.seq,
    };
  } catch {
    return { data, history: emptyHistory, seq: entries.at(-1)!.seq };
  }
}
