/** Where a run spends its time: for the report, never for what is computed. */
export const tasks = ['steps', 'looking', 'rows', 'events'] as const;
export type Task = (typeof tasks)[number];

export interface RunProfile {
  /** Counts the time since the last call to nothing. */
  start(): void;
  /** Counts it to a task. */
  lap(task: Task): void;
  /** Shares of the time counted so far. */
  shares(): Readonly<Record<Task, number>>;
}

export function createRunProfile(): RunProfile {
  const spent: Record<Task, number> = { steps: 0, looking: 0, rows: 0, events: 0 };
  let last = 0;
  let steps = 0;
  return {
    // looking at the clock takes as long as a short step: every eighth is timed
    start() {
      if (steps++ % 8 === 0) last = performance.now();
    },
    lap(task) {
      if (steps % 8 !== 1) return;
      const now = performance.now();
      spent[task] += now - last;
      last = now;
    },
    shares() {
      const whole = tasks.reduce((sum, t) => sum + spent[t], 0);
      return Object.fromEntries(tasks.map((t) => [t, whole > 0 ? spent[t] / whole : 0])) as Record<Task, number>;
    },
  };
}
