import { stepsOf } from './lower-expression';
import type { RunningStep } from './running-step';
import type { StepExpr, StepInstruction, StepProgram } from './step-program';

const help = (double: boolean): string => `
const f = ${double ? '(x) => x' : 'Math.fround'};
const toInteger = (x) => x !== x ? 0 : x >= 2147483648 ? 2147483647 : x < -2147483648 ? -2147483648 : Math.floor(x);
const fmin = (a, b) => a < b ? a : b;
const fmax = (a, b) => a > b ? a : b;
const sign = (a) => a > 0 ? 1 : a < 0 ? -1 : 0;
const quotient = (a, b) => b === 0 ? 0 : (a / b) | 0;
const remainder = (a, b) => b === 0 ? 0 : (a % b) | 0;
const modulo = (a, b) => { if (b === 0) return 0; const r = (a % b) | 0; return r !== 0 && (r < 0) !== (b < 0) ? (r + b) | 0 : r; };
const ftrunc = (a) => a < 0 ? Math.ceil(a) : Math.floor(a);
const fquotient = (a, b) => ftrunc(f(a / b));
const fremainder = (a, b) => f(a - f(ftrunc(f(a / b)) * b));
const fmodulo = (a, b) => f(a - f(Math.floor(f(a / b)) * b));
`;

/**
 * The program as JavaScript with the numbers of a chip: single precision, 32 bits. It gives what the C text gives, bit for bit. `double`:
 * with the numbers of the simulator instead, so that what single precision does can be told from what steps do.
 */
