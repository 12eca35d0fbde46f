import type { CSource } from './write-c';
import { legalName } from './c-names';
import type { SlotRole, StepProgram } from './step-program';

/** A program that runs steps on the lines it reads, and says after each what came out and what is kept: for tests of the code alone. */
export function writeHarness(program: StepProgram, { names }: Pick<CSource, 'names'>): string {
  const own = legalName(program.name);
  const inputs = harnessColumns(program, ['input']);
  const shown = harnessColumns(program, ['output', 'part']);
  const place = (k: number): string => {
    const { role } = program.slots[k];
    return `${role === 'input' ? 'in.' : role === 'output' ? 'out.' : 'state.'}${names[k]}`;
  };
  const read = inputs.map((k) => {
    const { type } = program.slots[k];
    return type === 'f32'
      ? [`        if (scanf("%f", &${place(k)}) != 1) {`, '            break;', '        }']
      : [
          '        if (scanf("%ld", &number) != 1) {',
          '            break;',
          '        }',
          `        ${place(k)} = ${type === 'bool' ? 'number != 0' : '(int32_t)number'};`,
        ];
  });
  const print = shown.map((k, j) => {
    const end = j === shown.length - 1 ? '\\n' : ' ';
    return program.slots[k].type === 'f32'
      ? `        printf("%.9g${end}", (double)${place(k)});`
      : `        printf("%ld${end}", (long)${place(k)});`;
  });
  const hasWhole = inputs.some((k) => program.slots[k].type !== 'f32');
  return [
    '/*',
    ` * Runs ${own} on lines of inputs, in this order:`,
    ...inputs.map((k) => ` *   ${names[k]}`),
    ' * The first number of a line is how many steps are gone with them. After',
    ' * each step these are printed:',
    ...shown.map((k) => ` *   ${place(k)}`),
    ' */',
    `#include "${own}.h"`,
    '#include <stdio.h>',
    '#include <string.h>',
    '',
    'int main(void)',
    '{',
    `    static ${own}_state state;`,
    `    static ${own}_in in;`,
    `    static ${own}_out out;`,
    '    long steps;',
    ...(hasWhole ? ['    long number;'] : []),
    '    long k;',
    '',
    '    memset(&state, 0, sizeof state);',
    '    memset(&in, 0, sizeof in);',
    '    memset(&out, 0, sizeof out);',
    `    ${own}_init(&state);`,
    '    while (scanf("%ld", &steps) == 1) {',
    ...read.flat(),
    '        for (k = 0; k < steps; k++) {',
    `            ${own}_step(&state, &in, &out);`,
    ...print.map((l) => `    ${l}`),
    '        }',
    '    }',
    '    return 0;',
    '}',
    '',
  ].join('\n');
}

/** Slots in the order of the columns of a harness. */
export const harnessColumns = ({ slots }: StepProgram, roles: readonly SlotRole[]): readonly number[] =>
  roles.flatMap((role) => slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [k] : [])));
