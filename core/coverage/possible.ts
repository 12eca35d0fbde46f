import type { Expr } from '../language/ast';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';

/** What a condition says of a quantity alone: that it is beyond a number. */
interface Bound {
  readonly of: string;
  readonly op: '<' | '<=' | '>' | '>=' | '==' | '<>';
  readonly value: number;
}

const turned = { '<': '>', '<=': '>=', '>': '<', '>=': '<=', '==': '==', '<>': '<>' } as const;
const opposite = { '<': '>=', '<=': '>', '>': '<=', '>=': '<', '==': '<>', '<>': '==' } as const;
const isOrder = (op: string): op is Bound['op'] => op in turned;

function boundOf(text: string): Bound | undefined {
  const { value, problems } = parseExpressionText(text);
  if (problems.length > 0 || value.kind !== 'binary' || !isOrder(value.op)) return undefined;
  const number = (e: Expr): number | undefined =>
    e.kind === 'number'
      ? e.value
      : e.kind === 'unary' && e.op === '-' && e.operand.kind === 'number'
        ? -e.operand.value
        : undefined;
  const [a, b] = [number(value.left), number(value.right)];
  if (b !== undefined && a === undefined) return { of: printExpression(value.left), op: value.op, value: b };
  if (a !== undefined && b === undefined) return { of: printExpression(value.right), op: turned[value.op], value: a };
  return undefined;
}

/** Whether some number is within all of these. */
function haveCommon(bounds: readonly Bound[]): boolean {
  let [low, high, isLowIn, isHighIn] = [-Infinity, Infinity, true, true];
  const without = new Set<number>();
  for (const { op, value } of bounds) {
    if (op === '<>') {
      without.add(value);
      continue;
    }
    const isIn = op === '<=' || op === '>=' || op === '==';
    if (op !== '<' && op !== '<=' && (value > low || (value === low && !isIn))) [low, isLowIn] = [value, isIn];
    if (op !== '>' && op !== '>=' && (value < high || (value === high && !isIn))) [high, isHighIn] = [value, isIn];
  }
  return low < high || (low === high && isLowIn && isHighIn && !without.has(low));
}

/** Which words of a decision can come up: comparisons of one quantity with numbers may exclude each other. */
export function canBe(conditions: readonly string[]): (word: number) => boolean {
  const bounds = conditions.map(boundOf);
  const groups = new Map<string, number[]>();
  bounds.forEach((b, k) => b && groups.set(b.of, [...(groups.get(b.of) ?? []), k]));
  const tied = [...groups.values()].filter((g) => g.length > 1);
  if (tied.length === 0) return () => true;
  return (word) =>
    tied.every((g) =>
      haveCommon(
        g.map((k) => {
          const b = bounds[k]!;
          return ((word >>> k) & 1) === 1 ? b : { ...b, op: opposite[b.op] };
        }),
      ),
    );
}
