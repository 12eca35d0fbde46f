import { fork, type ChildProcess } from 'node:child_process';
import { tubeCapper } from '../samples/tube-capper';
import { createRun, isRunnable, prepareRun } from '../core/run';
import type { Project } from '../core/project/project';
import { pointsOf } from '../core/studies/design';
import { fit } from '../core/studies/fit';
import { simulatedAt, type Course } from '../core/studies/fit-model';
import { spreadOver, type RunWorker } from '../core/studies/many';
import { createRunner, type RunAsked, type RunOutcome } from '../core/studies/runner';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { parseFile } from '../core/language/parse';
import { compile } from '../core/simulate/compile';
import type { FromWorker } from '../cli/worker';
import { milliseconds, row, time } from './measure';

const count = 1000;

/** A process of the command that carries out runs. */
async function started(question: object): Promise<{ readonly worker: RunWorker; readonly child: ChildProcess }> {
  const child = fork('cli/zelvar.mjs', ['worker'], {
    serialization: 'advanced',
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const answer = (message: object): Promise<FromWorker> =>
    new Promise((resolve) => {
      child.once('message', resolve);
      child.send(message);
    });
  await answer({ kind: 'begin', question });
  return {
    child,
    worker: {
      async run(asked: readonly RunAsked[]): Promise<readonly RunOutcome[]> {
        const done = await answer({ kind: 'run', asked });
        return done.kind === 'done' ? done.outcomes : [];
      },
    },
  };
}

/** `npm run bench -- studies`: it takes a few minutes. */
async function benchStudies(): Promise<void> {
  console.log('Studies');
  const project = tubeCapper as Project;
  const [setup] = project.setups;
  const question = { project, setup, over: ['spindle.friction', 'cap.seatStiffness'], aims: [] };
  const { value: points } = pointsOf({
    variations: [
      { name: 'spindle.friction', kind: 'random', of: { kind: 'normal', mean: 2e-4, deviation: 2e-5 } },
      { name: 'cap.seatStiffness', kind: 'random', of: { kind: 'uniform', low: 2.2, high: 2.6 } },
    ],
    runs: count,
    seed: 1,
    drawing: 'slices',
    correlations: [],
  });
  const asked = points!.map((values) => ({ values }));
  const workers = await Promise.all([started(question), started(question)]);
  const took = async (n: number): Promise<number> => {
    const begin = performance.now();
    const outcomes = await spreadOver(workers.slice(0, n).map((w) => w.worker)).run(asked);
    if (outcomes.length !== count || outcomes.some((o) => o.status !== 'finished')) throw new Error('A run has failed');
    return (performance.now() - begin) / 1000;
  };
  await took(2);
  const [one, two] = [await took(1), await took(2)];
  workers.forEach((w) => w.child.disconnect());
  row(
    `${count} runs of the capper, by two workers instead of one`,
    `${((100 * one) / (2 * two)).toFixed(0)} %`,
    'at least 85 %',
  );
  const runner = createRunner(question).value!;
  const prepared = prepareRun(project, setup);
  if (!isRunnable(prepared)) throw new Error('The capper does not run');
  const plain = Array.from({ length: 12 }, () =>
    time(() => createRun(prepared, { record: [] }).simulation.advance(Infinity)),
  );
  const studied = Array.from({ length: 12 }, (_, k) => time(() => void runner.run(asked[k])));
  const ratio = Math.min(...studied) / Math.min(...plain);
  row('a run of a study over a plain one', `${ratio.toFixed(2)}x`, 'near 1');

  const text =
    'model M input Real u; parameter Real J = 0.02; parameter Real b = 0.1; parameter Real k = 0.5; Real w(start = 0, fixed = true), x(start = 0, fixed = true); equation J*der(w) = k*u - b*w - 0.2*sin(x); der(x) = w; end M;';
  const parsed = parseFile(text).value;
  const { model } = flatten(libraryOfFile(parsed, 'm'), 'M', {
    signals: [
      {
        target: 'u',
        expr: (
          parseFile('model X Real y = sin(3*time) + sin(7*time); end X;').value[0].elements[0] as never as {
            modification: { value: never };
          }
        ).modification.value,
        place: 'm',
      },
    ],
  });
  const { program } = compile(model);
  const fitted = {
    program: program!,
    model,
    options: {
      stop: 1,
      solver: 'auto' as const,
      relative: 1e-8,
      absolute: 1e-11,
      step: 1e-3,
      recordEvery: 1e-3,
      values: new Map<number, number>(),
      stimulus: [],
    },
  };
  const free = ['J', 'b', 'k'].map((name) => model.indexOf.get(name)!);
  const at: Course = {
    quantity: 'w',
    column: 'w',
    unit: '',
    time: Float64Array.from({ length: 2000 }, (_, k) => k / 200),
    values: new Float64Array(2000),
  };
  const truth = simulatedAt(fitted, free, [at]).at([0.02, 0.05, 0.3])!;
  const course = { ...at, values: truth[0].map((x, k) => x + 0.05 * Math.sin(k * k)) };
  const fits: number[] = [];
  for (let k = 0; k < 3; k++) {
    const begin = performance.now();
    const ranges = [
      ['J', 0.005, 0.1],
      ['b', 0, 0.5],
      ['k', 0.05, 2],
    ] as const;
    const found = await fit(
      simulatedAt(fitted, free, [course]),
      [course],
      ranges.map(([name, low, high]) => ({ name, low, high, nominal: undefined })),
      { holdBack: 0, seed: 1 },
    );
    if (Math.abs(found!.values[2].value - 0.3) > 0.02) throw new Error('The fit went astray');
    fits.push((performance.now() - begin) / 1000);
  }
  row('a fit of 3 values to 2,000 samples', milliseconds(fits), 'below 5000');
}

void benchStudies();
