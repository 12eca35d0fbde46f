import { differences } from '../program/difference';
import type { Machine, Memory } from '../program/machine';
import { BlockFailure } from '../program/newton';
import type { Program } from '../program/program';

/**
 * Conditions that say what happens above zero, below zero and at zero, such as `r > 0` with `r < 0` in the friction of a
 * contact. In exact numbers the third case is met where the quantity reaches zero, and where it does not move there it stays: a
 * body comes to rest. In rounded numbers zero is never met, and the quantity is thrown to and fro between the two other cases.
 * So where it reaches zero, the third case is tried; where nothing moves in it, it holds until the quantity is further from zero
 * than rounding explains.
 */
export interface Rests {
  /** At an event, before its equations: the third case is taken where it holds. States and values before it stand in memory. */
  reach(time: number): void;
  /** After conditions were taken over: what has moved on rests no more. */
  follow(): void;
  /** After an event: what has been set to zero to the last digit, or begins there, is looked at as well. */
  settled(time: number): void;
  /** Whether any rests, and whether one has moved out of its band where conditions were last looked at. */
  isResting(): boolean;
  isLeaving(): boolean;
  /** At the end of a step: how far the quantities come from zero. */
  note(): void;
}

/** Conditions on one difference. */
interface ThreeCases {
  readonly modes: readonly number[];
  /** What they are at zero, and on the two sides of it. */
  readonly atZero: readonly number[];
  readonly sides: readonly (readonly number[])[];
}

/** Share of the largest distance so far that is rounding. */
const band = 1e-12,
  widest = 1e-6;
/** Share of the largest distance by which speeds are measured. */
const measured = 1e-6;
/** Share of the speed before that is standing still. */
const still = 1e-8;

const known = new WeakMap<Program, readonly ThreeCases[]>();

/** Those whose case at zero is neither the one above nor the one below. */
export function threeCases(program: Program): readonly ThreeCases[] {
  let found = known.get(program);
  if (!found) known.set(program, (found = findThreeCases(program)));
  return found;
}

function findThreeCases({ modes, solvable }: Program): ThreeCases[] {
  const values = new Map(
    solvable.blocks.flatMap((b) =>
      b.kind === 'assign' && b.target.kind === 'var' && !b.discrete ? [[b.target.index, b.value] as const] : [],
    ),
  );
  const difference = differences((k) => values.get(k));
  const groups = new Map<
    string,
    { readonly modes: number[]; readonly cases: readonly [number[], number[], number[]] }
  >();
  modes.forEach((source, k) => {
    if (source.kind !== 'relation') return;
    const { op, a, b } = source.expr;
    const { key, sign } = difference(a, b);
    const group = groups.get(key) ?? { modes: [], cases: [[], [], []] };
    groups.set(key, group);
    group.modes.push(k);
    const holdsAbove = (op === 'gt' || op === 'ge') === sign > 0;
    group.cases[0].push(Number(op === 'ge' || op === 'le'));
    group.cases[1].push(Number(holdsAbove));
    group.cases[2].push(Number(!holdsAbove));
  });
  const differ = (a: readonly number[], b: readonly number[]): boolean => a.some((x, j) => x !== b[j]);
  return [...groups.values()].flatMap(({ modes: of, cases: [atZero, above, below] }) =>
    differ(atZero, above) && differ(atZero, below) ? [{ modes: of, atZero, sides: [above, below] }] : [],
  );
}

/** What is remembered of each difference. */
export interface RestState {
  /** The largest so far. */
  readonly largest: Float64Array;
  /** How far it goes in how many seconds on the sides of zero, where it reached it. */
  readonly seconds: Float64Array;
  readonly moved: Float64Array;
}

export function newRestState(program: Program): RestState {
  const { length } = threeCases(program);
  return { largest: new Float64Array(length), seconds: new Float64Array(length), moved: new Float64Array(length) };
}

