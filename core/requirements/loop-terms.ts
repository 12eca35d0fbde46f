import type { BinaryExpr, CallExpr, Expr } from '../language/ast';
import { problem, type Problem } from '../language/diagnostics';
import { nameOf } from '../language/make';
import { printExpression } from '../language/print';
import { table } from '../language/table';
import { partsOf, walkExpression } from '../language/walk';

/**
 * What a formula says of a loop: margins of the loop opened at a quantity, and bandwidths. They are no values of the equations but of the
 * linear model around a moment, so they are looked at when the setup says, and keep what they came to until they are looked at again.
 */
export interface LoopTerm {
  readonly kind: LoopKind;
  /** Where the loop is opened; of a bandwidth from one quantity to another, the first. */
  readonly from: string;
  readonly to?: string;
  /** Unit of its value. */
  readonly unit: '' | 'rad' | 's' | 'Hz' | 'rad/s';
  /** Name of the value in the flat model. */
  readonly name: string;
}

export type LoopKind = 'phaseMargin' | 'gainMargin' | 'delayMargin' | 'bandwidth';

/** What can be said of a loop, with what stands in its brackets; the documentation and the editor list them from here. */
export const loopOperators: Readonly<
  Record<string, { readonly forms: readonly string[]; readonly meaning: string; readonly words: string }>
> = table({
  phaseMargin: {
    forms: ['phaseMargin(q)'],
    meaning: 'phase margin of the loop opened at q; below 0 where the closed loop does not hold',
    words: 'phase margin',
  },
  gainMargin: {
    forms: ['gainMargin(q)'],
    meaning: 'factor by which the gain of the loop opened at q may grow; below 1 where the closed loop does not hold',
    words: 'gain margin',
  },
  delayMargin: {
    forms: ['delayMargin(q)'],
    meaning: 'how much later the loop opened at q may act; 0 where the closed loop does not hold',
    words: 'delay margin',
  },
  bandwidth: {
    forms: ['bandwidth(q)', 'bandwidth(u, y)'],
    meaning: 'bandwidth of the loop closed again at q, or from u to y',
    words: 'bandwidth',
  },
});

const plainUnits: Readonly<Record<Exclude<LoopKind, 'bandwidth'>, LoopTerm['unit']>> = {
  phaseMargin: 'rad',
  gainMargin: '',
  delayMargin: 's',
};

/** Whether a term has been looked at, and could be. */
export const knownName = (t: LoopTerm): string => `${t.name} known`;

export const isLoopCall = (e: Expr): boolean => e.kind === 'call' && e.callee in loopOperators;

export function hasLoopCall(e: Expr): boolean {
  let found = false;
  walkExpression(e, (x) => void (found ||= isLoopCall(x)));
  return found;
}

export interface WithLoopTerms {
  /** The expression, with a name in the place of each term. */
  readonly expr: Expr;
  readonly terms: readonly LoopTerm[];
  readonly problems: readonly Problem[];
}

/** Takes what is said of loops out of a condition. */
export function withLoopTerms(e: Expr): WithLoopTerms {
  const terms = new Map<string, LoopTerm>();
  const problems: Problem[] = [];
  const expr = replaced(e, undefined, (call, relation) => {
    const read = readTerm(call, relation);
    if (typeof read === 'string') {
      problems.push(problem('error', 'loop-term', read, call.span));
      return call;
    }
    terms.set(read.name, read);
    return { ...nameOf(read.name), span: call.span };
  });
  return { expr, terms: [...terms.values()], problems };
}

const relations: ReadonlySet<string> = new Set(['<', '<=', '>', '>=', '==', '<>']);

function replaced(
  e: Expr,
  relation: BinaryExpr | undefined,
  make: (call: CallExpr, relation: BinaryExpr | undefined) => Expr,
): Expr {
  if (e.kind === 'call' && e.callee in loopOperators) return make(e, relation);
  const inner = (x: Expr): Expr => replaced(x, relation, make);
  switch (e.kind) {
    case 'unary':
      return { ...e, operand: inner(e.operand) };
    case 'binary': {
      // the margin of a comparison is the difference of its sides
      const around = relations.has(e.op) || (e.op === '-' && !relation) ? e : relation;
      return { ...e, left: replaced(e.left, around, make), right: replaced(e.right, around, make) };
    }
    case 'call':
      return {
        ...e,
        args: e.args.map(inner),
        named: e.named.map((n) => ({ ...n, value: inner(n.value) })),
      };
    case 'if':
      return {
        ...e,
        branches: e.branches.map((b) => ({ condition: inner(b.condition), value: inner(b.value) })),
        otherwise: inner(e.otherwise),
      };
    default:
      return e;
  }
}

/** The term a call stands for, or what is wrong with it. */
function readTerm(call: CallExpr, relation: BinaryExpr | undefined): LoopTerm | string {
  const kind = call.callee as LoopKind;
  const { forms } = loopOperators[kind]!;
  const most = kind === 'bandwidth' ? 2 : 1;
  if (call.named.length > 0 || call.args.length < 1 || call.args.length > most) return `Write ${forms.join(' or ')}`;
  if (call.args.some((a) => a.kind !== 'ref'))
    return `${forms[0]} is about a quantity of the product: the name of one is expected in its brackets`;
  const [from, to] = call.args.map(printExpression);
  const unit = kind === 'bandwidth' ? unitOfBandwidth(relation) : plainUnits[kind];
  if (kind === 'phaseMargin' && relation && hasPlainNumber(relation))
    return "A phase margin is compared with a number in deg or in rad: phaseMargin(q) >= 50 'deg'";
  if (unit === undefined)
    return "A bandwidth is compared with a number in Hz or in rad/s, which differ by 2 pi: bandwidth(q) >= 8 'Hz'";
  return {
    kind,
    from,
    ...(to !== undefined && { to }),
    unit,
    name: `$loop ${kind}(${call.args.map(printExpression).join(', ')})${kind === 'bandwidth' ? ` ${unit}` : ''}`,
  };
}

/** A number other than 0 without a unit on a side of its own: an angle of 50 is hardly meant in rad. */
const hasPlainNumber = ({ left, right }: BinaryExpr): boolean =>
  [left, right].some((e) => {
    const x = e.kind === 'unary' ? e.operand : e;
    return x.kind === 'number' && x.unit === undefined && x.value !== 0;
  });

const cycles: ReadonlySet<string> = new Set(['Hz', 'mHz', 'kHz', 'MHz']);
const angles: ReadonlySet<string> = new Set(['rad/s', 'krad/s']);

/** Turns per second and radians per second have one dimension, so what is meant has to be written. */
function unitOfBandwidth(relation: BinaryExpr | undefined): 'Hz' | 'rad/s' | undefined {
  if (!relation) return undefined;
  const units = new Set<string>();
  let isClear = true;
  const visit = (e: Expr): void => {
    if (isLoopCall(e)) return;
    if (e.kind === 'ref') isClear = false;
    else if (e.kind === 'number') units.add(e.unit ?? '');
    else for (const x of partsOf(e)) visit(x);
  };
  visit(relation);
  units.delete('');
  const all = [...units];
  if (!isClear || all.length === 0) return undefined;
  if (all.every((u) => cycles.has(u))) return 'Hz';
  return all.every((u) => angles.has(u)) ? 'rad/s' : undefined;
}
