import { floatText } from './c-text';
import { cTypeOf, keptAs, wideLimit, type Storage } from './number-kinds';
import type { Slot } from './step-program';

/** Small functions beside what is generated. */

/** Whole numbers of fewer bits, with their limits in C and as single precision. */
const storages = [8, 16, 32].flatMap((bits) => [
  {
    ...{ name: `i${bits}`, type: `int${bits}_t`, bits, isSigned: true },
    least: bits === 32 ? String(-wideLimit) : `INT${bits}_MIN`,
    most: bits === 32 ? String(wideLimit) : `INT${bits}_MAX`,
  },
  ...(bits < 32
    ? [{ name: `u${bits}`, type: `uint${bits}_t`, least: '0', most: `UINT${bits}_MAX`, bits, isSigned: false }]
    : []),
]);

export const helperNames = [
  ...['wrap_add', 'wrap_sub', 'wrap_mul', 'abs_i', 'to_integer', 'steps', 'towards_zero', 'scaled'],
  ...storages.flatMap(({ name }) => [`nearest_${name}`, `within_${name}`]),
  ...['min', 'max', 'sign', 'quotient', 'remainder', 'modulo'].flatMap((n) => [`${n}_f`, `${n}_i`]),
];

/** Small functions that have one result everywhere, where C leaves it open. */
export function helpers(needed: ReadonlySet<string>, period: number): string[] {
  const out: string[] = [];
  const add = (name: string, about: string, ...text: string[]): void => {
    if (needed.has(name)) out.push(`/* ${about} */`, ...text, '');
  };
  const wrap = (name: string, sign: string): void =>
    add(
      `wrap_${name}`,
      'Wraps where it leaves its range.',
      `static int32_t wrap_${name}(int32_t a, int32_t b)`,
      '{',
      `    uint32_t found = (uint32_t)a ${sign} (uint32_t)b;`,
      '',
      '    return (int32_t)found;',
      '}',
    );
  wrap('add', '+');
  wrap('sub', '-');
  wrap('mul', '*');
  for (const [kind, type] of [
    ['f', 'float'],
    ['i', 'int32_t'],
  ] as const) {
    add(
      `min_${kind}`,
      'The smaller one.',
      `static ${type} min_${kind}(${type} a, ${type} b)`,
      '{',
      '    return (a < b) ? a : b;',
      '}',
    );
    add(
      `max_${kind}`,
      'The larger one.',
      `static ${type} max_${kind}(${type} a, ${type} b)`,
      '{',
      '    return (a > b) ? a : b;',
      '}',
    );
    const [one, zero, minus] = kind === 'f' ? ['1.0f', '0.0f', '-1.0f'] : ['1', '0', '-1'];
    add(
      `sign_${kind}`,
      '1, 0 or -1.',
      `static ${type} sign_${kind}(${type} a)`,
      '{',
      `    return (a > ${zero}) ? ${one} : ((a < ${zero}) ? ${minus} : ${zero});`,
      '}',
    );
  }
  add(
    'abs_i',
    'Of the least number itself.',
    'static int32_t abs_i(int32_t a)',
    '{',
    '    return (a < 0) ? (int32_t)(0U - (uint32_t)a) : a;',
    '}',
  );
  for (const { name, type, least, most, bits, isSigned } of storages) {
    const high = `${bits === 32 ? wideLimit : 2 ** (isSigned ? bits - 1 : bits) - 1}.0f`;
    const low = isSigned ? `-${bits === 32 ? wideLimit : 2 ** (bits - 1)}.0f` : '0.0f';
    // from 2^23 on there are no halves
    const half = bits === 32 ? ' && (a < 8388608.0f)' : '';
    const minusHalf = bits === 32 ? ' && (a > -8388608.0f)' : '';
    add(
      `nearest_${name}`,
      'To the nearest, halves away from 0; no number counts as 0.',
      `static ${type} nearest_${name}(float a)`,
      '{',
      `    ${type} found = 0;`,
      '',
      `    if (a >= ${high}) {`,
      `        found = ${most};`,
      `    } else if (a <= ${low}) {`,
      `        found = ${least};`,
      `    } else if ((a >= 0.0f)${half}) {`,
      `        found = (${type})(a + 0.5f);`,
      ...(isSigned ? [`    } else if ((a < 0.0f)${minusHalf}) {`, `        found = (${type})(a - 0.5f);`] : []),
      ...(bits === 32 ? ['    } else if (a == a) {', `        found = (${type})a;`] : []),
      '    }',
      '    return found;',
      '}',
    );
    add(
      `within_${name}`,
      'What is beyond becomes the last there is.',
      `static ${type} within_${name}(int32_t a)`,
      '{',
      `    return (a > ${most}) ? (${type})${most}`,
      `        : ((a < ${least}) ? (${type})${least} : (${type})a);`,
      '}',
    );
  }
  add(
    'scaled',
    'Divided by a power of two, to the nearest, halves away from 0.',
    'static inline int32_t scaled(int32_t a, int32_t by)',
    '{',
    '    return ((a < 0) ? (a - (by / 2)) : (a + (by / 2))) / by;',
    '}',
  );
  const whole = (name: string, sign: string): void =>
    add(
      `${name}_i`,
      '0 where nothing can be divided.',
      `static int32_t ${name}_i(int32_t a, int32_t b)`,
      '{',
      '    int32_t found = 0;',
      '',
      '    if (b == -1) {',
      `        found = ${name === 'quotient' ? '(int32_t)(0U - (uint32_t)a)' : '0'};`,
      '    } else if (b != 0) {',
      `        found = a ${sign} b;`,
      '    }',
      '    return found;',
      '}',
    );
  whole('quotient', '/');
  whole('remainder', '%');
  add(
    'modulo_i',
    'With the sign of what is divided by; 0 where nothing can be divided.',
    'static int32_t modulo_i(int32_t a, int32_t b)',
    '{',
    '    int32_t found = 0;',
    '',
    '    if ((b != 0) && (b != -1)) {',
    '        found = a % b;',
    '        if ((found != 0) && ((found < 0) != (b < 0))) {',
    '            found += b;',
    '        }',
    '    }',
    '    return found;',
    '}',
  );
  const trunc = '(a < 0.0f) ? ceilf(a) : floorf(a)';
  if (['quotient_f', 'remainder_f', 'modulo_f'].some((n) => needed.has(n)) && !needed.has('math'))
    out.unshift('#include <math.h>', '');
  if (needed.has('quotient_f') || needed.has('remainder_f'))
    out.push('/* Towards zero. */', 'static float towards_zero(float a)', '{', `    return ${trunc};`, '}', '');
  add(
    'quotient_f',
    'Whole part of a / b.',
    'static float quotient_f(float a, float b)',
    '{',
    '    return towards_zero(a / b);',
    '}',
  );
  add(
    'remainder_f',
    'What is left of a / b.',
    'static float remainder_f(float a, float b)',
    '{',
    '    return a - (towards_zero(a / b) * b);',
    '}',
  );
  add(
    'modulo_f',
    'What is left of a / b, with the sign of b.',
    'static float modulo_f(float a, float b)',
    '{',
    '    return a - (floorf(a / b) * b);',
    '}',
  );
  if (needed.has('to_integer') || needed.has('steps'))
    if (!needed.has('math') && !out.includes('#include <math.h>')) out.unshift('#include <math.h>', '');
  add(
    'to_integer',
    'The next whole number below; the nearest there is where that is out of range, 0 for none.',
    'static int32_t to_integer(float a)',
    '{',
    '    int32_t found = 0;',
    '',
    '    if (a >= 2147483648.0f) {',
    '        found = INT32_MAX;',
    '    } else if (a < -2147483648.0f) {',
    '        found = INT32_MIN;',
    '    } else if (a == a) {',
    '        found = (int32_t)floorf(a);',
    '    }',
    '    return found;',
    '}',
  );
  add(
    'steps',
    'Steps until so many seconds have passed; rounding does not count.',
    'static int32_t steps(float seconds)',
    '{',
    `    float exact = seconds / ${floatText(Math.fround(period))};`,
    '    int32_t found = 0;',
    '',
    '    if (exact >= 2147483520.0f) {',
    '        found = 2147483520;',
    '    } else if (exact > 0.0f) {',
    '        found = (int32_t)exact;',
    '        if ((exact - floorf(exact)) > (exact * 1e-5f)) {',
    '            found += 1;',
    '        }',
    '    }',
    '    return found;',
    '}',
  );
  return out;
}

/** For what stands around the code: a value as a member keeps it, and its value again. `needed` takes the names of helpers. */
export function keptInMember({ type, storage }: Slot, value: string, needed: Set<string>): string {
  if (!storage) return value;
  const name = `${type === 'f32' ? 'nearest' : 'within'}_${storage.signed ? 'i' : 'u'}${storage.bits}`;
  needed.add(name);
  return type !== 'f32' || storage.places === 0
    ? `${name}(${value})`
    : `${name}((${value}) * ${floatText(2 ** storage.places)})`;
}
export const valueOfMember = ({ type, storage }: Slot, member: string): string =>
  !storage
    ? member
    : type !== 'f32'
      ? `(int32_t)${member}`
      : storage.places === 0
        ? `(float)${member}`
        : `((float)${member} * ${floatText(2 ** -storage.places)})`;
export const keptNumber = (value: number, type: Slot['type'], storage: Storage): string =>
  `(${cTypeOf(storage)})${keptAs(value, type, storage)}`;
