import { describeExpression } from '../flatten/describe-expression';
import { walk } from '../flatten/flat-expression';
import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { magnitude } from '../linear/complex';
import { boundedness } from './bounded';
import { constantsIn, makeBox, solverRelative, type Box } from './box';
import { inputText, randomFrom } from './input';
import {
  drive,
  meanings,
  sidesOf,
  type Compared,
  type Driven,
  type PropertyName,
  type RunAs,
  type Sides,
  type Trial,
} from './properties';
import { polesAtStart } from './poles-at-start';
import {
  nameIn,
  quantityOf,
  short,
  type Asking,
  type Counterexample,
  type Culprit,
  type ProbeReport,
  type PropertyAnswer,
} from './report';
import { structureOf, type Bend, type Structure } from './structure';
import { changedTrial, fixedTrials, plainerTrials, plainness, type TrialSpace } from './trials';

/**
 * What a box really is: each property is decided by the structure of its equations where that suffices; otherwise both sides of it are
 * driven with many inputs, and then with changes of the one that came nearest to a difference. A difference that is found is shown with
 * the plainest input that still shows it, and with what in the box is to blame. Where none is found, the property is not refuted; it is
 * never called proven.
 */
export interface ProbeQuestion {
  readonly from: string;
  readonly to: string;
  readonly properties: readonly PropertyName[];
  /** How many inputs are tried per property. */
  readonly effort: number;
  readonly seed: number;
}

/** How much more than the tolerance of the solver two sides have to differ. */
const tolerance = 1e4 * solverRelative;
const rows = 240;

export function probe(
  model: FlatModel,
  question: ProbeQuestion,
  goOn: (done: number, of: number) => boolean = () => true,
): { readonly value: ProbeReport | undefined; readonly problems: readonly Problem[] } {
  const made = makeBox(model, question.from, question.to);
  if (!made.value) return { value: undefined, problems: made.problems };
  const box = made.value;
  const structure = structureOf(box);
  const space = spaceOf(box, structure, question.seed);
  const answers: PropertyAnswer[] = [];
  const { properties } = question;
  for (const [k, property] of properties.entries()) {
    const more = (share: number): boolean => goOn(k + share, properties.length);
    if (!more(0)) break;
    const one = answer(property, { box, structure, space, effort: question.effort, more });
    if (one.holds === 'not refuted' && one.tried.inputs > 0 && one.tried.failed === one.tried.inputs)
      return { value: undefined, problems: [noRun(box, space)] };
    answers.push(one);
  }
  return { value: { from: question.from, to: question.to, answers }, problems: made.problems };
}

/** Why nothing can be driven. */
function noRun(box: Box, { stop }: TrialSpace): Problem {
  const { problem: why } = box.run({ steps: [], waves: [] }, { stop, rows });
  return why ?? problem('error', 'probe', 'This cannot be driven: no run of it comes to its end');
}

/** How long a run of a box lasts that shows all of it. */
export const runningTime = (box: Box): number => spaceOf(box, structureOf(box), 1).stop;

