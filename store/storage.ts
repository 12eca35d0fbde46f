import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import { migrate } from '@/core/project/migrate';
import type { Project } from '@/core/project/project';
import type { Recording, RecordingColumn } from '@/core/simulate/recording';
import type { RequirementFinding } from '@/core/run/run';
import type { RunBasis } from '@/core/run/basis';
import type { OutsideAction, RunModel } from '@/core/run/protocol';

/** What the browser keeps: projects as they change, and the newest runs of each. */
interface ZelvarDatabase extends DBSchema {
  projects: { key: string; value: { readonly project: Project; readonly changed: number } };
  runs: { key: [string, number]; value: StoredRun; indexes: { project: string } };
  /** What each finished run found, without its recording. */
  history: { key: number; value: HistoryEntry; indexes: { project: string } };
}

export interface HistoryEntry {
  readonly projectId: string;
  readonly at: number;
  readonly setup: string;
  readonly changes: string;
  /** Marks of the model and of the setup it ran with; missing in entries that were kept earlier. */
  readonly basis?: Pick<RunBasis, 'model' | 'setup'>;
  readonly findings: readonly HistoryFinding[];
}

export interface HistoryFinding {
  readonly id: string;
  readonly verdict: RequirementFinding['verdict'];
  readonly margin: number | undefined;
  readonly unit: string;
  readonly failsSince: number | undefined;
}

export interface StoredRun {
  readonly projectId: string;
  /** 0 is the newest run, 1 the one before. */
  readonly slot: number;
  readonly setup: string;
  readonly changes: string;
  readonly recording: Recording;
  /** What was done by hand; missing in runs that were kept earlier. */
  readonly actions?: readonly OutsideAction[];
  readonly findings: readonly RequirementFinding[];
  readonly model: RunModel;
}

let database: Promise<IDBPDatabase<ZelvarDatabase>> | undefined;

/** A browser that does not answer must not keep the application from starting. */
const patience = 4000;

function open(): Promise<IDBPDatabase<ZelvarDatabase>> {
  if (database) return database;
  const opening = openDB<ZelvarDatabase>('zelvar', 2, {
    upgrade(db, from) {
      if (from < 2) db.createObjectStore('history', { autoIncrement: true }).createIndex('project', 'projectId');
      if (from >= 1) return;
      db.createObjectStore('projects');
      db.createObjectStore('runs', { keyPath: ['projectId', 'slot'] }).createIndex('project', 'projectId');
    },
    blocking: () => void closeStorage(),
    terminated: () => (database = undefined),
  });
  let timer: ReturnType<typeof setTimeout>;
  const late = new Promise<never>(
    (_, reject) =>
      (timer = setTimeout(() => reject(new Error('The storage of the browser does not answer')), patience)),
  );
  const opened = Promise.race([opening, late]).finally(() => clearTimeout(timer));
  database = opened;
  // the next call tries again
  opened.catch(() => database === opened && (database = undefined));
  return opened;
}

export const saveProject = async (project: Project): Promise<void> =>
  void (await (await open()).put('projects', { project, changed: Date.now() }, project.id));

export async function loadProject(id: string): Promise<Project | undefined> {
  const kept = (await (await open()).get('projects', id))?.project;
  return kept && (migrate(kept) as Project);
}

export interface ProjectEntry {
  readonly id: string;
  readonly name: string;
  readonly note: string;
  readonly changed: number;
}

/** Kept projects, the one changed last first. */
export async function listProjects(): Promise<ProjectEntry[]> {
  const all = await (await open()).getAll('projects');
  return all
    .map(({ project, changed }) => ({ id: project.id, name: project.name, note: project.note, changed }))
    .sort((a, b) => b.changed - a.changed);
}

export async function deleteProject(id: string): Promise<void> {
  const db = await open();
  const transaction = db.transaction(['projects', 'runs', 'history'], 'readwrite');
  await transaction.objectStore('projects').delete(id);
  for (const key of await transaction.objectStore('history').index('project').getAllKeys(id))
    await transaction.objectStore('history').delete(key);
  for (const slot of [0, 1]) await transaction.objectStore('runs').delete([id, slot]);
  await transaction.done;
}

export async function saveRuns(runs: readonly StoredRun[]): Promise<void> {
  const db = await open();
  const transaction = db.transaction('runs', 'readwrite');
  for (const run of runs) await transaction.store.put(run);
  await transaction.done;
}

export const loadRuns = async (projectId: string): Promise<StoredRun[]> =>
  (await (await open()).getAllFromIndex('runs', 'project', projectId)).map(withConfigurations);

/** Runs kept before columns of charts held sets of states had texts there, with several states joined by " + ". */
function withConfigurations(run: StoredRun): StoredRun {
  const columns = run.recording.columns.map((c): RecordingColumn => {
    const chart = c.kind === 'literal' ? run.model.charts.find((x) => x.name === c.name) : undefined;
    if (!chart) return c;
    const configurations = c.literals.map((text) => text.split(' + ').map((path) => chart.states.indexOf(path)));
    return { ...c, kind: 'states', literals: chart.states, configurations };
  });
  return { ...run, recording: { ...run.recording, columns } };
}

const longestHistory = 200;

/** Keeps what a run found; the oldest entries of a project go when there are too many. */
export async function addHistory(entry: HistoryEntry): Promise<void> {
  const db = await open();
  const transaction = db.transaction('history', 'readwrite');
  await transaction.store.add(entry);
  const keys = await transaction.store.index('project').getAllKeys(entry.projectId);
  for (const key of keys.slice(0, Math.max(0, keys.length - longestHistory))) await transaction.store.delete(key);
  await transaction.done;
}

/** What earlier runs found, newest first. */
export const loadHistory = async (projectId: string): Promise<HistoryEntry[]> =>
  (await (await open()).getAllFromIndex('history', 'project', projectId)).sort((a, b) => b.at - a.at);

/** Forgets the open connection, so that tests can start over. */
export const closeStorage = async (): Promise<void> => {
  if (database) (await database).close();
  database = undefined;
};
