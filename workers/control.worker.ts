import * as Comlink from 'comlink';
import { loopPicture } from '../core/linear/loop-picture';
import { probeType } from '../core/probe/probe-project';
import { compareForms } from '../core/probe/compare-forms';
import type { ProbeQuestion } from '../core/probe/probe';
import type { Project } from '../core/project/project';

/** A shell: what boxes are and how loops look is core. Stopping is ending the thread. */
const service = {
  probe: (
    project: Project,
    type: string,
    question: ProbeQuestion,
    tell: (share: number) => void,
  ): ReturnType<typeof probeType> => {
    let told = 0;
    return probeType(project, type, question, (done, of) => {
      const now = performance.now();
      if (now - told > 100) {
        told = now;
        tell(done / of);
      }
      return true;
    });
  },
  loop: loopPicture,
  forms: compareForms,
};
export type ControlService = typeof service;
Comlink.expose(service);
