import { checkNow } from './checking';
import { useProject } from './project-store';
import { endReplicas, replicate, startReplicas } from './replicas';
import { useRuns } from './run-store';
import { keepRuns, saveNow } from './saving';

/** Documents beyond this many entries are checked and saved when typing pauses. */
const large = 4000;

/** Starts the workers, and everything that reacts to the document: it is handed on, checked and saved. The returned function ends them. */
export function followDocument(): () => void {
  startReplicas();
  let checkTimer: ReturnType<typeof setTimeout> | undefined;
  let saveTimer: ReturnType<typeof setTimeout> | undefined;
  const unsubscribe = useProject.subscribe((state, before) => {
    if (state.project === before.project || !state.project) return;
    replicate(state.project, state.version, state.change, before.version);
    if (before.project?.id === state.project.id) {
      const { current } = useRuns.getState();
      useRuns.getState().rename(before.project, state.project);
      // kept runs have the names of the kept project
      if (useRuns.getState().current !== current) keepRuns(state.project.id);
    }
    const isLarge = state.project.requirements.length + state.project.traces.length > large;
    clearTimeout(checkTimer);
    checkTimer = setTimeout(() => void checkNow(), isLarge ? 700 : 60);
    clearTimeout(saveTimer);
    saveTimer = setTimeout(() => void saveNow(), isLarge ? 2000 : 250);
  });
  const leaving = (): void => void saveNow();
  window.addEventListener('pagehide', leaving);
  const { project: present, version } = useProject.getState();
  if (present) {
    replicate(present, version, undefined, -1);
    void checkNow();
  }
  return () => {
    unsubscribe();
    clearTimeout(checkTimer);
    clearTimeout(saveTimer);
    window.removeEventListener('pagehide', leaving);
    endReplicas();
  };
}
