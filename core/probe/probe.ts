import type { FlatModel } from '../flatten/flat-model';
import { problem, type Problem } from '../language/diagnostics';
import { blame } from './blame';
import { boundedness } from './bounded';
import { makeBox, type Box } from './box';
import { inputText } from './input';
import { passage } from './passage';
import { meanings, sidesOf, type Compared, type PropertyName, type RunAs } from './properties';
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
  readonly from: string;
  readonly to: string;
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
  const row = shownRow(property, found);
  return {
    property,
    holds: false,
    meaning: meanings[property],
    because: `at ${short(compared.time[row])} s: ${sides.leftText(trial)} ${short(compared.left[row])}, ${sides.rightText(trial)} ${short(compared.right[row])}${elsewhere ? '; for other inputs the greater input gives the greater output' : ''}`,
    counterexample: counterexampleOf(sides.runs(trial), compared, row, sides.leftText(trial), sides.rightText(trial)),
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
  runs: readonly RunAs[],
  { left, right, time }: Compared,
  row: number,
  leftText: string,
  rightText: string,
): Counterexample {
  return {
    inputs: runs.map(({ label, input, shift = 0 }) => ({ label, input, text: inputText(input), shift })),
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
