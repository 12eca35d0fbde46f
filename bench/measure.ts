/** Times and rows of the report. */
export const median = (xs: readonly number[]): number => [...xs].sort((a, b) => a - b)[Math.floor(xs.length / 2)];
export const time = (work: () => void): number => {
  const started = performance.now();
  work();
  return (performance.now() - started) / 1000;
};
export const row = (what: string, value: string, wanted: string): void =>
  console.log(`${what.padEnd(66)} ${value.padStart(12)}   ${wanted}`);
