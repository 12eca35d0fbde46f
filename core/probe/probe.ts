import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { blame } from './blame';
import { boundedness } from './bounded';
import { makeBox, type Box } from './box';
import { admitted, inputText } from './input';
import { passage } from './passage';
import { kindsOf, meanings, sidesOf, type Compared, type PropertyName, type RunAs } from './properties';
import {
  rows,
  short,
  tolerance,
  type Asking,
  type Counterexample,
  type ProbeReport,
  type PropertyAnswer,
} from './report';
import { spaceOf } from './running-space';
import { slopePassed, slopeRemembered, slopeUnbounded } from './rates';
import { searchFor, type Found } from './search';
import { structureOf } from './structure';
import type { TrialSpace } from './trials';

/**
 * What a box really is: each property is decided by the structure of its equations where that suffices; otherwise both sides of it are
 * driven with many inputs, and then with changes of the one that came nearest to a difference. A difference that is found is shown with
 * the plainest input that still shows it, and with what in the box is to blame. Where none is found, the property is not refuted; it is
 * never called proven.
 */
export interface ProbeQuestion {
  /** One input, or several that are driven together. */
  readonly from: readonly string[];
  /** One output, or several that are looked at one after the other. */
  readonly to: readonly string[];
  readonly properties: readonly PropertyName[];
  /** How many inputs are tried per property. */
  readonly effort: number;
  readonly seed: number;
}

export function probe(
  model: FlatModel,
  question: ProbeQuestion,
  goOn: (done: number, of: number) => boolean = () => true,
): { readonly value: ProbeReport | undefined; readonly problems: readonly Problem[] } {
  const { from, to, properties, effort, seed } = question;
  const looked: { readonly output: string; readonly asking: Omit<Asking, 'more'> }[] = [];
  for (const output of to) {
    const made = makeBox(model, from, output);
    if (!made.value) return { value: undefined, problems: made.problems };
    const box = made.value;
    const structure = structureOf(box);
    looked.push({ output, asking: { box, structure, space: spaceOf(box, structure, seed), effort } });
  }
  if (looked.length === 0)
    return { value: undefined, problems: [problem('error', 'no-output', 'No output is named to look at')] };
  const answers: PropertyAnswer[] = [];
  for (const [k, property] of properties.entries()) {
    const found: PropertyAnswer[] = [];
    for (const [j, { output, asking }] of looked.entries()) {
      const more = (share: number): boolean => goOn(k + (j + share) / looked.length, properties.length);
      if (!more(0)) return { value: { from, to, answers }, problems: [] };
      asking.box.meter.spent = 0;
      const one = answer(property, { ...asking, more });
      if (one.holds === 'not refuted' && one.tried.inputs > 0 && one.tried.failed === one.tried.inputs)
        return { value: undefined, problems: [noRun(asking.box, asking.space)] };
      found.push(looked.length > 1 ? { ...one, because: `${output}: ${one.because}` } : one);
      if (one.holds === false) break;
    }
    answers.push(together(found));
  }
  return { value: { from, to, answers }, problems: [] };
}

/** What several outputs are together: refuted where one is, and held only where all do. */
function together(all: readonly PropertyAnswer[]): PropertyAnswer {
  const [first] = all;
  if (all.length === 1) return first;
  const refuted = all.find((a) => a.holds === false);
  if (refuted) return refuted;
  const open = all.filter((a) => a.holds === 'not refuted');
  const shown = open.length > 0 ? open : all;
  return {
    ...shown[0],
    because: shown.map((a) => a.because).join('; '),
    difference: Math.max(...all.map((a) => a.difference)),
    tried: {
      inputs: all.reduce((n, a) => n + a.tried.inputs, 0),
      runs: all.reduce((n, a) => n + a.tried.runs, 0),
      failed: all.reduce((n, a) => n + a.tried.failed, 0),
      seed: first.tried.seed,
    },
  };
}

