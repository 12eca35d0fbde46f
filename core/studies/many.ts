import type { RunAsked, Runner, RunOutcome } from './runner';

/** Carries out runs: here, or wherever a pool of workers has them done. Outcomes come in the order of what was asked. */
export interface Executor {
  run(asked: readonly RunAsked[], goOn?: (done: number, of: number) => boolean): Promise<readonly RunOutcome[]>;
}

/** One after the other, in this thread. */
export const inThisThread = (runner: Runner): Executor => ({
  async run(asked, goOn = () => true) {
    const outcomes: RunOutcome[] = [];
    let since = performance.now();
    for (const one of asked) {
      // others have to come to their turn, such as who wants it stopped
      if (performance.now() - since > 50) {
        await new Promise((resolve) => setTimeout(resolve, 0));
        since = performance.now();
      }
      if (!goOn(outcomes.length, asked.length)) break;
      outcomes.push(runner.run(one));
    }
    return outcomes;
  },
});

/** One worker: what it was given is done when the promise is; one that ends early rejects it. */
export interface RunWorker {
  run(asked: readonly RunAsked[]): Promise<readonly RunOutcome[]>;
}

/**
 * Runs spread over workers: each takes the next few when it is done with its own, so that slow runs hold up nobody. What comes out does
 * not depend on how many there are.
 */
export const spreadOver = (workers: readonly RunWorker[]): Executor => ({
  async run(asked, goOn = () => true) {
    const outcomes: (RunOutcome | undefined)[] = asked.map(() => undefined);
    let [next, done, isOver] = [0, 0, false];
    const work = async (worker: RunWorker): Promise<void> => {
      while (next < asked.length && !isOver) {
        if (!goOn(done, asked.length)) {
          isOver = true;
          return;
        }
        // enough that handing over costs nothing, and fewer towards the end, so that the last worker is not waited for
        const left = asked.length - next;
        const portion = Math.max(1, Math.min(16, Math.floor(left / (workers.length * 4))));
        const [from, to] = [next, next + portion];
        next = to;
        const found = await worker.run(asked.slice(from, to));
        found.forEach((o, k) => (outcomes[from + k] = o));
        done += found.length;
      }
    };
    await Promise.all(workers.map(work));
    // what was stopped in between leaves no holes
    const end = outcomes.findIndex((o) => o === undefined);
    return (end < 0 ? outcomes : outcomes.slice(0, end)) as RunOutcome[];
  },
});
