import type { FunctionTime, RunningStep } from '../stepcode/running-step';
import { legalName } from '../stepcode/c-names';
import type { StepProgram } from '../stepcode/step-program';
import { writeC } from '../stepcode/write-c';
import { stepOnTarget, type Area, type Layout, type Target } from './target';

/** The generated C compiled for the machine it is compiled on. */
export interface HostBuild {
  /** Names it where it was compiled. */
  readonly id: string;
  /** The text it was compiled from, so that it is never taken for one of another state. */
  readonly source: string;
  readonly layout: Layout;
  /** Bytes of state, inputs and outputs. */
  readonly sizes: readonly [number, number, number];
  /** Of the clock, in nanoseconds. */
  readonly resolution: number;
}

export const hostSource = (program: StepProgram): string => {
  const { header, source } = writeC(program);
  return `${header}\n${source}`;
};

const areas: readonly Area[] = ['state', 'input', 'output'];
const codes = { init: 105, step: 115 } as const;
/** Bytes of a question: what is to be done, and the memory it is done to. */
export const askedBytes = ({ sizes }: Pick<HostBuild, 'sizes'>): number => 1 + sizes[0] + sizes[1] + sizes[2];
/** Bytes of an answer: nanoseconds, and the memory as it is then. */
export const answeredBytes = ({ sizes }: Pick<HostBuild, 'sizes'>): number => 8 + sizes[0] + sizes[1] + sizes[2];
/** Whether bytes are a question that can be handed to the compiled program. */
export const isAsked = (build: Pick<HostBuild, 'sizes'>, bytes: Uint8Array): boolean =>
  bytes.length === askedBytes(build) && (bytes[0] === codes.init || bytes[0] === codes.step);

/**
 * Steps that are gone somewhere else, by a function from memory to memory: nothing of a run stays there, so that a run may go on from any
 * moment, and several may go on at once.
 */
export function stepOnHostBuild(
  program: StepProgram,
  build: HostBuild,
  ask: (question: Uint8Array) => Uint8Array,
): RunningStep {
  const question = new Uint8Array(askedBytes(build));
  const ends = [1, 1 + build.sizes[0], 1 + build.sizes[0] + build.sizes[1]];
  const memory = build.sizes.map((n, k) => question.subarray(ends[k], ends[k] + n));
  const time = { calls: 0, total: 0, min: Infinity, max: 0 };
  const go = (code: number): number => {
    question[0] = code;
    const answer = ask(question);
    if (answer.length !== answeredBytes(build)) throw new Error('The compiled program ended before its time');
    question.set(answer.subarray(8), 1);
    return new DataView(answer.buffer, answer.byteOffset).getFloat64(0, true);
  };
  const at = (area: Area): Uint8Array => memory[areas.indexOf(area)];
  const target: Target = {
    init: () => void go(codes.init),
    step() {
      const ns = go(codes.step);
      time.calls++;
      time.total += ns;
      time.min = Math.min(time.min, ns);
      time.max = Math.max(time.max, ns);
    },
    read: (area, offset, length) => at(area).slice(offset, offset + length),
    write: (area, offset, bytes) => at(area).set(bytes, offset),
  };
  return {
    ...stepOnTarget(program, build.layout, target),
    profile: () => ({
      unit: 'ns',
      functions: time.calls === 0 ? [] : [timeOf(`${legalName(program.name)}_step`, time)],
      note: `As the clock of this machine tells it (in steps of ${build.resolution} ns), with whatever else it did`,
    }),
  };
}

const timeOf = (
  name: string,
  { calls, total, min, max }: Omit<FunctionTime, 'name' | 'mean'> & { readonly total: number },
): FunctionTime => ({ name, calls, min, mean: total / calls, max });
