import 'fake-indexeddb/auto';
import { emptyProject } from '@/core/project/project';
import { tubeCapper } from '@/samples/tube-capper';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { runHere } from '@/store/testing';
import { openNew } from '@/store/opening';
import { closeProject } from './files';

test('closing a project takes its run, its steps to undo and what was said of it along', async () => {
  await runHere(tubeCapper, 'Careful');
  useProject.getState().edit({ kind: 'project', changes: { note: 'other' } }, 'Change the note');
  usePlace.getState().say('Something about the capper');
  closeProject();
  expect(useProject.getState()).toMatchObject({ project: undefined, undoSteps: [] });
  expect(useRuns.getState().current).toBeUndefined();
  expect(usePlace.getState().notice).toBeUndefined();
  await openNew(emptyProject('p', 'Next'));
  expect(useProject.getState().project?.name).toBe('Next');
  expect(useRuns.getState().setupId).toBe('');
});
