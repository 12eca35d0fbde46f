import { toRecording } from './run-data';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { useRuns, type RunView } from './run-store';
import { addHistory, loadHistory, saveProject, saveRuns, type HistoryEntry } from './storage';

/** What is kept in the browser: the document, the newest runs, and what runs have found. */

export async function saveNow(): Promise<void> {
  const { project } = useProject.getState();
  if (!project) return;
  try {
    await saveProject(project);
    if (useProject.getState().project === project) useProject.getState().setSaved('saved');
  } catch {
    useProject.getState().setSaved('failed');
  }
}

/** Writes down what a run found, and with what it ran; not where another one has begun meanwhile. */
export function noteRun(projectId: string, run: number): void {
  const { current, history, setHistory } = useRuns.getState();
  if (current?.model.run !== run) return;
  const entry: HistoryEntry = {
    projectId,
    at: Date.now(),
    setup: current.setup,
    changes: current.changes,
    ...(current.model.basis && { basis: { model: current.model.basis.model, setup: current.model.basis.setup } }),
    findings: current.findings.map(({ id, verdict, margin, unit, failsSince }) => ({
      id,
      verdict,
      margin,
      unit,
      failsSince,
    })),
  };
  setHistory([entry, ...history].slice(0, 200));
  addHistory(entry).catch(() => undefined);
}

export const readHistory = (projectId: string): void =>
  void loadHistory(projectId)
    .then((h) => useRuns.getState().setHistory(h))
    .catch(() => undefined);

/** Keeps the newest run and the one before in the browser. */
export function keepRuns(projectId: string): void {
  const { current, earlier } = useRuns.getState();
  const stored = (run: RunView | undefined, slot: number) =>
    run && run.data.rows > 0
      ? [
          {
            projectId,
            slot,
            setup: run.setup,
            changes: run.changes,
            recording: toRecording(run.data),
            actions: run.actions,
            findings: run.findings,
            model: run.model,
          },
        ]
      : [];
  saveRuns([...stored(current, 0), ...stored(earlier, 1)]).catch(() =>
    usePlace.getState().say('The run could not be kept in the browser: there may be no room left'),
  );
}
