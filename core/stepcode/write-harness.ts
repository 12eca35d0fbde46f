import type { CSource } from './write-c';
import { legalName } from './c-names';
import { floatText } from './c-text';
import { cTypeOf, keptAs, valueOf } from './number-kinds';
import type { Slot, SlotRole, StepProgram } from './step-program';

export interface HarnessOptions {
  /** Values of parameters other than those they begin with, by slot. */
  readonly parameters?: ReadonlyMap<number, number>;
  /** Says at its end how many steps it has gone, how long all, the shortest and the longest took, in ns. */
  readonly isTimed?: boolean;
}

/** A program that runs steps on the lines it reads, and says after each what came out and what is kept: for tests of the code alone. */
export function writeHarness(
  program: StepProgram,
  { names }: Pick<CSource, 'names'>,
  { parameters = new Map(), isTimed = false }: HarnessOptions = {},
): string {
  const own = legalName(program.name);
  const inputs = harnessColumns(program, ['input']);
  const shown = harnessColumns(program, ['output', 'part']);
  const place = (k: number): string => {
    const { role } = program.slots[k];
    return `${places[role]}${names[k]}`;
  };
  const read = inputs.map((k) => {
    const { type, storage } = program.slots[k];
    return type === 'f32' && !storage
      ? [`        if (scanf("%f", &${place(k)}) != 1) {`, '            break;', '        }']
      : [
          '        if (scanf("%ld", &number) != 1) {',
          '            break;',
          '        }',
          `        ${place(k)} = ${type === 'bool' ? 'number != 0' : `(${storage ? cTypeOf(storage) : 'int32_t'})number`};`,
        ];
  });
  const print = shown.map((k, j) => {
    const end = j === shown.length - 1 ? '\\n' : ' ';
    return program.slots[k].type === 'f32' && !program.slots[k].storage
      ? `        printf("%.9g${end}", (double)${place(k)});`
      : `        printf("%ld${end}", (long)${place(k)});`;
  });
  const hasWhole = inputs.some((k) => program.slots[k].type !== 'f32' || program.slots[k].storage);
  return [
    '/*',
    ` * Runs ${own} on lines of inputs, in this order:`,
    ...inputs.map((k) => ` *   ${names[k]}`),
    ' * The first number of a line is how many steps are gone with them. After',
    ' * each step these are printed:',
    ...shown.map((k) => ` *   ${place(k)}`),
    ' */',
    ...(isTimed ? ['#define _POSIX_C_SOURCE 199309L'] : []),
    `#include "${own}.h"`,
    '#include <stdio.h>',
    '#include <string.h>',
    ...(isTimed ? ['#include <time.h>'] : []),
    '',
    'int main(void)',
    '{',
    `    static ${own}_state state;`,
    `    static ${own}_in in;`,
    `    static ${own}_out out;`,
    '    long steps;',
    ...(hasWhole ? ['    long number;'] : []),
    '    long k;',
    ...(isTimed
      ? [
          '    struct timespec before;',
          '    struct timespec after;',
          '    long ns;',
          '    long calls = 0;',
          '    long least = 0;',
          '    long most = 0;',
          '    double total = 0.0;',
        ]
      : []),
    '',
    '    memset(&state, 0, sizeof state);',
    '    memset(&in, 0, sizeof in);',
    '    memset(&out, 0, sizeof out);',
    `    ${own}_init(&state);`,
    ...[...parameters].map(([slot, value]) => `    ${place(slot)} = ${valueText(program.slots[slot], value)};`),
    '    while (scanf("%ld", &steps) == 1) {',
    ...read.flat(),
    '        for (k = 0; k < steps; k++) {',
    ...(isTimed ? timed(`${own}_step(&state, &in, &out);`) : [`            ${own}_step(&state, &in, &out);`]),
    ...print.map((l) => `    ${l}`),
    '        }',
    '    }',
    ...(isTimed ? ['    printf("%ld %.0f %ld %ld\\n", calls, total, least, most);'] : []),
    '    return 0;',
    '}',
    '',
  ].join('\n');
}

const places = {
  input: 'in.',
  output: 'out.',
  part: 'state.',
  parameter: 'state.param.',
  local: '',
  constant: '',
} as const;
const valueText = ({ type, storage }: Slot, value: number): string =>
  storage
    ? String(keptAs(value, type, storage))
    : type === 'f32'
      ? floatText(value)
      : type === 'bool'
        ? value === 0
          ? 'false'
          : 'true'
        : String(Math.trunc(value));

const timed = (call: string): readonly string[] => [
  '            (void)clock_gettime(CLOCK_MONOTONIC, &before);',
  `            ${call}`,
  '            (void)clock_gettime(CLOCK_MONOTONIC, &after);',
  '            ns = (long)(after.tv_sec - before.tv_sec) * 1000000000L;',
  '            ns += after.tv_nsec - before.tv_nsec;',
  '            least = ((calls == 0) || (ns < least)) ? ns : least;',
  '            most = (ns > most) ? ns : most;',
  '            total += (double)ns;',
  '            calls++;',
];

/** Slots in the order of the columns of a harness. */
export const harnessColumns = ({ slots }: StepProgram, roles: readonly SlotRole[]): readonly number[] =>
  roles.flatMap((role) => slots.flatMap((s, k) => (s.role === role && s.size === 0 ? [k] : [])));

/** Lines a harness reads: one step each. */
export function harnessInput(program: StepProgram, inputs: readonly (readonly number[])[]): string {
  const columns = harnessColumns(program, ['input']);
  return inputs
    .map((row) => `1 ${row.map((x, k) => numberText(keptIn(program.slots[columns[k]], x))).join(' ')}`)
    .join('\n');
}
const numberText = (x: number): string =>
  Number.isNaN(x) ? 'nan' : Number.isFinite(x) ? String(x) : x > 0 ? 'inf' : '-inf';
const keptIn = ({ type, storage }: Slot, x: number): number => (storage ? keptAs(x, type, storage) : x);
/** What it printed of these slots. Nine digits tell single precision numbers apart. */
export function harnessResults(
  program: StepProgram,
  slots: readonly number[],
  lines: readonly string[],
): readonly (readonly number[])[] {
  return lines.map((line) =>
    line.split(' ').map((t, k) => {
      const x = /nan/.test(t) ? NaN : t === 'inf' ? Infinity : t === '-inf' ? -Infinity : Number(t);
      const { type, storage } = program.slots[slots[k]];
      if (type !== 'f32') return x;
      return storage ? valueOf(x, storage) : Math.fround(x);
    }),
  );
}