/** How long runs last, and how fast and large inputs are: by the poles around the start, the delays, and the constants in the equations. */
function spaceOf(box: Box, structure: Structure, seed: number): TrialSpace {
  const poles = polesAtStart(box) ?? [];
  const rates = poles.map(magnitude).filter((w) => w > 1e-6 && w < 1e9);
  const dying = poles.flatMap(([re]) => (re < -1e-6 ? [-re] : []));
  let stop = structure.memory.length === 0 && structure.clock === 'none' ? 1 : 10;
  if (rates.length > 0) {
    const slowest = Math.min(...(dying.length > 0 ? dying : rates));
    stop = Math.min(1e6, Math.max(8 / slowest, 12 / Math.max(...rates)));
    // what grows grows beyond all numbers if one waits
    const growing = Math.max(0, ...poles.map(([re]) => re));
    if (growing > 1e-6) stop = Math.min(stop, 14 / growing);
  }
  const { model } = box;
  const times = (e: Parameters<typeof walk>[0]): void =>
    walk(e, (x) => {
      const at = (y: typeof x): number => {
        if (y.op === 'const') return y.value;
        if (y.op !== 'var') return NaN;
        const { binding } = model.variables[y.index];
        return binding?.op === 'const' ? binding.value : NaN;
      };
      if (x.op === 'delay') {
        const by = at(x.by);
        if (by > 0) stop = Math.max(stop, 6 * by);
      } else if (x.op === 'sample') {
        const every = at(x.interval);
        if (every > 0 && stop < 60 * every) stop = 60 * every;
        if (every > 0 && stop > 4000 * every && rates.length === 0) stop = 400 * every;
      } else if ((x.op === 'lt' || x.op === 'le' || x.op === 'gt' || x.op === 'ge') && mentionsTime(x)) {
        for (const y of [x.a, x.b]) {
          const t = at(y);
          if (t > 0 && t < 1e4) stop = Math.max(stop, 2.5 * t);
        }
      }
    });
  for (const e of structure.equations) {
    times(e.left);
    times(e.right);
  }
  // what comes to an end by itself is looked at before
  const alone = box.run({ steps: [], waves: [] }, { stop, rows });
  const last = alone.time.at(-1) ?? 0;
  const middle = Math.abs(alone.y[Math.floor(alone.y.length / 2)] ?? 0);
  const escapes = middle > 0 && Math.abs(alone.y.at(-1) ?? 0) > 1e6 * middle;
  if ((alone.problem || escapes) && last > 0) stop = 0.6 * last;
  // own times of the box, and slow and fast ones beside them
  const own = [...new Set(rates.map((w) => Number(w.toPrecision(2))))].slice(0, 4);
  const frequencies = [...new Set([6.3 / stop, ...own, 40 / stop, 150 / stop])].sort((a, b) => a - b);
  const constants = constantsIn(model);
  const sizes = [1, 10, 0.1, ...constants.map((c) => 1.3 * Math.abs(c)), 100, 0.01, 1e3, 1e-3, 1e4];
  return { stop, frequencies, sizes: [...new Set(sizes)], seed };
}

const mentionsTime = (e: Parameters<typeof walk>[0]): boolean => {
  let found = false;
  walk(e, (x) => (found ||= x.op === 'time'));
  return found;
};

function answer(property: PropertyName, asking: Asking): PropertyAnswer {
  const none = { inputs: 0, runs: 0, failed: 0, seed: asking.space.seed };
  const decided = byStructure(property, asking);
  if (decided !== undefined)
    return {
      property,
      holds: true,
      meaning: meanings[property],
      because: decided,
      counterexample: undefined,
      difference: 0,
      culprit: undefined,
      tried: none,
    };
  if (asking.structure.takesRate && !['homogeneous', 'additive', 'odd', 'timeInvariant'].includes(property))
    return {
      property,
      holds: 'not refuted',
      meaning: meanings[property],
      because: 'it takes the derivative of its input: inputs that jump, which this would need, cannot be given to it',
      counterexample: undefined,
      difference: 0,
      culprit: undefined,
      tried: none,
    };
  if (property === 'bounded') return boundedness(asking);
  if (property === 'causal') return passage(asking);
  const sides = sidesOf[property]!;
  const search = searchFor(property, sides, asking);
  const { found, nearest, tried, elsewhere } = search;
  if (!found)
    return {
      property,
      holds: 'not refuted',
      meaning: meanings[property],
      because:
        nearest > tolerance
          ? `of ${tried.inputs} inputs some showed a difference of up to ${short(nearest)} of the output, but not the same when computed more exactly`
          : `none of ${tried.inputs} inputs showed a difference above ${tolerance} of the output (the nearest: ${short(nearest)})`,
      counterexample: undefined,
      difference: nearest,
      culprit: undefined,
      tried,
    };
  const { trial, driven } = found;
  const { compared } = driven;
  return {
    property,
    holds: false,
    meaning: meanings[property],
    because: `at ${short(compared.at)} s: ${sides.leftText(trial)} ${short(compared.left[compared.row])}, ${sides.rightText(trial)} ${short(compared.right[compared.row])}${elsewhere ? '; for other inputs the greater input gives the greater output' : ''}`,
    counterexample: counterexampleOf(sides.runs(trial), compared, sides.leftText(trial), sides.rightText(trial)),
    difference: nearest,
    culprit: blame(property, sides, asking, trial),
    tried,
  };
}

