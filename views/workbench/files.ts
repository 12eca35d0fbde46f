import { nanoid } from 'nanoid';
import type { Problem } from '@/core/language/diagnostics';
import { readProjectFile, writeProjectFile } from '@/core/formats/project-file';
import { readRecordingCsv, writeRecordingCsv } from '@/core/formats/recording-csv';
import { exportModelica } from '@/core/formats/modelica-export';
import { importModelica } from '@/core/formats/modelica-import';
import { emptyProject, newSetup, newType, type Project } from '@/core/project/project';
import type { Recording } from '@/core/simulate/recording';
import { keepRuns } from '@/store/saving';
import { fromRecording, toRecording } from '@/store/run-data';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { closeProject as closeKept, openKept, openNew } from '@/store/opening';
import { listAside, loadProject, rawRecord, type AsideRecord } from '@/store/storage';
import { download, fileName } from '@/ui/download';

/** Opening, importing and exporting. Nothing is replaced before the new thing has been read completely. */

/** Projects that ship with the application. */
export const samples = [
  {
    id: 'tube-capper',
    name: 'Tube capper',
    note: 'A whole machine: mechanics, electronics, software, operator, 16 requirements',
    load: () => import('@/samples/tube-capper.zelvar.json'),
  },
  {
    id: 'heated-block',
    name: 'Heated sample block',
    note: 'Two thermal masses under PI control: settling and overshoot',
    load: () => import('@/samples/heated-block.zelvar.json'),
  },
  {
    id: 'rinse-unit',
    name: 'Rinse unit',
    note: 'Two tanks, a pump and a quick valve; relations solved in any direction',
    load: () => import('@/samples/rinse-unit.zelvar.json'),
  },
  {
    id: 'balance-arm',
    name: 'Balance arm',
    note: 'An arm of n tapered segments: mass, inertia and motion change with n',
    load: () => import('@/samples/balance-arm.zelvar.json'),
  },
  {
    id: 'is-it-linear',
    name: 'Is it linear?',
    note: 'Three boxes: one is linear, one has an offset, one a limit; each is asked what it is',
    load: () => import('@/samples/is-it-linear.zelvar.json'),
  },
] as const;

/** Opens a sample: as it was left in this browser, or fresh. */
export async function openSample(id: string): Promise<void> {
  const sample = samples.find((s) => s.id === id);
  if (!sample) return;
  const { default: text } = await sample.load();
  const project = text as unknown as Project;
  const kept = await openKept(project.id).catch(() => undefined);
  if (kept === undefined) await openNew(project);
  // what cannot be opened stays as it is: the sample stands beside it
  else if (kept !== 'opened') await openNew(copyOf(project, ' (fresh)'));
  if (!window.location.hash) usePlace.getState().go({ area: 'bench', part: '', type: '' });
}

/** The same under an id of its own. */
const copyOf = (project: Project, suffix: string): Project => ({
  ...project,
  id: `${project.id.slice(0, 50)}-${Date.now().toString(36)}`,
  name: `${project.name.slice(0, 180)}${suffix}`,
});

/** Opens what is kept in this browser; what cannot be opened is said, and stays as it is. */
export async function openFromList(id: string, name: string): Promise<void> {
  const { say } = usePlace.getState();
  try {
    const kept = await openKept(id);
    if (kept === undefined) say(`${name} is no longer kept in this browser`);
    else if (kept !== 'opened') say(`${name} was not opened, and stays as it is. ${kept.why}`);
  } catch {
    say(`The storage of the browser does not answer: ${name} could not be opened`);
  }
}

export function closeProject(): void {
  closeKept();
  window.history.pushState(null, '', window.location.pathname);
}

const explain = (name: string, problems: readonly Problem[]): string =>
  `${name} was not opened. ${problems
    .slice(0, 3)
    .map((p) => p.message)
    .join('. ')}${problems.length > 3 ? ` (and ${problems.length - 3} more)` : ''}`;

