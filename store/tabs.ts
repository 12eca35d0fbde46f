import { redoEdit } from '@/core/editing/edits';
import type { Project } from '@/core/project/project';
import type { Change } from './history';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { beginKeeping, keptMark, keptSeq, saveNow } from './saving';
import { loadProject, markOf } from './storage';

/**
 * One project in several tabs: one of them writes, the others follow it live and can take over. Who holds the lock of the
 * project writes; what happens goes to the others over a channel. A browser without locks has only the marks of the records
 * (see storage.ts), which keep both versions where two have written.
 */
type Message =
  /** What does the document look like? */
  | { readonly kind: 'ask' }
  | { readonly kind: 'document'; readonly project: Project; readonly seq: number }
  | { readonly kind: 'change'; readonly change: Change; readonly seq: number }
  /** Somebody wants to write. */
  | { readonly kind: 'give' };

interface Membership {
  readonly id: string;
  readonly channel: BroadcastChannel | undefined;
  /** Lets the lock go; undefined while it is not held. */
  release: (() => void) | undefined;
  /** Ends waiting for the lock. */
  waiting: AbortController | undefined;
  /** Number of the last change that was followed. */
  seq: number;
}

let here: Membership | undefined;

const lockName = (id: string): string => `zelvar/${id}`;
const locks = (): LockManager | undefined => (typeof navigator === 'undefined' ? undefined : navigator.locks);

/** A writer that does not answer for this long is asleep: its lock is taken from it. */
const patience = 1500;

/** The tab takes part in a project: it writes if nobody does, and follows otherwise. */
export async function joinTabs(id: string): Promise<void> {
  leaveTabs();
  const me: Membership = {
    id,
    channel: typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel(lockName(id)),
    release: undefined,
    waiting: undefined,
    seq: keptSeq(),
  };
  here = me;
  me.channel?.addEventListener('message', (e: MessageEvent<Message>) => hear(me, e.data));
  useProject.getState().setFollowing(false);
  if (!locks()) return;
  if (await hold(me, { ifAvailable: true })) return write(me);
  if (here === me) read(me);
}

export function leaveTabs(): void {
  if (!here) return;
  here.waiting?.abort();
  here.release?.();
  here.channel?.close();
  here = undefined;
}

/** Waits for the lock and keeps it until it is let go; false where it cannot be had. */
function hold(me: Membership, options: LockOptions): Promise<boolean> {
  return new Promise((resolve) => {
    locks()!
      .request(lockName(me.id), options, (lock) => {
        if (!lock || here !== me) return resolve(false);
        resolve(true);
        return new Promise<void>((release) => (me.release = release));
      })
      .catch(() => {
        resolve(false);
        // taken away while this tab was asleep
        if (me.release && here === me) {
          me.release = undefined;
          void saveNow().then(() => here === me && read(me));
        }
      });
  });
}

/** This tab follows, until the one that writes is closed. */
function read(me: Membership): void {
  useProject.getState().setFollowing(true);
  tell(me, { kind: 'ask' });
  waitForLock(me);
}

function waitForLock(me: Membership): void {
  me.waiting?.abort();
  const waiting = new AbortController();
  me.waiting = waiting;
  void hold(me, { signal: waiting.signal }).then((held) => {
    if (held && here === me) void write(me);
  });
}

/** This tab writes from now on, from what is kept. */
async function write(me: Membership): Promise<void> {
  me.waiting = undefined;
  try {
    const mark = await markOf(me.id);
    if (here !== me) return;
    if (mark !== keptMark() || useProject.getState().following) {
      const kept = await loadProject(me.id);
      if (here !== me) return;
      if (kept?.kind === 'opened') {
        beginKeeping(me.id, kept.mark, kept.seq);
        useProject.getState().follow(kept.project, { history: kept.history });
      }
    }
  } catch {
    // what is here is as good as what is kept
  }
  useProject.getState().setFollowing(false);
  const { project } = useProject.getState();
  if (project?.id === me.id) tell(me, { kind: 'document', project, seq: keptSeq() });
}

const tell = (me: Membership, message: Message): void => me.channel?.postMessage(message);

/** What happens to the document goes to the tabs that follow. */
export function tellTabs(change: Change | undefined, project: Project): void {
  if (!here || here.id !== project.id || useProject.getState().following) return;
  tell(here, change ? { kind: 'change', change, seq: keptSeq() } : { kind: 'document', project, seq: keptSeq() });
}

function hear(me: Membership, message: Message): void {
  const { project, following, follow } = useProject.getState();
  if (here !== me || project?.id !== me.id) return;
  if (!following) {
    if (message.kind === 'ask') tell(me, { kind: 'document', project, seq: keptSeq() });
    else if (message.kind === 'give') void give(me);
    return;
  }
  switch (message.kind) {
    case 'document':
      me.seq = message.seq;
      return follow(message.project);
    case 'change': {
      const next = message.seq === me.seq + 1 ? tried(project, message.change) : undefined;
      if (!next) return tell(me, { kind: 'ask' });
      me.seq = message.seq;
      return follow(next, { change: message.change });
    }
    case 'give':
      // who asked comes before those that only wait
      me.waiting?.abort();
      setTimeout(() => here === me && useProject.getState().following && waitForLock(me), patience);
  }
}

function tried(project: Project, change: Change): Project | undefined {
  try {
    return redoEdit(project, change.patches);
  } catch {
    return undefined;
  }
}

async function give(me: Membership): Promise<void> {
  await saveNow();
  if (here !== me || !me.release) return;
  useProject.getState().setFollowing(true);
  me.release();
  me.release = undefined;
  me.seq = -1;
  usePlace.getState().say('Another tab edits this project now; this one follows it', 'note');
  setTimeout(() => here === me && useProject.getState().following && waitForLock(me), patience);
}

/** This tab goes on with the project, and the one that wrote follows. */
export async function takeOver(): Promise<void> {
  const me = here;
  if (!me || !useProject.getState().following) return;
  tell(me, { kind: 'give' });
  if (!me.waiting || me.waiting.signal.aborted) waitForLock(me);
  await new Promise((resolve) => setTimeout(resolve, patience));
  if (here !== me || me.release || !useProject.getState().following) return;
  me.waiting?.abort();
  if (await hold(me, { steal: true })) await write(me);
}

/** Whether some tab has a project open. */
export const isOpenSomewhere = async (id: string): Promise<boolean> =>
  ((await locks()?.query())?.held ?? []).some((l) => l.name === lockName(id));
