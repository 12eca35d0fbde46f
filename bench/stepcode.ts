import { createRun, isRunnable, prepareRun } from '../core/run';
import { stepProgramOf } from '../core/stepcode/controller';
import { compiledHere } from '../cli/compiled';
import { boards } from '../core/boards/board';
import { stagedRun } from '../core/run/staged';
import { createStep } from '../core/stepcode/write-js';
import { tubeCapper } from '../samples/tube-capper';
import { row, spread, time } from './measure';

/** Controllers in steps: the whole product with one, and the steps alone. */
function benchStepcode(): void {
  const seconds = 10;
  const setup = { ...tubeCapper.setups[0], stop: seconds };
  const designed = (): number => {
    const prepared = prepareRun(tubeCapper, setup);
    if (!isRunnable(prepared)) throw new Error('the capper does not run');
    const run = createRun(prepared);
    return time(() => run.simulation.advance(Infinity));
  };
  const code = (): number => {
    const { value } = stagedRun(tubeCapper, setup, new Map([['ctrl', 'code']]));
    if (!value) throw new Error('the controller of the capper does not go in steps');
    return time(() => value.run.simulation.advance(Infinity));
  };
  const pairs = Array.from({ length: 8 }, () => [designed(), code()] as const).slice(2);
  const inSteps = spread(pairs.map(([, c]) => c));
  row(
    'capper with its controller as code, steps of 1 ms: times real time',
    `${(seconds / inSteps.middle).toFixed(0)}..${(seconds / inSteps.least).toFixed(0)}x`,
    'over 50x',
  );
  row(
    '  to as designed, side by side',
    `${(pairs.reduce((s, [d, c]) => s + c / d, 0) / pairs.length).toFixed(2)}x`,
    'time of one to that of the other',
  );
  for (const board of boards) {
    const onBoard = (): number | string => {
      const { value, problems } = stagedRun(tubeCapper, setup, new Map([['ctrl', `board:${board.id}` as const]]), {
        compiledSteps: compiledHere,
      });
      return value ? time(() => value.run.simulation.advance(Infinity)) : problems[0].message;
    };
    const all = [onBoard(), onBoard(), onBoard()];
    const wrong = all.find((x) => typeof x === 'string');
    if (wrong !== undefined) row(`  on ${board.name}`, String(wrong), '');
    else {
      const t = spread(all as number[]);
      row(
        `  on ${board.name}, steps of 1 ms: times real time`,
        `${(seconds / t.middle).toFixed(1)}..${(seconds / t.least).toFixed(1)}x`,
        'above real time',
      );
    }
  }
  const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
  const { program } = stepProgramOf(tubeCapper, type);
  if (!program) throw new Error('the controller of the capper cannot be put into code');
  const run = createStep(program);
  run.init();
  const steps = 200_000;
  const alone = spread(
    Array.from({ length: 6 }, () =>
      time(() => {
        for (let k = 0; k < steps; k++) run.step();
      }),
    ),
  );
  row(
    '  its steps alone: times real time',
    `${((steps * program.period) / alone.middle).toFixed(0)}..${((steps * program.period) / alone.least).toFixed(0)}x`,
    '',
  );
}

benchStepcode();
