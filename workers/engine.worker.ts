import * as Comlink from 'comlink';
import { createEngine } from '../core/run/engine';

/** A shell: the engine is core. Columns that are equal share an array, which can be handed over once only. */
Comlink.expose(
  createEngine((update) =>
    Comlink.transfer(update, [
      ...new Set([update.chunk.time.buffer, ...update.chunk.columns.map((c) => c.values.buffer)]),
    ]),
  ),
);
