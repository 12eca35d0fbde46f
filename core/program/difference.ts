import { operands, subtract, type FlatExpr } from '../flatten/flat-expression';

/** A sum of terms with numbers before them, as a text that two differences share exactly where they are the same. */
export interface Difference {
  readonly key: string;
  /** -1 where the difference is the other way round than the key says. */
  readonly sign: 1 | -1;
}

type Sum = ReadonlyMap<string, number>;

/** Sums of more terms than this are taken as they stand. */
const mostTerms = 12;
const one = '1';

/**
 * Brings differences to a form by which they can be compared, however they were written: `a > b`, `b < a` and, with `r = a - b`,
 * `r > 0`. `valueOf` says what a variable is computed from, undefined for states and what comes from outside.
 */
export function differences(
  valueOf: (index: number) => FlatExpr | undefined,
): (a: FlatExpr, b: FlatExpr) => Difference {
  const known = new Map<number, Sum>();
  const single = (term: string): Sum => new Map([[term, 1]]);
  const scaled = (x: Sum, by: number): Sum => new Map([...x].map(([term, c]) => [term, by * c]));
  const numberOf = (x: Sum): number | undefined => (x.size === 0 ? 0 : x.size === 1 ? x.get(one) : undefined);
  const added = (x: Sum, y: Sum, by: number): Sum => {
    const sum = new Map(x);
    for (const [term, c] of y) {
      const now = (sum.get(term) ?? 0) + by * c;
      if (now === 0) sum.delete(term);
      else sum.set(term, now);
    }
    return sum;
  };
  const variable = (index: number): Sum => {
    const name = `v${index}`;
    let sum = known.get(index);
    if (sum) return sum;
    // what depends on itself stays what it is
    known.set(index, single(name));
    const value = valueOf(index);
    sum = value && sumOf(value);
    if (!sum || sum.size > mostTerms) sum = single(name);
    known.set(index, sum);
    return sum;
  };
  const sumOf = (e: FlatExpr): Sum => {
    switch (e.op) {
      case 'const':
        return e.value === 0 ? new Map() : new Map([[one, e.value]]);
      case 'var':
        return variable(e.index);
      case 'neg':
        return scaled(sumOf(e.a), -1);
      case 'add':
        return added(sumOf(e.a), sumOf(e.b), 1);
      case 'sub':
        return added(sumOf(e.a), sumOf(e.b), -1);
      case 'mul': {
        const [a, b] = [sumOf(e.a), sumOf(e.b)];
        const [x, y] = [numberOf(a), numberOf(b)];
        return x !== undefined ? scaled(b, x) : y !== undefined ? scaled(a, y) : single(termOf(e));
      }
      default:
        return single(termOf(e));
    }
  };
  /** An expression that is no sum, as a text. */
  const termOf = (e: FlatExpr): string => {
    const { op } = e;
    const own = op === 'const' ? e.value : op === 'fn' ? e.name : 'index' in e ? e.index : '';
    const points = op === 'table' ? `${e.x.join()};${e.y.join()};${e.slope}` : '';
    return `${op}${own}${points}(${operands(e).map(termOf).join()})`;
  };
  return (a, b) => {
    const terms = [...sumOf(subtract(a, b))].sort(([x], [y]) => (x < y ? -1 : 1));
    const sign = terms.length > 0 && terms[0][1] < 0 ? -1 : 1;
    return { key: terms.map(([term, c]) => `${sign * c} ${term}`).join('+'), sign };
  };
}
