import { table } from '../language/table';
import { refName, type CallExpr, type Expr, type RefExpr, type SendNode, type Statement } from '../language/ast';
import { printExpression, printStatement } from '../language/print';
import { convertValue, unitOrUndefined } from '../language/units';

/**
 * Evaluates expressions and statements of our language without types: numbers, truth values, texts and lists. Used where a
 * chart is run on its own, by the command line and the standard suites; parts are run by generated code.
 */
export type RunValue =
  number | boolean | string | readonly RunValue[] | { readonly [name: string]: RunValue } | undefined;

export interface Environment {
  get(name: string): RunValue;
  has(name: string): boolean;
  set(name: string, value: RunValue): void;
  /** Makes a name if there is none. */
  declare(name: string, value: RunValue): void;
  isActive(state: string): boolean;
  send(node: SendNode, args: Readonly<Record<string, RunValue>>, after: number | undefined): void;
  cancel(message: string): void;
  /** Of a final state: what it hands to who waits for the end. */
  result?(value: RunValue): void;
  /** A message whose name, receiver or kind is found when it is sent. */
  dispatch?(message: Dispatch): void;
  /** Takes back what was sent under a name found when it is taken back. */
  withdraw?(id: string): void;
}

export interface Dispatch {
  readonly event: string;
  readonly receiver?: RunValue;
  readonly way?: RunValue;
  readonly id?: RunValue;
  readonly data?: RunValue;
  readonly after?: number;
}

/** An expression that has no value, or a statement that cannot be carried out. */
export class ExecutionError extends Error {}

const fail = (message: string): never => {
  throw new ExecutionError(message);
};

const longestLoop = 1_000_000;

export function evaluate(e: Expr, env: Environment): RunValue {
  switch (e.kind) {
    case 'number': {
      const unit = unitOrUndefined(e.unit);
      return unit ? convertValue(e.value, unit, { dimension: unit.dimension, scale: 1, offset: 0 }) : e.value;
    }
    case 'string':
    case 'boolean':
      return e.value;
    case 'ref':
      return lookUp(e, env);
    case 'unary': {
      const value = evaluate(e.operand, env);
      return e.op === 'not' ? !truth(value) : e.op === '-' ? -number(value) : number(value);
    }
    case 'binary':
      return binary(e, env);
    case 'if': {
      for (const b of e.branches) if (truth(evaluate(b.condition, env))) return evaluate(b.value, env);
      return evaluate(e.otherwise, env);
    }
    case 'array':
      return e.elements.map((x) => evaluate(x, env));
    case 'range': {
      const [start, step, stop] = [
        number(evaluate(e.start, env)),
        e.step ? number(evaluate(e.step, env)) : 1,
        number(evaluate(e.stop, env)),
      ];
      const count = Math.floor((stop - start) / step + 1e-9) + 1;
      if (!(count < longestLoop)) return fail('This range has no end');
      return Array.from({ length: Math.max(0, count) }, (_, k) => start + k * step);
    }
    case 'call':
      return call(e, env);
    default:
      return fail(`${printExpression(e)} has no value`);
  }
}

/** What counts as true where a condition is asked for. */
export const truth = (value: RunValue): boolean =>
  !(
    value === undefined ||
    value === false ||
    value === 0 ||
    value === '' ||
    (typeof value === 'number' && Number.isNaN(value))
  );

function number(value: RunValue): number {
  if (typeof value === 'number') return value;
  if (typeof value === 'boolean') return value ? 1 : 0;
  if (typeof value === 'string' && value.trim() !== '' && Number.isFinite(Number(value))) return Number(value);
  return NaN;
}

function same(a: RunValue, b: RunValue): boolean {
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((x, k) => same(x as RunValue, b[k] as RunValue));
  if (typeof a === 'string' && typeof b === 'number') return number(a) === b;
  if (typeof a === 'number' && typeof b === 'string') return a === number(b);
  return a === b;
}

const shown = (value: RunValue): string =>
  Array.isArray(value) ? value.map((x) => shown(x as RunValue)).join(',') : String(value);

