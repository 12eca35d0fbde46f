import { tell } from '../flatten/flat-text';
import { constraintProblem, runProblem, unsettledProblem } from './failure';
import { fail, hasFailed, tellBroken, type RunningSimulation } from './running';

const maximumIterations = 200;

/**
 * Event iteration: evaluates the equations at this instant until conditions, discrete values and restarts have settled. False where
 * they do not.
 */
export function settle(run: RunningSimulation, initial = false): boolean {
  const { machine, state } = run;
  const restarts: (readonly [number, number])[] = [];
  for (let iteration = 0; iteration < maximumIterations; iteration++) {
    if (initial) machine.initial(state.clock.time);
    else machine.event(state.clock.time);
    let changed = takeConditions(run);
    // loops hold their conditions while they are solved: those that fit the solution come first, with the values before the event as they were
    if (changed && !initial) continue;
    carryOutActions(run, initial, iteration === 0, restarts);
    if (!initial) run.charts.noteMoments();
    // at the start, values before it are the start values until the conditions have settled; the event iteration goes on from there
    if (initial && changed) continue;
    if (takeDiscrete(run) && !initial) changed = true;
    if (!initial && run.program.promptTicks && tickIsOver(run)) changed = true;
    if (setAnew(run, restarts)) changed = true;
    restarts.length = 0;
    if (!changed) {
      if (!initial) run.rests.settled(state.clock.time);
      return true;
    }
  }
  fail(
    run,
    unsettledProblem(state.clock.time, 'The equations do not settle: conditions keep switching each other', []),
  );
  return false;
}

/** Held conditions become what they are now; whether one has changed. */
function takeConditions({ machine, state, rests }: RunningSimulation): boolean {
  const { m, live } = state.memory;
  if (m.length === 0) return false;
  machine.conditions(state.clock.time);
  let changed = false;
  for (let k = 0; k < m.length; k++) {
    if (m[k] !== live[k]) {
      m[k] = live[k];
      changed = true;
    }
  }
  rests.follow();
  return changed;
}

/** Actions of equations (`reinit`, `send`, `terminate`) whose conditions have come to hold. */
function carryOutActions(
  run: RunningSimulation,
  initial: boolean,
  first: boolean,
  restarts: (readonly [number, number])[],
): void {
  const { program, machine, state, charts } = run;
  const { v, pre } = state.memory;
  if (program.solvable.model.actions.length === 0) return;
  program.solvable.model.actions.forEach((action, k) => {
    const fires =
      (initial && action.atInitial && first) || (!initial && action.conditions.some((c) => v[c] !== 0 && pre[c] === 0));
    if (!fires) return;
    const [guard, ...values] = machine.action(k, state.clock.time);
    if (!guard) return;
    if (action.does.kind === 'reinit') restarts.push([action.does.state, values[0]]);
    else if (action.does.kind === 'send') charts.send(action.does.send, values);
    else if (action.does.kind === 'assert') {
      // assertions of all moments are counted from 0 on
      if (!values[0]) tellBroken(run, -1 - k, { ...action.does, origin: action.origin });
    } else {
      state.ended = true;
      const words = tell(action.does.message, v, state.clock.time) || 'terminate';
      state.ending = {
        ...runProblem('ended', `Ended itself: ${words}`, state.clock.time, action.origin),
        severity: 'info',
      };
    }
  });
}

/** What is set at a tick has been set; whether there was one. */
function tickIsOver({ state }: RunningSimulation): boolean {
  const { s } = state.memory;
  let any = false;
  for (let k = 0; k < s.length; k++) {
    if (s[k] === 0) continue;
    s[k] = 0;
    any = true;
  }
  return any;
}

/** Values before the event follow what changes at events only; whether another pass has to follow. */
function takeDiscrete({ discrete, state, program: { former } }: RunningSimulation): boolean {
  const { v, pre } = state.memory;
  let changed = false;
  for (const k of discrete) {
    // what is not known yet has no value, and stays so
    if (pre[k] !== v[k] && !(Number.isNaN(pre[k]) && Number.isNaN(v[k]))) {
      pre[k] = v[k];
      if (former[k] !== 0) changed = true;
    }
  }
  return changed;
}

/** Gives states their new values, and takes the others back onto the constraints of the model. */
function setAnew(run: RunningSimulation, restarts: readonly (readonly [number, number])[]): boolean {
  if (restarts.length === 0) return false;
  const { state, projection } = run;
  const { v, pre } = state.memory;
  for (const [k, value] of restarts) v[k] = pre[k] = value;
  state.restarted = true;
  if (projection && !hasFailed(run) && !projection.project(state.clock.time, new Set(restarts.map(([k]) => k))))
    fail(run, constraintProblem(run.program, state.clock.time, state.memory, 0));
  return true;
}
