import type { LinearModel } from './linearise';
import { sampledMatrices, type SamplingMethod } from './matrices';

/** A continuous model from tick to tick. One with delays inside cannot be taken this way. */
export const sampledModel = (model: LinearModel, T: number, method: SamplingMethod): LinearModel => ({
  ...model,
  ...sampledMatrices(model, T, method),
});