export function counterexampleOf(
  runs: readonly RunAs[],
  compared: Compared,
  leftText: string,
  rightText: string,
): Counterexample {
  const { at, row, left, right, time } = compared;
  return {
    inputs: runs.map(({ label, input, shift = 0 }) => ({ label, input, text: inputText(input), shift })),
    at,
    leftText,
    rightText,
    left: left[row],
    right: right[row],
    traces: { time: [...time], left: [...left], right: [...right] },
  };
}

/** Why a property holds whatever goes in; undefined where the equations do not tell. */
function byStructure(property: PropertyName, { box, structure, space }: Asking): string | undefined {
  const { isLinear, hasCharts, takesRate } = structure;
  if (
    !structure.reaches &&
    property !== 'bounded' &&
    property !== 'homogeneous' &&
    property !== 'additive' &&
    property !== 'odd' &&
    property !== 'timeInvariant'
  )
    return 'the input never comes to the output';
  switch (property) {
    case 'homogeneous':
    case 'additive':
    case 'odd':
      return isLinear && restsAtZero(box, space)
        ? 'its equations are sums, constant gains and integrals or former values of such, and it starts from zero'
        : undefined;
    case 'timeInvariant':
      return structure.clock === 'none' && !hasCharts ? 'nothing in it depends on the time' : undefined;
    case 'memoryless':
      return structure.memory.length === 0 && !hasCharts && !takesRate
        ? 'it has no states, no former values and no delays'
        : undefined;
    case 'causal':
      return structure.passage === undefined && !hasCharts
        ? 'between the input and the output there is always a state, a former value or a delay'
        : undefined;
    case 'monotone':
      return isLinear && structure.memory.length === 0 && structure.clock === 'none' && !hasCharts && !takesRate
        ? 'it is one constant gain'
        : undefined;
    case 'bounded': {
      const [low, high] = structure.range;
      if (structure.isTame) return 'it has no memory, and each of its functions gives bounded values for bounded ones';
      return Number.isFinite(low) && Number.isFinite(high)
        ? `the output stays between ${short(low)} and ${short(high)} whatever goes in`
        : undefined;
    }
  }
}

/** Nothing comes out where nothing goes in. */
function restsAtZero(box: Box, { stop }: TrialSpace): boolean {
  const trace = box.run({ steps: [], waves: [] }, { stop, rows: 60 });
  return trace.problem === undefined && trace.y.every((y) => y === 0);
}

interface Found {
  readonly trial: Trial;
  readonly driven: Driven;
}

/** How far a trial is from what a property says. */
type Score = (f: Found) => number;
const byDifference: Score = ({ driven }) => driven.compared.difference;
/** How much smaller, or greater, the output is for the greater input. */
const turned: Score = ({ trial, driven: { compared } }) => (trial.bump.by > 0 ? compared.below : compared.above);
const kept: Score = ({ trial, driven: { compared } }) => (trial.bump.by > 0 ? compared.above : compared.below);

interface Search {
  readonly found: Found | undefined;
  readonly nearest: number;
  readonly tried: PropertyAnswer['tried'];
  /** Of `monotone`: which order the output has elsewhere. */
  readonly elsewhere?: 'greater' | 'smaller';
}

function searchFor(property: PropertyName, sides: Sides, asking: Asking): Search {
  if (property !== 'monotone') return searchBy(property, sides, asking, byDifference);
  // it may turn the order round, but then everywhere
  const [down, up] = [searchBy(property, sides, asking, turned), searchBy(property, sides, asking, kept)];
  const tried = {
    inputs: down.tried.inputs + up.tried.inputs,
    runs: down.tried.runs + up.tried.runs,
    failed: down.tried.failed + up.tried.failed,
    seed: down.tried.seed,
  };
  if (down.found && up.found) return { found: down.found, nearest: down.nearest, tried, elsewhere: 'greater' };
  return { found: undefined, nearest: Math.min(down.nearest, up.nearest), tried };
}