/** Reads a project file or a recording, whichever it is. */
export async function importFile(file: File): Promise<void> {
  const { say } = usePlace.getState();
  if (/\.csv$/i.test(file.name)) return importRecording(file);
  if (/\.mo$/i.test(file.name)) return importModels(file);
  if (file.size > 200_000_000) return say(`${file.name} is too large: project files of up to 200 MB are read`);
  const { value, problems } = readProjectFile(new Uint8Array(await file.arrayBuffer()));
  if (!value) return say(explain(file.name, problems));
  const kept = await loadProject(value.id).catch(() => undefined);
  if (kept?.kind === 'opened' && JSON.stringify(kept.project) === JSON.stringify(value)) await openKept(value.id);
  // a project with the same id stays untouched: the imported one becomes a copy beside it
  else await openNew(kept ? copyOf(value, ' (imported)') : value);
  usePlace.getState().go({ area: 'product', part: '', type: '' });
  if (problems.length > 0) say(`${file.name} was opened. ${problems.map((p) => p.message).join('. ')}`, 'note');
}

/** Models become part types of the open project, or of one of their own. */
async function importModels(file: File): Promise<void> {
  const { say, go } = usePlace.getState();
  const text = await file.text();
  const read = importModelica(text, file.name, () => nanoid(8));
  if (read.types.length === 0 && !read.library)
    return say(
      `${file.name} was not imported. ${read.problems[0] ? `${placeIn(text, read.problems[0])}: ${read.problems[0].message}` : 'There is no class in it'}`,
    );
  const { project, edit } = useProject.getState();
  if (!project) {
    const made: Project = {
      ...emptyProject(`p-${nanoid(10)}`, file.name.replace(/\.mo$/i, '')),
      root: read.root,
      types: read.types,
      libraries: read.library ? [read.library] : [],
      setups: read.setups.length > 0 ? read.setups : [newSetup(`u-${nanoid(8)}`, 'Run')],
    };
    await openNew(made);
  } else {
    const refused = edit(
      {
        kind: 'batch',
        label: `Import ${file.name}`,
        edits: [
          ...(read.library ? [{ kind: 'insert' as const, list: 'library', entry: read.library }] : []),
          { kind: 'insert-all', list: 'type', entries: read.types },
          { kind: 'insert-all', list: 'setup', entries: read.setups },
        ],
      },
      `Import ${file.name}`,
    );
    if (refused) return say(`${file.name} was not imported: ${refused.message}`);
  }
  go({ area: 'physics', part: '', type: read.root });
  const errors = read.problems.filter((p) => p.severity === 'error');
  const what = `${file.name}: ${read.types.length} part type${read.types.length === 1 ? '' : 's'}${read.library ? ', and a text of shared classes' : ''}`;
  say(
    errors.length > 0
      ? `${what}. Not understood: ${errors
          .slice(0, 3)
          .map((p) => `${placeIn(text, p)}: ${p.message}`)
          .join('. ')}${errors.length > 3 ? ` (and ${errors.length - 3} more)` : ''}`
      : what,
    errors.length > 0 ? 'problem' : 'note',
  );
}

const placeIn = (text: string, p: Problem): string => {
  const lines = text.slice(0, p.span?.start ?? 0).split('\n');
  return `line ${lines.length}, column ${lines.at(-1)!.length + 1}`;
};

export function exportModels(): void {
  const { project } = useProject.getState();
  if (!project) return;
  const { text, remarks } = exportModelica(project);
  download(`${fileName(project.name)}.mo`, 'text/plain', text);
  if (remarks.length > 0)
    usePlace
      .getState()
      .say(
        `The file holds the physics. Not in it: ${remarks.slice(0, 4).join('; ')}${remarks.length > 4 ? ` and ${remarks.length - 4} more` : ''}`,
        'note',
      );
}

