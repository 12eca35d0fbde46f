import { newSignalLine, newSignalSheet } from '../project/project';
import { hasCompiler, stepsInC, stepsInJs } from '../testing/step-bench';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { createNames, legalName } from './c-names';
import { stepProgramOf } from './controller';

test('names that C has for something else, in other alphabets, very long, and twice the same', () => {
  const next = createNames();
  expect(['int', 'int', 'größe', 'Ωmega', '2nd', 'a b', 'a_b'].map(next)).toEqual([
    'int_',
    'int_2',
    'grosse',
    'u3a9mega',
    'x_2nd',
    'a_b',
    'a_b_2',
  ]);
  const [one, other] = ['a', 'b'].map((end) => next(`${'very_long_'.repeat(9)}${end}`));
  expect(one).not.toBe(other);
  expect(Math.max(one.length, other.length)).toBeLessThan(52);
  expect(legalName('_')).toMatch(/^[A-Za-z]/);
});
(hasCompiler('gcc') ? test : test.skip)(
  'quantities, states and charts with the names of library functions build',
  () => {
    // long enough for routines of their own
    const long = (x: string): string => Array.from({ length: 6 }, (_, k) => `${k + 1}*${x}`).join(' + ');
    const project = projectOf({
      quantities: [
        quantity('exp', '', { role: 'input' }),
        quantity('index', '', { role: 'output' }),
        quantity('free', ''),
        quantity('state', '2', { role: 'parameter' }),
        quantity('in_', '3', { role: 'parameter' }),
      ],
      physics: `equation free = ${long('exp')}; index = ${long('free')};`,
      signals: [{ ...newSignalSheet('s', 'S'), every: '0.1', lines: [newSignalLine('z', 'y0 = state*free + in_')] }],
      charts: [
        chart(
          'time',
          [state('malloc'), state('signal')],
          [transition('malloc', 'signal', 'when free > 30 and index < 1e4')],
        ),
      ],
    });
    const { program, problems } = stepProgramOf(project, project.types[0]);
    if (!program) throw new Error(problems.map((p) => p.message).join('; '));
    const inputs = Array.from({ length: 40 }, (_, k) => [0.1 * k]);
    expect(stepsInC(program, inputs, { flags: ['-O2'] })).toEqual(stepsInJs(program, inputs));
  },
);