function searchBy(property: PropertyName, sides: Sides, { box, space, effort, more }: Asking, score: Score): Search {
  let [inputs, runs, failed] = [0, 0, 0];
  const options = { stop: space.stop, rows };
  const attempt = (trial: Trial): Found | undefined => {
    inputs++;
    const driven = drive(box, sides, trial, options);
    runs += sides.runs(trial).length;
    if (!driven) failed++;
    return driven && { trial, driven };
  };
  /** What differs has to differ by the same when it is computed more exactly. */
  const isReal = (f: Found): boolean => {
    const again = drive(box, sides, f.trial, { ...options, exact: true });
    runs += sides.runs(f.trial).length;
    if (!again) return false;
    const [a, b] = [score(f), score({ trial: f.trial, driven: again })];
    return b > tolerance && Math.abs(a - b) < 0.3 * Math.max(a, b);
  };
  const random = randomFrom(space.seed + 1);
  const first = fixedTrials(property, space, Math.max(4, Math.ceil(0.6 * effort)));
  let best: Found | undefined;
  let hit: Found | undefined;
  const look = (f: Found | undefined): boolean => {
    if (!f) return false;
    if (!best || score(f) > score(best)) best = f;
    if (score(f) > tolerance && isReal(f)) hit = f;
    return hit !== undefined;
  };
  for (const [k, trial] of first.entries()) if (!more((0.6 * k) / first.length) || look(attempt(trial))) break;
  // then changes of what came nearest
  for (let k = first.length; !hit && k < effort && best; k++) {
    // where nothing came near, of anything
    const from = score(best) > 0 ? best.trial : first[Math.floor(random() * first.length)];
    if (!more(k / effort) || look(attempt(changedTrial(from, space, random)))) break;
  }
  const tally = (): PropertyAnswer['tried'] => ({ inputs, runs, failed, seed: space.seed });
  if (!hit) return { found: undefined, nearest: best ? score(best) : 0, tried: tally() };
  // the larger the difference, the easier it is to see; then the plainest input that still shows most of it
  let shown: Found = hit;
  for (let k = 0; k < Math.min(20, effort / 5); k++) {
    const f = attempt(changedTrial(shown.trial, space, random));
    if (f && score(f) > 1.2 * score(shown) && isReal(f)) shown = f;
  }
  const wanted = Math.max(3 * tolerance, Math.min(0.02, 0.3 * score(shown)));
  for (let rounds = 0; rounds < 16; rounds++) {
    const next = plainerTrials(shown.trial, space.stop)
      .filter((t) => plainness(t) < plainness(shown.trial))
      .sort((a, b) => plainness(a) - plainness(b))
      .map(attempt)
      .find((f): f is Found => f !== undefined && score(f) >= wanted && isReal(f));
    if (!next) break;
    shown = next;
  }
  return { found: shown, nearest: score(shown), tried: tally() };
}

// ------------------------------------------------------------------------------------------------------------- who is to blame
/** What in a box breaks a property, and what would be without it. */
function blame(property: PropertyName, sides: Sides, asking: Asking, trial: Trial): Culprit | undefined {
  const { box, structure } = asking;
  if (property === 'timeInvariant') return blameTime(sides, asking, trial);
  if (property === 'memoryless') return blameMemory(asking);
  if (structure.bends.length === 0) return property === 'monotone' ? blameMemory(asking) : blameStart(asking);
  const isGone = holdsFor(property, sides, asking, trial);
  const candidates = structure.bends.filter((b) => b.instead !== undefined).slice(0, 24);
  for (const bend of candidates) {
    const other = box.without(bend.equation, bend.node, bend.instead!);
    if (other && isGone(other)) return culpritOf(box, bend, property, true);
  }
  return blameTogether(property, sides, asking, trial, candidates);
}