export function createRests(
  program: Program,
  machine: Machine,
  { v, d, m, live, z, rests }: Memory,
  /** Seconds in which little happens. */
  shortly: number,
  { largest, seconds, moved }: RestState,
): Rests {
  const groups = threeCases(program);
  const { states } = program.solvable;
  const distance = ({ modes }: ThreeCases): number => {
    const k = modes.find((x) => !Number.isNaN(z[x]));
    return k === undefined ? NaN : z[k];
  };
  const isAtZero = ({ modes, atZero }: ThreeCases): boolean => modes.every((k, j) => m[k] === atZero[j]);
  const bandOf = ({ modes }: ThreeCases): number => rests[modes[0]];
  const isResting = (g: ThreeCases): boolean => bandOf(g) > 0;
  const set = ({ modes }: ThreeCases, value: number): void => modes.forEach((k) => (rests[k] = value));

  /** How far the difference goes in some seconds, with the conditions as they are held; NaN where that cannot be solved. */
  const goes = (g: ThreeCases, time: number, seconds: number): number => {
    const kept = states.map((k) => v[k]);
    try {
      machine.outputs(time);
      machine.conditions(time);
      const from = distance(g);
      states.forEach((k, j) => (v[k] += seconds * d[j]));
      machine.outputs(time + seconds);
      machine.conditions(time + seconds);
      return Math.abs(distance(g) - from);
    } catch (error) {
      if (!(error instanceof BlockFailure)) throw error;
      return NaN;
    } finally {
      states.forEach((k, j) => (v[k] = kept[j]));
    }
  };

  /** Whether the difference stands still with the conditions as they are held. */
  const standsStill = (g: ThreeCases, j: number, time: number): boolean =>
    moved[j] > 0 && goes(g, time, seconds[j]) <= still * moved[j];

  const take = ({ modes }: ThreeCases, values: readonly number[]): void => modes.forEach((k, i) => (m[k] = values[i]));
  const most = (g: ThreeCases, time: number, span: number): number =>
    Math.max(
      ...g.sides.map((side) => {
        take(g, side);
        return goes(g, time, span) || 0;
      }),
    );

  const tryRest = (g: ThreeCases, j: number, time: number): void => {
    const before = g.modes.map((k) => m[k]);
    const offset = Math.abs(distance(g));
    const first = most(g, time, shortly);
    const size = Math.max(largest[j], 1e6 * first);
    // so long that the difference changes by a part that is told from rounding
    seconds[j] = Math.min(1e6 * shortly, shortly * ((measured * size) / first));
    moved[j] = first > 0 ? most(g, time, seconds[j]) : 0;
    take(g, g.atZero);
    if (standsStill(g, j, time)) set(g, Math.max(band * size, 4 * offset));
    else take(g, before);
  };

  /** Rounding that adds up is no movement: what stands still where its band ends rests in a wider one. */
  const tryOn = (g: ThreeCases, j: number, time: number): void => {
    const offset = Math.abs(distance(g));
    if (offset <= widest * largest[j] && standsStill(g, j, time)) set(g, 4 * offset);
  };

  return {
    reach(time) {
      if (groups.length === 0) return;
      machine.conditions(time);
      const changes = groups.map((g) => g.modes.some((k) => m[k] !== live[k] && !Number.isNaN(z[k])));
      groups.forEach((g, j) => {
        if (!changes[j] || (isAtZero(g) && !isResting(g))) return;
        machine.conditions(time);
        if (isResting(g)) tryOn(g, j, time);
        else tryRest(g, j, time);
        machine.outputs(time);
      });
    },
    isResting: () => groups.some(isResting),
    isLeaving: () => groups.some((g) => isResting(g) && !(Math.abs(distance(g)) < bandOf(g))),
    follow() {
      for (const g of groups) if (isResting(g) && !(Math.abs(distance(g)) < bandOf(g))) set(g, 0);
    },
    settled(time) {
      groups.forEach((g, j) => {
        if (isResting(g) || !isAtZero(g) || distance(g) !== 0) return;
        tryRest(g, j, time);
        machine.outputs(time);
      });
    },
    note() {
      groups.forEach((g, j) => {
        const now = Math.abs(distance(g));
        if (now > largest[j]) largest[j] = now;
      });
    },
  };
}
