import type { RunAsked, Runner, RunOutcome } from './runner';

/** What is done while runs go on. */
export interface RunWatch {
  /** Whether another run is begun. */
  goOn?(done: number, of: number): boolean;
  /** A run is done, whatever its turn. */
  each?(index: number, outcome: RunOutcome): void;
  /** Outcomes are taken by `each` only, and none is given back: for more than there is room for. */
  readonly isTaken?: boolean;
}

/** Carries out runs: here, or wherever a pool of workers has them done. Outcomes come in the order of what was asked. */
export interface Executor {
  run(asked: readonly RunAsked[], watch?: RunWatch): Promise<readonly RunOutcome[]>;
}

/** One after the other, in this thread. */
export const inThisThread = (runner: Runner): Executor => ({
  async run(asked, watch = {}) {
    const outcomes: RunOutcome[] = [];
    let since = performance.now();
    for (const [k, one] of asked.entries()) {
      // others have to come to their turn, such as who wants it stopped
      if (performance.now() - since > 50) {
        await new Promise((resolve) => setTimeout(resolve, 0));
        since = performance.now();
      }
      if (watch.goOn && !watch.goOn(k, asked.length)) break;
      const outcome = runner.run(one);
      watch.each?.(k, outcome);
      if (watch.isTaken !== true) outcomes.push(outcome);
    }
    return outcomes;
  },
});

/** One worker: what it was given is done when the promise is; one that ends early rejects it. */
export interface RunWorker {
  run(asked: readonly RunAsked[]): Promise<readonly RunOutcome[]>;
}

/** Runs handed over at once take about so long together: seldom enough to cost nothing, often enough to be watched and stopped. */
const portionSeconds = 0.25;
const mostAtOnce = 16;

/**
 * Runs spread over workers: each takes the next few when it is done with its own, so that slow runs hold up nobody. What comes out does
 * not depend on how many there are. `stopped` ends it at once: what workers are at then is not waited for.
 */
export const spreadOver = (workers: readonly RunWorker[], stopped?: Promise<unknown>): Executor => ({
  async run(asked, watch = {}) {
    const outcomes: (RunOutcome | undefined)[] = watch.isTaken === true ? [] : asked.map(() => undefined);
    let [next, done, seconds, isOver] = [0, 0, 0, false];
    const gone = stopped?.then(() => {
      isOver = true;
      return undefined;
    });
    const work = async (worker: RunWorker): Promise<void> => {
      while (next < asked.length && !isOver) {
        if (watch.goOn && !watch.goOn(done, asked.length)) {
          isOver = true;
          return;
        }
        // fewer towards the end, so that the last worker is not waited for
        const left = asked.length - next;
        const inTime = done === 0 ? 1 : Math.ceil((portionSeconds * done) / Math.max(seconds, 1e-9));
        const portion = Math.max(1, Math.min(mostAtOnce, inTime, Math.floor(left / (workers.length * 4))));
        const [from, to] = [next, next + portion];
        next = to;
        const running = worker.run(asked.slice(from, to));
        const found = gone ? await Promise.race([running, gone]) : await running;
        if (!found) return;
        found.forEach((o, k) => {
          seconds += o.seconds;
          watch.each?.(from + k, o);
          if (watch.isTaken !== true) outcomes[from + k] = o;
        });
        done += found.length;
      }
    };
    await Promise.all(workers.map(work));
    // what was stopped in between leaves no holes
    const end = outcomes.findIndex((o) => o === undefined);
    return (end < 0 ? outcomes : outcomes.slice(0, end)) as RunOutcome[];
  },
});
