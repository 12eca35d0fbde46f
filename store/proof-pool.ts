import * as Comlink from 'comlink';
import type { BuiltSteps } from '@/core/boards/built-steps';
import type { Project } from '@/core/project/project';
import type { ProofService } from '@/workers/proof.worker';

export type { ProofService };

export const newProofWorker = (): Worker =>
  new Worker(new URL('../workers/proof.worker.ts', import.meta.url), { type: 'module' });

const mostWorkers = 4;

/** Threads that have a project open and share work. */
export interface ProofPool {
  /** Each piece is taken by the thread that is free first. Ends when all is done, or with the error of a thread that has ended. */
  work<T>(items: readonly T[], each: (service: Comlink.Remote<ProofService>, item: T) => Promise<void>): Promise<void>;
  /** What is under way is given up. */
  stop(): void;
}

/** `pieces`: how many there are to do at most. */
export function proofPool(project: Project, built: BuiltSteps, pieces: number): ProofPool {
  const count = Math.max(1, Math.min(mostWorkers, navigator.hardwareConcurrency || 2, pieces));
  const workers = Array.from({ length: count }, newProofWorker);
  const services = workers.map((w) => Comlink.wrap<ProofService>(w));
  const opened = services.map((s) => s.open(project, built));
  let isStopped = false;
  let tellStopped = (): void => undefined;
  const stopped = new Promise<void>((resolve) => (tellStopped = resolve));
  const broken = new Promise<never>((_, reject) => {
    for (const w of workers)
      w.addEventListener('error', (e) => reject(new Error(e.message || 'A thread that runs cases has ended')));
  });
  // it is looked at where there is work
  broken.catch(() => undefined);
  return {
    async work(items, each) {
      const queue = [...items];
      const go = async (k: number): Promise<void> => {
        await opened[k];
        for (let next = queue.shift(); next !== undefined && !isStopped; next = queue.shift())
          await each(services[k], next);
      };
      await Promise.race([Promise.all(services.map((_, k) => go(k))), broken, stopped]);
    },
    stop() {
      isStopped = true;
      for (const w of workers) w.terminate();
      tellStopped();
    },
  };
}
