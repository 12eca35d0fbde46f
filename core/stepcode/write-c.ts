import { readSlots } from './tidy';
import { helperNames, helpers } from './c-helpers';
import { capital, commented, floatText, sentence, widest, wrapped, ascii } from './c-text';
import { ownRegion, type OwnText } from './own-text';
import { routinesUse } from './routine-uses';
import { createNames, legalName, libraryFunctions } from './c-names';
import { clamped, cTypeOf, keptAs, type Storage } from './number-kinds';
import {
  number,
  operandsOf,
  pair,
  type Routine,
  type Slot,
  type StepExpr,
  type StepInstruction,
  type StepProgram,
} from './step-program';

/** The program as C99: a header, a source, and which lines are of which element. */
export interface CSource {
  readonly header: string;
  readonly source: string;
  readonly map: readonly SourceLine[];
  /** Names in C of slots, by number. */
  readonly names: readonly string[];
}
export interface SourceLine {
  readonly file: 'header' | 'source';
  /** First and last, from 1. */
  readonly from: number;
  readonly to: number;
  readonly element: string;
}

export interface COptions {
  /** Keys of the requirements that an element has to do with. */
  readonly keysOf?: (element: string) => readonly string[];
  /** Text of somebody's own, between marks; without it no marks are written. */
  readonly own?: OwnText;
}

const typeNames = { f32: 'float', i32: 'int32_t', bool: 'bool' } as const;

/** Binds tighter the higher it is. */
const levels: Readonly<Record<string, number>> = {
  choose: 1,
  or: 2,
  and: 3,
  eq: 4,
  ne: 4,
  lt: 5,
  le: 5,
  gt: 5,
  ge: 5,
  add: 6,
  sub: 6,
  mul: 7,
  div: 7,
  unary: 8,
  plain: 9,
};
const signs: Readonly<Record<string, string>> = {
  or: '||',
  and: '&&',
  eq: '==',
  ne: '!=',
  lt: '<',
  le: '<=',
  gt: '>',
  ge: '>=',
  add: '+',
  sub: '-',
  mul: '*',
  div: '/',
};

interface Text {
  readonly text: string;
  readonly level: number;
}

