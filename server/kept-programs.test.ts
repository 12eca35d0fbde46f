import { fromBuilt, nothingBuilt } from '@/core/boards/built-steps';
import { askedBytes, type HostBuild } from '@/core/boards/host-build';
import { createRun, type Run } from '@/core/run/run';
import { stagedRun } from '@/core/run/staged';
import { stepProgramOf } from '@/core/stepcode/controller';
import { createStep } from '@/core/stepcode/write-js';
import { expectSame } from '@/core/testing/same-values';
import { tubeCapper } from '@/samples/tube-capper';
import { createKeptPrograms } from './kept-programs';
import { hostCompiler } from './step-on-host';

const compiled = hostCompiler() === undefined ? test.skip : test;
const program = stepProgramOf(
  tubeCapper,
  tubeCapper.types.find((t) => t.name === 'CapperControl')!,
).program!;
const { buildOf: keptBuild, answer: answerOfKept, stepsOf } = createKeptPrograms(2);
const build = (): HostBuild => {
  const made = keptBuild(program);
  if (typeof made === 'string') throw new Error(made);
  return made;
};
const setup = { ...tubeCapper.setups.find((s) => s.name === 'Careful')!, stop: 0.6 };
const staged = (stage: 'code' | 'host') =>
  stagedRun(tubeCapper, setup, new Map([['ctrl', stage]]), {
    compiledSteps: fromBuilt({ ...nothingBuilt, hosts: [build()] }, (b, question) => answerOfKept(b.id, question)!),
  }).value!;

compiled('a run whose steps a process goes that knows nothing of it is the run of the code, from any moment', () => {
  const [code, host] = [staged('code').run, staged('host').run];
  for (const r of [code, host]) r.simulation.advance(Infinity);
  const [a, b] = [code, host].map((r) => r.recorder.take().columns);
  expect(b[0].values.length).toBeGreaterThan(600);
  expect(b.length).toBeGreaterThan(100);
  for (const { name, values } of b) {
    const column = a.find((c) => c.name === name)!.values;
    for (const [row, x] of values.entries()) expectSame(x, column[row], () => [name, row]);
  }
  // several runs ask the same process in turn
  const { prepared, run } = staged('host');
  run.simulation.advance(0.25);
  const moment = run.keep();
  const other = createRun(prepared, { from: moment });
  run.simulation.advance(0.4);
  for (const r of [other, run]) r.simulation.advance(Infinity);
  const end = (r: Run): readonly number[] => [...r.simulation.machine.memory.v];
  expect(end(other)).toEqual(end(host));
  expect(end(run)).toEqual(end(host));
});

compiled('compiled once for one text; what is no question, or asked of nothing, is not answered', () => {
  const there = build();
  expect(keptBuild(program)).toBe(there);
  const question = new Uint8Array(askedBytes(there));
  question[0] = 105;
  const begun = answerOfKept(there.id, question)!;
  expect(begun.length).toBe(askedBytes(there) + 7);
  expect(answerOfKept('nothing', question)).toBeUndefined();
  expect(answerOfKept(there.id, question.slice(1))).toBeUndefined();
  question[0] = 114;
  expect(answerOfKept(there.id, question)).toBeUndefined();
});

compiled('what was wanted last is kept', () => {
  const first = build();
  for (let k = 1; k <= 2; k++) {
    const other = keptBuild({ ...program, period: 0.001 * (k + 1) });
    if (typeof other === 'string') throw new Error(other);
    expect(other.id).not.toBe(first.id);
  }
  const question = new Uint8Array(askedBytes(first));
  question[0] = 105;
  expect(answerOfKept(first.id, question)).toBeUndefined();
  expect(build().id).not.toBe(first.id);
  // what goes steps goes on where others have taken its place
  const steps = stepsOf(program);
  if (typeof steps === 'string') throw new Error(steps);
  const run = steps.create();
  run.init();
  run.step();
  const before = program.slots.map((_, k) => run.keep(k));
  for (let k = 1; k <= 2; k++) keptBuild({ ...program, period: 0.1 * k });
  run.step();
  const other = createStep(program);
  other.init();
  other.step();
  expect(program.slots.map((_, k) => other.keep(k))).toEqual(before);
  other.step();
  expect(program.slots.map((_, k) => other.keep(k))).toEqual(program.slots.map((_, k) => run.keep(k)));
});
