/** Times and rows of the report. */
export const median = (xs: readonly number[]): number => [...xs].sort((a, b) => a - b)[Math.floor(xs.length / 2)];
export const time = (work: () => void): number => {
  const started = performance.now();
  work();
  return (performance.now() - started) / 1000;
};
export const row = (what: string, value: string, wanted: string): void =>
  console.log(`${what.padEnd(66)} ${value.padStart(12)}   ${wanted}`);

/** Seconds at their least and in the middle: a machine that is shared is now slower, now faster, and what is asked for is meant of a quiet one. */
export const spread = (seconds: readonly number[]): { readonly least: number; readonly middle: number } => ({
  least: Math.min(...seconds),
  middle: median(seconds),
});
/** Both, as milliseconds. */
export const milliseconds = (seconds: readonly number[]): string => {
  const { least, middle } = spread(seconds);
  return `${(least * 1000).toFixed(0)}..${(middle * 1000).toFixed(0)} ms`;
};