const mostTogether = 4;

/** Several pieces that bend it together: the one whose absence helps most is left out first. */
function blameTogether(
  property: PropertyName,
  sides: Sides,
  asking: Asking,
  trial: Trial,
  candidates: readonly Bend[],
): Culprit | undefined {
  const { box, structure, space } = asking;
  const isGone = holdsFor(property, sides, asking, trial);
  const score = property === 'monotone' ? turned : byDifference;
  const trials = [trial, ...fixedTrials(property, space, 7)];
  const left: Bend[] = [];
  let now = box;
  let rest = [...candidates];
  while (left.length < mostTogether && rest.length > 0) {
    let best: { readonly bend: Bend; readonly box: Box; readonly remains: number } | undefined;
    for (const bend of rest) {
      const other = now.without(bend.equation, bend.node, bend.instead!);
      if (!other) continue;
      const remains = trials.reduce((sum, t) => {
        const driven = drive(other, sides, t, { stop: space.stop, rows });
        return sum + (driven ? score({ trial: t, driven }) : 10);
      }, 0);
      if (!best || remains < best.remains) best = { bend, box: other, remains };
    }
    if (!best) break;
    left.push(best.bend);
    now = best.box;
    // pieces of what was left out are gone with it
    rest = rest.filter((b) => b.equation !== best.bend.equation);
    if (left.length > 1 && isGone(now)) {
      // only what is needed for it
      const needed = left.filter((_, j) => {
        const others = left.filter((__, i) => i !== j);
        const without = others.reduce<Box | undefined>((x, b) => x?.without(b.equation, b.node, b.instead!), box);
        return !without || !isGone(without);
      });
      const named = needed.length > 0 ? needed : left;
      const [first] = named;
      const parts = named.map((b) => namedPiece(box, b));
      return {
        ...culpritOf(box, first, property, false),
        without: `without ${parts.length > 1 ? `${parts.slice(0, -1).join(', ')} and ` : ''}${parts.at(-1)!} it is ${propertyWords[property]} for all inputs tried`,
      };
    }
  }
  const [first] = structure.bends;
  return first && culpritOf(box, first, property, false, structure.bends.length > 1);
}

/** Whether a changed box shows no difference for what was tried. */
const holdsFor =
  (property: PropertyName, sides: Sides, { space }: Asking, trial: Trial) =>
  (other: Box): boolean => {
    const score = property === 'monotone' ? turned : byDifference;
    const trials = [trial, ...fixedTrials(property, space, 24)];
    let tried = 0;
    for (const t of trials) {
      const driven = drive(other, sides, t, { stop: space.stop, rows });
      if (!driven) continue;
      tried++;
      if (score({ trial: t, driven }) > tolerance) return false;
    }
    return tried > 0;
  };

const propertyWords: Readonly<Record<PropertyName, string>> = {
  homogeneous: 'homogeneous',
  additive: 'additive',
  timeInvariant: 'time-invariant',
  memoryless: 'without memory',
  causal: 'without a passage at once',
  bounded: 'bounded',
  odd: 'odd',
  monotone: 'monotone',
};

function culpritOf(
  box: Box,
  { equation, piece, node, isTaken }: Bend,
  property: PropertyName,
  alone: boolean,
  several = false,
): Culprit {
  const quantity = quantityOf(box, equation);
  const text = readable(describeExpression(piece, nameIn(box)));
  const named = pieceText({ piece, node, isTaken }, text);
  return {
    quantity,
    equation: equation.origin.text,
    place: equation.origin.place,
    part: equation.origin.part,
    piece: text,
    without: alone
      ? `without ${named} in ${quantity} it is ${propertyWords[property]} for all inputs tried`
      : several
        ? `${named} in ${quantity} takes part; it is not alone`
        : `${named} in ${quantity} is all that bends in it`,
  };
}

