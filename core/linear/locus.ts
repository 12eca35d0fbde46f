import { problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import type { Complex } from './complex';
import { closedLoop, isDyingAway } from './closed-loop';
import { linearReport, type LinearReport } from './linear-report';
import { atMoment, type Answer, type LoopQuestion } from './moment';
import { polesOf } from './poles';

/** Where the poles of the closed loop go while the gain of the loop, or a parameter, takes other values (Evans 1948). */
export interface LocusQuestion extends LoopQuestion {
  /** Name of a parameter; empty for the gain of the loop, as a factor. */
  readonly over: string;
  readonly low: number;
  readonly high: number;
  readonly count: number;
}

const withDelays = 'With delays inside, poles are not those of a matrix: look at gain and phase';

export interface Locus {
  readonly values: readonly number[];
  /** For each value the poles, each next to that of the value before. */
  readonly poles: readonly (readonly Complex[])[];
  readonly holds: readonly boolean[];
  /** The value at which it begins or ceases to hold, between two that are shown. */
  readonly edges: readonly number[];
  readonly every: number | null;
}

export function locusOf(
  project: Project,
  question: LocusQuestion,
  tell: (share: number) => void = () => undefined,
): Answer<Locus> {
  const { low, high, count, over } = question;
  const refuse = (code: string, message: string): Answer<Locus> => ({
    value: undefined,
    problems: [problem('error', code, message)],
  });
  if (!(Number.isFinite(low) && Number.isFinite(high) && high > low))
    return refuse('range', 'The second value is above the first');
  if (over === '' && low < 0) return refuse('range', 'A factor of the gain is 0 or above');
  // over decades where it goes that far
  const isWide = low > 0 && high / low >= 50;
  const values = Array.from({ length: count }, (_, k) =>
    isWide ? low * (high / low) ** (k / (count - 1)) : low + ((high - low) * k) / (count - 1),
  );
  let polesAt: (value: number) => Answer<{ readonly poles: readonly Complex[]; readonly every: number | undefined }>;
  if (over === '') {
    const moment = atMoment(project, question);
    if (!moment.value) return { value: undefined, problems: moment.problems };
    const { value: r, problems } = linearReport(moment.value.prepared.program, moment.value.simulation, question);
    if (!r) return { value: undefined, problems };
    if (r.opened.delays.length > 0) return refuse('delay', withDelays);
    polesAt = (gain) => ({ value: { poles: closedPoles(r, question, gain), every: r.every }, problems: [] });
  } else
    polesAt = (value) => {
      const moment = atMoment(project, question, [{ name: over, value: String(value) }]);
      if (!moment.value) return { value: undefined, problems: moment.problems };
      const { prepared, simulation } = moment.value;
      const index = prepared.model.indexOf.get(over);
      const kind = index === undefined ? undefined : prepared.model.variables[index].kind;
      if (kind !== 'parameter' && kind !== 'constant')
        return {
          value: undefined,
          problems: [problem('error', 'no-parameter', `${over} is no parameter of ${prepared.model.name}`)],
        };
      const { value: r, problems } = linearReport(prepared.program, simulation, question);
      if (r && r.opened.delays.length > 0)
        return { value: undefined, problems: [problem('error', 'delay', withDelays)] };
      return r
        ? { value: { poles: closedPoles(r, question, 1), every: r.every }, problems }
        : { value: undefined, problems };
    };
  const poles: (readonly Complex[])[] = [];
  let every: number | undefined;
  for (const [k, value] of values.entries()) {
    const answer = polesAt(value);
    if (!answer.value) {
      const at = over === '' ? '' : `With ${over} = ${Number(value.toPrecision(4))}: `;
      return { value: undefined, problems: answer.problems.map((p) => ({ ...p, message: at + p.message })) };
    }
    ({ every } = answer.value);
    poles.push(k === 0 ? answer.value.poles : paired(poles[k - 1], answer.value.poles));
    tell((k + 1) / count);
  }
  const holds = poles.map((p) => isDyingAway(p, every));
  const edges = values.flatMap((_, k) =>
    k > 0 && holds[k] !== holds[k - 1] ? [edgeBetween(values[k - 1], values[k], holds[k - 1])] : [],
  );
  return { value: { values, poles, holds, edges, every: every ?? null }, problems: [] };

  /** The value between two at which it begins or ceases to hold. */
  function edgeBetween(a: number, b: number, first: boolean): number {
    let [from, to] = [a, b];
    for (let k = 0; k < (over === '' ? 50 : 12); k++) {
      const middle = (from + to) / 2;
      const answer = polesAt(middle).value;
      if (!answer) break;
      if (isDyingAway(answer.poles, answer.every) === first) from = middle;
      else to = middle;
    }
    return (from + to) / 2;
  }
}

/** Poles of the loop closed again around what is asked, with another gain. */
function closedPoles(r: LinearReport, { open }: LoopQuestion, gain: number): readonly Complex[] {
  const { opened } = r;
  const scaled = {
    ...opened,
    C: opened.C.map((row) => row.map((x) => gain * x)),
    D: opened.D.map((row) => row.map((x) => gain * x)),
  };
  return polesOf(closedLoop(scaled, open === undefined ? 1 : -1));
}

/** Poles in the order of those before: each takes the nearest that is left, the nearest pairs first. */
export function paired(before: readonly Complex[], now: readonly Complex[]): readonly Complex[] {
  if (before.length !== now.length) return now;
  const all = before
    .flatMap((a, i) => now.map((b, j) => ({ i, j, far: Math.hypot(a[0] - b[0], a[1] - b[1]) })))
    .sort((x, y) => x.far - y.far);
  const found: Complex[] = [];
  const taken = new Set<number>();
  for (const { i, j } of all)
    if (found[i] === undefined && !taken.has(j)) {
      found[i] = now[j];
      taken.add(j);
    }
  return found;
}
