/** Numbers that look random, the same for the same seed and place: runs are drawn in any order (Salmon et al. 2011: numbers by counter). */

/** Mixes two whole numbers into 32 bits (Steele, Lea and Flood 2014). */
function mixed(seed: number, count: number): number {
  let h = Math.imul(seed ^ 0x9e3779b9, 0x85ebca6b) ^ Math.imul(count + 0x7f4a7c15, 0xc2b2ae35);
  h = Math.imul(h ^ (h >>> 16), 0x21f0aaad);
  h = Math.imul(h ^ (h >>> 15), 0x735a2d97);
  return (h ^ (h >>> 15)) >>> 0;
}

/** In (0, 1), never its ends; `at` and `of` say which number of which draw it is. */
export const uniformAt = (seed: number, at: number, of = 0): number =>
  (mixed(mixed(seed >>> 0, of), at) + 0.5) / 4294967296;

/** One after the other, in [0, 1). */
export function randomFrom(seed: number): () => number {
  let k = 0;
  return () => uniformAt(seed, k++);
}

/** The order of 0 .. n-1 in which each is as likely at each place (Fisher and Yates 1938). */
export function shuffled(n: number, random: () => number): number[] {
  const order = Array.from({ length: n }, (_, k) => k);
  for (let k = n - 1; k > 0; k--) {
    const j = Math.floor(random() * (k + 1));
    [order[k], order[j]] = [order[j], order[k]];
  }
  return order;
}