/** Why nothing can be driven. */
function noRun(box: Box, { stop }: TrialSpace): Problem {
  const { problem: why } = box.run({ steps: [], waves: [] }, { stop, rows });
  return why ?? problem('error', 'probe', 'This cannot be driven: no run of it comes to its end');
}

const needsNumbers: ReadonlySet<PropertyName> = new Set(['homogeneous', 'additive', 'odd']);

function answer(property: PropertyName, asking: Asking): PropertyAnswer {
  const none = { inputs: 0, runs: 0, failed: 0, seed: asking.space.seed };
  // what is true or false has no multiples
  if (needsNumbers.has(property) && asking.box.inputs.some((x) => x.kind === 'truth'))
    return {
      property,
      holds: 'not refuted',
      meaning: meanings[property],
      because: 'an input that is true or false cannot be multiplied or added: there is nothing to try',
      counterexample: undefined,
      difference: 0,
      culprit: undefined,
      tried: none,
    };
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
  if (asking.structure.takesRate) {
    if (property === 'causal') return slopePassed(asking);
    const seen =
      property === 'memoryless' ? slopeRemembered(asking) : property === 'bounded' ? slopeUnbounded(asking) : undefined;
    if (seen) return seen;
  }
  if (property === 'bounded') return boundedness(asking);
  if (property === 'causal') return passage(asking);
  const sides = sidesOf[property]!;
  const search = searchFor(property, sides, asking);
  const { found, nearest, tried, elsewhere, isCut } = search;
  if (!found)
    return {
      property,
      holds: 'not refuted',
      meaning: meanings[property],
      because:
        nearest > tolerance
          ? `of ${tried.inputs} inputs some showed a difference of up to ${short(nearest)} of the output, but not the same when computed more exactly`
          : `none of ${tried.inputs} inputs showed a difference above ${tolerance} of the output (the nearest: ${short(nearest)})${isCut ? '; no more were tried, for each takes long: it switches, or its equations are solved, very often' : ''}`,
      counterexample: undefined,
      difference: nearest,
      culprit: undefined,
      tried,
    };
  const { trial, driven } = found;
  const { compared } = driven;
  const row = shownRow(property, found);
  return {
    property,
    holds: false,
    meaning: meanings[property],
    because: `at ${short(compared.time[row])} s: ${sides.leftText(trial)} ${short(compared.left[row])}, ${sides.rightText(trial)} ${short(compared.right[row])}${elsewhere ? '; for other inputs the greater input gives the greater output' : ''}`,
    counterexample: counterexampleOf(
      asking,
      sides.runs(trial),
      compared,
      row,
      sides.leftText(trial),
      sides.rightText(trial),
    ),
    difference: nearest,
    culprit: blame(property, sides, asking, trial),
    tried,
  };
}

/** The row that shows it: of an order, where it is turned round. */
function shownRow(property: PropertyName, { trial, driven: { compared } }: Found): number {
  if (property !== 'monotone') return compared.row;
  return trial.bump.by > 0 ? compared.belowRow : compared.aboveRow;
}

function counterexampleOf(
  { box, space }: Asking,
  runs: readonly RunAs[],
  { left, right, time }: Compared,
  row: number,
  leftText: string,
  rightText: string,
): Counterexample {
  return {
    inputs: runs.map(({ label, input: own, shift = 0 }) => {
      const input = admitted(own, kindsOf(box), space.stop);
      return { label, input, text: inputText(input, box.inputs), shift };
    }),
    at: time[row],
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
        ? 'no states, former values or delays in it rest on the input'
        : undefined;
    case 'causal':
      return structure.passage === undefined && !hasCharts && !takesRate
        ? 'between the input and the output there is always a state, a former value or a delay'
        : undefined;
    case 'monotone':
      return isLinear &&
        box.inputs.length === 1 &&
        structure.memory.length === 0 &&
        structure.clock === 'none' &&
        !hasCharts &&
        !takesRate
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