export function writeStepJs(program: StepProgram, { double = false } = {}): string {
  const { slots, routines } = program;
  const name = (slot: number): string => `v${slot}`;
  const expr = (e: StepExpr): string => {
    switch (e.op) {
      case 'const': {
        if (e.type === 'bool') return String(e.value !== 0);
        const value = e.type === 'f32' && !double ? Math.fround(e.value) : e.value;
        return Object.is(value, -0) ? '-0' : `${value}`;
      }
      case 'slot':
        return e.at ? `${name(e.slot)}[${expr(e.at)}]` : name(e.slot);
      case 'neg':
        return e.type === 'i32' ? `(-${expr(e.a)} | 0)` : `(-${expr(e.a)})`;
      case 'not':
        return `(!${expr(e.a)})`;
      case 'toReal':
        return `f(${expr(e.a)})`;
      case 'toInteger':
        return `toInteger(${expr(e.a)})`;
      case 'choose':
        return `(${expr(e.c)} ? ${expr(e.a)} : ${expr(e.b)})`;
      case 'call':
        return `r${e.routine}(${e.args.map(expr).join(', ')})`;
      case 'fn':
        return callText(e, expr);
      case 'and':
        return `(${expr(e.a)} && ${expr(e.b)})`;
      case 'or':
        return `(${expr(e.a)} || ${expr(e.b)})`;
      case 'add':
      case 'sub':
      case 'div':
      case 'mul': {
        const sign = { add: '+', sub: '-', mul: '*', div: '/' }[e.op];
        if (e.type === 'i32')
          return e.op === 'mul' ? `Math.imul(${expr(e.a)}, ${expr(e.b)})` : `(${expr(e.a)} ${sign} ${expr(e.b)} | 0)`;
        return `f(${expr(e.a)} ${sign} ${expr(e.b)})`;
      }
      default: {
        const sign = { lt: '<', le: '<=', gt: '>', ge: '>=', eq: '===', ne: '!==' }[e.op];
        return `(${expr(e.a)} ${sign} ${expr(e.b)})`;
      }
    }
  };
  const block = (list: readonly StepInstruction[]): string => list.map(instruction).join('\n');
  const instruction = (x: StepInstruction): string => {
    switch (x.op) {
      case 'set':
        return `${name(x.slot)}${x.at ? `[${expr(x.at)}]` : ''} = ${expr(x.value)};`;
      case 'if':
        return `${x.branches.map((y) => `if (${expr(y.when)}) {\n${block(y.body)}\n}`).join(' else ')}${x.otherwise.length > 0 ? ` else {\n${block(x.otherwise)}\n}` : ''}`;
      case 'switch':
        return `switch (${expr(x.on)}) {\n${x.cases.map((y) => `${y.values.map((v) => `case ${v}:`).join(' ')} {\n${block(y.body)}\nbreak;\n}`).join('\n')}\n}`;
      case 'while':
        return `while (${expr(x.when)}) {\n${block(x.body)}\n}`;
      case 'call':
        return `r${x.routine}(${x.args.map(expr).join(', ')});`;
      case 'return':
        return x.value ? `return ${expr(x.value)};` : 'return;';
    }
  };
  const isKept = (slot: number): boolean => slots[slot].role !== 'local' && slots[slot].role !== 'constant';
  const blank = (slot: number): string => {
    const { type, size } = slots[slot];
    if (size > 0) return type === 'f32' ? `new Float${double ? 64 : 32}Array(${size})` : `new Int32Array(${size})`;
    return type === 'bool' ? 'false' : '0';
  };
  const kept = slots.flatMap((_, k) => (isKept(k) ? [k] : []));
  return [
    "'use strict';",
    help(double),
    `const stepsOf = ${stepsOf.toString()};`,
    `const steps = (x) => stepsOf(x, ${program.period});`,
    ...slots.flatMap((s, k) =>
      s.values ? [`const ${name(k)} = new Float${double ? 64 : 32}Array([${s.values.join(', ')}]);`] : [],
    ),
    ...kept.map((k) => `let ${name(k)} = ${blank(k)};`),
    ...routines.map((r, k) => {
      const takes = r.takes.map(name).join(', ');
      // with the numbers of the simulator its functions are those of the simulator too
      if (double && r.standard) return `function r${k}(${takes}) { return Math.${r.standard}(${takes}); }`;
      return `function r${k}(${takes}) {\n${r.locals.map((s) => `let ${name(s)} = ${blank(s)};`).join('\n')}\n${block(r.body)}\n}`;
    }),
    `return { init: r${program.init}, step: r${program.step},`,
    `read(k) { switch (k) { ${kept.map((k) => `case ${k}: return ${slots[k].size > 0 ? `${name(k)}[0]` : slots[k].type === 'bool' ? `(${name(k)} ? 1 : 0)` : name(k)};`).join(' ')} } return NaN; },`,
    `write(k, x) { switch (k) { ${kept.flatMap((k) => (slots[k].size > 0 ? [] : [`case ${k}: ${name(k)} = ${slots[k].type === 'bool' ? 'x !== 0' : slots[k].type === 'i32' ? 'x | 0' : 'f(x)'}; return;`])).join(' ')} } },`,
    `keep(k) { switch (k) { ${kept.map((k) => `case ${k}: return ${slots[k].size > 0 ? `Array.from(${name(k)})` : 'this.read(k)'};`).join(' ')} } return 0; },`,
    `restore(k, x) { switch (k) { ${kept.flatMap((k) => (slots[k].size > 0 ? [`case ${k}: ${name(k)}.set(x); return;`] : [])).join(' ')} } this.write(k, x); } };`,
  ].join('\n');
}

function callText(e: Extract<StepExpr, { op: 'fn' }>, expr: (e: StepExpr) => string): string {
  const args = e.args.map(expr).join(', ');
  const isReal = e.type === 'f32';
  switch (e.name) {
    case 'sqrt':
      return `f(Math.sqrt(${args}))`;
    case 'floor':
    case 'ceil':
      return `Math.${e.name}(${args})`;
    case 'abs':
      return isReal ? `Math.abs(${args})` : `(Math.abs(${args}) | 0)`;
    case 'min':
    case 'max':
      return `f${e.name}(${args})`;
    case 'sign':
    case 'steps':
      return `${e.name}(${args})`;
    default:
      return `${isReal ? 'f' : ''}${e.name}(${args})`;
  }
}

export function createStep(program: StepProgram, options: { readonly double?: boolean } = {}): RunningStep {
  // the text is written from numbers of slots alone
  return new Function('Math', 'Infinity', writeStepJs(program, options))(Math, Infinity) as RunningStep;
}
