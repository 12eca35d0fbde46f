import * as Comlink from 'comlink';
import { createEngine } from '../core/run/engine';

/** A shell: the engine is core. */
Comlink.expose(
  createEngine((update) =>
    Comlink.transfer(update, [update.chunk.time.buffer, ...update.chunk.columns.map((c) => c.values.buffer)]),
  ),
);
