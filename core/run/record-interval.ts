/** Rows that show every turn of a run on a screen, with room to look closer. Events have rows of their own. */
const usualRows = 10_000;
/** From here on a recording takes long to keep and to draw. */
export const manyRows = 400_000;

/** A round time between rows for a run of so many seconds: 1, 2 or 5 times a power of ten. */
export function proposedInterval(duration: number): number {
  if (!(duration > 0) || !Number.isFinite(duration)) return 1e-3;
  const least = duration / usualRows;
  const power = Math.floor(Math.log10(least * (1 + 1e-12)));
  const factor = [1, 2, 5, 10].find((f) => f * 10 ** power >= least * (1 - 1e-9)) ?? 10;
  return Number((factor * 10 ** power).toPrecision(3));
}

export const rowsOf = (duration: number, every: number): number => Math.floor(duration / every) + 1;
