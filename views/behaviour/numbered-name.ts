/** A name nobody has yet: `State1`, `State2` and so on. */
export const numberedName = (taken: readonly string[], base: string): string => {
  for (let k = 1; ; k++) if (!taken.includes(`${base}${k}`)) return `${base}${k}`;
};
