import { benchBehaviour } from './behaviour';
import { benchControl } from './control';
import { benchNeeds } from './needs';
import { benchPhysics } from './physics';
import { parseFile } from '../core/language/parse';
import { flatten } from '../core/flatten/flatten';
import { libraryOfFile } from '../core/flatten/library';
import { prepareRun, createRun, isRunnable } from '../core/run';
import { checkProject } from '../core/run/check';
import { applyEdit } from '../core/editing/edits';
import { newQuantity, type Project } from '../core/project/project';
import { compile } from '../core/simulate/compile';
import { createSimulation } from '../core/simulate/simulation';
import { median, milliseconds, row, spread, time } from './measure';
import { benchExplicit } from './explicit';
import { tubeCapper } from '../samples/tube-capper';

/** Speeds as ratios inside one run: absolute times depend on the machine. `npm run bench` prints them. */

function capper(): void {
  const seconds = 20;
  const setup = { ...tubeCapper.setups[0], stop: seconds };
  const prepare = (project: Project) => {
    const prepared = prepareRun(project, setup);
    if (!isRunnable(prepared)) throw new Error('the capper does not run');
    return prepared;
  };
  const [watched, unwatched] = [prepare(tubeCapper), prepare({ ...tubeCapper, requirements: [] })];
  const measure = (prepared: typeof watched): number => {
    const run = createRun(prepared);
    return time(() => {
      run.simulation.advance(Infinity);
      run.recorder.take();
    });
  };
  const first = measure(watched);
  for (let k = 0; k < 12; k++) for (const p of [watched, unwatched]) measure(p);
  const full = Array.from({ length: 20 }, () => measure(watched));
  row(
    'capper with charts, monitors, recording at 1 ms: times real time',
    `${(seconds / spread(full).middle).toFixed(0)}..${(seconds / spread(full).least).toFixed(0)}x`,
    'at least 250x',
  );
  row('  the first run of a process, nothing compiled yet', `${(seconds / first).toFixed(0)}x`, '');
  // side by side in short pieces, so that a machine that is now slower, now faster is the same for both
  const shares = Array.from({ length: 12 }, () => {
    const both = [createRun(watched), createRun(unwatched)];
    return Array.from({ length: 100 }, (_, k) => {
      const piece = [0, 0];
      for (const j of k % 2 ? [0, 1] : [1, 0])
        piece[j] = time(() => both[j].simulation.advance(((k + 1) * seconds) / 100));
      return piece[0] / piece[1];
    });
  });
  const share = median(shares.slice(4).flat()) - 1;
  row('  share of the monitors and their observers', `${(share * 100).toFixed(0)} %`, 'below 15 %');
}

function editing(): void {
  // the capper with 120 quantities more: 200 in all
  const root = tubeCapper.types[0];
  const more = Array.from({ length: 120 }, (_, k) => ({ ...newQuantity(`q-x${k}`, `x${k}`), unit: 'V' }));
  const lines = more.map((q, k) => `${q.name} = ${k === 0 ? 'psu.voltage' : `x${k - 1} + 0.5*psu.voltage`};`);
  const large: Project = {
    ...tubeCapper,
    types: tubeCapper.types.map((t) =>
      t === root ? { ...t, quantities: [...t.quantities, ...more], physics: lines.join('\n') } : t,
    ),
  };
  for (const [what, project, wanted] of [
    ['a project of 200 quantities', large, 'below 50 ms'],
    ['the capper', tubeCapper, 'below 60 ms'],
  ] as const) {
    const { physics } = project.types[0];
    let current = project;
    const times = Array.from({ length: 40 }, (_, k) =>
      time(() => {
        current = applyEdit(current, {
          kind: 'update',
          list: 'type',
          id: root.id,
          changes: { physics: `${physics}\n// ${k}` },
        }).project;
        if (checkProject(current).problems.some((p) => p.severity === 'error'))
          throw new Error('the benchmark has problems');
      }),
    );
    row(`an edited formula checked again in ${what}`, milliseconds(times.slice(10)), wanted);
  }
}

function growth(): void {
  const build = (n: number): number =>
    time(() => {
      const text = `model Ladder parameter Integer n = ${n}; Real u[n]; equation der(u[1]) = 1 - 2*u[1] + u[2]; for i in 2:n - 1 loop der(u[i]) = u[i - 1] - 2*u[i] + u[i + 1]; end for; der(u[n]) = u[n - 1] - u[n]; end Ladder;`;
      const { program } = compile(flatten(libraryOfFile(parseFile(text).value, 'bench'), 'Ladder').model);
      if (!program) throw new Error('the ladder does not compile');
      const simulation = createSimulation(
        program,
        {
          stop: 0.01,
          solver: 'dopri5',
          relative: 1e-3,
          absolute: 1e-6,
          step: 1e-3,
          recordEvery: 0.01,
          values: new Map(),
          stimulus: [],
        },
        { row: () => undefined, message: () => undefined, transition: () => undefined },
      );
      simulation.advance(Infinity);
    });
  build(500);
  const [small, large] = [
    median([build(1000), build(1000), build(1000)]),
    median([build(8000), build(8000), build(8000)]),
  ];
  row(
    'RC ladder, text to running: growth exponent from 1,000 to 8,000',
    (Math.log(large / small) / Math.log(8)).toFixed(2),
    'near 1',
  );
  row('  8,000 equations', `${large.toFixed(2)} s`, '10,000 below 5 s');
}

capper();
benchExplicit();
editing();
growth();
benchPhysics(row);
benchBehaviour(row);
benchControl(row);
await benchNeeds((line) => process.stdout.write(`${line}\n`));
