'use client';
import { useEffect, useState } from 'react';
import { followDocument } from '@/store/follow-document';
import { readHistory, runsAreKept } from '@/store/saving';
import { fromRecording } from '@/store/run-data';
import { closeProject as closeKept, openKept } from '@/store/opening';
import { fromHash, projectIn, usePlace } from '@/store/place-store';
import { remember, remembered } from '@/store/remember';
import { useProject } from '@/store/project-store';
import { useRuns, type RunView } from '@/store/run-store';
import { loadRuns, type StoredRun } from '@/store/storage';
import { CompareDialog } from './compare-dialog';
import { openFromList, openSample, samples } from './files';
import { Guarded } from './guarded';
import { Notice } from './notice';
import { StartScreen } from '../start/start-screen';
import { Workbench } from './workbench';

const lastKey = 'zelvar-last-project';

/** Start screen or workbench, and what lives as long as the page does. */
export function Shell() {
  const project = useProject((s) => s.project);
  const [ready, setReady] = useState(false);
  useEffect(() => followDocument(), []);
  useEffect(() => {
    usePlace.setState({
      theme: document.documentElement.getAttribute('data-bs-theme') === 'dark' ? 'dark' : 'light',
      ...fromHash(window.location.hash),
    });
    const follow = (): void => {
      const to = fromHash(window.location.hash);
      if (to) usePlace.setState(to);
      void followAddress();
    };
    window.addEventListener('popstate', follow);
    return () => window.removeEventListener('popstate', follow);
  }, []);
  useEffect(() => {
    void start().then(() => setReady(true));
  }, []);
  const id = project?.id;
  useEffect(() => {
    if (!ready) return;
    remember(lastKey, id);
    if (!id) return;
    readHistory(id);
    loadRuns(id)
      .then((kept) => {
        if (kept.length === 0 || useRuns.getState().current || useProject.getState().project?.id !== id) return;
        const [current, ...before] = kept.map(viewOf);
        runsAreKept(id, [...(current ? [current] : []), ...before]);
        useRuns.getState().restore(current, before);
      })
      .catch(() => undefined);
  }, [id, ready]);
  if (!ready) return null;
  return (
    <>
      <Guarded what="This page">{project ? <Workbench /> : <StartScreen />}</Guarded>
      <Notice />
      <CompareDialog />
    </>
  );
}

/** Opens what the address names, or what was open last. */
async function start(): Promise<void> {
  const wanted = projectIn(window.location.search);
  const id = wanted ?? remembered(lastKey);
  const isSample = samples.some((s) => s.id === wanted);
  if (!id) return;
  try {
    const kept = await openKept(id);
    if (kept === 'opened') return;
    if (isSample) return await openSample(id);
    if (kept) usePlace.getState().say(`The project was not opened, and stays as it is. ${kept.why}`);
    else if (wanted)
      usePlace.getState().say(`There is no project “${wanted}” in this browser: import its file, or open another one`);
  } catch {
    if (isSample) await openSample(id);
    usePlace
      .getState()
      .say(
        'The browser does not let Zelvar keep data here: export your project before you close the page',
        'problem',
        useProject.getState().project && 'export',
      );
  }
}

/** Back and forward may lead to another project, or to none. */
async function followAddress(): Promise<void> {
  const wanted = projectIn(window.location.search);
  if (wanted === (useProject.getState().project?.id ?? undefined)) return;
  if (wanted === undefined) return closeKept();
  await openFromList(wanted, 'The project');
}

function viewOf(run: StoredRun, k: number): RunView {
  const data = fromRecording(run.recording);
  const end = data.rows > 0 ? data.time[data.rows - 1] : 0;
  // numbers of kept runs must not meet those of new ones
  return {
    at: run.slot,
    model: { ...run.model, run: -1 - k },
    setup: run.setup,
    changes: run.changes,
    stop: end,
    data,
    status: 'finished',
    time: end,
    findings: run.findings,
    problem: undefined,
    counts: undefined,
    seconds: 0,
    stoppedAt: undefined,
    actions: run.actions ?? [],
    sequences: [],
  };
}