function binary(e: Extract<Expr, { kind: 'binary' }>, env: Environment): RunValue {
  if (e.op === 'and') return truth(evaluate(e.left, env)) && truth(evaluate(e.right, env));
  if (e.op === 'or') {
    const left = evaluate(e.left, env);
    return truth(left) ? left : evaluate(e.right, env);
  }
  const [a, b] = [evaluate(e.left, env), evaluate(e.right, env)];
  const compare = (f: (x: number | string, y: number | string) => boolean): boolean =>
    typeof a === 'string' && typeof b === 'string' ? f(a, b) : f(number(a), number(b));
  switch (e.op) {
    case '+':
      return typeof a === 'string' || typeof b === 'string' ? shown(a) + shown(b) : number(a) + number(b);
    case '-':
      return number(a) - number(b);
    case '*':
      return number(a) * number(b);
    case '/':
      return number(a) / number(b);
    case '^':
      return number(a) ** number(b);
    case '<':
      return compare((x, y) => x < y);
    case '<=':
      return compare((x, y) => x <= y);
    case '>':
      return compare((x, y) => x > y);
    case '>=':
      return compare((x, y) => x >= y);
    case '==':
      return same(a, b);
    case '<>':
      return !same(a, b);
    default:
      return fail(`${e.op} needs arrays of numbers`);
  }
}

function lookUp(e: RefExpr, env: Environment): RunValue {
  const [first, ...rest] = e.parts;
  if (!env.has(first.name)) return fail(`There is no ${first.name}`);
  let value = subscripted(env.get(first.name), first.subscripts, env);
  for (const part of rest) {
    if (value === null || typeof value !== 'object' || Array.isArray(value)) return fail(`${refName(e)} is not there`);
    value = subscripted((value as { [name: string]: RunValue })[part.name], part.subscripts, env);
  }
  return value;
}

function subscripted(value: RunValue, subscripts: readonly Expr[], env: Environment): RunValue {
  let at = value;
  for (const s of subscripts) {
    if (!Array.isArray(at)) return fail('Only a list has elements');
    at = at[number(evaluate(s, env)) - 1] as RunValue;
  }
  return at;
}

const numeric: Readonly<Record<string, (...x: number[]) => number>> = table({
  abs: Math.abs,
  sqrt: Math.sqrt,
  sin: Math.sin,
  cos: Math.cos,
  tan: Math.tan,
  asin: Math.asin,
  acos: Math.acos,
  atan: Math.atan,
  atan2: Math.atan2,
  exp: Math.exp,
  log: Math.log,
  log10: Math.log10,
  floor: Math.floor,
  integer: Math.floor,
  ceil: Math.ceil,
  min: Math.min,
  max: Math.max,
  sign: Math.sign,
  rem: (a, b) => a % b,
  mod: (a, b) => a - Math.floor(a / b) * b,
  div: (a, b) => Math.trunc(a / b),
});

function call(e: Extract<Expr, { kind: 'call' }>, env: Environment): RunValue {
  if (e.callee === 'in') {
    const [state] = e.args;
    return state?.kind === 'ref'
      ? env.isActive(state.parts[state.parts.length - 1].name)
      : fail('in(...) takes the name of a state');
  }
  if (e.callee === 'exists') {
    const [name] = e.args;
    return name?.kind === 'ref' && env.has(name.parts[0].name) && lookUp(name, env) !== undefined;
  }
  if (e.callee === 'fields') return Object.fromEntries(e.named.map((n) => [n.name, evaluate(n.value, env)]));
  const args = e.args.map((x) => evaluate(x, env));
  if (e.callee === 'isList') return Array.isArray(args[0]);
  if (e.callee === 'has') {
    const [name, owner] = args;
    return owner !== null && typeof owner === 'object' && String(name) in owner;
  }
  if (e.callee === 'size') {
    const [list] = args;
    return Array.isArray(list) || typeof list === 'string' ? list.length : fail('Only a list has a size');
  }
  if (e.callee === 'cat') return args.slice(1).flatMap((x) => (Array.isArray(x) ? (x as RunValue[]) : [x]));
  if (e.callee === 'element') {
    const [list, at] = args;
    return Array.isArray(list) ? (list[number(at) - 1] as RunValue) : fail('Only a list has elements');
  }
  const f = numeric[e.callee];
  return f ? f(...args.map(number)) : fail(`There is no function ${e.callee}`);
}