/** A piece as it is named: a term of a sum with its sign. */
const pieceText = ({ piece, node, isTaken }: Pick<Bend, 'piece' | 'node' | 'isTaken'>, text: string): string =>
  node === piece ? `\`${text}\`` : `\`${isTaken ? '- ' : text.startsWith('-') ? '' : '+ '}${text}\``;

const namedPiece = (box: Box, bend: Bend): string =>
  `${pieceText(bend, readable(describeExpression(bend.piece, nameIn(box))))} in ${quantityOf(box, bend.equation)}`;

/** The moment of the start is nobody's business. */
const readable = (text: string): string => text.replace(/\(?time \+ \$probe\.shift\)?/g, 'time');

function blameStart({ box, structure }: Asking): Culprit | undefined {
  const trace = box.run({ steps: [], waves: [] }, { stop: 1e-6, rows: 2, all: true });
  const { model } = box;
  const name = structure.memory.find((n) => {
    const k = model.indexOf.get(n);
    return k !== undefined && trace.all[0] !== undefined && trace.all[0][k] !== 0;
  });
  if (name === undefined) return undefined;
  const v = model.variables[model.indexOf.get(name)!];
  return {
    quantity: name,
    equation: `${name}(start = ${short(trace.all[0][model.indexOf.get(name)!])})`,
    place: v.place,
    part: '',
    piece: 'start',
    without: `if ${name} started from zero, nothing would come out where nothing goes in`,
  };
}

function blameTime(sides: Sides, asking: Asking, trial: Trial): Culprit | undefined {
  const { box, structure, space } = asking;
  const timed = structure.equations.find((e) => [e.left, e.right].some(mentionsTime));
  const ticking = structure.equations.length > 0 ? box.model.equations.find((e) => hasTicks(e)) : undefined;
  if (structure.clock === 'ticks' && !timed && ticking) {
    let every = NaN;
    walk(ticking.right, (x) => {
      if (x.op !== 'sample') return;
      const { interval } = x;
      every = interval.op === 'const' ? interval.value : interval.op === 'var' ? bindingOf(box, interval.index) : NaN;
    });
    const whole = every > 0 ? { ...trial, shift: every * Math.max(1, Math.round(trial.shift / every)) } : undefined;
    const driven = whole && drive(box, sides, whole, { stop: space.stop, rows });
    return {
      quantity: quantityOf(box, ticking),
      equation: ticking.origin.text,
      place: ticking.origin.place,
      part: ticking.origin.part,
      piece: 'the clock',
      without:
        driven && driven.compared.difference < tolerance
          ? `its clock ticks at fixed times: started later by whole periods of ${short(every)} s, it does the same`
          : 'its clock ticks at fixed times',
    };
  }
  if (!timed) return undefined;
  return {
    quantity: quantityOf(box, timed),
    equation: timed.origin.text,
    place: timed.origin.place,
    part: timed.origin.part,
    piece: 'time',
    without: `it looks at the time in ${quantityOf(box, timed)}`,
  };
}

const bindingOf = (box: Box, k: number): number => {
  const { binding } = box.model.variables[k];
  return binding?.op === 'const' ? binding.value : NaN;
};
/** Seconds between the ticks that an equation rests on. */
function periodOf(box: Box, e: Bend['equation']): number {
  let every = NaN;
  for (const side of [e.left, e.right])
    walk(side, (x) => {
      if (x.op !== 'sample') return;
      const { interval } = x;
      every = interval.op === 'const' ? interval.value : interval.op === 'var' ? bindingOf(box, interval.index) : NaN;
    });
  return every;
}
const hasTicks = (e: Bend['equation']): boolean => {
  let found = false;
  for (const side of [e.left, e.right]) walk(side, (x) => (found ||= x.op === 'sample'));
  return found;
};

