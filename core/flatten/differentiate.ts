import {
  add,
  applyFunction,
  binary,
  choose,
  constant,
  divide,
  isConstant,
  multiply,
  negate,
  one,
  operands,
  subtract,
  zero,
  type FlatExpr,
} from './flat-expression';

/** An unknown of the equations: a variable, or the derivative of one. */
export interface Unknown {
  readonly kind: 'var' | 'der';
  readonly index: number;
}

export const isUnknown = (e: FlatExpr, u: Unknown): boolean => e.op === u.kind && e.index === u.index;

export function contains(e: FlatExpr, u: Unknown): boolean {
  return isUnknown(e, u) || operands(e).some((x) => contains(x, u));
}

/**
 * The partial derivative of an expression. Conditions count as held, as they are between events.
 * `inner` gives the derivative of a leaf, so that chains through other variables can be followed.
 */
export function differentiate(e: FlatExpr, inner: (leaf: FlatExpr) => FlatExpr): FlatExpr {
  const d = (x: FlatExpr): FlatExpr => differentiate(x, inner);
  switch (e.op) {
    case 'var':
    case 'der':
    case 'time':
      return inner(e);
    case 'neg':
      return negate(d(e.a));
    case 'noEvent':
      return asIs(d(e.a));
    case 'noted':
      return d(e.a);
    case 'add':
      return add(d(e.a), d(e.b));
    case 'sub':
      return subtract(d(e.a), d(e.b));
    case 'mul':
      return add(multiply(d(e.a), e.b), multiply(e.a, d(e.b)));
    case 'div': {
      const [da, db] = [d(e.a), d(e.b)];
      if (isConstant(db, 0)) return divide(da, e.b);
      return divide(subtract(multiply(da, e.b), multiply(e.a, db)), multiply(e.b, e.b));
    }
    case 'pow': {
      const [da, db] = [d(e.a), d(e.b)];
      if (isConstant(db, 0)) return multiply(multiply(e.b, binary('pow', e.a, subtract(e.b, one))), da);
      const logTerm = multiply(db, applyFunction('log', [e.a]));
      return multiply(e, add(logTerm, divide(multiply(e.b, da), e.a)));
    }
    case 'if':
      return choose(e.c, d(e.a), d(e.b));
    case 'table': {
      const inside = d(e.a);
      return e.slope || isConstant(inside, 0) ? zero : multiply({ ...e, slope: true }, inside);
    }
    case 'fn':
      return differentiateFunction(e, d);
    default:
      return zero;
  }
}

/** Conditions of a derivative follow the values at hand; they are no events of the model. */
const asIs = (a: FlatExpr): FlatExpr => (a.op === 'const' ? a : { op: 'noEvent', a });

function differentiateFunction(e: Extract<FlatExpr, { op: 'fn' }>, d: (x: FlatExpr) => FlatExpr): FlatExpr {
  const [x, y] = e.args;
  const dx = d(x);
  const square = (v: FlatExpr): FlatExpr => multiply(v, v);
  const fn = applyFunction;
  switch (e.name) {
    case 'sin':
      return multiply(fn('cos', [x]), dx);
    case 'cos':
      return negate(multiply(fn('sin', [x]), dx));
    case 'tan':
      return multiply(add(one, square(e)), dx);
    case 'asin':
      return divide(dx, fn('sqrt', [subtract(one, square(x))]));
    case 'acos':
      return negate(divide(dx, fn('sqrt', [subtract(one, square(x))])));
    case 'atan':
      return divide(dx, add(one, square(x)));
    case 'atan2':
      return divide(subtract(multiply(dx, y), multiply(x, d(y))), add(square(x), square(y)));
    case 'sinh':
      return multiply(fn('cosh', [x]), dx);
    case 'cosh':
      return multiply(fn('sinh', [x]), dx);
    case 'tanh':
      return multiply(subtract(one, square(e)), dx);
    case 'exp':
      return multiply(e, dx);
    case 'log':
      return divide(dx, x);
    case 'log10':
      return divide(dx, multiply(x, constant(Math.LN10)));
    case 'sqrt':
      return isConstant(dx, 0) ? zero : multiply(fn('rootSlope', [x]), dx);
    case 'rootSlope':
      return multiply(multiply(constant(-2), multiply(e, square(e))), dx);
    case 'abs':
      return multiply(asIs(fn('sign', [x])), dx);
    case 'min':
      return choose(asIs(binary('le', x, y)), dx, d(y));
    case 'max':
      return choose(asIs(binary('ge', x, y)), dx, d(y));
    case 'mod':
      return subtract(dx, multiply(asIs(fn('floor', [divide(x, y)])), d(y)));
    case 'rem':
      return subtract(dx, multiply(asIs(fn('div', [x, y])), d(y)));
    case 'sign':
    case 'floor':
    case 'ceil':
    case 'integer':
    case 'div':
      return zero;
  }
}

/** `e = coefficient * u + rest`, or undefined where e is not linear in u. */
export function linearParts(e: FlatExpr, u: Unknown): { coefficient: FlatExpr; rest: FlatExpr } | undefined {
  if (isUnknown(e, u)) return { coefficient: one, rest: zero };
  if (!contains(e, u)) return { coefficient: zero, rest: e };
  switch (e.op) {
    case 'neg': {
      const a = linearParts(e.a, u);
      return a && { coefficient: negate(a.coefficient), rest: negate(a.rest) };
    }
    case 'noEvent':
      return linearParts(e.a, u);
    case 'add':
    case 'sub': {
      const a = linearParts(e.a, u);
      const b = linearParts(e.b, u);
      return a && b && { coefficient: binary(e.op, a.coefficient, b.coefficient), rest: binary(e.op, a.rest, b.rest) };
    }
    case 'mul': {
      const [free, bound] = contains(e.a, u) ? [e.b, e.a] : [e.a, e.b];
      if (contains(free, u)) return undefined;
      const p = linearParts(bound, u);
      return p && { coefficient: multiply(free, p.coefficient), rest: multiply(free, p.rest) };
    }
    case 'div': {
      if (contains(e.b, u)) return undefined;
      const p = linearParts(e.a, u);
      return p && { coefficient: divide(p.coefficient, e.b), rest: divide(p.rest, e.b) };
    }
    case 'if': {
      if (contains(e.c, u)) return undefined;
      const a = linearParts(e.a, u);
      const b = linearParts(e.b, u);
      return a && b && { coefficient: choose(e.c, a.coefficient, b.coefficient), rest: choose(e.c, a.rest, b.rest) };
    }
    default:
      return undefined;
  }
}
