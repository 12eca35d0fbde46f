export { messageTarget, prepareRun, type Prepared, type WatchedRequirement } from './prepare';
export { createRun, isRunnable, type RequirementFinding, type Run } from './run';