/** Carries statements out, one after the other; the first that fails ends them. */
export function execute(statements: readonly Statement[], env: Environment): void {
  for (const s of statements) one(s, env);
}

function one(s: Statement, env: Environment): void {
  switch (s.kind) {
    case 'assign': {
      if (s.target.kind !== 'ref') return fail('Only one name can be assigned to');
      return assign(s.target, evaluate(s.value, env), env);
    }
    case 'send': {
      const after = s.after === undefined ? undefined : seconds(evaluate(s.after, env));
      return env.send(s, Object.fromEntries(s.args.map((a) => [a.name, evaluate(a.value, env)])), after);
    }
    case 'cancel':
      return env.cancel(s.message);
    case 'if': {
      for (const b of s.branches) if (truth(evaluate(b.condition, env))) return execute(b.body, env);
      return execute(s.otherwise, env);
    }
    case 'while': {
      for (let k = 0; truth(evaluate(s.condition, env)); k++) {
        if (k > longestLoop) return fail('This loop does not end');
        execute(s.body, env);
      }
      return;
    }
    case 'for': {
      const [it] = s.iterators;
      const range = it.range && evaluate(it.range, env);
      if (!Array.isArray(range)) return fail('A loop runs over a list');
      env.declare(it.name, undefined);
      for (const value of [...(range as RunValue[])]) {
        env.set(it.name, value);
        execute(s.body, env);
      }
      return;
    }
    case 'call':
      return command(s.call, env);
    default:
      return fail(`${printStatement(s)} cannot be carried out`);
  }
}

/** What only charts run on their own know, as SCXML has it. */
function command(e: CallExpr, env: Environment): void {
  const named = Object.fromEntries(e.named.map((n) => [n.name, evaluate(n.value, env)]));
  if (e.callee === 'result' && env.result) return env.result('content' in named ? named.content : named);
  if (e.callee === 'dispatch' && env.dispatch && e.args.length === 1) {
    const { receiver, way, id, data, after } = named;
    return env.dispatch({
      event: shown(evaluate(e.args[0], env)),
      receiver,
      way,
      id,
      data,
      ...(after !== undefined && { after: seconds(after) }),
    });
  }
  if (e.callee === 'withdraw' && env.withdraw && e.args.length === 1)
    return env.withdraw(shown(evaluate(e.args[0], env)));
  return fail(`${printExpression(e)} cannot be carried out`);
}

/** Seconds of a number, or of a text such as "10ms". */
export function seconds(value: RunValue): number {
  if (typeof value === 'number') return value;
  const match = typeof value === 'string' ? /^\s*(\d+\.?\d*|\.\d+)\s*(ms|s|m|h|d)?\s*$/.exec(value) : null;
  if (!match) return fail(`${shown(value)} is not a time`);
  return Number(match[1]) * { ms: 1e-3, s: 1, m: 60, h: 3600, d: 86400 }[match[2] ?? 's']!;
}

function assign(target: RefExpr, value: RunValue, env: Environment): void {
  const [first, ...rest] = target.parts;
  if (!env.has(first.name)) return fail(`There is no ${first.name}`);
  if (first.subscripts.length === 0 && rest.length === 0) return env.set(first.name, value);
  if (rest.length > 0 || first.subscripts.length !== 1) return fail(`${refName(target)} cannot be assigned to`);
  const list = env.get(first.name);
  if (!Array.isArray(list)) return fail(`${first.name} is not a list`);
  const copy = [...(list as RunValue[])];
  const index = number(evaluate(first.subscripts[0], env));
  if (!Number.isInteger(index) || index < 1) return fail(`${first.name} has no element ${index}`);
  copy[index - 1] = value;
  env.set(first.name, copy);
}
