import * as Comlink from 'comlink';
import { createEngine } from '../core/run/engine';
import { caseProblems } from '../core/proof/check-cases';
import { studyProblems } from '../core/studies/study';
import { arraysOf } from '../core/run/protocol';
import { askHost } from './ask-host';

/** A shell: the engine is core. */
Comlink.expose(
  createEngine(
    (update) => Comlink.transfer(update, arraysOf(update)),
    Date.now(),
    (p) => [...studyProblems(p), ...caseProblems(p)],
    askHost,
  ),
);
