import { hostSource, isAsked, stepOnHostBuild, type HostBuild } from '../core/boards/host-build';
import type { RunningStep } from '../core/stepcode/running-step';
import type { StepProgram } from '../core/stepcode/step-program';
import { compileOnHost, type HostProgram } from './step-on-host';

/** Compiled programs, and the processes that go their steps; what was wanted last is kept. */

/** Milliseconds after which a process that nobody asks is ended; it is begun again when it is asked. */
const patience = 60_000;

interface Kept {
  readonly program: HostProgram;
  process?: ReturnType<HostProgram['open']> | undefined;
  timer?: ReturnType<typeof setTimeout> | undefined;
}
export interface KeptPrograms {
  /** The build of a program, compiled where it is not there yet; why not, where it cannot be. */
  buildOf(program: StepProgram): HostBuild | string;
  /** Answers a question to a build; undefined where it is not there any more, or this is none. */
  answer(id: string, question: Uint8Array): Uint8Array | undefined;
  /** The steps of a program, gone here; why not, where they cannot be. */
  stepsOf(program: StepProgram): { create(): RunningStep } | string;
}

export function createKeptPrograms(most = 12): KeptPrograms {
  const kept = new Map<string, Kept>();
  const programs: KeptPrograms = {
    buildOf(program) {
      const source = hostSource(program);
      const there = [...kept].find(([, k]) => k.program.build.source === source);
      if (there) {
        kept.delete(there[0]);
        kept.set(...there);
        return there[1].program.build;
      }
      const made = compileOnHost(program);
      if (typeof made === 'string') return made;
      kept.set(made.build.id, { program: made });
      const [[oldest, last]] = kept;
      if (kept.size > most) {
        kept.delete(oldest);
        end(last);
        last.program.dispose();
      }
      return made.build;
    },
    answer(id, question) {
      const found = kept.get(id);
      if (!found || !isAsked(found.program.build, question)) return undefined;
      found.process ??= found.program.open();
      clearTimeout(found.timer);
      found.timer = setTimeout(() => end(found), patience);
      found.timer.unref();
      try {
        return found.process.ask(question);
      } catch (error) {
        end(found);
        throw error;
      }
    },
    stepsOf(program) {
      const build = programs.buildOf(program);
      if (typeof build === 'string') return build;
      const ask = (question: Uint8Array): Uint8Array => {
        const answer = programs.answer(build.id, question);
        if (answer) return answer;
        // nothing of a run stays there: it is compiled once more where others have taken its place
        const again = programs.buildOf(program);
        if (typeof again === 'string') throw new Error(again);
        return programs.answer(again.id, question)!;
      };
      return { create: () => stepOnHostBuild(program, build, ask) };
    },
  };
  return programs;
}

function end(found: Kept): void {
  clearTimeout(found.timer);
  const { process } = found;
  found.process = undefined;
  process?.close();
}