function blameMemory({ box, structure }: Asking): Culprit | undefined {
  const [name] = structure.memory;
  if (name === undefined) return undefined;
  const k = box.model.indexOf.get(name);
  const equation = structure.equations.find((e) =>
    [e.left, e.right].some((side) => {
      let found = false;
      walk(side, (x) => {
        if (k === undefined ? x.op === 'delay' : (x.op === 'der' || x.op === 'pre') && x.index === k) found = true;
      });
      return found;
    }),
  );
  return {
    quantity: name,
    equation: equation?.origin.text ?? name,
    place: equation?.origin.place ?? (k === undefined ? '' : box.model.variables[k].place),
    part: equation?.origin.part ?? '',
    piece: name,
    without:
      structure.memory.length === 1
        ? `${name} is all it remembers`
        : `it remembers ${structure.memory.slice(0, 4).join(', ')}`,
  };
}

/** Whether the output jumps with the input. */
function passage(asking: Asking): PropertyAnswer {
  const { box, structure, space, effort } = asking;
  let [inputs, runs, failed] = [0, 0, 0];
  const ways = structure.passage ?? [];
  const ticking = box.model.equations.find(hasTicks);
  const every = ticking ? periodOf(box, ticking) : NaN;
  const lively = fixedTrials('causal', space, Math.max(6, Math.ceil(effort / 3)));
  // jumps of every size out of nothing come first
  const plain: Trial[] = space.sizes.map((by) => ({
    ...lively[0],
    u: { steps: [], waves: [] },
    bump: { ...lively[0].bump, by },
  }));
  const base = [...plain, ...lively];
  for (const t of base) {
    for (const [at, by] of [
      [t.bump.begin, t.bump.by],
      [t.bump.begin, -t.bump.by],
      // a value that is set at ticks is looked at there
      ...(every > 0 ? [[Math.ceil(t.bump.begin / every) * every, t.bump.by] as const] : []),
    ] as const) {
      const input = { steps: [...t.u.steps, { at, by }].sort((a, b) => a.at - b.at), waves: t.u.waves };
      // rows close to the jump, so that what follows it soon is not taken for it
      const window = { stop: at + space.stop * 1e-6, rows: 8 };
      const [jumped, still] = [box.run(input, window), box.run(t.u, window)];
      inputs++;
      runs += 2;
      if (jumped.problem || still.problem) {
        failed++;
        continue;
      }
      const own = jumped.events.findLast((e) => Math.abs(e.time - at) < 1e-9 * Math.max(1, at));
      const other = still.events.findLast((e) => Math.abs(e.time - at) < 1e-9 * Math.max(1, at));
      if (!own) continue;
      const without = other ? other.after : own.before;
      const scale = Math.max(Math.abs(own.after), Math.abs(without), 1e-9 * Math.abs(by));
      const difference = Math.abs(own.after - without) / scale;
      if (difference < tolerance) continue;
      const [first] = ways;
      const equation = structure.equations.find((e) => e.origin === first);
      return {
        property: 'causal',
        holds: false,
        meaning: meanings.causal,
        because: `at ${short(at)} s the input jumps by ${short(by)}, and the output at the same moment from ${short(without)} to ${short(own.after)}`,
        counterexample: {
          inputs: [
            { label: 'with the jump', input, text: inputText(input), shift: 0 },
            { label: 'without it', input: t.u, text: inputText(t.u), shift: 0 },
          ],
          at,
          leftText: 'output just after the input has jumped',
          rightText: 'output at that moment without the jump',
          left: own.after,
          right: without,
          traces: {
            time: [0, at, at],
            left: [own.before, own.before, own.after],
            right: [own.before, own.before, without],
          },
        },
        difference,
        culprit: first && {
          quantity: equation ? quantityOf(box, equation) : '',
          equation: first.text,
          place: first.place,
          part: first.part,
          piece: '',
          without: `the way through at once: ${ways.map((o) => o.text).join(', then ')}`,
        },
        tried: { inputs, runs, failed, seed: space.seed },
      };
    }
  }
  return {
    property: 'causal',
    holds: 'not refuted',
    meaning: meanings.causal,
    because: `there is a way from the input to the output at once, but none of ${inputs} jumps of the input showed at the same moment`,
    counterexample: undefined,
    difference: 0,
    culprit: undefined,
    tried: { inputs, runs, failed, seed: space.seed },
  };
}
