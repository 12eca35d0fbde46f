import * as Comlink from 'comlink';
import type { Patch } from 'immer';
import type { Engine } from '@/core/run/protocol';
import type { Project } from '@/core/project/project';
import { useProject } from './project-store';

/**
 * The workers that compute: one runs, one checks, so that neither waits for the other. Each holds a replica of the document: it gets the
 * document once and then its changes, in the order in which they are posted.
 */
interface Replica {
  readonly worker: Worker;
  readonly engine: Comlink.Remote<Engine>;
  /** Comes once it has been ended. */
  readonly ended: Promise<undefined>;
  end(): void;
}

type Kind = 'running' | 'checking';
let replicas: Record<Kind, Replica> | undefined;

/** The engine that runs, and the one that checks; undefined before the start. */
export const runner = (): Comlink.Remote<Engine> | undefined => replicas?.running.engine;
export const checker = (): Comlink.Remote<Engine> | undefined => replicas?.checking.engine;

function makeReplica(): Replica {
  const worker = new Worker(new URL('../workers/engine.worker.ts', import.meta.url), { type: 'module' });
  const engine = Comlink.wrap<Engine>(worker);
  let tell: (nothing: undefined) => void;
  const ended = new Promise<undefined>((resolve) => (tell = resolve));
  return {
    worker,
    engine,
    ended,
    end() {
      engine[Comlink.releaseProxy]();
      worker.terminate();
      tell(undefined);
    },
  };
}

/** What a worker answers; undefined where it is ended before it does. */
export async function answerOf<T>(
  kind: Kind,
  ask: (engine: Comlink.Remote<Engine>) => Promise<T>,
): Promise<T | undefined> {
  const replica = replicas?.[kind];
  return replica && Promise.race([ask(replica.engine), replica.ended]);
}

/** Ends a worker, whatever it is doing, and puts another one in its place. */
export function restart(kind: Kind): void {
  if (!replicas) return;
  replicas[kind].end();
  replicas[kind] = makeReplica();
  const { project, version } = useProject.getState();
  if (project) void replicas[kind].engine.open(project, version);
}

export function startReplicas(): void {
  replicas = { running: makeReplica(), checking: makeReplica() };
}

export function endReplicas(): void {
  replicas?.running.end();
  replicas?.checking.end();
  replicas = undefined;
}

/** Hands on a state of the document: as the change from the one before, or as a whole. */
export function replicate(
  project: Project,
  version: number,
  change: readonly Patch[] | undefined,
  before: number,
): void {
  for (const engine of [runner(), checker()]) {
    if (!engine) continue;
    if (change === undefined) void engine.open(project, version);
    else
      void engine.follow(change, before, version).then((followed) => {
        const now = useProject.getState();
        if (!followed && now.project) return engine.open(now.project, now.version);
      });
  }
}
