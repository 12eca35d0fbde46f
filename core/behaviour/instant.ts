/**
 * Times that differ by no more than the rounding of many sums and products are one instant: 0.1 + 0.1 + 0.1, 3*0.1 and 0.3. A
 * billionth of a thousandth of the time is far above what thousands of sums lose, and far below what anybody means.
 */
const rounding = (time: number): number => 1e-12 * Math.abs(time);
export const endOfInstant = (time: number): number => time + rounding(time);
export const isSameInstant = (a: number, b: number): boolean => Math.abs(a - b) <= rounding(b);