export function writeC(program: StepProgram, { keysOf = () => [], own: ownText }: COptions = {}): CSource {
  const { slots, routines, lists } = program;
  const own = legalName(program.name);
  const global = createNames([
    ...helperNames,
    ...libraryFunctions,
    `${own}_state`,
    `${own}_in`,
    `${own}_out`,
    `${own}_param`,
    `${own}_init`,
    `${own}_step`,
  ]);

  // --- names
  const listNames = lists.map((l) => global(`${own}_${capital(l.name)}`));
  const memberNames = lists.map((l, k) => l.members.map((m) => global(`${listNames[k]}_${m.name}`)));
  const constants = new Map<number, string>();
  const inRole = {
    input: createNames(),
    output: createNames(),
    parameter: createNames(),
    part: createNames(['param']),
  };
  const plainNames = slots.map((s) => (s.role === 'local' || s.role === 'constant' ? '' : inRole[s.role](s.name)));
  const routineNames = routines.map((r, k) =>
    k === program.init ? `${own}_init` : k === program.step ? `${own}_step` : global(r.name.replace(/\s+/g, '_')),
  );
  const usesOf = routinesUse(program);
  const constantsOf = (r: Routine): readonly number[] =>
    [...readSlots(r)].filter((slot) => slots[slot].role === 'constant');
  const localNames = new Map<number, string>();
  for (const r of routines) {
    const next = createNames(['state', 'in', 'out']);
    for (const s of [...r.takes, ...r.locals]) localNames.set(s, next(slots[s].name));
    for (const s of constantsOf(r)) constants.set(s, next(slots[s].name.replace(/^table \d+ /, '')));
  }
  const needed = new Set<string>();

  const typeOf = (s: Slot): string =>
    s.list >= 0 ? listNames[s.list] : s.storage ? cTypeOf(s.storage) : typeNames[s.type];
  const slotText = (slot: number): string => {
    switch (slots[slot].role) {
      case 'input':
        return `in->${plainNames[slot]}`;
      case 'output':
        return `out->${plainNames[slot]}`;
      case 'parameter':
        return `state->param.${plainNames[slot]}`;
      case 'part':
        return `state->${plainNames[slot]}`;
      case 'local':
        return localNames.get(slot)!;
      case 'constant':
        return constants.get(slot)!;
    }
  };
  const memberText = (list: number, value: number): string | undefined => {
    const k = lists[list].members.findIndex((m) => m.value === value);
    return k < 0 ? undefined : memberNames[list][k];
  };

  // --- expressions
  const text = (e: StepExpr): Text => {
    const plain = (t: string): Text => ({ text: t, level: levels.plain });
    const inside = (x: StepExpr, level: number): string => {
      const { text: t, level: has } = text(x);
      return has < level ? `(${t})` : t;
    };
    switch (e.op) {
      case 'const': {
        if (e.type === 'bool') return plain(e.value ? 'true' : 'false');
        const named = e.list === undefined ? undefined : memberText(e.list, e.value);
        if (named !== undefined) return plain(named);
        if (e.type === 'f32' && !Number.isFinite(Math.fround(e.value))) needed.add('math');
        if (e.type === 'f32')
          return {
            text: floatText(e.value),
            level: e.value < 0 || Object.is(e.value, -0) ? levels.unary : levels.plain,
          };
        return e.value === -2147483648
          ? plain('INT32_MIN')
          : { text: String(e.value), level: e.value < 0 ? levels.unary : levels.plain };
      }
      case 'slot':
        return slotValue(e);
      case 'neg':
        if (e.type === 'i32') return helper('wrap_sub', [number0, e.a]);
        return { text: `-${inside(e.a, levels.plain)}`, level: levels.unary };
      case 'not':
        return { text: `!${inside(e.a, levels.plain)}`, level: levels.unary };
      case 'toReal':
        return { text: `(float)${inside(e.a, levels.unary)}`, level: levels.unary };
      case 'toInteger':
        return helper('to_integer', [e.a]);
      case 'choose':
        return {
          text: `${inside(e.c, levels.unary)} ? ${inside(e.a, levels.unary)} : ${inside(e.b, levels.unary)}`,
          level: levels.choose,
        };
      case 'noted':
        return text(e.a);
      case 'call':
        return plain(callOf(e.routine, e.args));
      case 'fn':
        return functionOf(e);
      default: {
        const level = levels[e.op];
        if (e.type === 'i32' && !e.isBounded && (e.op === 'add' || e.op === 'sub' || e.op === 'mul'))
          return helper(`wrap_${e.op}`, [e.a, e.b]);
        // what binds first is told by brackets, but for a chain of one kind
        const isLogic = e.op === 'and' || e.op === 'or';
        const isChain = isLogic || level === levels.add || level === levels.mul;
        const operand = (x: StepExpr, goesOn: boolean): string => {
          const t = text(x);
          return t.level >= levels.unary || (isChain && goesOn && t.level === level) ? t.text : `(${t.text})`;
        };
        return { text: `${operand(e.a, true)} ${signs[e.op]} ${operand(e.b, isLogic)}`, level };
      }
    }
  };
  const slotValue = (e: Extract<StepExpr, { op: 'slot' }>): Text => {
    const target = `${slotText(e.slot)}${e.at ? `[${text(e.at).text}]` : ''}`;
    const { storage, type } = slots[e.slot];
    if (!storage) return { text: target, level: levels.plain };
    if (type === 'i32' || e.isKept)
      return storage.bits === 32
        ? { text: target, level: levels.plain }
        : { text: `(int32_t)${target}`, level: levels.unary };
    return storage.places === 0
      ? { text: `(float)${target}`, level: levels.unary }
      : { text: `(float)${target} * ${floatText(2 ** -storage.places)}`, level: levels.mul };
  };
  /** A value as the slot keeps it. */
  const keptText = ({ slot, value, isKept }: Extract<StepInstruction, { op: 'set' }>): string => {
    const { storage, type } = slots[slot];
    if (!storage) return text(value).text;
    const name = `${storage.signed ? 'i' : 'u'}${storage.bits}`;
    if (value.op === 'const')
      return String(isKept ? clamped(value.value, storage) : keptAs(value.value, type, storage));
    if (type === 'i32' || isKept) {
      const isCopy = value.op === 'slot' && value.isKept && isAlike(slots[value.slot].storage, storage);
      if (isCopy) return slotText(value.slot);
      return storage.isProven ? text(value).text : helper(`within_${name}`, [value]).text;
    }
    const scaled = storage.places === 0 ? value : pair('mul', value, number(2 ** storage.places));
    return helper(`nearest_${name}`, [scaled]).text;
  };
  const number0: StepExpr = { op: 'const', type: 'i32', value: 0 };
  const helper = (name: string, args: readonly StepExpr[]): Text => {
    needed.add(name);
    return { text: `${name}(${args.map((a) => text(a).text).join(', ')})`, level: levels.plain };
  };
  const functionOf = (e: Extract<StepExpr, { op: 'fn' }>): Text => {
    const isReal = e.type === 'f32';
    const library = (name: string): Text => {
      needed.add('math');
      return { text: `${name}(${e.args.map((a) => text(a).text).join(', ')})`, level: levels.plain };
    };
    switch (e.name) {
      case 'scaled':
        return helper('scaled', e.args);
      case 'sqrt':
        return library('sqrtf');
      case 'floor':
        return library('floorf');
      case 'ceil':
        return library('ceilf');
      case 'abs':
        return isReal ? library('fabsf') : helper('abs_i', e.args);
      case 'remainder': {
        const [a, b] = e.args;
        // what is counted up to a fixed number
        if (!isReal && b.op === 'const' && b.value > 0 && a.op === 'add' && a.isBounded)
          return { text: `(${text(a).text}) % ${text(b).text}`, level: levels.mul };
        return helper(isReal ? 'remainder_f' : 'remainder_i', e.args);
      }
      case 'steps':
        return helper('steps', e.args);
      default:
        return helper(
          `${{ min: 'min', max: 'max', sign: 'sign', quotient: 'quotient', modulo: 'modulo' }[e.name]}_${isReal ? 'f' : 'i'}`,
          e.args,
        );
    }
  };
  const pointers = (k: number): string[] => {
    const u = usesOf[k];
    return [...(u.state ? ['state'] : []), ...(u.input ? ['in'] : []), ...(u.output ? ['out'] : [])];
  };
  const callOf = (k: number, args: readonly StepExpr[]): string =>
    `${routineNames[k]}(${[...pointers(k), ...args.map((a) => text(a).text)].join(', ')})`;

  // --- text
  const lines: string[] = [];
  const map: SourceLine[] = [];
  const marked = (element: string, work: () => void): void => {
    const from = lines.length + 1;
    work();
    if (element !== '' && lines.length >= from) map.push({ file: 'source', from, to: lines.length, element });
  };
  const put = (indent: number, t: string): void => void lines.push(...wrapped(t, indent));
  const comment = (indent: number, t: string): void => void lines.push(...commented(t, indent));
  const block = (list: readonly StepInstruction[], indent: number): void =>
    list.forEach((x) => marked(x.from, () => instruction(x, indent)));
  const instruction = (x: StepInstruction, indent: number): void => {
    switch (x.op) {
      case 'set': {
        const target = `${slotText(x.slot)}${x.at ? `[${text(x.at).text}]` : ''}`;
        const { value } = x;
        // one more and one less
        if (
          !x.at &&
          !slots[x.slot].storage &&
          (value.op === 'add' || value.op === 'sub') &&
          value.isBounded &&
          value.a.op === 'slot' &&
          value.a.slot === x.slot &&
          !value.a.at
        )
          return put(indent, `${target} ${value.op === 'add' ? '+' : '-'}= ${text(value.b).text};`);
        return put(indent, `${target} = ${keptText(x)};`);
      }
      case 'if': {
        x.branches.forEach((y, k) => {
          put(indent, `${k === 0 ? 'if' : '} else if'} (${text(y.when).text}) {`);
          block(y.body, indent + 1);
        });
        if (x.otherwise.length > 0) {
          put(indent, '} else {');
          block(x.otherwise, indent + 1);
        }
        return put(indent, '}');
      }
      case 'switch': {
        put(indent, `switch (${text(x.on).text}) {`);
        const list = x.on.op === 'slot' ? slots[x.on.slot].list : -1;
        for (const y of joinedCases(x.cases))
          marked(y.from, () => {
            for (const v of y.values) put(indent, `case ${(list >= 0 && memberText(list, v)) || v}:`);
            block(y.body, indent + 1);
            if (y.body.at(-1)?.op !== 'return') put(indent + 1, 'break;');
          });
        put(indent, 'default:');
        put(indent + 1, 'break;');
        return put(indent, '}');
      }
      case 'while':
        put(indent, `while (${text(x.when).text}) {`);
        block(x.body, indent + 1);
        return put(indent, '}');
      case 'call':
        return put(indent, `${routines[x.routine].gives ? '(void)' : ''}${callOf(x.routine, x.args)};`);
      case 'return':
        return put(indent, x.value ? `return ${text(x.value).text};` : 'return;');
    }
  };
  const signature = (k: number): string => {
    const r = routines[k];
    const u = usesOf[k];
    const isMain = k === program.init || k === program.step;
    const takes = [
      ...(u.state || isMain ? [`${u.writesState || isMain ? '' : 'const '}${own}_state *state`] : []),
      ...(u.input || k === program.step ? [`const ${own}_in *in`] : []),
      ...(u.output || k === program.step ? [`${own}_out *out`] : []),
      ...r.takes.map((s) => `${typeOf(slots[s])} ${localNames.get(s)!}`),
    ];
    return `${isMain ? '' : 'static '}${r.gives ? typeNames[r.gives] : 'void'} ${routineNames[k]}(${takes.join(', ') || 'void'})`;
  };
  const traced = (element: string): string => {
    const keys = keysOf(element);
    return element === '' ? '' : `${element}${keys.length > 0 ? `  ${keys.join(', ')}` : ''}`;
  };
  const body = (k: number): void =>
    marked(routines[k].from, () => {
      const r = routines[k];
      comment(0, [r.note && sentence(r.note), traced(r.from)].filter(Boolean).join('\n'));
      put(0, signature(k));
      put(0, '{');
      for (const s of constantsOf(r)) {
        const list = slots[s].values!.map(floatText).join(', ');
        put(1, `static const float ${constants.get(s)!}[${slots[s].size}] = { ${list} };`);
      }
      const begun = beginnings(r);
      for (const s of r.locals) {
        const first = begun.find((x) => x.slot === s);
        put(1, `${typeOf(slots[s])} ${localNames.get(s)!}${first ? ` = ${keptText(first)}` : ''};`);
      }
      if (r.locals.length + constantsOf(r).length > 0) lines.push('');
      if (k === program.step && !usesOf[k].input) put(1, '(void)in;');
      if (k === program.step && !usesOf[k].output) put(1, '(void)out;');
      if (k === program.step && !usesOf[k].state) put(1, '(void)state;');
      const given = k === program.init && r.locals.length === 0 ? firstParameters(r, slots) : [];
      if (given.length > 0) {
        put(1, `static const ${own}_param given = {`);
        given.forEach((x, n) =>
          marked(x.from, () => put(2, `.${plainNames[x.slot]} = ${keptText(x)}${n === given.length - 1 ? '' : ','}`)),
        );
        put(1, '};');
        lines.push('');
        put(1, 'state->param = given;');
      }
      block(r.body.slice(begun.length + given.length), 1);
      put(0, '}');
    });
  routines.forEach((_, k) => {
    body(k);
    lines.push('');
  });
  const code = lines.splice(0);
  const head = [
    ...commented(
      `${program.name}: one step every ${program.period} s.\nGenerated; pieces say which element they are of.`,
      0,
    ),
    `#include "${own}.h"`,
    ...(needed.has('math') ? ['#include <math.h>'] : []),
    '',
    ...(ownText ? [...ownRegion('includes', ownText), ''] : []),
    ...helpers(needed, program.period),
  ];
  const { text: headerText, lines: headerLines } = header();
  return {
    header: headerText,
    source: `${[...head, ...code, ...(ownText ? ownRegion('functions', ownText) : [])].join('\n').trimEnd()}\n`,
    map: [...headerLines, ...map.map((m) => ({ ...m, from: m.from + head.length, to: m.to + head.length }))],
    names: slots.map((_, k) => plainNames[k]),
  };

  function header(): { readonly text: string; readonly lines: readonly SourceLine[] } {
    const guard = `${own.toUpperCase()}_H`;
    const found: SourceLine[] = [];
    const put = (element: string, ...more: readonly string[]): void => {
      if (element !== '') found.push({ file: 'header', from: out.length + 1, to: out.length + more.length, element });
      out.push(...more);
    };
    const out: string[] = [
      ...commented(
        [`${program.name}: one step every ${program.period} s.`, program.note].filter(Boolean).join('\n'),
        0,
      ),
      `#ifndef ${guard}`,
      `#define ${guard}`,
      '',
      '#include <stdbool.h>',
      '#include <stdint.h>',
      '',
    ];
    lists.forEach((l, k) => {
      out.push('typedef enum {');
      l.members.forEach((m, j) =>
        put(m.from, `    ${memberNames[k][j]} = ${m.value}${j === l.members.length - 1 ? '' : ','}`),
      );
      out.push(`} ${listNames[k]};`, '');
    });
    const struct = (
      role: Exclude<Slot['role'], 'local' | 'constant'>,
      name: string,
      before: readonly string[] = [],
    ): void => {
      const own = slots.map((s, k) => ({ s, k })).filter(({ s }) => s.role === role);
      out.push('typedef struct {', ...before);
      for (const { s, k } of own) {
        const about = [unitText(s), s.note].filter(Boolean).join(', ');
        const line = `    ${typeOf(s)} ${plainNames[k]}${s.size > 0 ? `[${s.size}]` : ''};`;
        const note = about === '' ? '' : ` /* ${ascii(about)} */`;
        if (line.length + note.length <= widest) put(s.from, line + note);
        else put(s.from, ...commented(about, 1), line);
      }
      if (own.length === 0 && before.length === 0) out.push('    uint8_t unused;');
      out.push(`} ${name};`, '');
    };
    struct('input', `${own}_in`);
    struct('output', `${own}_out`);
    struct('parameter', `${own}_param`);
    struct('part', `${own}_state`, [`    ${own}_param param;`]);
    out.push(...wrapped(`${signature(program.init)};`, 0), ...wrapped(`${signature(program.step)};`, 0), '', `#endif`);
    return { text: `${out.join('\n')}\n`, lines: found };
  }
}

