import {
  call,
  minus,
  number,
  plus,
  scalar,
  slot,
  sumOfTerms,
  times,
  type ArrayName,
  type Instruction,
  type InstructionList,
  type Local,
  type Term,
} from './instructions';

/**
 * The stages of Dormand and Prince's method (1980) written out for one program: every product and the right-hand side
 * stand in one straight list over locals. The tableau is the one of Hairer, Norsett and Wanner (1993), table II.5.2.
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
 * `rightHandSide(y)` gives the instructions that compute the derivatives from the locals of the states, and the term of each derivative;
 * `nextLocal` makes a local of its own.
 */
export function lowerFlatStep(
  n: number,
  nextLocal: () => Local,
  rightHandSide: (y: readonly Local[]) => {
    readonly body: readonly Instruction[];
    readonly derivatives: readonly Term[];
  },
): NonNullable<InstructionList['flatStep']> {
  const body: Instruction[] = [];
  const let_ = (value: Term): Local => {
    const to = nextLocal();
    body.push({ do: 'let', to, value });
    return to;
  };
  const states = Array.from({ length: n }, (_, k) => k);
  /** Locals of the derivatives, by stage. */
  const k: Local[][] = [];
  /** The coefficients of a stage times the step, once for all states. */
  const weights = (row: readonly number[]): readonly { readonly weight: Local; readonly j: number }[] =>
    row.flatMap((x, j) => (x === 0 ? [] : [{ weight: let_(times(scalar('h'), number(x))), j }]));
  // what the block of a stage hands to the next one
  const handed = states.map(nextLocal);
  const y: Local[][] = [states.map((i) => let_(slot('y', i)))];
  k.push(states.map((i) => let_(slot('k1', i))));
  for (let stage = 1; stage <= 6; stage++) {
    const row = weights(a[stage]);
    // from left to right, as the sums of the method are written
    const now = states.map((i) => let_(sumOfTerms([y[0][i], ...row.map(({ weight, j }) => times(weight, k[j][i]))])));
    y.push(now);
    const { body: inner, derivatives } = rightHandSide(now);
    body.push({
      do: 'at',
      time: plus(scalar('t0'), times(number(c[stage]), scalar('h'))),
      body: [...inner, ...states.map((i): Instruction => ({ do: 'change', to: handed[i], value: derivatives[i] }))],
    });
    k.push(states.map((i) => let_(handed[i])));
  }
  const arrays: readonly ArrayName[] = ['k3', 'k4', 'k5', 'k6', 'k7'];
  arrays.forEach((of, j) => states.forEach((i) => body.push({ do: 'set', to: slot(of, i), value: k[j + 2][i] })));
  const error = weights(e);
  const sums = [0, 1, 2].map(() => nextLocal());
  for (const i of states) {
    body.push({ do: 'set', to: slot('yNew', i), value: y[6][i] });
    const larger = call('max', call('abs', y[0][i]), call('abs', y[6][i]));
    const weight = let_({
      op: 'div',
      a: number(1),
      b: plus(slot('absolute', i), times(scalar('relative'), larger)),
    });
    const own = let_(sumOfTerms(error.map(({ weight: w, j }) => times(w, k[j][i]))));
    body.push({ do: 'set', to: slot('error', i), value: own });
    [own, minus(k[6][i], k[5][i]), minus(y[6][i], y[5][i])].forEach((x, j) => {
      const scaled = let_(times(x, weight));
      body.push({ do: 'change', to: sums[j], value: plus(sums[j], times(scaled, scaled)) });
    });
  }
  sums.forEach((x, j) => body.push({ do: 'set', to: slot('sums', j), value: x }));
  return { locals: [...handed, ...sums], body };
}
