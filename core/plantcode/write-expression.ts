import { isRelation, type FlatExpr, type FunctionName } from '../flatten/flat-expression';
import { doubleText } from '../stepcode/c-text';

/** Where the numbers of an expression are, as C. */
export interface Places {
  variable(index: number): string;
  rate(index: number): string;
  /** Of a table of points, by what it holds. */
  table(x: readonly number[], y: readonly number[]): string;
}

const signs = {
  add: '+',
  sub: '-',
  mul: '*',
  div: '/',
  lt: '<',
  le: '<=',
  gt: '>',
  ge: '>=',
  eq: '==',
  ne: '!=',
} as const;
const functions: Partial<Record<FunctionName, string>> = {
  abs: 'fabs',
  integer: 'floor',
  min: 'plant_min',
  max: 'plant_max',
  sign: 'plant_sign',
  mod: 'plant_mod',
  rem: 'plant_rem',
  div: 'plant_div',
  rootSlope: 'plant_root_slope',
};

/** Functions that C does not have, by their names, in the order in which they can be written. */
export const ownFunctions: Readonly<Record<string, string>> = {
  plant_sign: `static double plant_sign(double x)
{
    return (x > 0.0) ? 1.0 : ((x < 0.0) ? -1.0 : 0.0);
}
`,
  plant_min: `static double plant_min(double x, double y)
{
    return (x < y) ? x : ((y <= x) ? y : NAN);
}
`,
  plant_max: `static double plant_max(double x, double y)
{
    return (x > y) ? x : ((y >= x) ? y : NAN);
}
`,
  plant_mod: `static double plant_mod(double x, double y)
{
    return x - (floor(x / y) * y);
}
`,
  plant_rem: `static double plant_rem(double x, double y)
{
    return x - (trunc(x / y) * y);
}
`,
  plant_div: `static double plant_div(double x, double y)
{
    return trunc(x / y);
}
`,
  plant_root_slope: `static double plant_root_slope(double x)
{
    return 0.5 / fmax(sqrt(fabs(x)), 1e-8);
}
`,
  plant_table: `/* Of points with straight lines between them, level outside: the value, or
   the slope there. */
static double plant_table(const double *x, const double *y, int count,
                          double at, bool slope)
{
    double found = slope ? 0.0 : y[0];
    int k = 1;

    if (isnan(at)) {
        found = NAN;
    } else if (at >= x[count - 1]) {
        found = slope ? 0.0 : y[count - 1];
    } else if (at > x[0]) {
        while (x[k] <= at) {
            k++;
        }
        found = (y[k] - y[k - 1]) / (x[k] - x[k - 1]);
        if (!slope) {
            found = y[k - 1] + (found * (at - x[k - 1]));
        }
    }
    return found;
}
`,
};

/** Truths are 0 and 1 among numbers; everything is in brackets, so that nothing depends on who binds how. */
export function numberText(e: FlatExpr, at: Places): string {
  const n = (x: FlatExpr): string => numberText(x, at);
  switch (e.op) {
    case 'const':
      return e.value < 0 ? `(${doubleText(e.value)})` : doubleText(e.value);
    case 'var':
      return at.variable(e.index);
    case 'der':
      return at.rate(e.index);
    case 'time':
      return 'time';
    case 'neg':
      return `(-${n(e.a)})`;
    case 'noEvent':
      return n(e.a);
    case 'add':
    case 'sub':
    case 'mul':
    case 'div':
      return `(${n(e.a)} ${signs[e.op]} ${n(e.b)})`;
    case 'pow':
      return e.b.op === 'const' && e.b.value === 2 ? `(${n(e.a)} * ${n(e.a)})` : `pow(${n(e.a)}, ${n(e.b)})`;
    case 'if':
      return `(${truthText(e.c, at)} ? ${n(e.a)} : ${n(e.b)})`;
    case 'fn':
      return `${functions[e.name] ?? e.name}(${e.args.map(n).join(', ')})`;
    case 'table':
      return `plant_table(${at.table(e.x, e.y)}, ${e.x.length}, ${n(e.a)}, ${e.slope})`;
    case 'initial':
      return '0.0';
    case 'pre':
    case 'terminal':
    case 'delay':
    case 'sample':
      throw new Error(`${e.op} has no place in a unit`);
    default:
      return `(${truthText(e, at)} ? 1.0 : 0.0)`;
  }
}

export function truthText(e: FlatExpr, at: Places): string {
  const t = (x: FlatExpr): string => truthText(x, at);
  if (e.op === 'not') return `!(${t(e.a)})`;
  if (e.op === 'and') return `(${t(e.a)} && ${t(e.b)})`;
  if (e.op === 'or') return `(${t(e.a)} || ${t(e.b)})`;
  if (e.op === 'noEvent') return t(e.a);
  if (isRelation(e.op)) {
    const { op, a, b } = e as Extract<FlatExpr, { op: 'lt' }>;
    return `(${numberText(a, at)} ${signs[op]} ${numberText(b, at)})`;
  }
  return `(${numberText(e, at)} != 0.0)`;
}