const isAlike = (a: Storage | undefined, b: Storage): boolean => a?.bits === b.bits && a.signed === b.signed;

/** The unit of a member, and by how much what is kept there is more. */
function unitText({ unit, type, storage }: Slot): string {
  const plain = unit === '' || unit === '1' ? '' : unit;
  if (!storage || type !== 'f32' || storage.places === 0) return plain;
  const by = 2 ** Math.abs(storage.places);
  return `${plain === '' ? 'its value' : plain} ${storage.places > 0 ? 'times' : 'divided by'} ${by}`;
}

/** Settings at the beginning of a routine that give its locals their first values, where none needs another one. */
function beginnings(r: Routine): readonly Extract<StepInstruction, { op: 'set' }>[] {
  const found: Extract<StepInstruction, { op: 'set' }>[] = [];
  for (const x of r.body) {
    if (x.op !== 'set' || x.at || !r.locals.includes(x.slot) || found.some((f) => f.slot === x.slot)) break;
    const reads = (e: StepExpr): boolean => (e.op === 'slot' && r.locals.includes(e.slot)) || operandsOf(e).some(reads);
    if (reads(x.value) || x.value.op === 'choose') break;
    found.push(x);
  }
  return found;
}

/** Parameters that get numbers at the beginning of a routine: they are copied at once. */
function firstParameters(r: Routine, slots: readonly Slot[]): readonly Extract<StepInstruction, { op: 'set' }>[] {
  const found: Extract<StepInstruction, { op: 'set' }>[] = [];
  for (const x of r.body) {
    const isNumber = x.op === 'set' && !x.at && x.value.op === 'const';
    if (!isNumber || slots[x.slot].role !== 'parameter' || found.some((f) => f.slot === x.slot)) break;
    found.push(x);
  }
  return found.length > 1 ? found : [];
}

/** Cases that do the same stand together. */
function joinedCases<
  T extends { readonly values: readonly number[]; readonly body: readonly StepInstruction[]; readonly from: string },
>(
  cases: readonly T[],
): { readonly values: readonly number[]; readonly body: readonly StepInstruction[]; readonly from: string }[] {
  const found: { values: number[]; body: readonly StepInstruction[]; from: string; key: string }[] = [];
  for (const c of cases) {
    const key = JSON.stringify(c.body, (name, value: unknown) => (name === 'from' ? undefined : value));
    const same = found.find((f) => f.key === key);
    if (same) same.values.push(...c.values);
    else found.push({ values: [...c.values], body: c.body, from: c.from, key });
  }
  return found;
}
