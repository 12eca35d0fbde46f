/**
 * The stages of Dormand and Prince's method (1980) written out for one program: every product and the right-hand side
 * stand in one straight function over locals. The tableau is the one of Hairer, Norsett and Wanner (1993), table II.5.2.
 */
const c = [0, 1 / 5, 3 / 10, 4 / 5, 8 / 9, 1, 1];
const a: readonly (readonly number[])[] = [
  [], [1 / 5], [3 / 40, 9 / 40], [44 / 45, -56 / 15, 32 / 9], [19372 / 6561, -25360 / 2187, 64448 / 6561, -212 / 729],
  [9017 / 3168, -355 / 33, 46732 / 5247, 49 / 176, -5103 / 18656], [35 / 384, 0, 500 / 1113, 125 / 192, -2187 / 6784, 11 / 84],
];
const e = [71 / 57600, 0, -71 / 16695, 71 / 1920, -17253 / 339200, 22 / 525, -1 / 40];

/** Fills k2 to k7, the new state, the state of the sixth stage and the error estimate. */
export type FlatStep = (
  t: number, h: number, y: Float64Array, k1: Float64Array, k3: Float64Array, k4: Float64Array, k5: Float64Array, k6: Float64Array, k7: Float64Array,
  yNew: Float64Array, yStage: Float64Array, error: Float64Array,
) => void;

/**
 * `rightHandSide(stage)` gives the statements that compute the derivatives from locals `y<stage>_<k>` at time `t`, and the
 * text of each derivative.
 */
export function writeFlatStep(n: number, rightHandSide: (stage: number) => { body: string; derivatives: readonly string[] }): string {
  const lines: string[] = [];
  const each = (f: (k: number) => string): void => void lines.push(Array.from({ length: n }, (_, k) => f(k)).join(''));
  each((k) => `const y0_${k}=y[${k}],k1_${k}=k1[${k}];`);
  for (let stage = 1; stage <= 6; stage++) {
    const sum = (k: number): string => a[stage].map((x, j) => (x === 0 ? '' : `${x < 0 ? '-' : j === 0 ? '' : '+'}${Math.abs(x)}*k${j + 1}_${k}`)).join('');
    each((k) => `const y${stage}_${k}=y0_${k}+h*(${sum(k)});`);
    const { body, derivatives } = rightHandSide(stage);
    lines.push(`{const t=t0+${c[stage]}*h;`, body);
    each((k) => `s${k}=${derivatives[k]};`);
    lines.push('}');
    each((k) => `const k${stage + 1}_${k}=s${k};`);
  }
  for (const j of [3, 4, 5, 6, 7]) each((k) => `k${j}[${k}]=k${j}_${k};`);
  each((k) => `yNew[${k}]=y6_${k};yStage[${k}]=y5_${k};`);
  each((k) => `error[${k}]=h*(${e.map((x, j) => (x === 0 ? '' : `${x < 0 ? '-' : j === 0 ? '' : '+'}${Math.abs(x)}*k${j + 1}_${k}`)).join('')});`);
  const scratch = n > 0 ? `let ${Array.from({ length: n }, (_, k) => `s${k}=0`).join(',')};` : '';
  return `function flatStep(t0,h,y,k1,k3,k4,k5,k6,k7,yNew,yStage,error){${scratch}${lines.join('')}}`;
}
