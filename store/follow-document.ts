import { checkNow } from './checking';
import { useProject } from './project-store';
import { endReplicas, replicate, startReplicas } from './replicas';
import { useRuns } from './run-store';
import { isUnsaved, keepNow, keepRuns, saveNow } from './saving';
import { usePlace } from './place-store';
import { keepForNextTime } from './typing';
import { joinTabs, leaveTabs, tellTabs } from './tabs';

/** A change is in the document of the browser after this long, however fast more of them come. */
const latest = 1000;
/** Documents beyond this many entries are checked and saved when typing pauses. */
const large = 4000;

/** Starts the workers, and everything that reacts to the document: it is handed on, checked and saved. The returned function ends them. */
export function followDocument(): () => void {
  startReplicas();
  let checkTimer: ReturnType<typeof setTimeout> | undefined;
  let saveTimer: ReturnType<typeof setTimeout> | undefined;
  /** Since when something waits to be saved. */
  let waitsSince: number | undefined;
  const save = (): void => {
    waitsSince = undefined;
    void saveNow();
  };
  const unsubscribe = useProject.subscribe((state, before) => {
    if (state.project?.id !== before.project?.id) enter(state.project?.id);
    if (state.project === before.project || !state.project) return;
    replicate(state.project, state.version, state.change?.patches, before.version);
    if (before.project?.id === state.project.id) {
      if (state.change && !state.following) keepNow(state.change);
      tellTabs(state.change, state.project);
      const { current } = useRuns.getState();
      useRuns.getState().rename(before.project, state.project);
      // kept runs have the names of the kept project
      if (useRuns.getState().current !== current) keepRuns(state.project.id);
    }
    const isLarge = state.project.requirements.length + state.project.traces.length > large;
    clearTimeout(checkTimer);
    checkTimer = setTimeout(() => void checkNow(), isLarge ? 700 : 60);
    clearTimeout(saveTimer);
    waitsSince ??= Date.now();
    const patience = isLarge ? 2000 : 250;
    saveTimer = setTimeout(save, Math.min(patience, Math.max(0, waitsSince + latest - Date.now())));
  });
  const leaving = (): void => {
    // what is being typed is taken over, as when the field is left
    keepForNextTime();
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    void saveNow();
  };
  const asks = (e: BeforeUnloadEvent): void => {
    if (isUnsaved()) e.preventDefault();
  };
  window.addEventListener('pagehide', leaving);
  window.addEventListener('beforeunload', asks);
  const { project: present, version } = useProject.getState();
  if (present) {
    replicate(present, version, undefined, -1);
    enter(present.id);
    void checkNow();
  }
  return () => {
    unsubscribe();
    clearTimeout(checkTimer);
    clearTimeout(saveTimer);
    window.removeEventListener('pagehide', leaving);
    window.removeEventListener('beforeunload', asks);
    leaveTabs();
    endReplicas();
  };
}

/** Another project is open, or none. */
function enter(id: string | undefined): void {
  usePlace.getState().enter(id ?? '');
  if (id === undefined) leaveTabs();
  else void joinTabs(id);
}
