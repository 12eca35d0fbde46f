import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { uniformAt } from '../numbers/random';
import { chartOf, messages, randomParts } from '../testing/random-charts';
import { hasCompiler, stepsInC, stepsInJs, type StepInputs } from '../testing/step-bench';
import { programOf } from '../testing/step-program';
import { stepProgramOf } from './controller';
import type { StepProgram } from './step-program';
import { harnessColumns } from './write-harness';

/** What is generated gives the same in C and in JavaScript, to the last bit; the compiler and its sanitizers have nothing to say. */

const sizes: Readonly<Record<string, number>> = { speed: 30, angle: 40, torque: 1, temperature: 95.5 };
const randomInputs = (program: StepProgram, steps: number, seed: number): StepInputs => {
  const columns = harnessColumns(program, ['input']);
  return Array.from({ length: steps }, (_, k) =>
    columns.map((slot, j) => {
      const { type, name } = program.slots[slot];
      const x = uniformAt(seed, k, j);
      if (type === 'f32') return Math.fround((sizes[name] ?? 3) * x);
      return x < 0.96 ? 0 : x < 0.995 ? 1 : 3;
    }),
  );
};

const compilers = ['gcc', 'clang'].filter(hasCompiler);
const isThere = compilers.length > 0 ? test : test.skip;

isThere('the controller of the capper: 5,000 steps', () => {
  const type = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
  const { program, problems } = stepProgramOf(tubeCapper, type, 0.001);
  expect(problems).toEqual([]);
  const inputs = randomInputs(program!, 5000, 7);
  const js = stepsInJs(program!, inputs);
  for (const compiler of compilers)
    for (const flags of [['-O0'], ['-O3'], ['-O1', '-fsanitize=undefined,address', '-fno-sanitize-recover=all']])
      expect(stepsInC(program!, inputs, { compiler, flags })).toEqual(js);
  // it has been in every mode
  const column = harnessColumns(program!, ['output', 'part']).findIndex((k) => program!.slots[k].name === 'mode');
  expect(new Set(js.map((row) => row[column])).size).toBeGreaterThan(7);
});
isThere('charts at random: 1,000 steps each', () => {
  fc.assert(
    fc.property(
      randomParts(['when n >= 3', 'when flag', 'changes n', 'rises n >= 2', "every 0.004 's'"]),
      fc.integer({ min: 1, max: 1e6 }),
      (p, seed) => {
        const plain = chartOf(p);
        // some messages are sent later, some kept
        const program = programOf({
          ...plain,
          states: plain.states.map((s, k) => ({ ...s, defers: k % 4 === 1 ? 'b' : '' })),
          transitions: plain.transitions.map((t, k) =>
            k % 3 === 0 ? { ...t, effect: `${t.effect} send c after 0.011 's';`.trim() } : t,
          ),
        });
        const inputs = randomInputs(program, 1000, seed);
        expect(stepsInC(program, inputs, { compiler: compilers[0] })).toEqual(stepsInJs(program, inputs));
      },
    ),
    { numRuns: 12 },
  );
});
test('messages of the charts are inputs', () => {
  fc.assert(
    fc.property(randomParts(['when flag']), (p) => {
      const program = programOf(chartOf(p));
      expect(harnessColumns(program, ['input']).map((k) => program.slots[k].name)).toEqual(messages);
    }),
    { numRuns: 10 },
  );
});
