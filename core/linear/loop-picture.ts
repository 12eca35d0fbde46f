import type { Project } from '../project/project';
import { unwrapped, type Complex } from './complex';
import { closedBandwidth, linearReport } from './linear-report';
import { closedLoop, comesBack } from './closed-loop';
import type { LinearModel } from './linearise';
import { frequencies } from './margins';
import { modesOf, type Mode } from './modes';
import { atMoment, quietest, type Answer, type LoopQuestion } from './moment';
import { polesOf } from './poles';
import { sampledModel } from './sampled-model';

export type { LoopQuestion } from './moment';

/** A loop as its charts show it: plain numbers. */
export interface LoopPicture {
  readonly time: number;
  readonly isAtRest: boolean;
  /** It has delays inside: they are in gain and phase, but there are no poles, modes or answers to a step. */
  readonly hasDelays: boolean;
  /** Of the model; where a loop was opened, of that closed again. Empty where there are too many states. */
  readonly modes: readonly Mode[];
  readonly states: readonly string[];
  readonly poles: readonly Complex[];
  readonly zeros: readonly Complex[];
  /** Whether the input comes to the output at all. */
  readonly reaches: boolean;
  /** Null where delays inside leave it open. */
  readonly isStable: boolean | null;
  readonly every: number | null;
  /** Null where there is no end to it. */
  readonly gainMargin: number | null;
  readonly gainMarginAt: number | null;
  /** In rad. */
  readonly phaseMargin: number | null;
  readonly phaseMarginAt: number | null;
  readonly delayMargin: number | null;
  readonly bandwidth: number | null;
  readonly dcGain: number | null;
  /** In rad/s. */
  readonly w: readonly number[];
  /** From input to output: gain in dB, phase in degrees without jumps. */
  readonly gain: readonly number[];
  readonly phase: readonly number[];
  /** Of the loop: real and imaginary part. */
  readonly loop: readonly Complex[];
  /** Poles with the loop closed again, where it was opened; those above else. */
  readonly closedPoles: readonly Complex[];
  /** Answer to a step by 1 at the input; where a loop was opened, what comes back in the closed loop for a step there. */
  readonly step: { readonly time: readonly number[]; readonly y: readonly number[] };
}

/** Runs a project to a moment and looks at the loop there. */
export function loopPicture(project: Project, question: LoopQuestion): Answer<LoopPicture> {
  const moment = atMoment(project, question);
  if (!moment.value) return { value: undefined, problems: moment.problems };
  const { prepared, simulation } = moment.value;
  const { value: r, problems } = linearReport(prepared.program, simulation, question);
  if (!r) return { value: undefined, problems };
  const w = frequencies(r.range, r.every === undefined ? r.poles : [], 60);
  const isOpened = question.open !== undefined && question.from === question.open && question.to === question.open;
  const again = closedLoop(r.opened);
  // with delays inside, poles are not those of a matrix
  const hasDelays = r.opened.delays.length > 0 || r.model.delays.length > 0;
  const closedPoles = hasDelays ? [] : isOpened ? polesOf(again) : r.poles;
  const closed = w.map((x) => (isOpened ? comesBack(r.loopAt(x)) : r.at(x)));
  const nameOf = (k: number): string => prepared.program.solvable.model.variables[k].name;
  const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);
  return {
    problems,
    value: {
      // a run of no length stands at its start
      time: question.at <= quietest && !question.rest ? 0 : simulation.time,
      isAtRest: question.rest === true,
      hasDelays,
      modes: hasDelays
        ? []
        : (modesOf(isOpened ? again : r.model, isOpened ? again.states.map(nameOf) : r.states, r.every) ?? []),
      states: r.states,
      poles: r.poles,
      zeros: r.zeros ?? [],
      reaches: r.zeros !== undefined,
      isStable: (isOpened ? r.closedHolds : r.isStable) ?? null,
      closedPoles,
      every: r.every ?? null,
      gainMargin: finite(r.gainMargin),
      gainMarginAt: finite(r.gainMarginAt),
      phaseMargin: finite(r.phaseMargin),
      phaseMarginAt: finite(r.phaseMarginAt),
      delayMargin: finite(r.delayMargin),
      bandwidth: finite(isOpened ? closedBandwidth(r) : r.bandwidth),
      dcGain: finite(isOpened ? comesBack(r.loopAt(0))[0] : r.dcGain),
      w,
      gain: closed.map(([re, im]) => 20 * Math.log10(Math.hypot(re, im))),
      phase: unwrapped(closed),
      loop: w.map((x) => r.loopAt(x)),
      step: isOpened ? stepResponse(again, r.every, closedPoles) : stepResponse(r.model, r.every, r.poles),
    },
  };
}

const points = 300;

/** The answer to a step by 1, from rest: exact at its points, as what goes in is constant between them. */
export function stepResponse(
  model: LinearModel,
  every: number | undefined,
  poles: readonly Complex[],
): { readonly time: readonly number[]; readonly y: readonly number[] } {
  if (model.delays.length > 0) return { time: [], y: [] };
  let [T, count] = [every ?? 0, points];
  if (every === undefined) {
    const dying = poles.flatMap(([re]) => (re < -1e-9 ? [-re] : []));
    const swinging = poles.map(([, im]) => Math.abs(im)).filter((x) => x > 1e-9);
    const slowest = dying.length > 0 ? Math.min(...dying) : swinging.length > 0 ? Math.min(...swinging) / 4 : 1;
    T = 7 / slowest / points;
  } else {
    const slow = Math.max(...poles.map(([re, im]) => Math.hypot(re, im)).filter((x) => x < 1 - 1e-9), 0.5);
    count = Math.min(5000, Math.max(20, Math.ceil(-7 / Math.log(slow))));
  }
  const { A, B, C, D } = every === undefined ? sampledModel(model, T, 'hold') : model;
  const n = A.length;
  let x = new Float64Array(n);
  const time: number[] = [],
    y: number[] = [];
  for (let k = 0; k <= count; k++) {
    time.push(k * T);
    y.push((D[0]?.[0] ?? 0) + x.reduce((sum, v, j) => sum + C[0][j] * v, 0));
    const next = new Float64Array(n);
    for (let i = 0; i < n; i++) next[i] = A[i].reduce((sum, a, j) => sum + a * x[j], B[i][0]);
    x = next;
  }
  return { time, y };
}
