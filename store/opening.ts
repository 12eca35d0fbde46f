import { emptyHistory, type History } from './history';
import type { Project } from '@/core/project/project';
import type { SetAside } from '@/core/project/salvage';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { readBaselines } from './baseline-store';
import { forgetEvidence } from './evidence-store';
import { readOutcomes, stopCases } from './proof-store';
import { forgetRecord } from './record-store';
import { useRuns } from './run-store';
import { beginKeeping, endKeeping, keepNew } from './saving';
import { stopStrength } from './strength-store';
import { readAnswers, useStudies } from './study-store';
import { loadProject, putAside, rawRecord } from './storage';

/** Opening and closing: from what is kept in the browser, or something new that is kept from now on. */

/** What was worked out of the project before is given up. */
function leave(): void {
  useRuns.getState().clear();
  useStudies.getState().clear();
  stopCases();
  stopStrength();
  forgetEvidence();
  forgetRecord();
}

function show(project: Project, history: History): void {
  leave();
  useProject.getState().open(project, history);
  useRuns.getState().chooseSetup(project.setups[0]?.id ?? '');
  void readAnswers(project.id);
  void readOutcomes(project.id);
  void readBaselines(project.id);
}

/** Opens something that is not kept yet, and keeps it. */
export async function openNew(project: Project): Promise<void> {
  const kept = keepNew(project);
  show(project, emptyHistory);
  await kept;
}

/** Opens what the browser keeps under an id; why not, where it cannot be opened; undefined where nothing is kept. */
export async function openKept(id: string): Promise<'opened' | { readonly why: string } | undefined> {
  const kept = await loadProject(id);
  if (!kept) return undefined;
  if (kept.kind === 'refused') return { why: kept.why };
  const { project, setAside } = kept;
  if (setAside.length > 0)
    await putAside({ projectId: id, name: project.name, pieces: setAside, value: await rawRecord(id) });
  beginKeeping(id, kept.mark, kept.seq);
  show(project, kept.history);
  if (setAside.length > 0) usePlace.getState().say(asideWords(project.name, setAside), 'problem', 'aside');
  return 'opened';
}

const asideWords = (name: string, [first, ...more]: readonly SetAside[]): string =>
  `${name} was opened without what could not be read of its record: ${first.what} (${first.why})${more.length > 0 ? ` and ${more.length} more` : ''}. The record is set aside as it was; the start page lists it`;

export function closeProject(): void {
  leave();
  useProject.getState().close();
  endKeeping();
  // what was said of this project says nothing of the next
  usePlace.getState().silence();
}