async function importRecording(file: File): Promise<void> {
  const { say } = usePlace.getState();
  const { value, problems } = readRecordingCsv(await file.text());
  if (!value) return say(explain(file.name, problems));
  if (!useProject.getState().project) await openForRecording(file.name.replace(/\.csv$/i, ''), value);
  const data = fromRecording(value);
  const end = data.rows > 0 ? data.time[data.rows - 1] : 0;
  const view = {
    model: {
      run: -Date.now(),
      parameters: {},
      parts: [],
      partTypes: [],
      charts: [],
      units: Object.fromEntries([...data.columns.values()].map((c) => [c.name, c.unit])),
      settable: [],
      shapes: [],
    },
    at: Date.now(),
    setup: file.name,
    changes: '',
    stop: end,
    data,
    status: 'finished' as const,
    time: end,
    findings: [],
    problem: undefined,
    counts: undefined,
    seconds: 0,
    stoppedAt: undefined,
    actions: [],
    sequences: [],
  };
  const { current, kept, restore } = useRuns.getState();
  if (current) restore(current, [view, ...kept]);
  else restore(view, []);
  const { project } = useProject.getState();
  if (project) keepRuns(project.id);
  const note = `${file.name}: ${value.rows} rows${current ? ', shown as the earlier run' : ''}`;
  say(
    problems.length > 0
      ? `${note}. ${problems
          .slice(0, 3)
          .map((p) => p.message)
          .join('. ')}`
      : note,
    problems.length > 0 ? 'problem' : 'note',
  );
}

/** A recording without a project gets one of its own, with its first columns in the ribbon. */
async function openForRecording(name: string, recording: Recording): Promise<void> {
  const root = newType('t-product', 'Product');
  const curves = recording.columns.filter((c) => c.kind === 'real').slice(0, 4);
  const lanes = recording.columns.filter((c) => c.kind !== 'real').slice(0, 3);
  const project: Project = {
    ...emptyProject(`p-${nanoid(10)}`, name),
    root: root.id,
    types: [root],
    tracks: [...curves, ...lanes].map((c, k) => ({ id: `k-${k + 1}`, items: [c.name], height: 90 })),
  };
  await openNew(project);
  usePlace.getState().go({ area: 'product', part: '', type: '' });
}

export function exportProject(): void {
  const { project } = useProject.getState();
  if (!project) return;
  const bytes = writeProjectFile(project);
  download(`${fileName(project.name)}.zelvar`, 'application/zip', bytes as BlobPart);
  // nobody should find out later
  const { value, problems } = readProjectFile(bytes);
  if (!value)
    usePlace.getState().say(`The file holds everything, but could not be opened again: ${problems[0].message}`);
}

/** What the browser keeps of a project, as its file; as it is, where that cannot be. */
export async function exportKept(id: string): Promise<void> {
  const kept = await loadProject(id).catch(() => undefined);
  if (kept?.kind === 'opened' && kept.setAside.length === 0)
    return download(
      `${fileName(kept.project.name)}.zelvar`,
      'application/zip',
      writeProjectFile(kept.project) as BlobPart,
    );
  download(`${fileName(id)}-record.json`, 'application/json', recordText(await rawRecord(id)));
}

export async function exportAside(record?: AsideRecord): Promise<void> {
  const { project } = useProject.getState();
  const found = record ?? (await listAside()).find((a) => a.projectId === project?.id);
  if (found)
    download(
      `${fileName(found.name)}-set-aside.json`,
      'application/json',
      recordText({ pieces: found.pieces, value: found.value }),
    );
}

const recordText = (value: unknown): string => JSON.stringify(value ?? null, null, 1);

export function exportRecording(): void {
  const { project } = useProject.getState();
  const { current } = useRuns.getState();
  if (!current || current.data.rows === 0)
    return usePlace.getState().say('There is no recording yet: run a setup first', 'note');
  // what is only there to be seen is not what was measured
  const recording = toRecording(current.data);
  const shapes = current.model.shapes ?? [];
  download(
    `${fileName(project?.name ?? 'run')}-${fileName(current.setup)}.csv`,
    'text/csv',
    writeRecordingCsv({
      ...recording,
      columns: recording.columns.filter((c) => !shapes.some((s) => c.name.startsWith(`${s.part}.`))),
    }),
  );
}
