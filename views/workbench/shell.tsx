'use client';
import { X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { followDocument } from '@/store/follow-document';
import { readHistory } from '@/store/saving';
import { fromRecording } from '@/store/run-data';
import { fromHash, usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns, type RunView } from '@/store/run-store';
import { loadProject, loadRuns, type StoredRun } from '@/store/storage';
import { Button } from '@/ui/button';
import { openProject, openSample } from './files';
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
    };
    window.addEventListener('popstate', follow);
    return () => window.removeEventListener('popstate', follow);
  }, []);
  useEffect(() => {
    const start = async (): Promise<void> => {
      const wanted = new URLSearchParams(window.location.search).get('open');
      const id = wanted ?? window.localStorage.getItem(lastKey);
      try {
        const kept = id ? await loadProject(id) : undefined;
        if (kept) openProject(kept);
        else if (wanted) await openSample(wanted);
      } catch {
        usePlace
          .getState()
          .say('The browser does not let Zelvar keep data here: export your project before you close the page');
        if (wanted) await openSample(wanted);
      }
      setReady(true);
    };
    void start();
  }, []);
  const id = project?.id;
  useEffect(() => {
    if (!ready) return;
    if (id) window.localStorage.setItem(lastKey, id);
    else window.localStorage.removeItem(lastKey);
    if (!id) return;
    readHistory(id);
    loadRuns(id)
      .then((kept) => {
        if (kept.length === 0 || useRuns.getState().current || useProject.getState().project?.id !== id) return;
        const view = (slot: number): RunView | undefined => {
          const run = kept.find((r) => r.slot === slot);
          return run && viewOf(run);
        };
        useRuns.getState().restore(view(0), view(1));
      })
      .catch(() => undefined);
  }, [id, ready]);
  if (!ready) return null;
  return (
    <>
      {project ? <Workbench /> : <StartScreen />}
      <Notice />
    </>
  );
}

function viewOf(run: StoredRun): RunView {
  const data = fromRecording(run.recording);
  const end = data.rows > 0 ? data.time[data.rows - 1] : 0;
  // numbers of kept runs must not meet those of new ones
  return {
    model: { ...run.model, run: -1 - run.slot },
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

function Notice() {
  const notice = usePlace((s) => s.notice);
  const silence = usePlace((s) => s.silence);
  useEffect(() => {
    if (notice?.kind !== 'note') return;
    const timer = setTimeout(silence, 5000);
    return () => clearTimeout(timer);
  }, [notice, silence]);
  if (!notice) return null;
  return (
    <div className={`notice ${notice.kind}`} role={notice.kind === 'problem' ? 'alert' : 'status'} data-testid="notice">
      <span>{notice.text}</span>
      <Button variant="bare" label="Close this message" onClick={silence}>
        <X size={14} aria-hidden />
      </Button>
    </div>
  );
}
