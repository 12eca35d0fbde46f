/**
 * The stages of Dormand and Prince's method (1980) written out for one program: every product and the right-hand side
 * stand in one straight function over locals. The tableau is the one of Hairer, Norsett and Wanner (1993), table II.5.2.
 */
const c = [0, 1 / 5, 3 / 10, 4 / 5, 8 / 9, 1, 1];
const a: readonly (readonly number[])[] = [
  [],
  [1 / 5],
  [3 / 40, 9 / 40],
  [44 / 45, -56 / 15, 32 / 9],
  [19372 / 6561, -25360 / 2187, 64448 / 6561, -212 / 729],
  [9017 / 3168, -355 / 33, 46732 / 5247, 49 / 176, -5103 / 18656],
  [35 / 384, 0, 500 / 1113, 125 / 192, -2187 / 6784, 11 / 84],
];
const e = [71 / 57600, 0, -71 / 16695, 71 / 1920, -17253 / 339200, 22 / 525, -1 / 40];

/**
 * Fills k3 to k7, the new state and the error estimate, and in `sums` the squares, over the scale of the errors, of the error, of k7 - k6 and
 * of the difference of the last two stages: what step size control and the test for stiffness need. One pass while all is at hand.
 */
export type FlatStep = (
  t: number,
  h: number,
  y: Float64Array,
  k1: Float64Array,
  k3: Float64Array,
  k4: Float64Array,
  k5: Float64Array,
  k6: Float64Array,
  k7: Float64Array,
  yNew: Float64Array,
  error: Float64Array,
  absolute: Float64Array,
  relative: number,
  sums: Float64Array,
) => void;

/**
 * `rightHandSide(stage)` gives the statements that compute the derivatives from locals `y<stage>_<k>` at time `t`, and the
 * text of each derivative.
 */
export function writeFlatStep(
  n: number,
  rightHandSide: (stage: number) => { body: string; derivatives: readonly string[] },
): string {
  const lines: string[] = [];
  const each = (f: (k: number) => string): void => void lines.push(Array.from({ length: n }, (_, k) => f(k)).join(''));
  /** The coefficients of a stage times the step, once for all states; the text of their sum over the stages. */
  const weights = (name: string, row: readonly number[]): ((k: number) => string) => {
    const used = row.flatMap((x, j) => (x === 0 ? [] : [{ x, j }]));
    lines.push(used.map(({ x, j }) => `const ${name}_${j}=h*${x < 0 ? `(${x})` : x};`).join(''));
    return (k) => used.map(({ j }) => `${name}_${j}*k${j + 1}_${k}`).join('+');
  };
  each((k) => `const y0_${k}=y[${k}],k1_${k}=k1[${k}];`);
  for (let stage = 1; stage <= 6; stage++) {
    const sum = weights(`a${stage}`, a[stage]);
    each((k) => `const y${stage}_${k}=y0_${k}+${sum(k)};`);
    const { body, derivatives } = rightHandSide(stage);
    lines.push(`{const t=t0+${c[stage]}*h;`, body);
    each((k) => `s${k}=${derivatives[k]};`);
    lines.push('}');
    each((k) => `const k${stage + 1}_${k}=s${k};`);
  }
  for (const j of [3, 4, 5, 6, 7]) each((k) => `k${j}[${k}]=k${j}_${k};`);
  const sum = weights('e', e);
  lines.push('let s0_=0,s1_=0,s2_=0,w_=0,q_=0;');
  each(
    (k) =>
      `yNew[${k}]=y6_${k};w_=1/(absolute[${k}]+relative*Math.max(Math.abs(y0_${k}),Math.abs(y6_${k})));` +
      `q_=${sum(k)};error[${k}]=q_;q_*=w_;s0_+=q_*q_;q_=(k7_${k}-k6_${k})*w_;s1_+=q_*q_;q_=(y6_${k}-y5_${k})*w_;s2_+=q_*q_;`,
  );
  lines.push('sums[0]=s0_;sums[1]=s1_;sums[2]=s2_;');
  const scratch = n > 0 ? `let ${Array.from({ length: n }, (_, k) => `s${k}=0`).join(',')};` : '';
  return `function flatStep(t0,h,y,k1,k3,k4,k5,k6,k7,yNew,error,absolute,relative,sums){${scratch}${lines.join('')}}`;
}
