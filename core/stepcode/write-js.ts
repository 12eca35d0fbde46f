import { withoutNotes, type Notes } from '../program/machine';
import { stepsOf } from './lower-expression';
import type { RunningStep } from './running-step';
import { visitAll } from './tidy';
import { operandsOf, type StepExpr, type StepInstruction, type StepProgram } from './step-program';

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
const scaled = (a, by) => ((a < 0 ? a - by / 2 : a + by / 2) / by) | 0;
const beyond = {}, drift = {};
// what is beyond what can be kept becomes the nearest there is, and is counted
const within = (k, a, low, high) => a > high ? (beyond[k]++, high) : a < low ? (beyond[k]++, low) : a;
const near = (k, x, per, low, high) => {
  const a = f(x * per);
  if (a !== a) { beyond[k]++; return 0; }
  if (a >= high + 0.5 || a <= low - 0.5) return within(k, a, low, high);
  const n = a >= 8388608 || a <= -8388608 ? a : a >= 0 ? Math.floor(f(a + 0.5)) : Math.ceil(f(a - 0.5)) + 0;
  return n > high ? high : n < low ? low : n;
};
// what rounding adds up to where a number goes on from what it was
const rounded = (k, exact, low, high, next) => { if (exact >= low && exact <= high) drift[k] += next - exact; return next; };
const fmodulo = (a, b) => f(a - f(Math.floor(f(a / b)) * b));
`;

/**
 * The program as JavaScript with the numbers of a chip: single precision, 32 bits. It gives what the C text gives, bit for bit. `double`:
 * with the numbers of the simulator instead, so that what single precision does can be told from what steps do.
 */
export function writeStepJs(program: StepProgram, { double = false } = {}): string {
  const { slots, routines } = program;
  const name = (slot: number): string => `v${slot}`;
  const valueText = (slot: number): string => {
    const { storage, type } = slots[slot];
    return !storage || type !== 'f32' ? name(slot) : `f(f(${name(slot)}) * ${2 ** -storage.places})`;
  };
  /** A value as it is kept. */
  const keptText = (slot: number, value: string): string => {
    const { places, low, high } = slots[slot].storage!;
    return slots[slot].type === 'f32'
      ? `near(${slot}, ${value}, ${2 ** places}, ${low}, ${high})`
      : `within(${slot}, ${value}, ${low}, ${high})`;
  };
  const goingOn = slotsThatGoOn(program);
  /** Of a slot that goes on from what it was it is told what rounding adds up to. */
  const settingText = (x: Extract<StepInstruction, { op: 'set' }>): string => {
    const { storage, type } = slots[x.slot];
    if (!storage) return expr(x.value);
    const { value } = x;
    const kept = x.isKept
      ? `within(${x.slot}, ${expr(value)}, ${storage.low}, ${storage.high})`
      : keptText(x.slot, expr(value));
    if (type !== 'f32' || !goingOn.has(x.slot)) return kept;
    const meant = exactly(x.meant ?? value);
    return `rounded(${x.slot}, (${meant}) * ${2 ** storage.places}, ${storage.low}, ${storage.high}, ${kept})`;
  };
  let isExact = false;
  /** What it comes to without rounding. */
  const exactly = (e: StepExpr): string => {
    isExact = true;
    const found = expr(e).replace(/\bf\(/g, '(');
    isExact = false;
    return found;
  };
  const expr = (e: StepExpr): string => {
    switch (e.op) {
      case 'const': {
        if (e.type === 'bool') return String(e.value !== 0);
        const value = e.type === 'f32' && !double && !isExact ? Math.fround(e.value) : e.value;
        return Object.is(value, -0) ? '-0' : `${value}`;
      }
      case 'slot':
        return e.at ? `${name(e.slot)}[${expr(e.at)}]` : e.isKept ? name(e.slot) : valueText(e.slot);
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
      case 'noted':
        return isExact ? expr(e.a) : toldText(e, expr);
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
        return `${name(x.slot)}${x.at ? `[${expr(x.at)}]` : ''} = ${settingText(x)};`;
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
      case 'note':
        return `note.came(${x.point});`;
    }
  };
  const isKept = (slot: number): boolean => slots[slot].role !== 'local' && slots[slot].role !== 'constant';
  const blank = (slot: number): string => {
    const { type, size } = slots[slot];
    if (size > 0) return type === 'f32' ? `new Float${double ? 64 : 32}Array(${size})` : `new Int32Array(${size})`;
    return type === 'bool' ? 'false' : '0';
  };
  const kept = slots.flatMap((_, k) => (isKept(k) ? [k] : []));
  const stored = slots.flatMap((s, k) => (s.storage ? [k] : []));
  const reading = (k: number): string =>
    slots[k].size > 0 ? `${name(k)}[0]` : slots[k].type === 'bool' ? `(${name(k)} ? 1 : 0)` : valueText(k);
  const writing = (k: number): string => {
    const { storage, type } = slots[k];
    if (storage) return keptText(k, type === 'f32' ? 'x' : 'Math.trunc(x)');
    return type === 'bool' ? 'x !== 0' : type === 'i32' ? 'x | 0' : 'f(x)';
  };
  return [
    "'use strict';",
    help(double),
    ...stored.map((k) => `beyond[${k}] = 0; drift[${k}] = 0;`),
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
    `read(k) { switch (k) { ${kept.map((k) => `case ${k}: return ${reading(k)};`).join(' ')} } return NaN; },`,
    `write(k, x) { switch (k) { ${kept.flatMap((k) => (slots[k].size > 0 ? [] : [`case ${k}: ${name(k)} = ${writing(k)}; return;`])).join(' ')} } },`,
    `keep(k) { switch (k) { ${kept.map((k) => `case ${k}: return ${slots[k].size > 0 ? `Array.from(${name(k)})` : slots[k].storage ? name(k) : 'this.read(k)'};`).join(' ')} } return 0; },`,
    `restore(k, x) { switch (k) { ${kept.flatMap((k) => (slots[k].size > 0 ? [`case ${k}: ${name(k)}.set(x); return;`] : slots[k].storage ? [`case ${k}: ${name(k)} = x; return;`] : [])).join(' ')} } this.write(k, x); },`,
    `fits: () => [${stored.map((k) => `[${k}, beyond[${k}], drift[${k}] * ${2 ** -slots[k].storage!.places}]`).join(', ')}] };`,
  ].join('\n');
}

/** Conditions as bits of one word, the first the lowest; they are looked at after the value. */
const toldText = (e: Extract<StepExpr, { op: 'noted' }>, expr: (e: StepExpr) => string): string =>
  // a point on the way, rather than a decision
  e.decision < 0
    ? `(note.came(${-1 - e.decision}), ${expr(e.a)})`
    : `note.told(${e.decision}, ${expr(e.a)}, ${e.conditions.map((c, k) => `(${expr(c)} ? ${2 ** k} : 0)`).join(' | ') || '0'})`;

/** Slots whose next value follows from their present one, by whatever way. */
function slotsThatGoOn({ slots, routines }: StepProgram): ReadonlySet<number> {
  const reads = new Map<number, Set<number>>();
  const look = (e: StepExpr, into: Set<number>): void => {
    if (e.op === 'slot') into.add(e.slot);
    operandsOf(e).forEach((x) => look(x, into));
  };
  const note = ({ slot, value }: Extract<StepInstruction, { op: 'set' }>): void => {
    const into = reads.get(slot) ?? new Set();
    reads.set(slot, into);
    look(value, into);
  };
  routines.forEach((r) => visitAll(r.body, { set: note }));
  const reaches = (from: number, slot: number, seen: Set<number>): boolean =>
    [...(reads.get(from) ?? [])].some((k) => k === slot || (!seen.has(k) && seen.add(k) && reaches(k, slot, seen)));
  return new Set(slots.flatMap((s, k) => (s.storage && reaches(k, k, new Set()) ? [k] : [])));
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
    case 'scaled':
      return `${e.name}(${args})`;
    default:
      return `${isReal ? 'f' : ''}${e.name}(${args})`;
  }
}

type MakeStep = (math: typeof Math, infinity: number, note: Notes) => RunningStep;
/** Its text is made once for a program. */
const made = new WeakMap<StepProgram, { double?: MakeStep; single?: MakeStep }>();

export function createStep(
  program: StepProgram,
  { notes = withoutNotes, ...options }: { readonly double?: boolean; readonly notes?: Notes | undefined } = {},
): RunningStep {
  const known = made.get(program) ?? {};
  made.set(program, known);
  const way = options.double ? 'double' : 'single';
  // the text is written from numbers of slots alone
  known[way] ??= new Function('Math', 'Infinity', 'note', writeStepJs(program, options)) as MakeStep;
  return known[way](Math, Infinity, notes);
}
